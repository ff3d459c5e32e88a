//! What is odd in a file that is read all the same.

use crate::draw::Remark;

/// What is odd in a file that is read all the same.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Oddity {
    /// In a JPEG.
    Jpeg(kiln_jpeg::Oddity),
    /// In a drawing.
    Drawing(Remark),
}
