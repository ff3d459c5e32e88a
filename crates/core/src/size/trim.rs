//! Uniform borders, found: rows in, the area that holds something out.

use crate::colour::to_srgb;
use crate::pixels::{Area, Size};

/// How far a border's pixels may be from the colour of the corner, in levels of 255: what a JPEG
/// makes of a plain colour stays within.
const TOLERANCE: u8 = 10;

/// Looks for what a picture holds beside its border: all that is not like the pixel in the left
/// upper corner. Transparent pixels are alike, whatever colour they hide.
pub struct Trim {
    size: Size,
    channels: usize,
    corner: Option<[u8; 4]>,
    row: u32,
    /// What was found so far: columns and rows, the ends behind the last.
    left: u32,
    right: u32,
    top: Option<u32>,
    bottom: u32,
}

impl Trim {
    /// Prepares for rows of the working space, of 3 or 4 channels.
    pub fn new(size: Size, channels: usize) -> Trim {
        Trim {
            size,
            channels,
            corner: None,
            row: 0,
            left: size.width(),
            right: 0,
            top: None,
            bottom: 0,
        }
    }

    /// Takes in the next row from the top.
    pub fn push(&mut self, row: &[f32]) {
        let pixels = || row.chunks_exact(self.channels).map(seen);
        let corner = *self
            .corner
            .get_or_insert_with(|| pixels().next().unwrap_or([0; 4]));
        let is_border = |pixel: &[u8; 4]| alike(*pixel, corner);
        let left = pixels().take_while(is_border).count() as u32;
        if left < self.size.width() {
            let right = pixels().rev().take_while(is_border).count() as u32;
            self.left = self.left.min(left);
            self.right = self.right.max(self.size.width() - right);
            self.top.get_or_insert(self.row);
            self.bottom = self.row + 1;
        }
        self.row += 1;
    }

    /// What is left without the borders: all of a picture that holds nothing else.
    pub fn finish(self) -> Area {
        let found = self.top.and_then(|top| {
            let size = Size::new(self.right - self.left, self.bottom - top)?;
            let x = self.left;
            Some(Area { x, y: top, size })
        });
        found.unwrap_or(Area::whole(self.size))
    }
}

/// A pixel as it is shown: levels with straight alpha, nothing where it is transparent.
fn seen(pixel: &[f32]) -> [u8; 4] {
    let alpha = pixel.get(3).copied().unwrap_or(1.0);
    let opacity = (alpha * 255.0 + 0.5) as u8;
    if opacity == 0 {
        return [0; 4];
    }
    let [r, g, b] = [pixel[0], pixel[1], pixel[2]].map(|light| to_srgb(light / alpha));
    [r, g, b, opacity]
}

fn alike(one: [u8; 4], other: [u8; 4]) -> bool {
    one.iter()
        .zip(other)
        .all(|(a, b)| a.abs_diff(b) <= TOLERANCE)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn trimmed(rows: &[&str]) -> (u32, u32, u32, u32) {
        let size = Size::new(rows[0].len() as u32, rows.len() as u32).expect("a size");
        let mut trim = Trim::new(size, 4);
        for row in rows {
            let pixels = row.bytes().flat_map(|letter| match letter {
                b'.' => [1.0, 1.0, 1.0, 1.0],
                b',' => [0.97, 0.98, 0.99, 1.0],
                b' ' => [0.0; 4],
                b'?' => [0.0, 0.0, 0.0, 0.001],
                _ => [0.2, 0.1, 0.1, 1.0],
            });
            trim.push(&pixels.collect::<Vec<f32>>());
        }
        let Area { x, y, size } = trim.finish();
        (x, y, size.width(), size.height())
    }

    #[test]
    fn what_is_not_like_the_corner_stays() {
        assert_eq!(
            trimmed(&["......", ".,X...", "...X..", "......"]),
            (2, 1, 2, 2)
        );
        assert_eq!(trimmed(&["    ", "  ? ", " X  "]), (1, 2, 1, 1));
        assert_eq!(trimmed(&["X..", "..."]), (0, 0, 3, 2));
        assert_eq!(trimmed(&["....", ".,,."]), (0, 0, 4, 2));
        assert_eq!(trimmed(&["."]), (0, 0, 1, 1));
    }
}
