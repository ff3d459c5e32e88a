//! Breakfast at the window: a mug and a bowl on an oak table, soft light from the left.

use crate::march::{ellipsoid, hit, normal, openness, shadow};
use crate::noise::cloud;
use crate::vector::{V, rgb, smooth};

const MUG: V = V(-0.22, 0.0, 0.15);
const BOWL: V = V(0.42, 0.0, 0.55);

fn cup(p: V, radius: f32, height: f32, wall: f32) -> f32 {
    let r = (p.0 * p.0 + p.2 * p.2).sqrt();
    let outer = (r - radius).max(p.1 - height).max(-p.1);
    let inner = (r - radius + wall).max(wall - p.1);
    outer.max(-inner) - 0.008
}

fn mug(p: V) -> f32 {
    let q = p - MUG;
    let (hx, hy) = (q.0 + 0.20, q.1 - 0.17);
    let loop_ = (hx * hx + hy * hy * 0.8).sqrt() - 0.095;
    let handle = (loop_ * loop_ + q.2 * q.2).sqrt() - 0.021;
    let r = (q.0 * q.0 + q.2 * q.2).sqrt();
    cup(q, 0.175, 0.345, 0.018).min(handle.max(0.165 - r))
}

fn tea(p: V) -> f32 {
    let q = p - MUG;
    ((q.0 * q.0 + q.2 * q.2).sqrt() - 0.162)
        .max(q.1 - 0.295)
        .max(0.2 - q.1)
}

fn bowl(p: V) -> f32 {
    let q = p - BOWL;
    let outer = ellipsoid(q, V(0.0, 0.20, 0.0), V(0.30, 0.21, 0.30));
    let inner = ellipsoid(q, V(0.0, 0.215, 0.0), V(0.278, 0.195, 0.278));
    outer.max(-inner).max(q.1 - 0.20) - 0.004
}

fn apples(p: V) -> f32 {
    let apple = |x: f32, y: f32, z: f32, r: f32| {
        let q = p - BOWL - V(x, y, z);
        let across = (q.0 * q.0 + q.2 * q.2).sqrt();
        let dent = 0.035 * (-(across * across * 220.0)).exp();
        ellipsoid(
            q + V(0.0, dent * q.1.signum(), 0.0),
            V(0.0, 0.0, 0.0),
            V(r, r * 0.92, r),
        )
    };
    apple(-0.10, 0.20, -0.06, 0.118)
        .min(apple(0.12, 0.21, 0.0, 0.112))
        .min(apple(0.0, 0.22, 0.15, 0.12))
        .min(apple(0.01, 0.34, 0.02, 0.108))
}

fn window(x: f32, y: f32) -> V {
    let view = rgb(0xC9D9E2)
        .mix(rgb(0x8FAEB8), smooth(-0.20, -0.08, y))
        .mix(rgb(0x8A9A6C), smooth(-0.07, 0.02, y))
        * 1.25;
    let pane = (x + 0.33).abs().min((x - 0.34).abs()).min((y + 0.30).abs());
    let frame = smooth(0.030, 0.006, pane).max(smooth(0.66, 0.69, x));
    let wall = rgb(0xCFC3AE).mix(rgb(0x9C9080), smooth(0.6, 0.9, x)) * 0.42;
    let curtain = smooth(-0.52, -0.57, x + 0.03 * y);
    let folds = 0.5 + 0.5 * (x * 70.0 + 1.5 * (y * 3.0).sin()).sin();
    let linen = rgb(0xE6DCC6) * (0.45 + 0.5 * folds);
    let wood = rgb(0xEFE9DC) * 0.5;
    view.mix(wood, frame)
        .mix(wall, smooth(0.69, 0.71, x))
        .mix(linen, curtain)
}

pub fn light(x: f32, y: f32) -> V {
    let field = |p: V| mug(p).min(tea(p)).min(bowl(p)).min(apples(p)).min(p.1);
    let from = V(0.02, 0.62, -1.55);
    let direction = V(x * 0.72, -y * 0.72 - 0.235, 1.0).unit();
    let Some(at) = hit(from, direction, 3.4, field).filter(|at| at.2 < 1.35) else {
        return window(x, y);
    };
    let n = normal(at, field);
    let to_light = V(-0.80, 0.62, 0.35).unit();
    let open = openness(at, n, 0.18, field);
    let direct = n.dot(to_light).max(0.0) * shadow(at + n * 0.004, to_light, 2.0, 5.0, field);
    let mirror = direction.reflect(n);
    let fresnel = 0.04 + 0.5 * (1.0 + direction.dot(n)).clamp(0.0, 1.0).powi(4);
    let pane = smooth(0.55, 0.9, mirror.dot(to_light)) * 1.1 + 0.25 * mirror.1.max(0.0);
    let (q, b) = (at - MUG, at - BOWL);
    let (colour, gloss) = if mug(at) < 0.004 {
        let band =
            smooth(0.012, 0.007, (q.1 - 0.25).abs()).max(smooth(0.007, 0.003, (q.1 - 0.075).abs()));
        (
            rgb(0xEDE6D6).mix(rgb(0x2F5570), band)
                * (0.94 + 0.12 * cloud(q.0 * 50.0, q.1 * 50.0, 3, 602)),
            0.7,
        )
    } else if tea(at) < 0.004 {
        (rgb(0x5E2A10), 0.9)
    } else if apples(at) < 0.004 {
        let streak = cloud(b.0 * 9.0 + b.2 * 7.0, b.1 * 3.0, 5, 610);
        (
            rgb(0xA3231C).mix(rgb(0xC9A03E), smooth(0.42, 0.68, streak)),
            0.5,
        )
    } else if bowl(at) < 0.004 {
        (
            rgb(0x4F6F7C) * (0.85 + 0.3 * cloud(b.0 * 30.0, b.1 * 60.0, 4, 620)),
            0.6,
        )
    } else {
        let board = (at.2 * 2.6 + 0.35).floor();
        let grain = cloud(
            at.0 * 2.2 + board * 13.0,
            at.2 * 46.0 + 2.0 * cloud(at.0 * 3.0, at.2 * 6.0 + board, 3, 631),
            6,
            630,
        );
        let gap = smooth(
            0.015,
            0.03,
            (at.2 * 2.6 + 0.35)
                .fract()
                .min(1.0 - (at.2 * 2.6 + 0.35).fract()),
        );
        (
            rgb(0xA57C4C).mix(rgb(0x6B4826), grain) * (0.4 + 0.6 * gap),
            0.25,
        )
    };
    let ambient = V(0.30, 0.33, 0.38) * (0.55 + 0.45 * n.1) * open;
    let warm = V(0.16, 0.12, 0.08) * open;
    colour.tint(V(1.75, 1.68, 1.55) * direct + ambient + warm)
        + V(1.0, 1.0, 1.0) * (gloss * fresnel * pane * open)
}
