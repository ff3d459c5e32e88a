//! Default cumulative distributions of copied blocks, as the specification prints them (section 9.3, "Default CDF tables").
//! Written by `tables.py`.

/// Whether a block is copied (9.3).
#[rustfmt::skip]
pub const COPIED: [u16; 2] =
    [30531, 32768];

/// Whether it is off what is foreseen: not, across, down, both ways (9.3).
#[rustfmt::skip]
pub const JOINT: [u16; 4] =
    [4096, 11264, 19328, 32768];

/// Whether it is up or to the left of that (9.3).
#[rustfmt::skip]
pub const SIGN: [u16; 2] =
    [16384, 32768];

/// How far, as a class (9.3).
#[rustfmt::skip]
pub const CLASS: [u16; 11] =
    [28672, 30976, 31858, 32320, 32551, 32656, 32740, 32757, 32762, 32767, 32768];

/// How far in the nearest class (9.3).
#[rustfmt::skip]
pub const NEAR: [u16; 2] =
    [27648, 32768];

/// Each bit of how far in other classes (9.3).
#[rustfmt::skip]
pub const FAR: [[u16; 2]; 10] =
    [[17408, 32768], [17920, 32768], [18944, 32768], [20480, 32768], [22528, 32768], [24576, 32768], [28672, 32768],
    [29952, 32768], [29952, 32768], [30720, 32768]];

/// Whether a transform is cut, by its size and context (9.3).
#[rustfmt::skip]
pub const TX_SPLIT: [[[u16; 2]; 3]; 7] =
    [[[28581, 32768], [23846, 32768], [20847, 32768]], [[24315, 32768], [18196, 32768], [12133, 32768]], [[18791,
    32768], [10887, 32768], [11005, 32768]], [[27179, 32768], [20004, 32768], [11281, 32768]], [[26549, 32768], [19308,
    32768], [14224, 32768]], [[28015, 32768], [21546, 32768], [14400, 32768]], [[28165, 32768], [22401, 32768], [16088,
    32768]]];

/// Transform types of sixteen, by size (9.3).
#[rustfmt::skip]
pub const TX_TYPE_ALL: [[u16; 16]; 2] =
    [[4458, 5560, 7695, 9709, 13330, 14789, 17537, 20266, 21504, 22848, 23934, 25474, 27727, 28915, 30631, 32768],
    [1645, 2573, 4778, 5711, 7807, 8622, 10522, 15357, 17674, 20408, 22517, 25010, 27116, 28856, 30749, 32768]];

/// Transform types of twelve (9.3).
#[rustfmt::skip]
pub const TX_TYPE_TWELVE: [u16; 12] =
    [770, 2421, 5225, 12907, 15819, 18927, 21561, 24089, 26595, 28526, 30529, 32768];

/// Transform types of two, by size (9.3).
#[rustfmt::skip]
pub const TX_TYPE_TWO: [[u16; 2]; 4] =
    [[16384, 32768], [4167, 32768], [1998, 32768], [748, 32768]];
