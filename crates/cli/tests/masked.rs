//! The same bytes on every processor: a folder is fired on this one, and on one that an emulator
//! gives without the vector units that came after the first 64-bit ones.

use std::collections::BTreeMap;
use std::process::Command;

use crate::support::{Scratch, common, photo};

/// An emulator of processors for programs of this system, from the package `qemu-user`.
const EMULATOR: &str = "qemu-x86_64";

/// Processors by the names that the emulator has for them: one with nothing beyond SSE3, and one
/// with SSE4.2 but without AVX and fused multiply-adds.
const PROCESSORS: [&str; 2] = ["qemu64", "Nehalem"];

fn fires(command: &mut Command, scratch: &Scratch, out: &str) -> BTreeMap<String, Vec<u8>> {
    let done = command.output().expect("it starts");
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success(), "{said}");
    let mut files = scratch.files(out);
    files.remove("kiln-ledger.json.lock");
    files
}

#[test]
#[ignore = "needs an emulator of processors; .ci/run installs it"]
fn bytes_are_the_same_without_vector_units() {
    let scratch = Scratch::new();
    scratch.put("in/sea.jpg", &photo(180, 120, 1));
    scratch.put("in/fog.webp", &common::webp(false, true));
    scratch.put("in/mark.png", &common::interlaced_png(true));
    scratch.put(
        "in/tide.tif",
        &common::Tiff::default().file(&common::wide(&common::rgb())),
    );
    let arguments = |out| {
        let formats = [
            "--format",
            "avif,webp,jpeg,png",
            "--keep-all",
            "--pace",
            "quick",
        ];
        let sizes = [
            "--width",
            "40,90",
            "--shape",
            "4:3",
            "--focus",
            "auto",
            "--sharpen",
            "soft",
        ];
        [&["fire", "in", "-o", out][..], &formats, &sizes].concat()
    };
    let here = fires(&mut scratch.command(&arguments("here")), &scratch, "here");
    assert!(here.len() > 20, "{:?}", here.keys());
    for processor in PROCESSORS {
        let program = scratch.command(&[]);
        let mut emulated = Command::new(EMULATOR);
        emulated
            .current_dir(scratch.path(""))
            .args(["-cpu", processor]);
        emulated
            .arg(program.get_program())
            .args(arguments(processor));
        let there = fires(&mut emulated, &scratch, processor);
        assert_eq!(
            here.keys().collect::<Vec<_>>(),
            there.keys().collect::<Vec<_>>()
        );
        for (name, bytes) in &here {
            assert!(there[name] == *bytes, "{name} is another on {processor}");
        }
    }
}
