//! Sizing: rows of the working space in, a raster of the wanted size out.

mod bodies;
pub mod focus;
mod kernel;
mod resample;

pub use resample::Sizer;
