use std::cell::RefCell;

use super::*;
use crate::decode::{DecodeError, Form, Ink, Row};
use crate::pixels::Shape;
use crate::plan::{Extent, Wish};
use crate::source::{Delivery, Kind, Probe};

const STORED: (u32, u32) = (320, 240);

/// A decoder that answers with a part of the pixels where that is enough, paints what it was not
/// asked for, and notes what it was asked.
struct Scaled {
    by: u32,
    rewinds: bool,
    asked: RefCell<Vec<Wanted>>,
}

struct ScaledRows {
    form: Form,
    wanted: Wanted,
    row: u32,
    rewinds: bool,
    samples: Vec<u8>,
}

/// What the picture shows at a point, from 0 to 1 both ways: a soft slope around a bright spot.
fn shown_at(x: f64, y: f64) -> [u8; 3] {
    let spot = 1.0 - ((x - 0.8) * (x - 0.8) + (y - 0.3) * (y - 0.3)).min(0.02) * 50.0;
    [
        (40.0 + 150.0 * x) as u8,
        (60.0 + 120.0 * y) as u8,
        (50.0 + 200.0 * spot) as u8,
    ]
}

impl Open for Scaled {
    fn open(&self, wanted: Wanted) -> Result<Box<dyn Rows + '_>, DecodeError> {
        self.asked.borrow_mut().push(wanted);
        let enough = |side: u32, least: u32| side.div_ceil(self.by) >= least;
        let by = match enough(STORED.0, wanted.least.width())
            && enough(STORED.1, wanted.least.height())
        {
            true => self.by,
            false => 1,
        };
        let size = Size::new(STORED.0.div_ceil(by), STORED.1.div_ceil(by)).expect("a size");
        Ok(Box::new(ScaledRows {
            form: Form {
                size,
                ink: Ink::Rgb,
                icc: None,
            },
            wanted,
            row: 0,
            rewinds: self.rewinds,
            samples: Vec::new(),
        }))
    }
}

impl Rows for ScaledRows {
    fn form(&self) -> &Form {
        &self.form
    }

    fn next_row(&mut self) -> Result<Row<'_>, DecodeError> {
        let size = self.form.size;
        let part = |at: u32, side: u32| (f64::from(at) + 0.5) / f64::from(side);
        let y = part(self.row, size.height());
        self.samples.clear();
        for x in 0..size.width() {
            let x = part(x, size.width());
            let stored = |part: f64, side: u32| (part * f64::from(side)) as u32;
            let (column, line) = (stored(x, STORED.0), stored(y, STORED.1));
            let area = self.wanted.area;
            // A pixel of a reduced picture may reach over the border.
            let near = |at: u32, from: u32, length: u32| at + 8 >= from && at < from + length + 8;
            let wanted =
                near(column, area.x, area.size.width()) && near(line, area.y, area.size.height());
            self.samples.extend(if wanted {
                shown_at(x, y)
            } else {
                [255, 0, 255]
            });
        }
        self.row += 1;
        Ok(Row::Eight(&self.samples))
    }

    fn rewind(&mut self) -> bool {
        self.row = 0;
        self.rewinds
    }
}

fn original() -> Original {
    let probe = Probe {
        kind: Kind::Jpeg,
        stored: Size::new(STORED.0, STORED.1).expect("a size"),
        orientation: Orientation::QuarterClockwise,
        alpha: false,
        frames: 1,
        delivery: Delivery::Whole,
        fineness: 0,
    };
    let mut original = Original::new("x".into(), "x".into(), 1, probe);
    original.content = Some(Area {
        x: 64,
        y: 32,
        size: Size::new(240, 160).expect("a size"),
    });
    original
}

fn job(width: u32, framing: Framing) -> Job {
    let wish = Wish {
        extent: Extent::Widths(vec![width]),
        framing,
        ..Wish::default()
    };
    Job::new(original(), &wish)
}

fn framings() -> [Framing; 4] {
    let plain = Framing::default();
    let shape = Shape::new(1.0, 1.0);
    [
        plain,
        Framing {
            trim: true,
            ..plain
        },
        Framing {
            shape,
            focus: Focus::Auto,
            ..plain
        },
        Framing {
            shape,
            trim: true,
            fit: Fit::Pad,
            ..plain
        },
    ]
}

/// Whatever size the pixels come in, the pieces show the same.
#[test]
fn a_reduced_answer_gives_the_same_pieces() {
    for framing in framings() {
        let job = job(50, framing);
        let cuts = Cut::all(&job);
        let [whole, half, quarter] = [1, 2, 4].map(|by| {
            let scaled = Scaled {
                by,
                rewinds: true,
                asked: RefCell::default(),
            };
            let Sized { rasters, .. } = rasters(&scaled, &job.original, &cuts).expect("rasters");
            rasters.into_iter().next().expect("one")
        });
        for other in [&half, &quarter] {
            assert_eq!(other.size(), whole.size());
            let pairs = whole.samples().iter().zip(other.samples());
            let worst = pairs.map(|(a, b)| a.abs_diff(*b)).max();
            assert!(worst < Some(24), "{framing:?}: {worst:?}");
            let sum: u64 = (whole.samples().iter().zip(other.samples()))
                .map(|(a, b)| u64::from(a.abs_diff(*b)))
                .sum();
            let mean = sum as f64 / whole.samples().len() as f64;
            assert!(mean < 1.5, "{framing:?}: {mean}");
        }
    }
}

/// No less is asked for than what a size needs, and no more of the picture than is shown.
#[test]
fn what_is_wanted_is_what_the_plan_needs() {
    let ask = |width: u32, framing: Framing| {
        let job = job(width, framing);
        let scaled = Scaled {
            by: 8,
            rewinds: false,
            asked: RefCell::default(),
        };
        rasters(&scaled, &job.original, &Cut::all(&job)).expect("rasters");
        scaled.asked.into_inner()
    };
    let [plain, trimmed, auto, _] = framings();
    let [wanted] = ask(60, plain)[..] else {
        panic!("more than one pass");
    };
    // Upright it is 240 wide: a quarter of that on each side.
    assert_eq!((wanted.least.width(), wanted.least.height()), (80, 60));
    assert_eq!(wanted.area, Area::whole(original().probe.stored));
    let [wanted] = ask(80, trimmed)[..] else {
        panic!("more than one pass");
    };
    assert_eq!(Some(wanted.area), original().content);
    assert_eq!((wanted.least.width(), wanted.least.height()), (160, 120));
    // The look and the piece share one decoding, as exact as the piece needs it.
    let [wanted] = ask(60, auto)[..] else {
        panic!("the samples were not kept");
    };
    assert_eq!(wanted.care, crate::decode::Care::Exact);
}
