//! What coders say that their files show is what decoders find in them: the search scores the one, and a
//! visitor sees the other.

use kiln_core::decode;
use kiln_core::encode::{self, Chroma, Coding, Format, Manner, Pace, Passes};
use kiln_core::pixels::{Channels, Gamut, Raster, Size};

type Paint = fn(u32, u32) -> [u8; 4];

/// Opaque, soft, with holes, and grey.
const PAINTS: [Paint; 4] = [
    |x, y| [(x * 14) as u8, (y * 13) as u8, (x * y) as u8, 255],
    |x, y| [200, (y * 9) as u8, 30, (x * 15 + y) as u8],
    |x, y| {
        [
            (x * 9) as u8,
            90,
            7,
            if (x + y).is_multiple_of(3) { 0 } else { 255 },
        ]
    },
    |x, y| {
        let level = ((x ^ y) * 15) as u8;
        [level, level, level, 255]
    },
];

const LOSSY: [Chroma; 2] = [Chroma::Halved, Chroma::Full];

/// The ways that each format has.
const WAYS: [(Format, &[Chroma], &[u8]); 6] = [
    (Format::Avif, &LOSSY, &[5, 60, 98]),
    (Format::Jpeg, &LOSSY, &[10, 60, 98]),
    (Format::Png, &[Chroma::Counted], &[1, 40, 80, 100]),
    (Format::WebP, &LOSSY, &[1, 50, 100]),
    (Format::WebP, &[Chroma::Counted], &[1, 30, 80]),
    (Format::WebP, &[Chroma::Near], &[1, 4]),
];

fn raster((width, height): (u32, u32), paint: Paint) -> Raster {
    let pixels = (0..height).flat_map(|y| (0..width).map(move |x| (x, y)));
    let samples = pixels.flat_map(|(x, y)| paint(x, y)).collect();
    let size = Size::new(width, height).expect("a size");
    let raster = Raster::new(size, Channels::Rgba, samples).expect("whole rows");
    raster.without_idle_alpha().in_gamut(Gamut::DisplayP3)
}

#[test]
fn a_file_shows_what_its_coder_says() {
    let mut told = 0;
    for side in 1..=17 {
        for paint in PAINTS {
            let raster = raster((side, 18 - side), paint);
            for (format, chromas, dials) in WAYS {
                let Ok(ready) = encode::prepare(&raster, format, Passes::default()) else {
                    assert!(!format.holds_alpha() && raster.is_transparent());
                    continue;
                };
                let dials = dials.iter().map(|dial| Coding::Dial(*dial));
                let codings = dials.chain(format.is_exact().then_some(Coding::Lossless));
                for coding in codings {
                    for &chroma in chromas {
                        let manner = Manner {
                            coding,
                            chroma,
                            pace: Pace::Quick,
                        };
                        let (file, shown) = ready.shown(manner).expect("a file");
                        let found = decode::finished(format.kind(), &file, raster.size());
                        let found = found.expect("a sound file").in_gamut(raster.gamut());
                        assert!(shown.is_some() || format != Format::Avif);
                        if let Some(shown) = shown {
                            assert!(shown == found, "{side} wide, {format}, {manner:?}");
                            told += 1;
                        }
                        if coding == Coding::Lossless {
                            let visible = |raster: &Raster| raster.over([9, 99, 199]);
                            assert!(visible(&found) == visible(&raster), "{side} wide, {format}");
                        }
                    }
                }
            }
        }
    }
    assert!(told > 1000, "{told}");
}
