//! What the fuzz targets run.

pub mod exercises;
pub mod written;

/// The exercise of a target.
pub fn exercise(name: &str) -> fn(&[u8]) {
    let all = exercises::ALL.into_iter().chain(written::ALL);
    let mut named = all.filter(|(known, _)| *known == name);
    named.next().expect("a target's own name").1
}
