//! What comes over the wire: counted, unpacked, bounded, and as text.

use std::error::Error;
use std::fmt;
use std::io::{self, Read, Write};

use base64::Engine;
use base64::alphabet;
use base64::engine::{DecodePaddingMode, GeneralPurpose, GeneralPurposeConfig};
use flate2::read::{MultiGzDecoder, ZlibDecoder};
use kiln_site::coded;

/// An answer beyond a limit.
#[derive(Debug)]
pub(super) struct TooLarge {
    limit: u64,
}

impl fmt::Display for TooLarge {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let megabytes = self.limit >> 20;
        write!(
            f,
            "is larger than {megabytes} MiB, the most that is fetched"
        )
    }
}

impl Error for TooLarge {}

/// A reader that knows how much came, and ends with an error where that is too much.
pub(super) struct Counted<R> {
    inner: R,
    count: u64,
    limit: u64,
}

impl<R: Read> Counted<R> {
    pub fn new(inner: R, limit: u64) -> Self {
        Counted {
            inner,
            count: 0,
            limit,
        }
    }

    /// Bytes that came so far.
    pub fn count(&self) -> u64 {
        self.count
    }
}

impl<R: Read> Read for Counted<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let came = self.inner.read(into)?;
        self.count += came as u64;
        if self.count > self.limit {
            return Err(io::Error::other(TooLarge { limit: self.limit }));
        }
        Ok(came)
    }
}

/// An answer, unpacked as its `Content-Encoding` says.
pub(super) enum Unpacked<R: Read> {
    Plain(R),
    Gzip(Box<MultiGzDecoder<R>>),
    Zlib(Box<ZlibDecoder<R>>),
}

impl<R: Read> Unpacked<R> {
    /// `None` for a coding that is not known.
    pub fn new(inner: R, coding: &str) -> Option<Self> {
        Some(match coding.trim().to_ascii_lowercase().as_str() {
            "" | "identity" => Unpacked::Plain(inner),
            "gzip" | "x-gzip" => Unpacked::Gzip(Box::new(MultiGzDecoder::new(inner))),
            "deflate" => Unpacked::Zlib(Box::new(ZlibDecoder::new(inner))),
            _ => return None,
        })
    }

    /// What it was unpacked from.
    pub fn into_inner(self) -> R {
        match self {
            Unpacked::Plain(inner) => inner,
            Unpacked::Gzip(packed) => packed.into_inner(),
            Unpacked::Zlib(packed) => packed.into_inner(),
        }
    }
}

impl<R: Read> Read for Unpacked<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        match self {
            Unpacked::Plain(inner) => inner.read(into),
            Unpacked::Gzip(packed) => packed.read(into),
            Unpacked::Zlib(packed) => packed.read(into),
        }
    }
}

/// Reads all into a writer, up to a limit.
pub(super) fn pour(from: &mut dyn Read, into: &mut dyn Write, limit: u64) -> io::Result<()> {
    let mut from = Counted::new(from, limit);
    io::copy(&mut from, into)?;
    Ok(())
}

/// Bytes as text: by their mark, by what the server says, by what they say themselves, as UTF-8 where
/// they are that, and else as browsers do.
pub(super) fn text(bytes: &[u8], charset: Option<&str>) -> String {
    let (encoding, mark) = coded::encoding(bytes, charset);
    let (text, _) = encoding.decode_without_bom_handling(&bytes[mark..]);
    text.into_owned()
}

/// Lenient, as browsers are.
const BASE64: GeneralPurpose = GeneralPurpose::new(
    &alphabet::STANDARD,
    GeneralPurposeConfig::new()
        .with_decode_allow_trailing_bits(true)
        .with_decode_padding_mode(DecodePaddingMode::Indifferent),
);

/// Media type and bytes of a `data` address (RFC 2397).
pub(super) fn of_data(address: &str) -> Option<(String, Vec<u8>)> {
    let (head, body) = address.strip_prefix("data:")?.split_once(',')?;
    let bytes = unescaped(body);
    let bare = head.trim_end();
    match bare
        .strip_suffix(";base64")
        .or_else(|| bare.strip_suffix("; base64"))
    {
        Some(kind) => {
            let packed: Vec<u8> = bytes
                .into_iter()
                .filter(|b| !b.is_ascii_whitespace())
                .collect();
            Some((kind.to_owned(), BASE64.decode(packed).ok()?))
        }
        None => Some((bare.to_owned(), bytes)),
    }
}

/// Bytes with their per cent escapes put back.
pub(super) fn unescaped(text: &str) -> Vec<u8> {
    let bytes = text.as_bytes();
    let hex = |byte: Option<&u8>| byte.and_then(|byte| char::from(*byte).to_digit(16));
    let mut put_back = Vec::with_capacity(bytes.len());
    let mut at = 0;
    while let Some(&byte) = bytes.get(at) {
        match (byte, hex(bytes.get(at + 1)), hex(bytes.get(at + 2))) {
            (b'%', Some(high), Some(low)) => {
                put_back.push((high * 16 + low) as u8);
                at += 3;
            }
            _ => {
                put_back.push(byte);
                at += 1;
            }
        }
    }
    put_back
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn data_addresses_are_read_as_browsers_do() {
        let read = |address: &str| {
            of_data(address)
                .map(|(kind, bytes)| (kind, String::from_utf8_lossy(&bytes).into_owned()))
        };
        let is = |kind: &str, text: &str| Some((kind.to_owned(), text.to_owned()));
        assert_eq!(
            read("data:image/svg+xml,%3Csvg/%3E%"),
            is("image/svg+xml", "<svg/>%")
        );
        assert_eq!(read("data:image/png;base64,aGk"), is("image/png", "hi"));
        assert_eq!(read("data:;base64,a Gk%3D"), is("", "hi"));
        assert_eq!(read("data:image/png;base64,~"), None);
        assert_eq!(read("data:image/png"), None);
    }

    #[test]
    fn texts_are_in_the_encoding_that_is_said() {
        assert_eq!(text("h\u{e4}".as_bytes(), None), "h\u{e4}");
        assert_eq!(text(b"h\xe4", None), "h\u{e4}");
        assert_eq!(text(b"\xb3", Some("iso-8859-2")), "\u{142}");
        assert_eq!(
            text(b"<meta charset=iso-8859-2>\xb3", None),
            "<meta charset=iso-8859-2>\u{142}"
        );
        assert_eq!(text(b"\xff\xfea\0", Some("utf-8")), "a");
    }

    #[test]
    fn what_is_too_large_packed_or_not_ends() {
        use flate2::Compression;
        use flate2::write::GzEncoder;
        let mut packed = GzEncoder::new(Vec::new(), Compression::best());
        packed.write_all(&vec![0; 1 << 20]).expect("memory");
        let packed = packed.finish().expect("memory");
        let pour_to = |limit| {
            let body = Counted::new(&packed[..], limit);
            let mut unpacked = Unpacked::new(body, "gzip").expect("a coding");
            pour(&mut unpacked, &mut io::sink(), limit)
        };
        assert!(pour_to(1 << 20).is_ok());
        let error = pour_to(1 << 19).expect_err("too large");
        assert!(error.get_ref().is_some_and(|inner| inner.is::<TooLarge>()));
        assert!(Unpacked::new(&packed[..], "br").is_none());
    }
}
