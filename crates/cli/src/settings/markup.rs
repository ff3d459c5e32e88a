//! What markup and rewiring go by.

use std::path::{Path, PathBuf};

use kiln_core::plan::Glob;
use kiln_site::rewire::Extent;

use super::{kiln_file, labels, out_here, selected};
use crate::args::{MarkupArgs, RewireArgs, StockArgs};
use crate::failure::Failure;
use crate::given::{MarkupGiven, Meanwhile};
use crate::site::{PlaceGiven, SiteFile};

/// Where pieces are found, and what is said of them.
#[derive(Clone, Debug)]
pub struct Sources {
    /// The out folder.
    pub out: PathBuf,
    /// The folder of the originals, where the kiln file says it.
    pub originals: Option<PathBuf>,
    /// The label sheet, which need not be there.
    pub labels: PathBuf,
    /// The places of the kiln file.
    pub places: Vec<PlaceGiven>,
}

/// All that the making of markup goes by.
#[derive(Clone, Debug)]
pub struct MarkupSettings {
    /// Originals, pieces, and folders of them; all where there are none.
    pub paths: Vec<PathBuf>,
    /// Only these places; all where there are none.
    pub places: Vec<String>,
    /// Where originals, pieces and words are found.
    pub sources: Sources,
    /// What addresses are made of.
    pub address: Address,
    /// What stands in the spot of a picture until it comes.
    pub meanwhile: Option<Meanwhile>,
    /// Drawings up to this weight stand in the page itself.
    pub inline: u64,
    /// How it is given.
    pub form: MarkupForm,
    /// The folder that files go to; standard output where there is none.
    pub into: Option<PathBuf>,
}

/// What addresses of pieces are made of.
#[derive(Clone, Debug)]
pub enum Address {
    /// The address of the out folder, with a slash at its end.
    Base(String),
    /// The way from a folder.
    From(PathBuf),
}

/// How markup is given.
#[derive(Clone, Debug)]
pub enum MarkupForm {
    /// HTML and CSS.
    Plain,
    /// As a template says.
    Template(PathBuf),
    /// A page that shows all.
    Page(PathBuf),
    /// A JSON document.
    Json,
}

impl MarkupSettings {
    /// What options and kiln file mean together.
    pub fn resolve(typed: &MarkupArgs) -> Result<MarkupSettings, Failure> {
        let file = kiln_file(&typed.stock.kiln_file)?;
        let file = file.as_ref();
        let given = MarkupGiven {
            base: typed.base.clone(),
            meanwhile: typed.meanwhile,
            inline: typed.inline,
            template: typed.template.clone(),
            ..MarkupGiven::default()
        };
        let given = over(given, file);
        selected(&typed.place, &typed.paths, file)?;
        let folder_of = |page: &Path| match page.parent() {
            Some(folder) if !folder.as_os_str().is_empty() => folder.to_owned(),
            _ => PathBuf::from("."),
        };
        let page = typed.page.as_deref().or(typed.html.as_deref());
        let address = match (page, given.base) {
            (Some(page), _) => Address::From(folder_of(page)),
            (None, Some(base)) => Address::Base(base),
            (None, None) => {
                let kiln = file.map_or(Path::new("kiln.toml"), |file| &file.path);
                Address::From(folder_of(kiln))
            }
        };
        let form = match (&typed.html, given.template) {
            (Some(page), _) => MarkupForm::Page(page.clone()),
            _ if typed.json => MarkupForm::Json,
            (None, Some(template)) => MarkupForm::Template(template),
            (None, None) => MarkupForm::Plain,
        };
        Ok(MarkupSettings {
            paths: typed.paths.clone(),
            places: typed.place.clone(),
            sources: sources(&typed.stock, file)?,
            address,
            meanwhile: given.meanwhile,
            inline: given.inline.unwrap_or(0),
            form,
            into: typed.into.clone(),
        })
    }
}

/// What was said, over what the kiln file says.
fn over(given: MarkupGiven, file: Option<&SiteFile>) -> MarkupGiven {
    match file {
        Some(file) => given.over(&file.markup),
        None => given,
    }
}

pub(super) fn sources(typed: &StockArgs, file: Option<&SiteFile>) -> Result<Sources, Failure> {
    Ok(Sources {
        out: out_here(typed.out.as_ref(), file)?,
        originals: file.and_then(|file| file.originals.clone()),
        labels: labels(typed.labels.as_ref(), file),
        places: file.map_or(Vec::new(), |file| file.places.clone()),
    })
}

/// All that a rewiring goes by.
#[derive(Clone, Debug)]
pub struct RewireSettings {
    /// The folder of the site.
    pub site: PathBuf,
    /// Where originals, pieces and words are found.
    pub sources: Sources,
    /// The address of the out folder, where it is not the way to it.
    pub base: Option<String>,
    /// The address of the site.
    pub home: Option<String>,
    /// What a browser has measured.
    pub shown: Option<PathBuf>,
    /// Files of the site that are left alone.
    pub except: Vec<Glob>,
    /// How much is rewritten.
    pub extent: Extent,
    /// Whether texts of the pages go into the sheet.
    pub learn: bool,
    /// Whether only the diff is shown.
    pub dry_run: bool,
    /// Whether files with changes that are not committed are changed too.
    pub uncommitted: bool,
    /// Whether the last run is undone.
    pub undo: bool,
    /// Whether the report is a JSON document.
    pub json: bool,
}

impl RewireSettings {
    /// What options and kiln file mean together.
    pub fn resolve(typed: &RewireArgs) -> Result<RewireSettings, Failure> {
        let file = kiln_file(&typed.stock.kiln_file)?;
        let file = file.as_ref();
        let given = MarkupGiven {
            base: typed.base.clone(),
            home: typed.home.clone(),
            except: (!typed.except.is_empty()).then(|| typed.except.clone()),
            ..MarkupGiven::default()
        };
        let given = over(given, file);
        let about = std::fs::metadata(&typed.site).map_err(Failure::unreadable(&typed.site))?;
        if !about.is_dir() {
            return Err(Failure::Refused {
                path: typed.site.clone(),
                says: "is no folder; name the folder of the site".to_owned(),
            });
        }
        Ok(RewireSettings {
            site: typed.site.clone(),
            sources: sources(&typed.stock, file)?,
            base: given.base,
            home: given.home,
            shown: typed.shown.clone(),
            except: given.except.unwrap_or_default(),
            extent: Extent {
                plain: typed.plain,
                markdown_as_html: typed.markdown_as_html,
            },
            learn: typed.learn,
            dry_run: typed.dry_run,
            uncommitted: typed.uncommitted,
            undo: typed.undo,
            json: typed.json,
        })
    }
}
