//! The core of Mellow Kiln: pictures as bytes in, finished files as bytes out.
//!
//! One direction: [`source`] → [`plan`] → [`decode`] → [`colour`] → [`size`] → [`encode`] within
//! a [`budget`], in the order that [`pipeline`] knows. Nothing here touches files, the clock,
//! threads or the terminal.

pub mod budget;
pub mod colour;
mod container;
pub mod credits;
pub mod decode;
pub mod draw;
pub mod encode;
pub mod guard;
pub mod label;
pub mod pipeline;
pub mod pixels;
pub mod plan;
pub mod proof;
pub mod size;
pub mod source;
pub mod survey;
