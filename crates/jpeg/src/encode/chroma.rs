//! Chroma that four pixels share. What is shown of it is what a decoder makes of it: it is enlarged by
//! a triangle filter (ITU-T T.871 places the samples between the pixels). So the shared samples are
//! not just means: they are moved until their enlargement comes near to the pixels, which keeps thin
//! coloured lines and edges.

/// So often the samples are moved. More brings less and less.
const ROUNDS: usize = 2;

/// A plane of half the width and height, rounded up.
pub(crate) fn halved(plane: &[i16], width: usize, height: usize) -> Vec<i16> {
    let (across, down) = (width.div_ceil(2), height.div_ceil(2));
    let mut samples = vec![0i16; across * down];
    let mut enlarged = vec![0i16; width * 2];
    let mut mixed = vec![0i32; across];
    add_means(&mut samples, across, width, height, |y, row| {
        row.copy_from_slice(&plane[y * width..][..width]);
    });
    for _ in 0..ROUNDS {
        let before = samples.clone();
        add_means(&mut samples, across, width, height, |y, row| {
            enlarge(&before, (across, down), y, &mut mixed, &mut enlarged);
            let pairs = plane[y * width..][..width].iter().zip(&enlarged);
            for (out, (wanted, shown)) in row.iter_mut().zip(pairs) {
                *out = wanted - shown;
            }
        });
    }
    samples
}

/// Adds to each sample the mean of the four values that belong to it, row by row.
fn add_means(
    samples: &mut [i16],
    across: usize,
    width: usize,
    height: usize,
    mut values: impl FnMut(usize, &mut [i16]),
) {
    let (mut above, mut below) = (vec![0i16; width], vec![0i16; width]);
    for (y, out) in samples.chunks_exact_mut(across).enumerate() {
        values(y * 2, &mut above);
        values((y * 2 + 1).min(height - 1), &mut below);
        for (x, out) in out.iter_mut().enumerate() {
            let (left, right) = (x * 2, (x * 2 + 1).min(width - 1));
            let pairs = [above[left], above[right], below[left], below[right]];
            let sum: i32 = pairs.map(i32::from).iter().sum();
            *out = (i32::from(*out) + ((sum + 2) >> 2)).clamp(-2048, 2047) as i16;
        }
    }
}

/// A row of the enlargement.
fn enlarge(
    samples: &[i16],
    (across, down): (usize, usize),
    y: usize,
    mixed: &mut [i32],
    out: &mut [i16],
) {
    let near = y / 2;
    let far = if y.is_multiple_of(2) {
        near.saturating_sub(1)
    } else {
        (near + 1).min(down - 1)
    };
    let (near, far) = (
        &samples[near * across..][..across],
        &samples[far * across..][..across],
    );
    for (mixed, (near, far)) in mixed.iter_mut().zip(near.iter().zip(far)) {
        *mixed = i32::from(*near) * 3 + i32::from(*far);
    }
    let one = |near: i32, far: i32| ((near * 3 + far + 8) >> 4) as i16;
    let last = across - 1;
    out[0] = one(mixed[0], mixed[0]);
    let pairs = out[1..].as_chunks_mut::<2>().0.iter_mut();
    for (out, pair) in pairs.zip(mixed.windows(2)) {
        *out = [one(pair[0], pair[1]), one(pair[1], pair[0])];
    }
    out[last * 2 + 1] = one(mixed[last], mixed[last]);
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The sum of squares of what an enlargement misses.
    fn missed(samples: &[i16], plane: &[i16], (width, height): (usize, usize)) -> i64 {
        let (across, down) = (width.div_ceil(2), height.div_ceil(2));
        let (mut mixed, mut row) = (vec![0; across], vec![0; width * 2]);
        (0..height)
            .map(|y| {
                enlarge(samples, (across, down), y, &mut mixed, &mut row);
                let pairs = plane[y * width..][..width].iter().zip(&row);
                pairs.map(|(a, b)| i64::from(a - b).pow(2)).sum::<i64>()
            })
            .sum()
    }

    #[test]
    fn what_is_shown_comes_nearer_than_by_means() {
        for size in [(40, 30), (41, 31), (1, 1), (2, 1), (1, 7)] {
            let (width, height) = size;
            let line = |x: usize, y: usize| if x % 7 == 3 || y % 11 == 5 { 900 } else { -300 };
            let plane: Vec<i16> = (0..height)
                .flat_map(|y| (0..width).map(move |x| line(x, y)))
                .collect();
            let mut means = vec![0; width.div_ceil(2) * height.div_ceil(2)];
            add_means(&mut means, width.div_ceil(2), width, height, |y, row| {
                row.copy_from_slice(&plane[y * width..][..width]);
            });
            let samples = halved(&plane, width, height);
            let (own, plain) = (missed(&samples, &plane, size), missed(&means, &plane, size));
            assert!(own <= plain, "{size:?}: {own} {plain}");
            assert!(
                width < 40 || own * 100 < plain * 97,
                "{size:?}: {own} {plain}"
            );
        }
        assert_eq!(halved(&[5; 12], 4, 3), [5; 4]);
    }
}
