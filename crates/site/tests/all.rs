//! References found in the files of a site.
#![allow(clippy::expect_used, clippy::panic)]

mod html;
mod kept;
mod media;
mod sheets;
mod texts;
mod walk;
