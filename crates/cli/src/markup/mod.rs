//! `kiln markup`: what a page says to show each picture.

mod inline;
mod meanwhile;
mod page;
mod template;
mod written;

use std::collections::HashMap;
use std::fs;
use std::path::Path;
use std::process::ExitCode;

use kiln_core::plan::slug;
use kiln_site::offer::Part;
use kiln_site::tags;

use crate::failure::Failure;
use crate::report::Channels;
use crate::settings::{Address, MarkupForm, MarkupSettings, Sources};
use crate::stock::{self, Held, Stock};
use crate::{pages, write};
use written::Written;

/// Writes the markup of all that was asked for.
pub fn run(settings: &MarkupSettings, channels: &Channels) -> Result<ExitCode, Failure> {
    if let MarkupForm::Page(page) = &settings.form {
        pages::may_be_written(page)?;
    }
    let stock = Stock::read(&settings.sources)?;
    for remark in &stock.remarks {
        channels.note(remark);
    }
    let wanted = stock.wanted(&settings.paths, &settings.places);
    if wanted.is_empty() {
        return Err(stock::nothing(
            settings.paths.first(),
            &settings.sources.out,
        ));
    }
    let mut complaints = Complaints {
        channels: Some(channels),
        any: false,
    };
    for held in &wanted {
        complaints.of(held);
    }
    let all = written::all(
        &wanted,
        &stock.out,
        &stock.addresses,
        settings,
        &mut complaints,
    );
    match &settings.form {
        MarkupForm::Page(path) => {
            let page = page::render(&all);
            write::whole(path, page.as_bytes()).map_err(Failure::unwritable(path))?;
        }
        MarkupForm::Json => channels.print(|out, _| written::json(out, &all))?,
        MarkupForm::Plain => give(settings, channels, &all, "html", |one| Ok(one.text()))?,
        MarkupForm::Template(path) => {
            let template = template::read(path)?;
            let extension = path
                .extension()
                .map_or("txt".into(), |e| e.to_string_lossy());
            give(settings, channels, &all, &extension, |one| {
                template.render(one)
            })?;
        }
    }
    Ok(ExitCode::from(u8::from(complaints.any)))
}

/// The page that shows pictures with their markup, for the folder that their pieces are in.
pub fn page_of(held: &[Held], out: &Path, sources: &Sources) -> String {
    let settings = MarkupSettings {
        paths: Vec::new(),
        places: Vec::new(),
        sources: sources.clone(),
        address: Address::Base(String::new()),
        meanwhile: None,
        inline: 0,
        form: MarkupForm::Plain,
        into: None,
    };
    let mut complaints = Complaints {
        channels: None,
        any: false,
    };
    let nowhere = HashMap::new();
    page::render(&written::all(
        held,
        out,
        &nowhere,
        &settings,
        &mut complaints,
    ))
}

/// What is wrong, said as it is found.
struct Complaints<'a> {
    /// Where; nowhere where nobody asked.
    channels: Option<&'a Channels>,
    any: bool,
}

impl Complaints<'_> {
    fn of(&mut self, held: &Held) {
        for name in &held.missing {
            self.say(name, "is not there any more; make it again with kiln fire");
        }
        let is_seen = held
            .shown
            .iter()
            .any(|shown| matches!(shown.main.part, Part::Picture | Part::Preview));
        if is_seen && held.words().alt.is_none() {
            let says =
                "has no alternative text; write one into the label sheet, or mark it as decorative";
            self.say(&held.name, says);
        }
    }

    fn say(&mut self, name: &str, says: &str) {
        self.any = true;
        if let Some(channels) = self.channels {
            channels.name_problem(name, says);
        }
    }
}

/// Gives each its text: all to standard output, or a file each.
fn give(
    settings: &MarkupSettings,
    channels: &Channels,
    all: &[Written],
    extension: &str,
    text: impl Fn(&Written) -> Result<String, Failure>,
) -> Result<(), Failure> {
    let Some(folder) = &settings.into else {
        let mut whole = String::new();
        for one in all {
            let said = text(one)?;
            if matches!(settings.form, MarkupForm::Plain) {
                whole.push_str(&tags::heading(&one.heading()));
                whole.push('\n');
            }
            whole.push_str(&said);
            whole.push_str(if said.ends_with('\n') { "\n" } else { "\n\n" });
        }
        return channels.print(|out, _| {
            out.write_all(whole.trim_end().as_bytes())
                .and_then(|()| writeln!(out))
        });
    };
    fs::create_dir_all(folder).map_err(Failure::unwritable(folder))?;
    let mut names: HashMap<String, usize> = HashMap::new();
    for one in all {
        let mut name = slug(&one.called());
        // Two of one name are told apart by a number.
        let twins = names.entry(name.clone()).or_default();
        *twins += 1;
        if *twins > 1 {
            name = format!("{name}-{twins}");
        }
        let path = folder.join(format!("{name}.{extension}"));
        let said = text(one)?;
        let end = if said.ends_with('\n') { "" } else { "\n" };
        write::whole(&path, format!("{said}{end}").as_bytes())
            .map_err(Failure::unwritable(&path))?;
    }
    channels.print(|out, _| writeln!(out, "{} files are in {}", all.len(), folder.display()))
}
