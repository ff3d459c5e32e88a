//! The adapter to the AV1 decoder: items of a file, alone or in a grid (ISO/IEC 23008-12, 6.6.2.3), of 8
//! to 12 bits, grey or with chroma as fine as luma or coarser, as ITU-T H.273 says what they mean.

use moxcms::{
    CicpColorPrimaries, CicpProfile, ColorProfile, MatrixCoefficients, TransferCharacteristics,
};
use re_rav1d::{Decoder, Picture, PixelLayout, PlanarImageComponent, Settings};

use super::whole::{Samples, Whole};
use super::{DecodeError, Form, Ink};
use crate::container::items::{Item, Items, Property};
use crate::container::{Fault, Scan, iso};
use crate::pixels::{Meaning, Plane, Planes, Size, Unmixed, Values};
use crate::source::Kind;

/// See [`super::revision`].
pub(super) const REVISION: u32 = 1;

/// Opens a file whose picture is known to be of a size.
pub(super) fn open(bytes: &[u8], size: Size) -> Result<Whole, DecodeError> {
    let items = items(bytes)?;
    let primary = items
        .primary()
        .ok_or_else(|| damaged("it shows none of its items"))?;
    if primary.properties.contains(&Property::Cropped) {
        return Err(DecodeError::unsupported(Kind::Avif, "a crop of its own"));
    }
    let reader = Reader {
        items: &items,
        bytes,
        size,
    };
    let said = Said::of(primary);
    let mut colour = reader.picture(primary, &said)?;
    let alpha = match items.alpha_of(primary.id) {
        Some(item) => Some(reader.picture(item, &Said::of(item))?),
        None => None,
    };
    let wrong = [Some(&colour), alpha.as_ref()].into_iter().flatten();
    for picture in wrong {
        if picture.size != size {
            return Err(DecodeError::Contradiction {
                kind: Kind::Avif,
                said: size,
                found: picture.size,
            });
        }
    }
    if let Some(alpha) = &alpha {
        let holds = |kind| items.referred(kind, primary.id).any(|_| true);
        colour.join(alpha, holds(b"prem"));
    }
    let ink = match colour.count {
        1 => Ink::Grey,
        2 => Ink::GreyAlpha,
        3 => Ink::Rgb,
        _ => Ink::Rgba,
    };
    let icc = said.icc.map(<[u8]>::to_vec);
    let form = Form {
        size,
        ink,
        icc: match icc {
            Some(icc) => Some(icc),
            None => profile(colour.meaning)?,
        },
    };
    Ok(Whole::new(Kind::Avif, form, samples(colour)))
}

fn damaged(error: impl Into<Box<dyn std::error::Error + Send + Sync>>) -> DecodeError {
    DecodeError::damaged(Kind::Avif, error)
}

fn faulty(fault: Fault) -> DecodeError {
    match fault {
        Fault::Rule(what) => damaged(what),
        Fault::CutOff | Fault::Read(_) => DecodeError::CutOff(Kind::Avif),
    }
}

/// What the file says of its items.
fn items(bytes: &[u8]) -> Result<Items, DecodeError> {
    let mut scan = Scan::of(bytes);
    while let Some(part) = iso::next(&mut scan, bytes.len() as u64).map_err(faulty)? {
        if let (b"meta", Some(body)) = (&part.name, part.of(bytes)) {
            return Items::read(body.to_vec()).map_err(faulty);
        }
        scan.go_to(part.end).map_err(faulty)?;
    }
    Err(DecodeError::CutOff(Kind::Avif))
}

/// What stands beside an item on its colours.
struct Said<'a> {
    icc: Option<&'a [u8]>,
    meaning: Option<Meaning>,
}

impl<'a> Said<'a> {
    fn of(item: &'a Item) -> Said<'a> {
        let mut said = Said {
            icc: None,
            meaning: None,
        };
        for property in &item.properties {
            match *property {
                Property::Icc(ref profile) => said.icc = Some(profile),
                Property::Cicp {
                    primaries,
                    transfer,
                    matrix,
                    full,
                } => {
                    said.meaning = Some(Meaning {
                        primaries,
                        transfer,
                        matrix,
                        full,
                    });
                }
                _ => {}
            }
        }
        said
    }
}

/// The colour profile of code points; `None` for those that mean sRGB, or say nothing. The curve of
/// television is read as that of sRGB, as all browsers do.
fn profile(meaning: Meaning) -> Result<Option<Vec<u8>>, DecodeError> {
    const UNSPECIFIED: u16 = 2;
    let transfer = match meaning.transfer {
        16 | 18 => {
            let what = "brightness beyond that of paper (PQ or HLG)";
            return Err(DecodeError::unsupported(Kind::Avif, what));
        }
        1 | UNSPECIFIED | 6 | 13..=15 => 13,
        other => other,
    };
    let primaries = match meaning.primaries {
        UNSPECIFIED => 1,
        other => other,
    };
    if (primaries, transfer) == (1, 13) {
        return Ok(None);
    }
    let code =
        |code: u16| u8::try_from(code).map_err(|_| damaged("its colours are of no known kind"));
    let color_primaries = CicpColorPrimaries::try_from(code(primaries)?).map_err(damaged)?;
    let transfer_characteristics =
        TransferCharacteristics::try_from(code(transfer)?).map_err(damaged)?;
    let profile = ColorProfile::new_from_cicp(CicpProfile {
        color_primaries,
        transfer_characteristics,
        matrix_coefficients: MatrixCoefficients::Identity,
        full_range: true,
    });
    profile.encode().map(Some).map_err(damaged)
}

fn samples(values: Values) -> Samples {
    match values.bits {
        8 => Samples::Eight(values.eight()),
        _ => Samples::Sixteen(values.sixteen()),
    }
}

/// A file, and the size that its picture must have.
struct Reader<'a> {
    items: &'a Items,
    bytes: &'a [u8],
    size: Size,
}

impl Reader<'_> {
    fn picture(&self, item: &Item, said: &Said<'_>) -> Result<Values, DecodeError> {
        match &item.kind {
            b"av01" => self.frame(item, said),
            b"grid" => self.grid(item, said),
            _ => Err(DecodeError::unsupported(
                Kind::Avif,
                "an item that is computed from others",
            )),
        }
    }

    fn body(&self, item: &Item) -> Result<Vec<u8>, DecodeError> {
        let body = self.items.bytes(item, self.bytes);
        body.ok_or(DecodeError::CutOff(Kind::Avif))
    }

    /// Pictures beside and below one another, cut off at the right and at the bottom.
    fn grid(&self, item: &Item, said: &Said<'_>) -> Result<Values, DecodeError> {
        let body = self.body(item)?;
        let mut scan = Scan::of(&body);
        let [_, flags, rows, columns] = scan.bytes().map_err(faulty)?;
        let wide = if flags & 1 == 0 { 2 } else { 4 };
        let mut side = || scan.big(wide).map(|side| side as u32).map_err(faulty);
        let size = Size::new(side()?, side()?).filter(|&size| size == self.size);
        let size = size.ok_or_else(|| damaged("its grid is of another size"))?;
        let (rows, columns) = (usize::from(rows) + 1, usize::from(columns) + 1);
        let tiles: Vec<u32> = self.items.referred(b"dimg", item.id).collect();
        if tiles.len() != rows * columns {
            return Err(damaged("its grid has gaps"));
        }
        let (width, height) = (size.width() as usize, size.height() as usize);
        let mut whole: Option<(Values, Size)> = None;
        for (index, tile) in tiles.into_iter().enumerate() {
            let tile = self.items.get(tile).filter(|tile| tile.kind == *b"av01");
            let tile = tile.ok_or_else(|| damaged("its grid holds what is no picture"))?;
            let tile = self.frame(tile, said)?;
            let (whole, side) = whole.get_or_insert_with(|| {
                let values = vec![0; width * height * tile.count];
                (
                    Values {
                        size,
                        values,
                        ..tile
                    },
                    tile.size,
                )
            });
            let same = (tile.count, tile.bits, tile.size) == (whole.count, whole.bits, *side);
            let (across, down) = (side.width() as usize, side.height() as usize);
            if !same || across * columns < width || down * rows < height {
                return Err(damaged("the parts of its grid do not fit"));
            }
            let (left, top) = (index % columns * across, index / columns * down);
            let shown = across.min(width.saturating_sub(left)) * tile.count;
            let lines = whole.values.chunks_exact_mut(width * tile.count).skip(top);
            for (line, row) in lines.zip(tile.values.chunks_exact(across * tile.count)) {
                let from = (left * tile.count).min(line.len());
                line[from..from + shown].copy_from_slice(&row[..shown]);
            }
        }
        whole
            .map(|(whole, _)| whole)
            .ok_or_else(|| damaged("its grid is empty"))
    }

    /// The one frame of an item.
    fn frame(&self, item: &Item, said: &Said<'_>) -> Result<Values, DecodeError> {
        let data = self.body(item)?;
        if data.is_empty() {
            // The decoder takes none for a mistake of its caller.
            return Err(damaged("an item of it is empty"));
        }
        let mut settings = Settings::new();
        settings.set_n_threads(1);
        settings.set_max_frame_delay(1);
        // The parts of a grid may be larger than the whole.
        let limit = self.size.pixels().saturating_mul(4).saturating_add(1 << 20);
        settings.set_frame_size_limit(u32::try_from(limit).unwrap_or(u32::MAX));
        let mut decoder = Decoder::with_settings(&settings).map_err(damaged)?;
        decoder.send_data(data, None, None, None).map_err(damaged)?;
        values(&decoder.get_picture().map_err(damaged)?, said)
    }
}

/// A plane of a frame, which may be coarser than the frame.
fn plane(picture: &Picture, component: PlanarImageComponent) -> Plane<'static> {
    let halved = match (component, picture.pixel_layout()) {
        (PlanarImageComponent::Y, _) => (false, false),
        (_, PixelLayout::I420) => (true, true),
        (_, PixelLayout::I422) => (true, false),
        _ => (false, false),
    };
    let side = |side: u32, halved| side.div_ceil(1 + u32::from(halved)) as usize;
    let size = (
        side(picture.width(), halved.0),
        side(picture.height(), halved.1),
    );
    let (samples, stride) = (picture.plane(component), picture.stride(component) as usize);
    let is_deep = picture.bit_depth() > 8;
    Plane::new(size, halved, move |y, into: &mut Vec<u16>| {
        let row = &samples[y * stride..];
        if is_deep {
            let row = row[..size.0 * 2].as_chunks::<2>().0;
            into.extend(row.iter().map(|&value| u16::from_ne_bytes(value)));
        } else {
            into.extend(row[..size.0].iter().map(|&value| u16::from(value)));
        }
    })
}

/// The pixels of a frame, as grey or as red, green and blue.
fn values(picture: &Picture, said: &Said<'_>) -> Result<Values, DecodeError> {
    let size = Size::new(picture.width(), picture.height());
    let size = size.ok_or(DecodeError::CutOff(Kind::Avif))?;
    let meaning = said.meaning.unwrap_or(Meaning {
        primaries: picture.color_primaries() as u16,
        transfer: picture.transfer_characteristic() as u16,
        matrix: picture.matrix_coefficients() as u16,
        full: picture.color_range() == re_rav1d::pixel::YUVRange::Full,
    });
    let [y, u, v] = [
        PlanarImageComponent::Y,
        PlanarImageComponent::U,
        PlanarImageComponent::V,
    ];
    let is_grey = picture.pixel_layout() == PixelLayout::I400;
    let planes = Planes {
        size,
        bits: picture.bit_depth() as u32,
        luma: plane(picture, y),
        chroma: (!is_grey).then(|| [u, v].map(|component| plane(picture, component))),
    };
    planes.values(meaning).map_err(|unmixed| match unmixed {
        Unmixed::Parted => damaged("its planes are colours, and not all whole"),
        Unmixed::Uncommon => {
            let what = "colours that are mixed in no common way";
            DecodeError::unsupported(Kind::Avif, what)
        }
    })
}
