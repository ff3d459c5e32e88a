//! A page, followed to the sheets, frames and manifests that it is made of, and the pictures that they
//! all refer to.
//!
//! The walk asks for files and takes answers; who fetches them, and from where, is not its business.

use std::collections::{HashMap, HashSet};

use serde::Serialize;
use url::Url;

use crate::media::{self, Viewport};
use crate::selectors::Meetings;
use crate::showing::{Candidate, Found, Linked, Links, Named, Role, Showing};
use crate::srcset::Descriptor;
use crate::{css, html, kinds, manifest, markdown, xml};

/// Frames within frames, and imports within imports, that are followed.
const DEPTH: u32 = 5;

/// Files that a page is made of, its pictures not counted.
const FILES: usize = 2_000;

/// What is asked for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Ask {
    /// A page, or one in a frame.
    Page,
    /// A style sheet.
    Sheet,
    /// A web app manifest.
    Manifest,
    /// A script: only its weight counts.
    Script,
}

/// A file that is to be fetched.
#[derive(Clone, Debug, PartialEq)]
pub struct Request {
    /// Which of the files it is, see [`Page::files`].
    pub file: usize,
    /// Its address.
    pub address: Url,
    /// What it is.
    pub ask: Ask,
}

/// What came.
#[derive(Clone, Debug, PartialEq)]
pub struct Answer {
    /// The address that it came from in the end.
    pub address: Url,
    /// Bytes on the way.
    pub weight: u64,
    /// Its media type, if that is known.
    pub kind: String,
    /// Its text; of scripts it is not needed.
    pub text: String,
}

/// A file of a page.
#[derive(Clone, Debug, PartialEq)]
pub struct File {
    /// Its address, in the end.
    pub address: Url,
    /// What it is.
    pub ask: Ask,
    /// The file that refers to it, and the line there; `None` for the page itself.
    pub by: Option<(usize, u32)>,
    /// Bytes on the way; `None` where it did not come.
    pub weight: Option<u64>,
    /// Media queries under which it counts.
    pub conditions: Vec<String>,
    /// What it refers to.
    pub found: Found,
    /// For each of its showings, whether it can load anything at all in this page.
    counts: Vec<bool>,
    depth: u32,
}

/// A picture, and everything that refers to it.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture {
    /// Its address.
    pub address: Url,
    /// Who refers to it, in the order met.
    pub uses: Vec<Use>,
}

/// A reference to a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Use {
    /// The file.
    pub file: usize,
    /// Which of its showings.
    pub showing: usize,
    /// The line.
    pub line: u32,
}

/// A page with all that it refers to.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Page {
    /// Its files; the first is the page itself.
    pub files: Vec<File>,
    /// The pictures, in the order met.
    pub pictures: Vec<Picture>,
    /// Addresses that are none, with file and line.
    pub wrong: Vec<(String, usize, u32)>,
}

/// A picture that a screen makes a browser load.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Load {
    /// Which of the pictures.
    pub picture: usize,
    /// What shows it.
    pub used: Use,
    /// The width that the markup gives it, in CSS pixels.
    pub width: Option<f64>,
}

/// A walk over a page.
#[derive(Debug, Default)]
pub struct Walk {
    page: Page,
    /// The folder that addresses with a leading `/` are looked for in, for pages from disk.
    root: Option<Url>,
    wanted: Vec<Request>,
    seen: HashSet<(Url, Ask)>,
    numbers: HashMap<Url, usize>,
}

impl Walk {
    /// From a page on. A page from disk needs the folder that its site is in.
    pub fn new(address: Url, root: Option<Url>) -> Walk {
        let mut walk = Walk {
            root,
            ..Walk::default()
        };
        walk.want(address, Ask::Page, None, Vec::new(), 0);
        walk
    }

    /// What is to be fetched now; nothing more when the walk is over.
    pub fn wanted(&mut self) -> Vec<Request> {
        std::mem::take(&mut self.wanted)
    }

    /// Takes the answer to a request.
    pub fn take(&mut self, request: &Request, answer: Answer) {
        let Some(file) = self.page.files.get_mut(request.file) else {
            return;
        };
        file.weight = Some(answer.weight);
        file.address = answer.address;
        let depth = file.depth;
        let found = match request.ask {
            Ask::Page if kinds::is_picture(&answer.kind) => itself(&file.address),
            Ask::Page => of_kind(&answer.kind, &file.address, &answer.text),
            Ask::Sheet => css::references(&answer.text),
            Ask::Manifest => manifest::references(&answer.text),
            Ask::Script => Found::default(),
        };
        let base = found.base.as_deref();
        let base = base.and_then(|base| self.resolved(base, request.file, None));
        for linked in &found.linked {
            self.follow(linked, request.file, base.as_ref(), depth);
        }
        for (index, showing) in found.showings.iter().enumerate() {
            self.note(showing, index, request.file, base.as_ref());
        }
        self.page.files[request.file].found = found;
    }

    /// The page, as far as it came.
    pub fn end(self) -> Page {
        let mut page = self.page;
        let named = page.named();
        let elements = Meetings::of(&named);
        let counts = |showing: &Showing| {
            let meets = |selector: &str| elements.may_be(selector);
            let selector = showing.selector.as_deref();
            showing.role.is_loaded() && !showing.inert && selector.is_none_or(meets)
        };
        for file in &mut page.files {
            file.counts = file.found.showings.iter().map(counts).collect();
        }
        page
    }

    fn want(
        &mut self,
        address: Url,
        ask: Ask,
        by: Option<(usize, u32)>,
        conditions: Vec<String>,
        depth: u32,
    ) {
        let fits = depth <= DEPTH && self.page.files.len() < FILES;
        // A page that frames itself is asked for once.
        if !fits || !self.seen.insert((address.clone(), ask)) {
            return;
        }
        let file = self.page.files.len();
        self.page.files.push(File {
            address: address.clone(),
            ask,
            by,
            weight: None,
            conditions,
            found: Found::default(),
            counts: Vec::new(),
            depth,
        });
        self.wanted.push(Request { file, address, ask });
    }

    fn follow(&mut self, linked: &Linked, file: usize, base: Option<&Url>, depth: u32) {
        let ask = match linked.what {
            Links::Sheet => Ask::Sheet,
            Links::Manifest => Ask::Manifest,
            Links::Frame => Ask::Page,
            Links::Script => Ask::Script,
        };
        match self.resolved(&linked.address, file, base) {
            Some(address) if address.scheme() != "data" => {
                let mut conditions = self.page.files[file].conditions.clone();
                conditions.extend(linked.conditions.iter().cloned());
                self.want(
                    address,
                    ask,
                    Some((file, linked.line)),
                    conditions,
                    depth + 1,
                );
            }
            _ => {}
        }
    }

    /// Notes every picture that a showing may come to.
    fn note(&mut self, showing: &Showing, index: usize, file: usize, base: Option<&Url>) {
        for candidate in showing.candidates() {
            let Some(address) = self.resolved(&candidate.address, file, base) else {
                if Url::parse(candidate.address.trim()).is_err() {
                    let wrong = (candidate.address.clone(), file, candidate.line);
                    self.page.wrong.push(wrong);
                }
                continue;
            };
            let pictures = &mut self.page.pictures;
            let number = *self.numbers.entry(address.clone()).or_insert_with(|| {
                pictures.push(Picture {
                    address,
                    uses: Vec::new(),
                });
                pictures.len() - 1
            });
            pictures[number].uses.push(Use {
                file,
                showing: index,
                line: candidate.line,
            });
        }
    }

    /// The address that a reference leads to, without its fragment. `None` for what is no address or
    /// leads to no file: scripts, mail, files of the reader's own disk behind a page of the web.
    fn resolved(&self, address: &str, file: usize, base: Option<&Url>) -> Option<Url> {
        let own = &self.page.files[file].address;
        resolved(address, base.unwrap_or(own), self.root.as_ref())
            .filter(|url| own.scheme() == "file" || url.scheme() != "file")
    }
}

/// The address that a reference in a file leads to, without its fragment. `None` where that is no file.
pub fn resolved(address: &str, base: &Url, root: Option<&Url>) -> Option<Url> {
    let address = address.trim();
    let from_disk = base.scheme() == "file";
    let mut url = match address.strip_prefix('/') {
        Some(rest) if from_disk && rest.starts_with('/') => {
            Url::parse(&format!("https:{address}")).ok()?
        }
        Some(rest) if from_disk => root.unwrap_or(base).join(rest).ok()?,
        _ => base.join(address).ok()?,
    };
    url.set_fragment(None);
    matches!(url.scheme(), "http" | "https" | "file" | "data").then_some(url)
}

/// What a browser shows where a picture is asked for as a page.
fn itself(address: &Url) -> Found {
    let candidate = Candidate {
        address: address.to_string(),
        span: 0..0,
        line: 1,
        descriptor: Descriptor::None,
    };
    Found {
        showings: vec![Showing::new(Role::Embedded, 0..0, 1).of(candidate)],
        ..Found::default()
    }
}

/// What a text refers to, by its media type; `None` for those that refer to nothing.
pub fn references(kind: &str, text: &str) -> Option<Found> {
    Some(match kinds::bare(kind).as_str() {
        "text/html" | "application/xhtml+xml" => html::references(text),
        "text/markdown" => markdown::references(text),
        "text/css" => css::references(text),
        "application/manifest+json" => manifest::references(text),
        kind if kind.ends_with("xml") => xml::references(text),
        _ => return None,
    })
}

/// What a file refers to, by its kind, else by its name, else as a page.
fn of_kind(kind: &str, address: &Url, text: &str) -> Found {
    let by_name = || references(kinds::by_name(address.path()), text);
    let found = references(kind, text).or_else(by_name);
    found.unwrap_or_else(|| html::references(text))
}

impl Page {
    /// The elements that selectors can meet, in all its documents.
    fn named(&self) -> Named {
        let mut named = Named::default();
        for file in &self.files {
            named.add(&file.found.named);
        }
        named
    }

    /// The showing that a use is.
    pub fn showing(&self, used: Use) -> &Showing {
        &self.files[used.file].found.showings[used.showing]
    }

    /// What a screen makes a browser load once all of the page was scrolled past, as far as the markup
    /// tells: rules that can meet nothing, and those that later ones of the same selector overrule,
    /// load nothing. A picture that is shown twice is listed twice.
    pub fn loads(&self, viewport: &Viewport) -> Vec<Load> {
        let mut by_use: HashMap<(usize, usize), Vec<(u32, usize)>> = HashMap::new();
        for (number, picture) in self.pictures.iter().enumerate() {
            for used in &picture.uses {
                let of = by_use.entry((used.file, used.showing)).or_default();
                of.push((used.line, number));
            }
        }
        let ruled = self.ruled(viewport);
        let mut loads = Vec::new();
        for (file_index, file) in self.files.iter().enumerate() {
            if !holds_all(&file.conditions, viewport) {
                continue;
            }
            for (index, showing) in file.found.showings.iter().enumerate() {
                if !file.counts[index] || !ruled.stands(file_index, showing) {
                    continue;
                }
                let Some((_, candidate)) = showing.chosen(viewport) else {
                    continue;
                };
                // Which picture the candidate is: the one whose address it resolves to.
                let position = showing
                    .candidates()
                    .position(|one| std::ptr::eq(one, candidate));
                let of = by_use.get(&(file_index, index));
                let resolved = of.and_then(|of| of.get(position?));
                if let Some((line, picture)) = resolved {
                    loads.push(Load {
                        picture: *picture,
                        used: Use {
                            file: file_index,
                            showing: index,
                            line: *line,
                        },
                        width: showing.width(viewport),
                    });
                }
            }
        }
        loads
    }

    fn ruled(&self, viewport: &Viewport) -> Ruled {
        let mut last = HashMap::new();
        for (index, file) in self.files.iter().enumerate() {
            if !holds_all(&file.conditions, viewport) {
                continue;
            }
            for (showing, counts) in file.found.showings.iter().zip(&file.counts) {
                if let Some(key) = key(showing)
                    && *counts
                    && showing.holds(viewport)
                {
                    last.insert(key, (index, showing.span.start));
                }
            }
        }
        Ruled(last)
    }
}

/// The last declaration of each selector and property that holds.
struct Ruled(HashMap<(String, String), (usize, usize)>);

impl Ruled {
    /// Whether no later declaration overrules a showing.
    fn stands(&self, file: usize, showing: &Showing) -> bool {
        key(showing).is_none_or(|key| {
            let last = self.0.get(&key);
            last.is_none_or(|last| *last == (file, showing.span.start))
        })
    }
}

/// What declarations have in common that overrule each other.
fn key(showing: &Showing) -> Option<(String, String)> {
    let (selector, property) = (showing.selector.as_ref()?, showing.property.as_ref()?);
    if showing.role != Role::Style || property.starts_with("--") {
        return None;
    }
    let bare = property.trim_start_matches("-webkit-");
    let family = bare.split('-').next().unwrap_or(bare);
    let selector: String = selector.split_whitespace().collect::<Vec<_>>().join(" ");
    Some((selector, family.to_owned()))
}

fn holds_all(conditions: &[String], viewport: &Viewport) -> bool {
    conditions.iter().all(|query| media::holds(query, viewport))
}
