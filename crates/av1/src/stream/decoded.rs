//! What an independent decoder shows, for tests and fuzz targets.

use kiln_av1::{Chroma, Depth, Picture, Plane};
use re_rav1d::{Decoder, PixelLayout, PlanarImageComponent, Settings};

/// What another decoder makes of a picture.
pub fn decoded(units: &[u8]) -> Result<Picture, String> {
    let mut settings = Settings::new();
    settings.set_n_threads(1);
    let mut decoder = Decoder::with_settings(&settings).map_err(|error| error.to_string())?;
    decoder
        .send_data(units.to_vec(), None, None, None)
        .map_err(|error| error.to_string())?;
    let shown = decoder.get_picture().map_err(|error| error.to_string())?;
    let (chroma, planes): (_, &[PlanarImageComponent]) = match shown.pixel_layout() {
        PixelLayout::I400 => (Chroma::None, &[PlanarImageComponent::Y]),
        layout => (
            if layout == PixelLayout::I420 {
                Chroma::Halved
            } else {
                Chroma::Full
            },
            &[
                PlanarImageComponent::Y,
                PlanarImageComponent::U,
                PlanarImageComponent::V,
            ],
        ),
    };
    let depth = if shown.bit_depth() == 8 {
        Depth::Eight
    } else {
        Depth::Ten
    };
    let planes = planes.iter().enumerate().map(|(index, &component)| {
        let halved = index > 0 && chroma == Chroma::Halved;
        let side = |side: u32| (side as usize).div_ceil(1 + usize::from(halved));
        let (width, height) = (side(shown.width()), side(shown.height()));
        let (plane, stride) = (shown.plane(component), shown.stride(component) as usize);
        let sample = |row: &[u8], x: usize| match depth {
            Depth::Eight => row[x].into(),
            Depth::Ten => u16::from_le_bytes([row[2 * x], row[2 * x + 1]]),
        };
        let rows = plane.chunks(stride).take(height);
        let samples = rows.flat_map(|row| (0..width).map(move |x| sample(row, x)));
        Plane::new(width, samples.collect())
    });
    let planes: Option<Vec<Plane>> = planes.collect();
    planes
        .and_then(|planes| Picture::new(chroma, depth, planes))
        .ok_or("planes that do not fit".to_owned())
}
