//! A temporary folder with pictures, and the built program to run on it.
#![allow(dead_code)]

#[path = "../../../core/tests/common/mod.rs"]
pub mod common;
pub mod dav;
pub mod host;
pub mod library;

use std::collections::BTreeMap;
use std::fs;
use std::io::{Seek, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use common::jpeg::{Jpeg, exif_segment};
use serde_json::Value;

pub struct Scratch {
    folder: tempfile::TempDir,
}

pub struct Done {
    pub code: i32,
    pub stdout: String,
    pub stderr: String,
}

impl Scratch {
    pub fn new() -> Self {
        Scratch {
            folder: tempfile::tempdir().expect("a temporary folder"),
        }
    }

    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    pub fn put(&self, name: &str, bytes: &[u8]) -> PathBuf {
        let path = self.path(name);
        fs::create_dir_all(path.parent().expect("a folder")).expect("a folder");
        fs::write(&path, bytes).expect("a file");
        path
    }

    /// A folder `photos` with one picture of each kind in subfolders.
    pub fn with_photos() -> Self {
        let scratch = Scratch::new();
        scratch.put("photos/sea.JPG", &photo(300, 200, 1));
        scratch.put("photos/rooms/lamp room ü.jpg", &photo(200, 300, 2));
        scratch.put("photos/rooms/stairs.jpg", &turned(240, 180, 3, 6));
        scratch.put("photos/logo.png", &common::png());
        scratch.put("photos/beacon.gif", &common::gif());
        scratch.put("photos/fog.webp", &common::webp(false, false));
        scratch.put("photos/readme.txt", b"not a picture, and not called one");
        scratch
    }

    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_kiln"));
        command
            .current_dir(self.folder.path())
            .args(arguments)
            .env("NO_COLOR", "1");
        command
    }

    pub fn kiln(&self, arguments: &[&str]) -> Done {
        self.kiln_with(&[], arguments)
    }

    /// The same with variables of the environment.
    pub fn kiln_with(&self, variables: &[(&str, &str)], arguments: &[&str]) -> Done {
        let mut command = self.command(arguments);
        command.envs(variables.iter().copied());
        let Output {
            status,
            stdout,
            stderr,
        } = command.output().expect("the program");
        let text = |bytes| String::from_utf8(bytes).expect("text");
        Done {
            code: status.code().unwrap_or(-1),
            stdout: text(stdout),
            stderr: self.filtered(&text(stderr)),
        }
    }

    /// What it reports as JSON, however it ends.
    pub fn json(&self, arguments: &[&str]) -> Value {
        let done = self.kiln(arguments);
        serde_json::from_str(&done.stdout).unwrap_or_else(|_| panic!("{}", done.stderr))
    }

    /// Runs it and expects it to go well.
    pub fn fires(&self, arguments: &[&str]) -> String {
        let done = self.kiln(arguments);
        assert_eq!(done.code, 0, "{}{}", done.stdout, done.stderr);
        done.stdout
    }

    /// A report without weights, which depend on the codecs.
    pub fn weightless(&self, report: &str) -> String {
        let line = |line: &str| {
            let words: Vec<&str> = line.split(' ').collect();
            let is_weight = |index: usize| {
                let unit = words
                    .get(index + 1)
                    .map(|unit| unit.trim_end_matches([',', '.', ';']));
                matches!(unit, Some("B" | "KB" | "MB")) && words[index].parse::<f64>().is_ok()
            };
            let shown =
                (0..words.len()).map(|index| if is_weight(index) { "#" } else { words[index] });
            shown.collect::<Vec<_>>().join(" ").trim_end().to_owned()
        };
        let lines: Vec<String> = self.filtered(report).lines().map(line).collect();
        lines.join("\n")
    }

    fn filtered(&self, text: &str) -> String {
        let real = self.folder.path().canonicalize().expect("a path");
        let text = text.replace(&*real.to_string_lossy(), "[here]");
        text.replace(&*self.folder.path().to_string_lossy(), "[here]")
    }

    /// Every file below a folder, hidden ones too.
    pub fn files(&self, folder: &str) -> BTreeMap<String, Vec<u8>> {
        let root = self.path(folder);
        let mut found = BTreeMap::new();
        let mut open = vec![root.clone()];
        while let Some(folder) = open.pop() {
            for entry in fs::read_dir(&folder).into_iter().flatten() {
                let path = entry.expect("an entry").path();
                if path.is_dir() {
                    open.push(path);
                } else {
                    let name = path
                        .strip_prefix(&root)
                        .expect("below")
                        .to_string_lossy()
                        .into_owned();
                    found.insert(name, fs::read(&path).expect("a file"));
                }
            }
        }
        found
    }

    pub fn names(&self, folder: &str) -> Vec<String> {
        self.files(folder).into_keys().collect()
    }
}

/// What a script in the Python that `KILN_TEST_PYTHON` names says of what it is told.
pub fn python(script: &str, told: &Value) -> Value {
    let python = std::env::var("KILN_TEST_PYTHON");
    let python = python.expect("KILN_TEST_PYTHON names what this test needs");
    let mut input = tempfile::tempfile().expect("a file");
    write!(input, "{told}").expect("a file");
    input.rewind().expect("a file");
    let output = Command::new(python)
        .args(["-c", script])
        .stdin(input)
        .stderr(Stdio::inherit())
        .output()
        .expect("Python");
    assert!(output.status.success());
    serde_json::from_slice(&output.stdout).expect("JSON")
}

/// Waits for something to come true; how long is no matter, but a minute is too long.
pub fn until(what: &str, mut holds: impl FnMut() -> bool) {
    let start = Instant::now();
    while !holds() {
        assert!(
            start.elapsed() < Duration::from_secs(60),
            "waited in vain: {what}"
        );
        thread::sleep(Duration::from_millis(30));
    }
}

/// Sends Ctrl-C.
pub fn interrupt(run: &Child) {
    let id = run.id().to_string();
    let sent = Command::new("kill").args(["-INT", &id]).status();
    assert!(sent.expect("kill").success());
}

/// All pieces of a firing's report.
pub fn pieces(report: &Value) -> Vec<Value> {
    let originals = report["originals"].as_array().expect("a list").iter();
    let pieces = originals.flat_map(|o| o["pieces"].as_array().expect("a list").clone());
    pieces.collect()
}

/// A JPEG with gradients and grain.
pub fn photo(width: u16, height: u16, seed: u64) -> Vec<u8> {
    grainy_with(width, height, seed, &Jpeg::default())
}

/// The same with an orientation tag.
pub fn turned(width: u16, height: u16, seed: u64, orientation: u16) -> Vec<u8> {
    let segments = exif_segment(&common::exif(orientation));
    let jpeg = Jpeg {
        segments,
        ..Jpeg::default()
    };
    grainy_with(width, height, seed, &jpeg)
}

/// The same as any JPEG, but at the dial that cameras are set to.
pub fn grainy_with(width: u16, height: u16, seed: u64, jpeg: &Jpeg) -> Vec<u8> {
    let jpeg = Jpeg {
        dial: 92,
        luma: (2, 2),
        ..jpeg.clone()
    };
    jpeg.file((width.into(), height.into()), &grainy(width, height, seed))
}

fn grainy(width: u16, height: u16, seed: u64) -> Vec<u8> {
    let mut dice = common::Dice(seed);
    let mut samples = Vec::new();
    for y in 0..usize::from(height) {
        for x in 0..usize::from(width) {
            let grain = dice.roll(24);
            samples.extend(
                [
                    x * 200 / usize::from(width) + grain,
                    y * 200 / usize::from(height) + grain,
                    90 + grain,
                ]
                .map(|v| v as u8),
            );
        }
    }
    samples
}

/// Width and height of a finished piece, by its own header.
pub fn measured(path: &Path) -> (u32, u32) {
    let file = fs::read(path).expect("a piece");
    let size = common::probe(&file).stored;
    (size.width(), size.height())
}

/// How many pieces a ledger has as finished.
pub fn finished(ledger: &serde_json::Value) -> usize {
    let originals = ledger["originals"].as_object().expect("a map").values();
    let pieces = originals.flat_map(|o| o["pieces"].as_object().expect("a map").values());
    pieces.filter(|piece| !piece["made"].is_null()).count()
}
