//! Repeatable noise.

/// A number from 0 to 1 for a cell of a grid.
pub fn cell(x: i32, y: i32, seed: u32) -> f32 {
    let mut h = (x as u32).wrapping_mul(0x9E37_79B1)
        ^ (y as u32).wrapping_mul(0x85EB_CA77)
        ^ seed.wrapping_mul(0xC2B2_AE3D);
    h = (h ^ h >> 15).wrapping_mul(0x2C1B_3C6D);
    h = (h ^ h >> 12).wrapping_mul(0x297A_2D39);
    h ^= h >> 15;
    (h >> 8) as f32 / 16_777_216.0
}

/// Smooth noise from 0 to 1, one bump a unit.
pub fn value(x: f32, y: f32, seed: u32) -> f32 {
    let (fx, fy) = (x.floor(), y.floor());
    let (ix, iy) = (fx as i32, fy as i32);
    let ease = |t: f32| t * t * t * (t * (t * 6.0 - 15.0) + 10.0);
    let (tx, ty) = (ease(x - fx), ease(y - fy));
    let at = |dx, dy| cell(ix + dx, iy + dy, seed);
    let top = at(0, 0) + (at(1, 0) - at(0, 0)) * tx;
    let bottom = at(0, 1) + (at(1, 1) - at(0, 1)) * tx;
    top + (bottom - top) * ty
}

/// Several octaves of smooth noise, each half as strong as the one before; 0 to 1.
pub fn cloud(x: f32, y: f32, octaves: u32, seed: u32) -> f32 {
    let (mut sum, mut weight, mut total) = (0.0, 0.5, 0.0);
    let (mut x, mut y) = (x, y);
    for octave in 0..octaves {
        sum += weight * value(x, y, seed + octave * 17);
        total += weight;
        weight *= 0.5;
        // Turned a little each time, so that the grids do not line up.
        (x, y) = (1.6 * x + 1.2 * y + 3.1, -1.2 * x + 1.6 * y + 7.7);
    }
    sum / total
}
