//! Pages visited: their files read, their pictures fetched and judged.

use std::collections::HashMap;
use std::path::PathBuf;

use kiln_core::survey::Name;
use kiln_site::kinds;
use kiln_site::walk::Ask;
use kiln_site::{Answer, Page, Request, Role, Use, Viewport, Walk};
use tempfile::TempDir;
use url::Url;

use super::markup::by_markup;
use super::names::{called, last_part};
use super::starts::Start;
use crate::browser::{Browser, Measured};
use crate::failure::Failure;
use crate::fetch::{self, Got, Web};
use crate::find::Candidate;
use crate::mishap::Mishap;
use crate::report::{Channels, Counting};
use crate::settings::{Manners, PageSettings};
use crate::survey::{self, NO_LIMIT, Record, Wanted};
use crate::wording;

/// Eyes see no more than this density at the distance of a phone.
const SEEN_DENSITY: f64 = 2.0;

/// CSS pixels that a picture is estimated for which no screen loads.
const UNSHOWN: u32 = 1920;

/// All that was seen.
#[derive(Debug)]
pub struct Visit {
    /// The pages, in the order given.
    pub pages: Vec<Visited>,
    /// Every picture of any of them, once, in the order met.
    pub pictures: Vec<Picture>,
    /// What did not come, or is no address: where it is referred to, and why.
    pub troubles: Vec<(String, Mishap)>,
    /// The screens.
    pub viewports: Vec<Viewport>,
    /// Fetched pictures lie in it as long as this lives.
    _spool: TempDir,
}

/// A page.
#[derive(Debug)]
pub struct Visited {
    /// What it is.
    pub start: Start,
    /// What it is made of.
    pub page: Page,
    /// How each screen shows it, where a browser told.
    pub measured: Vec<Option<Measured>>,
    /// What each screen loads.
    pub loads: Vec<Vec<Loaded>>,
    /// Files beside its own and its pictures that a browser loaded: fonts, what scripts asked for.
    pub others: Vec<Vec<(Url, u64)>>,
}

/// A picture that a screen loads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Loaded {
    /// Which of all pictures.
    pub number: usize,
    /// The file of the page that makes it load; `None` where a script does.
    pub file: Option<usize>,
}

/// A picture.
#[derive(Debug)]
pub struct Picture {
    /// Its address.
    pub address: Url,
    /// What it is called in reports.
    pub called: String,
    /// What came, and where it lies; why it did not.
    pub got: Result<(Got, PathBuf), Mishap>,
    /// What was found out of it.
    pub record: Option<Record>,
    /// The page that it was first met in.
    pub home: usize,
    /// Who refers to it: the page, and where in it; nobody, where a script brings it in.
    pub uses: Vec<(usize, Use)>,
    /// How each screen shows it.
    pub shown: Vec<Shown>,
}

/// How a screen shows a picture.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Shown {
    /// Whether it is loaded.
    pub is_loaded: bool,
    /// The widest that it is shown, in CSS pixels; `None` where nothing tells.
    pub width: Option<f64>,
    /// The same with what is cropped.
    pub whole: Option<f64>,
    /// Whether a browser told; else the markup does.
    pub is_measured: bool,
    /// Whether it stands below the first screen only.
    pub is_below: bool,
    /// Whether it waits until it is scrolled near.
    pub is_lazy: bool,
    /// Whether the page shifts when it comes.
    pub is_unsized: bool,
}

impl Visited {
    /// Whether anything came of it.
    pub fn came(&self) -> bool {
        let file = self.page.files.first();
        file.is_some_and(|file| file.weight.is_some())
    }

    /// The title of the page.
    pub fn title(&self) -> Option<&str> {
        let file = self.page.files.first()?;
        file.found
            .title
            .as_deref()
            .filter(|title| !title.is_empty())
    }
}

impl Picture {
    /// Bytes on the way, where it came.
    pub fn weight(&self) -> Option<u64> {
        self.got.as_ref().ok().map(|(got, _)| got.weight)
    }

    /// Whether any screen loads it.
    pub fn is_loaded(&self) -> bool {
        self.shown.iter().any(|shown| shown.is_loaded)
    }

    /// The narrowest and widest that screens show it, in CSS pixels.
    pub fn widths(&self) -> Option<(f64, f64)> {
        let widths = self.shown.iter().filter_map(|shown| shown.width);
        let least = widths.clone().reduce(f64::min)?;
        Some((least, widths.reduce(f64::max)?))
    }

    /// The bytes that could go, on the way.
    pub fn waste(&self) -> u64 {
        let waste = self.record.as_ref().map_or(0, Record::waste);
        waste.min(self.weight().unwrap_or(0))
    }
}

/// Visits pages, and judges what they show.
pub fn visit(
    starts: Vec<Start>,
    settings: &PageSettings,
    manners: &Manners,
    channels: &Channels,
) -> Result<Visit, Failure> {
    let spool = tempfile::tempdir().map_err(Failure::unwritable(&std::env::temp_dir()))?;
    let mut visit = Visit {
        pages: Vec::new(),
        pictures: Vec::new(),
        troubles: Vec::new(),
        viewports: settings.viewports.clone(),
        _spool: spool,
    };
    let browser = settings.browser.as_deref();
    let browser = browser.map(|address| Browser::find(Some(address).filter(|a| !a.is_empty())));
    let browser = browser.transpose()?;
    let counting = Counting::start(starts.len(), "pages", channels);
    let mut webs = Vec::with_capacity(starts.len());
    for start in starts {
        let web = Web::of(&start.address, manners);
        let page = visit.walk(start, &web);
        webs.push(web);
        if let Some(browser) = &browser {
            visit.measure(page, browser, settings.page.is_some());
        }
        counting.one();
    }
    counting.end();
    // The browser is not needed any more, and takes memory.
    drop(browser);
    visit.gather();
    visit.fetch(&webs, channels);
    visit.note_shown();
    visit.judge(settings, channels)?;
    Ok(visit)
}

impl Visit {
    /// Reads a page and all that it is made of; its number.
    fn walk(&mut self, start: Start, web: &Web) -> usize {
        let mut walk = Walk::new(start.address.clone(), start.root.clone());
        let mut failed: Vec<(usize, Mishap)> = Vec::new();
        loop {
            let wanted = walk.wanted();
            if wanted.is_empty() {
                break;
            }
            let answers = fetch::each(&wanted, |request| answer(web, request));
            for (request, answer) in wanted.iter().zip(answers) {
                match answer {
                    Ok(answer) => walk.take(request, answer),
                    Err(why) => failed.push((request.file, why)),
                }
            }
        }
        let page = walk.end();
        for (file, why) in failed {
            let at = match page.files[file].by {
                Some((by, line)) => {
                    let by = called(&page.files[by].address, &start);
                    format!("{by}:{line}: {}", called(&page.files[file].address, &start))
                }
                None => wording::safe(&start.given),
            };
            self.troubles.push((at, why));
        }
        for (address, file, line) in &page.wrong {
            let by = called(&page.files[*file].address, &start);
            let why = Mishap::new(format!("{address:?} is no address; mend the reference"));
            self.troubles.push((format!("{by}:{line}"), why));
        }
        self.pages.push(Visited {
            measured: vec![None; self.viewports.len()],
            loads: Vec::new(),
            others: vec![Vec::new(); self.viewports.len()],
            start,
            page,
        });
        self.pages.len() - 1
    }

    /// Every picture that a browser could load, once; the aims of links are not among them.
    fn gather(&mut self) {
        let screens = self.viewports.len();
        let mut pictures = Pictures::default();
        for (index, visited) in self.pages.iter().enumerate() {
            for picture in &visited.page.pictures {
                let uses = picture.uses.iter();
                let is_shown = |used: &&Use| visited.page.showing(**used).role != Role::Link;
                if uses.clone().any(|used| is_shown(&used)) {
                    let met = pictures.met(&picture.address, index, &visited.start, screens);
                    met.uses.extend(uses.map(|used| (index, *used)));
                }
            }
            let measured = visited.measured.iter().flatten();
            for address in measured.flat_map(Measured::pictures) {
                pictures.met(&address, index, &visited.start, screens);
            }
        }
        self.pictures = pictures.all;
    }

    /// Fetches every picture, as the page may that it was first met in.
    fn fetch(&mut self, webs: &[Web], channels: &Channels) {
        let counting = Counting::start(self.pictures.len(), "pictures", channels);
        let spool = self._spool.path();
        let asked: Vec<(usize, &Picture)> = self.pictures.iter().enumerate().collect();
        let got = fetch::each(&asked, |(number, picture)| {
            let path = spool.join(number.to_string());
            let got = webs[picture.home].picture(&picture.address, &path);
            counting.one();
            got
        });
        counting.end();
        for (picture, got) in self.pictures.iter_mut().zip(got) {
            picture.got = got;
        }
    }

    /// Notes what each screen loads of each page, and how it shows it.
    fn note_shown(&mut self) {
        let numbers: HashMap<Url, usize> = self
            .pictures
            .iter()
            .enumerate()
            .map(|(number, picture)| (picture.address.clone(), number))
            .collect();
        for visited in &mut self.pages {
            for (screen, viewport) in self.viewports.iter().enumerate() {
                let loads = match &visited.measured[screen] {
                    Some(measured) => {
                        let (loads, others) =
                            measured.note(screen, &visited.page, &numbers, &mut self.pictures);
                        visited.others[screen] = others;
                        loads
                    }
                    None => by_markup(
                        screen,
                        viewport,
                        &visited.page,
                        &numbers,
                        &mut self.pictures,
                    ),
                };
                visited.loads.push(loads);
            }
        }
    }

    fn judge(&mut self, settings: &PageSettings, channels: &Channels) -> Result<(), Failure> {
        let (mut wanted, mut numbers) = (Vec::new(), Vec::new());
        for (number, picture) in self.pictures.iter().enumerate() {
            let Ok((_, path)) = &picture.got else {
                continue;
            };
            let (shown, widest) = self.needs(picture);
            numbers.push(number);
            wanted.push(Wanted {
                candidate: Candidate::named(path.clone(), last_part(&picture.address)),
                called: picture.called.clone(),
                shown,
                widest,
            });
        }
        let judged = survey::judge(wanted, &settings.judging, channels)?;
        for (number, judged) in numbers.into_iter().zip(judged) {
            let picture = &mut self.pictures[number];
            match judged {
                Some(Ok(mut record)) => {
                    // What stands within a page costs no file of its own.
                    if picture.address.scheme() == "data" {
                        record.findings.retain(|finding| finding.name != Name::Twin);
                    }
                    picture.record = Some(record);
                }
                Some(Err(aside)) => picture.got = Err(aside.why),
                None => {}
            }
        }
        for picture in &self.pictures {
            if let Err(why) = &picture.got {
                let at = self.at(picture);
                self.troubles
                    .push((format!("{at}: {}", picture.called), why.clone()));
            }
        }
        Ok(())
    }

    /// The widest that screens show a picture: in CSS pixels, and in pixels. Where no markup tells, a
    /// picture may be as wide as the screen.
    fn needs(&self, picture: &Picture) -> (u32, u32) {
        if !picture.is_loaded() {
            return (UNSHOWN, NO_LIMIT);
        }
        let screens = self.viewports.iter().zip(&picture.shown);
        let shown = screens.filter(|(_, shown)| shown.is_loaded);
        let needs = shown.map(|(screen, shown)| {
            let whole = shown.whole.or(shown.width);
            let width = whole.unwrap_or(screen.width).max(1.0);
            (width, width * screen.density.min(SEEN_DENSITY))
        });
        let (css, pixels) = needs.fold((1.0, 1.0), |most: (f64, f64), one| {
            (most.0.max(one.0), most.1.max(one.1))
        });
        (css.ceil() as u32, pixels.ceil() as u32)
    }

    /// Where a picture is first referred to, as file and line.
    pub fn at(&self, picture: &Picture) -> String {
        let by_script = || format!("{} (a script)", self.pages[picture.home].start.given);
        picture.uses.first().map_or_else(by_script, |(page, used)| {
            let visited = &self.pages[*page];
            let file = &visited.page.files[used.file].address;
            format!("{}:{}", called(file, &visited.start), used.line)
        })
    }

    /// The alternative text of a picture, where one is said.
    pub fn alt<'a>(&'a self, picture: &'a Picture) -> Option<&'a str> {
        let showings = picture
            .uses
            .iter()
            .map(|(page, used)| self.pages[*page].page.showing(*used));
        let mut said = showings.filter_map(|showing| showing.alt.as_deref());
        said.find(|text| !text.trim().is_empty())
    }

    /// Whether a picture is one of a style: a background, say.
    pub fn is_style(&self, picture: &Picture) -> bool {
        let mut uses = picture.uses.iter();
        uses.any(|(page, used)| self.pages[*page].page.showing(*used).role == Role::Style)
    }

    /// Whether a picture comes from a host that is not that of any page.
    pub fn is_foreign(&self, picture: &Picture) -> bool {
        let web = matches!(picture.address.scheme(), "http" | "https");
        let host = |address: &Url| (address.host().map(|host| host.to_owned()), address.port());
        let home = |page: &Visited| host(&page.start.address) == host(&picture.address);
        web && !self.pages.iter().any(home)
    }
}

/// Pictures met so far.
#[derive(Default)]
struct Pictures {
    all: Vec<Picture>,
    numbers: HashMap<Url, usize>,
}

impl Pictures {
    /// The picture at an address, met in a page.
    fn met(&mut self, address: &Url, page: usize, start: &Start, screens: usize) -> &mut Picture {
        let number = *self.numbers.entry(address.clone()).or_insert_with(|| {
            self.all.push(Picture {
                address: address.clone(),
                called: called(address, start),
                got: Err(Mishap::new("was not fetched")),
                record: None,
                home: page,
                uses: Vec::new(),
                shown: vec![Shown::default(); screens],
            });
            self.all.len() - 1
        });
        &mut self.all[number]
    }
}

/// Asks for a file of a page.
fn answer(web: &Web, request: &Request) -> Result<Answer, Mishap> {
    let answer = |got: Got, text| Answer {
        address: got.address,
        weight: got.weight,
        kind: got.kind,
        text,
    };
    if request.ask == Ask::Script {
        let got = web.weight(&request.address)?;
        return Ok(answer(got, String::new()));
    }
    let (got, text) = web.text(&request.address)?;
    if request.ask == Ask::Page && !is_page(&got.kind) {
        let kind = kinds::bare(&got.kind);
        return Err(Mishap::new(format!(
            "is no page but {kind}; name another address"
        )));
    }
    Ok(answer(got, text))
}

/// Whether what a server calls a media type may refer to pictures, or be one.
fn is_page(kind: &str) -> bool {
    let bare = kinds::bare(kind);
    bare.is_empty()
        || bare.starts_with("text/")
        || bare.starts_with("image/")
        || bare.ends_with("xml")
        || bare.ends_with("json")
}
