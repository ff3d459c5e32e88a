//! The totals that hold for a firing.

use kiln_core::budget::Aim;
use kiln_core::plan::{CodingWish, Site, Total};

use super::ToldPlaces;
use crate::args::FireArgs;
use crate::failure::Failure;
use crate::layer::{Origin, Told};
use crate::site::SiteFile;
use crate::wording;

/// Enters the totals that hold into a site; returns whether some of the kiln file are not shared,
/// since not all that has part in them is fired.
pub(super) fn resolve(
    typed: &FireArgs,
    file: Option<&SiteFile>,
    site: &mut Site,
    told: &mut ToldPlaces,
) -> Result<bool, Failure> {
    let whole = |max_total: u64| Total {
        page: None,
        places: Vec::new(),
        of: Vec::new(),
        max_total,
        shared: true,
    };
    let all = typed.paths.is_empty() && typed.place.is_empty();
    let fired = |total: &Total| {
        let placed = |place: &String| typed.place.contains(place);
        let places = !total.places.is_empty() && total.places.iter().all(placed);
        all || (typed.paths.is_empty() && places)
    };
    let own = file.and_then(|file| file.max_total);
    let own = own.map(|(most, line)| (whole(most), Origin::Line(line)));
    let option = typed.max_total.map(|most| (whole(most), Origin::Option));
    let pages = file.into_iter().flat_map(|file| &file.pages);
    let pages = pages.map(|page| (page.total.clone(), Origin::Line(page.line)));
    let mut unshared = false;
    for (mut total, origin) in option.or(own).into_iter().chain(pages) {
        total.shared = origin == Origin::Option || fired(&total);
        unshared |= !total.shared;
        let label = total.page.as_ref().map(|page| format!("page {page}"));
        let setting = Told {
            key: "max-total",
            value: wording::weight(total.max_total),
            origin,
        };
        told.push((label.unwrap_or("all together".to_owned()), vec![setting]));
        site.totals.push(total);
    }
    aims(file, site)?;
    Ok(unshared)
}

/// The sharpest is what fits a budget: there must be one.
fn aims(file: Option<&SiteFile>, site: &Site) -> Result<(), Failure> {
    let places = site
        .places
        .iter()
        .map(|place| (place.name.as_str(), &place.wish));
    let every = site.every.iter().map(|wish| ("[every]", wish));
    for (label, wish) in places.chain(every) {
        let boundless = matches!(wish.coding, CodingWish::Look(look) if look.aim == Aim::Sharpest)
            && wish.max_weight.is_none();
        let holds =
            |total: &Total| total.places.is_empty() || total.places.iter().any(|p| p == label);
        if boundless && !site.totals.iter().any(holds) {
            let place = file.map_or(String::new(), |_| format!("{label}: "));
            let says = "the sharpest is what fits a max-weight or a max-total, and there is none; add one, or leave out the aim";
            return Err(Failure::Contradiction { place, says });
        }
    }
    Ok(())
}
