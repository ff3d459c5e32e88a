use super::*;
use crate::draw::Drawing;
use crate::pixels::{Channels, Raster, Size};

fn drawn(text: &str, width: u32, height: u32) -> Raster {
    let size = Size::new(width, height).expect("a size");
    let drawing = Drawing::read(text).unwrap_or_else(|error| panic!("{error}: {text}"));
    let pixels = drawing.pixels(size).expect("small");
    Raster::new(size, Channels::Rgba, pixels).expect("whole rows")
}

fn svg(body: &str) -> String {
    format!("<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 40 40'>{body}</svg>")
}

/// The mean and the greatest difference of a sample, of 255, laid on grey.
fn differences(one: &Raster, two: &Raster) -> (f64, u8) {
    let laid = |raster: &Raster| raster.over([128; 3]).samples().to_vec();
    let all: Vec<u8> = laid(one)
        .iter()
        .zip(laid(two))
        .map(|(a, b)| a.abs_diff(b))
        .collect();
    let mean = all.iter().map(|&d| f64::from(d)).sum::<f64>() / all.len() as f64;
    (mean, all.into_iter().max().unwrap_or(0))
}

/// What was drawn, sized and traced looks as it was drawn, at its own size and at four times that.
#[test]
fn marks_are_traced_as_they_were_drawn() {
    let shapes = [
        // A disc and a ring in it, on nothing.
        "<circle cx='20' cy='20' r='17' fill='#1a4f8a'/><circle cx='20' cy='20' r='9' fill='none' stroke='#fff' stroke-width='4'/>",
        // Corners of every kind on a ground.
        "<rect width='40' height='40' fill='#fff'/><path d='M4 36L20 4l16 32zM20 14l-9 17h18z' fill='#b3261e' fill-rule='evenodd'/>",
        // Three colours that meet, none within another.
        "<path d='M3.3 3h34v34h-34z' fill='#0b3'/><path d='M15.3 3h22v34h-22z' fill='#fff'/><path d='M26.3 3h11v34h-11z' fill='#d22'/>",
        // Reaching over the border.
        "<rect width='40' height='40' fill='#123'/><path d='M-5 30C10 20 30 44 45 28V45H-5z' fill='#fd0'/>",
    ];
    for body in shapes {
        let raster = drawn(&svg(body), 160, 160);
        let mark = Mark::of(&raster).expect("a mark");
        let trace = mark.drawn(8);
        let (mean, most) = differences(&raster, &drawn(&trace, 160, 160));
        assert!(mean < 0.5 && most < 80, "{mean} {most}: {trace}");
        let large = drawn(&svg(body), 640, 640);
        let (mean, _) = differences(&large, &drawn(&trace, 640, 640));
        assert!(mean < 0.7, "{mean} at 4×: {trace}");
        assert!(trace.len() < 1200, "{} bytes: {trace}", trace.len());
        // A coarser dial is no heavier.
        assert!(mark.drawn(1).len() <= trace.len());
    }
}

#[test]
fn borders_of_straight_marks_are_straight() {
    let raster = drawn(
        &svg("<path d='M5.3 5.3H30.6V22H5.3z' fill='#333'/>"),
        80,
        80,
    );
    let trace = Mark::of(&raster).expect("a mark").drawn(10);
    assert!(trace.contains(r#"d="m"#), "{trace}");
    let data = trace
        .split("d=\"")
        .nth(1)
        .and_then(|data| data.split('"').next());
    let steps = path::read(data.expect("a path"));
    assert_eq!(steps.len(), 6, "{trace}");
    let wanted = [(10.6, 10.6), (61.2, 10.6), (61.2, 44.0), (10.6, 44.0)];
    for step in steps {
        let (Step::Move(at) | Step::Line(at)) = step else {
            continue;
        };
        let near = wanted
            .iter()
            .any(|to| (at.0 - to.0).abs() < 0.12 && (at.1 - to.1).abs() < 0.12);
        assert!(near, "{at:?} in {trace}");
    }
}

#[test]
fn what_is_no_flat_mark_is_refused() {
    let size = Size::new(64, 64).expect("a size");
    let of = |paint: fn(u32, u32) -> [u8; 3]| {
        let samples = (0..64 * 64).flat_map(|i| paint(i % 64, i / 64)).collect();
        Mark::of(&Raster::new(size, Channels::Rgb, samples).expect("whole rows")).err()
    };
    let slope = of(|x, y| [(x * 4) as u8, (y * 4) as u8, 128]);
    assert!(slope.is_some_and(|why: NotFlat| why.contains("flat areas")));
    let many = of(|x, y| [(x / 8 * 30) as u8, (y / 8 * 30) as u8, 0]);
    assert!(many.is_some_and(|why: NotFlat| why.contains("12 colours")));
    assert_eq!(of(|x, _| if x < 32 { [0; 3] } else { [255; 3] }), None);
}
