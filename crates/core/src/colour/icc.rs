//! The adapter to the ICC engine.

use std::sync::Arc;

use moxcms::{
    ColorProfile, DataColorSpace, Layout, ProfileText, RenderingIntent, Transform16BitExecutor,
    TransformOptions,
};

use super::curve;
use crate::decode::Ink;
use crate::pixels::Gamut;

/// A profile that is damaged or does not fit the samples.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Unusable;

/// What a profile says of itself.
#[derive(Clone, Debug, PartialEq)]
pub struct ProfileFacts {
    /// Its description.
    pub description: String,
    /// Whether it can hold colours outside sRGB.
    pub wide: bool,
}

/// Reads a profile's own words; `None` where it is damaged.
pub fn describe(profile: &[u8]) -> Option<ProfileFacts> {
    let profile = ColorProfile::new_from_slice(profile).ok()?;
    let description = match &profile.description {
        Some(ProfileText::PlainString(text)) => text.clone(),
        Some(ProfileText::Localizable(texts)) => {
            texts.first().map_or(String::new(), |t| t.value.clone())
        }
        Some(ProfileText::Description(texts)) => texts.ascii_string.clone(),
        None => String::new(),
    };
    // The gamut's area in the chromaticity plane, with a tenth to spare for rounded primaries.
    let is_rgb = profile.color_space == DataColorSpace::Rgb;
    let wide = is_rgb && area(&profile) > 1.1 * area(&ColorProfile::new_srgb());
    Some(ProfileFacts {
        description: description.trim_matches(['\0', ' ']).to_owned(),
        wide,
    })
}

/// Twice the area of the triangle of the primaries, in CIE 1931 xy.
fn area(profile: &ColorProfile) -> f64 {
    let xy = |c: moxcms::Xyzd| {
        let sum = (c.x + c.y + c.z).max(1e-9);
        (c.x / sum, c.y / sum)
    };
    let [r, g, b] = [
        profile.red_colorant,
        profile.green_colorant,
        profile.blue_colorant,
    ]
    .map(xy);
    ((g.0 - r.0) * (b.1 - r.1) - (b.0 - r.0) * (g.1 - r.1)).abs()
}

/// The engine's own profile of a gamut.
fn profile_of(gamut: Gamut) -> ColorProfile {
    match gamut {
        Gamut::Srgb => ColorProfile::new_srgb(),
        Gamut::DisplayP3 => ColorProfile::new_display_p3(),
    }
}

/// The profile that says what samples of a gamut stand for, about 600 bytes (ICC.1, version 4);
/// `None` for sRGB, which everything without a profile is taken for.
pub fn profile(gamut: Gamut) -> Option<Vec<u8>> {
    match gamut {
        Gamut::Srgb => None,
        Gamut::DisplayP3 => profile_of(gamut).encode().ok(),
    }
}

/// An sRGB colour in a gamut.
pub fn in_gamut(colour: [u8; 3], gamut: Gamut) -> [u8; 3] {
    let mut found = colour;
    if gamut != Gamut::Srgb {
        let srgb = ColorProfile::new_srgb();
        let options = options(RenderingIntent::RelativeColorimetric);
        let (from, to) = (Layout::Rgb, profile_of(gamut));
        // Between the engine's own profiles there always is a way.
        if let Ok(transform) = srgb.create_transform_8bit(from, &to, Layout::Rgb, options) {
            let _ = transform.transform(&colour, &mut found);
        }
    }
    found
}

fn options(rendering_intent: RenderingIntent) -> TransformOptions {
    TransformOptions {
        rendering_intent,
        ..TransformOptions::default()
    }
}

/// A conversion of 16-bit samples to a gamut.
pub(super) struct Conversion {
    transform: Arc<Transform16BitExecutor>,
    from: usize,
    to: Ink,
    /// The light of the profile's darkest colour, which becomes black.
    black: f32,
}

/// A profile whose result differs by less than this from its input, at all test colours, is
/// that gamut by another name: a third of an 8-bit level.
const SAME: i32 = 257 / 3;

/// A darkest colour lighter than this is not meant as black: a lightness of 50 (ISO 18619).
const LIGHTEST_BLACK: f32 = 0.184;

impl Conversion {
    /// A conversion from a profile's space to a gamut, relative colorimetric; `None` where the
    /// profile describes that gamut itself.
    pub(super) fn new(profile: &[u8], ink: Ink, gamut: Gamut) -> Result<Option<Self>, Unusable> {
        let source = ColorProfile::new_from_slice(profile).map_err(|_| Unusable)?;
        let (from, to, delivers) = match ink {
            Ink::Grey => (Layout::Gray, Layout::Rgb, Ink::Rgb),
            Ink::GreyAlpha => (Layout::GrayAlpha, Layout::Rgba, Ink::Rgba),
            Ink::Rgb => (Layout::Rgb, Layout::Rgb, Ink::Rgb),
            Ink::Rgba => (Layout::Rgba, Layout::Rgba, Ink::Rgba),
            Ink::Cmyk => (Layout::Rgba, Layout::Rgb, Ink::Rgb),
        };
        let is_ink_profile = source.color_space == DataColorSpace::Cmyk;
        if is_ink_profile != (ink == Ink::Cmyk) {
            return Err(Unusable);
        }
        source
            .color_space
            .check_layout(from)
            .map_err(|_| Unusable)?;
        let options = options(RenderingIntent::RelativeColorimetric);
        let transform = source
            .create_transform_16bit(from, &profile_of(gamut), to, options)
            .map_err(|_| Unusable)?;
        let mut conversion = Conversion {
            transform,
            from: ink.count(),
            to: delivers,
            black: 0.0,
        };
        conversion.black = conversion.darkest(&source, ink);
        let idle = matches!(ink, Ink::Rgb | Ink::Rgba) && conversion.changes_nothing();
        Ok((!idle).then_some(conversion))
    }

    /// The light of the darkest colour, from 0 to 1: that of no light, or of the inks that the
    /// profile itself takes for black, which spares what paper cannot take.
    fn darkest(&self, source: &ColorProfile, ink: Ink) -> f32 {
        let samples = match ink {
            Ink::Grey => vec![0],
            Ink::GreyAlpha => vec![0, u16::MAX],
            Ink::Rgb => vec![0; 3],
            Ink::Rgba => vec![0, 0, 0, u16::MAX],
            Ink::Cmyk => match black_inks(source) {
                Some(inks) => inks,
                None => return 0.0,
            },
        };
        let mut shown = Vec::new();
        self.apply(&samples, &mut shown);
        let light = |sample: u16| curve::linear(f32::from(sample) / 65_535.0);
        let luminance =
            0.2126 * light(shown[0]) + 0.7152 * light(shown[1]) + 0.0722 * light(shown[2]);
        luminance.min(LIGHTEST_BLACK)
    }

    /// The light of the profile's darkest colour, from 0 to 1. It is to become black, and all
    /// that is lighter to move with it (black-point compensation, ISO 18619).
    pub(super) fn black(&self) -> f32 {
        self.black
    }

    /// What the converted samples stand for.
    pub(super) fn delivers(&self) -> Ink {
        self.to
    }

    /// Converts whole pixels; `into` is overwritten.
    pub(super) fn apply(&self, row: &[u16], into: &mut Vec<u16>) {
        into.clear();
        into.resize(row.len() / self.from * self.to.count(), 0);
        // Both lengths are whole pixels of the layouts that the transform was made for, which
        // is all that it checks.
        let done = self.transform.transform(row, into);
        debug_assert!(done.is_ok());
    }

    /// Whether a grid of test colours comes out as it went in.
    fn changes_nothing(&self) -> bool {
        const STEPS: u16 = 7;
        let level = |step: u16| (u32::from(step) * 65_535 / u32::from(STEPS - 1)) as u16;
        let mut grid = Vec::new();
        for index in 0..STEPS.pow(3) {
            let (r, g, b) = (index / STEPS / STEPS, index / STEPS % STEPS, index % STEPS);
            grid.extend([r, g, b].map(level));
            if self.from == 4 {
                grid.push(u16::MAX);
            }
        }
        let mut converted = Vec::new();
        self.apply(&grid, &mut converted);
        let near = |(a, b): (&u16, &u16)| (i32::from(*a) - i32::from(*b)).abs() < SAME;
        grid.iter().zip(&converted).all(near)
    }
}

/// The inks that a profile prints black with, where it says so.
fn black_inks(source: &ColorProfile) -> Option<Vec<u16>> {
    source.lut_b_to_a_perceptual.as_ref()?;
    let srgb = ColorProfile::new_srgb();
    let options = options(RenderingIntent::Perceptual);
    let to_inks = srgb.create_transform_16bit(Layout::Rgb, source, Layout::Rgba, options);
    let mut inks = vec![0; 4];
    to_inks.ok()?.transform(&[0; 3], &mut inks).ok()?;
    Some(inks)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn encoded(profile: ColorProfile) -> Vec<u8> {
        profile.encode().expect("a profile of the engine's own")
    }

    #[test]
    fn srgb_by_profile_needs_no_conversion() {
        let profile = encoded(ColorProfile::new_srgb());
        let conversion = Conversion::new(&profile, Ink::Rgb, Gamut::Srgb).expect("a good profile");
        assert!(conversion.is_none());
    }

    /// Display P3 (0, 1, 0) lies outside sRGB; a mid orange lies inside and follows
    /// from the two sets of primaries: P3 (0.8, 0.5, 0.2) is sRGB (0.8497, 0.4819, 0.0836).
    #[test]
    fn display_p3_becomes_srgb() {
        let profile = encoded(ColorProfile::new_display_p3());
        let conversion = Conversion::new(&profile, Ink::Rgb, Gamut::Srgb);
        let conversion = conversion.expect("a good profile").expect("not sRGB");
        let mut srgb = Vec::new();
        let p3 = [0.8, 0.5, 0.2, 0.0, 1.0, 0.0].map(|v: f64| (v * 65_535.0) as u16);
        conversion.apply(&p3, &mut srgb);
        for (found, wanted) in srgb.iter().zip([0.8497, 0.4819, 0.0836, 0.0, 1.0, 0.0]) {
            let found = f64::from(*found) / 65_535.0;
            assert!((found - wanted).abs() < 0.004, "{found} for {wanted}");
        }
    }

    #[test]
    fn profiles_that_do_not_fit_are_named_unusable() {
        let rgb = encoded(ColorProfile::new_display_p3());
        for (profile, ink) in [
            (&rgb[..], Ink::Cmyk),
            (&rgb[..90], Ink::Rgb),
            (&rgb, Ink::Grey),
        ] {
            assert!(
                Conversion::new(profile, ink, Gamut::Srgb).is_err(),
                "{ink:?}"
            );
        }
    }

    /// A device whose darkest grey gives a fiftieth of the light: that becomes black, white stays
    /// white, and what lies between moves in proportion.
    #[test]
    fn the_darkest_of_a_device_becomes_black() {
        let mut device = ColorProfile::new_gray_with_gamma(1.0);
        device.gray_trc = Some(moxcms::ToneReprCurve::Lut(vec![1311, 65_535]));
        let profile = encoded(device);
        let conversion = Conversion::new(&profile, Ink::Grey, Gamut::Srgb);
        let conversion = conversion.expect("a good profile").expect("not sRGB");
        assert!(
            (conversion.black() - 0.02).abs() < 5e-4,
            "{}",
            conversion.black()
        );
        let form = crate::decode::Form {
            size: crate::pixels::Size::new(3, 1).expect("a size"),
            ink: Ink::Grey,
            icc: Some(profile),
        };
        let (mut working, _) = crate::colour::Working::new(&form, Gamut::Srgb);
        let mut light = Vec::new();
        let row = [0, 32_768, 65_535];
        working.row(crate::decode::Row::Sixteen(&row), &mut light);
        for (found, wanted) in light.iter().step_by(3).zip([0.0, 0.5, 1.0]) {
            assert!((found - wanted).abs() < 2e-3, "{light:?}");
        }
        // A device whose darkest is a light grey is no darker for it than half its lightness.
        let mut pale = ColorProfile::new_gray_with_gamma(1.0);
        pale.gray_trc = Some(moxcms::ToneReprCurve::Lut(vec![40_000, 65_535]));
        let pale = Conversion::new(&encoded(pale), Ink::Grey, Gamut::Srgb);
        let pale = pale.expect("a good profile").expect("not sRGB");
        assert_eq!(pale.black(), LIGHTEST_BLACK);
    }

    #[test]
    fn colours_and_profiles_of_a_gamut_are_its_own() {
        assert_eq!(in_gamut([200, 30, 30], Gamut::Srgb), [200, 30, 30]);
        assert_eq!(in_gamut([255, 255, 255], Gamut::DisplayP3), [255, 255, 255]);
        let [r, g, b] = in_gamut([255, 0, 0], Gamut::DisplayP3);
        // The red of sRGB in Display P3 is (0.9176, 0.2003, 0.1386).
        assert!(r.abs_diff(234) <= 1 && g.abs_diff(51) <= 1 && b.abs_diff(35) <= 1);
        assert_eq!(profile(Gamut::Srgb), None);
        let wide = profile(Gamut::DisplayP3).expect("a profile");
        assert!(wide.len() <= 600, "{} bytes", wide.len());
        assert!(
            describe(&wide).is_some_and(|facts| facts.wide && facts.description == "Display P3")
        );
    }
}
