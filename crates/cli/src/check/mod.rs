//! `kiln check`: a gate for a build. Reads headers, sites and ledgers, pixels where that is asked for,
//! and writes nothing.

mod baseline;
mod files;
mod look;
mod pages;
mod pictures;
mod pieces;
mod report;
mod words;

use std::process::ExitCode;

use serde::Serialize;

use crate::failure::Failure;
use crate::report::Channels;
use crate::rules::{Level, Rule};
use crate::settings::{CheckForm, CheckSettings};
use crate::wording;

/// A broken rule.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Flaw {
    /// Which.
    pub rule: Rule,
    /// What that means.
    pub level: Level,
    /// The file, as it is reached from here.
    pub file: String,
    /// The line in it, from 1.
    pub line: Option<u32>,
    /// What in the file it is about; empty where that is the file itself.
    pub about: String,
    /// What was found.
    pub value: String,
    /// What is allowed; empty where that goes without saying.
    pub limit: String,
    /// What to do.
    pub advice: String,
    /// Whether it was there before, by the baseline.
    pub known: bool,
}

/// What was found so far.
pub struct Flaws<'a> {
    settings: &'a CheckSettings,
    all: Vec<Flaw>,
}

impl Flaws<'_> {
    /// Whether a rule is looked at.
    fn wants(&self, rule: Rule) -> bool {
        self.settings.limits.levels.of(rule) != Level::Off
    }

    /// Notes a broken rule, unless it is off.
    fn add(&mut self, rule: Rule, at: At<'_>, value: String, limit: String, advice: &str) {
        let level = self.settings.limits.levels.of(rule);
        if level != Level::Off {
            self.all.push(Flaw {
                rule,
                level,
                file: at.file.strip_prefix("./").unwrap_or(at.file).to_owned(),
                line: at.line,
                about: at.about.to_owned(),
                value,
                limit,
                advice: advice.to_owned(),
                known: false,
            });
        }
    }

    /// Notes a weight above a limit.
    fn add_weight(&mut self, rule: Rule, file: &str, weight: u64, most: Option<u64>, advice: &str) {
        if let Some(most) = most.filter(|most| weight > *most) {
            let (value, limit) = (wording::weight(weight), wording::weight(most));
            self.add(rule, At::file(file), value, limit, advice);
        }
    }
}

/// Where a rule is broken.
#[derive(Clone, Copy)]
struct At<'a> {
    file: &'a str,
    line: Option<u32>,
    about: &'a str,
}

impl<'a> At<'a> {
    /// In a file as a whole.
    fn file(file: &'a str) -> At<'a> {
        At {
            file,
            line: None,
            about: "",
        }
    }
}

/// Checks and reports.
pub fn run(settings: &CheckSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    let files = files::find(&settings.paths)?;
    let mut flaws = Flaws {
        settings,
        all: Vec::new(),
    };
    for (path, why) in &files.unreadable {
        let file = path.to_string_lossy();
        flaws.add(
            Rule::Damaged,
            At::file(&file),
            why.clone(),
            String::new(),
            "check its permissions",
        );
    }
    let pictures = pictures::check(&files, &mut flaws, channels)?;
    pages::check(&files, &pictures, &mut flaws);
    pieces::check(&files, &mut flaws)?;
    if settings.is_whole {
        words::check(&mut flaws)?;
    }
    look::check(&mut flaws, channels)?;
    let mut all = flaws.all;
    all.sort_by(|a, b| {
        let key = |flaw: &Flaw| (flaw.file.clone(), flaw.line, flaw.rule, flaw.about.clone());
        key(a).cmp(&key(b))
    });
    all.dedup();
    if let Some(path) = &settings.new_baseline {
        baseline::write(path, &all)?;
    }
    if let Some(path) = &settings.limits.baseline {
        baseline::read(path)?.mark(&mut all);
    }
    let checked = report::Checked {
        pictures: pictures.len(),
        pages: files.pages.len(),
        flaws: &all,
    };
    channels.print(|out, columns| match settings.form {
        CheckForm::Lines => report::lines(out, &checked, columns),
        CheckForm::Json => report::json(out, &checked),
        CheckForm::Sarif => report::sarif(out, &checked),
    })?;
    let fails = |flaw: &Flaw| flaw.level == Level::Error && !flaw.known;
    Ok(
        if all.iter().any(fails) && settings.new_baseline.is_none() {
            ExitCode::from(1)
        } else {
            ExitCode::SUCCESS
        },
    )
}
