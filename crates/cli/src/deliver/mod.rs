//! `kiln deliver`: the pieces sent to where visitors find them, with proof that they arrived.

mod bundle;
mod goods;
mod report;
mod steps;

use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::process::ExitCode;
use std::sync::atomic::AtomicU64;
use std::time::Instant;

use kiln_core::plan::{Digest, Digesting};

use crate::carry::{self, Carrier, Crew, Fault, Folder, Found, Item, Placed, Session, is_part};
use crate::failure::Failure;
use crate::ledger::{Delivered, Ledger};
use crate::report::{Channels, Sending};
use crate::settings::{DeliverSettings, Target};
use crate::stock::Stock;
use crate::write::OutFolder;
use crate::{find, interrupt};
use goods::{Good, Goods};
use report::{Outcome, Report};
use steps::{Step, What};

/// What is said of a file whose name changes with its bytes (RFC 8246).
const FOR_EVER: &str = "public, max-age=31536000, immutable";

/// Delivers.
pub fn run(settings: &DeliverSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    let report = deliver(settings, channels)?;
    report.tell(settings, channels)?;
    Ok(report.exit())
}

/// Delivers, and tells nothing but what goes wrong on the way.
pub fn deliver(settings: &DeliverSettings, channels: &Channels) -> Result<Report, Failure> {
    let start = Instant::now();
    apart(settings)?;
    let stock = Stock::read(&settings.sources)?;
    for remark in &stock.remarks {
        channels.note(remark);
    }
    interrupt::watch()?;
    // No firing changes what is on its way.
    let _lock = match settings.dry_run {
        true => None,
        false => Some(OutFolder::enter(&settings.sources.out)?),
    };
    let opened = Ledger::open(&settings.sources.out)?;
    let mut ledger = opened.ledger;
    for remark in &opened.remarks {
        channels.note(remark);
    }
    let goods = goods::gather(settings, &stock, &ledger)?;
    let mut report = match &settings.target {
        Target::Bundle { path, most } => {
            bundle::make(path, *most, goods, &stock, settings, &mut ledger, channels)?
        }
        Target::Folder(path) => {
            let folder = Box::new(Folder::at(&find::real(path)));
            send(folder, goods, settings, &mut ledger, channels)?
        }
        Target::Remote(remote) => send(carry::to(remote)?, goods, settings, &mut ledger, channels)?,
    };
    report.files.sort_by(|a, b| a.name.cmp(&b.name));
    report.dry_run = settings.dry_run;
    report.seconds = start.elapsed().as_secs_f64();
    Ok(report)
}

/// A delivery to a target that holds files one by one.
struct Errand<'a> {
    crew: Crew,
    /// Whether files have the names there that they have here.
    keeps_names: bool,
    settings: &'a DeliverSettings,
    channels: &'a Channels,
    target: String,
    goods: Vec<Good>,
    /// What stands there.
    there: BTreeMap<String, Found>,
    /// What earlier deliveries put there.
    record: BTreeMap<String, Delivered>,
    /// Names among those that are delivered no more.
    old: Vec<String>,
}

/// Sends what is new or changed, file by file.
fn send(
    carrier: Box<dyn Carrier>,
    goods: Goods,
    settings: &DeliverSettings,
    ledger: &mut Ledger,
    channels: &Channels,
) -> Result<Report, Failure> {
    let (target, keeps_names) = (carrier.address(), carrier.keeps_names());
    let record = ledger.delivered(&target);
    let mut report = Report::to(&target);
    report.refuse(goods.refused);
    let names: HashSet<&str> = goods.all.iter().map(|good| good.name.as_str()).collect();
    let old = record.keys().filter(|name| !names.contains(name.as_str()));
    let old: Vec<String> = match goods::is_whole(settings) {
        true => old.cloned().collect(),
        false => Vec::new(),
    };
    let crew = Crew::new(carrier, settings.at_once, settings.tries);
    let wanted = goods.all.iter().map(|good| &good.name).chain(&old);
    let folders: BTreeSet<&str> = wanted.map(|name| folder_of(name)).collect();
    // A library keeps no names of ours: what deliveries put there is all that is known of it.
    let there = match keeps_names {
        true => crew.alone(|session| listed(session, &folders)),
        false => Ok(record
            .iter()
            .map(|(name, file)| (name.clone(), Found::from(file)))
            .collect()),
    };
    let there = there.map_err(|fault| Failure::Undelivered {
        address: target.clone(),
        says: fault.says,
    })?;
    let errand = Errand {
        crew,
        keeps_names,
        settings,
        channels,
        target,
        goods: goods.all,
        there,
        record,
        old,
    };
    let mut steps = steps::decide(&errand.goods, &errand.there, &errand.record, settings);
    errand.compare(&mut steps, &mut report);
    report.take_steps(&errand.goods, &steps, settings.dry_run);
    if settings.dry_run {
        let old = errand
            .old
            .iter()
            .filter(|name| errand.there.contains_key(*name));
        report.old = old.cloned().collect();
        return Ok(report);
    }
    // Where it could not even be read, nothing is sent.
    if report.broke.is_none() {
        let sent = errand.go(&steps, ledger, &mut report);
        if errand.keeps_names {
            errand.confirm(&sent, ledger, &mut report);
        }
    }
    errand.prune(ledger, &mut report);
    ledger
        .settle()
        .map_err(Failure::unwritable(ledger.path()))?;
    Ok(report)
}

impl Errand<'_> {
    /// Whether what stands there already is what would be sent: read back where nothing else tells.
    fn compare(&self, steps: &mut [Step], report: &mut Report) {
        let unsure = steps
            .iter()
            .enumerate()
            .filter(|(_, step)| match step.what {
                What::Compare => true,
                What::There => self.settings.verify && self.keeps_names,
                _ => false,
            });
        let unsure: Vec<(usize, usize)> = unsure.map(|(at, step)| (at, step.good)).collect();
        let broke = self.crew.work(
            &unsure,
            |session, (_, good)| digest_there(session, &self.goods[*good].name),
            |(at, good), digest| {
                let good = &self.goods[*good];
                steps[*at].what = match digest {
                    Ok(digest) => {
                        let earlier = self.record.get(&good.name);
                        steps::settled(good, earlier, digest, self.settings)
                    }
                    Err(fault) => {
                        let says = fault.says;
                        What::Kept(format!("cannot be compared with what stands there: {says}"))
                    }
                };
            },
            || {},
        );
        if let Some(fault) = broke {
            report.broke = Some((fault.says, unsure.len()));
        }
        // What was not looked at is left alone.
        for step in steps.iter_mut().filter(|step| step.what == What::Compare) {
            let says = "was not compared with what stands there; deliver again";
            step.what = What::Kept(says.to_owned());
        }
    }

    /// Sends what has to be; which of the goods went.
    fn go(&self, steps: &[Step], ledger: &mut Ledger, report: &mut Report) -> Vec<usize> {
        let known = |step: &&Step| self.keeps_names && step.what == What::There;
        for step in steps.iter().filter(known) {
            let good = &self.goods[step.good];
            let tag = self
                .there
                .get(&good.name)
                .and_then(|found| found.tag.clone());
            ledger.arrived(&self.target, &good.name, good.delivered(tag));
        }
        let tasks = steps.iter().filter_map(|step| match step.what {
            What::Send { replace: false } => Some((step.good, Outcome::Sent)),
            What::Send { replace: true } => Some((step.good, Outcome::Replaced)),
            What::Tell => Some((step.good, Outcome::Told)),
            _ => None,
        });
        let tasks: Vec<(usize, Outcome)> = tasks.collect();
        let meter = AtomicU64::new(0);
        let files = tasks
            .iter()
            .filter(|(_, outcome)| *outcome != Outcome::Told);
        let weight = files.map(|(good, _)| self.goods[*good].weight).sum();
        let sending = Sending::start(weight, &meter, self.channels, self.settings.quiet);
        let mut sent = Vec::new();
        let mut tried = 0;
        let broke = self.crew.work(
            &tasks,
            |session, (good, outcome)| {
                let item = self.item(&self.goods[*good], &meter);
                match outcome {
                    Outcome::Told => session.tell(&item).map(|()| None),
                    outcome => session.put(&item, *outcome == Outcome::Replaced).map(Some),
                }
            },
            |(number, outcome), done| {
                let good = &self.goods[*number];
                tried += 1;
                match done {
                    Ok(placed) => {
                        ledger.arrived(&self.target, &good.name, self.delivered(good, placed));
                        // Where that fails, the end tells.
                        let _ = ledger.save_now_and_then();
                        report.add(good, *outcome);
                        sent.push(*number);
                    }
                    Err(fault) => report.fail(good, fault.says),
                }
            },
            || sending.tick(),
        );
        sending.end();
        if let Some(fault) = broke {
            report.broke = Some((fault.says, tasks.len() - tried));
        }
        report.interrupted = interrupt::came();
        sent
    }

    /// A file to be sent.
    fn item<'a>(&'a self, good: &'a Good, meter: &'a AtomicU64) -> Item<'a> {
        let mut cache = self.settings.cache.iter();
        let said = cache.find(|(glob, _)| glob.matches(&good.name));
        let said = said.map(|(_, said)| said.as_str());
        Item {
            name: &good.name,
            path: &good.path,
            weight: good.weight,
            digest: good.digest,
            kind: good.kind,
            cache: said.or_else(|| goods::is_named_by_digest(&good.name).then_some(FOR_EVER)),
            said: &good.said,
            is_decorative: good.is_decorative,
            earlier: self.record.get(&good.name),
            meter,
            mark: "",
        }
    }

    /// What is known of a file that arrived, or of which only the texts did.
    fn delivered(&self, good: &Good, placed: Option<Placed>) -> Delivered {
        if self.keeps_names {
            return good.delivered(None);
        }
        let earlier = || {
            let earlier = self.record.get(&good.name);
            earlier.map_or(Placed::default(), |earlier| Placed {
                address: earlier.address.clone(),
                id: earlier.id.clone(),
            })
        };
        let Placed { address, id } = placed.unwrap_or_else(earlier);
        Delivered {
            address,
            id,
            texts: Some(good.texts),
            ..good.delivered(None)
        }
    }

    /// Looks whether all that was sent stands there, and keeps by what the target tells it from other files.
    fn confirm(&self, sent: &[usize], ledger: &mut Ledger, report: &mut Report) {
        let names = sent.iter().map(|good| self.goods[*good].name.as_str());
        let folders: BTreeSet<&str> = names.map(folder_of).collect();
        // What cannot be asked now is asked by the next delivery.
        let Ok(there) = self.crew.alone(|session| listed(session, &folders)) else {
            return;
        };
        for good in sent.iter().map(|good| &self.goods[*good]) {
            match there.get(&good.name) {
                Some(found) if found.weight == good.weight => {
                    ledger.arrived(&self.target, &good.name, good.delivered(found.tag.clone()));
                }
                found => {
                    ledger.withdrawn(&self.target, &good.name);
                    let (there, all) = (found.map_or(0, |found| found.weight), good.weight);
                    let says = format!(
                        "was sent, but {there} of its {all} bytes stand there; deliver again"
                    );
                    report.fail(good, says);
                }
            }
        }
        if self.settings.verify && !interrupt::came() {
            self.read_back(sent, ledger, report);
        }
    }

    /// Reads back what was sent.
    fn read_back(&self, sent: &[usize], ledger: &mut Ledger, report: &mut Report) {
        self.crew.work(
            sent,
            |session, good| digest_there(session, &self.goods[*good].name),
            |good, digest| {
                let good = &self.goods[*good];
                match digest {
                    Ok(digest) if digest == good.digest => {}
                    Ok(_) => {
                        ledger.withdrawn(&self.target, &good.name);
                        let says = "was sent, but reads back as something else; deliver again";
                        report.fail(good, says.to_owned());
                    }
                    Err(fault) => {
                        let says = fault.says;
                        report.fail(good, format!("was sent, but cannot be read back: {says}"));
                    }
                }
            },
            || {},
        );
    }

    /// Removes what nothing delivers any more, where that is asked for; else tells of it.
    fn prune(&self, ledger: &mut Ledger, report: &mut Report) {
        let mut doomed = Vec::new();
        for name in self.old.iter().map(String::as_str) {
            match (self.there.get(name), self.record.get(name)) {
                (Some(found), Some(file)) if steps::is_as_left(found, file) => doomed.push(name),
                (Some(_), _) if self.settings.prune => {
                    report.keep(
                        name,
                        "was changed there since it was delivered; it is not removed",
                    );
                }
                (Some(_), _) => {}
                (None, _) => ledger.withdrawn(&self.target, name),
            }
        }
        if !self.settings.prune || report.interrupted || report.broke.is_some() {
            report.old = doomed.into_iter().map(str::to_owned).collect();
            return;
        }
        doomed.extend(
            self.there
                .keys()
                .map(String::as_str)
                .filter(|name| is_part(name)),
        );
        for name in &doomed {
            self.channels
                .note(&format!("removing {}: {name}", self.target));
        }
        self.crew.work(
            &doomed,
            |session, name| session.remove(name, self.record.get(*name)),
            |name, done| match done {
                Ok(()) => {
                    ledger.withdrawn(&self.target, name);
                    report.remove(name);
                }
                Err(fault) => report.keep(name, &format!("was not removed: {}", fault.says)),
            },
            || {},
        );
    }
}

/// Pieces are not delivered into the folder that they are in, nor among the originals.
fn apart(settings: &DeliverSettings) -> Result<(), Failure> {
    let Target::Folder(folder) = &settings.target else {
        return Ok(());
    };
    let refused = |says: &str| Failure::Refused {
        path: folder.clone(),
        says: says.to_owned(),
    };
    let real = find::real(folder);
    let out = find::real(&settings.sources.out);
    let originals = settings.sources.originals.as_deref().map(find::real);
    if real.starts_with(&out) || out.starts_with(&real) {
        return Err(refused("is, holds or lies in the out folder; name another"));
    }
    if originals.is_some_and(|originals| real.starts_with(originals)) {
        return Err(refused("lies among the originals; name another"));
    }
    Ok(())
}

/// What stands in some folders, by names that are seen from the target.
fn listed(
    session: &mut dyn Session,
    folders: &BTreeSet<&str>,
) -> Result<BTreeMap<String, Found>, Fault> {
    let mut all = BTreeMap::new();
    for folder in folders {
        for (file, found) in session.list(folder)?.files {
            let name = if folder.is_empty() {
                file
            } else {
                format!("{folder}/{file}")
            };
            all.insert(name, found);
        }
    }
    Ok(all)
}

fn folder_of(name: &str) -> &str {
    name.rsplit_once('/').map_or("", |(folder, _)| folder)
}

/// The digest of a file at a target.
fn digest_there(session: &mut dyn Session, name: &str) -> Result<Digest, Fault> {
    let mut digesting = Digesting::default();
    session.get(name, &mut digesting)?;
    Ok(digesting.digest())
}

impl From<&Delivered> for Found {
    fn from(file: &Delivered) -> Found {
        Found {
            weight: file.weight,
            tag: file.tag.clone(),
        }
    }
}

impl Good {
    fn delivered(&self, tag: Option<String>) -> Delivered {
        Delivered {
            tag,
            ..Delivered::of(self.digest, self.weight)
        }
    }
}
