//! From the samples of components to those of pixels: planes with fewer samples enlarged, colours
//! converted.

use pulp::Arch;

use super::header::Colours;
use super::inverse::Sample;

/// How a plane is enlarged to the picture's size: by a triangle filter, the samples of a plane lying in
/// the middle of the pixels that share them (ITU-T T.871).
#[derive(Clone, Copy, Debug)]
pub(crate) struct Upsampling {
    /// Samples of the plane, and pixels of the picture, in equal lengths.
    across: (u32, u32),
    down: (u32, u32),
}

impl Upsampling {
    pub fn new(own: (u32, u32), most: (u32, u32)) -> Upsampling {
        Upsampling {
            across: (own.0, most.0),
            down: (own.1, most.1),
        }
    }

    /// The two rows of a plane of some height that a row of the picture lies between, and the weight of
    /// the lower one, as a part of `2 × down.1`.
    pub fn rows(&self, y: usize, height: usize) -> (usize, usize, u32) {
        between(y, self.down, height)
    }

    /// A row of the picture, from two rows of the plane.
    pub fn enlarge<S: Sample>(
        &self,
        arch: Arch,
        (above, below): (&[S], &[S]),
        weight: u32,
        mixed: &mut [u16],
        wide: &mut [S],
    ) {
        if self.down.0 == self.down.1 && self.across.0 == self.across.1 {
            let length = wide.len().min(above.len());
            wide[..length].copy_from_slice(&above[..length]);
            return;
        }
        let whole = if self.down.0 == self.down.1 {
            1
        } else {
            2 * self.down.1
        };
        let mixed = &mut mixed[..above.len()];
        arch.dispatch(Mix {
            pair: (above, below),
            weights: (whole - weight.min(whole), weight),
            mixed,
        });
        if self.across.0 * 2 == self.across.1 && whole.is_power_of_two() {
            arch.dispatch(Double { mixed, whole, wide });
        } else {
            self.stretch(mixed, whole, wide);
        }
    }

    /// Any proportion.
    fn stretch<S: Sample>(&self, mixed: &[u16], whole: u32, wide: &mut [S]) {
        let total = 2 * self.across.1;
        for (x, out) in wide.iter_mut().enumerate() {
            let (left, right, weight) = between(x, self.across, mixed.len());
            let (left, right) = (u32::from(mixed[left]), u32::from(mixed[right]));
            let sum = left * (total - weight) + right * weight;
            *out = S::of(((sum + whole * total / 2) / (whole * total)) as u16);
        }
    }
}

/// The two places among `length` samples that a place in the picture lies between, and the weight of
/// the second.
fn between(at: usize, (own, most): (u32, u32), length: usize) -> (usize, usize, u32) {
    if own == most {
        let at = at.min(length - 1);
        return (at, at, 0);
    }
    // The middle of the pixel, in samples, as a fraction of 2 × most.
    let (own, most) = (own as usize, most as usize);
    let middle = (2 * at + 1) * own;
    let Some(from_first) = middle.checked_sub(most) else {
        return (0, 0, 0);
    };
    let (first, weight) = (from_first / (2 * most), from_first % (2 * most));
    let last = length - 1;
    (first.min(last), (first + 1).min(last), weight as u32)
}

/// Two rows, weighted.
struct Mix<'a, S> {
    pair: (&'a [S], &'a [S]),
    weights: (u32, u32),
    mixed: &'a mut [u16],
}

impl<S: Sample> pulp::NullaryFnOnce for Mix<'_, S> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let (a, b) = (self.weights.0 as u16, self.weights.1 as u16);
        let pairs = self.pair.0.iter().zip(self.pair.1);
        for (out, (&above, &below)) in self.mixed.iter_mut().zip(pairs) {
            *out = above.into() * a + below.into() * b;
        }
    }
}

/// Twice as many samples across.
struct Double<'a, S> {
    mixed: &'a [u16],
    /// What the samples are multiplied by: a power of two.
    whole: u32,
    wide: &'a mut [S],
}

impl<S: Sample> pulp::NullaryFnOnce for Double<'_, S> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Double { mixed, whole, wide } = self;
        let last = mixed.len() - 1;
        // Both are powers of two: 1, 4 or 8, times 4.
        let shift = (whole * 4).trailing_zeros();
        let half = 1u16 << (shift - 1);
        // Eight times four times 2040, and half of that rounding: it fits.
        let one = |near: u16, far: u16| S::of((near * 3 + far + half) >> shift);
        wide[0] = one(mixed[0], mixed[0]);
        let even = wide.len() % 2 == 0;
        let (pairs, _) = wide[1..].as_chunks_mut::<2>();
        for (out, pair) in pairs.iter_mut().zip(mixed.windows(2)) {
            *out = [one(pair[0], pair[1]), one(pair[1], pair[0])];
        }
        if even && let Some(end) = wide.last_mut() {
            *end = one(mixed[last], mixed[last]);
        }
    }
}

/// The pixels of a row from the rows of its components.
pub(crate) fn convert<S: Sample>(arch: Arch, colours: Colours, planes: &[Vec<S>], row: &mut [S]) {
    match (colours, planes) {
        (Colours::YCbCr, [y, cb, cr]) => arch.dispatch(ToRgb {
            planes: [y, cb, cr],
            row,
        }),
        (Colours::Ycck, [y, cb, cr, k]) => {
            let rows = y.iter().zip(cb).zip(cr).zip(k);
            for (pixel, (((y, cb), cr), k)) in row.as_chunks_mut::<4>().0.iter_mut().zip(rows) {
                let inks = rgb(*y, *cb, *cr);
                let [c, m, y] = inks.map(|ink: S| S::of(S::most() as u16 - ink.into()));
                *pixel = [c, m, y, *k];
            }
        }
        (_, [grey]) => row.copy_from_slice(grey),
        _ => {
            let count = planes.len();
            for (index, plane) in planes.iter().enumerate() {
                for (pixel, sample) in row.chunks_exact_mut(count).zip(plane) {
                    pixel[index] = *sample;
                }
            }
        }
    }
}

/// The conversion of ITU-T T.871 in fixed point.
#[inline(always)]
fn rgb<S: Sample>(y: S, cb: S, cr: S) -> [S; 3] {
    let number = |sample: S| i32::from(sample.into());
    let (cb, cr) = (
        number(cb) - (128 << S::FRACTION),
        number(cr) - (128 << S::FRACTION),
    );
    let y = (number(y) << 16) + (1 << 15);
    let level = |value: i32| S::of((value >> 16).clamp(0, S::most()) as u16);
    [
        level(y + 91_881 * cr),
        level(y - 22_554 * cb - 46_802 * cr),
        level(y + 116_130 * cb),
    ]
}

struct ToRgb<'a, S> {
    planes: [&'a [S]; 3],
    row: &'a mut [S],
}

impl<S: Sample> pulp::NullaryFnOnce for ToRgb<'_, S> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        const STEP: usize = 32;
        let [y, cb, cr] = self.planes;
        let (ys, y_rest) = y.as_chunks::<STEP>();
        let (cbs, cb_rest) = cb.as_chunks::<STEP>();
        let (crs, cr_rest) = cr.as_chunks::<STEP>();
        let mut pixels = self.row.chunks_exact_mut(3 * STEP);
        let mut planes = [[S::default(); STEP]; 3];
        for (((y, cb), cr), row) in ys.iter().zip(cbs).zip(crs).zip(&mut pixels) {
            for lane in 0..STEP {
                let [r, g, b] = rgb(y[lane], cb[lane], cr[lane]);
                planes[0][lane] = r;
                planes[1][lane] = g;
                planes[2][lane] = b;
            }
            for (lane, pixel) in row.as_chunks_mut::<3>().0.iter_mut().enumerate() {
                *pixel = [planes[0][lane], planes[1][lane], planes[2][lane]];
            }
        }
        let rest = pixels.into_remainder().as_chunks_mut::<3>().0.iter_mut();
        let planes = y_rest.iter().zip(cb_rest).zip(cr_rest);
        for (pixel, ((y, cb), cr)) in rest.zip(planes) {
            *pixel = rgb(*y, *cb, *cr);
        }
    }
}
