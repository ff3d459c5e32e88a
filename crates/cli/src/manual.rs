//! What there is to know of the command line: completions for shells, manual pages, and advice where
//! an option is none.

use std::process::ExitCode;

use clap::CommandFactory;
use clap::builder::StyledStr;
use clap::error::{ContextKind, ContextValue, ErrorKind};
use kiln_core::credits::Field;

use crate::args::{Args, CompletionsArgs, ManArgs};
use crate::failure::Failure;
use crate::layer;
use crate::report::Channels;
use crate::write;

/// Prints what a shell needs to complete commands and options.
pub fn completions(typed: &CompletionsArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    let mut script = Vec::new();
    clap_complete::generate(typed.shell, &mut Args::command(), "kiln", &mut script);
    channels.print(|out, _| out.write_all(&script))?;
    Ok(ExitCode::SUCCESS)
}

/// Writes a manual page for the program and for each command.
pub fn pages(typed: &ManArgs, channels: &Channels) -> Result<ExitCode, Failure> {
    let mut program = Args::command();
    program.build();
    let commands = program.get_subcommands().filter(|c| c.get_name() != "help");
    let named = |command: &clap::Command| {
        let name = format!("kiln-{}", command.get_name());
        (name, command.clone())
    };
    let all = [("kiln".to_owned(), program.clone())];
    let all: Vec<_> = all.into_iter().chain(commands.map(named)).collect();
    for (name, command) in &all {
        let path = typed.dir.join(format!("{name}.1"));
        let mut page = Vec::new();
        let rendered = clap_mangen::Man::new(command.clone())
            .title(name.as_str())
            .render(&mut page);
        rendered.map_err(Failure::unwritable(&path))?;
        write::whole(&path, &page).map_err(Failure::unwritable(&path))?;
    }
    let pages = all.len();
    channels.print(|out, _| writeln!(out, "{pages} pages are in {}", typed.dir.display()))?;
    Ok(ExitCode::SUCCESS)
}

/// An error of the command line, with advice where an option is one of the kiln file's keys.
pub fn advised(mut error: clap::Error) -> clap::Error {
    let Some(ContextValue::String(option)) = error.get(ContextKind::InvalidArg) else {
        return error;
    };
    if error.kind() != ErrorKind::UnknownArgument {
        return error;
    }
    let Some(advice) = advice(option.trim_start_matches('-')) else {
        return error;
    };
    error.remove(ContextKind::SuggestedArg);
    error.remove(ContextKind::Usage);
    let advice = vec![StyledStr::from(advice)];
    error.insert(ContextKind::Suggested, ContextValue::StyledStrs(advice));
    error
}

/// Where something goes that is no option.
fn advice(name: &str) -> Option<String> {
    let option = |setting: &'static layer::Setting| Some(setting.option.as_ref()?.long);
    if Field::ALL.iter().any(|field| field.name() == name) {
        return Some(format!(
            "write it with --metadata-write {name}=\"…\", or keep the original's with --metadata-keep {name}"
        ));
    }
    match name {
        "of" => Some("of is a key of the kiln file, under [place.NAME]".to_owned()),
        "originals" => Some(
            "name the originals without an option, or as originals = \"…\" in the kiln file"
                .to_owned(),
        ),
        "keep" | "write" => Some(format!(
            "say --metadata-{name}, or {name} = … under [metadata] in the kiln file"
        )),
        key => match option(layer::find(key)?) {
            Some(long) if long != key => Some(format!("the option is --{long}")),
            Some(long) => Some(format!(
                "--{long} is an option of kiln fire, and a key of the kiln file under [place.NAME]"
            )),
            None => Some(format!(
                "{key} is a key of the kiln file, under [place.NAME] or [every]"
            )),
        },
    }
}
