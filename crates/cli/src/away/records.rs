//! The ledger of an out folder on another machine. There a file is written whole or not at all, and none is ever
//! changed: documents are numbered, `.kiln-ledger/00000007.json`, and the highest holds; what was noted since lies
//! beside it in pieces of a journal, `.kiln-ledger/00000031.journal`, and that of parts in
//! `.kiln-parts/3-of-8.00000002.journal`. Whoever is second to write a number takes the next, so nothing is lost however
//! many write. While it is worked on it lies on a desk of this machine as it does in an out folder of this machine.

use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::Path;
use std::str::FromStr;
use std::sync::{Arc, Mutex, PoisonError};

use kiln_core::plan::PartOf;

use super::Away;
use crate::carry::{Found, is_part};
use crate::ledger::{AWAY, Beyond, JOURNAL, NAME};
use crate::write::{PARTS, part_name};

/// What lies there of a ledger.
#[derive(Debug)]
pub struct Records {
    away: Arc<Away>,
    /// What the names of journals begin with that this run writes.
    own: String,
    state: Mutex<State>,
}

#[derive(Debug, Default)]
struct State {
    /// The number of the last document.
    document: u64,
    /// The number of the last journal.
    journal: u64,
    /// Files that the next document takes in.
    taken_in: Vec<String>,
}

impl Records {
    /// Fetches document and journals onto a desk.
    pub fn bring(
        away: &Arc<Away>,
        there: &BTreeMap<String, Found>,
        part: Option<PartOf>,
        desk: &Path,
    ) -> io::Result<Records> {
        let all = format!("{AWAY}/");
        let own = match part {
            Some(part) => format!("{PARTS}/{}.", part_name(part)),
            None => all.clone(),
        };
        let documents = numbered(there, &all, ".json");
        let document = documents.last();
        let mut journals =
            BTreeMap::from([(JOURNAL.to_owned(), numbered(there, &all, ".journal"))]);
        for name in there.keys().filter(|name| !is_part(name)) {
            // By the name of its part, whatever that is: the ledger knows which are parts.
            let file = name
                .strip_prefix(PARTS)
                .and_then(|rest| rest.strip_prefix('/'));
            let parts = file.and_then(|file| file.split_once('.'));
            if let Some((part, _)) = parts.filter(|(part, _)| !part.is_empty()) {
                let journal = format!("{PARTS}/{part}.journal");
                let prefix = format!("{PARTS}/{part}.");
                journals
                    .entry(journal)
                    .or_insert_with(|| numbered(there, &prefix, ".journal"));
            }
        }
        if let Some((_, name)) = document {
            fs::write(desk.join(NAME), away.bytes(name).map_err(io::Error::other)?)?;
        }
        fs::create_dir_all(desk.join(PARTS))?;
        let mut taken_in: Vec<String> = documents.iter().map(|(_, name)| name.clone()).collect();
        for (journal, pieces) in &journals {
            let names: Vec<&str> = pieces.iter().map(|(_, name)| name.as_str()).collect();
            let bytes = away.all_bytes(&names).map_err(io::Error::other)?;
            if !bytes.is_empty() {
                fs::write(desk.join(journal), bytes.concat())?;
            }
            taken_in.extend(names.into_iter().map(str::to_owned));
        }
        if part.is_none() {
            // An empty folder would be one of parts.
            let _ = fs::remove_dir(desk.join(PARTS));
        }
        let last = |journals: &[(u64, String)]| journals.last().map_or(0, |(number, _)| *number);
        Ok(Records {
            away: Arc::clone(away),
            state: Mutex::new(State {
                document: last(&documents),
                journal: last(&numbered(there, &own, ".journal")),
                taken_in,
            }),
            own,
        })
    }
}

/// The files whose names lie between two texts and are numbers there, in the order of these.
fn numbered(there: &BTreeMap<String, Found>, before: &str, after: &str) -> Vec<(u64, String)> {
    let files = there.keys().filter_map(|name| {
        let number = name.strip_prefix(before)?.strip_suffix(after)?;
        let number = u64::from_str(number).ok()?;
        Some((number, name.clone()))
    });
    let mut files: Vec<_> = files.collect();
    files.sort();
    files
}

fn name_of(before: &str, number: u64, after: &str) -> String {
    format!("{before}{number:08}{after}")
}

impl Beyond for Records {
    fn address(&self) -> String {
        self.away.address_of(AWAY)
    }

    fn note(&self, lines: &[u8]) -> io::Result<()> {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        loop {
            state.journal += 1;
            let name = name_of(&self.own, state.journal, ".journal");
            if self.away.put_new(&name, lines).map_err(io::Error::other)? {
                state.taken_in.push(name);
                return Ok(());
            }
        }
    }

    fn write(&self, document: &Path) -> io::Result<()> {
        let mut state = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        let number = state.document + 1;
        let name = name_of(&format!("{AWAY}/"), number, ".json");
        let bytes = fs::read(document)?;
        if !self.away.put_new(&name, &bytes).map_err(io::Error::other)? {
            // What this run noted stands in its journals all the same.
            return Err(io::Error::other(
                "another firing wrote it meanwhile; fire again",
            ));
        }
        state.document = number;
        // What stays is read once more the next time, and says nothing new.
        for earlier in std::mem::replace(&mut state.taken_in, vec![name]) {
            let _ = self.away.remove(&earlier);
        }
        Ok(())
    }
}
