//! `[target.NAME]` of a kiln file: where pieces are delivered to; `[access.NAME]`: who logs in where originals and pieces
//! lie on other machines.

use std::path::Path;

use kiln_core::credits::Field;
use kiln_core::plan::Glob;

use super::diagnosis::{Source, Wrong};
use super::{Table, Value, in_order, keys};
use crate::given::{Media, SecretSource, TargetGiven, TargetKind, library, target as said};
use crate::wording;

/// What a table may say.
pub struct Form {
    keys: &'static [&'static str],
    /// What the table is.
    of: &'static str,
    is: &'static str,
}

/// A target.
pub const TARGET: Form = Form {
    keys: &keys::TARGET,
    of: "of a target",
    is: "a target is a table: [target.NAME]",
};

/// An access.
pub const ACCESS: Form = Form {
    keys: &keys::ACCESS,
    of: "of an access",
    is: "an access is a table: [access.NAME]",
};

/// Reads them, in the order of the file; paths are seen from its folder.
pub fn read(
    table: &Table<'_>,
    source: &Source<'_>,
    form: &Form,
    wrongs: &mut Vec<Wrong>,
) -> Vec<(String, TargetGiven)> {
    let folder = source.path.parent().unwrap_or(Path::new(""));
    let mut targets = Vec::new();
    for (key, value) in in_order(table) {
        let Some(table) = value.get_ref().as_table() else {
            wrongs.push(Wrong::value(key, value, form.is));
            continue;
        };
        let target = target(table, folder, form, wrongs);
        if target.to.is_none() && !table.contains_key("to") {
            let says = "it does not say where it is; add to = \"ADDRESS\"".to_owned();
            wrongs.push(Wrong::whole(key, says));
        }
        targets.push((key.get_ref().to_string(), target));
    }
    targets
}

fn target(table: &Table<'_>, folder: &Path, form: &Form, wrongs: &mut Vec<Wrong>) -> TargetGiven {
    let mut target = TargetGiven::default();
    for (key, value) in in_order(table) {
        let given = value.get_ref();
        let text = || keys::one(given, |text| Ok(text.to_owned()));
        let path = || text().map(|path| folder.join(path));
        if !form.keys.contains(&key.get_ref().as_ref()) {
            wrongs.push(Wrong::key(key, form.keys, form.of));
            continue;
        }
        let taken = match key.get_ref().as_ref() {
            "kind" => {
                keys::one(given, str::parse::<TargetKind>).map(|kind| target.kind = Some(kind))
            }
            "to" => text().map(|to| target.to = Some(placed(&to, folder))),
            "user" => text().map(|user| target.user = Some(user)),
            "secret" => {
                match keys::one(given, str::parse::<SecretSource>) {
                    Ok(secret) => target.secret = Some(secret),
                    // Not with its value.
                    Err(says) => wrongs.push(Wrong::whole(key, says)),
                }
                Ok(())
            }
            "key-file" => path().map(|path| target.key_file = Some(path)),
            "trust" => {
                keys::one(given, said::parse_fingerprint).map(|trust| target.trust = Some(trust))
            }
            "authority" => path().map(|path| target.authority = Some(path)),
            "unencrypted" => {
                keys::one(given, wording::parse_switch).map(|yes| target.unencrypted = Some(yes))
            }
            "at-once" => {
                keys::one(given, said::parse_at_once).map(|files| target.at_once = Some(files))
            }
            "tries" => keys::one(given, said::parse_tries).map(|tries| target.tries = Some(tries)),
            "timeout" => {
                keys::one(given, said::parse_seconds).map(|most| target.timeout = Some(most))
            }
            "split" => {
                keys::one(given, wording::parse_weight).map(|most| target.split = Some(most))
            }
            "region" => text().map(|region| target.region = Some(region)),
            "in-host" => {
                keys::one(given, wording::parse_switch).map(|yes| target.in_host = Some(yes))
            }
            "cache" => {
                target.cache = caches(value, wrongs);
                Ok(())
            }
            "media" => {
                target.media = media(value, wrongs);
                Ok(())
            }
            // One of the keys that no arm has.
            _ => continue,
        };
        if let Err(says) = taken {
            wrongs.push(Wrong::value(key, value, says));
        }
    }
    target
}

/// Patterns for names, and what is said of files that fit.
fn caches(value: &Value<'_>, wrongs: &mut Vec<Wrong>) -> Vec<(Glob, String)> {
    let form = "it is a table of patterns, such as { \"**/*.webp\" = \"public, max-age=86400\" }";
    let Some(table) = value.get_ref().as_table() else {
        wrongs.push(Wrong::spanned(value, form));
        return Vec::new();
    };
    let mut caches = Vec::new();
    for (key, value) in in_order(table) {
        let said = value.get_ref().as_str();
        let said = said.filter(|said| said.chars().all(|c| matches!(c, ' '..='~')));
        match (Glob::new(key.get_ref()), said) {
            (Ok(glob), Some(said)) => caches.push((glob, said.to_owned())),
            (Err(error), _) => wrongs.push(Wrong::whole(key, format!("it is no pattern: {error}"))),
            (_, None) => wrongs.push(Wrong::value(
                key,
                value,
                "it is what the header Cache-Control says",
            )),
        }
    }
    caches
}

/// How a library is used.
fn media(value: &Value<'_>, wrongs: &mut Vec<Wrong>) -> Option<Media> {
    let Some(table) = value.get_ref().as_table() else {
        wrongs.push(Wrong::spanned(value, "it is a table: [target.NAME.media]"));
        return None;
    };
    let mut media = Media::default();
    for (key, value) in in_order(table) {
        let given = value.get_ref();
        let text = || keys::one(given, |text| Ok(text.to_owned()));
        let template = || keys::one(given, library::parse_template).map(Some);
        let taken = match key.get_ref().as_ref() {
            "send" => keys::one(given, str::parse).map(|send| media.send = send),
            "method" => keys::one(given, library::parse_method).map(|method| media.method = method),
            "field" => text().map(|field| media.field = field),
            "texts" => texts(value, wrongs).map(|texts| media.texts = texts),
            "texts-to" => template().map(|to| media.texts_to = to),
            "texts-as" => keys::one(given, str::parse).map(|texts_as| media.texts_as = texts_as),
            "texts-method" => {
                keys::one(given, library::parse_method).map(|method| media.texts_method = method)
            }
            "id" => text().map(|id| media.id = id),
            "address" => text().map(|address| media.address = address),
            "remove-at" => template().map(|at| media.remove_at = at),
            "secret-header" => keys::one(given, library::parse_header)
                .map(|header| media.secret_header = Some(header)),
            "posts" => keys::one(given, str::parse).map(|posts| media.posts = Some(posts)),
            _ => {
                wrongs.push(Wrong::key(key, &keys::MEDIA, "of a media library"));
                continue;
            }
        };
        if let Err(says) = taken {
            wrongs.push(Wrong::value(key, value, says));
        }
    }
    Some(media)
}

/// Which texts are sent, and by which names.
fn texts(value: &Value<'_>, wrongs: &mut Vec<Wrong>) -> Result<Vec<(Field, String)>, String> {
    let form =
        "it is a table of texts and their names there, such as { alternative-text = \"alt\" }";
    let table = value.get_ref().as_table().ok_or(form)?;
    let mut texts = Vec::new();
    for (key, value) in in_order(table) {
        let field = Field::ALL
            .into_iter()
            .find(|field| field.name() == key.get_ref());
        match (field, value.get_ref().as_str()) {
            (Some(field), Some(name)) if !name.is_empty() => texts.push((field, name.to_owned())),
            (Some(_), _) => wrongs.push(Wrong::value(
                key,
                value,
                "it is the name that the text has there",
            )),
            (None, _) => wrongs.push(Wrong::key(key, &Field::ALL.map(Field::name), "of texts")),
        }
    }
    Ok(texts)
}

/// An address as it is, a path as it is seen from a folder.
fn placed(to: &str, folder: &Path) -> String {
    if to.contains("://") {
        to.to_owned()
    } else {
        folder.join(to).to_string_lossy().into_owned()
    }
}
