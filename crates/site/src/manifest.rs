//! References in web app manifests (W3C, Web Application Manifest): icons, screenshots and the icons
//! of shortcuts.

use serde::Deserialize;
use serde_json::value::RawValue;

use crate::kinds;
use crate::showing::{Candidate, Found, Role, Showing};
use crate::srcset::Descriptor;
use crate::text::Lines;

/// Only what is looked at; all else may be anything.
#[derive(Deserialize)]
struct Manifest<'a> {
    #[serde(borrow, default)]
    icons: Pictures<'a>,
    #[serde(borrow, default)]
    screenshots: Pictures<'a>,
    #[serde(borrow, default)]
    shortcuts: Option<&'a RawValue>,
    #[serde(default)]
    name: Option<String>,
}

#[derive(Deserialize)]
struct Shortcut<'a> {
    #[serde(borrow, default)]
    icons: Pictures<'a>,
}

type Pictures<'a> = Option<&'a RawValue>;

#[derive(Deserialize)]
struct Picture<'a> {
    #[serde(borrow)]
    src: &'a RawValue,
    #[serde(borrow, default)]
    sizes: Option<&'a RawValue>,
}

/// What a manifest refers to; nothing where it is no JSON.
pub fn references(json: &str) -> Found {
    let mut found = Found::default();
    let Ok(manifest) = serde_json::from_str::<Manifest<'_>>(json) else {
        return found;
    };
    let shortcuts = list::<Shortcut<'_>>(manifest.shortcuts);
    let lists = [manifest.icons, manifest.screenshots].into_iter();
    let lists = lists.chain(shortcuts.into_iter().map(|shortcut| shortcut.icons));
    let lines = Lines::of(json);
    for picture in lists.flat_map(list::<Picture<'_>>) {
        let written = picture.src.get();
        let Ok(address) = serde_json::from_str::<String>(written) else {
            continue;
        };
        if address.is_empty() {
            continue;
        }
        // A raw value is a part of the text that it was read from.
        let at = written.as_ptr() as usize - json.as_ptr() as usize;
        let span = at + 1..at + written.len() - 1;
        let line = lines.at(at);
        let candidate = Candidate {
            address,
            span: span.clone(),
            line,
            descriptor: Descriptor::None,
        };
        let sizes = picture.sizes;
        let sizes = sizes.and_then(|sizes| serde_json::from_str::<String>(sizes.get()).ok());
        let mut showing = Showing::new(Role::App, span, line).of(candidate);
        showing.width = sizes.and_then(|sizes| kinds::side(&sizes));
        found.showings.push(showing);
    }
    found.title = manifest.name;
    found
}

/// The members of a list that are of a form.
fn list<'a, T: Deserialize<'a>>(list: Option<&'a RawValue>) -> Vec<T> {
    let members: Option<Vec<&RawValue>> =
        list.and_then(|list| serde_json::from_str(list.get()).ok());
    let members = members.unwrap_or_default().into_iter();
    members
        .filter_map(|member| serde_json::from_str(member.get()).ok())
        .collect()
}
