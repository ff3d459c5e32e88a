//! Blocks of 8 × 8 coefficients, and their orders.

/// The coefficients of a block, column by column: the first eight have no detail across. Transforms go
/// over eight columns at once, and begin or end with these.
pub(crate) type Block = [i16; 64];

/// For each index of the zigzag sequence (ITU-T T.81, figure 5) its place in natural order, row by row.
pub(crate) const ZIGZAG: [u8; 64] = [
    0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5, 12, 19, 26, 33, 40, 48, 41, 34, 27, 20,
    13, 6, 7, 14, 21, 28, 35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51, 58, 59,
    52, 45, 38, 31, 39, 46, 53, 60, 61, 54, 47, 55, 62, 63,
];

/// For each index of the zigzag sequence its place in a [`Block`].
pub(crate) const PLACE: [u8; 64] = {
    let mut place = [0; 64];
    let mut index = 0;
    while index < 64 {
        let natural = ZIGZAG[index];
        place[index] = (natural % 8) * 8 + natural / 8;
        index += 1;
    }
    place
};

/// The indices of the zigzag sequence from one to another, as a mask.
pub(crate) fn band((first, last): (usize, usize)) -> u64 {
    (u64::MAX << first) & (u64::MAX >> (63 - last))
}
