//! Three floats: a point, a direction, or linear light.

use std::ops::{Add, Mul, Neg, Sub};

#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct V(pub f32, pub f32, pub f32);

impl V {
    pub fn dot(self, o: V) -> f32 {
        self.0 * o.0 + self.1 * o.1 + self.2 * o.2
    }

    pub fn length(self) -> f32 {
        self.dot(self).sqrt()
    }

    pub fn unit(self) -> V {
        self * (1.0 / self.length().max(1e-9))
    }

    pub fn mix(self, o: V, share: f32) -> V {
        self * (1.0 - share) + o * share
    }

    /// Component by component.
    pub fn tint(self, o: V) -> V {
        V(self.0 * o.0, self.1 * o.1, self.2 * o.2)
    }

    pub fn reflect(self, normal: V) -> V {
        self - normal * (2.0 * self.dot(normal))
    }
}

impl Add for V {
    type Output = V;
    fn add(self, o: V) -> V {
        V(self.0 + o.0, self.1 + o.1, self.2 + o.2)
    }
}

impl Sub for V {
    type Output = V;
    fn sub(self, o: V) -> V {
        V(self.0 - o.0, self.1 - o.1, self.2 - o.2)
    }
}

impl Mul<f32> for V {
    type Output = V;
    fn mul(self, k: f32) -> V {
        V(self.0 * k, self.1 * k, self.2 * k)
    }
}

impl Neg for V {
    type Output = V;
    fn neg(self) -> V {
        self * -1.0
    }
}

/// 0 below `from`, 1 above `to`, smooth between; the two may be given in either order.
pub fn smooth(from: f32, to: f32, x: f32) -> f32 {
    let t = ((x - from) / (to - from)).clamp(0.0, 1.0);
    t * t * (3.0 - 2.0 * t)
}

/// A colour as designers write it, as linear light.
pub fn rgb(hex: u32) -> V {
    let channel = |shift: u32| {
        let v = (hex >> shift & 255) as f32 / 255.0;
        v.powf(2.2)
    };
    V(channel(16), channel(8), channel(0))
}
