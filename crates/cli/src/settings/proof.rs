//! What a proof goes by.

use std::path::PathBuf;

use kiln_core::decode::Allowance;
use kiln_core::encode::Format;
use kiln_core::plan::{CodingWish, LOOKS, Look, LookWish, Site, Wish};

use super::{Originals, cores, kiln_file, out_folder, sites};
use crate::args::{CreditsArgs, ProofArgs};
use crate::failure::Failure;
use crate::layer::Layer;
use crate::site::SiteFile;

/// All that a proof goes by.
#[derive(Clone, Debug)]
pub struct ProofSettings {
    /// What is proven.
    pub of: ProofOf,
    /// The out folder, in which no originals are looked for.
    pub out: PathBuf,
    /// The formats that are tried, where some are named.
    pub formats: Option<Vec<Format>>,
    /// The looks that are tried, where some are named.
    looks: Vec<Look>,
    /// Dials that are tried.
    dials: Vec<u8>,
    /// Where the proof sheet is written.
    pub page: Option<PathBuf>,
    /// The port that it is served at, 0 for any that is free.
    pub serve: Option<u16>,
    /// The largest picture that is read.
    pub allowance: Allowance,
    /// Threads.
    pub jobs: usize,
    /// Whether the report is a JSON document.
    pub json: bool,
}

/// What is proven.
#[derive(Clone, Debug)]
pub enum ProofOf {
    /// Two finished files, the second against the first.
    Pair(PathBuf, PathBuf),
    /// Originals, as places want them.
    Originals {
        /// What is searched for them.
        originals: Originals,
        /// What is wanted.
        wanted: Box<Wanted>,
    },
}

/// What is wanted of originals, and where that was said.
#[derive(Clone, Debug)]
pub struct Wanted {
    /// What the places want, or all.
    pub site: Site,
    typed: Layer,
    file: Option<SiteFile>,
}

impl Wanted {
    /// What a place would want, or all, if more had been said on the command line.
    pub fn with(&self, place: Option<&str>, more: &Layer) -> Result<Option<Wish>, Failure> {
        let layer = more.clone().over(&self.typed);
        let places: Vec<String> = place.iter().map(|&place| place.to_owned()).collect();
        let (site, _) = sites(&layer, &CreditsArgs::default(), &places, self.file.as_ref())?;
        Ok(match place {
            Some(_) => site.places.into_iter().next().map(|place| place.wish),
            None => site.every,
        })
    }
}

impl ProofSettings {
    /// What options and kiln file mean together.
    pub fn resolve(typed: &ProofArgs) -> Result<ProofSettings, Failure> {
        let file = kiln_file(&typed.kiln_file)?;
        let are_files = typed.paths.iter().all(|path| path.is_file());
        let of = match &typed.paths[..] {
            [one, two] if are_files && typed.place.is_empty() && typed.layer.texts.is_empty() => {
                let page = typed.html.is_some() || typed.serve.is_some();
                if page || !typed.format.is_empty() || !typed.quality.is_empty() {
                    return Err(Failure::Contradiction {
                        place: String::new(),
                        says: "two files are compared as they are, and --format, --quality, --html and --serve go with originals; say a --width or a --place to prove both",
                    });
                }
                ProofOf::Pair(one.clone(), two.clone())
            }
            paths => {
                let layer = &typed.layer.layer;
                let credits = CreditsArgs::default();
                let (site, _) = sites(layer, &credits, &typed.place, file.as_ref())?;
                ProofOf::Originals {
                    originals: Originals::resolve(paths, file.as_ref())?,
                    wanted: Box::new(Wanted {
                        site,
                        typed: layer.clone(),
                        file: file.clone(),
                    }),
                }
            }
        };
        Ok(ProofSettings {
            of,
            out: out_folder(None, file.as_ref()),
            formats: (!typed.format.is_empty()).then(|| typed.format.clone()),
            looks: typed.look.clone(),
            dials: typed.quality.clone(),
            page: typed.html.clone(),
            serve: typed.serve,
            allowance: Allowance {
                pixels: typed.allowance,
            },
            jobs: typed.jobs.unwrap_or_else(cores),
            json: typed.json,
        })
    }

    /// What is asked of every format for a picture of which a look is wanted: the looks and dials that
    /// are named, else every look that has a name; the wanted look always, as all is measured by it, and
    /// it alone where the others can be asked for.
    pub fn wishes_for(&self, wanted: Option<f32>) -> Vec<CodingWish> {
        let named = self.looks.iter().copied();
        let mut looks: Vec<Look> = named.collect();
        let alone = self.serve.is_some() && wanted.is_some();
        if looks.is_empty() && self.dials.is_empty() && !alone {
            looks.extend(LOOKS.iter().map(|(_, look)| Look::Score(*look)));
            looks.push(Look::Exact);
        }
        let wanted = wanted.map(Look::Score);
        if let Some(wanted) = wanted.filter(|wanted| !looks.contains(wanted)) {
            looks.push(wanted);
        }
        let order = |look: &Look| match look {
            Look::Score(score) => *score,
            Look::Exact => f32::MAX,
        };
        looks.sort_by(|a, b| order(a).total_cmp(&order(b)));
        looks.dedup();
        let looks = looks.into_iter().map(|look| match look {
            // Nothing is given up for a weight: what a look weighs is what is asked.
            Look::Score(look) => CodingWish::Look(LookWish::of(look)),
            Look::Exact => CodingWish::Exact,
        });
        let dials = self.dials.iter().map(|dial| CodingWish::Dial(*dial));
        looks.chain(dials).collect()
    }

    /// The look that the second of two files has to reach, where one is named.
    pub fn least_look(&self) -> Option<f32> {
        self.looks.first().map(|look| match look {
            Look::Score(look) => *look,
            Look::Exact => 100.0,
        })
    }
}
