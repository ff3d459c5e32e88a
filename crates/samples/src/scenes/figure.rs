//! The keeper at dusk on the gallery, half turned away, harbour lights behind.

use crate::march::{capsule, ellipsoid, hit, joined, normal, openness, ring};
use crate::noise::{cell, cloud};
use crate::vector::{V, rgb, smooth};

const HEAD: V = V(0.0, 0.17, 0.0);

/// The head's own axes: it looks to the right and away.
fn turned(p: V) -> V {
    let (c, s) = (0.80f32, 0.60f32);
    let d = p - HEAD;
    V(d.0 * c - d.2 * s, d.1, d.0 * s + d.2 * c)
}

fn face(p: V) -> f32 {
    let q = turned(p);
    let skull = ellipsoid(q, V(0.0, 0.0, 0.0), V(0.105, 0.140, 0.122));
    let jaw = ellipsoid(q, V(0.036, -0.085, 0.0), V(0.070, 0.070, 0.066));
    let nose = capsule(q, V(0.098, 0.008, 0.0), V(0.130, -0.030, 0.0), 0.013);
    let brow = capsule(q, V(0.088, 0.030, -0.045), V(0.088, 0.030, 0.045), 0.017);
    let chin = ellipsoid(q, V(0.085, -0.128, 0.0), V(0.026, 0.024, 0.028));
    let lips = ellipsoid(q, V(0.104, -0.078, 0.0), V(0.014, 0.017, 0.026));
    let cheek = ellipsoid(q, V(0.066, -0.038, -0.044), V(0.040, 0.038, 0.034));
    let ear = ellipsoid(q, V(-0.016, -0.018, -0.106), V(0.024, 0.037, 0.013));
    let neck = capsule(q, V(-0.02, -0.09, 0.0), V(-0.035, -0.24, 0.0), 0.062);
    let head = joined(joined(skull, jaw, 0.05), joined(nose, brow, 0.03), 0.022);
    let head = joined(joined(head, chin, 0.03), joined(lips, cheek, 0.02), 0.022);
    joined(joined(head, ear, 0.012), neck, 0.03)
}

fn hat(p: V) -> f32 {
    let q = turned(p);
    let crown = ellipsoid(q, V(-0.016, 0.068, 0.0), V(0.124, 0.116, 0.137));
    let crown = crown.max(-(q.1 - 0.035 - 0.12 * q.0));
    let turn = q.2.atan2(q.0);
    let ribs = 0.0022 * (turn * 58.0).sin();
    let knit = 0.0014 * (q.1 * 420.0 + (turn * 58.0).sin()).sin();
    let brim = ring(
        V(q.0, q.1 - 0.12 * q.0, q.2),
        V(-0.012, 0.048, 0.0),
        0.117,
        0.024,
    );
    joined(crown, brim, 0.008) - ribs - knit
}

fn scarf(p: V) -> f32 {
    let tilted = V(p.0, p.1 + 0.10 * p.0, p.2);
    let lower = ring(tilted, V(-0.015, -0.075, 0.0), 0.098, 0.046);
    let upper = ring(
        V(p.0, p.1 - 0.13 * p.0, p.2),
        V(-0.008, -0.022, 0.0),
        0.083,
        0.032,
    );
    let turn = p.2.atan2(p.0);
    let folds = 0.006 * (p.1 * 95.0 + 2.2 * (turn * 2.0).sin()).sin();
    joined(lower, upper, 0.014) - folds - 0.0016 * (turn * 150.0).sin() * (p.1 * 520.0).sin()
}

fn coat(p: V) -> f32 {
    let trunk = ellipsoid(p, V(-0.02, -0.52, 0.0), V(0.265, 0.44, 0.20));
    let left = capsule(p, V(-0.215, -0.235, 0.0), V(-0.335, -0.75, -0.03), 0.098);
    let right = capsule(p, V(0.185, -0.235, 0.02), V(0.295, -0.72, -0.05), 0.098);
    let yoke = capsule(p, V(-0.17, -0.215, 0.0), V(0.14, -0.215, 0.0), 0.098);
    let body = joined(joined(trunk, yoke, 0.10), joined(left, right, 0.02), 0.055);
    let creases = 0.012 * (cloud(p.0 * 7.0 + p.1 * 5.0, p.1 * 8.0 - p.0 * 3.0, 3, 505) - 0.5);
    let hood = ring(
        V(p.0, p.1 + 0.35 * p.2, p.2),
        V(-0.02, -0.150, 0.06),
        0.125,
        0.050,
    );
    joined(body, hood, 0.03) - creases
}

/// The harbour across the water, far out of focus.
fn distance(x: f32, y: f32) -> V {
    let sky = rgb(0xE58A58)
        .mix(rgb(0x7A6C8C), smooth(0.10, -0.12, y))
        .mix(rgb(0x24365C), smooth(-0.08, -0.55, y));
    let bank = cloud(x * 1.1, y * 5.0, 4, 520);
    let sky = sky.mix(
        rgb(0x5C5470),
        0.55 * smooth(0.45, 0.7, bank) * smooth(0.1, -0.15, y),
    );
    let land = 0.125 - 0.035 * smooth(0.1, 0.9, x + 0.1 * cloud(x * 3.0, 0.0, 3, 522));
    let hills = rgb(0x2A2E44).mix(rgb(0x4A3C48), smooth(0.18, 0.08, y));
    let water = rgb(0xB0705A).mix(rgb(0x1E2C46), smooth(0.16, 0.42, y)) * 0.75;
    let mut light = sky.mix(hills, smooth(land - 0.012, land + 0.012, y));
    light = light.mix(water, smooth(0.172, 0.190, y));
    for lamp in 0..46 {
        let chance = |n: u32| cell(lamp, 7, 540 + n);
        let (cx, cy) = (chance(0) * 1.5 - 0.75, 0.125 + 0.055 * chance(1));
        let radius = 0.011 + 0.017 * chance(2);
        let colour = match (chance(3) * 10.0) as u32 {
            0..6 => V(1.6, 0.88, 0.36),
            6..8 => V(1.5, 1.25, 0.9),
            8 => V(0.5, 1.2, 0.7),
            _ => V(1.5, 0.35, 0.25),
        };
        let strength = 0.10 + 0.55 * chance(4) * chance(5);
        let r = ((x - cx).powi(2) + (y - cy).powi(2)).sqrt();
        let disc = smooth(radius, radius * 0.86, r) * (0.72 + 0.5 * smooth(0.5, 0.95, r / radius));
        light = light + colour * (strength * disc);
        // Its reflection, drawn out.
        let (rx, ry) = (
            (x - cx) / (radius * 1.2),
            (y - 0.19 - (cy - 0.10)) / (radius * 5.0),
        );
        let below = (-(rx * rx * 1.5 + ry * ry)).exp() * smooth(0.175, 0.20, y);
        light = light + colour * (0.22 * strength * below);
    }
    light
}

fn railing(x: f32, y: f32) -> Option<V> {
    let top = 0.335 + 0.05 * x;
    let across = (y - top) / 0.016;
    if across.abs() < 1.0 {
        let shine = smooth(-0.9, -0.3, across) * smooth(0.3, -0.3, across);
        return Some(rgb(0x20252B).mix(rgb(0xC08A66), 0.6 * shine) * 0.8);
    }
    let post = ((x + 0.11) / 0.155).rem_euclid(1.0) - 0.5;
    let side = post * 0.155 / 0.008;
    (y > top && side.abs() < 1.0)
        .then(|| rgb(0x1C2025).mix(rgb(0xB88868), 0.35 * smooth(0.2, 0.8, side)) * 0.7)
}

pub fn light(x: f32, y: f32) -> V {
    let field = |p: V| face(p).min(hat(p)).min(scarf(p)).min(coat(p));
    let from = V(0.05, 0.02, -2.6);
    let direction = V((x + 0.13) * 0.45, -(y - 0.03) * 0.45, 1.0).unit();
    // Only rays near the figure are worth following.
    let near = (x + 0.16).abs() < 0.72 && y > -0.42;
    let solid = near.then(|| hit(from, direction, 4.2, field)).flatten();
    let Some(at) = solid else {
        return railing(x, y).unwrap_or_else(|| distance(x, y));
    };
    let n = normal(at, field);
    let parts = [face(at), hat(at), scarf(at), coat(at)];
    let nearest = parts
        .iter()
        .enumerate()
        .min_by(|a, b| a.1.total_cmp(b.1))
        .map_or(0, |(i, _)| i);
    let q = turned(at);
    let (colour, gloss) = match nearest {
        0 => {
            let pores = 0.92 + 0.16 * cloud(q.1 * 260.0, q.2 * 260.0 + q.0 * 200.0, 3, 560);
            let flush = smooth(0.05, 0.0, (q - V(0.07, -0.04, -0.06)).length());
            let beard = smooth(-0.055, -0.085, q.1)
                * smooth(-0.03, 0.01, q.0)
                * (0.5 + 0.5 * cloud(q.0 * 300.0, q.1 * 160.0, 3, 561));
            let eye = smooth(0.014, 0.006, (q - V(0.097, 0.008, -0.040)).length());
            let skin = rgb(0xC58E70)
                .mix(rgb(0xB5644E), 0.35 * flush)
                .mix(rgb(0x6B5A50), 0.6 * beard);
            (skin.mix(rgb(0x2A1C18), 0.85 * eye) * pores, 0.10)
        }
        1 => (
            rgb(0xB2402F) * (0.7 + 0.5 * cloud(q.1 * 500.0, q.2.atan2(q.0) * 90.0, 2, 570)),
            0.01,
        ),
        2 => (
            rgb(0xD8CDB4) * (0.75 + 0.4 * cloud(at.0 * 300.0, at.1 * 300.0, 2, 571)),
            0.01,
        ),
        _ => (
            rgb(0x2E4058) * (0.75 + 0.5 * cloud(at.0 * 220.0 + at.2 * 90.0, at.1 * 220.0, 3, 572)),
            0.05,
        ),
    };
    let open = openness(at, n, 0.10, field);
    let glow = V(0.92, 0.20, 0.36).unit();
    let warm = n.dot(glow).max(0.0);
    let wrap = (0.5 + 0.5 * n.dot(glow)).max(0.0);
    let rim = (1.0 + n.dot(direction)).max(0.0).powi(3) * smooth(-0.2, 0.6, n.0);
    let cool = V(0.16, 0.21, 0.34) * (0.55 + 0.45 * n.1);
    let lamp = V(0.55, 0.36, 0.20) * (n.dot(V(-0.45, 0.35, -0.82)).max(0.0) * 0.75);
    let lit = V(2.2, 1.15, 0.62) * (0.75 * warm + 0.12 * wrap) + (cool + lamp) * (1.15 * open);
    colour.tint(lit) * (0.35 + 0.65 * open)
        + V(1.5, 0.8, 0.45) * (0.30 * rim + gloss * warm.powi(8))
}
