//! The program `kiln`. Its pictures are the business of `kiln-core`; here are files, threads, the
//! terminal, and what people wrote into files.

// Where ways to targets are left out, what they alone need is there all the same.
#![cfg_attr(
    not(all(feature = "bucket", feature = "ftp", feature = "sftp")),
    allow(dead_code)
)]

mod args;
mod audit;
mod away;
mod browser;
mod carry;
mod check;
mod deliver;
mod demo;
mod failure;
mod fetch;
mod find;
mod firing;
mod gate;
mod given;
mod grid;
mod init;
mod interrupt;
mod label;
mod layer;
mod ledger;
mod loads;
mod manual;
mod markup;
mod mishap;
mod page;
mod pages;
mod proof;
mod report;
mod rewire;
mod rules;
mod settings;
mod sheet;
mod site;
mod stock;
mod survey;
pub mod untrusted;
mod wording;
mod write;

use std::panic;
use std::process::ExitCode;
use std::thread;

use clap::Parser;
use kiln_core::draw::{self, fontdb};
use kiln_core::guard;

use args::{Args, Command};
use failure::Failure;
use report::Channels;

/// Does what the command line says; the exit codes are those of `kiln --help`.
pub fn run() -> ExitCode {
    quiet_caught_panics();
    draw::fonts_from(installed_fonts);
    let channels = Channels::of_this_process();
    let typed = match Args::try_parse() {
        Ok(typed) => typed,
        Err(error) => manual::advised(error).exit(),
    };
    let done = match typed.command {
        Command::Init(typed) => init::run(&typed, &channels),
        Command::Proof(typed) => settings::ProofSettings::resolve(&typed)
            .and_then(|settings| proof::run(&settings, &channels)),
        Command::Fire(typed) => firing::run(&typed, &channels),
        Command::Label(typed) => settings::LabelSettings::resolve(&typed)
            .and_then(|settings| label::run(&settings, &channels)),
        Command::Survey(typed) => {
            survey::run(&settings::SurveySettings::resolve(&typed), &channels)
        }
        Command::Page(typed) => page::run(&settings::PageSettings::resolve(&typed), &channels),
        Command::Check(typed) => settings::CheckSettings::resolve(&typed)
            .and_then(|settings| check::run(&settings, &channels)),
        Command::Markup(typed) => settings::MarkupSettings::resolve(&typed)
            .and_then(|settings| markup::run(&settings, &channels)),
        Command::Rewire(typed) => settings::RewireSettings::resolve(&typed)
            .and_then(|settings| rewire::run(&settings, &channels)),
        Command::Deliver(typed) => settings::DeliverSettings::resolve(&typed)
            .and_then(|settings| deliver::run(&settings, &channels)),
        Command::Ledger(typed) => settings::LedgerSettings::resolve(&typed)
            .and_then(|settings| audit::run(&settings, &channels)),
        Command::Demo(typed) => demo::run(&typed, &channels),
        Command::Completions(typed) => manual::completions(&typed, &channels),
        Command::Man(typed) => manual::pages(&typed, &channels),
    };
    done.unwrap_or_else(|failure: Failure| {
        channels.complain(&failure);
        failure.exit()
    })
}

/// The fonts that letters in drawings are drawn in: those of the machine.
fn installed_fonts() -> fontdb::Database {
    let mut fonts = fontdb::Database::new();
    fonts.load_system_fonts();
    fonts
}

/// A panic that costs a picture is told as that picture's failure; its own words would only
/// confuse.
fn quiet_caught_panics() {
    let usual = panic::take_hook();
    panic::set_hook(Box::new(move |about| {
        let is_main = thread::current().name() == Some("main");
        if is_main && !guard::is_guarding() {
            usual(about);
        }
    }));
}
