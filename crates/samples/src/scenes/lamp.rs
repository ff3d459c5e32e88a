//! The lamp room: the lens on its pedestal before the panes, the evening sea behind.

use crate::noise::{cell, cloud};
use crate::vector::{V, rgb, smooth};

/// The view outside, already out of focus.
fn outside(x: f32, y: f32) -> V {
    let sky = rgb(0xF4CFA6).mix(rgb(0x4C77A6), smooth(0.10, -0.62, y));
    let glow = V(1.6, 0.9, 0.4) * (-((x + 0.45).powi(2) * 5.0 + (y - 0.04).powi(2) * 22.0)).exp();
    let streak = cloud(x * 1.4, y * 9.0 + 2.0, 3, 401);
    let cloudy = sky.mix(
        rgb(0xE3B8A0),
        0.6 * smooth(0.5, 0.8, streak) * smooth(0.15, -0.1, y),
    );
    let sea = rgb(0x5F7E8C).mix(rgb(0x1D3C4C), smooth(0.10, 0.42, y));
    let path = V(0.9, 0.55, 0.28) * (-((x + 0.45) * 4.5).powi(2)).exp() * smooth(0.5, 0.1, y);
    cloudy.mix(sea + path, smooth(0.085, 0.115, y)) + glow
}

/// Bars of the lantern: two families of slanting astragals and a sill, a little out of focus.
fn room(x: f32, y: f32) -> V {
    let blur = 0.012;
    let mut light = outside(x, y);
    for lean in [0.62f32, -0.62] {
        let across = ((x + lean * y) / 0.52 + 0.25).rem_euclid(1.0) - 0.5;
        let distance = across.abs() * 0.52 / (1.0 + lean * lean).sqrt();
        let bar = smooth(0.017 + blur, 0.017 - blur, distance);
        let side = smooth(-0.02, 0.02, across);
        let iron = rgb(0x2C3134).mix(rgb(0xB08A66), 0.55 * side);
        light = light.mix(iron * 0.7, bar);
    }
    let sill = smooth(0.370, 0.392, y);
    let lead = rgb(0x3C3A36).mix(rgb(0x8A6A4A), smooth(0.43, 0.372, y)) * 0.8;
    let roof = smooth(-0.442, -0.462, y);
    let board = (x * 9.0 + y * 1.5).rem_euclid(1.0);
    let wood = rgb(0x6E5238) * (0.35 + 0.5 * smooth(0.0, 0.1, board));
    light.mix(lead, sill).mix(wood, roof)
}

/// Half the lens's width at a height: a beehive.
fn half_width(y: f32) -> f32 {
    let t = ((y + 0.015) / 0.385).clamp(-1.0, 1.0);
    0.30 * (1.0 - 0.62 * t * t * t.abs()).max(0.0)
}

fn brass(shine: f32, x: f32, y: f32) -> V {
    let worn = 0.8 + 0.4 * cloud(x * 60.0, y * 60.0, 4, 420);
    rgb(0x4A3518).mix(rgb(0xE2B15C), shine.clamp(0.0, 1.0)) * worn
        + V(1.2, 0.9, 0.5) * shine.powi(9) * 0.5
}

fn pedestal(x: f32, y: f32) -> Option<V> {
    let (from, half) = match y {
        y if y < 0.375 => return None,
        y if y < 0.405 => (0.375, 0.235),
        y if y < 0.425 => (0.405, 0.19),
        _ => (0.425, 0.15 + 0.35 * (y - 0.425)),
    };
    if x.abs() > half {
        return None;
    }
    let side = x / half;
    let edge = smooth(0.0, 0.006, y - from);
    let bevel = 0.75 * smooth(-0.95, -0.45, side) * smooth(0.05, -0.45, side)
        + 0.30 * smooth(0.4, 0.85, side) * smooth(1.0, 0.9, side);
    Some(if y < 0.425 {
        brass(bevel * edge + 0.12, x, y)
    } else {
        let paint = rgb(0x2F4A3C) * (0.25 + 1.2 * bevel);
        paint * (0.85 + 0.3 * cloud(x * 30.0, y * 30.0, 5, 430))
    })
}

/// A prism: it shows the room upside down and squeezed, with bright and dark edges.
fn prism(x: f32, y: f32, across: f32, push: (f32, f32), index: i32) -> V {
    let seen = room(
        x * 0.35 + push.0 * (across - 0.5) * 1.6,
        -y * 0.5 + push.1 * (0.5 - across) * 1.6 - 0.05,
    );
    let glass = V(0.80, 0.94, 0.86) * (0.62 + 0.30 * cell(index, 3, 440));
    let edge = smooth(0.10, 0.02, across).max(smooth(0.93, 0.985, across));
    let flare = smooth(0.60, 0.72, across) * smooth(0.86, 0.74, across);
    let body = seen.tint(glass) * (0.60 + 0.45 * across) + V(0.95, 0.80, 0.55) * (0.38 * flare);
    body.mix(V(0.05, 0.08, 0.07), 0.75 * edge)
}

fn lens(x: f32, y: f32) -> Option<V> {
    let half = half_width(y);
    if !(-0.385..0.372).contains(&y) || x.abs() > half {
        return None;
    }
    let side = x / half;
    let frame = (half - x.abs()).min(0.385 + y).min(0.372 - y);
    let post = (side.abs() - 0.62).abs() * half;
    if frame < 0.012 || post < 0.006 {
        let shine = 0.30
            + 0.6 * smooth(-1.0, -0.3, side) * smooth(0.3, -0.3, side)
            + 0.2 * (cell((y * 50.0) as i32, 0, 444) - 0.5);
        return Some(brass(shine, x, y));
    }
    let centre_y = -0.01;
    let (dx, dy) = (x, y - centre_y);
    let r = (dx * dx * 1.25 + dy * dy).sqrt();
    let bulb =
        V(7.0, 5.0, 2.4) * (-(r * r * 900.0)).exp() + V(1.5, 0.95, 0.42) * (-(r * r * 60.0)).exp();
    let light = if r < 0.050 {
        let lens = room(-dx * 4.0, -dy * 3.0);
        let rim = smooth(0.044, 0.050, r);
        lens.tint(V(0.86, 0.97, 0.90))
            .mix(V(0.06, 0.07, 0.06), rim * 0.8)
    } else if r < 0.165 {
        let ring = (r - 0.050) / 0.0144;
        prism(x, y, ring.fract(), (dx / r, dy / r), ring as i32)
    } else {
        // Above and below the rings: bowed horizontal prisms.
        let bow = dy.abs() - 0.055 * (1.0 - side * side);
        let band = (bow + 0.4) / 0.0205;
        prism(
            x,
            y,
            band.rem_euclid(1.0),
            (side * 0.3, dy.signum()),
            band as i32 + 40,
        )
    };
    let roundness = (1.0 - side * side * 0.75).sqrt();
    let reflection =
        V(0.55, 0.65, 0.75) * (0.5 * smooth(-0.55, -0.42, side) * smooth(-0.28, -0.40, side));
    Some(light * (0.45 + 0.65 * roundness) + bulb + reflection)
}

pub fn light(x: f32, y: f32) -> V {
    let (x, y) = ((x - 0.03) * 0.97, y * 0.97 + 0.005);
    let halo = V(0.34, 0.22, 0.10) * (-((x * x + y * y) * 9.0)).exp();
    lens(x, y)
        .or_else(|| pedestal(x, y))
        .unwrap_or_else(|| room(x, y))
        + halo
}
