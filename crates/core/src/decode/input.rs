//! Where the bytes of a picture come from.

use std::borrow::Cow;
use std::io::{self, BufRead, Cursor, Seek};

use super::DecodeError;

/// The bytes of a picture: in memory, or to be had from a store as they are needed.
#[derive(Clone, Copy)]
pub enum Input<'a> {
    /// In memory.
    Bytes(&'a [u8]),
    /// In a store.
    Stored(&'a dyn Stored),
}

/// A store of one picture's bytes, the same each time they are asked for.
pub trait Stored: Sync {
    /// All of them.
    fn bytes(&self) -> io::Result<Vec<u8>>;

    /// From the first on.
    fn stream(&self) -> io::Result<Box<dyn Stream>>;
}

/// Bytes that are read as they are needed.
pub trait Stream: BufRead + Seek + Send {}

impl<T: BufRead + Seek + Send> Stream for T {}

impl<'a> From<&'a [u8]> for Input<'a> {
    fn from(bytes: &'a [u8]) -> Self {
        Input::Bytes(bytes)
    }
}

impl<'a> From<&'a Vec<u8>> for Input<'a> {
    fn from(bytes: &'a Vec<u8>) -> Self {
        Input::Bytes(bytes)
    }
}

impl<'a> Input<'a> {
    /// All of them.
    pub(crate) fn bytes(self) -> Result<Cow<'a, [u8]>, DecodeError> {
        match self {
            Input::Bytes(bytes) => Ok(Cow::Borrowed(bytes)),
            Input::Stored(store) => store.bytes().map(Cow::Owned).map_err(DecodeError::Read),
        }
    }

    pub(super) fn stream(self) -> Result<Box<dyn Stream + 'a>, DecodeError> {
        match self {
            Input::Bytes(bytes) => Ok(Box::new(Cursor::new(bytes))),
            Input::Stored(store) => match store.stream() {
                Ok(stream) => Ok(stream),
                Err(error) => Err(DecodeError::Read(error)),
            },
        }
    }
}
