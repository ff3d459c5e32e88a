//! Rows poured into sizers, and backgrounds knocked out of them before.

use super::FireError;
use crate::colour::{self, Working};
use crate::decode::{self, DecodeError, Rows};
use crate::pixels::KnockOut;
use crate::size::Sizer;
use crate::size::knock_out::knock_out;

/// Rows that are made ready while those before them are sized.
const BAND: usize = 16;

/// Gives every row of a picture to every sizer. Where another core is free, rows are decoded
/// there while those before them are sized.
pub(super) fn pour(
    mut rows: Box<dyn Rows + '_>,
    mut working: Working,
    sizers: &mut [Sizer],
) -> Result<(), DecodeError> {
    let mut left = rows.form().size.height() as usize;
    let (mut ready, mut coming) = (Vec::new(), Vec::new());
    loop {
        let count = BAND.min(left);
        left -= count;
        let decode = || fill(rows.as_mut(), &mut working, count, &mut coming);
        let (decoded, ()) = rayon::join(decode, || size_band(&ready, sizers));
        decoded?;
        if count == 0 {
            return Ok(());
        }
        std::mem::swap(&mut ready, &mut coming);
    }
}

/// A row of the working space, and whether it says more than 8 bits can.
type Light = (Vec<f32>, bool);

fn fill(
    rows: &mut (dyn Rows + '_),
    working: &mut Working,
    count: usize,
    band: &mut Vec<Light>,
) -> Result<(), DecodeError> {
    band.resize_with(count, Light::default);
    for (light, fine) in band {
        *fine = working.row(rows.next_row()?, light);
    }
    Ok(())
}

fn size_band(band: &[Light], sizers: &mut [Sizer]) {
    let push = |sizer: &mut Sizer| {
        for (light, fine) in band {
            sizer.push(light, *fine);
        }
    };
    match sizers {
        [] => {}
        [one] => push(one),
        [one, rest @ ..] => {
            rayon::join(|| push(one), || size_band(band, rest));
        }
    }
}

/// A picture without its background, as rows again.
pub(super) fn cut_out<'a>(
    rows: Box<dyn Rows + 'a>,
    working: Working,
    wish: KnockOut,
) -> Result<(Box<dyn Rows + 'a>, Working), FireError> {
    let size = rows.form().size;
    let gamut = working.gamut();
    let mut sizers = [Sizer::new(
        size,
        size,
        working.channels(),
        Default::default(),
    )];
    pour(rows, working, &mut sizers)?;
    let [sizer] = sizers;
    let whole = sizer.finish().ok_or(FireError::RowsMissing)?;
    let colour = wish.colour.map(|colour| colour::in_gamut(colour, gamut));
    let raster = knock_out(whole.in_gamut(gamut), KnockOut { colour, ..wish })?;
    let rows = decode::rows_of(raster);
    let (working, _) = Working::new(rows.form(), gamut);
    Ok((rows, working))
}
