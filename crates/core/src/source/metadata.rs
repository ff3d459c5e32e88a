//! XMP and IPTC: counted, looked through for what concerns privacy, and read for its credits.

use super::Headers;
use super::headers::Standard;
use crate::credits::{self, Credits, Field};

/// An XMP packet (ISO 16684-1). Whether properties are there is told by their names alone, so
/// that a packet that is no sound XML still counts.
pub(super) fn xmp(packet: &[u8], headers: &mut Headers) {
    headers.say(Standard::Xmp, &credits::read_xmp(packet));
    let ballast = &mut headers.ballast;
    ballast.xmp += packet.len() as u64;
    let has = |name: &str| memchr::memmem::find(packet, name.as_bytes()).is_some();
    ballast.position |= has("exif:GPSLatitude");
    ballast.person |= has("dc:creator") || has("photoshop:Credit");
    ballast.copyright |= has("dc:rights") || has("xmpRights:");
}

/// The resource blocks of an image editor (`8BIM`), of which number 0x0404 holds IPTC datasets.
pub(super) fn resource_blocks(blocks: &[u8], headers: &mut Headers) {
    headers.ballast.iptc += blocks.len() as u64;
    let mut rest = blocks.strip_prefix(b"Photoshop 3.0\0").unwrap_or(blocks);
    while let Some(block) = rest.strip_prefix(b"8BIM") {
        let Some((number, name)) = block.split_first_chunk::<2>() else {
            return;
        };
        let name_bytes = name
            .first()
            .map_or(0, |&length| (usize::from(length) + 1).next_multiple_of(2));
        let Some((length, body)) = name
            .get(name_bytes..)
            .and_then(|b| b.split_first_chunk::<4>())
        else {
            return;
        };
        let length = u32::from_be_bytes(*length) as usize;
        if *number == [0x04, 0x04] {
            datasets(&body[..length.min(body.len())], headers);
        }
        let Some(next) = body.get(length.saturating_add(length & 1)..) else {
            return;
        };
        rest = next;
    }
}

/// IPTC-IIM datasets: of record 2, 80 and 110 name people, 116 states a copyright.
pub(super) fn datasets(mut rest: &[u8], headers: &mut Headers) {
    // Without a word on the character set, old programs wrote Latin-1.
    let text = |body: &[u8]| match str::from_utf8(body) {
        Ok(text) => text.to_owned(),
        Err(_) => body.iter().map(|&byte| char::from(byte)).collect(),
    };
    let mut found = Credits::default();
    let ballast = &mut headers.ballast;
    while let [0x1C, record, dataset, high, low, body @ ..] = rest {
        let length = usize::from(u16::from_be_bytes([*high, *low]));
        if *record == 2 && length > 0 {
            ballast.person |= matches!(dataset, 80 | 110);
            ballast.copyright |= *dataset == 116;
            let field = match dataset {
                5 => Some((Field::Title, "")),
                25 => Some((Field::Keywords, ", ")),
                80 => Some((Field::Creator, "; ")),
                110 => Some((Field::Credit, "")),
                116 => Some((Field::Copyright, "")),
                120 => Some((Field::Caption, "")),
                _ => None,
            };
            if let Some((field, between)) = field {
                let mut all = text(&body[..length.min(body.len())]);
                // Some datasets repeat, one for each of a list.
                if let Some(earlier) = found.get(field).filter(|_| !between.is_empty()) {
                    all = format!("{earlier}{between}{all}");
                }
                found.set(field, &all);
            }
        }
        let Some(next) = body.get(length..) else {
            break;
        };
        rest = next;
    }
    headers.say(Standard::Iptc, &found);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::{Ballast, Kind};

    #[test]
    fn rights_and_people_are_found_in_iptc() {
        let dataset =
            |number: u8, text: &[u8]| [&[0x1C, 2, number, 0, text.len() as u8], text].concat();
        let iim = [
            dataset(5, b"Lamp"),
            dataset(80, b"Ines Varga"),
            dataset(80, b"J\xF6rg"),
            dataset(116, b"Trust"),
        ]
        .concat();
        let block = |number: [u8; 2], body: &[u8]| {
            let mut block = [
                b"8BIM",
                &number[..],
                &[0, 0],
                &(body.len() as u32).to_be_bytes(),
                body,
            ]
            .concat();
            block.resize(block.len().next_multiple_of(2), 0);
            block
        };
        let blocks = [
            b"Photoshop 3.0\0".to_vec(),
            block([3, 0xED], b"odd"),
            block([4, 4], &iim),
        ]
        .concat();
        let headers = || Headers::new(Kind::Jpeg, None);
        let mut found = headers();
        resource_blocks(&blocks, &mut found);
        let Ballast {
            person,
            copyright,
            position,
            iptc,
            ..
        } = found.ballast;
        assert!(person && copyright && !position);
        assert_eq!(iptc, blocks.len() as u64);
        assert_eq!(found.credits.get(Field::Creator), Some("Ines Varga; Jörg"));
        assert_eq!(found.credits.get(Field::Copyright), Some("Trust"));
        for cut in 0..blocks.len() {
            resource_blocks(&blocks[..cut], &mut headers());
        }
    }
}
