//! The tests that drive the built program, in one program of their own.
#![allow(missing_docs, clippy::expect_used, clippy::panic, clippy::print_stdout)]

#[cfg(unix)]
mod audit;
mod away;
mod browser;
mod candidates;
mod carried;
mod check;
mod deliver;
mod delivered;
mod demo;
mod drawings;
mod fire;
mod ground;
mod job_files;
mod jpegs;
mod kept;
mod labels;
mod ledger;
mod libraries;
mod looks;
mod manuals;
mod many;
mod markup;
mod masked;
mod page;
mod parts;
mod proof;
mod read_back;
mod refusals;
mod report_page;
mod rewire;
mod rewire_refused;
mod rooms;
#[cfg(unix)]
mod serve;
mod servers;
mod site;
mod slurm;
mod support;
mod survey;
mod totals;
mod walls;
#[cfg(unix)]
mod watch;
