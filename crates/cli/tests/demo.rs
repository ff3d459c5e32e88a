//! `kiln demo`: the whole way on the sample site.
#![allow(missing_docs, clippy::expect_used, clippy::panic)]

mod support;

use support::{Scratch, measured};

#[test]
fn the_demo_runs_the_whole_way_and_keeps_every_budget() {
    let scratch = Scratch::new();
    let report = scratch.fires(&["demo", "site"]);
    assert!(report.contains("46 pieces from 12 originals"), "{report}");
    assert!(!report.contains("over budget"), "{report}");
    for (name, bytes) in scratch.files("site/upload") {
        assert!(bytes.len() <= 200_000, "{name} weighs {}", bytes.len());
    }
    assert_eq!(
        measured(&scratch.path("site/upload/rooms/IMG_2044 (1)-800.webp")),
        (800, 1067),
        "upright"
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
