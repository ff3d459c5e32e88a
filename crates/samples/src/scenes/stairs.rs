//! The tower's spiral stair, looking straight up from the bottom.

use std::f32::consts::TAU;

use crate::noise::cloud;
use crate::vector::{V, rgb, smooth};

const INNER: f32 = 0.34;
const OUTER: f32 = 1.0;
const PITCH: f32 = 1.35;
const STEPS: f32 = 17.0;
const TURNS: i32 = 7;

/// Daylight at a height and angle: windows wind up the wall, and the lantern is at the top.
fn daylight(angle: f32, height: f32) -> V {
    let mut light = V(0.020, 0.024, 0.032) + V(1.0, 1.05, 1.1) * (0.30 * smooth(4.0, 10.0, height));
    for window in 0..5 {
        let (at, up) = (1.1 + window as f32 * 1.9, 1.1 + window as f32 * 1.55);
        let turn = ((angle - at + TAU * 1.5).rem_euclid(TAU) - TAU / 2.0).abs();
        let fall = (turn * 0.75).powi(2) + ((height - up) * 0.85).powi(2);
        light = light + V(1.25, 1.1, 0.85) * (0.85 * (-fall * 1.1).exp());
    }
    // Lamps on the lower flights.
    let lamp = ((angle - 4.4).rem_euclid(TAU) - 0.0).min(1.5);
    light + V(1.3, 0.75, 0.32) * (0.5 * (-(lamp * lamp * 2.0 + (height - 0.9).powi(2) * 1.2)).exp())
}

pub fn light(x: f32, y: f32) -> V {
    let (x, y) = (x + 0.035, y - 0.06);
    let r = (x * x + y * y).sqrt().max(1e-4) * 1.55;
    let angle = y.atan2(x).rem_euclid(TAU);
    let stepped = (angle / TAU * STEPS).floor() / STEPS;
    let within = (angle / TAU * STEPS).fract();
    for turn in 0..TURNS {
        let height = 0.45 + PITCH * (stepped + turn as f32);
        let reach = r * height;
        // The string: a band of iron and a rail along the inner edge, seen from below.
        let smooth_height = 0.45 + PITCH * (angle / TAU + turn as f32) + 0.06;
        let rail = r * smooth_height;
        if (INNER - 0.030..INNER).contains(&rail) {
            let across = (rail - INNER + 0.030) / 0.030;
            let shine = smooth(0.25, 0.5, across) * smooth(0.8, 0.55, across);
            let iron = rgb(0x2A2D2E).mix(rgb(0x9A8D78), 0.7 * shine);
            return iron.tint(daylight(angle, smooth_height)) * 1.6 + iron * 0.05;
        }
        if reach < INNER {
            continue;
        }
        if reach > OUTER {
            break;
        }
        let across = (reach - INNER) / (OUTER - INNER);
        let (u, v) = (across * 3.0 + turn as f32 * 5.0, angle * 6.0);
        let worn = cloud(u * 2.0, v * 2.0, 6, 301);
        let slate = rgb(0x8A7F70).mix(rgb(0x5D564D), worn);
        let brushed = 0.82 + 0.36 * cloud(u * 40.0, v * 9.0, 3, 305);
        // Each tread's underside is darkest where the next riser starts.
        let fold = 0.38 + 0.62 * smooth(0.0, 0.35, within) * smooth(1.02, 0.80, within);
        let edge = smooth(0.0, 0.10, across) * smooth(1.0, 0.88, across);
        let nosing = smooth(0.955, 0.985, within) * 0.5;
        let glow = daylight(angle, height) * (0.5 + 0.5 * edge);
        let bounce = daylight(angle + 0.5, height - 0.3) * 0.35;
        return slate.tint(glow + bounce) * (fold * brushed * 1.5 + nosing);
    }
    let height = OUTER / r;
    let top = 0.45 + PITCH * TURNS as f32;
    if height > top {
        // The lantern floor with its opening: bright panes between spokes.
        let spoke = ((angle / TAU * 8.0).fract() - 0.5).abs();
        let ring = (r * top / OUTER).min(1.0);
        let bar = smooth(0.47, 0.44, spoke).max(smooth(0.16, 0.12, ring))
            * smooth(0.55, 0.62, ring).max(0.0);
        let sky = V(1.5, 1.62, 1.75).mix(V(0.9, 1.05, 1.25), ring);
        return sky.mix(
            V(0.10, 0.09, 0.08),
            (bar + smooth(0.80, 0.86, ring)).min(1.0) * 0.85,
        );
    }
    let (u, v) = (angle * 5.0, height * 5.0);
    let course = (height * 4.5).fract();
    let row = (height * 4.5).floor();
    let block = (angle / TAU * 16.0 + row * 0.5).fract();
    let joint = smooth(0.035, 0.07, course.min(1.0 - course) * 1.2)
        * smooth(0.02, 0.045, block.min(1.0 - block) * 1.4);
    let plaster = rgb(0xD8CFBE).mix(rgb(0xA89A84), cloud(u * 2.5, v * 2.5, 6, 320));
    let grainy = 0.8 + 0.4 * cloud(u * 22.0, v * 22.0, 4, 325);
    plaster.tint(daylight(angle, height)) * (grainy * (0.55 + 0.45 * joint) * 0.95)
}
