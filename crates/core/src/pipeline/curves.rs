//! Fitted by benches/fit_curves.py on 19 photos and 22 graphics; do not edit by hand.

// A fitted number is no constant of nature, however near.
#![allow(clippy::approx_constant)]

use super::guess::Fit;
use crate::budget::Knot;
use crate::encode::{Chroma, Format};
use crate::source::Nature;

const fn knot(dial: f64, score: f64, spread: f64, weight: f64) -> Knot {
    Knot {
        dial,
        score,
        spread,
        weight,
    }
}

const JPEG_HALVED_PHOTO: Fit = Fit {
    knots: &[
        knot(8.0, -21.19, 6.52, -1.316),
        knot(14.0, 16.2, 7.346, -1.044),
        knot(20.0, 43.46, 3.444, -0.8519),
        knot(29.0, 50.83, 4.419, -0.6364),
        knot(41.0, 60.13, 5.132, -0.4211),
        knot(53.0, 66.04, 4.666, -0.2549),
        knot(65.0, 71.02, 4.336, -0.07273),
        knot(74.0, 75.43, 3.775, 0.1238),
        knot(83.0, 79.31, 3.295, 0.3876),
        knot(89.0, 82.3, 2.794, 0.6357),
        knot(92.0, 84.17, 2.366, 0.8155),
        knot(95.0, 86.02, 1.966, 1.122),
        knot(98.0, 87.62, 1.554, 1.513),
    ],
    features: [0.208, 0.2277, 1.587, -6.387, -0.05751],
    constant: -0.6602,
};

const JPEG_FULL_PHOTO: Fit = Fit {
    knots: &[
        knot(8.0, -17.37, 13.92, -1.191),
        knot(14.0, 22.04, 13.86, -0.9725),
        knot(20.0, 41.52, 10.71, -0.8107),
        knot(29.0, 53.53, 8.387, -0.623),
        knot(41.0, 64.53, 6.157, -0.4309),
        knot(53.0, 70.46, 5.07, -0.2785),
        knot(65.0, 75.29, 4.422, -0.1091),
        knot(74.0, 79.67, 3.422, 0.08126),
        knot(83.0, 83.8, 2.969, 0.341),
        knot(89.0, 86.98, 2.464, 0.5923),
        knot(92.0, 89.05, 2.019, 0.78),
        knot(95.0, 91.1, 1.497, 1.087),
        knot(98.0, 92.81, 1.127, 1.534),
    ],
    features: [-0.1838, 0.7195, 0.8865, 4.063, -0.03052],
    constant: -1.473,
};

const JPEG_FULL_GRAPHIC: Fit = Fit {
    knots: &[
        knot(8.0, 65.15, 48.87, -0.2413),
        knot(14.0, 77.22, 31.65, -0.2054),
        knot(20.0, 80.18, 21.95, -0.1769),
        knot(29.0, 81.55, 15.54, -0.1412),
        knot(41.0, 86.4, 11.62, -0.1012),
        knot(53.0, 87.38, 8.746, -0.06843),
        knot(65.0, 88.03, 5.954, -0.03344),
        knot(74.0, 89.77, 4.244, 0.005258),
        knot(83.0, 90.64, 2.385, 0.06058),
        knot(89.0, 91.55, 1.217, 0.1154),
        knot(92.0, 92.08, 1.124, 0.158),
        knot(95.0, 92.86, 0.5828, 0.2504),
        knot(98.0, 93.52, 0.4, 0.3782),
    ],
    features: [-0.4757, 0.1704, -1.864, -36.83, -0.06087],
    constant: 1.547,
};

const WEBP_HALVED_PHOTO: Fit = Fit {
    knots: &[
        knot(1.0, 12.26, 9.598, -1.419),
        knot(7.0, 33.4, 13.15, -1.122),
        knot(16.0, 43.89, 9.096, -0.8925),
        knot(28.0, 52.2, 7.859, -0.6505),
        knot(40.0, 58.74, 7.254, -0.4455),
        knot(52.0, 63.8, 6.354, -0.27),
        knot(64.0, 68.11, 5.496, -0.1032),
        knot(73.0, 70.76, 5.044, 0.02503),
        knot(79.0, 74.9, 3.756, 0.2309),
        knot(85.0, 79.49, 2.369, 0.5228),
        knot(91.0, 84.43, 1.154, 0.9394),
        knot(97.0, 88.27, 0.4412, 1.486),
        knot(100.0, 89.07, 0.4, 1.699),
    ],
    features: [-0.08489, 0.01853, 1.164, 8.338, -0.1132],
    constant: 1.298,
};

const WEBP_FULL_PHOTO: Fit = Fit {
    knots: &[
        knot(1.0, 13.22, 9.194, -1.458),
        knot(7.0, 34.53, 11.85, -1.157),
        knot(16.0, 44.9, 8.683, -0.9169),
        knot(28.0, 52.84, 8.051, -0.6689),
        knot(40.0, 59.84, 7.398, -0.4585),
        knot(52.0, 64.49, 6.61, -0.2774),
        knot(64.0, 68.77, 5.735, -0.1077),
        knot(73.0, 71.67, 5.013, 0.0245),
        knot(79.0, 75.77, 3.948, 0.2326),
        knot(85.0, 80.48, 2.637, 0.5366),
        knot(91.0, 85.47, 1.389, 0.9703),
        knot(97.0, 89.61, 0.5723, 1.537),
        knot(100.0, 90.43, 0.4939, 1.743),
    ],
    features: [-0.163, 0.08062, 1.231, 10.24, -0.1106],
    constant: 1.169,
};

const WEBP_FULL_GRAPHIC: Fit = Fit {
    knots: &[
        knot(1.0, 75.44, 37.6, -0.3363),
        knot(7.0, 78.38, 31.52, -0.2709),
        knot(16.0, 77.41, 20.6, -0.1272),
        knot(28.0, 84.33, 18.03, -0.177),
        knot(40.0, 85.99, 15.96, -0.1379),
        knot(52.0, 86.82, 13.18, -0.08093),
        knot(64.0, 88.2, 11.06, -0.06587),
        knot(73.0, 88.51, 9.565, -0.03407),
        knot(79.0, 89.33, 7.889, -0.005385),
        knot(85.0, 90.26, 5.217, 0.07051),
        knot(91.0, 91.15, 2.948, 0.1886),
        knot(97.0, 91.67, 1.236, 0.429),
        knot(100.0, 91.95, 0.6938, 0.5474),
    ],
    features: [-0.5808, 0.03435, -1.756, -35.21, 0.00667],
    constant: 0.3793,
};

const AVIF_HALVED_PHOTO: Fit = Fit {
    knots: &[
        knot(5.0, 1.352, 12.54, -1.821),
        knot(12.0, 20.12, 16.42, -1.579),
        knot(19.0, 38.47, 11.19, -1.301),
        knot(26.0, 45.42, 11.36, -1.009),
        knot(33.0, 54.07, 10.59, -0.7318),
        knot(40.0, 62.26, 9.133, -0.4328),
        knot(47.0, 69.1, 7.331, -0.1132),
        knot(54.0, 74.72, 5.305, 0.1958),
        knot(61.0, 78.81, 3.699, 0.4629),
        knot(68.0, 81.79, 2.704, 0.7027),
        knot(75.0, 84.1, 1.956, 0.9146),
        knot(82.0, 86.51, 1.279, 1.174),
        knot(89.0, 88.68, 0.8098, 1.516),
        knot(96.0, 90.33, 0.4998, 2.023),
    ],
    features: [-0.05937, 0.1086, 1.844, 0.5779, -0.06403],
    constant: -0.009468,
};

const AVIF_FULL_PHOTO: Fit = Fit {
    knots: &[
        knot(5.0, 0.0427, 9.977, -1.946),
        knot(12.0, 18.38, 14.96, -1.692),
        knot(19.0, 37.42, 11.05, -1.394),
        knot(26.0, 46.6, 10.52, -1.081),
        knot(33.0, 54.28, 11.18, -0.7878),
        knot(40.0, 62.99, 9.387, -0.4708),
        knot(47.0, 70.13, 7.571, -0.1329),
        knot(54.0, 75.97, 5.549, 0.1938),
        knot(61.0, 80.21, 4.02, 0.4736),
        knot(68.0, 83.47, 2.944, 0.7322),
        knot(75.0, 85.86, 2.159, 0.9695),
        knot(82.0, 88.43, 1.398, 1.256),
        knot(89.0, 90.85, 0.8606, 1.642),
        knot(96.0, 91.99, 0.6136, 2.236),
    ],
    features: [-0.1334, 0.2312, 1.717, 1.794, -0.06408],
    constant: -0.1287,
};

const AVIF_FULL_GRAPHIC: Fit = Fit {
    knots: &[
        knot(5.0, 73.88, 30.15, -0.4046),
        knot(12.0, 80.17, 28.44, -0.3621),
        knot(19.0, 83.07, 22.46, -0.3078),
        knot(26.0, 85.29, 16.59, -0.242),
        knot(33.0, 87.07, 12.41, -0.1773),
        knot(40.0, 88.8, 9.074, -0.1148),
        knot(47.0, 89.85, 7.126, -0.05196),
        knot(54.0, 90.77, 5.203, 0.01234),
        knot(61.0, 91.66, 3.808, 0.06986),
        knot(68.0, 92.06, 2.88, 0.1231),
        knot(75.0, 92.43, 2.106, 0.1815),
        knot(82.0, 92.82, 1.272, 0.2572),
        knot(89.0, 93.0, 0.4, 0.3802),
        knot(96.0, 93.23, 0.4, 0.6363),
    ],
    features: [-0.6366, -0.1961, -1.049, -56.52, -0.08268],
    constant: 1.95,
};

/// The fit of a coder for pictures of a nature.
pub(super) fn fit(format: Format, chroma: Chroma, nature: Nature) -> &'static Fit {
    match (format, chroma, nature) {
        (Format::Jpeg, Chroma::Halved, _) => &JPEG_HALVED_PHOTO,
        (Format::Jpeg, Chroma::Full, Nature::Photo) => &JPEG_FULL_PHOTO,
        (Format::Jpeg, Chroma::Full, Nature::Graphic) => &JPEG_FULL_GRAPHIC,
        (Format::WebP, Chroma::Halved, _) => &WEBP_HALVED_PHOTO,
        (Format::WebP, Chroma::Full, Nature::Photo) => &WEBP_FULL_PHOTO,
        (Format::WebP, Chroma::Full, Nature::Graphic) => &WEBP_FULL_GRAPHIC,
        (Format::Avif | Format::Png, Chroma::Halved, _) => &AVIF_HALVED_PHOTO,
        (Format::Avif | Format::Png, Chroma::Full, Nature::Photo) => &AVIF_FULL_PHOTO,
        (Format::Avif | Format::Png, Chroma::Full, Nature::Graphic) => &AVIF_FULL_GRAPHIC,
    }
}
