//! Sizing: rows of the working space in, a raster of the wanted size out; what happens to pixels
//! on the way there.

mod bodies;
pub mod focus;
mod kernel;
pub mod knock_out;
mod levels;
mod resample;
pub mod sharpen;
pub mod trim;

pub use resample::Sizer;
