//! A picture on its way to a file: all that is the same whatever the dial.

use std::sync::OnceLock;

use pulp::Arch;

use super::chroma;
use super::forward::{FRACTION, Forward};
use super::headroom::Cut;
use crate::block::Block;
use crate::frame::Frame;
use crate::turn;

/// What becomes of the chroma of neighbouring pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Sampling {
    /// Each pixel keeps its own: 4:4:4.
    Full,
    /// Four pixels share theirs: 4:2:0.
    Halved,
    /// Two share theirs that stand side by side: 4:2:2.
    Narrowed,
    /// Two share theirs that stand one above the other: 4:4:0.
    Lowered,
}

/// Why a picture cannot be written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Refusal {
    /// A side is 0, or longer than 65,535 pixels.
    #[error("{width} × {height} pixels do not fit into a JPEG")]
    Size {
        /// Pixels across.
        width: u32,
        /// Pixels down.
        height: u32,
    },
    /// There are more or fewer samples than pixels.
    #[error("there are {found} samples where {wanted} are wanted")]
    Samples {
        /// Samples that there are.
        found: usize,
        /// Samples that there should be.
        wanted: usize,
    },
}

/// The transformed blocks of a component.
pub(crate) struct Transformed {
    /// With [`FRACTION`] bits behind the point.
    pub blocks: Vec<Block>,
    /// Those with samples that are as light or as dark as can be.
    pub cut: Vec<Cut>,
}

/// A picture in RGB, ready to be written at many dials.
pub struct Prepared<'a> {
    width: usize,
    height: usize,
    samples: &'a [u8],
    pub(crate) arch: Arch,
    /// Whether no pixel has any colour: it is written as one component then.
    pub(crate) grey: bool,
    /// By the ways to sample.
    transformed: [OnceLock<Vec<Transformed>>; 4],
}

impl<'a> Prepared<'a> {
    /// Takes a picture as its samples: red, green and blue of each pixel, row by row.
    pub fn new((width, height): (u32, u32), samples: &'a [u8]) -> Result<Prepared<'a>, Refusal> {
        let fits = |side: u32| (1..=65_535).contains(&side);
        if !fits(width) || !fits(height) {
            return Err(Refusal::Size { width, height });
        }
        let wanted = width as usize * height as usize * 3;
        if samples.len() != wanted {
            let found = samples.len();
            return Err(Refusal::Samples { found, wanted });
        }
        let pixels = samples.as_chunks::<3>().0.iter();
        Ok(Prepared {
            width: width as usize,
            height: height as usize,
            samples,
            arch: Arch::new(),
            grey: pixels.into_iter().all(|[r, g, b]| r == g && g == b),
            transformed: Default::default(),
        })
    }

    pub(crate) fn frame(&self, sampling: Sampling) -> Frame {
        let luma = match sampling {
            Sampling::Full => (1, 1),
            Sampling::Halved => (2, 2),
            Sampling::Narrowed => (2, 1),
            Sampling::Lowered => (1, 2),
        };
        let planes = [(1, luma, 0), (2, (1, 1), 1), (3, (1, 1), 1)];
        let size = (self.width as u32, self.height as u32);
        if self.grey {
            Frame::new(size, true, &[(1, (1, 1), 0)])
        } else {
            Frame::new(size, true, &planes)
        }
    }

    /// The transformed components of a sampling.
    pub(crate) fn planes(&self, sampling: Sampling) -> &[Transformed] {
        // Grey has no chroma to be shared.
        let way = if self.grey { 0 } else { sampling as usize };
        self.transformed[way].get_or_init(|| self.transformed(&self.frame(sampling)))
    }

    /// All components of a frame, transformed.
    fn transformed(&self, frame: &Frame) -> Vec<Transformed> {
        let planes = self.converted(frame.components.len());
        let pairs = frame.components.iter().zip(planes);
        let done = pairs.map(|(component, whole)| {
            let share = (
                frame.most.0 / component.sampling.0,
                frame.most.1 / component.sampling.1,
            );
            let (width, height) = (self.width, self.height);
            let plane = match share {
                (1, 1) => whole,
                (_, 1) => chroma::narrowed(&whole, width),
                (1, _) => chroma::lowered(&whole, width, height),
                _ => chroma::halved(self.arch, &whole, width, height),
            };
            let side = |side: usize, share: u32| side.div_ceil(share as usize);
            let (width, height) = (side(width, share.0), side(height, share.1));
            let stride = component.padded.0 * 8;
            let mut blocks = vec![[0i16; 64]; component.padded.0 * component.padded.1];
            let mut rows = vec![0i16; stride * 8];
            let mut cut = Vec::new();
            for row in 0..component.padded.1 {
                for y in 0..8 {
                    // Beyond its borders the picture goes on as it ends.
                    let at = (row * 8 + y).min(height - 1);
                    let (inside, beyond) = rows[y * stride..][..stride].split_at_mut(width);
                    inside.copy_from_slice(&plane[at * width..][..width]);
                    beyond.fill(inside[width - 1]);
                }
                let forward = Forward {
                    samples: &rows,
                    stride,
                    blocks: &mut blocks[row * component.padded.0..][..component.padded.0],
                };
                turn::run(self.arch, forward);
                let first = row * component.padded.0;
                let own = 0..component.padded.0;
                cut.extend(own.filter_map(|x| Cut::of(first + x, &rows[x * 8..], stride)));
            }
            Transformed { blocks, cut }
        });
        done.collect()
    }

    /// So many components at the picture's own size, around 0, with [`FRACTION`] bits behind the point
    /// (ITU-T T.871).
    fn converted(&self, count: usize) -> Vec<Vec<i16>> {
        let mut planes = vec![vec![0; self.width * self.height]; count];
        self.arch.dispatch(Convert {
            pixels: self.samples.as_chunks().0,
            planes: &mut planes,
        });
        planes
    }
}

/// What a component is made of: sixteen bits behind the point, and what is taken off.
const FACTORS: [([i32; 3], i32); 3] = [
    ([19_595, 38_470, 7_471], 128 << FRACTION),
    ([-11_058, -21_710, 32_768], 0),
    ([32_768, -27_439, -5_329], 0),
];

struct Convert<'a> {
    pixels: &'a [[u8; 3]],
    planes: &'a mut [Vec<i16>],
}

impl pulp::NullaryFnOnce for Convert<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        const STEP: usize = 64;
        const SHIFT: u32 = 16 - FRACTION;
        for (index, pixels) in self.pixels.chunks(STEP).enumerate() {
            let mut colours = [[0u8; STEP]; 3];
            for (lane, pixel) in pixels.iter().enumerate() {
                for (colours, value) in colours.iter_mut().zip(pixel) {
                    colours[lane] = *value;
                }
            }
            let [red, green, blue] = &colours;
            for (plane, ([a, b, c], offset)) in self.planes.iter_mut().zip(FACTORS) {
                let out = &mut plane[index * STEP..][..pixels.len()];
                let colours = red.iter().zip(green).zip(blue);
                for (out, ((red, green), blue)) in out.iter_mut().zip(colours) {
                    let sum = a * i32::from(*red) + b * i32::from(*green) + c * i32::from(*blue);
                    *out = (((sum + (1 << (SHIFT - 1))) >> SHIFT) - offset) as i16;
                }
            }
        }
    }
}
