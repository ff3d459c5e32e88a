//! Whole manuals with pictures, and the sample site, fired and rewired: in a real browser every page looks as
//! before, at three widths. Needs chromedriver, the folders of manuals named by `KILN_TEST_MANUALS`, and a
//! Python with Pillow and html5lib named by `KILN_TEST_PYTHON`; `.ci/run` gets them all.

use serde_json::json;

use crate::support::{Scratch, python};

const REWIRED: &str = include_str!("scripts/rewired.py");

fn named(variable: &str) -> String {
    std::env::var(variable).unwrap_or_else(|_| panic!("{variable} names what this test needs"))
}

#[test]
#[ignore = "needs a browser, its driver and manuals"]
fn manuals_look_as_before_once_they_are_rewired() {
    let scratch = Scratch::new();
    let manuals = named("KILN_TEST_MANUALS");
    let manuals: Vec<&str> = manuals.split(':').collect();
    scratch.fires(&["demo", "light", "--quiet"]);
    let wanted = json!({
        "kiln": env!("CARGO_BIN_EXE_kiln"),
        "manuals": manuals,
        "sample": scratch.path("light"),
    });
    let found = python(REWIRED, &wanted);
    println!("{found:#}");
    assert_eq!(found["sample"], json!({ "pages": 3, "worse": [] }));
    for manual in manuals {
        let found = &found[manual];
        assert!(found["pages"].as_u64() > Some(2), "{manual}: {found}");
        assert!(
            found["references"].as_u64() > Some(100),
            "{manual}: {found}"
        );
        assert_eq!(found["worse"], json!([]), "{manual}");
    }
}
