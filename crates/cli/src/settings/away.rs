//! Originals and pieces that lie on other machines: which, and how one gets there.

use std::path::Path;

use super::Remote;
use super::deliver::{Target, without_user};
use crate::failure::Failure;
use crate::given::{Protocol, TargetGiven, TargetKind};
use crate::site::SiteFile;

/// Whether a path is an address on another machine.
pub fn is_address(path: &Path) -> bool {
    path.to_str().is_some_and(|path| path.contains("://"))
}

/// The machine of an address, with what the kiln file says of who logs in there; `None` where it is a path of this
/// machine.
pub fn remote(path: &Path, file: Option<&SiteFile>) -> Result<Option<Remote>, Failure> {
    let Some(address) = path.to_str().filter(|_| is_address(path)) else {
        return Ok(None);
    };
    let refused = |says: &str| {
        let says = says.to_owned();
        let path = path.to_owned();
        Err(Failure::Refused { path, says })
    };
    let accesses = file.map_or(&[][..], |file| &file.accesses);
    let fitting = accesses.iter().filter_map(|(_, access)| {
        let length = covered(access.to.as_deref()?, address)?;
        Some((length, access))
    });
    // What is said of the nearest folder holds.
    let access = fitting.max_by_key(|(length, _)| *length);
    let below = access.map_or(TargetGiven::default(), |(_, access)| access.clone());
    let given = TargetGiven {
        to: Some(address.to_owned()),
        ..below
    };
    if matches!(given.kind, Some(TargetKind::Bundle | TargetKind::Folder)) {
        return refused("has an access of a kind that is no machine");
    }
    match Target::resolve(&given)? {
        Target::Remote(remote) => match remote.protocol {
            Protocol::Webdav | Protocol::Sftp | Protocol::Bucket => Ok(Some(*remote)),
            Protocol::Ftp | Protocol::Library(_) => refused(
                "is no place for originals and pieces; they may lie at davs://, sftp:// and bucket+https:// addresses",
            ),
        },
        _ => refused("is no address of another machine"),
    }
}

/// How much of an address another says, where that is all of it or a folder above.
fn covered(above: &str, address: &str) -> Option<usize> {
    let (scheme, above) = above.trim_end_matches('/').split_once("://")?;
    let (own, rest) = address.split_once("://")?;
    let above = without_user(above);
    let rest = without_user(rest).strip_prefix(above)?;
    if own != scheme {
        return None;
    }
    (rest.is_empty() || rest.starts_with('/')).then_some(above.len())
}

#[cfg(test)]
mod tests {
    use super::covered;

    #[test]
    fn an_access_covers_its_folder_alone() {
        let at = |above, address| covered(above, address).is_some();
        assert!(at("sftp://keeper@tern.example/", "sftp://tern.example/a"));
        assert!(at("sftp://tern.example/a/", "sftp://tern.example/a"));
        assert!(at("sftp://tern.example/a", "sftp://me@tern.example/a/b"));
        assert!(!at("sftp://tern.example/a", "sftp://tern.example/ab"));
        assert!(!at("sftp://tern.example/a", "davs://tern.example/a"));
        assert!(!at("sftp://tern.example", "sftp://tern.example.org/a"));
    }
}
