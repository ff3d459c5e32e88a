//! What went wrong with one file, while the run goes on: what is wrong, what to do, and the error
//! behind it.

use std::error::Error;
use std::io;
use std::sync::Arc;

use kiln_core::decode::{Allowance, DecodeError};
use kiln_core::pipeline::{FireError, PieceError};
use kiln_core::pixels::Size;
use kiln_core::source::ProbeError;
use serde::{Serialize, Serializer};
use thiserror::Error;

/// What a cause is kept as.
type Cause = Arc<dyn Error + Send + Sync>;

/// What went wrong with one file: one line for people, and the error behind it.
#[derive(Clone, Debug, Error)]
#[error("{says}")]
pub struct Mishap {
    says: String,
    source: Option<Cause>,
}

/// Two are the same to those who read them.
impl PartialEq for Mishap {
    fn eq(&self, other: &Mishap) -> bool {
        self.says == other.says
    }
}

impl Eq for Mishap {}

impl Serialize for Mishap {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.says)
    }
}

impl Mishap {
    /// One that no error lies behind.
    pub fn new(says: impl Into<String>) -> Mishap {
        let says = says.into();
        Mishap { says, source: None }
    }

    /// An error, and what to do about it.
    pub fn of(error: impl Error + Send + Sync + 'static, advice: &str) -> Mishap {
        let says = match advice {
            "" => error.to_string(),
            advice => format!("{error}; {advice}"),
        };
        let source: Option<Cause> = Some(Arc::new(error));
        Mishap { says, source }
    }

    /// A picture of more pixels than are allowed.
    pub fn beyond(size: Size, allowance: Allowance) -> Mishap {
        let megapixels = |pixels: u64| pixels.div_ceil(1_000_000);
        Mishap::new(format!(
            "{size} is {} megapixels, above the allowance of {}; raise it with --allowance {0}",
            megapixels(size.pixels()),
            megapixels(allowance.pixels),
        ))
    }

    /// A picture that needs more memory than may be had.
    pub fn too_much(needed: u64, left: u64) -> Mishap {
        let megabytes = |bytes: u64| bytes.div_ceil(1_000_000);
        Mishap::new(format!(
            "needs about {} MB of memory, and the limits of this process leave {}; raise them, or fire it elsewhere",
            megabytes(needed),
            megabytes(left),
        ))
    }

    /// A file that cannot be read.
    pub fn unreadable(error: io::Error) -> Mishap {
        // What another machine says tells itself what to do.
        if error.kind() == io::ErrorKind::Other && error.get_ref().is_some() {
            return Mishap::of(error, "");
        }
        let advice = match error.kind() {
            io::ErrorKind::NotFound => "it was there a moment ago; run again",
            io::ErrorKind::PermissionDenied => "check its permissions",
            _ => "check the disk and its permissions",
        };
        Mishap {
            says: format!("cannot be read ({error}); {advice}"),
            source: Some(Arc::new(error)),
        }
    }

    /// A piece that cannot be written.
    pub fn unwritable(error: io::Error) -> Mishap {
        Mishap {
            says: format!("cannot be written ({error}); choose another folder or make room"),
            source: Some(Arc::new(error)),
        }
    }

    /// What lies behind it, the nearest first, as far as it says more than what was said before.
    pub fn causes(&self) -> Vec<String> {
        let mut said = self.says.clone();
        let mut causes = Vec::new();
        let mut next = self.source();
        while let Some(error) = next {
            let cause = error.to_string();
            if !said.contains(&cause) {
                said.push_str(&cause);
                causes.push(cause);
            }
            next = error.source();
        }
        causes
    }
}

impl From<ProbeError> for Mishap {
    fn from(error: ProbeError) -> Mishap {
        match error {
            ProbeError::Read(error) => Mishap::unreadable(error),
            ProbeError::CutOff { .. } | ProbeError::Broken { .. } => {
                Mishap::of(error, "export or copy it again")
            }
            ProbeError::Empty | ProbeError::Unknown => {
                Mishap::of(error, "export it again or move it away")
            }
            ProbeError::Panicked => Mishap::of(error, "please report this with the picture"),
            // It says itself what to do.
            ProbeError::Unread(_) => Mishap::of(error, ""),
        }
    }
}

impl From<DecodeError> for Mishap {
    fn from(error: DecodeError) -> Mishap {
        let advice = error.advice();
        Mishap::of(error, advice)
    }
}

impl From<FireError> for Mishap {
    fn from(error: FireError) -> Mishap {
        match error {
            FireError::Decode(error) => error.into(),
            FireError::RowsMissing => Mishap::of(error, "export or copy it again"),
            // It says itself what to do.
            FireError::NotPlain(_) => Mishap::of(error, ""),
        }
    }
}

impl From<PieceError> for Mishap {
    fn from(error: PieceError) -> Mishap {
        Mishap::of(error, "")
    }
}

#[cfg(test)]
mod tests {
    use std::fmt::Display;
    use std::path::PathBuf;

    use kiln_core::encode::{EncodeError, Format};
    use kiln_core::pixels::Size;
    use kiln_core::size::knock_out::NotPlain;
    use kiln_core::source::Kind;

    use super::*;
    use crate::failure::Failure;

    fn read() -> io::Error {
        io::Error::new(io::ErrorKind::PermissionDenied, "permission denied")
    }

    fn damaged() -> DecodeError {
        DecodeError::Damaged {
            kind: Kind::Png,
            source: "a checksum does not fit".into(),
        }
    }

    fn lines<T: Display>(all: impl IntoIterator<Item = T>) -> String {
        let all: Vec<String> = all.into_iter().map(|text| text.to_string()).collect();
        all.join("\n")
    }

    /// Every text that a picture can be told with, and what to do.
    #[test]
    fn every_mishap_says_what_is_wrong_and_what_to_do() {
        let (size, kind) = (Size::new(40_000, 30_000).expect("a size"), Kind::Jpeg);
        let probe = [
            ProbeError::Empty,
            ProbeError::Unknown,
            ProbeError::Unread(Kind::Heic),
            ProbeError::Unread(Kind::CameraRaw),
            ProbeError::CutOff { kind, at: 12 },
            ProbeError::Broken {
                kind,
                at: 12,
                what: "a marker was expected",
            },
            ProbeError::Read(read()),
            ProbeError::Panicked,
        ];
        let decode = || {
            [
                DecodeError::TooLarge {
                    size,
                    allowed: 300_000_000,
                },
                DecodeError::Read(read()),
                DecodeError::CutOff(kind),
                damaged(),
                DecodeError::Unsupported {
                    kind: Kind::Tiff,
                    what: "12 bits a sample".to_owned(),
                },
                DecodeError::Contradiction {
                    kind,
                    said: size,
                    found: size.turned(),
                },
                DecodeError::Unread(Kind::Svg),
                DecodeError::Panicked(kind),
            ]
        };
        let format = Format::Avif;
        let encode = [
            EncodeError::TooLarge { size, format },
            EncodeError::Impossible {
                format,
                what: "it has no transparency",
            },
            EncodeError::Panicked(format),
            EncodeError::Failed {
                format,
                source: "no more memory".into(),
            },
        ];
        let unreadable = decode().map(|source| PieceError::Unreadable { format, source });
        let fire = [
            FireError::RowsMissing,
            FireError::NotPlain(NotPlain::Elsewhere),
        ];
        let files = [Mishap::unreadable(read()), Mishap::unwritable(read())];
        let all = probe.into_iter().map(Mishap::from);
        let all = all.chain(decode().map(Mishap::from));
        let all = all.chain(encode.map(|error| PieceError::from(error).into()));
        let all = all.chain(unreadable.into_iter().take(2).map(Mishap::from));
        let all = all.chain(fire.map(Mishap::from)).chain(files);
        insta::assert_snapshot!(lines(all));
    }

    /// Every text that a whole command can end with.
    #[test]
    fn every_failure_says_what_is_wrong_and_what_to_do() {
        let path = || PathBuf::from("a/b.toml");
        let all = [
            Failure::NoSuchPath(path()),
            Failure::unreadable(&path())(read()),
            Failure::OutHoldsOriginals {
                out: "upload".into(),
                originals: "upload/photos".into(),
            },
            Failure::Elsewhere("sftp://tern-point.example/img".into()),
            Failure::NoPart("JOB_COMPLETION_INDEX is no whole number: x".to_owned()),
            Failure::NoParts(path()),
            Failure::BusyPart {
                out: path(),
                part: "3/8".parse().expect("a part"),
            },
            Failure::Contradiction {
                place: "banner: ".to_owned(),
                says: "the least-look lies above the look; lower it, or raise the look",
            },
            Failure::NoPaths,
            Failure::NoOriginals(path()),
            Failure::NoKilnFile {
                path: path(),
                source: read(),
            },
            Failure::NoPlace {
                name: "baner".to_owned(),
                advice: "did you mean \"banner\"?".to_owned(),
            },
            Failure::KilnFileThere { path: path() },
            Failure::Sheet {
                path: path(),
                what: "is no sound CSV".to_owned(),
            },
            Failure::nothing_found(&[path()]),
            Failure::OnlyPieces(path()),
            Failure::Foreign(vec![path()]),
            Failure::Foreign(vec![path(), path()]),
            Failure::NewerLedger {
                path: path(),
                schema: 9,
                kiln: "2.0.0".to_owned(),
            },
            Failure::NoPage { path: path() },
            Failure::unwritable(&path())(read()),
            Failure::Busy(path()),
            Failure::NotOurs { path: path() },
        ];
        insta::assert_snapshot!(lines(all));
    }

    #[test]
    fn causes_are_told_as_far_as_they_say_more() {
        // The decoder's own words stand in the line already.
        assert!(Mishap::from(damaged()).causes().is_empty());
        #[derive(Debug, Error)]
        #[error("the outer")]
        struct Outer(#[source] io::Error);
        let mishap = Mishap::of(Outer(read()), "try again");
        assert_eq!(mishap.to_string(), "the outer; try again");
        assert_eq!(mishap.causes(), ["permission denied"]);
        assert_eq!(mishap, Mishap::new("the outer; try again"));
    }
}
