//! A version that was made on the spot, as a part of the proof sheet.

use kiln_core::pixels::Raster;
use kiln_core::plan::CodingWish;
use kiln_core::proof::Shown;
use minijinja::context;

use super::page::{self, Cell, SpotRow};
use super::{Subject, dial};
use crate::{pages, wording};
use kiln_site::load::SLOW_PHONE;

/// The part of the page; `source` is the address of the original where it is not the page's own.
pub fn render(
    subject: &Subject,
    raster: &Raster,
    wish: CodingWish,
    shown: &Shown,
    source: Option<String>,
) -> String {
    let version = &shown.version;
    let (attempt, tint) = (version.attempt, page::Tinted::of(shown.tint));
    let (format, weight) = (attempt.format, attempt.weight);
    let spots = shown.spots.iter();
    let spots = spots.map(|(spot, loss)| SpotRow::of(spot, vec![Cell::of(0, Some(loss))]));
    let missed = matches!(wish, CodingWish::Look(wish) if attempt.score < wish.look);
    pages::render(
        "version.html",
        context! {
            format => format.to_string(),
            dial => dial(attempt.coding),
            weight => wording::weight(weight),
            change => wording::change(subject.original.weight, weight),
            score => format!("{:.1}", attempt.score),
            seconds => wording::time(SLOW_PHONE.seconds(1, weight)),
            over => subject.max_weight.filter(|most| weight > *most).map(wording::weight),
            missed,
            size => raster.size().to_string(),
            width => raster.size().width(),
            height => raster.size().height(),
            tint,
            address => page::address(format, &version.file),
            source,
            map => page::map(&shown.cells, raster.size()),
            spots => spots.collect::<Vec<_>>(),
            lines => page::lines(format, wish),
        },
    )
}
