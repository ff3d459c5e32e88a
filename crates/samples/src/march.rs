//! Rays against a field of distances, for the scenes with solid things in them.

use crate::vector::V;

/// Where a ray first comes close to a surface, if it does before `far`.
pub fn hit(from: V, direction: V, far: f32, field: impl Fn(V) -> f32) -> Option<V> {
    let mut along = 0.02;
    for _ in 0..110 {
        let at = from + direction * along;
        let distance = field(at);
        if distance < 0.0006 * along.max(0.3) {
            return Some(at);
        }
        along += distance * 0.85;
        if along > far {
            return None;
        }
    }
    Some(from + direction * along)
}

/// The direction away from the surface.
pub fn normal(at: V, field: impl Fn(V) -> f32) -> V {
    const STEP: f32 = 0.0012;
    let slope = |d: V| field(at + d) - field(at - d);
    V(
        slope(V(STEP, 0.0, 0.0)),
        slope(V(0.0, STEP, 0.0)),
        slope(V(0.0, 0.0, STEP)),
    )
    .unit()
}

/// How much of a light in a direction arrives, with a soft edge.
pub fn shadow(from: V, to_light: V, far: f32, soft: f32, field: impl Fn(V) -> f32) -> f32 {
    let (mut along, mut open) = (0.03f32, 1.0f32);
    for _ in 0..48 {
        let distance = field(from + to_light * along);
        open = open.min(soft * distance / along);
        if open < 0.003 || along > far {
            break;
        }
        along += distance.clamp(0.01, 0.2);
    }
    open.clamp(0.0, 1.0)
}

/// How open the surroundings are, from 0 to 1.
pub fn openness(at: V, normal: V, reach: f32, field: impl Fn(V) -> f32) -> f32 {
    let mut blocked = 0.0;
    for step in 1..=5 {
        let distance = reach * step as f32 / 5.0;
        blocked += (distance - field(at + normal * distance)).max(0.0) / (reach * step as f32);
    }
    (1.0 - 1.6 * blocked).clamp(0.0, 1.0)
}

pub fn ellipsoid(p: V, centre: V, radii: V) -> f32 {
    let d = p - centre;
    let scaled = V(d.0 / radii.0, d.1 / radii.1, d.2 / radii.2);
    let steep = V(scaled.0 / radii.0, scaled.1 / radii.1, scaled.2 / radii.2).length();
    let length = scaled.length();
    length * (length - 1.0) / steep.max(1e-6)
}

pub fn capsule(p: V, a: V, b: V, radius: f32) -> f32 {
    let (pa, ba) = (p - a, b - a);
    let along = (pa.dot(ba) / ba.dot(ba)).clamp(0.0, 1.0);
    (pa - ba * along).length() - radius
}

/// A ring around a vertical axis.
pub fn ring(p: V, centre: V, radius: f32, thickness: f32) -> f32 {
    let d = p - centre;
    let out = (d.0 * d.0 + d.2 * d.2).sqrt() - radius;
    (out * out + d.1 * d.1).sqrt() - thickness
}

/// The nearer of two, with a fillet.
pub fn joined(a: f32, b: f32, fillet: f32) -> f32 {
    let share = (0.5 + 0.5 * (b - a) / fillet).clamp(0.0, 1.0);
    b + (a - b) * share - fillet * share * (1.0 - share)
}
