//! What becomes of each file: decided from what is to be sent, what stands there, and what earlier deliveries put
//! there.

use std::collections::BTreeMap;

use kiln_core::plan::Digest;

use super::goods::Good;
use crate::carry::Found;
use crate::ledger::Delivered;
use crate::settings::DeliverSettings;

/// A file, by its number, and what becomes of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Step {
    /// Which.
    pub good: usize,
    /// What.
    pub what: What,
}

/// What becomes of a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum What {
    /// It is sent.
    Send {
        /// In place of one that stands there.
        replace: bool,
    },
    /// It stands there already.
    There,
    /// It stands there already, with other texts than it has now.
    Tell,
    /// What stands there has to be read to know.
    Compare,
    /// What stands there is left alone; why.
    Kept(String),
}

/// Decides for all.
pub fn decide(
    goods: &[Good],
    there: &BTreeMap<String, Found>,
    record: &BTreeMap<String, Delivered>,
    settings: &DeliverSettings,
) -> Vec<Step> {
    let step = |(number, good): (usize, &Good)| Step {
        good: number,
        what: one(
            good,
            there.get(&good.name),
            record.get(&good.name),
            settings,
        ),
    };
    goods.iter().enumerate().map(step).collect()
}

fn one(
    good: &Good,
    found: Option<&Found>,
    earlier: Option<&Delivered>,
    settings: &DeliverSettings,
) -> What {
    let Some(found) = found else {
        return What::Send { replace: false };
    };
    match earlier {
        Some(earlier) if is_as_left(found, earlier) => {
            if earlier.digest == good.digest {
                // Where texts went along at all.
                match earlier.texts.is_some_and(|texts| texts != good.texts) {
                    true => What::Tell,
                    false => What::There,
                }
            } else {
                What::Send { replace: true }
            }
        }
        // It may be what would be sent, or what was sent before the ledger could note it.
        _ if found.weight == good.weight => What::Compare,
        Some(earlier) if found.weight == earlier.weight => What::Compare,
        earlier => of_others(good, earlier, settings),
    }
}

/// Whether a file stands there as a delivery left it.
pub fn is_as_left(found: &Found, earlier: &Delivered) -> bool {
    let tags = (&found.tag, &earlier.tag);
    let same = match tags {
        (Some(found), Some(earlier)) => found == earlier,
        _ => true,
    };
    found.weight == earlier.weight && same
}

/// What becomes of a file once what stands there was read.
pub fn settled(
    good: &Good,
    earlier: Option<&Delivered>,
    digest: Digest,
    settings: &DeliverSettings,
) -> What {
    if digest == good.digest {
        What::There
    } else if earlier.is_some_and(|earlier| earlier.digest == digest) {
        What::Send { replace: true }
    } else {
        of_others(good, earlier, settings)
    }
}

/// A file of others, or one that others have changed.
fn of_others(good: &Good, earlier: Option<&Delivered>, settings: &DeliverSettings) -> What {
    if settings.replace.iter().any(|glob| glob.matches(&good.name)) {
        return What::Send { replace: true };
    }
    What::Kept(match earlier {
        Some(_) => "was changed there since it was delivered; name it with --replace to send it all the same".to_owned(),
        None => "stands there already, and no delivery put it there; move it away, or name it with --replace".to_owned(),
    })
}
