//! What tells the bytes of files apart.

use std::fmt;
use std::io::{self, Read, Write};
use std::str::FromStr;

use serde::de::{Error, Visitor};
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use xxhash_rust::xxh3::{Xxh3, xxh3_128};

/// Bytes of a digest.
const BYTES: usize = 16;

/// A digest of bytes (XXH3, 128 bits), 32 hexadecimal digits as a text: it tells files apart, not friend from foe.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Digest([u8; BYTES]);

/// Why a text is no digest.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("a digest is told by 32 hexadecimal digits")]
pub struct NoDigest;

/// The digest of bytes.
pub fn digest(bytes: &[u8]) -> Digest {
    Digest(xxh3_128(bytes).to_be_bytes())
}

/// The same of bytes that are read as they come.
pub fn digest_of(mut reader: impl Read) -> io::Result<Digest> {
    let (mut digesting, mut part) = (Digesting::default(), vec![0; 1 << 16]);
    loop {
        match reader.read(&mut part)? {
            0 => return Ok(digesting.digest()),
            read => digesting.0.update(&part[..read]),
        }
    }
}

/// The same of bytes that are written into it.
#[derive(Default)]
pub struct Digesting(Xxh3);

impl Digesting {
    /// Of all that was written.
    pub fn digest(&self) -> Digest {
        Digest(self.0.digest128().to_be_bytes())
    }
}

impl Write for Digesting {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.update(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:032x}", u128::from_be_bytes(self.0))
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl FromStr for Digest {
    type Err = NoDigest;

    fn from_str(text: &str) -> Result<Self, NoDigest> {
        // What reads numbers would take a sign too.
        let is_told =
            text.len() == 2 * BYTES && text.bytes().all(|digit| digit.is_ascii_hexdigit());
        let number = u128::from_str_radix(text, 16).ok().filter(|_| is_told);
        let number = number.ok_or(NoDigest)?;
        Ok(Digest(number.to_be_bytes()))
    }
}

impl Serialize for Digest {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Digest {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Text;
        impl Visitor<'_> for Text {
            type Value = Digest;

            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                fmt::Display::fmt(&NoDigest, f)
            }

            fn visit_str<E: Error>(self, text: &str) -> Result<Digest, E> {
                text.parse().map_err(E::custom)
            }
        }
        deserializer.deserialize_str(Text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn digests_are_told_as_texts() {
        let known = digest(b"tern point");
        let mut digesting = Digesting::default();
        digesting.write_all(b"tern ").expect("memory");
        digesting.write_all(b"point").expect("memory");
        assert_eq!(digesting.digest(), known);
        assert_eq!(digest_of(&b"tern point"[..]).expect("memory"), known);
        let text = serde_json::to_string(&known).expect("a text");
        assert_eq!(text, format!("\"{known}\""));
        assert_eq!(
            serde_json::from_str::<Digest>(&text).expect("a digest"),
            known
        );
        for text in [
            "",
            "+123456789abcdef0123456789abcdef",
            "0123",
            "g123456789abcdef0123456789abcdef",
        ] {
            assert_eq!(text.parse::<Digest>(), Err(NoDigest), "{text}");
        }
    }
}
