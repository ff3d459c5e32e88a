//! Headers, looks and findings of every picture below the paths.

use std::collections::HashMap;
use std::fs;
use std::path::PathBuf;
use std::sync::mpsc;

use kiln_core::colour;
use kiln_core::decode::{self, Allowance};
use kiln_core::encode::Format;
use kiln_core::guard;
use kiln_core::source::{Headers, Kind, Probe};
use kiln_core::survey::{self, Asked, Finding, Glance, GlanceError, Limits, Name, Subject};
use rayon::prelude::*;
use rayon::{ThreadPool, ThreadPoolBuilder};

use crate::failure::Failure;
use crate::find::{self, Aside, Candidate, HeaderTrouble, Searched};
use crate::gate;
use crate::mishap::Mishap;
use crate::report::{Channels, Counting};
use crate::settings::{Judging, SurveySettings};
use crate::{pages, wording};

/// The width of a thumbnail on the page, in pixels.
const THUMBNAIL: u32 = 160;

/// What is known of one file.
#[derive(Debug)]
pub struct Record {
    /// Where it is.
    pub path: PathBuf,
    /// Its path below the folder that was given.
    pub name: String,
    /// Bytes.
    pub weight: u64,
    /// What its headers say, without the profile; `None` where they cannot be read.
    pub headers: Option<Headers>,
    /// The profile's own description.
    pub profile: Option<colour::ProfileFacts>,
    /// What a glance at its pixels has shown; its thumbnail is kept apart.
    pub glance: Option<Glance>,
    /// The address of its thumbnail.
    pub thumbnail: Option<String>,
    /// What is wrong.
    pub findings: Vec<Finding>,
}

/// All that was found.
#[derive(Debug)]
pub struct Survey {
    /// Every picture, ordered by path.
    pub records: Vec<Record>,
    /// Files and folders that could not be read.
    pub unreadable: Vec<Aside>,
    /// Folders of pieces, and links that lead nowhere.
    pub passed_over: Vec<Aside>,
    /// Whether pixels were looked at.
    pub looked: bool,
    /// What the estimates are for.
    pub shown: u32,
    /// On screens of this device pixel ratio.
    pub density: f64,
    /// Their format.
    pub format: Format,
}

impl Record {
    /// The bytes that it would weigh, or weighs where that is unknown or not less.
    pub fn remains(&self) -> u64 {
        let estimate = self.glance.as_ref().map(|glance| glance.estimate.weight);
        estimate.map_or(self.weight, |estimate| estimate.min(self.weight))
    }

    /// The weight that it would have, for people; empty where that is unknown.
    pub fn would_be(&self) -> String {
        match &self.glance {
            Some(_) if self.waste() > 0 => wording::weight(self.remains()),
            Some(_) => "as it is".to_owned(),
            None => String::new(),
        }
    }

    /// The bytes that could go.
    pub fn waste(&self) -> u64 {
        self.weight - self.remains()
    }
}

/// A pixel of a graphic takes about so many times as long as one of a photo.
const GRAPHIC_TOIL: u64 = 6;

/// Wide enough for every picture to be no surplus.
pub const NO_LIMIT: u32 = 1 << 20;

/// A picture that is to be judged.
#[derive(Debug)]
pub struct Wanted {
    /// Where it is.
    pub candidate: Candidate,
    /// What it is called where others are told of it.
    pub called: String,
    /// The widest that it is shown, in CSS pixels.
    pub shown: u32,
    /// The widest that it is shown, in pixels of the densest screen that counts.
    pub widest: u32,
}

/// What was found out of it, why it could not be read; `None` where it is no picture at all.
pub type Judged = Option<Result<Record, Aside>>;

/// What is known of a file after its headers were read.
struct Opened {
    record: Record,
    called: String,
    shown: u32,
    limits: Limits,
    probe: Option<Probe>,
    /// Why it could not be looked at.
    trouble: Option<Finding>,
}

/// Surveys everything below the paths.
pub fn gather(settings: &SurveySettings, channels: &Channels) -> Result<Survey, Failure> {
    let Searched {
        candidates,
        mut unreadable,
        passed_over,
    } = find::candidates(&settings.paths, None, None)?;
    let wanted = candidates.into_iter().map(|candidate| Wanted {
        called: candidate.path.to_string_lossy().into_owned(),
        candidate,
        shown: settings.shown,
        widest: settings.widest,
    });
    let mut records = Vec::new();
    for judged in judge(wanted.collect(), &settings.judging, channels)? {
        match judged {
            Some(Ok(record)) => records.push(record),
            Some(Err(aside)) => unreadable.push(aside),
            None => {}
        }
    }
    if records.is_empty() && unreadable.is_empty() {
        return Err(Failure::nothing_found(&settings.paths));
    }
    Ok(Survey {
        records,
        unreadable,
        passed_over,
        looked: settings.judging.look,
        shown: settings.shown,
        density: settings.density,
        format: settings.judging.format,
    })
}

/// Judges pictures, each for what it is shown at; the answers are in their order.
pub fn judge(
    wanted: Vec<Wanted>,
    settings: &Judging,
    channels: &Channels,
) -> Result<Vec<Judged>, Failure> {
    let pool = ThreadPoolBuilder::new()
        .num_threads(settings.jobs)
        .build()?;
    let opened = |wanted| open(wanted, settings.max_weight);
    let mut opened: Vec<Option<Result<Opened, Aside>>> =
        pool.install(|| wanted.into_par_iter().map(opened).collect());
    let mut files: Vec<&mut Opened> = opened
        .iter_mut()
        .filter_map(|one| one.as_mut()?.as_mut().ok())
        .collect();
    let mut twins = HashMap::new();
    if settings.look {
        let counting = Counting::start(files.len(), "pictures", channels);
        // The longest first, so that no core is left alone with one at the end.
        let mut order: Vec<&mut Opened> = files.iter_mut().map(|file| &mut **file).collect();
        order.sort_by_key(|file| std::cmp::Reverse(file.toil()));
        gate::each(
            &pool,
            order.into_iter(),
            |file| file.held(),
            || true,
            |file| {
                look(file, settings);
                counting.one();
            },
            |file, why| {
                file.trouble(Name::NotRead, why);
                counting.one();
            },
        );
        counting.end();
        twins = find_twins(&pool, &files, settings.allowance);
    }
    for (index, file) in files.iter_mut().enumerate() {
        file.judge(twins.get(&index).map(String::as_str));
    }
    let record = |one: Option<Result<Opened, Aside>>| one.map(|one| one.map(|file| file.record));
    Ok(opened.into_iter().map(record).collect())
}

fn open(wanted: Wanted, max_weight: Option<u64>) -> Option<Result<Opened, Aside>> {
    let read = find::headers(&wanted.candidate)?;
    let mut opened = Opened::new(wanted, max_weight);
    match read {
        Ok((weight, mut headers)) => {
            let record = &mut opened.record;
            record.weight = weight;
            let profile = headers.icc.take();
            record.profile = profile.and_then(|profile| colour::describe(&profile));
            // A drawing is sharp at every size: it has no pixels that could be too many.
            opened.probe = headers.probe().ok().filter(|probe| !probe.is_drawn());
            record.headers = Some(headers);
        }
        // What is there but of no use is a finding; what cannot be read at all is not.
        Err(HeaderTrouble::NotRead(_, why)) => opened.unfit(Name::NotRead, why),
        Err(HeaderTrouble::Unfit(why)) => opened.unfit(Name::Damaged, why),
        Err(HeaderTrouble::Unreadable(why)) => {
            let path = opened.record.path;
            return Some(Err(Aside::of(path, why)));
        }
    }
    Some(Ok(opened))
}

fn look(file: &mut Opened, settings: &Judging) {
    let Some(probe) = &file.probe else {
        return;
    };
    if !settings.allowance.covers(probe.stored) {
        let megapixels = probe.stored.pixels().div_ceil(1_000_000);
        let says = format!(
            "{megapixels} megapixels are more than the allowance; raise it with --allowance"
        );
        return file.trouble(Name::NotRead, Mishap::new(says));
    }
    let wanted = Asked {
        width: file.limits.widest,
        displayed: file.shown,
        format: settings.format,
        coding: settings.coding,
        thumbnail: if settings.thumbnails { THUMBNAIL } else { 0 },
    };
    // A decoder that panics costs its picture, not the run.
    let looked = guard::guarded(|| {
        let bytes = fs::read(&file.record.path).map_err(Mishap::unreadable)?;
        let looked = survey::glance(&bytes, probe, settings.allowance, wanted);
        looked.map_err(|error| match error {
            GlanceError::Decode(error) => error.into(),
            error => Mishap::of(error, "export or copy it again"),
        })
    });
    match looked {
        Ok(Ok(mut glance)) => {
            file.record.thumbnail = glance
                .thumbnail
                .take()
                .and_then(|raster| pages::small(&raster));
            file.record.glance = Some(glance);
        }
        Ok(Err(why)) => file.trouble(Name::Damaged, why),
        Err(_) => file.trouble(Name::Damaged, Mishap::new("the decoder failed on it")),
    }
}

/// For each file that shows the same pixels as an earlier one, that one's path. Only files of
/// equal size that are alike at a rough look are decoded for it.
fn find_twins(
    pool: &ThreadPool,
    files: &[&mut Opened],
    allowance: Allowance,
) -> HashMap<usize, String> {
    let mut by_size: HashMap<(u32, u32), Vec<usize>> = HashMap::new();
    for (index, file) in files.iter().enumerate() {
        if let (Some(probe), Some(_)) = (&file.probe, &file.record.glance) {
            let size = (probe.stored.width(), probe.stored.height());
            by_size.entry(size).or_default().push(index);
        }
    }
    let rough = |index: usize| {
        files[index]
            .record
            .glance
            .as_ref()
            .map(|glance| &glance.rough)
    };
    let may_be = |one: usize, other: usize| {
        let pair = rough(one).zip(rough(other));
        one != other && pair.is_some_and(|(one, other)| one.may_be(other))
    };
    let alike = by_size.values().map(|group| {
        let others = |index: usize| group.iter().any(|&other| may_be(index, other));
        group.iter().copied().filter(move |&index| others(index))
    });
    let (found, incoming) = mpsc::channel();
    gate::each(
        pool,
        alike.flatten(),
        |index| files[*index].held(),
        || true,
        |index| {
            // The receiver outlives all senders.
            let _ = found.send(files[index].shown(allowance).map(|shown| (shown, index)));
        },
        // It was looked at before, which takes as much.
        |_, _| {},
    );
    drop(found);
    let mut shown: Vec<_> = incoming.into_iter().flatten().collect();
    shown.sort_unstable();
    let mut twins = HashMap::new();
    for same in shown.chunk_by(|(a, _), (b, _)| a == b) {
        for (_, later) in &same[1..] {
            twins.insert(*later, files[same[0].1].called.clone());
        }
    }
    twins
}

impl Opened {
    /// A file of which nothing is known yet.
    fn new(wanted: Wanted, max_weight: Option<u64>) -> Self {
        let candidate = wanted.candidate;
        Opened {
            called: wanted.called,
            shown: wanted.shown,
            limits: Limits {
                widest: wanted.widest,
                max_weight,
            },
            record: Record {
                path: candidate.path,
                name: candidate.name,
                weight: 0,
                headers: None,
                profile: None,
                glance: None,
                thumbnail: None,
                findings: Vec::new(),
            },
            probe: None,
            trouble: None,
        }
    }

    /// A file that is there, but of no use.
    fn unfit(&mut self, name: Name, why: Mishap) {
        self.record.weight = fs::metadata(&self.record.path).map_or(0, |about| about.len());
        self.trouble(name, why);
    }

    /// About how many bytes a glance at it holds.
    fn held(&self) -> u64 {
        self.probe.as_ref().map_or(0, decode::memory) + self.record.weight
    }

    /// How long a glance at it takes beside others: a file without loss may hold a graphic, for which more ways are
    /// tried than for a photo.
    fn toil(&self) -> u64 {
        let pixels = |probe: &Probe| match probe.kind {
            Kind::Jpeg => probe.stored.pixels(),
            _ => probe.stored.pixels() * GRAPHIC_TOIL,
        };
        self.probe.as_ref().map_or(0, pixels)
    }

    /// What tells what it shows: its size, and a digest of its pixels.
    fn shown(&self, allowance: Allowance) -> Option<(u32, u32, u64)> {
        let (bytes, probe) = (fs::read(&self.record.path).ok()?, self.probe.as_ref()?);
        let digest = survey::digest(&bytes, probe, allowance).ok()?;
        Some((probe.stored.width(), probe.stored.height(), digest))
    }

    fn trouble(&mut self, name: Name, why: Mishap) {
        let (says, worth) = (why.to_string(), None);
        self.trouble = Some(Finding { name, says, worth });
    }

    fn judge(&mut self, twin: Option<&str>) {
        let record = &mut self.record;
        if let Some(headers) = &record.headers {
            let subject = Subject {
                name: &record.name,
                weight: record.weight,
                headers,
                profile: record.profile.as_ref(),
                glance: record.glance.as_ref(),
                twin,
            };
            record.findings = survey::findings(&subject, &self.limits);
        }
        if let Some(trouble) = self.trouble.take() {
            record.findings.insert(0, trouble);
        }
    }
}
