//! From the samples of components to those of pixels: planes with fewer samples enlarged, colours
//! converted.

use pulp::Arch;

use super::header::Colours;

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
    pub fn enlarge(
        &self,
        arch: Arch,
        (above, below): (&[u8], &[u8]),
        weight: u32,
        mixed: &mut [u16],
        wide: &mut [u8],
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
    fn stretch(&self, mixed: &[u16], whole: u32, wide: &mut [u8]) {
        let total = 2 * self.across.1;
        for (x, out) in wide.iter_mut().enumerate() {
            let (left, right, weight) = between(x, self.across, mixed.len());
            let (left, right) = (u32::from(mixed[left]), u32::from(mixed[right]));
            let sum = left * (total - weight) + right * weight;
            *out = ((sum + whole * total / 2) / (whole * total)) as u8;
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
struct Mix<'a> {
    pair: (&'a [u8], &'a [u8]),
    weights: (u32, u32),
    mixed: &'a mut [u16],
}

impl pulp::NullaryFnOnce for Mix<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let (a, b) = (self.weights.0 as u16, self.weights.1 as u16);
        let pairs = self.pair.0.iter().zip(self.pair.1);
        for (out, (&above, &below)) in self.mixed.iter_mut().zip(pairs) {
            *out = u16::from(above) * a + u16::from(below) * b;
        }
    }
}

/// Twice as many samples across.
struct Double<'a> {
    mixed: &'a [u16],
    /// What the samples are multiplied by: a power of two.
    whole: u32,
    wide: &'a mut [u8],
}

impl pulp::NullaryFnOnce for Double<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        let Double { mixed, whole, wide } = self;
        let last = mixed.len() - 1;
        // Both are powers of two: 1, 4 or 8, times 4.
        let shift = (whole * 4).trailing_zeros();
        let half = 1u16 << (shift - 1);
        let one = |near: u16, far: u16| ((near * 3 + far + half) >> shift) as u8;
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
pub(crate) fn convert(arch: Arch, colours: Colours, planes: &[Vec<u8>], row: &mut [u8]) {
    match (colours, planes) {
        (Colours::YCbCr, [y, cb, cr]) => arch.dispatch(ToRgb {
            planes: [y, cb, cr],
            row,
        }),
        (Colours::Ycck, [y, cb, cr, k]) => {
            let rows = y.iter().zip(cb).zip(cr).zip(k);
            for (pixel, (((y, cb), cr), k)) in row.as_chunks_mut::<4>().0.iter_mut().zip(rows) {
                let [r, g, b] = rgb(*y, *cb, *cr);
                *pixel = [255 - r, 255 - g, 255 - b, *k];
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
fn rgb(y: u8, cb: u8, cr: u8) -> [u8; 3] {
    let (cb, cr) = (i32::from(cb) - 128, i32::from(cr) - 128);
    let y = (i32::from(y) << 16) + (1 << 15);
    let level = |value: i32| (value >> 16).clamp(0, 255) as u8;
    [
        level(y + 91_881 * cr),
        level(y - 22_554 * cb - 46_802 * cr),
        level(y + 116_130 * cb),
    ]
}

struct ToRgb<'a> {
    planes: [&'a [u8]; 3],
    row: &'a mut [u8],
}

impl pulp::NullaryFnOnce for ToRgb<'_> {
    type Output = ();

    #[inline(always)]
    fn call(self) {
        const STEP: usize = 32;
        let [y, cb, cr] = self.planes;
        let (ys, y_rest) = y.as_chunks::<STEP>();
        let (cbs, cb_rest) = cb.as_chunks::<STEP>();
        let (crs, cr_rest) = cr.as_chunks::<STEP>();
        let mut pixels = self.row.chunks_exact_mut(3 * STEP);
        let mut planes = [[0u8; STEP]; 3];
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
