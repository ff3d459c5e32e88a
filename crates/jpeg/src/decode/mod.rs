//! Reading.

mod bits;
mod coder;
mod coefficients;
mod colours;
mod entropy;
mod header;
mod held;
mod huffman;
mod inverse;
mod rows;
mod stream;

pub use coefficients::{Coefficient, Coefficients};
pub use header::{Colours, Header, Limits, Oddity};
pub use rows::{Decoder, DeepRows, Ink, Rows, Scale, Wanted};
