//! What addresses are called.

use url::Url;

use super::starts::Start;
use crate::{fetch, wording};

/// What an address is called in the report of a page: short where it is of the same site.
pub fn called(address: &Url, start: &Start) -> String {
    if address.scheme() == "data" {
        let kind = address.path().split([',', ';']).next().unwrap_or("");
        return format!("data:{}", wording::safe(kind));
    }
    let below = start.root.as_ref().and_then(|root| {
        let below = address.path().strip_prefix(root.path())?;
        (root.scheme() == address.scheme()).then(|| below.to_owned())
    });
    let same_origin = address.origin() == start.address.origin() && address.scheme() != "file";
    let path = match below {
        Some(below) => below,
        None if same_origin => address.path().trim_start_matches('/').to_owned(),
        None if address.scheme() == "file" => address.path().to_owned(),
        None => format!("{}{}", address.authority(), address.path()),
    };
    let path = if path.is_empty() {
        "/".to_owned()
    } else {
        path
    };
    let query = address
        .query()
        .map_or(String::new(), |query| format!("?{query}"));
    wording::safe(&fetch::readable(&format!("{path}{query}")))
}

/// The last part of an address, as a file would be called.
pub fn last_part(address: &Url) -> String {
    if address.scheme() == "data" {
        return "inline".to_owned();
    }
    let path = fetch::readable(address.path());
    let last = path.rsplit('/').next().unwrap_or("");
    last.to_owned()
}
