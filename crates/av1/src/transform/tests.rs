use super::cosine::cosines;
use super::*;

/// Numbers that look random.
fn noise(count: usize, most: i32) -> Vec<i32> {
    let mut state = 12_345_u32;
    let mut next = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 8) as i32 % (2 * most + 1) - most
    };
    (0..count).map(|_| next()).collect()
}

#[test]
fn what_was_transformed_comes_back() {
    for (w, h) in (2..=6).flat_map(|w| (2..=6).map(move |h| (w, h))) {
        let shape = Shape::new(w, h);
        if shape.longer() - shape.shorter() > 2 {
            continue;
        }
        for kind in Kind::ALL {
            let (down, across) = kind.axes();
            let fits = |axis, side| match axis {
                Axis::Cosine => side <= 6,
                Axis::Sine => side <= 4,
                Axis::Identity => side <= 5,
            };
            if !fits(down, h) || !fits(across, w) {
                continue;
            }
            let mut residual = noise(shape.area(), 200);
            if shape.longer() == 6 {
                // Only what is smooth is coded.
                let wave = |at: usize| ((at % shape.width()) / 4 * 3 + at / shape.width()) as i32;
                residual = (0..shape.area()).map(wave).collect();
            }
            let mut coefs = vec![0; shape.within(5).area()];
            forward(
                &residual,
                shape,
                kind,
                8,
                (&mut vec![0; shape.area()], &mut coefs),
            );
            let mut back = vec![0; shape.area()];
            inverse(&coefs, shape, kind, 8, &mut back);
            let off = residual.iter().zip(&back).map(|(a, b)| (a - b).abs());
            let most = off.max().unwrap_or(0);
            assert!(
                most <= if shape.longer() == 6 { 3 } else { 1 },
                "{shape:?} {kind:?} {most}"
            );
        }
    }
}

#[test]
fn cosines_are_those_of_the_formula() {
    for n in 2..=6 {
        let size = 1usize << n;
        for row in [0, 1, size / 2, size - 1] {
            let mut t = vec![[0; 4]; size];
            t[row] = [1 << 12; 4];
            match n {
                2 => cosines::<4, false, 2>(&mut t),
                3 => cosines::<4, false, 3>(&mut t),
                4 => cosines::<4, false, 4>(&mut t),
                5 => cosines::<4, false, 5>(&mut t),
                _ => cosines::<4, false, 6>(&mut t),
            }
            for (place, lanes) in t.iter().enumerate() {
                let angle =
                    std::f64::consts::PI * (2 * place + 1) as f64 * row as f64 / (2 * size) as f64;
                let scale = if row == 0 {
                    std::f64::consts::FRAC_1_SQRT_2
                } else {
                    1.0
                };
                let expected = 4096.0 * angle.cos() * scale;
                assert!(
                    (f64::from(lanes[0]) - expected).abs() < 8.0,
                    "{n} {row} {place}"
                );
            }
        }
    }
}

#[test]
fn lossless_blocks_come_back_exactly() {
    for chunk in noise(160, 255).chunks_exact(16) {
        let residual: [i32; 16] = chunk.try_into().expect("sixteen");
        let (mut coefs, mut back) = ([0; 16], [0; 16]);
        forward_lossless(&residual, &mut coefs);
        inverse_lossless(&coefs, &mut back);
        assert_eq!(residual, back);
    }
}
