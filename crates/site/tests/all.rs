//! References found in the files of a site.
#![allow(clippy::expect_used, clippy::panic)]

mod html;
mod kept;
mod markup;
mod media;
mod patches;
mod rewire;
mod sheets;
mod texts;
mod walk;
