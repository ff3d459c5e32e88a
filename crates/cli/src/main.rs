//! Mellow Kiln: makes a folder of heavy pictures ready for the web.

mod args;
mod demo;
mod failure;
mod find;
mod firing;
mod ledger;
mod report;
mod settings;
mod wording;
mod write;

use std::process::ExitCode;

use clap::Parser;

use args::{Args, Command};
use failure::Failure;
use report::Channels;

fn main() -> ExitCode {
    let channels = Channels::of_this_process();
    let done = match Args::parse().command {
        Command::Fire(typed) => settings::Settings::resolve(&typed)
            .and_then(|settings| firing::run(&settings, &channels)),
        Command::Demo(typed) => demo::run(&typed, &channels),
    };
    done.unwrap_or_else(|failure: Failure| {
        channels.complain(&failure);
        failure.exit()
    })
}
