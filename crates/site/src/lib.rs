//! Which pictures the files of a site refer to, where in them, and which of them a browser loads.
//!
//! A *reference* is a span in a file that leads to a picture. References are found by real parsers
//! of HTML (the WHATWG standard's tokeniser), CSS (CSS Syntax Level 3), Markdown (CommonMark), XML
//! (SVG, feeds, sitemaps) and JSON (web app manifests). What belongs together, such as the sources
//! of a `picture` element, is one [`Showing`], of which a browser loads at most one candidate at a
//! time. A [`Walk`] follows a page to the sheets, frames and manifests that it is made of.
//!
//! Bytes and texts come in, plain values go out: nothing here reads a file or opens a connection,
//! and nothing fails on what a page holds. Nesting is bounded, so that hostile files cost no stack.

pub mod coded;
pub mod css;
pub mod drawing;
pub mod edit;
pub mod escape;
pub mod html;
pub mod kinds;
pub mod load;
pub mod manifest;
pub mod markdown;
pub mod media;
pub mod offer;
pub mod patch;
pub mod rewire;
pub mod selectors;
pub mod showing;
pub mod srcset;
pub mod tags;
pub mod templates;
pub mod text;
pub mod walk;
pub mod xml;

pub use media::Viewport;
pub use showing::{Candidate, Choice, Found, Linked, Links, Role, Showing};
pub use walk::{Answer, Ask, Load, Page, Picture, Request, Use, Walk};
