//! One plan made by several machines, and gathered.

use std::fs;
use std::process::Stdio;
use std::thread;
use std::time::Duration;

use crate::support::{Scratch, photo};

const SITE: &str = r#"
originals = "photos"
out = "one"

[every]
width = 40
look = "plain"
formats = ["webp", "jpeg"]

[place.series]
of = ["rooms/**"]
width = [30, 60]
trim = true
name = "rooms/{number:3}-{width}"

[place.hashed]
of = ["hashed/**"]
width = 50
name = "{title}-{digest:8}"

[page.front]
of = ["sea*"]
max-total = "2 KB"
"#;

/// Photos in folders, with a kiln file that wants numbers, digests and a total.
fn site() -> Scratch {
    let scratch = Scratch::with_photos();
    for index in 0..6 {
        scratch.put(&format!("photos/sea-{index}.jpg"), &photo(120, 80, index));
        scratch.put(
            &format!("photos/rooms/room-{index}.jpg"),
            &photo(90, 70, 20 + index),
        );
        scratch.put(
            &format!("photos/hashed/{index}.jpg"),
            &photo(100, 60, 40 + index),
        );
    }
    scratch.put("photos/broken.jpg", b"\xff\xd8\xff no picture");
    scratch.put("kiln.toml", SITE.as_bytes());
    scratch
}

fn part<'a>(told: &'a str, out: &'a str) -> [&'a str; 6] {
    ["fire", "--part", told, "--out", out, "--quiet"]
}

/// Numbers, digests, totals, strays and the ledger: all as one run makes it, whatever becomes of parts.
#[test]
fn parts_come_to_what_one_run_makes() {
    let scratch = site();
    let whole = scratch.kiln(&["fire", "--quiet"]);
    assert!(whole.stderr.contains("broken.jpg"), "{}", whole.stderr);
    let wanted = scratch.files("one");
    assert!(wanted.len() > 40, "{}", wanted.len());

    // Two at the same time, one of those twice, one never.
    let runs = ["1/3", "2/3", "2/3"].map(|told| {
        let mut run = scratch.command(&part(told, "many"));
        run.stderr(Stdio::piped()).spawn().expect("the program")
    });
    let ended = runs.map(|run| run.wait_with_output().expect("a process"));
    let said: Vec<String> = ended
        .iter()
        .map(|one| String::from_utf8_lossy(&one.stderr).into_owned())
        .collect();
    let busy = said
        .iter()
        .filter(|said| said.contains("part 2/3 is being made there"));
    assert!(busy.count() <= 1, "{said:?}");
    let journals = scratch.files("many/.kiln-parts");
    let names: Vec<&String> = journals.keys().collect();
    assert_eq!(names, ["1-of-3.journal", "2-of-3.journal"]);
    assert!(!scratch.path("many/kiln-ledger.json").exists());

    let gathered = scratch.kiln(&["fire", "--gather", "--out", "many", "--quiet"]);
    let lacking = "of 3 parts part 3 did not come to an end; what it lacks is made here";
    assert!(gathered.stderr.contains(lacking), "{}", gathered.stderr);
    assert_eq!(gathered.code, whole.code);
    assert_eq!(scratch.files("many"), wanted);
    assert!(!scratch.path("many/.kiln-parts").exists());

    // Nothing is left to gather, and a run over all has nothing to do.
    let again = scratch.kiln(&["fire", "--gather", "--out", "many", "--quiet"]);
    assert_eq!(again.code, 1);
    assert!(
        again.stderr.contains("no parts have left anything"),
        "{}",
        again.stderr
    );
    let report = scratch.json(&["fire", "--out", "many", "--json"]);
    assert_eq!(report["totals"]["unchanged"], report["totals"]["pieces"]);

    // Every original, and every file that is refused, is the business of one part alone.
    let parts = ["1/2", "2/2"].map(|told| {
        scratch.json(&[
            "fire",
            "--part",
            told,
            "--out",
            "none",
            "--dry-run",
            "--json",
        ])
    });
    let count = |list: &str| -> usize {
        let lists = parts
            .iter()
            .map(|one| one[list].as_array().expect("a list"));
        lists.map(Vec::len).sum()
    };
    let all = scratch.json(&["fire", "--out", "none", "--dry-run", "--json"]);
    for list in ["originals", "refused"] {
        let wanted = all[list].as_array().expect("a list").len();
        assert_eq!(count(list), wanted, "{list}");
    }
    assert_eq!(
        (&parts[1]["part"], &all["part"]),
        (&"2/2".into(), &serde_json::Value::Null)
    );
}

/// A part that is killed goes on where it was; an original that changed meanwhile is made again; what was made for
/// another count of parts counts.
#[cfg(unix)]
#[test]
fn parts_may_be_killed_and_asked_for_anew() {
    let scratch = Scratch::new();
    for index in 0..40 {
        scratch.put(&format!("photos/{index}.jpg"), &photo(200, 150, index));
    }
    let fire = |more: &[&str]| {
        let all = ["fire", "photos", "--no-kiln", "-f", "avif", "-w", "150"];
        [&all[..], more]
            .concat()
            .into_iter()
            .map(str::to_owned)
            .collect::<Vec<_>>()
    };
    let kiln = |more: &[&str]| {
        let arguments = fire(more);
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        scratch.kiln(&arguments)
    };
    let arguments = fire(&["--part", "1/2", "-o", "many", "-j", "1", "--quiet"]);
    let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
    let mut run = scratch.command(&arguments).spawn().expect("the program");
    while !scratch
        .names("many")
        .iter()
        .any(|name| name.ends_with(".avif"))
    {
        thread::sleep(Duration::from_millis(5));
        assert!(
            run.try_wait().expect("a process").is_none(),
            "it ended before its first piece"
        );
    }
    run.kill().expect("a process");
    run.wait().expect("a process");
    let whole = kiln(&["-o", "many", "--part", "1/2", "--json"]);
    assert_eq!(whole.code, 0, "{}", whole.stderr);
    let others = kiln(&["-o", "many", "--part", "2/3", "--quiet"]);
    assert_eq!(others.code, 0, "{}", others.stderr);
    scratch.put("photos/7.jpg", &photo(200, 150, 99));
    let gathered = kiln(&["-o", "many", "--gather", "--json"]);
    assert_eq!(gathered.code, 0, "{}", gathered.stderr);
    let report: serde_json::Value = serde_json::from_str(&gathered.stdout).expect("JSON");
    let unchanged = report["totals"]["unchanged"].as_u64().expect("a number");
    assert!(
        (20..39).contains(&unchanged),
        "{unchanged} were made by parts"
    );
    assert_eq!(kiln(&["-o", "one", "--quiet"]).code, 0);
    assert_eq!(scratch.files("many"), scratch.files("one"));
}

#[test]
fn a_part_that_nobody_tells_is_named() {
    let scratch = site();
    let auto = part("auto", "many");
    let none = scratch.kiln(&auto);
    assert_eq!(none.code, 2);
    assert!(
        none.stderr
            .contains("no batch engine says which part this is"),
        "{}",
        none.stderr
    );
    let slurm = [
        ("SLURM_ARRAY_TASK_ID", "4"),
        ("SLURM_ARRAY_TASK_MIN", "1"),
        ("SLURM_ARRAY_TASK_COUNT", "5"),
    ];
    let told = scratch.kiln_with(&slurm, &["fire", "--part", "auto", "--dry-run", "--json"]);
    let report: serde_json::Value = serde_json::from_str(&told.stdout).expect("JSON");
    assert_eq!(report["part"], "4/5");
    for wrong in ["0/3", "4/3", "x", "1/0"] {
        let done = scratch.kiln(&part(wrong, "many"));
        assert_eq!(done.code, 2, "{wrong}");
        assert!(
            done.stderr.contains("a part is told as K/N"),
            "{}",
            done.stderr
        );
    }
    // Where a firing of all is at work no part begins, and the other way round.
    scratch.put("many/.kiln-lock", b"");
    let lock = fs::File::options()
        .write(true)
        .open(scratch.path("many/.kiln-lock"));
    let lock = lock.expect("the lock");
    lock.lock().expect("nobody else holds it");
    let refused = scratch.kiln(&part("1/2", "many"));
    assert!(
        refused.stderr.contains("is at work there"),
        "{}",
        refused.stderr
    );
    lock.unlock().expect("it is held");
    lock.lock_shared().expect("nobody else holds it");
    let refused = scratch.kiln(&["fire", "--out", "many", "--gather"]);
    assert!(
        refused.stderr.contains("is at work there"),
        "{}",
        refused.stderr
    );
    assert_ne!(scratch.kiln(&part("1/2", "many")).code, 2);
    assert!(scratch.path("many/.kiln-parts/1-of-2.journal").exists());
}
