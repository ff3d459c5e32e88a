//! Fitted by benches/fit_curves.py on 19 photos and 22 graphics; do not edit by hand.

// A fitted number is no constant of nature, however near.
#![allow(clippy::approx_constant)]

use crate::budget::{Prior, knot};

pub(super) const COUNTED_PHOTO: Prior = Prior {
    knots: &[
        knot(1.0, 37.77, 21.6, -0.9194),
        knot(12.0, 37.51, 24.2, -0.8641),
        knot(23.0, 38.24, 21.57, -0.7484),
        knot(34.0, 43.34, 24.26, -0.5521),
        knot(45.0, 55.35, 20.94, -0.2864),
        knot(53.0, 65.32, 15.54, -0.09449),
        knot(61.0, 73.48, 11.37, 0.1111),
        knot(67.0, 77.88, 9.881, 0.2529),
        knot(73.0, 81.77, 7.7, 0.3977),
        knot(80.0, 85.22, 5.51, 0.5631),
        knot(87.0, 86.79, 4.161, 0.6708),
        knot(94.0, 87.32, 3.475, 0.7173),
        knot(100.0, 87.5, 3.002, 0.752),
    ],
    features: &[0.4441, -0.2234, -0.4904, -1.014, -0.1176],
    constant: 1.853,
};

pub(super) const COUNTED_GRAPHIC: Prior = Prior {
    knots: &[
        knot(1.0, 74.9, 44.32, -0.5732),
        knot(12.0, 77.26, 42.29, -0.3812),
        knot(23.0, 78.09, 32.51, -0.2482),
        knot(34.0, 95.56, 8.651, -0.07398),
        knot(45.0, 97.4, 3.248, 0.02144),
        knot(53.0, 98.45, 2.13, 0.086),
        knot(61.0, 98.97, 1.182, 0.1385),
        knot(67.0, 99.34, 0.4638, 0.1527),
        knot(73.0, 99.48, 0.4395, 0.1642),
        knot(80.0, 99.66, 0.4, 0.1776),
        knot(87.0, 99.72, 0.4, 0.1787),
        knot(94.0, 99.72, 0.4, 0.1787),
        knot(100.0, 99.72, 0.4, 0.1787),
    ],
    features: &[-0.05378, 0.8722, -3.079, -5.155, -0.08184],
    constant: 1.751,
};
