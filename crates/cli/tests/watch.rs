//! `kiln fire --watch`: originals arrive, change and go while it runs.

use std::fs::{self, File};
use std::io::Write;
use std::thread;
use std::time::Duration;

use crate::support::{Scratch, interrupt, measured, photo, until};

#[test]
fn originals_are_fired_as_they_arrive_change_and_go() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(90, 60, 1));
    scratch.put(
        "kiln.toml",
        b"originals = 'photos'\n[every]\nwidth = 40\nformats = ['webp']\n",
    );
    let output = File::create(scratch.path("told.txt")).expect("a file");
    let mut run = scratch
        .command(&["fire", "--watch"])
        .stdout(output.try_clone().expect("a handle"))
        .stderr(output)
        .spawn()
        .expect("the program");
    let told = || fs::read_to_string(scratch.path("told.txt")).expect("a report");
    until("the first round", || told().contains("watching for new"));
    assert!(scratch.path("upload/a-40.webp").exists());

    // A file that arrives slowly is fired once it is whole.
    let whole = photo(200, 150, 2);
    let mut slow = File::create(scratch.path("photos/b.jpg")).expect("a file");
    for part in whole.chunks(whole.len().div_ceil(6)) {
        slow.write_all(part).expect("room");
        slow.flush().expect("room");
        thread::sleep(Duration::from_millis(150));
    }
    drop(slow);
    until("a slow file", || scratch.path("upload/b-40.webp").exists());
    assert!(!told().contains("cut off"), "{}", told());

    // A new folder, a rename, a changed setting, and a kiln file that is wrong for a while.
    scratch.put("photos/new/c.jpg", &photo(90, 60, 3));
    until("a new folder", || {
        scratch.path("upload/new/c-40.webp").exists()
    });
    fs::rename(scratch.path("photos/new"), scratch.path("photos/renamed")).expect("a folder");
    until("a rename", || {
        scratch.path("upload/renamed/c-40.webp").exists()
    });
    until("a report of strays", || told().contains("Strays"));
    scratch.put(
        "kiln.toml",
        b"originals = 'photos'\n[every]\nwidht = 40\nformats = ['webp']\n",
    );
    until("a wrong kiln file", || {
        told().contains("did you mean \"width\"?")
    });
    scratch.put(
        "kiln.toml",
        b"originals = 'photos'\n[every]\nwidth = 50\nformats = ['webp']\n",
    );
    until("a changed setting", || {
        scratch.path("upload/renamed/c-50.webp").exists()
    });
    scratch.put("photos/a.jpg", &photo(120, 120, 4));
    until("a changed original", || {
        let piece = scratch.path("upload/a-50.webp");
        piece.exists() && measured(&piece) == (50, 50)
    });

    // All gone, and there again.
    fs::rename(scratch.path("photos"), scratch.path("elsewhere")).expect("a folder");
    until("a lost folder", || {
        told().contains("photos: no such file or folder")
    });
    scratch.put("elsewhere/d.jpg", &photo(90, 60, 5));
    fs::rename(scratch.path("elsewhere"), scratch.path("photos")).expect("a folder");
    until("a folder that came back", || {
        scratch.path("upload/d-50.webp").exists()
    });

    assert!(run.try_wait().expect("a process").is_none(), "it goes on");
    interrupt(&run);
    assert_eq!(run.wait().expect("a process").code(), Some(130));
    assert!(!scratch.path("upload/.kiln-lock").exists());
    let again = scratch.fires(&["fire"]);
    assert!(again.contains("all were made before"), "{again}");
}

/// Who arrives takes a part in the total: those who were there before make room, unchanged as
/// their originals are.
#[test]
fn what_arrives_presses_what_is_there() {
    let scratch = Scratch::new();
    scratch.put("photos/a.jpg", &photo(160, 120, 1));
    scratch.fires(&["fire", "photos", "--no-kiln", "-f", "webp", "-o", "alone"]);
    let alone = scratch.files("alone")["a-160.webp"].len();
    let total = (alone * 8 / 5).to_string();
    let output = File::create(scratch.path("told.txt")).expect("a file");
    let mut run = scratch
        .command(&[
            "fire",
            "photos",
            "--no-kiln",
            "--format",
            "webp",
            "--watch",
            "--max-total",
            &total,
        ])
        .stdout(output.try_clone().expect("a handle"))
        .stderr(output)
        .spawn()
        .expect("the program");
    let told = || fs::read_to_string(scratch.path("told.txt")).expect("a report");
    until("the first round", || told().contains("watching for new"));
    let weight = |name: &str| scratch.files("upload").get(name).map_or(0, Vec::len);
    assert_eq!(weight("a-160.webp"), alone);
    scratch.put("photos/b.jpg", &photo(160, 120, 2));
    until("a second report", || told().contains("2 pictures weigh"));
    assert!(
        weight("a-160.webp") < alone && weight("b-160.webp") > 0,
        "{}",
        told()
    );
    assert!(
        weight("a-160.webp") + weight("b-160.webp") <= alone * 8 / 5,
        "{}",
        told()
    );
    run.kill().expect("it runs");
    run.wait().expect("it ends");
}
