use std::io::Cursor;

use super::{Allowance, Fault, Scan, iso, jpeg, png, riff, xml};

fn rule(fault: Fault) -> &'static str {
    match fault {
        Fault::Rule(what) => what,
        other => panic!("{other:?}"),
    }
}

/// Goes into every box, as a reader of headers does.
fn enter(scan: &mut Scan<Cursor<&[u8]>>, end: u64) -> Result<(), Fault> {
    while let Some(part) = iso::next(scan, end)? {
        scan.inside(|scan| enter(scan, part.end))?;
        scan.go_to(part.end)?;
    }
    Ok(())
}

#[test]
fn boxes_within_boxes_end_somewhere() {
    let nested = |depth: usize| {
        (0..depth).fold(Vec::new(), |body, _| {
            iso::boxed(b"iprp", &body).expect("short")
        })
    };
    let entered = |bytes: &[u8]| enter(&mut Scan::of(bytes), bytes.len() as u64);
    assert!(entered(&nested(10)).is_ok());
    let deep = entered(&nested(20_000)).expect_err("too deep");
    assert!(rule(deep).contains("deeper"));
}

#[test]
fn parts_are_counted_and_blocks_bounded() {
    let many = iso::boxed(b"free", &[]).expect("short").repeat(50);
    let allowance = Allowance {
        parts: 49,
        bytes: 10,
        ..Allowance::default()
    };
    let scan = || Scan::within(Cursor::new(&many[..]), allowance).expect("memory");
    let mut walk = scan();
    let walked = (0..50).try_for_each(|_| iso::next(&mut walk, 400).map(drop));
    assert!(rule(walked.expect_err("too many")).contains("more parts"));
    // Once the bytes are used up, blocks are passed over; behind the end there is none.
    let mut blocks = scan();
    assert_eq!(
        blocks.block(8).expect("there").map(|block| block.len()),
        Some(8)
    );
    assert_eq!(blocks.block(8).expect("there"), None);
    assert_eq!(blocks.position(), 16);
    assert!(matches!(blocks.block(4000), Err(Fault::CutOff)));
}

#[test]
fn what_is_written_is_walked_again() {
    let boxes = [iso::boxed(b"free", b"abc"), iso::boxed(b"mdat", b"")];
    let boxes = boxes.map(|part| part.expect("short")).concat();
    let parts = iso::parts(&boxes).expect("whole boxes");
    let held: Vec<_> = parts.iter().map(|part| part.of(&boxes)).collect();
    assert_eq!(held, [Some(&b"abc"[..]), Some(&b""[..])]);
    assert_eq!(iso::parts(&boxes[..boxes.len() - 1]), None, "half a box");
    // A 64-bit length, and a length of nought: up to the end.
    let long = [&[0, 0, 0, 1], &b"free"[..], &17u64.to_be_bytes(), b"x"].concat();
    let rest = [&[0, 0, 0, 0], &b"mdat"[..], b"xyz"].concat();
    let lengths = |bytes: &[u8]| iso::parts(bytes).map(|parts| parts[0].length);
    assert_eq!((lengths(&long), lengths(&rest)), (Some(1), Some(3)));

    let chunk = png::chunk(b"tEXt", &[b"a", b"b"]).expect("short");
    let found = png::next(&mut Scan::of(&chunk)).expect("a chunk");
    assert_eq!((found.of(&chunk), found.end), (Some(&b"ab"[..]), 14));
    let chunk = riff::chunk(b"EXIF", b"odd");
    let found = riff::next(&mut Scan::of(&chunk)).expect("a chunk");
    assert_eq!((found.of(&chunk), found.end), (Some(&b"odd"[..]), 12));

    // Fill bytes and markers that stand alone are passed over.
    let segment = jpeg::segment(jpeg::COMMENT, &[b"ab"]).expect("short");
    let file = [&[0xFF, 0xD8, 0xFF, 0xFF], &segment[1..], &[0xFF, 0xD9]].concat();
    let mut walk = Scan::of(&file);
    let found = jpeg::next(&mut walk).expect("sound").expect("a segment");
    assert_eq!((found.marker, found.length), (jpeg::COMMENT, 2));
    walk.go_to(found.end()).expect("there");
    assert_eq!(jpeg::next(&mut walk).expect("sound"), None);
}

#[test]
fn deep_xml_is_not_parsed() {
    let nested = |depth: usize| "<a>".repeat(depth) + "<b/>" + &"</a>".repeat(depth);
    let parses = |text: &str| xml::parse(text, xml::Entities::Declared).is_some();
    assert!(parses(&nested(200)));
    assert!(!parses(&nested(300)));
    // Many side by side are no depth.
    assert!(parses(&format!(
        "<a>{}</a>",
        "<b/><c>x</c><!-- y -->".repeat(500)
    )));
    let bomb = "<!DOCTYPE a [<!ENTITY x \"yyyy\">]><a>&x;</a>";
    assert!(parses(bomb) && xml::parse(bomb, xml::Entities::None).is_none());
}
