//! The adaptive distributions of a tile (section 8.3).

use crate::range::Sink;
use crate::tables::{coefs, copies, levels, modes, palettes};

/// Distributions as the coder takes them: what is left above each symbol, and a count in place of the last.
trait Left {
    /// From sums up to each symbol, as the standard prints them.
    fn left(self) -> Self;
}

impl Left for u16 {
    fn left(self) -> u16 {
        (1 << 15) - self
    }
}

impl<T: Left, const N: usize> Left for [T; N] {
    fn left(self) -> [T; N] {
        self.map(T::left)
    }
}

/// All distributions of a tile.
#[derive(Clone)]
pub(crate) struct Odds {
    pub key_y_mode: [[[u16; 13]; 5]; 5],
    pub uv_mode: [[u16; 13]; 13],
    pub uv_mode_cfl: [[u16; 14]; 13],
    /// For blocks of 64, 32 and 16.
    pub partition: [[[u16; 10]; 4]; 3],
    pub partition_8: [[u16; 4]; 4],
    pub cfl_alpha: [[u16; 16]; 6],
    pub cfl_sign: [u16; 8],
    pub type_of_seven: [[[u16; 7]; 13]; 2],
    pub type_of_five: [[[u16; 5]; 13]; 3],
    pub angle_delta: [[u16; 7]; 8],
    pub filter_mode: [u16; 5],
    pub use_filter: [[u16; 2]; 22],
    pub tx_depth_8: [[u16; 2]; 3],
    pub tx_depth: [[[u16; 3]; 3]; 3],
    pub skip: [[u16; 2]; 3],
    pub delta_q: [u16; 4],
    pub has_palette: [[[u16; 2]; 3]; 7],
    pub has_tint_palette: [[u16; 2]; 2],
    /// How many colours palettes of luma and chroma have.
    pub colours: [[[u16; 7]; 7]; 2],
    /// Which of so many colours samples of luma and chroma have.
    pub of_2: [[[u16; 2]; 5]; 2],
    pub of_3: [[[u16; 3]; 5]; 2],
    pub of_4: [[[u16; 4]; 5]; 2],
    pub of_5: [[[u16; 5]; 5]; 2],
    pub of_6: [[[u16; 6]; 5]; 2],
    pub of_7: [[[u16; 7]; 5]; 2],
    pub of_8: [[[u16; 8]; 5]; 2],
    pub copied: [u16; 2],
    pub joint: [u16; 4],
    /// How far copies are off what is foreseen, down and across.
    pub ways: [Way; 2],
    pub tx_split: [[[u16; 2]; 3]; 7],
    pub type_of_all: [[u16; 16]; 2],
    pub type_of_twelve: [u16; 12],
    pub type_of_two: [[u16; 2]; 4],
    pub coefs: CoefOdds,
}

/// How far a copy is off along an axis.
#[derive(Clone)]
pub(crate) struct Way {
    pub sign: [u16; 2],
    pub class: [u16; 11],
    pub near: [u16; 2],
    pub far: [[u16; 2]; 10],
}

/// The distributions of coefficients.
#[derive(Clone)]
pub(crate) struct CoefOdds {
    pub eob_16: [[[u16; 5]; 2]; 2],
    pub eob_32: [[[u16; 6]; 2]; 2],
    pub eob_64: [[[u16; 7]; 2]; 2],
    pub eob_128: [[[u16; 8]; 2]; 2],
    pub eob_256: [[[u16; 9]; 2]; 2],
    pub eob_512: [[u16; 10]; 2],
    pub eob_1024: [[u16; 11]; 2],
    pub base_eob: [[[[u16; 3]; 4]; 2]; 5],
    pub base: [[[[u16; 4]; 41]; 2]; 5],
    pub range: [[[[u16; 4]; 21]; 2]; 4],
    pub eob_extra: [[[[u16; 2]; 11]; 2]; 5],
    pub all_zero: [[[u16; 2]; 13]; 5],
    pub dc_sign: [[[u16; 2]; 3]; 2],
}

impl Odds {
    /// As they stand at the start of a tile, for a quantiser of the frame from 0 to 255.
    pub fn new(quantiser: u8) -> Odds {
        Odds {
            key_y_mode: modes::KEY_Y_MODE.left(),
            uv_mode: modes::UV_MODE.left(),
            uv_mode_cfl: modes::UV_MODE_CFL.left(),
            partition: modes::PARTITION.left(),
            partition_8: modes::PARTITION_8.left(),
            cfl_alpha: modes::CFL_ALPHA.left(),
            cfl_sign: modes::CFL_SIGN.left(),
            type_of_seven: modes::TX_TYPE_SEVEN.left(),
            type_of_five: modes::TX_TYPE_FIVE.left(),
            angle_delta: modes::ANGLE_DELTA.left(),
            filter_mode: modes::FILTER_INTRA_MODE.left(),
            use_filter: modes::USE_FILTER_INTRA.left(),
            tx_depth_8: modes::TX_DEPTH_8.left(),
            tx_depth: modes::TX_DEPTH.left(),
            skip: modes::SKIP.left(),
            delta_q: modes::DELTA_Q.left(),
            has_palette: palettes::HAS_LUMA.left(),
            has_tint_palette: palettes::HAS_CHROMA.left(),
            colours: palettes::COUNT.left(),
            of_2: palettes::OF_2.left(),
            of_3: palettes::OF_3.left(),
            of_4: palettes::OF_4.left(),
            of_5: palettes::OF_5.left(),
            of_6: palettes::OF_6.left(),
            of_7: palettes::OF_7.left(),
            of_8: palettes::OF_8.left(),
            copied: copies::COPIED.left(),
            joint: copies::JOINT.left(),
            ways: [Way::new(), Way::new()],
            tx_split: copies::TX_SPLIT.left(),
            type_of_all: copies::TX_TYPE_ALL.left(),
            type_of_twelve: copies::TX_TYPE_TWELVE.left(),
            type_of_two: copies::TX_TYPE_TWO.left(),
            coefs: CoefOdds::new(quantiser),
        }
    }
}

impl Way {
    fn new() -> Way {
        Way {
            sign: copies::SIGN.left(),
            class: copies::CLASS.left(),
            near: copies::NEAR.left(),
            far: copies::FAR.left(),
        }
    }

    /// Codes how far it is, in whole samples; not for none.
    pub fn code<S: Sink>(&mut self, sink: &mut S, off: i32) {
        sink.symbol(&mut self.sign, usize::from(off < 0));
        let more = off.unsigned_abs() - 1;
        let class = more.checked_ilog2().unwrap_or(0) as usize;
        sink.symbol(&mut self.class, class);
        if class == 0 {
            sink.symbol(&mut self.near, more as usize);
            return;
        }
        for (bit, odds) in self.far.iter_mut().take(class).enumerate() {
            sink.symbol(odds, (more >> bit & 1) as usize);
        }
    }
}

impl CoefOdds {
    fn new(quantiser: u8) -> CoefOdds {
        let class = match quantiser {
            0..=20 => 0,
            21..=60 => 1,
            61..=120 => 2,
            _ => 3,
        };
        CoefOdds {
            eob_16: coefs::EOB_16[class].left(),
            eob_32: coefs::EOB_32[class].left(),
            eob_64: coefs::EOB_64[class].left(),
            eob_128: coefs::EOB_128[class].left(),
            eob_256: coefs::EOB_256[class].left(),
            eob_512: coefs::EOB_512[class].left(),
            eob_1024: coefs::EOB_1024[class].left(),
            base_eob: coefs::BASE_EOB[class].left(),
            base: levels::BASE[class].left(),
            range: levels::RANGE[class].left(),
            eob_extra: coefs::EOB_EXTRA[class].left(),
            all_zero: coefs::ALL_ZERO[class].left(),
            dc_sign: coefs::DC_SIGN[class].left(),
        }
    }
}
