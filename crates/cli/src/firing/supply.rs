//! The bytes of an original: read at once, or, where it is large and can be decoded row by row,
//! read as they are needed.

use std::fs::{self, File};
use std::io::{self, BufReader};
use std::path::PathBuf;

use kiln_core::decode::{Input, Stored, Stream};
use kiln_core::plan::{self, Digest, Original};
use kiln_core::source::{Delivery, Kind};
use tempfile::{NamedTempFile, TempPath};

use crate::find::Picture;
use crate::mishap::Mishap;

/// Originals from this weight on are not held in memory where they need not be.
const LARGE: u64 = 32 << 20;

/// How much of a file is read at a time.
const PART: usize = 256 << 10;

/// The bytes of an original.
pub enum Supply {
    /// Read.
    Held(Vec<u8>),
    /// To be read.
    OnDisk(OnDisk),
}

/// A file whose bytes are read as they are needed.
pub struct OnDisk {
    path: PathBuf,
    /// Where it was fetched to be read so: it goes when this does.
    _fetched: Option<TempPath>,
}

impl Stored for OnDisk {
    fn bytes(&self) -> io::Result<Vec<u8>> {
        fs::read(&self.path)
    }

    fn stream(&self) -> io::Result<Box<dyn Stream>> {
        let file = File::open(&self.path)?;
        Ok(Box::new(BufReader::with_capacity(PART, file)))
    }
}

impl Supply {
    /// Reads an original, or gets ready to; returns the digest of its bytes as well. What went
    /// wrong is told otherwise.
    pub fn of(picture: &Picture) -> Result<(Supply, Digest), Mishap> {
        let read = match is_held(&picture.original) {
            true => picture.bytes().map(Supply::held),
            false => on_disk(picture),
        };
        read.map_err(Mishap::unreadable)
    }

    /// One that was read, with its digest.
    pub fn held(bytes: Vec<u8>) -> (Supply, Digest) {
        let digest = plan::digest(&bytes);
        (Supply::Held(bytes), digest)
    }

    /// What is decoded.
    pub fn input(&self) -> Input<'_> {
        match self {
            Supply::Held(bytes) => bytes.into(),
            Supply::OnDisk(stored) => Input::Stored(stored),
        }
    }
}

fn on_disk(picture: &Picture) -> io::Result<(Supply, Digest)> {
    let stored = match &picture.distant {
        None => OnDisk {
            path: picture.path().to_owned(),
            _fetched: None,
        },
        Some(distant) => {
            let file = NamedTempFile::new()?;
            distant.copy(file.as_file())?;
            OnDisk {
                path: file.path().to_owned(),
                _fetched: Some(file.into_temp_path()),
            }
        }
    };
    let digest = plan::digest_of(stored.stream()?)?;
    Ok((Supply::OnDisk(stored), digest))
}

/// How much of an original is fetched before it is its turn: nothing where it is at hand.
pub fn fetched_ahead(picture: &Picture) -> u64 {
    match picture.distant.is_some() && is_held(&picture.original) {
        true => picture.original.weight.max(1),
        false => 0,
    }
}

/// How much of an original's file is held in memory while it is worked on.
pub fn held(original: &Original) -> u64 {
    if is_held(original) {
        original.weight
    } else {
        PART as u64
    }
}

fn is_held(original: &Original) -> bool {
    // The JPEG decoder goes over the bytes themselves.
    let in_rows = original.probe.delivery == Delivery::Rows && original.probe.kind != Kind::Jpeg;
    !in_rows || original.weight < LARGE
}
