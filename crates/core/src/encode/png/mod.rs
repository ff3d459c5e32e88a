//! The adapter to the PNG encoder, behind an exact reduction to the leanest pixel form.

use std::collections::HashMap;

use png::{BitDepth, ColorType, Compression, Encoder, Filter, Info};

use super::coder::{Abilities, Coder, Prepared};
use super::{Chroma, Coding, EncodeError, Format, Manner, Pace, Passes, inscribe};
use crate::colour;
use crate::pixels::{Channels, Raster, Size};
use crate::source::{Kind, Nature};

const ABILITIES: Abilities = Abilities {
    kind: Kind::Png,
    extension: "png",
    alpha: true,
    lossless: true,
    longest_side: Size::MAX_SIDE,
    dials: None,
    ways: None,
    slow: false,
    memory: 8,
    frame_bytes: 70,
    repacks: false,
    passes: false,
    revision: 1,
};

/// The code points of Display P3 (ITU-T H.273): the primaries of SMPTE EG 432-1, the transfer
/// curve of sRGB, RGB without a matrix, full range.
const DISPLAY_P3: [u8; 4] = [12, 13, 0, 1];

/// The coder.
pub(super) struct Png;

impl Coder for Png {
    fn abilities(&self) -> &'static Abilities {
        &ABILITIES
    }

    fn prepare<'a>(
        &self,
        raster: &'a Raster,
        _: Passes,
    ) -> Result<Box<dyn Prepared + 'a>, EncodeError> {
        let form = Form::leanest(raster);
        Ok(Box::new(Leanest { raster, form }))
    }

    // It shares none.
    fn chroma(&self, _: Nature, _: Coding) -> Chroma {
        Chroma::Full
    }
}

/// A raster in its leanest form.
struct Leanest<'a> {
    raster: &'a Raster,
    form: Form,
}

impl Prepared for Leanest<'_> {
    fn encode(&self, manner: Manner) -> Result<Vec<u8>, EncodeError> {
        encode(self.raster, &self.form, manner.pace)
    }
}

fn encode(raster: &Raster, form: &Form, pace: Pace) -> Result<Vec<u8>, EncodeError> {
    let mut file = Vec::new();
    let failed = |error| EncodeError::failed(Format::Png, error);
    let size = raster.size();
    let mut info = Info::with_size(size.width(), size.height());
    let profile = colour::profile(raster.gamut());
    let is_wide = profile.is_some();
    info.icc_profile = profile.map(Into::into);
    let mut encoder = Encoder::with_info(&mut file, info).map_err(failed)?;
    encoder.set_color(form.colour);
    encoder.set_depth(form.depth);
    encoder.set_compression(match pace {
        Pace::Quick => Compression::Balanced,
        Pace::Steady | Pace::Patient => Compression::High,
    });
    // Neighbouring palette indices say nothing about each other, so filters only harm there.
    encoder.set_filter(match form.colour {
        ColorType::Indexed => Filter::NoFilter,
        _ => Filter::Adaptive,
    });
    if let Some(palette) = &form.palette {
        encoder.set_palette(
            palette
                .iter()
                .flat_map(|c| [c[0], c[1], c[2]])
                .collect::<Vec<u8>>(),
        );
        let opaque_tail = palette.iter().rev().take_while(|c| c[3] == 255).count();
        let alphas: Vec<u8> = palette.iter().map(|c| c[3]).collect();
        if opaque_tail < palette.len() {
            encoder.set_trns(alphas[..palette.len() - opaque_tail].to_vec());
        }
    }
    let mut writer = encoder.write_header().map_err(failed)?;
    writer.write_image_data(&form.samples).map_err(failed)?;
    writer.finish().map_err(failed)?;
    if is_wide {
        // Beside the profile, since not everything that reads the one reads the other.
        let marked = inscribe::png_with_code_points(&file, DISPLAY_P3);
        let unexpected = || EncodeError::failed(Format::Png, "its header is not as expected");
        return marked.ok_or_else(unexpected);
    }
    Ok(file)
}

/// A way to store the same pixels.
struct Form {
    colour: ColorType,
    depth: BitDepth,
    palette: Option<Vec<[u8; 4]>>,
    samples: Vec<u8>,
}

impl Form {
    /// Grey, a palette or full colour, whichever takes the fewest bits a pixel.
    fn leanest(raster: &Raster) -> Form {
        let palette = palette(raster).filter(|palette| palette.len() <= 256);
        let grey = raster.channels() == Channels::Rgb && is_grey(raster);
        match palette {
            // Grey in 8 bits filters better than a large palette of greys.
            Some(palette) if !(grey && palette.len() > 16) => Form::indexed(raster, palette),
            _ if grey => Form {
                colour: ColorType::Grayscale,
                depth: BitDepth::Eight,
                palette: None,
                samples: raster.samples().iter().step_by(3).copied().collect(),
            },
            _ => Form {
                colour: match raster.channels() {
                    Channels::Rgb => ColorType::Rgb,
                    Channels::Rgba => ColorType::Rgba,
                },
                depth: BitDepth::Eight,
                palette: None,
                samples: raster.samples().to_vec(),
            },
        }
    }

    fn indexed(raster: &Raster, palette: Vec<[u8; 4]>) -> Form {
        let (depth, bits) = match palette.len() {
            0..=2 => (BitDepth::One, 1),
            3..=4 => (BitDepth::Two, 2),
            5..=16 => (BitDepth::Four, 4),
            _ => (BitDepth::Eight, 8),
        };
        let index: HashMap<[u8; 4], u8> = palette.iter().copied().zip(0..=255).collect();
        let step = raster.channels().count();
        let mut samples = Vec::new();
        for row in raster.rows() {
            for pixels in row.chunks(step * 8 / bits) {
                let indices = pixels.chunks_exact(step).map(|pixel| index[&rgba(pixel)]);
                let mut shift = 8;
                samples.push(indices.fold(0, |byte, index| {
                    shift -= bits;
                    byte | index << shift
                }));
            }
        }
        Form {
            colour: ColorType::Indexed,
            depth,
            palette: Some(palette),
            samples,
        }
    }
}

fn rgba(pixel: &[u8]) -> [u8; 4] {
    let alpha = pixel.get(3).copied().unwrap_or(255);
    [pixel[0], pixel[1], pixel[2], alpha]
}

/// The colours in use, transparent ones first and otherwise in order, or `None` where there are
/// more than a palette holds.
fn palette(raster: &Raster) -> Option<Vec<[u8; 4]>> {
    let mut seen = std::collections::HashSet::new();
    let mut last = None;
    for pixel in raster.samples().chunks_exact(raster.channels().count()) {
        if last == Some(pixel) {
            continue;
        }
        last = Some(pixel);
        if seen.insert(rgba(pixel)) && seen.len() > 256 {
            return None;
        }
    }
    let mut colours: Vec<[u8; 4]> = seen.into_iter().collect();
    colours.sort_by_key(|&[r, g, b, alpha]| (alpha, r, g, b));
    Some(colours)
}

fn is_grey(raster: &Raster) -> bool {
    let mut pixels = raster.samples().chunks_exact(3);
    pixels.all(|pixel| pixel[0] == pixel[1] && pixel[1] == pixel[2])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixels::Size;

    /// Every reduction gives back the very pixels, and is as lean as it should be.
    #[test]
    fn reductions_are_exact() {
        type Paint = fn(usize) -> [u8; 4];
        let cases: [(&str, Paint, ColorType, BitDepth); 7] = [
            (
                "two colours",
                |i| [255 * (i % 2) as u8, 0, 0, 255],
                ColorType::Indexed,
                BitDepth::One,
            ),
            (
                "three and a hole",
                |i| [(i % 4) as u8, 0, 9, if i % 4 == 0 { 0 } else { 255 }],
                ColorType::Indexed,
                BitDepth::Two,
            ),
            (
                "sixteen",
                |i| [(i % 16) as u8, 7, 7, 255],
                ColorType::Indexed,
                BitDepth::Four,
            ),
            (
                "256",
                |i| [(i % 256) as u8, 7, 7, 255],
                ColorType::Indexed,
                BitDepth::Eight,
            ),
            (
                "many greys",
                |i| {
                    [(i % 251) as u8; 3]
                        .map(|v| v)
                        .into_iter()
                        .chain([255])
                        .collect::<Vec<_>>()
                        .try_into()
                        .expect("four")
                },
                ColorType::Grayscale,
                BitDepth::Eight,
            ),
            (
                "full colour",
                |i| [(i % 256) as u8, (i / 7 % 256) as u8, 3, 255],
                ColorType::Rgb,
                BitDepth::Eight,
            ),
            (
                "full colour, faint",
                |i| [(i % 256) as u8, (i / 7 % 256) as u8, 3, (i % 200) as u8 + 1],
                ColorType::Rgba,
                BitDepth::Eight,
            ),
        ];
        for (name, paint, colour, depth) in cases {
            let size = Size::new(37, 29).expect("a size");
            let samples = (0..37 * 29).flat_map(paint).collect();
            let raster = Raster::new(size, Channels::Rgba, samples).expect("whole rows");
            let raster = raster.without_idle_alpha();
            let form = Form::leanest(&raster);
            let file = encode(&raster, &form, Pace::Steady).expect("an encoded file");
            let mut decoder = png::Decoder::new(std::io::Cursor::new(&file));
            let header = decoder.read_header_info().expect("a header");
            assert_eq!(
                (header.color_type, header.bit_depth),
                (colour, depth),
                "{name}"
            );
            decoder.set_transformations(png::Transformations::ALPHA);
            let mut reader = decoder.read_info().expect("a header");
            let mut found = vec![0; reader.output_buffer_size().expect("small")];
            reader.next_frame(&mut found).expect("pixels");
            let wanted: Vec<u8> = match colour {
                ColorType::Grayscale => (0..37 * 29).flat_map(|i| [paint(i)[0], 255]).collect(),
                _ => (0..37 * 29).flat_map(paint).collect(),
            };
            assert!(found == wanted, "{name}");
        }
    }
}
