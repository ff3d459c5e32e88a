//! Leases and ledgers of out folders that several runs write at once: a folder of this machine plays the other one.

use std::fs;
use std::sync::Arc;

use super::lease::{self, Lease};
use super::records::Records;
use super::{Away, Distant};
use crate::carry::{Folder, Found};
use crate::ledger::{Beyond, Ledger};

const LOCK: &str = ".kiln-lock";

struct Machine {
    folder: tempfile::TempDir,
}

impl Machine {
    fn new() -> Machine {
        let folder = tempfile::tempdir().expect("a folder");
        Machine { folder }
    }

    fn away(&self) -> Arc<Away> {
        Arc::new(Away::by(Box::new(Folder::at(self.folder.path()))))
    }

    fn names(&self) -> Vec<String> {
        let all = self.away().all(&|_| true).expect("a folder");
        all.into_keys().collect()
    }

    fn write(&self, name: &str, bytes: &[u8]) {
        fs::write(self.folder.path().join(name), bytes).expect("room");
    }

    /// A run that brings the ledger to its desk.
    fn run(&self) -> (tempfile::TempDir, Arc<Records>, Ledger) {
        let away = self.away();
        let there = away.all(&|_| true).expect("a folder");
        let desk = tempfile::tempdir().expect("a folder");
        let records = Records::bring(&away, &there, None, desk.path()).expect("a ledger");
        let records = Arc::new(records);
        let mut ledger = Ledger::open(desk.path()).expect("sound").ledger;
        ledger.keep_beyond(Arc::clone(&records) as Arc<dyn Beyond>);
        (desk, records, ledger)
    }

    fn delivered(&self) -> Vec<String> {
        let (_desk, _, ledger) = self.run();
        ledger.delivered("there").into_keys().collect()
    }
}

fn arrives(ledger: &mut Ledger, name: &str) {
    let file = crate::ledger::Delivered::of(kiln_core::plan::digest(b"x"), 1);
    ledger.arrived("there", name, file);
}

#[test]
fn a_lease_is_one_runs_while_it_lives_and_nobodys_after() {
    let machine = Machine::new();
    let take = || Lease::take(&machine.away(), LOCK, &|_| {}).expect("a folder");
    let first = take().expect("nobody has it");
    assert!(take().is_none(), "the first one lives");
    let lock = LOCK.to_owned();
    assert!(lease::is_any_alive(&machine.away(), &[&lock], &|_| {}));
    drop(first);
    assert!(machine.names().is_empty());
    machine.write(LOCK, b"of a run that was killed");
    assert!(!lease::is_any_alive(&machine.away(), &[&lock], &|_| {}));
    let second = take().expect("nobody renews it");
    second.held().expect("it is held");
    // Another run took it over, as this one seemed to be dead.
    machine.write(LOCK, b"of another run");
    while second.held().is_ok() {
        std::thread::yield_now();
    }
    drop(second);
    assert_eq!(machine.names(), [LOCK], "it is not ours to remove");
}

#[test]
fn what_several_runs_note_at_once_is_all_kept() {
    let machine = Machine::new();
    let (_desk, _, mut first) = machine.run();
    arrives(&mut first, "1");
    first.save().expect("the first document");
    let (_one_desk, _, mut one) = machine.run();
    let (_other_desk, _, mut other) = machine.run();
    for number in [2, 4] {
        for (ledger, number) in [(&mut one, number), (&mut other, number + 1)] {
            arrives(ledger, &number.to_string());
            ledger.save().expect("room");
        }
    }
    assert_eq!(machine.names().len(), 5, "one document and four journals");
    assert_eq!(machine.delivered(), ["1", "2", "3", "4", "5"]);
    one.compact().expect("room");
    let refused = other
        .compact()
        .expect_err("a document of that number is there");
    assert!(refused.to_string().contains("meanwhile"), "{refused}");
    // What the one did not know is noted still.
    assert_eq!(machine.delivered(), ["1", "2", "3", "4", "5"]);
}

#[test]
fn a_run_that_ends_between_document_and_journals_loses_nothing() {
    let machine = Machine::new();
    let (_desk, _, mut ledger) = machine.run();
    arrives(&mut ledger, "1");
    ledger.save().expect("room");
    arrives(&mut ledger, "2");
    ledger.save().expect("room");
    ledger.withdrawn("there", "1");
    ledger.save().expect("room");
    let journals = machine.names();
    let kept: Vec<Vec<u8>> = journals
        .iter()
        .map(|name| fs::read(machine.folder.path().join(name)).expect("a file"))
        .collect();
    ledger.compact().expect("room");
    assert_eq!(machine.names(), [".kiln-ledger/00000002.json"]);
    for (name, bytes) in journals.iter().zip(&kept) {
        machine.write(name, bytes);
    }
    assert_eq!(machine.delivered(), ["2"]);
    // Half a file on its way is none.
    machine.write(".kiln-ledger/kiln-part-1-00000003.json", b"{");
    assert_eq!(machine.delivered(), ["2"]);
}

#[test]
fn the_state_of_a_file_is_its_weight_and_its_tag() {
    let away = Machine::new().away();
    let state = |tag: Option<&str>| {
        let tag = tag.map(str::to_owned);
        Distant::new(&away, "sea.jpg".to_owned(), Found { weight: 7, tag }).state()
    };
    assert_eq!(state(Some("\"a\"")), Some("7 \"a\"".to_owned()));
    assert_eq!(
        state(None),
        None,
        "a machine that tells nothing is not believed"
    );
}
