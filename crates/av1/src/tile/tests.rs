//! What blocks are foretold to cost, beside what they come to.

use super::{Care, Effort, Row};
use crate::block::Part;
use crate::encoder::Prepared;
use crate::frame::SUPERBLOCK;
use crate::ground::{self, SMALLEST};
use crate::picture::{Chroma, Depth, Picture, Plane};
use crate::range::Learner;
use crate::shape::{Cut, Shape};
use crate::stream;

#[test]
fn blocks_are_cut_as_is_foretold_to_cost_least() {
    // Flat to the left, and to the right of that flat but for a corner of noise.
    let noise = |at: usize| (at * 7919 + at / 3 * 104_729) % 977;
    let sample = |at: usize| match (at % 128, at / 128) {
        (112..120, ..8) => noise(at) as u16,
        _ => 512,
    };
    let luma = Plane::new(128, (0..128 * 64).map(sample).collect()).expect("whole rows");
    let picture = Picture::new(Chroma::None, Depth::Ten, vec![luma]).expect("a plane");
    let prepared = Prepared::new(&picture).expect("a picture");
    let frame = prepared.frame(120);
    let ground = &stream::grounds(&frame, &picture).expect("a picture")[0];
    let care = Care {
        modes: 1,
        kinds: 0,
        depth: 0,
        tints: 1,
    };
    let mut cuts = [0.0, 0.1].map(|doubt| {
        let effort = Effort {
            halves: 0,
            thirds: 0,
            rough: care,
            doubt,
            fine: care,
        };
        let mut row = Row::new((&frame, ground), 0, None, &Default::default());
        [0, 16].map(|x| row.decide(&effort, (x, 0)))
    });
    for [flat, noisy] in &cuts {
        assert_eq!(flat.cut, Cut::None);
        assert_eq!(noisy.cut, Cut::Split);
        // Three quarters are whole, the noisy one is cut on.
        let is_whole = |part: &Part| matches!(part, Part::Node(node) if node.cut == Cut::None);
        assert_eq!(
            noisy.parts.iter().map(is_whole).collect::<Vec<bool>>(),
            [true, false, true, true]
        );
    }
    // What is not tried is given the mode that predicts it best, to begin with.
    let Part::Leaf(leaf) = cuts[0][0].parts.remove(0) else {
        panic!("a block that is not cut");
    };
    assert_eq!(leaf.luma, ground.guess(&frame, (0, 0), SUPERBLOCK).modes[0]);
}

/// Writes the signs of blocks and what they came to, for the script that weighs them: a line a block, of 4 × 4 one for
/// four, from the portable graymaps and pixmaps in the folder that is named.
#[test]
#[ignore = "needs photographs"]
fn foretold_beside_found() {
    use std::io::Write;
    let folder = std::env::var("KILN_TEST_PHOTOS").expect("KILN_TEST_PHOTOS names a folder");
    let out = std::env::var("KILN_TEST_SIGNS").expect("KILN_TEST_SIGNS names a file");
    let mut out = std::io::BufWriter::new(std::fs::File::create(out).expect("a file"));
    for entry in std::fs::read_dir(folder).expect("a folder") {
        let file = entry.expect("an entry").path();
        if file.extension().is_none_or(|extension| extension != "ppm") {
            continue;
        }
        let picture = picture(&std::fs::read(file).expect("a file"));
        let prepared = Prepared::new(&picture).expect("a picture");
        for quantiser in [48, 96, 144, 192] {
            for side in SMALLEST..=SUPERBLOCK {
                for (signs, cost) in found(&prepared, &picture, quantiser, side) {
                    write!(out, "{side}").expect("a line");
                    signs
                        .iter()
                        .for_each(|sign| write!(out, " {sign}").expect("a line"));
                    writeln!(out, " {cost}").expect("a line");
                }
            }
        }
    }
}

/// The signs and costs of all whole blocks of a size, in a picture that is cut into those alone.
fn found(prepared: &Prepared, picture: &Picture, quantiser: u8, side: u8) -> Vec<([f32; 7], f32)> {
    let care = Care {
        modes: 1,
        kinds: 0,
        depth: u8::from(side > 2),
        tints: 1,
    };
    let frame = prepared.frame(quantiser);
    let ground = &stream::grounds(&frame, picture).expect("a picture")[0];
    let (across, down) = (frame.size.0.div_ceil(64), frame.size.1.div_ceil(64));
    let mut all = Vec::new();
    let mut above: Option<Row<'_>> = None;
    for y in 0..down {
        let mut row = Row::new((&frame, ground), y, None, &Default::default());
        for x in 0..across {
            if let Some(above) = &above {
                row.follow(above, x, x == 0);
            }
            let at = (x * 16, y * 16);
            row.enter(at);
            let whole = |at: usize, size: usize| (at + 1) * 64 <= size;
            let counts = whole(x, frame.size.0) && whole(y, frame.size.1);
            let (mut signs, mut cost, mut blocks) = ([0.0; 7], 0.0, 0);
            ground::each_block(&frame, at, side, |known, at| {
                let shape = Shape::square(side);
                let edges = frame.edges(known, (0, &ground.source[0]), (at.0 * 4, at.1 * 4), shape);
                let own = row.signs(at, shape, &edges);
                let modes = ground.guess(&frame, at, side).modes;
                let (leaf, spent, _) = row.best_leaf(&care, at, shape, &modes);
                row.code(&mut Learner, at, shape, &leaf);
                signs.iter_mut().zip(own).for_each(|(sum, own)| *sum += own);
                (cost, blocks) = (cost + spent, blocks + 1);
                if side > 2 || blocks == 4 {
                    all.extend(counts.then_some((signs, cost)));
                    (signs, cost, blocks) = ([0.0; 7], 0.0, 0);
                }
            });
        }
        above = Some(row);
    }
    all
}

/// A pixmap in full range, as one of ten bits with chroma halved.
fn picture(file: &[u8]) -> Picture {
    let mut words = file.splitn(4, |&byte| byte == b'\n');
    let (_, size, _, samples) = (words.next(), words.next(), words.next(), words.next());
    let size = std::str::from_utf8(size.expect("a size")).expect("numbers");
    let mut sides = size
        .split(' ')
        .map(|side| side.parse::<usize>().expect("a number"));
    let (width, height) = (
        sides.next().expect("a width"),
        sides.next().expect("a height"),
    );
    let samples = samples.expect("samples");
    let mixed = |at: usize| {
        let [r, g, b] = [0, 1, 2].map(|one| f32::from(samples[at * 3 + one]));
        let y = 0.299 * r + 0.587 * g + 0.114 * b;
        [y, (b - y) / 1.772 + 127.5, (r - y) / 1.402 + 127.5].map(|value| value * 1023.0 / 255.0)
    };
    let luma = (0..width * height).map(|at| mixed(at)[0] as u16).collect();
    let chroma = |plane: usize| {
        let (across, down) = (width.div_ceil(2), height.div_ceil(2));
        let one = |at: usize| {
            let (x, y) = (at % across * 2, at / across * 2);
            let four = [(0, 0), (1, 0), (0, 1), (1, 1)];
            let sum: f32 = four
                .iter()
                .map(|(dx, dy)| {
                    mixed((y + dy).min(height - 1) * width + (x + dx).min(width - 1))[plane]
                })
                .sum();
            (sum / 4.0) as u16
        };
        Plane::new(across, (0..across * down).map(one).collect())
    };
    let planes = [Plane::new(width, luma), chroma(1), chroma(2)];
    let planes = planes.map(|plane| plane.expect("whole rows")).to_vec();
    Picture::new(Chroma::Halved, Depth::Ten, planes).expect("planes that fit")
}
