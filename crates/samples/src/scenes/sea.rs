//! The sea from the cliff path, with the lighthouse on its headland.

use crate::noise::{cloud, value};
use crate::vector::{V, rgb, smooth};

pub struct Weather {
    pub zenith: V,
    pub horizon: V,
    pub sun_light: V,
    pub sun: V,
    pub cover: f32,
    pub fog: f32,
    pub seed: u32,
}

impl Weather {
    pub fn evening() -> Self {
        Weather {
            zenith: rgb(0x3A6EA8),
            horizon: rgb(0xF6C79A),
            sun_light: V(3.2, 2.1, 1.1),
            sun: V(0.42, 0.13, 1.0).unit(),
            cover: 0.50,
            fog: 0.10,
            seed: 11,
        }
    }

    pub fn morning_fog() -> Self {
        Weather {
            zenith: rgb(0x9DB0BD),
            horizon: rgb(0xDDE0DE),
            sun_light: V(1.1, 1.05, 0.95),
            sun: V(-0.3, 0.35, 1.0).unit(),
            cover: 0.75,
            fog: 0.45,
            seed: 47,
        }
    }

    fn sky(&self, d: V) -> V {
        let up = d.1.max(0.0);
        let mut light = self.horizon.mix(self.zenith, 1.0 - (-up * 4.2).exp());
        let towards = d.dot(self.sun).max(0.0);
        light = light + self.sun_light * (0.22 * towards.powi(12) + 0.55 * towards.powi(180));
        light = light + self.sun_light * (4.0 * smooth(0.99965, 0.9999, towards));
        // Clouds on a plane overhead, thinner towards the zenith.
        let reach = 1.0 / (up + 0.07);
        let (x, z) = (d.0 * reach * 0.9, d.2 * reach * 0.55);
        let bend = cloud(x * 0.6, z * 0.6, 3, self.seed + 5);
        let dense = cloud(x + bend * 1.4, z * 1.7 + bend, 7, self.seed);
        let amount = smooth(1.0 - self.cover, 1.25 - self.cover, dense) * smooth(0.0, 0.05, up);
        let lit = cloud(x + bend * 1.4 + 0.25, z * 1.7 + bend - 0.2, 5, self.seed);
        let shade = smooth(-0.12, 0.14, dense - lit);
        let white = self.horizon.mix(V(1.0, 0.97, 0.95), 0.55);
        let grey = self.zenith.mix(V(0.42, 0.40, 0.44), 0.65);
        let glow = self.sun_light * (0.25 * towards.powi(6));
        light.mix(grey.mix(white, shade) + glow, amount * 0.85)
    }

    /// What a ray sees at a far distance through the haze.
    fn haze(&self, light: V, distance: f32) -> V {
        let share = 1.0 - (-distance * 0.0011 * (0.3 + 6.0 * self.fog)).exp();
        light.mix(self.horizon, share)
    }
}

const EYE: f32 = 9.0;

fn wave_slope(x: f32, z: f32, spread: f32, seed: u32) -> (f32, f32) {
    let (mut sx, mut sz) = (0.0, 0.0);
    let mut length = 14.0f32;
    let mut angle = 0.5f32;
    for octave in 0..9 {
        // Waves finer than a pixel only blur, so they are left out.
        let fade = smooth(0.45 * length, 0.12 * length, spread);
        if fade > 0.0 {
            let (c, s) = (angle.cos(), angle.sin());
            let (u, w) = ((x * c + z * s) / length, (-x * s + z * c) / (length * 2.6));
            let here = value(u, w, seed + octave);
            let du = value(u + 0.07, w, seed + octave) - here;
            let dw = value(u, w + 0.07, seed + octave) - here;
            let steep = fade * (2.3 - 0.09 * octave as f32);
            sx += steep * (du * c - dw * s * 0.4);
            sz += steep * (du * s + dw * c * 0.4);
        }
        length *= 0.57;
        angle += 1.1 - 0.17 * octave as f32;
    }
    (sx, sz)
}

/// Height of the headland's outline above the horizon, in picture heights.
fn outline(x: f32) -> f32 {
    let along = x + 0.75;
    let slope = 0.155 * smooth(0.62, -0.05, along) + 0.05 * smooth(0.75, 0.4, along);
    let cliff = smooth(0.80, 0.66, along + 0.02 * cloud(x * 14.0, 2.0, 4, 3));
    (slope + 0.016 * (cloud(x * 9.0, 0.5, 6, 9) - 0.5)) * cliff - 0.004
}

fn headland(x: f32, above: f32, w: &Weather) -> V {
    let top = outline(x);
    let depth = (top - above) / top.max(0.02);
    let grassy = smooth(
        0.55,
        0.25,
        depth + 0.5 * (cloud(x * 22.0, above * 30.0, 5, 21) - 0.5),
    );
    let strata = cloud(x * 16.0 + above * 20.0, above * 95.0 - x * 22.0, 7, 33);
    let rock = rgb(0x6B5A4C).mix(rgb(0x2E2824), strata) * (0.35 + 1.1 * strata * strata);
    let tuft = cloud(x * 90.0, above * 260.0, 5, 41);
    let grass = rgb(0x5E6B2F).mix(rgb(0xA08A4A), cloud(x * 13.0, above * 18.0, 4, 52))
        * (0.35 + 0.9 * tuft);
    let lee = 0.55 + 0.9 * smooth(0.35, 0.7, cloud(x * 12.0 - 0.8, above * 10.0, 4, 61));
    let light = rock.mix(grass, grassy) * lee;
    w.haze(
        light.tint(w.horizon.mix(V(1.0, 1.0, 1.0), 0.5)) * 1.15,
        130.0 + 420.0 * w.fog,
    )
}

/// The tower, or nothing; x across from its axis, y upwards from its foot, in its own heights.
fn tower(x: f32, y: f32, w: &Weather) -> Option<V> {
    let half = if !(0.0..=1.06).contains(&y) {
        return None;
    } else if y < 0.74 {
        0.115 - 0.045 * y / 0.74
    } else if y < 0.775 {
        0.105
    } else if y < 0.90 {
        0.058
    } else if y < 0.985 {
        0.072 * (1.0 - ((y - 0.90) / 0.085).powi(2)).max(0.0).sqrt()
    } else {
        0.006
    };
    let side = x / half;
    if side.abs() > 1.0 {
        return None;
    }
    let round = V(side, 0.0, -(1.0 - side * side).max(0.0).sqrt());
    let lit = round.dot(V(w.sun.0 * 2.2, 0.3, -0.55).unit()).max(0.0);
    let grime = 0.85 + 0.3 * (cloud(side * 3.0, y * 40.0, 5, 70) - 0.5);
    let paint = if y < 0.74 {
        let band = (y > 0.20 && y < 0.36) || (y > 0.52 && y < 0.66);
        let window = side.abs() < 0.16 && [0.12, 0.44, 0.69].iter().any(|c| (y - c).abs() < 0.018);
        match (window, band) {
            (true, _) => V(0.03, 0.03, 0.04),
            (_, true) => rgb(0xB03A2E),
            _ => rgb(0xF2EEE4),
        }
    } else if y < 0.775 {
        rgb(0x2B2F33)
    } else if y < 0.90 {
        // The lantern: panes between bars, a glow within.
        let bar = (side * 3.5).fract().abs() < 0.14 || (y - 0.84).abs() < 0.006;
        if bar {
            V(0.03, 0.03, 0.03)
        } else {
            let glow = (-(side * side * 6.0 + ((y - 0.835) * 22.0).powi(2))).exp();
            return Some(w.horizon * 0.55 + V(5.0, 3.6, 1.6) * glow);
        }
    } else {
        rgb(0x8C2F26)
    };
    let sky = V(0.30, 0.34, 0.42).mix(w.horizon * 0.5, 0.5);
    let light = paint.tint(w.sun_light * (0.42 * lit) + sky) * grime;
    Some(w.haze(light, 130.0 + 380.0 * w.fog))
}

pub fn light(x: f32, y: f32, w: &Weather) -> V {
    const HORIZON: f32 = -0.055;
    const TOWER: (f32, f32) = (-0.47, 0.30);
    let above = HORIZON - y;
    let foot = outline(TOWER.0) - 0.012;
    let part = tower((x - TOWER.0) / TOWER.1, (above - foot) / TOWER.1, w);
    if let Some(part) = part.filter(|_| above > outline(x) - 0.004) {
        return part;
    }
    if above > 0.0 && above < outline(x) {
        return headland(x, above, w);
    }
    let direction = V(x, above, 1.35).unit();
    if above >= 0.0 {
        return w.sky(direction);
    }
    let distance = EYE / -direction.1;
    let (px, pz) = (direction.0 * distance, direction.2 * distance);
    let spread = distance * distance / EYE / 2600.0;
    let (sx, sz) = wave_slope(px, pz, spread, w.seed + 200);
    let normal = V(-sx, 1.0, -sz).unit();
    let mirror = direction.reflect(normal);
    let mirror = V(mirror.0, mirror.1.abs().max(0.02), mirror.2).unit();
    let facing = (-direction.dot(normal)).clamp(0.0, 1.0);
    let fresnel = 0.02 + 0.98 * (1.0 - facing).powi(5);
    let towards = mirror.dot(w.sun).max(0.0);
    let mut sky = w.sky(mirror);
    sky = sky + w.sun_light * (1.8 * towards.powi(220) * (1.0 - w.fog).max(0.1));
    let deep = rgb(0x0F3D4C).mix(rgb(0x1E6170), (sz * 1.5 + 0.3).clamp(0.0, 1.0)) * 0.85;
    let mut light = deep.mix(sky, fresnel.min(0.85));
    // Foam on crests and along the rocks.
    let lace = cloud(px * 1.3, pz * 1.3, 6, 91) * cloud(px * 0.16, pz * 0.11, 4, 95);
    let crest = smooth(0.30, 0.44, lace + 0.10 * sz) * smooth(160.0, 20.0, distance);
    let shore = smooth(0.030, 0.0, -above)
        * smooth(0.02, 0.0, x - 0.02)
        * smooth(0.42, 0.62, cloud(x * 60.0, above * 300.0, 5, 97));
    let white = V(0.85, 0.83, 0.80).tint(w.horizon.mix(V(1.0, 1.0, 1.0), 0.6));
    light = light.mix(white, (0.8 * crest).max(0.75 * shore));
    w.haze(light, distance * 0.55)
}
