//! The out folder of a run, on this machine or another.

use std::io;
use std::path::{Path, PathBuf};

use kiln_core::plan;

use crate::away::Shelf;
use crate::failure::Failure;
use crate::ledger::{self, Ledger, Made, Opened};
use crate::report::Channels;
use crate::settings::Settings;
use crate::write::OutFolder;

/// An out folder in which no other firing works.
pub enum Out {
    /// On this machine.
    Here(OutFolder, PathBuf),
    /// On another one.
    Away(Box<Shelf>),
}

impl Out {
    /// Takes the out folder of a run, for all of it or for the part that is made, and opens its ledger.
    pub fn enter(settings: &Settings, channels: &Channels) -> Result<(Out, Opened), Failure> {
        let path = &settings.out;
        if let Some(remote) = &settings.out_remote {
            let shelf = Shelf::enter(remote, settings.part, &|note| channels.note(note))?;
            let mut opened = match settings.part {
                Some(part) => Ledger::open_part(shelf.desk(), part)?,
                // What is damaged would only be set aside on the desk.
                None if Ledger::look(shelf.desk())?.is_none() => {
                    return Err(Failure::Refused {
                        path: shelf.address_of(ledger::AWAY).unwrap_or_default().into(),
                        says: "holds a ledger that cannot be read; move it away, then fire with --adopt".to_owned(),
                    });
                }
                None => Ledger::open(shelf.desk())?,
            };
            opened.ledger.keep_beyond(shelf.beyond());
            return Ok((Out::Away(Box::new(shelf)), opened));
        }
        Ok(match settings.part {
            Some(part) => (
                Out::Here(OutFolder::enter_for(path, part)?, path.clone()),
                Ledger::open_part(path, part)?,
            ),
            None => (
                Out::Here(OutFolder::enter(path)?, path.clone()),
                Ledger::open(path)?,
            ),
        })
    }

    /// The folder of this machine that the ledger lies in.
    pub fn of_ledger(&self) -> &Path {
        match self {
            Out::Here(_, path) => path,
            Out::Away(shelf) => shelf.desk(),
        }
    }

    /// Where a piece is, for people; an error where its name, or a link on the way, leads out of the folder.
    pub fn below(&self, name: &str) -> io::Result<PathBuf> {
        match self {
            Out::Here(folder, _) => folder.below(name),
            Out::Away(shelf) => shelf.address_of(name).map(PathBuf::from),
        }
    }

    /// The bytes of a piece.
    pub fn read(&self, name: &str) -> io::Result<Vec<u8>> {
        match self {
            Out::Here(folder, _) => folder.read(name),
            Out::Away(shelf) => shelf.read(name),
        }
    }

    /// Whether a piece is there.
    pub fn has(&self, name: &str) -> bool {
        match self {
            Out::Here(folder, _) => folder.has(name),
            Out::Away(shelf) => shelf.has(name),
        }
    }

    /// Whether a piece is there as it was made: by its bytes, or on another machine by how many they are.
    pub fn holds(&self, name: &str, made: &Made) -> bool {
        match self {
            Out::Here(folder, _) => folder
                .read(name)
                .is_ok_and(|file| plan::digest(&file) == made.digest),
            Out::Away(shelf) => shelf.has_weight(name, made.account.weight),
        }
    }

    /// Whether anything at all has the name of a piece.
    pub fn is_taken(&self, name: &str) -> bool {
        match self {
            Out::Here(folder, _) => folder.is_taken(name),
            Out::Away(shelf) => shelf.has(name),
        }
    }

    /// Writes a piece, whole or not at all.
    pub fn write(&self, name: &str, bytes: &[u8]) -> io::Result<()> {
        match self {
            Out::Here(folder, _) => folder.write(name, bytes),
            Out::Away(shelf) => shelf.write(name, bytes),
        }
    }

    /// Removes a piece.
    pub fn remove(&self, name: &str) -> io::Result<()> {
        match self {
            Out::Here(folder, _) => folder.remove(name),
            Out::Away(shelf) => shelf.remove(name),
        }
    }
}
