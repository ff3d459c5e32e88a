//! How busy each row of a raster is: what makes one part of a picture heavier than another.

use crate::pixels::Raster;

/// For each row, the sum of log₂(1 + difference to the pixels at the left and above), in luma:
/// about the bits that its details take.
pub(super) fn of_rows(raster: &Raster) -> Vec<f64> {
    let step = raster.channels().count();
    let luma = |row: &[u8]| -> Vec<i32> {
        let pixels = row.chunks_exact(step);
        pixels
            .map(|p| (2 * i32::from(p[0]) + 5 * i32::from(p[1]) + i32::from(p[2])) / 8)
            .collect()
    };
    let bits: [f64; 512] = std::array::from_fn(|difference| libm::log2(1.0 + difference as f64));
    let mut above: Option<Vec<i32>> = None;
    let mut rows = Vec::with_capacity(raster.size().height() as usize);
    for row in raster.rows() {
        let row = luma(row);
        let upper = above.as_ref().unwrap_or(&row);
        let differences = row.iter().zip(row.iter().skip(1)).zip(upper.iter().skip(1));
        let sum = differences.map(|((left, here), up)| {
            bits[((here - left).unsigned_abs() + (here - up).unsigned_abs()).min(511) as usize]
        });
        rows.push(sum.sum());
        above = Some(row);
    }
    rows
}

/// The mean activity of all rows over that of the rows in the given shares of the height; 1
/// where there is nothing to compare.
pub(super) fn of_all_over(rows: &[f64], shares: &[(f64, f64)]) -> f64 {
    let mean = |rows: &mut dyn Iterator<Item = &f64>| {
        let (sum, count) = rows.fold((0.0, 0), |(sum, count), row| (sum + row, count + 1));
        sum / f64::from(count.max(1))
    };
    let height = rows.len() as f64;
    let inside = |(index, _): &(usize, &f64)| {
        let centre = (*index as f64 + 0.5) / height;
        shares
            .iter()
            .any(|(from, to)| (from..to).contains(&&centre))
    };
    let all = mean(&mut rows.iter());
    let some = mean(&mut rows.iter().enumerate().filter(inside).map(|(_, row)| row));
    if some > 0.0 && all > 0.0 {
        all / some
    } else {
        1.0
    }
}
