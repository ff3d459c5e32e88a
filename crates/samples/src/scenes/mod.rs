//! The pictures, each a function from a position to linear light. Positions are in units of
//! the picture's height, y downwards, (0, 0) in the middle.

pub mod figure;
pub mod lamp;
pub mod pebbles;
pub mod sea;
pub mod stairs;
pub mod table;
