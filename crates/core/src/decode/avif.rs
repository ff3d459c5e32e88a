//! The adapter to the AV1 decoder, for pieces of our own: 8 bits, the ITU-R BT.601 matrix, full
//! range, chroma whole or halved both ways, alpha as a picture of its own.

use avif_parse::AvifData;
use re_rav1d::{Decoder, Picture, PixelLayout, PlanarImageComponent, Settings};

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink};
use crate::pixels::Size;
use crate::source::Kind;

pub(super) fn open(mut bytes: &[u8]) -> Result<Whole, DecodeError> {
    let container = AvifData::from_reader(&mut bytes).map_err(damaged)?;
    let colour = frame(&container.primary_item)?;
    let size = Size::new(colour.width(), colour.height()).ok_or(DecodeError::CutOff(Kind::Avif))?;
    let mut samples = rgb(&colour)?;
    let mut ink = Ink::Rgb;
    if let Some(item) = &container.alpha_item {
        let alpha = frame(item)?;
        if (alpha.width(), alpha.height()) != (size.width(), size.height()) {
            return Err(damaged("its alpha is of another size"));
        }
        let plane = Plane::of(&alpha, PlanarImageComponent::Y);
        let rows = (0..size.height() as usize).flat_map(|y| plane.row(y));
        let pixels = samples.as_chunks::<3>().0.iter().zip(rows);
        samples = pixels
            .flat_map(|(&[r, g, b], &alpha)| [r, g, b, alpha])
            .collect();
        ink = Ink::Rgba;
    }
    let form = Form {
        size,
        ink,
        icc: None,
    };
    Ok(Whole::new(Kind::Avif, form, Samples::Eight(samples)))
}

/// The one frame of an item.
fn frame(item: &[u8]) -> Result<Picture, DecodeError> {
    if item.is_empty() {
        // The decoder takes none for a mistake of its caller.
        return Err(damaged("an item of it is empty"));
    }
    let mut settings = Settings::new();
    settings.set_n_threads(1);
    settings.set_max_frame_delay(1);
    let mut decoder = Decoder::with_settings(&settings).map_err(damaged)?;
    decoder
        .send_data(item.to_vec(), None, None, None)
        .map_err(damaged)?;
    let picture = decoder.get_picture().map_err(damaged)?;
    match picture.bit_depth() {
        8 => Ok(picture),
        _ => Err(damaged("it has more than 8 bits")),
    }
}

fn damaged(error: impl Into<Box<dyn std::error::Error + Send + Sync>>) -> DecodeError {
    DecodeError::damaged(Kind::Avif, error)
}

/// A plane of a frame.
struct Plane {
    samples: re_rav1d::Plane,
    stride: usize,
    width: usize,
    height: usize,
}

impl Plane {
    fn of(picture: &Picture, component: PlanarImageComponent) -> Plane {
        let halved =
            component != PlanarImageComponent::Y && picture.pixel_layout() == PixelLayout::I420;
        let side = |side: u32| side.div_ceil(1 + u32::from(halved)) as usize;
        Plane {
            samples: picture.plane(component),
            stride: picture.stride(component) as usize,
            width: side(picture.width()),
            height: side(picture.height()),
        }
    }

    fn row(&self, y: usize) -> &[u8] {
        &self.samples[y.min(self.height - 1) * self.stride..][..self.width]
    }

    /// A row at twice the resolution both ways: each sample lies in the middle of four pixels,
    /// which take three quarters of the nearest and one of the next, as browsers do it.
    fn doubled_row(&self, y: usize, into: &mut Vec<u8>) {
        let near = self.row(y / 2);
        let next = match y % 2 {
            0 => self.row((y / 2).saturating_sub(1)),
            _ => self.row(y / 2 + 1),
        };
        let down = |x: usize| u16::from(near[x]) * 3 + u16::from(next[x]);
        into.clear();
        for x in 0..self.width {
            let here = down(x) * 3;
            let (left, right) = (down(x.saturating_sub(1)), down((x + 1).min(self.width - 1)));
            into.extend([left, right].map(|beside| ((here + beside + 8) >> 4) as u8));
        }
    }
}

/// Red, green and blue of all pixels.
fn rgb(picture: &Picture) -> Result<Vec<u8>, DecodeError> {
    let [y, u, v] = [
        PlanarImageComponent::Y,
        PlanarImageComponent::U,
        PlanarImageComponent::V,
    ];
    let luma = Plane::of(picture, y);
    let mut samples = Vec::with_capacity(luma.width * luma.height * 3);
    let chroma = match picture.pixel_layout() {
        PixelLayout::I400 => return Err(damaged("it has no colours")),
        PixelLayout::I422 => return Err(damaged("its chroma is halved one way only")),
        PixelLayout::I420 | PixelLayout::I444 => [Plane::of(picture, u), Plane::of(picture, v)],
    };
    let halved = picture.pixel_layout() == PixelLayout::I420;
    let mut doubled = [Vec::new(), Vec::new()];
    for y in 0..luma.height {
        let [blue, red] = match halved {
            true => {
                for (plane, row) in chroma.iter().zip(&mut doubled) {
                    plane.doubled_row(y, row);
                }
                doubled.each_ref().map(|row| &row[..luma.width])
            }
            false => chroma.each_ref().map(|plane| plane.row(y)),
        };
        for ((&luma, &blue), &red) in luma.row(y).iter().zip(blue).zip(red) {
            let [y, blue, red] = [
                f32::from(luma),
                f32::from(blue) - 128.0,
                f32::from(red) - 128.0,
            ];
            let green = y - 0.344_136_3 * blue - 0.714_136_3 * red;
            samples.extend([y + 1.402 * red, green, y + 1.772 * blue].map(|s| (s + 0.5) as u8));
        }
    }
    Ok(samples)
}
