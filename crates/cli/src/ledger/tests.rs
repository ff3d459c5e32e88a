use super::kept::Document;
use super::*;
use crate::failure::Failure;
use std::fs;

use kiln_core::budget::Verdict;
use kiln_core::encode::{Chroma, Coding, Pace};
use kiln_core::pipeline::{Account, Attempt, Part};
use kiln_core::pixels::{Area, Size};
use kiln_core::plan::Candidate;

fn digest_of(text: &str) -> Digest {
    digest(text.as_bytes())
}

fn entry(recipe: &str) -> PieceEntry {
    PieceEntry {
        place: None,
        by: None,
        size: Size::new(3, 2).expect("a size"),
        format: Format::WebP,
        recipe: digest_of(recipe),
        made: None,
        standing: None,
        displayed: None,
        is_stray: false,
    }
}

/// A piece that may have any of the names.
fn planned(names: &[&str]) -> PlannedPiece {
    let candidate = |name: &&str| Candidate {
        format: Format::WebP,
        name: (*name).to_owned(),
    };
    PlannedPiece {
        candidates: names.iter().map(candidate).collect(),
        recipe: digest_of("r"),
    }
}

fn made(file: &str) -> Made {
    Made {
        kiln: "0".into(),
        digest: digest_of(file),
        account: Account {
            weight: 9,
            coding: Coding::Dial(80),
            score: 76.0,
            verdict: Some(Verdict::Met),
            trail: Vec::new(),
            fits: true,
            flattened: false,
            shrunk: None,
            repacked: None,
        },
        share: None,
        outdone: None,
    }
}

/// A ledger that is never saved.
fn unkept() -> Ledger {
    let kept = Kept::of(
        Path::new(""),
        Document::Absent,
        &Default::default(),
        Vec::new(),
    );
    Ledger::new(kept, Sound::default())
}

/// A ledger with one original of two pieces, both made.
fn fired() -> Ledger {
    let mut ledger = unkept();
    for piece in ["a-1.webp", "a-2.webp"] {
        ledger.enter("../a.jpg", piece, entry("r"));
    }
    ledger.read("../a.jpg", digest_of("content"), None);
    ledger.finished(&planned(&["a-1.webp"]), "a-1.webp", made("one"));
    ledger.finished(&planned(&["a-2.webp"]), "a-2.webp", made("two"));
    ledger
}

fn known(ledger: &Ledger) -> Vec<String> {
    let names = ledger.owners.keys().map(|name| &**name);
    let mut names: Vec<String> = ledger.known(names).into_keys().collect();
    names.sort();
    names
}

/// What borders leave is kept with the digest of what was searched, and read without a ledger
/// being opened, whatever stands there.
#[test]
fn what_borders_leave_is_known_by_what_was_searched() {
    let folder = tempfile::tempdir().expect("a folder");
    assert!(Ledger::contents(folder.path()).is_empty(), "no ledger");
    let area = Area::whole(Size::new(3, 2).expect("a size"));
    let mut ledger = Ledger::open(folder.path()).expect("a new one").ledger;
    ledger.enter("../a.jpg", "a-1.webp", entry("r"));
    let of = digest_of("seen");
    ledger.searched("../a.jpg", Trimmed { of, area });
    let of = digest_of("lost");
    ledger.searched("../none.jpg", Trimmed { of, area });
    ledger.save().expect("room");
    let known = Ledger::contents(folder.path());
    assert_eq!(known, [(digest_of("seen"), area)].into());
    fs::write(folder.path().join(NAME), b"{").expect("room");
    assert!(
        Ledger::contents(folder.path()).is_empty(),
        "an unreadable one"
    );
    assert!(folder.path().join(NAME).exists(), "which is left alone");
}

#[test]
fn pieces_hold_while_original_and_recipe_do() {
    let mut ledger = fired();
    assert_eq!(known(&ledger), ["a-1.webp", "a-2.webp"]);
    ledger.enter("../a.jpg", "a-1.webp", entry("r"));
    ledger.enter("../a.jpg", "a-2.webp", entry("other"));
    assert_eq!(known(&ledger), ["a-1.webp"], "a changed recipe");
    ledger.read("../a.jpg", digest_of("content"), None);
    assert_eq!(known(&ledger), ["a-1.webp"]);
    ledger.read("../a.jpg", digest_of("changed"), None);
    assert!(known(&ledger).is_empty(), "a changed original");
}

/// The very last piece of an original keeps what is known of it as well.
#[test]
fn the_only_piece_of_an_original_holds_too() {
    let mut ledger = fired();
    ledger.forget("a-2.webp");
    ledger.enter("../a.jpg", "a-1.webp", entry("r"));
    assert_eq!(known(&ledger), ["a-1.webp"]);
}

#[test]
fn a_name_that_goes_to_another_original_is_made_anew() {
    let mut ledger = fired();
    ledger.enter("../b.jpg", "a-1.webp", entry("r"));
    assert_eq!(known(&ledger), ["a-2.webp"]);
    assert!(ledger.knows("a-1.webp"));
    ledger.forget("a-1.webp");
    assert!(!ledger.knows("a-1.webp") && !ledger.originals.contains_key("../b.jpg"));
}

#[test]
fn strays_are_what_nothing_plans_for_of_unwanted_originals() {
    let ledger = fired();
    let planned = HashSet::from([digest_of("a-1.webp")]);
    let strays = ledger.strays(&planned, |original, by| {
        (original, by) == ("../a.jpg", None)
    });
    let wanted = Stray {
        name: "a-2.webp".to_owned(),
        digest: Some(digest_of("two")),
    };
    assert_eq!(strays, [wanted]);
    assert!(ledger.strays(&planned, |_, _| false).is_empty());
}

/// A part in a total is kept with the piece, over a run that only plans it again.
#[test]
fn a_share_is_kept_as_long_as_its_piece_holds() {
    let folder = tempfile::tempdir().expect("a folder");
    let share = Share {
        of: digest_of("all"),
        part: Part {
            own: 3,
            kept: 1,
            verdict: Some(Verdict::Met),
            within: Some(70),
        },
    };
    let piece = planned(&["a-1.webp"]);
    let mut ledger = Ledger::open(folder.path()).expect("a new one").ledger;
    ledger.enter("../a.jpg", "a-1.webp", entry("r"));
    assert!(ledger.made(&piece).is_none(), "it is only planned");
    ledger.read("../a.jpg", digest_of("content"), None);
    let mut shared = made("one");
    let attempt = Attempt {
        format: Format::WebP,
        coding: Coding::Dial(80),
        chroma: Chroma::Full,
        pace: Pace::Steady,
        weight: 9,
        score: 76.0,
        sampled: false,
        width: 3,
    };
    shared.account.trail = vec![attempt; 3];
    shared.share = Some(Box::new(share.clone()));
    ledger.finished(&piece, "a-1.webp", shared);
    ledger.save().expect("room");
    let opened = Ledger::open(folder.path()).expect("the same");
    assert!(opened.remarks.is_empty(), "{:?}", opened.remarks);
    let mut again = opened.ledger;
    again.enter("../a.jpg", "a-1.webp", entry("r"));
    let found = again.made(&piece).expect("it stands");
    let facts = (found.name, found.entry.recipe, found.original);
    assert_eq!(facts, ("a-1.webp", digest_of("r"), digest_of("content")));
    assert_eq!(found.made.share.as_deref(), Some(&share));
    again.enter("../a.jpg", "a-1.webp", entry("other"));
    let unknown = planned(&["b.webp"]);
    assert!(again.made(&piece).is_none() && again.made(&unknown).is_none());
}

/// Of several names that a piece may have it has the last that it was made under; what stands under
/// another is known by its digest until it is gone.
#[test]
fn a_piece_has_one_of_its_names_at_a_time() {
    let mut ledger = unkept();
    let piece = planned(&["a.webp", "a.png"]);
    for name in piece.names() {
        ledger.enter("../a.jpg", name, entry("r"));
    }
    ledger.read("../a.jpg", digest_of("content"), None);
    ledger.finished(&piece, "a.webp", made("one"));
    assert_eq!(ledger.made(&piece).map(|found| found.name), Some("a.webp"));
    assert_eq!(ledger.standing("a.png"), None);
    ledger.finished(&piece, "a.png", made("two"));
    assert_eq!(ledger.made(&piece).map(|found| found.name), Some("a.png"));
    assert_eq!(known(&ledger), ["a.png"]);
    assert_eq!(ledger.standing("a.webp"), Some(digest_of("one")));
    ledger.cleared("a.webp");
    assert_eq!(ledger.standing("a.webp"), None);
}

/// A folder with a ledger whose journal has these pieces of one original, each in a record of its own; the bytes
/// of the journal after each.
fn noted(pieces: &[&str]) -> (tempfile::TempDir, Vec<usize>) {
    let folder = tempfile::tempdir().expect("a folder");
    let mut ledger = Ledger::open(folder.path()).expect("a new one").ledger;
    ledger.save().expect("room");
    let journal = folder.path().join(journal::NAME);
    let mut ends = vec![0];
    for (index, piece) in pieces.iter().enumerate() {
        ledger.enter(&format!("../{index}.jpg"), piece, entry("r"));
        ledger.read(&format!("../{index}.jpg"), digest_of("content"), None);
        ledger.finished(&planned(&[piece]), piece, made("one"));
        ledger.save().expect("room");
        ends.push(fs::metadata(&journal).expect("a journal").len() as usize);
    }
    (folder, ends)
}

/// Wherever a crash cuts a journal off, all records before hold, and it goes on from there.
#[test]
fn a_journal_that_is_cut_off_anywhere_goes_on() {
    let pieces = ["a.webp", "b.webp", "c.webp"];
    let (folder, ends) = noted(&pieces);
    let path = folder.path().join(journal::NAME);
    let whole = fs::read(&path).expect("a journal");
    for cut in 0..=whole.len() {
        fs::write(&path, &whole[..cut]).expect("room");
        let Opened {
            mut ledger,
            remarks,
            ..
        } = Ledger::open(folder.path()).expect("sound");
        // A record is whole without the end of its line too.
        let before = ends[1..].iter().filter(|end| **end <= cut + 1).count();
        assert_eq!(known(&ledger), pieces[..before], "cut at {cut}");
        assert!(remarks.is_empty(), "cut at {cut}: {remarks:?}");
        ledger.enter("../d.jpg", "d.webp", entry("r"));
        ledger.save().expect("room");
        let again = Ledger::open(folder.path()).expect("sound").ledger;
        assert_eq!(known(&again), pieces[..before], "cut at {cut}");
        assert!(again.knows("d.webp"), "cut at {cut}");
    }
}

/// What is damaged elsewhere is lost alone, and said.
#[test]
fn a_damaged_record_is_passed_over_with_a_word() {
    let (folder, ends) = noted(&["a.webp", "b.webp", "c.webp"]);
    let path = folder.path().join(journal::NAME);
    let mut bytes = fs::read(&path).expect("a journal");
    bytes[ends[1] + 40] ^= 1;
    fs::write(&path, &bytes).expect("room");
    let Opened {
        ledger, remarks, ..
    } = Ledger::open(folder.path()).expect("sound");
    assert_eq!(known(&ledger), ["a.webp", "c.webp"]);
    let says = "1 record of the ledger's journal cannot be read and is passed over";
    assert_eq!(remarks, [says]);
}

/// A journal is laid over the document as often as anyone likes: a run that was killed between writing the
/// document and removing the journal leaves both.
#[test]
fn a_journal_that_went_into_the_document_does_no_harm() {
    let (folder, _) = noted(&["a.webp", "b.webp"]);
    let path = folder.path().join(journal::NAME);
    let journal = fs::read(&path).expect("a journal");
    let mut ledger = Ledger::open(folder.path()).expect("sound").ledger;
    ledger.forget("a.webp");
    ledger.settle().expect("room");
    assert!(!path.exists(), "it went into the document");
    let mut ledger = Ledger::open(folder.path()).expect("sound").ledger;
    assert_eq!(known(&ledger), ["b.webp"]);
    let document = fs::read(ledger.path()).expect("a document");
    ledger.enter("../1.jpg", "b.webp", entry("r"));
    ledger.read("../1.jpg", digest_of("content"), None);
    ledger.save().expect("room");
    assert!(!path.exists(), "nothing was new");
    ledger.settle().expect("room");
    assert_eq!(fs::read(ledger.path()).expect("a document"), document);
    fs::write(&path, &journal[..journal.len() / 2]).expect("room");
    assert!(
        known(&Ledger::open(folder.path()).expect("sound").ledger).contains(&"b.webp".to_owned())
    );
}

/// Files at targets are noted one by one too, and what nobody would believe is not.
#[test]
fn deliveries_are_noted_in_the_journal() {
    let (folder, _) = noted(&["a.webp"]);
    let mut ledger = Ledger::open(folder.path()).expect("sound").ledger;
    for name in ["a.webp", "b.webp", "../c.webp"] {
        ledger.arrived(
            "davs://tern.example/",
            name,
            Delivered::of(digest_of("d"), 3),
        );
    }
    ledger.save().expect("room");
    ledger.withdrawn("davs://tern.example/", "b.webp");
    ledger.save().expect("room");
    let record = Ledger::look(folder.path())
        .expect("readable")
        .expect("sound");
    let files: Vec<&String> = record.deliveries["davs://tern.example/"].keys().collect();
    assert_eq!(files, ["a.webp"]);
    let newer = r#"{"form":{"schema":6,"kiln":"3.1"}}"#.as_bytes();
    let sum = xxhash_rust::xxh3::xxh3_64(newer);
    let line = [format!("{sum:016x} ").as_bytes(), newer, b"\n"].concat();
    fs::write(folder.path().join(journal::NAME), line).expect("room");
    assert!(matches!(
        Ledger::open(folder.path()),
        Err(Failure::NewerLedger { schema: 6, .. })
    ));
}
