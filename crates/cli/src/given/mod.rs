//! What is said of markup and of targets, on the command line and in the kiln file.

pub mod library;
pub mod target;

use std::path::PathBuf;
use std::str::FromStr;

use kiln_core::plan::Glob;

pub use library::{LibraryKind, Media, Posts, SendAs, TextsAs};
pub use target::{Protocol, SecretSource, TargetGiven, TargetKind};

/// What stands in the spot of a picture until it comes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Meanwhile {
    /// Its mean colour.
    Colour,
    /// A tiny picture of it.
    Tiny,
}

impl FromStr for Meanwhile {
    type Err = String;

    fn from_str(text: &str) -> Result<Meanwhile, String> {
        match text {
            "colour" => Ok(Meanwhile::Colour),
            "tiny" => Ok(Meanwhile::Tiny),
            _ => Err("it is colour or tiny".to_owned()),
        }
    }
}

/// How pages are given their pieces, as far as it was said.
#[derive(Clone, Debug, Default)]
pub struct MarkupGiven {
    /// The address of the out folder.
    pub base: Option<String>,
    /// The address of the site.
    pub home: Option<String>,
    /// What stands in the spot of a picture until it comes.
    pub meanwhile: Option<Meanwhile>,
    /// Drawings up to this weight stand in the page itself.
    pub inline: Option<u64>,
    /// The template.
    pub template: Option<PathBuf>,
    /// Files of a site that are left alone.
    pub except: Option<Vec<Glob>>,
}

impl MarkupGiven {
    /// What this says, else what lies below.
    pub fn over(self, below: &MarkupGiven) -> MarkupGiven {
        MarkupGiven {
            base: self.base.or_else(|| below.base.clone()),
            home: self.home.or_else(|| below.home.clone()),
            meanwhile: self.meanwhile.or(below.meanwhile),
            inline: self.inline.or(below.inline),
            template: self.template.or_else(|| below.template.clone()),
            except: self.except.or_else(|| below.except.clone()),
        }
    }
}
