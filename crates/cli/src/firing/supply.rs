//! The bytes of an original: read at once, or, where it is large and can be decoded row by row,
//! read as they are needed.

use std::fs::{self, File};
use std::io::{self, BufReader};
use std::path::{Path, PathBuf};

use kiln_core::decode::{Input, Stored, Stream};
use kiln_core::plan::{self, Original};
use kiln_core::source::{Delivery, Kind};

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
pub struct OnDisk(PathBuf);

impl Stored for OnDisk {
    fn bytes(&self) -> io::Result<Vec<u8>> {
        fs::read(&self.0)
    }

    fn stream(&self) -> io::Result<Box<dyn Stream>> {
        let file = File::open(&self.0)?;
        Ok(Box::new(BufReader::with_capacity(PART, file)))
    }
}

impl Supply {
    /// Reads an original, or gets ready to; returns the digest of its bytes as well. What went
    /// wrong is told otherwise.
    pub fn of(original: &Original, path: &Path) -> Result<(Supply, String), Mishap> {
        let read = || -> io::Result<_> {
            if is_held(original) {
                let bytes = fs::read(path)?;
                let digest = plan::digest(&bytes);
                return Ok((Supply::Held(bytes), digest));
            }
            let stored = OnDisk(path.to_owned());
            let digest = plan::digest_of(stored.stream()?)?;
            Ok((Supply::OnDisk(stored), digest))
        };
        read().map_err(Mishap::unreadable)
    }

    /// What is decoded.
    pub fn input(&self) -> Input<'_> {
        match self {
            Supply::Held(bytes) => bytes.into(),
            Supply::OnDisk(stored) => Input::Stored(stored),
        }
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
