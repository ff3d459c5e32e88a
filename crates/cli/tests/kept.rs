//! Inputs that fuzzing has kept, since they once broke something or nearly did.

#[path = "../../../fuzz/src/written.rs"]
mod written;

use std::fs;
use std::path::Path;

#[test]
fn inputs_that_were_kept_do_no_harm() {
    let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/kept");
    for (target, exercise) in written::ALL {
        exercise(b"");
        for entry in fs::read_dir(kept.join(target)).into_iter().flatten() {
            let path = entry.expect("an entry").path();
            exercise(&fs::read(path).expect("an input"));
        }
    }
}
