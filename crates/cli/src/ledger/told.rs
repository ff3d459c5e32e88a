//! What bytes that anybody may have written tell of, as a ledger or as records of a journal.

use std::io;

use super::form::{self, Form, Sound};
use super::journal;

/// The names of all pieces that a ledger's bytes tell of.
pub fn names(bytes: &[u8]) -> Vec<String> {
    // Bytes in memory can always be read.
    match form::read_from(io::Cursor::new(bytes)) {
        Ok(Form::Sound(sound)) => named(&sound),
        _ => {
            let digests = form::digests(bytes).into_iter();
            digests.map(|digest| digest.to_string()).collect()
        }
    }
}

/// The names of all pieces that the records of a journal tell of, a line each, whose digests fit.
pub fn journaled(records: &[u8]) -> Vec<String> {
    let (mut lines, mut sound) = (Vec::new(), Sound::default());
    for record in records.split(|byte| *byte == b'\n') {
        journal::add_line(&mut lines, record);
    }
    // Bytes in memory can always be read.
    let _ = journal::replay(&lines[..], &mut sound);
    named(&sound)
}

fn named(sound: &Sound) -> Vec<String> {
    let entries = sound.originals.values();
    let names = entries.flat_map(|entry| entry.pieces.names());
    names.map(|name| String::from(&**name)).collect()
}
