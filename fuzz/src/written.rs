//! The same for what people and programs wrote into files.

/// An exercise.
pub type Exercise = fn(&[u8]);

/// All of them, by the names of their targets.
pub const ALL: [(&str, Exercise); 4] = [
    ("kiln_file", kiln_file),
    ("label_sheet", label_sheet),
    ("ledger", ledger),
    ("server_answers", server_answers),
];

/// A kiln file: what is wrong in it is explained.
pub fn kiln_file(bytes: &[u8]) {
    if let Ok(text) = str::from_utf8(bytes)
        && let Err(explained) = mellow_kiln::untrusted::kiln_file(text)
    {
        assert!(!explained.trim().is_empty());
    }
}

/// A label sheet: with a row more it is one still.
pub fn label_sheet(bytes: &[u8]) {
    if let Some(text) = mellow_kiln::untrusted::label_sheet(bytes) {
        assert!(mellow_kiln::untrusted::label_sheet(text.as_bytes()).is_some());
    }
}

/// A ledger, and the records of a journal: no name in them leads out of the out folder.
pub fn ledger(bytes: &[u8]) {
    let names = mellow_kiln::untrusted::ledger(bytes).into_iter();
    for name in names.chain(mellow_kiln::untrusted::journal(bytes)) {
        let parts: Vec<&str> = name.split('/').collect();
        assert!(!parts.contains(&"..") && !parts.contains(&""), "{name:?}");
    }
}

/// What servers answer to a delivery: names of files lead nowhere else, and an entry with texts is one still.
pub fn server_answers(bytes: &[u8]) {
    let Ok(text) = str::from_utf8(bytes) else {
        return;
    };
    let read = mellow_kiln::untrusted::answer(text);
    for name in read.files {
        assert!(!name.contains('/'), "{name:?}");
    }
    if let Some(entry) = read.entry {
        let again = mellow_kiln::untrusted::answer(&entry);
        assert!(again.entry.is_some(), "{entry}");
    }
}
