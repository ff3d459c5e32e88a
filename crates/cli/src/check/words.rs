//! Rules for the label sheet of a site.

use std::collections::HashSet;

use kiln_core::credits::Field;
use kiln_core::label::{self, Flaw};
use kiln_core::plan::plain_name;

use super::{At, Flaws};
use crate::failure::Failure;
use crate::find;
use crate::rules::Rule;
use crate::sheet::Sheet;

/// Checks the alternative texts of all originals.
pub(super) fn check(flaws: &mut Flaws<'_>) -> Result<(), Failure> {
    let Some(site) = flaws
        .settings
        .site
        .as_ref()
        .filter(|_| flaws.wants(Rule::Text))
    else {
        return Ok(());
    };
    let file = site.labels.to_string_lossy().into_owned();
    let advice = "mend it in the label sheet";
    if !site.labels.exists() {
        let value = "there is no label sheet".to_owned();
        flaws.add(
            Rule::Text,
            At::file(&file),
            value,
            String::new(),
            "make one with kiln label",
        );
        return Ok(());
    }
    let sheet = Sheet::open(&site.labels)?;
    let known: HashSet<String> = sheet.by_name().into_keys().collect();
    for picture in find::find(&site.originals, &site.out)?.pictures {
        let name = &picture.original.name;
        if !known.contains(&plain_name(name)) {
            let at = At {
                file: &file,
                line: None,
                about: name,
            };
            let value = format!("{name} has no row");
            flaws.add(
                Rule::Text,
                at,
                value,
                String::new(),
                "add it with kiln label",
            );
        }
    }
    for (label, found) in label::check(&sheet.labels) {
        let of_text = |flaw: &Flaw| !matches!(flaw, Flaw::NoTitle | Flaw::FileName(Field::Title));
        for flaw in found.into_iter().filter(of_text) {
            let at = At {
                file: &file,
                line: None,
                about: &label.file,
            };
            let says = flaw.to_string();
            let (says, advice) = says.split_once("; ").unwrap_or((&says, advice));
            flaws.add(
                Rule::Text,
                at,
                format!("{}: {says}", label.file),
                String::new(),
                advice,
            );
        }
    }
    Ok(())
}
