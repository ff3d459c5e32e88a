//! More originals than are held at a time: they are told as if they were.

use serde_json::Value;

use crate::support::{Scratch, photo};

const KILN: &str = "originals = 'in'\nout = 'out'\n[every]\nwidth = 8\ndensities = [1]\n\
    formats = ['webp']\nquality = 50\n";

/// What is told of originals, without what depends on who else is fired.
fn originals(report: &Value) -> Vec<Value> {
    let originals = report["originals"].as_array().expect("a list").iter();
    originals.cloned().collect()
}

#[test]
fn very_many_are_told_as_few_are() {
    let scratch = Scratch::new();
    scratch.put("kiln.toml", KILN.as_bytes());
    let picture = photo(16, 12, 1);
    for number in 0..140 {
        for folder in ["a", "b"] {
            // Their bytes need not differ, but one of them is broken.
            let whole = if (folder, number) == ("b", 77) {
                200
            } else {
                picture.len()
            };
            let name = format!("in/{folder}/{number:03} untitled.jpg");
            scratch.put(&name, &picture[..whole]);
        }
    }
    let all = scratch.json(&["fire", "--json"]);
    let mut apart = Vec::new();
    for folder in ["in/a", "in/b"] {
        let out = format!("{folder}-out");
        let report = scratch.json(&["fire", folder, "--out", &out, "--json"]);
        apart.extend(originals(&report));
    }
    let all_originals = originals(&all);
    assert_eq!(all_originals.len(), 279);
    let differs = all_originals
        .iter()
        .zip(&apart)
        .find(|(one, other)| one != other);
    assert!(differs.is_none(), "the same is told of each: {differs:#?}");
    assert_eq!(apart.len(), 279);
    assert_eq!(all["refused"].as_array().map(Vec::len), Some(1));
    let pieces = scratch.files("out");
    for folder in ["a", "b"] {
        let mut alone = scratch.files(&format!("in/{folder}-out"));
        alone.retain(|name, _| !name.starts_with("kiln-ledger"));
        assert!(alone.len() >= 139, "{}", alone.len());
        assert!(
            alone
                .iter()
                .all(|(name, bytes)| pieces.get(name) == Some(bytes))
        );
    }
    let again = scratch.kiln(&["fire"]);
    assert_eq!(again.code, 1);
    assert!(
        again.stdout.contains("279 originals"),
        "{}",
        &again.stdout[again.stdout.len() - 900..]
    );
    assert!(
        again
            .stdout
            .contains("all were made before and are unchanged")
    );
    assert!(
        again.stderr.contains("077 untitled.jpg"),
        "{}",
        again.stderr
    );
    assert!(scratch.files("out") == pieces, "nothing was written");
}
