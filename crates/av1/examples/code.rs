//! Codes a picture and writes what decoders show of it, for experiments.
//!
//!     cargo run --release -p kiln-av1 --example code -- IN.ppm OUT.ppm QUANTISER [quick|steady|patient] [full] [eight]
//!
//! At ten bits, unless the picture is drawn or `eight` are asked for; quantiser 0 is without loss. Prints bytes, seconds, and seconds of a further encode. With OUT.obu beside OUT.ppm.

#![allow(clippy::expect_used, clippy::print_stdout)]

use std::io::Write;

use kiln_av1::{Chroma, Colour, Depth, Pace, Picture, Plane, Prepared, is_drawn};

fn main() {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let file = std::fs::read(&arguments[0]).expect("a picture");
    let quantiser = arguments[2].parse().expect("a quantiser");
    let pace = match arguments.get(3).map(String::as_str) {
        Some("quick") => Pace::Quick,
        Some("patient") => Pace::Patient,
        _ => Pace::Steady,
    };
    let full = arguments.iter().any(|argument| argument == "full");
    let (width, height, rgb) = ppm(&file);
    let exact = quantiser == 0;
    let planes = match exact {
        true => split(width, rgb),
        false => to_planes(width, height, rgb, (full, Depth::Eight)),
    };
    let luma = Picture::new(Chroma::None, Depth::Eight, planes[..1].to_vec()).expect("a plane");
    let eight = exact || is_drawn(&luma) || arguments.iter().any(|argument| argument == "eight");
    let (depth, planes) = match eight {
        true => (Depth::Eight, planes),
        false => (
            Depth::Ten,
            to_planes(width, height, rgb, (full, Depth::Ten)),
        ),
    };
    let full = full || exact;
    let colour = Colour {
        matrix: if exact { 0 } else { 6 },
        ..Colour::default()
    };
    let chroma = if full { Chroma::Full } else { Chroma::Halved };
    let picture = Picture::new(chroma, depth, planes).expect("planes");
    let start = std::time::Instant::now();
    let prepared = Prepared::new(&picture).expect("planes");
    let encode = |quantiser: u8| prepared.encode(colour, quantiser, pace).expect("a file");
    let coded = encode(quantiser);
    let seconds = start.elapsed().as_secs_f64();
    encode(quantiser ^ 1);
    let again = start.elapsed().as_secs_f64() - seconds;
    let mut out = std::fs::File::create(&arguments[1]).expect("a file");
    write!(out, "P6\n{width} {height}\n255\n").expect("a header");
    let shown = match exact {
        true => rgb.to_vec(),
        false => to_rgb(&coded.shown, full),
    };
    out.write_all(&shown).expect("samples");
    std::fs::write(format!("{}.obu", arguments[1]), &coded.units).expect("units");
    println!("{} {seconds:.3} {again:.3}", coded.units.len());
}

fn ppm(file: &[u8]) -> (usize, usize, &[u8]) {
    let mut at = 2;
    let mut numbers = [0; 3];
    for number in &mut numbers {
        while file[at].is_ascii_whitespace() {
            at += 1;
        }
        while file[at].is_ascii_digit() {
            *number = *number * 10 + usize::from(file[at] - b'0');
            at += 1;
        }
    }
    (numbers[0], numbers[1], &file[at + 1..])
}

/// Green, blue and red as they are.
fn split(width: usize, rgb: &[u8]) -> Vec<Plane> {
    let plane = |at: usize| {
        let samples = rgb.iter().skip(at).step_by(3).map(|&sample| sample.into());
        Plane::new(width, samples.collect()).expect("a plane")
    };
    [1, 2, 0].map(plane).to_vec()
}

/// How many numbers of a depth one of eight bits is.
fn scale(depth: Depth) -> f32 {
    ((1 << depth.bits()) - 1) as f32 / 255.0
}

/// Where chroma is neither.
fn middle(depth: Depth) -> f32 {
    (1 << (depth.bits() - 1)) as f32
}

fn to_planes(width: usize, height: usize, rgb: &[u8], (full, depth): (bool, Depth)) -> Vec<Plane> {
    let (scale, middle) = (scale(depth), middle(depth));
    let mut planes = [vec![], vec![], vec![]];
    for pixel in rgb.chunks_exact(3) {
        let [r, g, b] = [pixel[0], pixel[1], pixel[2]].map(f32::from);
        let y = 0.299 * r + 0.587 * g + 0.114 * b;
        planes[0].push(y * scale);
        planes[1].push((b - y) / 1.772 * scale + middle);
        planes[2].push((r - y) / 1.402 * scale + middle);
    }
    let rounded = |value: f32| value.round().clamp(0.0, 255.0 * scale) as u16;
    let whole =
        |plane: &[f32]| Plane::new(width, plane.iter().map(|&value| rounded(value)).collect());
    let halved = |plane: &[f32]| {
        let (w, h) = (width.div_ceil(2), height.div_ceil(2));
        let samples = (0..w * h).map(|at| {
            let (x, y) = (at % w * 2, at / w * 2);
            let mut sum = 0.0;
            for (dx, dy) in [(0, 0), (1, 0), (0, 1), (1, 1)] {
                sum += plane[(y + dy).min(height - 1) * width + (x + dx).min(width - 1)];
            }
            rounded(sum / 4.0)
        });
        Plane::new(w, samples.collect())
    };
    let [y, u, v] = &planes;
    let all = if full {
        [whole(y), whole(u), whole(v)]
    } else {
        [whole(y), halved(u), halved(v)]
    };
    all.map(|plane| plane.expect("a plane")).to_vec()
}

fn to_rgb(picture: &Picture, full: bool) -> Vec<u8> {
    let (width, height) = (picture.width(), picture.height());
    let planes = picture.planes();
    let (scale, middle) = (scale(picture.depth()), middle(picture.depth()));
    let chroma = |plane: &Plane, x: usize, y: usize| -> f32 {
        let at = |x: usize, y: usize| f32::from(plane.samples()[y * plane.width() + x]);
        if full {
            return at(x, y);
        }
        // Between the centres of four.
        let near = |at: usize, count: usize| {
            (
                at / 2,
                if at.is_multiple_of(2) {
                    (at / 2).saturating_sub(1)
                } else {
                    (at / 2 + 1).min(count - 1)
                },
            )
        };
        let ((x0, x1), (y0, y1)) = (near(x, plane.width()), near(y, plane.height()));
        (9.0 * at(x0, y0) + 3.0 * at(x1, y0) + 3.0 * at(x0, y1) + at(x1, y1)) / 16.0
    };
    let mut rgb = Vec::with_capacity(width * height * 3);
    for at in 0..width * height {
        let (x, y) = (at % width, at / width);
        let luma = f32::from(planes[0].samples()[at]) / scale;
        let (u, v) = (
            (chroma(&planes[1], x, y) - middle) / scale,
            (chroma(&planes[2], x, y) - middle) / scale,
        );
        for value in [
            luma + 1.402 * v,
            luma - 0.344_136 * u - 0.714_136 * v,
            luma + 1.772 * u,
        ] {
            rgb.push(value.round().clamp(0.0, 255.0) as u8);
        }
    }
    rgb
}
