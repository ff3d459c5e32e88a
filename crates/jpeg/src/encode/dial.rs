//! What a dial means: quantisation tables, and how hard a file is worked on.

use super::chain;
use super::prepare::{Prepared, Sampling};
use super::quantise::{self, Balance, Costs, Steps};
use super::write::Options;
use crate::block::Block;
use crate::decode::{Coefficient, Coefficients};

/// How much time a file may cost.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Effort {
    /// Coefficients are rounded.
    Quick,
    /// The coefficients of a block are chosen together.
    Steady,
    /// They are chosen twice, by what the symbols of the first choice cost.
    Patient,
}

/// The shapes of the quantisation tables of luma and chroma, by the zigzag sequence, in 64ths of the
/// step of flat areas: it grows evenly with the frequency, to four and a half times at the end of a
/// row. Found on real photos as screens show them, 1200 pixels wide, by the weight at equal visual
/// scores; at these sizes fine detail counts for more than in the tables of T.81, annex K.
const SHAPES: [[u16; 64]; 2] = [
    [
        64, 103, 103, 137, 117, 137, 168, 144, 144, 168, 199, 174, 163, 174, 199, 229, 203, 187,
        187, 203, 229, 259, 232, 214, 207, 214, 232, 259, 288, 261, 241, 229, 229, 241, 261, 288,
        290, 268, 254, 249, 254, 268, 290, 296, 280, 271, 271, 280, 296, 306, 294, 290, 294, 306,
        318, 311, 311, 318, 334, 330, 334, 351, 351, 370,
    ],
    [
        64, 86, 86, 114, 97, 114, 145, 121, 121, 145, 178, 150, 140, 150, 178, 214, 183, 165, 165,
        183, 214, 250, 217, 195, 187, 195, 217, 250, 288, 253, 228, 214, 214, 228, 253, 288, 291,
        262, 244, 237, 244, 262, 291, 299, 277, 265, 265, 277, 299, 312, 296, 291, 296, 312, 329,
        319, 319, 329, 351, 346, 351, 376, 376, 404,
    ],
];

/// The steps of chroma against those of luma, where it is kept, shared by four and shared by two.
const CHROMA: [f32; 3] = [2.1, 1.12, 1.5];

/// The step of flat areas at the dial's middle.
const MIDDLE: f32 = 13.0;

/// The table of luma or chroma at a dial. The dial scales it as people know it: half as fine at 25 as
/// at 50, twice as fine at 75.
fn steps(dial: u8, plane: usize, sampling: Sampling) -> Steps {
    let dial = f32::from(dial.clamp(1, 100));
    let scale = if dial < 50.0 {
        50.0 / dial
    } else {
        2.0 - dial / 50.0
    };
    let own = match (plane, sampling) {
        (0, _) => 1.0,
        (_, Sampling::Full) => CHROMA[0],
        (_, Sampling::Halved) => CHROMA[1],
        (_, Sampling::Narrowed | Sampling::Lowered) => CHROMA[2],
    };
    let base = MIDDLE * scale * own / 64.0;
    SHAPES[plane].map(|part| (base * f32::from(part) + 0.5).clamp(1.0, 255.0) as u16)
}

/// What a bit is worth against losses. Found together with the shapes.
const BALANCE: Balance = Balance {
    bit: 0.07,
    hidden: 0.1,
    swings: 5,
};

impl Prepared<'_> {
    /// The picture as a file, at a dial from 1 (coarse) to 100 (fine). The same gives the same bytes on
    /// every machine.
    pub fn encode(
        &self,
        dial: u8,
        sampling: Sampling,
        effort: Effort,
        options: Options<'_>,
    ) -> Vec<u8> {
        self.coefficients(dial, sampling, effort).write(options)
    }

    /// The coefficients of that file, which tell what it shows before it is written.
    pub fn coefficients(&self, dial: u8, sampling: Sampling, effort: Effort) -> Coefficients {
        let frame = self.frame(sampling);
        let planes = self.planes(sampling);
        let steps = [0, 1].map(|plane| steps(dial, plane, sampling));
        let slot = |index: usize| usize::from(index > 0);
        let rounded: Vec<_> = (0..)
            .zip(planes)
            .map(|(index, plane)| quantise::rounded(self.arch, plane, &steps[slot(index)]))
            .collect();
        let rounds = match effort {
            Effort::Quick => 0,
            Effort::Steady => 1,
            // What is chosen has other symbols than what was rounded: they cost something else.
            Effort::Patient => 2,
        };
        let mut blocks: Option<Vec<Vec<Block>>> = None;
        for _ in 0..rounds {
            let costs = [0, 1].map(|table| {
                let all = (0..).zip(blocks.as_ref().unwrap_or(&rounded));
                let own = all.filter(|(index, _)| slot(*index) == table);
                Costs::of(own.map(|(_, blocks)| blocks.as_slice()))
            });
            let chosen = (0..).zip(planes.iter().zip(&rounded));
            let chosen = chosen
                .map(|(index, (plane, rounded))| {
                    let table = slot(index);
                    let component = &frame.components[index];
                    quantise::chosen(
                        self.arch,
                        (plane, rounded),
                        component,
                        &steps[table],
                        &costs[table],
                        BALANCE,
                    )
                })
                .collect();
            blocks = Some(chosen);
        }
        for (index, blocks) in (0..).zip(blocks.iter_mut().flatten()) {
            let steps = &steps[slot(index)];
            chain::choose(&planes[index], (&frame, index), blocks, steps, BALANCE);
        }
        let planes = (0..)
            .zip(blocks.unwrap_or(rounded))
            .map(|(index, blocks)| Coefficient {
                table: steps[slot(index)],
                blocks,
            });
        let planes = planes.collect();
        Coefficients { frame, planes }
    }
}
