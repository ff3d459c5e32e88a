//! What is read back from files that anybody may have written, from their bytes alone: for tests and
//! fuzz targets. Whatever the bytes are, each of these ends, and none panics.

use std::path::Path;

use crate::carry;
use crate::ledger;
use crate::sheet::Sheet;
use crate::site;

/// Reads a kiln file; tells whether it was sound, else all that is wrong in it.
pub fn kiln_file(text: &str) -> Result<(), String> {
    site::parsed(Path::new("kiln.toml"), text).map(drop)
}

/// Reads a label sheet, and gives it back with a row for one more original, as it would be saved.
pub fn label_sheet(bytes: &[u8]) -> Option<String> {
    let mut sheet = Sheet::read(Path::new("labels.csv"), bytes).ok()?;
    sheet.add("one more.jpg", &Default::default()).ok()?;
    Some(sheet.text().to_owned())
}

/// Reads a ledger, of whatever form; gives the names of all pieces that it knows.
pub fn ledger(bytes: &[u8]) -> Vec<String> {
    ledger::names(bytes)
}

/// Reads the journal of a ledger, whose records are the lines of these bytes; gives the names of all pieces that it
/// knows.
pub fn journal(records: &[u8]) -> Vec<String> {
    ledger::journaled(records)
}

/// What is made of what a server answers to a delivery.
#[derive(Clone, Debug)]
pub struct Answer {
    /// Names of files that stand in a folder there.
    pub files: Vec<String>,
    /// An entry of a media library, with texts put into it.
    pub entry: Option<String>,
}

/// Reads what a server answered, as each of those that are asked may.
pub fn answer(text: &str) -> Answer {
    let (files, entry) = carry::told(text);
    Answer { files, entry }
}
