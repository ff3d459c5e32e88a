//! `kiln demo`: the whole way on the sample site.

use crate::support::{Scratch, measured};

#[test]
fn the_demo_runs_the_whole_way_and_keeps_every_budget() {
    let scratch = Scratch::new();
    let report = scratch.fires(&["demo", "site"]);
    assert!(report.contains("48 pieces from 13 originals"), "{report}");
    assert!(!report.contains("over budget"), "{report}");
    let budgets = [
        ("banners/", 250_000),
        ("rooms/", 150_000),
        ("crew/", 65_000),
        ("graphics/tern-point-light", 30_000),
        ("graphics/", 100_000),
    ];
    for (name, bytes) in scratch.files("site/upload") {
        let budget = budgets.iter().find(|(place, _)| name.starts_with(place));
        assert!(
            budget.is_none_or(|(_, most)| bytes.len() <= *most),
            "{name} weighs {}",
            bytes.len()
        );
    }
    assert_eq!(
        measured(&scratch.path("site/upload/rooms/spiral-stairs-800.jpg")),
        (800, 1067),
        "upright"
    );

    // Its pages lead to the pieces, and are kept as they came.
    let read = |name: &str| String::from_utf8_lossy(&scratch.files("site")[name]).into_owned();
    assert!(read("before/index.html").contains("<img src=\"../originals/rooms/DSC_0187.JPG\""));
    let page = read("index.html");
    assert!(
        page.contains("upload/rooms/lamp-room-800.jpg") && !page.contains("originals/"),
        "{page}"
    );
    assert!(report.contains("30 references lead to pieces"), "{report}");
    assert!(
        report.contains("index.html                  6.90 MB"),
        "{report}"
    );

    // The same site again is fine; a changed sample is not overwritten.
    scratch.put("site/originals/rooms/breakfast.png", b"my own");
    let done = scratch.kiln(&["demo", "site"]);
    assert_eq!(done.code, 1);
    assert!(
        done.stderr
            .contains("breakfast.png: is not the sample file"),
        "{}",
        done.stderr
    );
    assert_eq!(
        scratch.files("site/originals")["rooms/breakfast.png"],
        b"my own"
    );
}
