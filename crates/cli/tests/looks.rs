//! Looks and weights, as typed and as told.

use crate::support::{Scratch, photo};

#[test]
fn looks_dials_and_trials_are_told() {
    let scratch = Scratch::new();
    scratch.put("sea.jpg", &photo(400, 300, 5));
    let fine = scratch.fires(&["fire", "sea.jpg", "-f", "webp", "--why", "sea-400"]);
    assert!(fine.contains(" fine  dial "), "{fine}");
    assert!(fine.contains("sea-400.webp: a look of fine"), "{fine}");
    assert!(
        fine.contains("kept") && fine.contains("reaches its look"),
        "{fine}"
    );
    // What an earlier run tried is known from the ledger.
    let again = scratch.fires(&["fire", "sea.jpg", "-f", "webp", "--why", "sea-400"]);
    assert!(
        again.contains("unchanged") && again.contains("kept"),
        "{again}"
    );
    let plain = scratch.fires(&["fire", "sea.jpg", "-l", "60", "--json"]);
    let plain: serde_json::Value = serde_json::from_str(&plain).expect("JSON");
    let piece = &plain["originals"][0]["pieces"][0];
    assert_eq!(
        (&piece["look"], &piece["verdict"]),
        (&"plain".into(), &"met".into())
    );
    assert!(
        piece["score"]
            .as_f64()
            .is_some_and(|score| (60.0..75.0).contains(&score))
    );
    let exact = scratch.fires(&["fire", "sea.jpg", "-f", "webp", "-l", "exact"]);
    assert!(
        exact.contains("100 exact") && exact.contains("lossless"),
        "{exact}"
    );
    let fixed = scratch.fires(&["fire", "sea.jpg", "-q", "35", "--why", "nothing"]);
    assert!(fixed.contains("dial 35 · 1 encode"), "{fixed}");
    assert!(fixed.contains("no piece of this run has that"), "{fixed}");
}

#[test]
fn a_weight_lowers_the_look_down_to_the_least_and_says_so() {
    let scratch = Scratch::new();
    scratch.put("sea.jpg", &photo(400, 300, 5));
    let weight = |arguments: &[&str]| -> serde_json::Value {
        let command = ["fire", "sea.jpg", "-f", "jpeg", "--json"];
        let report = scratch.kiln(&[&command, arguments].concat()).stdout;
        let report: serde_json::Value = serde_json::from_str(&report).expect("JSON");
        report["originals"][0]["pieces"][0].clone()
    };
    let fine = weight(&[])["weight"].as_u64().expect("bytes");
    let most = format!("{}", fine * 4 / 5);
    let bounded = weight(&["-m", &most]);
    assert_eq!(bounded["verdict"], "bounded", "{bounded}");
    assert!(bounded["weight"].as_u64() <= Some(fine * 4 / 5));
    let over = weight(&["-m", &most, "--least-look", "74"]);
    assert_eq!(
        (&over["verdict"], &over["over_budget"]),
        (&"over".into(), &true.into())
    );
    let shrunk = weight(&["-m", &most, "--least-look", "74", "--shrink-to-fit"]);
    assert!(
        shrunk["shrunk"]["width"]
            .as_u64()
            .is_some_and(|width| width < 400),
        "{shrunk}"
    );
    let sharp = weight(&["-m", &format!("{}", fine * 2), "--aim", "sharpest"]);
    assert!(sharp["score"].as_f64() > Some(78.0), "{sharp}");
}

#[test]
fn budgets_that_contradict_each_other_are_refused() {
    let scratch = Scratch::new();
    scratch.put("sea.jpg", &photo(40, 30, 5));
    for (arguments, says) in [
        (&["--least-look", "crisp"][..], "lies above the look"),
        (&["--aim", "sharpest"], "there is none"),
        (&["--shrink-to-fit"], "goes with a max-weight"),
        (&["-l", "fien"], "a look is plain, fine"),
        (&["-l", "101"], "a look is plain, fine"),
        (&["-q", "50", "-l", "fine"], "cannot be used with"),
    ] {
        let done = scratch.kiln(&[&["fire", "sea.jpg"], arguments].concat());
        assert_eq!(done.code, 2, "{arguments:?}");
        assert!(done.stderr.contains(says), "{arguments:?}: {}", done.stderr);
    }
    assert!(!scratch.path("upload").exists());
    // What one place says of a look is not undone by a dial for all.
    scratch.put("kiln.toml", b"originals = \".\"\n[every]\nquality = 30\n[place.a]\nof = [\"sea.jpg\"]\nlook = \"plain\"\n");
    let told = scratch.fires(&["fire", "-v"]);
    assert!(
        told.contains(" plain ") && told.contains("kiln.toml:6"),
        "{told}"
    );
}
