//! What the fuzz targets run.

use std::panic;

use kiln_core::guard;

pub mod coded;
#[path = "../../crates/av1/src/stream/decoded.rs"]
mod decoded;
pub mod exercises;
pub mod pages;
pub mod rewired;
pub mod written;

/// The exercise of a target.
pub fn exercise(name: &str) -> fn(&[u8]) {
    let all = exercises::ALL.into_iter();
    let all = all.chain(written::ALL).chain(pages::ALL);
    let all = all.chain(rewired::ALL).chain(coded::ALL);
    let mut named = all.filter(|(known, _)| *known == name);
    named.next().expect("a target's own name").1
}

/// A panic of an outside codec that is caught is no finding; every other is.
pub fn prepare() {
    let usual = panic::take_hook();
    panic::set_hook(Box::new(move |about| {
        if !guard::is_guarding() {
            usual(about);
        }
    }));
}
