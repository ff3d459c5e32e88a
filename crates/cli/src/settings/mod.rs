//! Settings resolved: the only thing that the work sees of the command line.

mod away;
mod check;
mod deliver;
mod ledger;
mod markup;
mod page;
mod part;
mod proof;
mod secret;
mod survey;
mod totals;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::thread;

use kiln_core::decode::Allowance;
use kiln_core::encode::{Format, Passes};
use kiln_core::pixels::Backdrop;
use kiln_core::plan::{CodingWish, CreditsWish, PartOf, Place, Site, Wish};
use strsim::jaro_winkler;

use crate::args::{CreditsArgs, FireArgs, KilnFileArgs, LabelArgs};
use crate::failure::Failure;
use crate::layer::{Layer, Told};
use crate::site::{self, SiteFile};
pub use away::is_address;
pub use check::{CheckForm, CheckSettings};
pub use deliver::{DeliverSettings, Remote, Target};
pub use ledger::LedgerSettings;
pub use markup::{Address, MarkupForm, MarkupSettings, RewireSettings, Sources};
pub use page::{Manners, PageSettings, VIEWPORTS};
pub use proof::{ProofOf, ProofSettings, Wanted};
pub use secret::{Secret, usual as usual_secret};
pub use survey::{Judging, SurveySettings};

/// The label sheet's name where none is given.
const LABELS: &str = "labels.csv";

/// The out folder where none is given.
const OUT: &str = "upload";

/// All that a firing goes by.
#[derive(Clone, Debug)]
pub struct Settings {
    /// What is searched for originals.
    pub originals: Originals,
    /// Where the pieces go.
    pub out: PathBuf,
    /// The machine of the out folder, where that is another one.
    pub out_remote: Option<Box<Remote>>,
    /// What is wanted.
    pub site: Site,
    /// The kiln file that says so, if one does.
    pub kiln_file: Option<PathBuf>,
    /// Whether all originals of the kiln file are fired.
    pub all_originals: bool,
    /// Whether only some of the places of the kiln file are fired.
    pub some_places: bool,
    /// Whether all originals and all places of the kiln file are fired.
    pub complete: bool,
    /// Every setting of each place, with where it comes from.
    pub told: Vec<(String, Vec<Told>)>,
    /// The label sheet, which need not be there.
    pub labels: PathBuf,
    /// The largest picture that is read.
    pub allowance: Allowance,
    /// Pictures in work at once.
    pub jobs: usize,
    /// The part that is made on this machine, where it is not all.
    pub part: Option<PartOf>,
    /// Whether what parts have made is gathered.
    pub gather: bool,
    /// Whether only the plan is shown.
    pub dry_run: bool,
    /// Whether it goes on as originals arrive.
    pub watch: bool,
    /// Whether pieces without original or place are removed.
    pub remove_strays: bool,
    /// Whether files that no ledger knows may be replaced by pieces.
    pub adopt: bool,
    /// Whether totals of the kiln file are not shared, since not all that has part in them is fired.
    pub unshared: bool,
    /// Where the report is written as a page.
    pub page: Option<PathBuf>,
    /// Pieces whose trials are told.
    pub why: Vec<String>,
    /// How the report is given.
    pub telling: Telling,
}

/// What is searched for originals.
#[derive(Clone, Debug)]
pub struct Originals {
    /// Pictures, and folders that are searched for them.
    pub paths: Vec<PathBuf>,
    /// The folder of a site's originals: what lies in it is named from there.
    pub base: Option<PathBuf>,
    /// The machines of those paths that are addresses.
    pub remotes: BTreeMap<PathBuf, Remote>,
}

impl Originals {
    /// The paths given, else the originals of the kiln file.
    fn resolve(paths: &[PathBuf], file: Option<&SiteFile>) -> Result<Originals, Failure> {
        let base = file.and_then(|file| file.originals.clone());
        let paths = match (paths, &base, file) {
            ([], Some(base), _) => vec![base.clone()],
            ([], None, Some(file)) => return Err(Failure::NoOriginals(file.path.clone())),
            ([], None, None) => return Err(Failure::NoPaths),
            (paths, ..) => paths.to_vec(),
        };
        let mut remotes = BTreeMap::new();
        for path in &paths {
            remotes.extend(away::remote(path, file)?.map(|remote| (path.clone(), remote)));
        }
        Ok(Originals {
            paths,
            base,
            remotes,
        })
    }
}

/// The kiln file that holds.
fn kiln_file(typed: &KilnFileArgs) -> Result<Option<SiteFile>, Failure> {
    let path = match (&typed.kiln, typed.no_kiln) {
        (_, true) => None,
        (Some(path), _) => Some(path.clone()),
        (None, _) => site::find(Path::new(".")),
    };
    path.map(|path| site::read(&path)).transpose()
}

/// The label sheet: as typed, as the kiln file says, or beside that.
fn labels(typed: Option<&PathBuf>, file: Option<&SiteFile>) -> PathBuf {
    let given = typed.or(file.and_then(|file| file.labels.as_ref()));
    given.cloned().unwrap_or_else(|| beside(file, LABELS))
}

/// The out folder: as typed, as the kiln file says, or beside that.
fn out_folder(typed: Option<&PathBuf>, file: Option<&SiteFile>) -> PathBuf {
    let given = typed.or(file.and_then(|file| file.out.as_ref()));
    given.cloned().unwrap_or_else(|| beside(file, OUT))
}

/// The same where it has to be on this machine.
fn out_here(typed: Option<&PathBuf>, file: Option<&SiteFile>) -> Result<PathBuf, Failure> {
    let out = out_folder(typed, file);
    match is_address(&out) {
        true => Err(Failure::Elsewhere(out)),
        false => Ok(out),
    }
}

/// The first of all paths that lies on another machine.
fn first_address<'a>(out: &'a PathBuf, originals: &'a Originals) -> Option<&'a PathBuf> {
    let paths = originals.paths.iter().chain([out]);
    paths.into_iter().find(|path| is_address(path))
}

/// A path beside the kiln file, or in the working folder where there is none.
fn beside(file: Option<&SiteFile>, name: &str) -> PathBuf {
    let folder = file.and_then(|file| file.path.parent());
    folder.unwrap_or(Path::new("")).join(name)
}

/// How the report is given.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Telling {
    /// As a table; with dials and encodes when `verbose`.
    Table {
        /// Dials and encodes too.
        verbose: bool,
    },
    /// As a JSON document.
    Json,
    /// Not at all.
    Quiet,
}

impl Settings {
    /// What options and kiln file mean together.
    pub fn resolve(typed: &FireArgs) -> Result<Settings, Failure> {
        let named = typed.kiln_file.kiln.as_ref();
        // One that settings are to be kept in need not be there yet.
        let to_be_made = typed.remember.is_some() && named.is_some_and(|path| !path.exists());
        let file = if to_be_made {
            None
        } else {
            kiln_file(&typed.kiln_file)?
        };
        let file = file.as_ref();
        let originals = Originals::resolve(&typed.paths, file)?;
        let (layer, credits) = (&typed.layer.layer, &typed.credits);
        let (mut site, mut told) = sites(layer, credits, &typed.place, file)?;
        let unshared = totals::resolve(typed, file, &mut site, &mut told)?;
        let out = out_folder(typed.out.as_ref(), file);
        let out_remote = away::remote(&out, file)?.map(Box::new);
        if let Some(address) = first_address(&out, &originals) {
            let says = match typed {
                t if t.watch => "watching goes with folders of this machine",
                t if t.remember.is_some() => {
                    "addresses are kept in the kiln file by hand: originals = and out ="
                }
                _ => "",
            };
            if !says.is_empty() {
                let (path, says) = (address.clone(), says.to_owned());
                return Err(Failure::Refused { path, says });
            }
        }
        if let Some(missing) = typed.labels.as_ref().filter(|path| !path.exists()) {
            return Err(Failure::NoSuchPath(missing.clone()));
        }
        Ok(Settings {
            all_originals: typed.paths.is_empty(),
            some_places: !typed.place.is_empty(),
            complete: file.is_some() && typed.paths.is_empty() && typed.place.is_empty(),
            originals,
            out,
            out_remote,
            site,
            told,
            labels: labels(typed.labels.as_ref(), file),
            kiln_file: file.map(|file| file.path.clone()),
            allowance: Allowance {
                pixels: typed.allowance,
            },
            jobs: typed.jobs.unwrap_or_else(cores),
            part: typed.part.map(part::resolve).transpose()?,
            gather: typed.gather,
            dry_run: typed.dry_run,
            watch: typed.watch,
            remove_strays: typed.remove_strays,
            adopt: typed.adopt,
            unshared,
            page: typed.html.clone(),
            why: typed.why.clone(),
            telling: match typed {
                t if t.quiet => Telling::Quiet,
                t if t.json => Telling::Json,
                t => Telling::Table { verbose: t.verbose },
            },
        })
    }
}

type ToldPlaces = Vec<(String, Vec<Told>)>;

/// The wishes of all places that are fired, with where they come from.
fn sites(
    typed: &Layer,
    credits: &CreditsArgs,
    places: &[String],
    file: Option<&SiteFile>,
) -> Result<(Site, ToldPlaces), Failure> {
    let (mut site, mut told) = (Site::default(), Vec::new());
    let kept = file.map_or(CreditsWish::default(), |file| file.credits.clone());
    let credits = credits.over(kept);
    let base = file.map_or(Layer::default(), |file| file.every.clone());
    let mut settle = |label: &str, layer: Layer| {
        let wish = layer.wish(&credits);
        if let Some(says) = contradiction(&wish, &layer) {
            let place = file.map_or(String::new(), |_| format!("{label}: "));
            return Err(Failure::Contradiction { place, says });
        }
        told.push((label.to_owned(), layer.told(&wish)));
        Ok(wish)
    };
    let given = file.map_or(&[][..], |file| &file.places);
    if let Some(unknown) = places
        .iter()
        .find(|name| !given.iter().any(|place| place.name == **name))
    {
        return Err(unknown_place(unknown, file));
    }
    for place in given {
        if places.is_empty() || places.contains(&place.name) {
            let layer = typed.clone().over(&place.layer).over(&base);
            site.places.push(Place {
                name: place.name.clone(),
                of: place.of.clone(),
                wish: settle(&place.name, layer)?,
            });
        }
    }
    let every = typed.clone().over(&base);
    // Without a kiln file all is made; with one, what no place shows needs a width of its own.
    if file.is_none() || (places.is_empty() && every.extent.is_some()) {
        let label = if file.is_none() { "all" } else { "[every]" };
        site.every = Some(settle(label, every)?);
    }
    Ok((site, told))
}

/// What cannot hold together in the settings of a place.
fn contradiction(wish: &Wish, layer: &Layer) -> Option<&'static str> {
    let only = |what: fn(Format) -> bool| wish.formats.iter().any(|one| one.formats().all(what));
    let searched = wish
        .formats
        .iter()
        .any(|one| one.formats().nth(1).is_some());
    match (wish.coding, wish.max_weight) {
        (CodingWish::Dial(_), _) if searched => Some(
            "a quality sets a dial, and auto searches for the lightest format of a look; leave out one of the two",
        ),
        (CodingWish::Look(look), _) if look.least > look.look => {
            Some("the least-look lies above the look; lower it, or raise the look")
        }
        (CodingWish::Look(look), None) if look.shrink_to_fit => {
            Some("shrink-to-fit goes with a max-weight; add it, or leave it out")
        }
        _ if wish.backdrop == Backdrop::Transparent && only(|format| !format.holds_alpha()) => {
            Some("JPEG has no transparency for the backdrop; name a colour, or leave out jpeg")
        }
        _ if wish.passes != Passes::Lightest && !wish.all_formats().any(Format::knows_passes) => {
            Some("progressive is said of JPEG; name jpeg among the formats, or leave it out")
        }
        _ if layer.knock_out.is_none() && layer.knock_out_holes.is_some() => {
            Some("knock-out-holes goes with knock-out; say both, or leave it out")
        }
        _ => None,
    }
}

/// Places that were named are in the kiln file, and paths are there.
fn selected(places: &[String], paths: &[PathBuf], file: Option<&SiteFile>) -> Result<(), Failure> {
    let known = |name: &&String| {
        file.is_some_and(|file| file.places.iter().any(|place| place.name == **name))
    };
    if let Some(unknown) = places.iter().find(|name| !known(name)) {
        return Err(unknown_place(unknown, file));
    }
    match paths.iter().find(|path| !path.exists()) {
        Some(missing) => Err(Failure::NoSuchPath(missing.clone())),
        None => Ok(()),
    }
}

/// The name that one may have meant.
fn nearest<'a>(name: &str, names: &[&'a str]) -> Option<&'a str> {
    let likeness = |other: &&str| jaro_winkler(name, other);
    let alike = names.iter().copied().filter(|other| likeness(other) > 0.75);
    alike.max_by(|a, b| likeness(a).total_cmp(&likeness(b)))
}

fn unknown_place(name: &str, file: Option<&SiteFile>) -> Failure {
    let names: Vec<&str> = file.map_or(Vec::new(), |file| {
        file.places
            .iter()
            .map(|place| place.name.as_str())
            .collect()
    });
    let advice = match (nearest(name, &names), names.first(), file) {
        (Some(nearest), ..) => format!("did you mean {nearest:?}?"),
        (None, Some(_), _) => format!("the places are {}", names.join(", ")),
        (None, None, Some(_)) => "the kiln file has no places".to_owned(),
        (None, None, None) => "there is no kiln file; make one with kiln init".to_owned(),
    };
    Failure::NoPlace {
        name: name.to_owned(),
        advice,
    }
}

/// All that the making of a label sheet goes by.
#[derive(Clone, Debug)]
pub struct LabelSettings {
    /// What is searched for originals.
    pub originals: Originals,
    /// The out folder, in which no originals are looked for.
    pub out: PathBuf,
    /// The label sheet.
    pub labels: PathBuf,
    /// Whether anything missing or wrong is a failure.
    pub strict: bool,
    /// Whether the report is a JSON document.
    pub json: bool,
}

impl LabelSettings {
    /// What options and kiln file mean together.
    pub fn resolve(typed: &LabelArgs) -> Result<LabelSettings, Failure> {
        let file = kiln_file(&typed.kiln_file)?;
        Ok(LabelSettings {
            originals: Originals::resolve(&typed.paths, file.as_ref())?,
            labels: labels(typed.labels.as_ref(), file.as_ref()),
            out: out_folder(None, file.as_ref()),
            strict: typed.strict,
            json: typed.json,
        })
    }
}

/// One job a core.
pub fn cores() -> usize {
    thread::available_parallelism().map_or(1, usize::from)
}
