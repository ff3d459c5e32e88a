//! What a check found: a line each, as JSON, and as SARIF.

use std::io::{self, Write};

use serde::Serialize;
use serde_json::{Value, json};

use super::Flaw;
use crate::grid::{BAD, FAINT, GOOD, STRONG, WASTE};
use crate::rules::{Level, Rule};
use crate::wording;

/// The version of the JSON document's form.
const SCHEMA: u32 = 1;

/// All that was checked and found.
pub(super) struct Checked<'a> {
    pub pictures: usize,
    pub pages: usize,
    pub flaws: &'a [Flaw],
}

impl Checked<'_> {
    fn count(&self, level: Level, known: bool) -> usize {
        let of = |flaw: &&Flaw| flaw.level == level && flaw.known == known;
        self.flaws.iter().filter(of).count()
    }

    fn known(&self) -> usize {
        self.flaws.iter().filter(|flaw| flaw.known).count()
    }
}

/// What is wrong, what is allowed, and what to do, in one sentence.
fn says(flaw: &Flaw) -> String {
    let limit = match flaw.limit.as_str() {
        "" => String::new(),
        limit => format!(", the limit is {limit}"),
    };
    let advice = match flaw.advice.as_str() {
        "" => String::new(),
        advice => format!("; {advice}"),
    };
    wording::safe(&format!("{}{limit}{advice}", flaw.value))
}

/// A line for each that is new, and a count.
pub(super) fn lines(
    out: &mut dyn Write,
    checked: &Checked<'_>,
    _: Option<usize>,
) -> io::Result<()> {
    for flaw in checked.flaws.iter().filter(|flaw| !flaw.known) {
        let style = if flaw.level == Level::Error {
            BAD
        } else {
            WASTE
        };
        let line = flaw.line.map_or(String::new(), |line| format!(":{line}"));
        writeln!(
            out,
            "{STRONG}{}{line}{STRONG:#}: {style}{}{style:#} {}: {}",
            wording::safe(&flaw.file),
            flaw.level.as_str(),
            flaw.rule,
            says(flaw)
        )?;
    }
    let (errors, warnings) = (
        checked.count(Level::Error, false),
        checked.count(Level::Warning, false),
    );
    if errors + warnings > 0 {
        writeln!(out)?;
    }
    let style = if errors == 0 { GOOD } else { BAD };
    writeln!(
        out,
        "{style}{}, {}{style:#} in {} and {}",
        wording::count(errors, "error", "errors"),
        wording::count(warnings, "warning", "warnings"),
        wording::count(checked.pictures, "picture", "pictures"),
        wording::count(checked.pages, "file of a site", "files of a site"),
    )?;
    match checked.known() {
        0 => Ok(()),
        known => writeln!(
            out,
            "{FAINT}{known} more are in the baseline and pass{FAINT:#}"
        ),
    }
}

#[derive(Serialize)]
struct Document<'a> {
    schema: u32,
    kind: &'static str,
    kiln: &'static str,
    pictures: usize,
    site_files: usize,
    errors: usize,
    warnings: usize,
    known: usize,
    flaws: &'a [Flaw],
}

pub(super) fn json(out: &mut dyn Write, checked: &Checked<'_>) -> io::Result<()> {
    let document = Document {
        schema: SCHEMA,
        kind: "check",
        kiln: env!("CARGO_PKG_VERSION"),
        pictures: checked.pictures,
        site_files: checked.pages,
        errors: checked.count(Level::Error, false),
        warnings: checked.count(Level::Warning, false),
        known: checked.known(),
        flaws: checked.flaws,
    };
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}

/// Static Analysis Results Interchange Format 2.1.0 (OASIS).
pub(super) fn sarif(out: &mut dyn Write, checked: &Checked<'_>) -> io::Result<()> {
    let rules: Vec<Value> = Rule::ALL
        .iter()
        .map(|rule| {
            let level = sarif_level(rule.usual());
            json!({
                "id": rule.as_str(),
                "shortDescription": {"text": rule.says()},
                "defaultConfiguration": {"level": level, "enabled": rule.usual() != Level::Off},
            })
        })
        .collect();
    let results: Vec<Value> = checked.flaws.iter().map(result).collect();
    let document = json!({
        "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
        "version": "2.1.0",
        "runs": [{
            "tool": {"driver": {
                "name": "Mellow Kiln",
                "version": env!("CARGO_PKG_VERSION"),
                "rules": rules,
            }},
            "columnKind": "unicodeCodePoints",
            "results": results,
        }],
    });
    serde_json::to_writer_pretty(&mut *out, &document)?;
    writeln!(out)
}

fn sarif_level(level: Level) -> &'static str {
    match level {
        Level::Error => "error",
        Level::Warning => "warning",
        Level::Off => "none",
    }
}

fn result(flaw: &Flaw) -> Value {
    let mut place = json!({"artifactLocation": {"uri": uri(&flaw.file)}});
    if let Some(line) = flaw.line {
        place["region"] = json!({"startLine": line});
    }
    let index = Rule::ALL.iter().position(|rule| *rule == flaw.rule);
    let mut result = json!({
        "ruleId": flaw.rule.as_str(),
        "ruleIndex": index,
        "level": sarif_level(flaw.level),
        "message": {"text": says(flaw)},
        "locations": [{"physicalLocation": place}],
        "partialFingerprints": {
            "rule/file/about": format!("{}|{}|{}", flaw.rule, flaw.file, flaw.about),
        },
        "baselineState": if flaw.known { "unchanged" } else { "new" },
    });
    if flaw.known {
        result["suppressions"] = json!([{"kind": "external"}]);
    }
    result
}

/// A path as a relative reference (RFC 3986).
fn uri(file: &str) -> String {
    let plain = |byte: u8| byte.is_ascii_alphanumeric() || b"-._~/".contains(&byte);
    let escaped = |byte: u8| match byte {
        b'\\' => "/".to_owned(),
        byte if plain(byte) => char::from(byte).to_string(),
        byte => format!("%{byte:02X}"),
    };
    file.bytes().map(escaped).collect()
}
