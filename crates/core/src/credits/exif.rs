//! Credits as an EXIF block (CIPA DC-008). Texts are UTF-8, as the Metadata Working Group's
//! guidance for image metadata asks of fields that the standard calls ASCII.

use std::io::Cursor;

use exif::experimental::Writer;
use exif::{Field as Entry, In, Rational, Tag, Value};

use super::{Credits, Field};

/// The block, where there is something to put into it.
pub(super) fn block(credits: &Credits, dots_per_inch: Option<u16>) -> Option<Vec<u8>> {
    let mut entries = Vec::new();
    let mut add = |tag, value| {
        entries.push(Entry {
            tag,
            ifd_num: In::PRIMARY,
            value,
        });
    };
    let ascii = |text: &str| Value::Ascii(vec![text.as_bytes().to_vec()]);
    let caption = credits.get(Field::Caption).or(credits.get(Field::Title));
    let texts = [
        (Tag::ImageDescription, caption),
        (Tag::Model, credits.get(Field::Camera)),
        (Tag::Artist, credits.get(Field::Creator)),
        (Tag::Copyright, credits.get(Field::Copyright)),
    ];
    for (tag, text) in texts {
        if let Some(text) = text {
            add(tag, ascii(text));
        }
    }
    if let Some(dots) = dots_per_inch {
        let dots = Value::Rational(vec![Rational {
            num: dots.into(),
            denom: 1,
        }]);
        add(Tag::XResolution, dots.clone());
        add(Tag::YResolution, dots);
        add(Tag::ResolutionUnit, Value::Short(vec![2]));
    }
    // XMP may have a time zone or parts of a second behind it, which this field has no room for.
    let date = credits
        .get(Field::Date)
        .map(|date| date.get(..19).unwrap_or(date));
    if let Some(date) = date.filter(|date| Field::Date.check(date).is_ok()) {
        let [date, time] = date
            .split_once('T')
            .map_or([date, "00:00:00"], <[&str; 2]>::from);
        let text = format!("{} {time}", date.replace('-', ":"));
        add(Tag::DateTimeOriginal, ascii(&text));
        add(Tag::ExifVersion, Value::Undefined(b"0232".to_vec(), 0));
    }
    if let Some((latitude, longitude)) = credits.position() {
        let side = |degrees: f64, sides: [&str; 2]| ascii(sides[usize::from(degrees < 0.0)]);
        add(Tag::GPSVersionID, Value::Byte(vec![2, 3, 0, 0]));
        add(Tag::GPSLatitudeRef, side(latitude, ["N", "S"]));
        add(Tag::GPSLatitude, sexagesimal(latitude));
        add(Tag::GPSLongitudeRef, side(longitude, ["E", "W"]));
        add(Tag::GPSLongitude, sexagesimal(longitude));
    }
    if entries.is_empty() {
        return None;
    }
    let mut writer = Writer::new();
    for entry in &entries {
        writer.push_field(entry);
    }
    let mut block = Cursor::new(Vec::new());
    // Little-endian, as most cameras write it. Writing into memory fails for absurd sizes only.
    writer.write(&mut block, true).ok()?;
    Some(block.into_inner())
}

/// Degrees, minutes and ten-thousandths of seconds: three millimetres.
fn sexagesimal(degrees: f64) -> Value {
    const PARTS: u32 = 10_000;
    let all = (degrees.abs() * 3600.0 * f64::from(PARTS)).round() as u64;
    let seconds = all % (60 * u64::from(PARTS));
    let minutes = all / (60 * u64::from(PARTS));
    let whole = |num: u64| Rational {
        num: num as u32,
        denom: 1,
    };
    Value::Rational(vec![
        whole(minutes / 60),
        whole(minutes % 60),
        Rational {
            num: seconds as u32,
            denom: PARTS,
        },
    ])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn degrees_are_cut_into_minutes_and_seconds_without_a_sixtieth() {
        for (degrees, wanted) in [
            (58.4417, (58, 26, 30.12)),
            (-3.0928, (3, 5, 34.08)),
            (0.0, (0, 0, 0.0)),
            // Rounded up all the way: never 59′ 60″.
            (12.999_999_999, (13, 0, 0.0)),
            (89.999_99, (89, 59, 59.964)),
            (180.0, (180, 0, 0.0)),
        ] {
            let Value::Rational(parts) = sexagesimal(degrees) else {
                panic!("a coordinate is three rationals");
            };
            let found: Vec<f64> = parts.iter().map(Rational::to_f64).collect();
            assert_eq!(
                (found[0] as i32, found[1] as i32),
                (wanted.0, wanted.1),
                "{degrees}"
            );
            assert!((found[2] - wanted.2).abs() < 1e-3, "{degrees}: {found:?}");
        }
    }
}
