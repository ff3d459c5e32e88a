//! Rules for each picture by itself, for those of a folder, and for all.

use std::collections::{BTreeMap, HashMap};
use std::path::PathBuf;

use kiln_core::credits::Field;
use kiln_core::survey::Name;

use super::files::Files;
use super::{At, Flaws};
use crate::failure::Failure;
use crate::find;
use crate::report::Channels;
use crate::rules::Rule;
use crate::survey::{self, NO_LIMIT, Record, Wanted};
use crate::wording;

/// Checks every picture; their weights by their real paths.
pub(super) fn check(
    files: &Files,
    flaws: &mut Flaws<'_>,
    channels: &Channels,
) -> Result<HashMap<PathBuf, u64>, Failure> {
    let wanted = files.pictures.iter().map(|candidate| Wanted {
        candidate: candidate.clone(),
        called: candidate.path.to_string_lossy().into_owned(),
        // The rule for that has a limit of its own.
        shown: NO_LIMIT,
        widest: NO_LIMIT,
    });
    let judged = survey::judge(wanted.collect(), &flaws.settings.judging, channels)?;
    let mut weights = HashMap::new();
    let mut folders: BTreeMap<String, u64> = BTreeMap::new();
    let mut total = 0;
    for judged in judged.into_iter().flatten() {
        match judged {
            Ok(record) => {
                one(&record, flaws);
                let folder = record
                    .path
                    .parent()
                    .map(|above| above.to_string_lossy().into_owned());
                *folders.entry(folder.unwrap_or_default()).or_default() += record.weight;
                total += record.weight;
                weights.insert(find::real(&record.path), record.weight);
            }
            Err(aside) => {
                let file = aside.path.to_string_lossy();
                let says = aside.why.to_string();
                flaws.add(
                    Rule::Damaged,
                    At::file(&file),
                    says,
                    String::new(),
                    "export it again",
                );
            }
        }
    }
    let limits = &flaws.settings.limits;
    let (folder_most, most) = (limits.folder_total, limits.max_total);
    for (folder, weight) in folders {
        let folder = if folder.is_empty() { "." } else { &folder };
        let advice = "fire its pictures lighter, or move some";
        flaws.add_weight(Rule::FolderTotal, folder, weight, folder_most, advice);
    }
    let first = flaws
        .settings
        .paths
        .first()
        .map_or(String::new(), |path| path.to_string_lossy().into_owned());
    flaws.add_weight(
        Rule::Total,
        &first,
        total,
        most,
        "fire them with --max-total",
    );
    Ok(weights)
}

fn one(record: &Record, flaws: &mut Flaws<'_>) {
    let file = record.path.to_string_lossy().into_owned();
    let at = At::file(&file);
    let limits = &flaws.settings.limits;
    let (max_weight, max_width) = (limits.max_weight, limits.max_width);
    flaws.add_weight(
        Rule::Weight,
        &file,
        record.weight,
        max_weight,
        "fire it with --max-weight",
    );
    let headers = record.headers.as_ref();
    if let (Some(size), Some(most)) = (headers.and_then(|h| h.upright()), max_width) {
        // A drawing is sharp at every size.
        let is_drawn = headers.is_some_and(|h| h.probe().is_ok_and(|probe| probe.is_drawn()));
        if size.width() > most && !is_drawn {
            let (value, limit) = (format!("{} px wide", size.width()), format!("{most} px"));
            flaws.add(Rule::Width, at, value, limit, "fire it with --width");
        }
    }
    let names_a_person = headers.is_some_and(|headers| headers.ballast.person);
    if names_a_person && !flaws.keeps_creator() {
        let creator = headers.and_then(|headers| headers.credits.get(Field::Creator));
        let value = creator.map_or("its metadata names a person".to_owned(), |name| {
            format!("its metadata names {}", wording::safe(name))
        });
        flaws.add(
            Rule::Person,
            at,
            value,
            String::new(),
            "fire it, or keep creator in [metadata]",
        );
    }
    for finding in &record.findings {
        let rule = match finding.name {
            Name::Damaged | Name::NotRead => Rule::Damaged,
            Name::Position => Rule::Position,
            Name::Baseline => Rule::Passes,
            Name::ForeignColours => Rule::Colours,
            Name::PhotoWithoutLoss | Name::GraphicAsPhoto | Name::BlurredText => Rule::Format,
            _ => continue,
        };
        // A finding says itself what to do, behind its last semicolon.
        let (says, advice) = finding
            .says
            .rsplit_once("; ")
            .unwrap_or((&finding.says, ""));
        flaws.add(rule, at, says.to_owned(), String::new(), advice);
    }
}

impl Flaws<'_> {
    /// Whether the kiln file has creators kept, or written.
    fn keeps_creator(&self) -> bool {
        let site = self.settings.site.as_ref();
        site.is_some_and(|settings| {
            let mut wishes = settings.site.wishes();
            wishes.any(|wish| {
                wish.credits.keep.contains(&Field::Creator)
                    || wish.credits.write.get(Field::Creator).is_some()
            })
        })
    }
}
