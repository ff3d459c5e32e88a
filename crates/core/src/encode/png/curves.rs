//! Fitted by benches/fit_curves.py on 19 photos and 22 graphics; do not edit by hand.

// A fitted number is no constant of nature, however near.
#![allow(clippy::approx_constant)]

use crate::budget::{Prior, knot};

pub(super) const FULL_PHOTO: Prior = Prior {
    knots: &[
        knot(1.0, -60.71, 32.39, -2.342),
        knot(12.0, -37.7, 31.0, -1.533),
        knot(23.0, 3.442, 40.74, -0.8958),
        knot(34.0, 35.28, 32.12, -0.4581),
        knot(45.0, 55.78, 23.27, -0.07705),
        knot(53.0, 66.18, 18.56, 0.1425),
        knot(61.0, 74.13, 14.34, 0.359),
        knot(67.0, 78.49, 11.99, 0.497),
        knot(73.0, 82.39, 9.674, 0.6393),
        knot(80.0, 85.72, 7.055, 0.8045),
        knot(87.0, 87.18, 5.482, 0.912),
        knot(94.0, 87.69, 4.766, 0.9585),
        knot(100.0, 87.88, 4.303, 0.9933),
    ],
    features: &[0.3343, -0.4017, -0.7165, -0.0773, -0.1659],
    constant: 3.477,
};

pub(super) const FULL_GRAPHIC: Prior = Prior {
    knots: &[
        knot(1.0, 57.82, 66.63, -0.7912),
        knot(12.0, 67.66, 53.53, -0.4114),
        knot(23.0, 82.79, 28.68, -0.2138),
        knot(34.0, 95.98, 8.105, -0.05138),
        knot(45.0, 97.43, 4.01, 0.04269),
        knot(53.0, 98.28, 2.639, 0.1073),
        knot(61.0, 98.97, 1.41, 0.1597),
        knot(67.0, 99.34, 0.7913, 0.1739),
        knot(73.0, 99.48, 0.7545, 0.1854),
        knot(80.0, 99.66, 0.5714, 0.1988),
        knot(87.0, 99.72, 0.4874, 0.2),
        knot(94.0, 99.72, 0.4874, 0.2),
        knot(100.0, 99.72, 0.4874, 0.2),
    ],
    features: &[0.1632, 0.4096, -2.302, -32.27, -0.08483],
    constant: 1.772,
};
