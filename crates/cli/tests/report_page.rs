//! `kiln fire --html`: the report as a page.

use std::fs;

use crate::support::{Scratch, common, photo};

const SITE: &str = r#"
originals = "originals"
[every]
formats = ["webp", "jpeg"]
[metadata]
write = { credit = "Tern Point <Light>" }
[place.card]
of = ["cards/*"]
width = 120
shape = "1:1"
focus = "1,0.5"
[place.wide]
of = ["wide/*"]
width = 300
max-weight = "1 KB"
[page.home]
places = ["card"]
max-total = "TOTAL"
"#;

#[test]
fn the_page_shows_every_picture_what_is_wrong_first() {
    let scratch = Scratch::new();
    scratch.put("originals/cards/<b>sea.jpg", &photo(240, 160, 1));
    scratch.put("originals/cards/fog.jpg", &photo(240, 160, 2));
    scratch.put("originals/wide/cliff.jpg", &photo(320, 200, 3));
    scratch.put("originals/wide/broken.jpg", &photo(320, 200, 4)[..3000]);
    scratch.put("originals/cards/mark.webp", &common::webp(true, true));
    scratch.put(
        "labels.csv",
        "file,title,alternative text\ncards/fog.jpg,Fog,\"Fog & \"\"mist\"\"\"\n".as_bytes(),
    );
    let site = |total: &str| scratch.put("kiln.toml", SITE.replace("TOTAL", total).as_bytes());
    site("1 MB");
    let done = scratch.kiln(&["fire", "--html", "report.html"]);
    assert_eq!(done.code, 1, "{}", done.stderr);
    // Half of what the two photos weigh is too little for both.
    let pieces = scratch.files("upload");
    let weights = pieces.iter().filter(|(name, _)| name.ends_with("120.webp"));
    let sum: usize = weights.map(|(_, piece)| piece.len()).sum();
    site(&format!("{} B", sum * 4 / 5));
    scratch.kiln(&["fire", "--html", "report.html"]);
    let page = fs::read_to_string(scratch.path("report.html")).expect("a page");
    assert!(!page.contains("src=\"http") && !page.contains("<b>sea"));
    for part in [
        "&lt;b&gt;sea.jpg",
        "Tern Point &lt;Light&gt;",
        "Fog &amp; &quot;mist&quot;",
        "page home, as WebP",
        "gave way",
        "the JPEG is cut off",
        "slow phone",
        "original left, piece right",
        // The right square of 240 × 160.
        "<i style=\"left:33.3%;top:0.0%;width:66.7%;height:100.0%\">",
    ] {
        assert!(page.contains(part), "{part}: {page}");
    }
    let place = |what: &str| {
        page.find(&format!("<h3 class=\"wrong\">{what}"))
            .or_else(|| page.find(&format!("<h3>{what}")))
    };
    let (over, sound) = (place("wide&#x2f;cliff.jpg"), place("cards&#x2f;fog.jpg"));
    assert!(over.is_some() && over < sound, "{over:?} {sound:?}");
    for (part, least) in [
        ("<article>", 5),
        ("<img alt=\"Original, ", 2),
        ("over budget: ", 2),
    ] {
        assert!(page.matches(part).count() >= least, "{part}");
    }

    // A run that makes nothing shows the same, but for what it did not do.
    scratch.kiln(&["fire", "--html", "again.html"]);
    let again = fs::read_to_string(scratch.path("again.html")).expect("a page");
    let cards = |page: &str| {
        page.split_once("<h2>Each picture")
            .map(|(_, cards)| cards.to_owned())
    };
    assert_eq!(cards(&again), cards(&page));
    assert!(again.contains("were made before and are unchanged"));

    let original = "originals/cards/fog.jpg";
    let before = fs::read(scratch.path(original)).expect("an original");
    let done = scratch.kiln(&["fire", "--html", original]);
    assert!(
        done.code == 1 && done.stderr.contains("is not a page"),
        "{}",
        done.stderr
    );
    assert_eq!(
        fs::read(scratch.path(original)).expect("an original"),
        before
    );
    assert_eq!(
        scratch
            .kiln(&["fire", "--dry-run", "--html", "x.html"])
            .code,
        2
    );
}
