//! XMP and IPTC: counted, and looked through for what concerns privacy and rights.

use super::Ballast;

/// An XMP packet (ISO 16684-1). Only whether properties are there matters, so names are looked
/// for and nothing is parsed.
pub(super) fn xmp(packet: &[u8], ballast: &mut Ballast) {
    ballast.xmp += packet.len() as u64;
    let has = |name: &str| memchr::memmem::find(packet, name.as_bytes()).is_some();
    ballast.position |= has("exif:GPSLatitude");
    ballast.person |= has("dc:creator") || has("photoshop:Credit");
    ballast.copyright |= has("dc:rights") || has("xmpRights:");
}

/// The resource blocks of an image editor (`8BIM`), of which number 0x0404 holds IPTC datasets.
pub(super) fn resource_blocks(blocks: &[u8], ballast: &mut Ballast) {
    ballast.iptc += blocks.len() as u64;
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
            datasets(&body[..length.min(body.len())], ballast);
        }
        let Some(next) = body.get(length.saturating_add(length & 1)..) else {
            return;
        };
        rest = next;
    }
}

/// IPTC-IIM datasets of record 2: 80 and 110 name people, 116 states a copyright.
pub(super) fn datasets(mut rest: &[u8], ballast: &mut Ballast) {
    while let [0x1C, record, dataset, high, low, body @ ..] = rest {
        let length = usize::from(u16::from_be_bytes([*high, *low]));
        if *record == 2 && length > 0 {
            ballast.person |= matches!(dataset, 80 | 110);
            ballast.copyright |= *dataset == 116;
        }
        let Some(next) = body.get(length..) else {
            return;
        };
        rest = next;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rights_and_people_are_found_in_iptc() {
        let dataset =
            |number: u8, text: &[u8]| [&[0x1C, 2, number, 0, text.len() as u8], text].concat();
        let iim = [
            dataset(5, b"Lamp"),
            dataset(80, b"Ines Varga"),
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
        let mut ballast = Ballast::default();
        resource_blocks(&blocks, &mut ballast);
        assert!(ballast.person && ballast.copyright && !ballast.position);
        assert_eq!(ballast.iptc, blocks.len() as u64);
        for cut in 0..blocks.len() {
            resource_blocks(&blocks[..cut], &mut Ballast::default());
        }
    }
}
