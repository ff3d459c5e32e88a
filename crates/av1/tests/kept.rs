//! Inputs that fuzzing has kept, since they once broke something or nearly did.

// What is not as said is to be a panic.
#![allow(clippy::expect_used)]

#[path = "../../../fuzz/src/coded.rs"]
mod coded;
#[path = "../src/stream/decoded.rs"]
mod decoded;

use std::fs;
use std::path::Path;

#[test]
fn inputs_that_were_kept_do_no_harm() {
    let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/kept");
    for (target, exercise) in coded::ALL {
        exercise(b"");
        exercise(b"\x21\x11\x01\x50\x60\x01 samples, over and over");
        for entry in fs::read_dir(kept.join(target)).into_iter().flatten() {
            let path = entry.expect("an entry").path();
            exercise(&fs::read(path).expect("an input"));
        }
    }
}
