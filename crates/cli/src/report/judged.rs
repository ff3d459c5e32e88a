//! What a report notes of pieces once all are there: those that gain nothing, and what a visitor
//! loads in each format.

use kiln_core::budget::Verdict;
use kiln_core::encode::Format;
use kiln_core::plan::Choice;

use super::{FiringReport, OriginalReport, PieceReport, Written};
use crate::wording;

/// What a visitor loads who sees each picture once, in its largest size and in one choice of formats.
#[derive(Debug, PartialEq, Eq)]
pub struct Load {
    /// The formats that the pieces may have.
    pub choice: Choice,
    /// How many originals come in it.
    pub originals: usize,
    /// The weight of those originals.
    pub before: u64,
    /// The weight of their heaviest pieces.
    pub after: u64,
}

impl FiringReport {
    /// What a visitor loads in each choice of formats, in the order in which those come first.
    pub fn loads(&self) -> Vec<Load> {
        let mut loads: Vec<Load> = Vec::new();
        for original in &self.originals {
            let mut heaviest: Vec<(Choice, u64)> = Vec::new();
            for (piece, written) in original.written() {
                let Some(choice) = Choice::between(piece.planned.formats()) else {
                    continue;
                };
                let weight = written.account.weight;
                match heaviest.iter_mut().find(|(known, _)| *known == choice) {
                    Some((_, most)) => *most = weight.max(*most),
                    None => heaviest.push((choice, weight)),
                }
            }
            for (choice, after) in heaviest {
                let known = loads.iter().position(|load| load.choice == choice);
                let index = known.unwrap_or_else(|| {
                    loads.push(Load {
                        choice,
                        originals: 0,
                        before: 0,
                        after: 0,
                    });
                    loads.len() - 1
                });
                let load = &mut loads[index];
                load.originals += 1;
                load.before += original.weight;
                load.after += after;
            }
        }
        loads
    }

    /// Notes pieces that gain nothing: heavier than their originals at the same pixels, or than
    /// pieces in a format that more browsers show.
    pub fn note_what_gains_nothing(&mut self) {
        for original in &mut self.originals {
            let notes: Vec<String> = original.heavier().chain(original.outdone()).collect();
            original.notes.extend(notes);
        }
    }
}

impl OriginalReport {
    /// The pieces that stand.
    fn written(&self) -> impl Iterator<Item = (&PieceReport, &Written)> {
        let pieces = self.pieces.iter();
        pieces.filter_map(|piece| Some((piece, piece.written()?)))
    }

    fn heavier(&self) -> impl Iterator<Item = String> {
        let heavier = self.written().filter(|(piece, written)| {
            let same = piece.size == self.size && written.account.shrunk.is_none();
            same && written.account.weight > self.weight
        });
        heavier.map(|(_, written)| {
            format!(
                "{} is heavier than its original at the same pixels ({}); the original may serve as it is, or a lower look",
                written.name,
                wording::change(self.weight, written.account.weight)
            )
        })
    }

    /// Formats that were asked for and lose at the same look against one that more browsers show.
    fn outdone(&self) -> Vec<String> {
        let mut sums: Vec<(Format, u64, usize)> = Vec::new();
        for (piece, written) in self.written() {
            let reached = written.account.verdict.is_some_and(Verdict::reaches);
            if !reached || piece.planned.candidates.len() > 1 {
                continue;
            }
            let weight = written.account.weight;
            match sums.iter_mut().find(|(known, ..)| *known == written.format) {
                Some((_, sum, count)) => (*sum, *count) = (*sum + weight, *count + 1),
                None => sums.push((written.format, weight, 1)),
            }
        }
        let outdone = |&(format, weight, count): &(Format, u64, usize)| {
            let plainer = sums.iter().filter(|(other, sum, of)| {
                spread(*other) < spread(format) && *of == count && *sum < weight
            });
            let (other, sum, _) = plainer.min_by_key(|(_, sum, _)| *sum)?;
            let times = weight as f64 / (*sum).max(1) as f64;
            (times >= 1.02).then(|| {
                format!("{format} gains nothing here: {other} is lighter at the same look, and shown by more browsers")
            })
        };
        sums.iter().filter_map(outdone).collect()
    }
}

/// How long ago browsers learned to show a format: the lower, the more of them do.
fn spread(format: Format) -> u8 {
    match format {
        Format::Jpeg | Format::Png => 0,
        Format::WebP => 1,
        Format::Avif => 2,
    }
}
