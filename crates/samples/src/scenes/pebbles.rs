//! Pebbles on the landing beach, from above, still wet.

use crate::noise::{cell, cloud, value};
use crate::vector::{V, rgb, smooth};

struct Stone {
    height: f32,
    normal: V,
    /// Position on the stone, from -1 to 1.
    at: (f32, f32),
    id: u32,
}

/// The topmost stone at a position. Five sizes of ellipsoids on jittered grids, the larger
/// ones higher.
fn topmost(x: f32, y: f32) -> Stone {
    let mut best = Stone {
        height: -1.0,
        normal: V(0.0, 0.0, 1.0),
        at: (0.0, 0.0),
        id: 0,
    };
    for (layer, pitch) in [0.27f32, 0.15, 0.095, 0.06, 0.035].into_iter().enumerate() {
        let seed = 1000 + layer as u32 * 10;
        let (gx, gy) = ((x / pitch).floor() as i32, (y / pitch).floor() as i32);
        for cy in gy - 1..=gy + 1 {
            for cx in gx - 1..=gx + 1 {
                let chance = |n: u32| cell(cx, cy, seed + n);
                if chance(0) > [0.42, 0.62, 0.8, 0.9, 1.0][layer] {
                    continue;
                }
                let centre = (
                    (cx as f32 + 0.15 + 0.7 * chance(1)) * pitch,
                    (cy as f32 + 0.15 + 0.7 * chance(2)) * pitch,
                );
                let turn = chance(3) * std::f32::consts::PI;
                let (c, s) = (turn.cos(), turn.sin());
                let long = pitch * (0.40 + 0.24 * chance(4));
                let short = long * (0.58 + 0.34 * chance(5));
                let (dx, dy) = (x - centre.0, y - centre.1);
                let (u, v) = ((dx * c + dy * s) / long, (-dx * s + dy * c) / short);
                if u * u + v * v > 1.5 {
                    continue;
                }
                // Not quite ellipses: each outline wanders a little.
                let wander = 0.22
                    * (value(
                        u * 1.4 + cx as f32 * 7.0,
                        v * 1.4 + cy as f32 * 5.0,
                        seed + 8,
                    ) - 0.5);
                let r2 = (u * u + v * v) * (1.0 + wander) + 0.25 * u * u * v * v;
                if r2 >= 1.0 {
                    continue;
                }
                let dome = (1.0 - r2).powf(0.42);
                let height = dome * short * 0.62
                    + [0.050, 0.030, 0.018, 0.008, 0.0][layer]
                    + 0.02 * chance(6);
                if height > best.height {
                    let slope = 0.75 * (1.0 - r2).max(0.02).powf(-0.5);
                    let (nu, nv) = (u * slope, v * slope * long / short);
                    best = Stone {
                        height,
                        normal: V(nu * c - nv * s, nu * s + nv * c, 1.0).unit(),
                        at: (u, v),
                        id: (cell(cx, cy, seed + 7) * 16_777_216.0) as u32,
                    };
                }
            }
        }
    }
    best
}

fn mineral(stone: &Stone) -> V {
    let pick = stone.id % 100;
    let seed = stone.id % 9973;
    let (u, v) = stone.at;
    let shift = (stone.id % 61) as f32;
    let (a, b) = match pick {
        0..34 => (0x6E7376, 0x45494D),
        34..52 => (0x8C8479, 0x5F574D),
        52..66 => (0x55626B, 0x39454D),
        66..78 => (0x9A6F55, 0x6B4632),
        78..88 => (0xB9B2A4, 0x8D8679),
        88..95 => (0xD9D5CC, 0xB4AFA4),
        _ => (0x4A5A4C, 0x2C3830),
    };
    let mottled = cloud(u * 2.2 + shift, v * 2.2, 5, seed);
    let mut colour = rgb(a).mix(rgb(b), smooth(0.3, 0.7, mottled));
    if pick % 5 == 1 {
        let line = u * 0.8 + v * 0.6 + 0.35 * (cloud(u * 1.5, v * 1.5 + shift, 3, seed + 3) - 0.5);
        let width = 0.03 + 0.05 * (shift / 61.0);
        colour = colour.mix(
            rgb(0xD8D3C8),
            0.8 * smooth(width, width * 0.3, (line - 0.1).abs()),
        );
    }
    let speckle = cell((u * 140.0 + shift * 31.0) as i32, (v * 140.0) as i32, seed);
    colour * (0.86 + 0.28 * speckle)
}

pub fn light(x: f32, y: f32) -> V {
    // The beach runs away a little towards the top.
    let far = 1.0 + 0.22 * (0.5 - y);
    let (px, py) = (x * far + 3.0, y * far * 1.12 + 5.0);
    let stone = topmost(px, py);
    let sun = V(-0.55, -0.42, 0.72).unit();
    if stone.height < 0.0 {
        let grit = cloud(px * 160.0, py * 160.0, 4, 77);
        return rgb(0x3A342C) * (0.12 + 0.5 * grit * grit);
    }
    let mut shadow: f32 = 1.0;
    let mut gap: f32 = 0.0;
    for step in 1..=5 {
        let reach = 0.011 * step as f32;
        let there = topmost(px + sun.0 * reach, py + sun.1 * reach).height;
        let clear = stone.height + reach * sun.2 * 0.9 - there;
        shadow = shadow.min(smooth(-0.012, 0.006, clear));
        gap += (there - stone.height).max(0.0);
    }
    let rough = V(
        cloud(px * 120.0, py * 120.0, 3, 81) - 0.5,
        cloud(px * 120.0, py * 120.0, 3, 82) - 0.5,
        0.0,
    );
    let normal = (stone.normal + rough * 0.22).unit();
    let lit = normal.dot(sun).max(0.0) * shadow;
    let open = (0.35 + 0.65 * normal.2)
        * (1.0 - (gap * 9.0).min(0.75))
        * smooth(-0.01, 0.07, stone.height);
    let wet = smooth(0.35, 0.6, cloud(px * 2.1, py * 2.1, 3, 88));
    let half = (sun + V(0.0, 0.1, 1.0)).unit();
    let gloss = normal.dot(half).max(0.0).powi(60) * shadow * (0.1 + 0.6 * wet);
    let colour = mineral(&stone) * (1.15 - 0.35 * wet);
    let sky = V(0.34, 0.42, 0.55);
    colour.tint(V(2.0, 1.8, 1.5) * lit + sky * (1.1 * open)) + V(1.0, 0.97, 0.9) * gloss
}
