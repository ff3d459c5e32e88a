//! Originals and pieces on another machine, which a server of ours plays.

use std::collections::BTreeMap;

use serde_json::Value;

use crate::support::dav::{Dav, Failing};
use crate::support::{Done, Scratch, photo, pieces};

const SETTINGS: &str = "[every]\ndensities = [1]\nformats = ['webp', 'jpeg']\nquality = 60\n\
    [place.room]\nof = ['rooms/**']\nwidth = [60, 120]\n\
    [place.card]\nof = ['*.jpg']\nwidth = 90\n";

/// A site on one machine, and the machine.
struct Site {
    scratch: Scratch,
    dav: Dav,
}

fn originals() -> Vec<(&'static str, Vec<u8>)> {
    vec![
        ("rooms/lamp room ü.jpg", photo(300, 200, 1)),
        ("sea.jpg", photo(200, 150, 2)),
        ("fog.jpg", photo(200, 150, 3)),
    ]
}

impl Site {
    /// One whose kiln file says where originals and pieces are; `DAV` stands for the machine.
    fn with(places: &str) -> Site {
        let (scratch, dav) = (Scratch::new(), Dav::new());
        let places = places.replace("DAV", &dav.address);
        let access = format!(
            "[access.tern]\nto = '{}'\nuser = 'keeper'\nsecret = 'env LAMP'\nunencrypted = true\n",
            dav.address
        );
        scratch.put(
            "kiln.toml",
            format!("{places}{SETTINGS}{access}").as_bytes(),
        );
        for (name, bytes) in originals() {
            scratch.put(&format!("in/{name}"), &bytes);
        }
        {
            let mut state = dav.state();
            for folder in ["in", "in/rooms", "in/.trash", "in/old"] {
                state.folders.insert(folder.to_owned());
            }
            for (name, bytes) in originals() {
                state.files.insert(format!("in/{name}"), bytes);
            }
            let sea = photo(200, 150, 2);
            state
                .files
                .insert("in/.trash/sea.jpg".to_owned(), sea.clone());
            state.files.insert("in/old/sea.jpg".to_owned(), sea);
            state
                .files
                .insert("in/old/kiln-ledger.json".to_owned(), b"{}".to_vec());
        }
        Site { scratch, dav }
    }

    fn kiln(&self, arguments: &[&str]) -> Done {
        self.dav.state().asked.clear();
        self.scratch.kiln_with(&[("LAMP", "lamp")], arguments)
    }

    fn report(&self, arguments: &[&str]) -> Value {
        let done = self.kiln(arguments);
        assert_eq!(done.code, 0, "{}{}", done.stdout, done.stderr);
        serde_json::from_str(&done.stdout).expect("JSON")
    }

    /// What was asked of the machine that begins so.
    fn asked(&self, start: &str) -> Vec<String> {
        let state = self.dav.state();
        assert!(state.wrong.is_empty(), "{:?}", state.wrong);
        let asked = state.asked.iter().filter(|asked| asked.starts_with(start));
        asked.cloned().collect()
    }

    /// The pieces in a folder of the machine, without what the program keeps for itself.
    fn there(&self, folder: &str) -> BTreeMap<String, Vec<u8>> {
        let state = self.dav.state();
        let files = state.files.iter().filter_map(|(name, bytes)| {
            let name = name.strip_prefix(folder)?;
            (!name.starts_with(".kiln-")).then(|| (name.to_owned(), bytes.clone()))
        });
        files.collect()
    }
}

/// The pieces that a firing of the same originals leaves on this machine.
fn pieces_here() -> BTreeMap<String, Vec<u8>> {
    let scratch = Scratch::new();
    let kiln = format!("originals = 'in'\nout = 'img'\n{SETTINGS}");
    scratch.put("kiln.toml", kiln.as_bytes());
    for (name, bytes) in originals() {
        scratch.put(&format!("in/{name}"), &bytes);
    }
    scratch.fires(&["fire", "--quiet"]);
    let mut files = scratch.files("img");
    files.retain(|name, _| !name.starts_with("kiln-ledger"));
    files
}

fn unchanged(report: &Value) -> usize {
    let pieces = pieces(report);
    let unchanged = pieces.iter().filter(|piece| piece["state"] == "unchanged");
    unchanged.count()
}

#[test]
fn originals_elsewhere_give_the_same_pieces_and_are_read_once() {
    let site = Site::with("originals = 'DAV/in'\nout = 'img'\n");
    let planned = site.report(&["fire", "--dry-run", "--json"]);
    assert_eq!(planned["originals"].as_array().map(Vec::len), Some(3));
    let whole = |asked: &String| !asked.ends_with(" in part");
    let fetched = |site: &Site| {
        site.asked("GET")
            .iter()
            .filter(|asked| whole(asked))
            .count()
    };
    assert_eq!(fetched(&site), 0, "headers alone are read");
    let left_out = planned["left_out"].to_string();
    assert!(
        left_out.contains("/in/old/") && !left_out.contains(".trash"),
        "{left_out}"
    );

    let first = site.report(&["fire", "--json"]);
    assert_eq!((fetched(&site), unchanged(&first)), (3, 0));
    let mut here = site.scratch.files("img");
    here.retain(|name, _| !name.starts_with("kiln-ledger"));
    assert!(here == pieces_here(), "{:?}", here.keys());

    let again = site.report(&["fire", "--json"]);
    assert_eq!((fetched(&site), unchanged(&again)), (0, here.len()));

    // One is another now, and one is gone.
    let sea = photo(200, 150, 7);
    site.dav.state().files.insert("in/sea.jpg".to_owned(), sea);
    site.dav.state().files.remove("in/fog.jpg");
    let third = site.report(&["fire", "--json"]);
    assert_eq!((fetched(&site), unchanged(&third)), (1, here.len() - 4));
    let strays = third["strays"].to_string();
    assert!(
        strays.contains("fog-90") && !strays.contains("sea"),
        "{strays}"
    );
    for method in ["PUT", "MOVE", "DELETE", "MKCOL"] {
        assert!(site.asked(method).is_empty(), "originals are only read");
    }

    // A piece that somebody changed is made again, and for that its original is read.
    site.scratch.put("img/rooms/lamp-room-u-60.webp", b"other");
    let mended = site.report(&["fire", "--json"]);
    assert_eq!((fetched(&site), unchanged(&mended)), (1, 5));
}

#[test]
fn an_out_folder_elsewhere_holds_the_same_pieces_and_its_ledger() {
    let site = Site::with("originals = 'in'\nout = 'DAV/img'\n");
    let first = site.report(&["fire", "--json"]);
    assert_eq!(unchanged(&first), 0);
    let wanted = pieces_here();
    assert!(
        site.there("img/") == wanted,
        "{:?}",
        site.there("img/").keys()
    );
    let own = |site: &Site| {
        let state = site.dav.state();
        let own = state
            .files
            .keys()
            .filter(|name| name.starts_with("img/.kiln-"));
        own.cloned().collect::<Vec<_>>()
    };
    assert_eq!(
        own(&site),
        ["img/.kiln-ledger/00000002.json"],
        "no lock, no journals"
    );
    let again = site.report(&["fire", "--json"]);
    assert_eq!(unchanged(&again), wanted.len());
    assert_eq!(own(&site), ["img/.kiln-ledger/00000002.json"]);

    // Whoever comes from elsewhere sees the same ledger.
    let told = site.kiln(&["ledger", "verify"]);
    assert_eq!(told.code, 0, "{}{}", told.stdout, told.stderr);
    assert!(
        told.stdout.contains("8 pieces are as they were made"),
        "{}",
        told.stdout
    );
    site.dav
        .state()
        .files
        .insert("img/sea-90.webp".to_owned(), b"other".to_vec());
    assert_eq!(site.kiln(&["ledger", "verify"]).code, 1);
    let mended = site.report(&["fire", "--json"]);
    assert_eq!(unchanged(&mended), wanted.len() - 1);
    assert!(site.there("img/") == wanted);

    // What is a stray goes, where that is wanted; what is nobody's stays.
    std::fs::remove_file(site.scratch.path("in/fog.jpg")).expect("it is there");
    let swept = site.report(&["fire", "--remove-strays", "--json"]);
    assert!(
        swept["strays"].to_string().contains("removed"),
        "{}",
        swept["strays"]
    );
    assert!(!site.there("img/").contains_key("fog-90.webp"));
    site.dav
        .state()
        .files
        .insert("img/rooms/new-60.webp".to_owned(), b"mine".to_vec());
    site.scratch.put("in/rooms/new.jpg", &photo(300, 200, 9));
    let refused = site.kiln(&["fire"]);
    assert_eq!(refused.code, 1, "{}", refused.stderr);
    assert!(
        refused.stderr.contains("img/rooms/new-60.webp"),
        "{}",
        refused.stderr
    );
    assert_eq!(site.there("img/")["rooms/new-60.webp"], b"mine");
    let own = own(&site);
    assert!(!own.iter().any(|name| name.ends_with("lock")), "{own:?}");
}

#[test]
fn parts_on_machines_without_a_shared_disk_are_gathered() {
    let site = Site::with("originals = 'DAV/in'\nout = 'DAV/img'\n");
    for part in ["1/3", "2/3", "2/3"] {
        let done = site.kiln(&["fire", "--part", part, "--quiet"]);
        assert_eq!(done.code, 0, "{}", done.stderr);
    }
    let gathered = site.report(&["fire", "--gather", "--json"]);
    let remarks = gathered["remarks"].to_string();
    assert!(
        remarks.contains("of 3 parts part 3 did not come to an end"),
        "{remarks}"
    );
    assert!(site.there("img/") == pieces_here());
    let state = site.dav.state();
    let own = state
        .files
        .keys()
        .filter(|name| name.starts_with("img/.kiln-"));
    assert_eq!(own.collect::<Vec<_>>(), ["img/.kiln-ledger/00000002.json"]);
}

#[test]
fn a_machine_that_fails_costs_what_it_failed_at() {
    let site = Site::with("originals = 'in'\nout = 'DAV/img'\n");
    site.dav.fails(Failing::Cut(5));
    let report = site.report(&["fire", "--json"]);
    assert_eq!(unchanged(&report), 0);
    assert!(site.there("img/") == pieces_here());
    site.dav.fails(Failing::Refusing("sea-90.webp"));
    site.dav.state().files.remove("img/sea-90.webp");
    let done = site.kiln(&["fire"]);
    assert_eq!(done.code, 1, "{}", done.stderr);
    assert!(done.stderr.contains("sea-90.webp"), "{}", done.stderr);
    site.dav.fails(Failing::Unknown);
    let done = site.kiln(&["fire"]);
    assert_eq!(done.code, 1);
    assert!(
        done.stderr.contains("does not know this user and password"),
        "{}",
        done.stderr
    );
    site.dav.fails(Failing::Not);
    site.report(&["fire", "--json"]);
    assert!(site.there("img/") == pieces_here());
}

#[test]
fn what_cannot_lie_elsewhere_is_said() {
    let site = Site::with("originals = 'DAV/in'\nout = 'DAV/img'\n");
    let refused = |arguments: &[&str]| {
        let done = site.kiln(arguments);
        assert_eq!(done.code, 2, "{arguments:?} {}", done.stdout);
        done.stderr.replace(&site.dav.address, "DAV")
    };
    let all = [
        refused(&["fire", "--watch"]),
        refused(&["fire", "--remember", "card"]),
        refused(&["fire", "ftps://tern.example/in"]),
        refused(&["fire", "smoke://tern.example/in"]),
        refused(&[
            "fire",
            "--out",
            &site.dav.address,
            "--no-kiln",
            "in",
            "-w",
            "60",
        ]),
        refused(&["fire", "--out", &format!("{}/in", site.dav.address)]),
        refused(&["markup"]),
        refused(&["deliver", "./there"]),
        refused(&["check"]),
        refused(&["survey", "dav://tern.example/in"]),
    ];
    insta::assert_snapshot!(all.concat());
}
