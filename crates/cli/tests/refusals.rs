//! What is refused, in one snapshot: every message as its reader sees it.

use crate::support::{Scratch, common, photo};

#[test]
fn every_refusal_is_one_clear_line() {
    let scratch = Scratch::new();
    let jpeg = photo(120, 80, 1);
    scratch.put("photos/a.jpg", &jpeg);
    scratch.put("broken/empty.jpg", b"");
    scratch.put("broken/note.jpg", b"Crossing at half past nine");
    scratch.put("broken/half.jpg", &jpeg[..jpeg.len() / 2]);
    scratch.put("broken/head.png", &common::png()[..20]);
    scratch.put("broken/scan.tif", b"II*\0\x08\0\0\0");
    scratch.put("broken/phone.heic", b"\0\0\0\x18ftypheic\0\0\0\0mif1heic");
    scratch.put(
        "broken/mark.svg",
        b"<svg xmlns='http://www.w3.org/2000/svg'/>",
    );
    scratch.put("broken/evil\u{1b}[2Jname.jpg", b"steers the terminal");
    scratch.put("twins/logo.jpg", &jpeg);
    scratch.put("twins/logo.png", &common::png());
    scratch.put("a-file", b"");
    std::fs::create_dir(scratch.path("void")).expect("a folder");
    scratch.put("big/giant.jpg", &photo(2000, 1000, 1));
    scratch.put("clear.png", &common::png());

    let cases: [&[&str]; 52] = [
        &["fire"],
        &["fire", "nowhere"],
        &["fire", "void"],
        &["fire", "a-file"],
        &["fire", "broken"],
        &["fire", "twins", "--width", "50"],
        &["fire", "photos", "--out", "photos"],
        &["fire", "photos", "--out", "."],
        &["fire", "photos", "--out", "a-file/x"],
        &["fire", "big", "--allowance", "1"],
        &["fire", "photos", "--width", "0"],
        &["fire", "photos", "--width", "99999"],
        &["fire", "photos", "--width", "12.5"],
        &["fire", "photos", "--width", "-3"],
        &["fire", "photos", "--width", ""],
        &["fire", "photos", "--density", "0"],
        &["fire", "photos", "--format", "bmp"],
        &["fire", "photos", "--max-weight", "lots"],
        &["fire", "photos", "--max-weight", "0"],
        &["fire", "photos", "--quality", "101"],
        &["fire", "photos", "--quality", "50", "--max-weight", "1KB"],
        &["fire", "clear.png", "--backdrop", "blue"],
        &["fire", "photos", "--jobs", "0"],
        &["fire", "photos", "--quiet", "--json"],
        &["fire", "photos", "--wdith", "50"],
        &["fire", "photos", "--shape", "16x9"],
        &["fire", "photos", "--focus", "middle"],
        &["fire", "photos", "--fit", "stretch"],
        &["fire", "photos", "--scale", "0"],
        &["fire", "photos", "--scale", "900%"],
        &["fire", "photos", "--width", "50", "--height", "50"],
        &["fire", "photos", "--sizing", "sharp"],
        &["fire", "photos", "--sharpen", "more"],
        &["fire", "photos", "--colour", "p3"],
        &["fire", "photos", "--knock-out", "blue"],
        &["fire", "photos", "--knock-out-holes"],
        &["fire", "photos", "--progressive", "maybe"],
        &["fire", "photos", "--progressive", "no", "-f", "webp"],
        &["fire", "photos", "--knock-out", "auto"],
        &["fire", "photos", "--knock-out", "#00ff00"],
        &["fire", "photos", "--backdrop", "transparent", "-f", "jpeg"],
        &["fire", "broken/half.jpg", "--trim"],
        &["fire", "photos", "--name", "{tilte}"],
        &["fire", "photos", "--name", "../{title}"],
        &["fire", "photos", "--place", "banner"],
        &["fire", "photos", "--kiln", "nowhere.toml"],
        &["fire", "photos", "--labels", "nowhere.csv"],
        &["fire", "photos", "--watch", "--json"],
        &["label", "void"],
        &["init", "nowhere"],
        &["bake"],
        &["demo", "a-file"],
    ];
    let mut lines = Vec::new();
    for arguments in cases {
        let done = scratch.kiln(arguments);
        assert!(
            done.code == 1 || done.code == 2,
            "{arguments:?} ended with {}",
            done.code
        );
        assert!(
            !done.stderr.contains('\u{1b}'),
            "{arguments:?} let an escape through"
        );
        lines.push(format!(
            "$ kiln {}\n{}exit {}",
            arguments.join(" "),
            done.stderr,
            done.code
        ));
    }
    insta::assert_snapshot!(lines.join("\n\n"));
    assert_eq!(
        scratch.names("upload"),
        ["kiln-ledger.json"],
        "no piece was written"
    );
}

#[test]
fn the_rest_of_a_folder_is_done() {
    let scratch = Scratch::with_photos();
    scratch.put("photos/half.jpg", &photo(120, 80, 1)[..600]);
    let done = scratch.kiln(&["fire", "photos", "-w", "40"]);
    assert_eq!(done.code, 1);
    assert_eq!(scratch.names("upload").len(), 6 + 1);
    assert!(
        done.stdout.contains("Refused\n  photos/half.jpg: "),
        "{}",
        done.stdout
    );
}

#[test]
fn help_has_examples() {
    let scratch = Scratch::new();
    let pages = [
        &["--help"][..],
        &["fire", "--help"],
        &["init", "--help"],
        &["label", "--help"],
        &["demo", "--help"],
        &["page", "--help"],
        &["check", "--help"],
        &["markup", "--help"],
        &["rewire", "--help"],
    ];
    let pages = pages.map(|arguments| scratch.fires(arguments));
    assert!(pages.iter().all(|page| page.contains("Example")));
    insta::assert_snapshot!(pages.join("\n──────────\n"));
}
