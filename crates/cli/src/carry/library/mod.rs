//! Media libraries: servers that take a file and say where visitors find it, and what they call it. They keep no
//! names of ours, so that only the ledger knows what is there.

mod atompub;
mod described;
mod micropub;

use std::io::{Cursor, Read, Write};

use kiln_core::credits::Field;
use kiln_core::plan::stem;
use serde_json::Value;
use ureq::http::{HeaderMap, Response, header};
use url::Url;

use super::http::{Ask, Http, authorization, refused, text};
use super::{Carrier, Fault, Item, Listed, Placed, Session};
use crate::failure::Failure;
use crate::given::{LibraryKind, Media};
use crate::ledger::{Delivered, is_address};
use crate::settings::Remote;

/// A library.
#[derive(Clone, Debug)]
pub struct Library {
    remote: Remote,
    kind: LibraryKind,
    media: Media,
    http: Http,
    /// The header that says who asks, and what it says.
    who: Option<(String, String)>,
    endpoint: Url,
}

impl Library {
    /// The library of an address.
    pub fn at(remote: &Remote, kind: LibraryKind) -> Result<Library, Failure> {
        let endpoint = Url::parse(&remote.endpoint).map_err(|error| Failure::Undelivered {
            address: remote.address(),
            says: format!("is no sound address ({error})"),
        })?;
        let who = match (&remote.user, remote.has_secret()) {
            (None, false) => None,
            (user, _) => {
                let whose = match user {
                    Some(user) => format!("password of {user}"),
                    None => "token".to_owned(),
                };
                let secret = remote.secret(&whose)?;
                Some(match &remote.media.secret_header {
                    Some(name) => (name.clone(), secret.0),
                    None => (
                        "authorization".to_owned(),
                        authorization(user.as_deref(), &secret),
                    ),
                })
            }
        };
        Ok(Library {
            http: Http::of(remote)?,
            media: remote.media.clone(),
            remote: remote.clone(),
            kind,
            who,
            endpoint,
        })
    }

    /// Asks the library, or who it sends on to: only over as safe a way, and with the secret only where the host is
    /// the same.
    fn ask<R>(
        &self,
        method: &str,
        url: &Url,
        headers: &[(&str, &str)],
        how: impl FnOnce(&Http, &Ask<'_>) -> Result<R, Fault>,
    ) -> Result<R, Fault> {
        if self.endpoint.scheme() == "https" && url.scheme() != "https" {
            return Err(Fault::target(format!(
                "the server names an address without encryption ({url}); ask its owner"
            )));
        }
        let mut all = headers.to_vec();
        if let Some((name, value)) = &self.who
            && url.origin() == self.endpoint.origin()
        {
            all.push((name, value));
        }
        let ask = Ask {
            method,
            url: url.as_str(),
            headers: &all,
        };
        how(&self.http, &ask)
    }

    /// An address that the library told, seen from another.
    fn told(&self, from: &Url, address: &str) -> Result<Url, Fault> {
        let url = from.join(address).ok();
        let url = url.filter(|url| matches!(url.scheme(), "http" | "https"));
        url.ok_or_else(|| Fault::file("the server tells an address that is none of the web"))
    }

    fn named(&self, id: &str) -> Result<Url, Fault> {
        self.told(&self.endpoint, id)
    }
}

impl Carrier for Library {
    fn address(&self) -> String {
        self.remote.address()
    }

    fn keeps_names(&self) -> bool {
        false
    }

    fn open(&self) -> Result<Box<dyn Session>, Fault> {
        Ok(match self.kind {
            LibraryKind::Micropub => Box::new(micropub::Micropub::begin(self.clone())?),
            LibraryKind::Atompub => Box::new(atompub::Atompub(self.clone())),
            LibraryKind::Rest => Box::new(described::Described(self.clone())),
        })
    }
}

/// What all libraries have in common.
trait Shelf: Send {
    fn add(&mut self, item: &Item<'_>) -> Result<Placed, Fault>;
    fn retell(&mut self, item: &Item<'_>, earlier: &Delivered) -> Result<(), Fault>;
    fn strike(&mut self, earlier: &Delivered) -> Result<(), Fault>;
}

impl<S: Shelf> Session for S {
    /// Nothing is known of it.
    fn list(&mut self, _: &str) -> Result<Listed, Fault> {
        Ok(Listed::default())
    }

    fn put(&mut self, item: &Item<'_>, _: bool) -> Result<Placed, Fault> {
        self.add(item)
    }

    fn tell(&mut self, item: &Item<'_>) -> Result<(), Fault> {
        match item.earlier {
            Some(earlier) => self.retell(item, earlier),
            None => Ok(()),
        }
    }

    fn get(&mut self, _: &str, _: &mut dyn Write) -> Result<(), Fault> {
        Err(Fault::file(
            "a library keeps files its own way; they are not read back",
        ))
    }

    fn remove(&mut self, _: &str, earlier: Option<&Delivered>) -> Result<(), Fault> {
        match earlier {
            Some(earlier) => self.strike(earlier),
            None => Ok(()),
        }
    }
}

/// What is said of a file: its title is never empty.
fn said<'a>(item: &'a Item<'_>, field: Field) -> Option<&'a str> {
    let file = item.name.rsplit('/').next().unwrap_or(item.name);
    match item.said.get(field) {
        None if field == Field::Title => Some(stem(file)),
        said => said,
    }
}

/// An entry of Atom with texts in it, where that is one.
pub fn entry_told(xml: &str) -> Option<String> {
    atompub::written(xml, |_| Some("Fog & lamp")).ok()
}

/// The id of what was delivered.
fn id(earlier: &Delivered) -> Result<&str, Fault> {
    let id = earlier.id.as_deref().filter(|id| !id.is_empty());
    id.ok_or_else(|| Fault::file("the server never told what it calls it; remove it there by hand"))
}

/// An answer that is a success, with its head and its text.
fn good(response: Response<ureq::Body>) -> Result<(HeaderMap, String), Fault> {
    if !response.status().is_success() {
        let mut fault = refused(&response);
        // RFC 6749 and its kin say more in a document.
        let told: Option<Value> = serde_json::from_str(&text(response)?).ok();
        let told = told.as_ref().and_then(|told| {
            let keys = ["error_description", "error", "message"];
            keys.iter().find_map(|key| told.get(key)?.as_str())
        });
        if let Some(told) = told {
            let told: String = told.chars().take(200).collect();
            fault.says = format!("{}: {told}", fault.says);
        }
        return Err(fault);
    }
    let head = response.headers().clone();
    Ok((head, text(response)?))
}

fn location(head: &HeaderMap) -> Option<&str> {
    head.get(header::LOCATION)?.to_str().ok()
}

/// An address that may be written into pages.
fn for_visitors(url: &Url) -> Option<String> {
    Some(url.as_str().to_owned()).filter(|text| is_address(text))
}

/// A form with a file in it (RFC 7578), as its media type and what stands before and behind the file's bytes.
struct Form {
    kind: String,
    before: Vec<u8>,
    behind: Vec<u8>,
}

impl Form {
    fn of(fields: &[(&str, &str)], field: &str, item: &Item<'_>) -> Form {
        // It would have to stand in a picture by chance.
        let boundary = format!("kiln-{}", item.digest);
        let quoted = |text: &str| {
            text.replace('"', "%22")
                .replace('\r', "%0D")
                .replace('\n', "%0A")
        };
        let mut before = Vec::new();
        for (name, value) in fields {
            let head = format!(
                "--{boundary}\r\nContent-Disposition: form-data; name=\"{}\"\r\n\r\n",
                quoted(name)
            );
            before.extend([head.as_bytes(), value.as_bytes(), b"\r\n"].concat());
        }
        let head = format!(
            "--{boundary}\r\nContent-Disposition: form-data; name=\"{}\"; filename=\"{}\"\r\nContent-Type: {}\r\n\r\n",
            quoted(field),
            quoted(item.parts().1),
            item.kind
        );
        before.extend(head.as_bytes());
        Form {
            kind: format!("multipart/form-data; boundary={boundary}"),
            before,
            behind: format!("\r\n--{boundary}--\r\n").into_bytes(),
        }
    }

    /// Sends it.
    fn send(
        &self,
        http: &Http,
        ask: &Ask<'_>,
        item: &Item<'_>,
    ) -> Result<Response<ureq::Body>, Fault> {
        let mut body = item.body()?;
        let weight = item.weight + (self.before.len() + self.behind.len()) as u64;
        let before = Cursor::new(&self.before);
        let mut all = before.chain(&mut body).chain(Cursor::new(&self.behind));
        let response = http.stream(ask, &self.kind, &mut all, weight)?;
        if response.status().is_success() {
            body.went();
        }
        Ok(response)
    }
}
