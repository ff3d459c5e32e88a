//! Sizing: rows of the working space in, a raster of the wanted size out.

mod bodies;
mod kernel;
mod resample;

pub use resample::Sizer;
