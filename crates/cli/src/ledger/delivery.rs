//! What a ledger knows of deliveries.

use std::collections::BTreeMap;

use kiln_core::plan::Digest;
use serde::{Deserialize, Serialize};
use url::Url;

use crate::write::leads_below;

/// What deliveries put at each target: its address, and by their names its files.
pub type Deliveries = BTreeMap<String, BTreeMap<String, Delivered>>;

/// A file that a delivery put at a target.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Delivered {
    /// The digest of its bytes.
    pub digest: Digest,
    /// Its bytes.
    pub weight: u64,
    /// By what the target tells one state of the file from another, where it does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tag: Option<String>,
    /// Where visitors find it, as the target said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub address: Option<String>,
    /// What the target calls it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
    /// The digest of the texts that went with it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub texts: Option<Digest>,
}

impl Delivered {
    /// A file of which nothing else is known.
    pub fn of(digest: Digest, weight: u64) -> Delivered {
        Delivered {
            digest,
            weight,
            tag: None,
            address: None,
            id: None,
            texts: None,
        }
    }
}

/// What may be believed of deliveries: names lead below their target, and addresses are of the web.
pub fn checked(mut deliveries: Deliveries) -> Deliveries {
    for files in deliveries.values_mut() {
        let all = std::mem::take(files).into_iter();
        *files = all
            .filter_map(|(name, file)| believed(&name, file).map(|file| (name, file)))
            .collect();
    }
    deliveries.retain(|_, files| !files.is_empty());
    deliveries
}

/// What may be believed of one delivered file.
pub fn believed(name: &str, mut file: Delivered) -> Option<Delivered> {
    file.address = file.address.take().filter(|text| is_address(text));
    leads_below(name).then_some(file)
}

/// Whether a text is the address of a file on the web, as it stands.
pub fn is_address(text: &str) -> bool {
    Url::parse(text)
        .is_ok_and(|url| matches!(url.scheme(), "http" | "https") && url.as_str() == text)
}
