//! Mellow Kiln: makes a folder of heavy pictures ready for the web.

mod args;
mod demo;
mod failure;
mod find;
mod firing;
mod gate;
mod grid;
mod init;
mod label;
mod layer;
mod ledger;
mod report;
mod settings;
mod sheet;
mod site;
mod survey;
mod wording;
mod write;

use std::panic;
use std::process::ExitCode;
use std::thread;

use clap::Parser;

use args::{Args, Command};
use failure::Failure;
use report::Channels;

fn main() -> ExitCode {
    quiet_panics_of_workers();
    let channels = Channels::of_this_process();
    let done = match Args::parse().command {
        Command::Init(typed) => init::run(&typed, &channels),
        Command::Fire(typed) => firing::run(&typed, &channels),
        Command::Label(typed) => settings::LabelSettings::resolve(&typed)
            .and_then(|settings| label::run(&settings, &channels)),
        Command::Survey(typed) => {
            survey::run(&settings::SurveySettings::resolve(&typed), &channels)
        }
        Command::Demo(typed) => demo::run(&typed, &channels),
    };
    done.unwrap_or_else(|failure: Failure| {
        channels.complain(&failure);
        failure.exit()
    })
}

/// A codec that panics on a picture is reported as that picture's failure; the panic's own words
/// would only confuse.
fn quiet_panics_of_workers() {
    let usual = panic::take_hook();
    panic::set_hook(Box::new(move |about| {
        if thread::current().name() == Some("main") {
            usual(about);
        }
    }));
}
