//! What markup and rewiring go by.

use std::path::{Path, PathBuf};

use clap::Parser;
use kiln_core::plan::Glob;
use kiln_site::rewire::Extent;

use super::{kiln_file, labels, out_folder, unknown_place};
use crate::args::{MarkupArgs, RewireArgs};
use crate::failure::Failure;
use crate::given::{MarkupGiven, Placeholder};
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
    pub placeholder: Option<Placeholder>,
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
        let file = kiln_file(&typed.kiln_file)?;
        let file = file.as_ref();
        let given = MarkupGiven {
            base: typed.base.clone(),
            home: None,
            placeholder: typed.placeholder,
            inline: typed.inline,
            template: typed.template.clone(),
            except: None,
        };
        let given = given.over(&file.map_or(MarkupGiven::default(), |file| file.markup.clone()));
        let known = |name: &&String| {
            file.is_some_and(|file| file.places.iter().any(|place| place.name == **name))
        };
        if let Some(unknown) = typed.place.iter().find(|name| !known(name)) {
            return Err(unknown_place(unknown, file));
        }
        for path in &typed.paths {
            if !path.exists() {
                return Err(Failure::NoSuchPath(path.clone()));
            }
        }
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
            sources: sources(typed.out.as_ref(), typed.labels.as_ref(), file),
            address,
            placeholder: given.placeholder,
            inline: given.inline.unwrap_or(0),
            form,
            into: typed.into.clone(),
        })
    }
}

fn sources(out: Option<&PathBuf>, sheet: Option<&PathBuf>, file: Option<&SiteFile>) -> Sources {
    Sources {
        out: out_folder(out, file),
        originals: file.and_then(|file| file.originals.clone()),
        labels: labels(sheet, file),
        places: file.map_or(Vec::new(), |file| file.places.clone()),
    }
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
    /// Those of `kiln rewire SITE --kiln FILE`.
    pub fn of(site: &Path, kiln: &Path) -> Result<RewireSettings, Failure> {
        #[derive(Parser)]
        struct Alone {
            #[command(flatten)]
            rewire: RewireArgs,
        }
        let arguments = [
            "kiln".as_ref(),
            "--kiln".as_ref(),
            kiln.as_os_str(),
            site.as_os_str(),
        ];
        RewireSettings::resolve(&Alone::parse_from(arguments).rewire)
    }

    /// What options and kiln file mean together.
    pub fn resolve(typed: &RewireArgs) -> Result<RewireSettings, Failure> {
        let file = kiln_file(&typed.kiln_file)?;
        let file = file.as_ref();
        let given = file.map_or(MarkupGiven::default(), |file| file.markup.clone());
        let about = std::fs::metadata(&typed.site).map_err(Failure::unreadable(&typed.site))?;
        if !about.is_dir() {
            return Err(Failure::Refused {
                path: typed.site.clone(),
                says: "is no folder; name the folder of the site".to_owned(),
            });
        }
        Ok(RewireSettings {
            site: typed.site.clone(),
            sources: sources(typed.out.as_ref(), typed.labels.as_ref(), file),
            base: typed.base.clone().or(given.base),
            home: typed.home.clone().or(given.home),
            shown: typed.shown.clone(),
            except: match &typed.except[..] {
                [] => given.except.unwrap_or_default(),
                except => except.to_vec(),
            },
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
