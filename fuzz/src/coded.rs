//! The same for pictures that are coded.

use kiln_av1::{Chroma, Colour, Depth, Pace, Picture, Plane, Prepared};

use crate::decoded::decoded;

/// An exercise.
pub type Exercise = fn(&[u8]);

/// All of them, by the names of their targets.
pub const ALL: [(&str, Exercise); 1] = [("code_av1", code_av1)];

/// Samples of any kind at any settings: an independent decoder shows what was said, without loss that is the source,
/// and what was coded before makes no difference. The first bytes are the sides, chroma and depth, the quantiser, that
/// of an encode before, and the pace.
pub fn code_av1(bytes: &[u8]) {
    let Some(([width, height, form, quantiser, before, pace], samples)) = bytes.split_first_chunk()
    else {
        return;
    };
    let (mut width, height) = (1 + usize::from(width % 100), 1 + usize::from(height % 100));
    if form & 64 != 0 {
        // Wide enough for copies.
        width += 300;
    }
    let chroma = [Chroma::None, Chroma::Halved, Chroma::Full][usize::from(form % 3)];
    let (depth, deeper) = match form & 128 {
        0 => (Depth::Eight, 0),
        _ => (Depth::Ten, 2),
    };
    let halved = |side: usize| match chroma {
        Chroma::Halved => side.div_ceil(2),
        _ => side,
    };
    // Where there are too few samples they come again.
    let mut all = samples.iter().cycle().enumerate();
    let mut plane = |(width, height): (usize, usize)| {
        let sample = |_| {
            let (at, &sample) = all.next().unwrap_or((0, &0));
            u16::from(sample) << deeper | (at as u16 & ((1 << deeper) - 1))
        };
        Plane::new(width, (0..width * height).map(sample).collect()).expect("whole rows")
    };
    let mut planes = vec![plane((width, height))];
    if chroma != Chroma::None {
        planes.push(plane((halved(width), halved(height))));
        planes.push(plane((halved(width), halved(height))));
    }
    let picture = Picture::new(chroma, depth, planes).expect("planes that fit");
    let pace = [Pace::Quick, Pace::Steady, Pace::Patient][usize::from(pace % 3)];
    let prepared = Prepared::new(&picture).expect("a picture");
    prepared
        .encode(Colour::default(), *before, pace)
        .expect("a file");
    let coded = prepared
        .encode(Colour::default(), *quantiser, pace)
        .expect("a file");
    assert!(
        decoded(&coded.units).as_ref() == Ok(&coded.shown),
        "another picture"
    );
    assert!(*quantiser > 0 || coded.shown == picture, "not without loss");
    let alone = kiln_av1::encode(&picture, Colour::default(), *quantiser, pace).expect("a file");
    assert!(alone.units == coded.units, "another file");
}
