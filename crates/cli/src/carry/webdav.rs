//! A folder that a server shows over WebDAV (RFC 4918).

use std::collections::BTreeMap;
use std::io::{self, Write};

use kiln_site::escape;
use percent_encoding::percent_decode_str;
use roxmltree::{Document, Node, ParsingOptions};
use ureq::http::{Response, StatusCode};

use super::http::{Ask, Http, refused, text};
use super::login::Login;
use super::{Carrier, Fault, Found, Item, Placed, Session};
use crate::failure::Failure;
use crate::ledger::Delivered;
use crate::settings::Remote;

/// The namespace of what WebDAV itself says.
const DAV: &str = "DAV:";

/// Elements of an answer that are read: so many files may be in one folder.
const NODES: u32 = 4_000_000;

/// What is asked of files.
const WANTED: &str = r#"<?xml version="1.0" encoding="utf-8"?>
<propfind xmlns="DAV:"><prop><resourcetype/><getcontentlength/><getetag/></prop></propfind>"#;

/// A folder on a server.
#[derive(Clone, Debug)]
pub struct Webdav {
    remote: Remote,
    http: Http,
    login: Option<Login>,
    /// Its address on the web, with a slash at its end.
    base: String,
    /// Whether the server names files anew.
    moves: bool,
}

/// What stands at a name: where it is a file, which.
pub type Resource = (String, Option<Found>);

impl Webdav {
    /// The folder of an address. The password is fetched here, once.
    pub fn at(remote: &Remote) -> Result<Webdav, Failure> {
        let address = remote.address();
        let (scheme, rest) = address.split_once("://").unwrap_or(("", &address));
        let scheme = if scheme == "davs" { "https" } else { "http" };
        let login = match (&remote.user, &remote.secret) {
            (None, None) => None,
            (user, _) => {
                let whose = format!("password of {}", user.as_deref().unwrap_or("the token"));
                Some(Login::new(user.as_deref(), remote.secret(&whose)?))
            }
        };
        Ok(Webdav {
            http: Http::of(remote)?,
            login,
            base: format!("{scheme}://{rest}"),
            remote: remote.clone(),
            moves: true,
        })
    }

    fn url(&self, name: &str) -> String {
        format!("{}{}", self.base, escape::path(name))
    }

    /// Asks something of a name; once more where the server wants to be told otherwise who asks.
    fn ask<B>(
        &self,
        method: &str,
        name: &str,
        headers: &[(&str, &str)],
        how: impl Fn(&Http, &Ask<'_>) -> Result<Response<B>, Fault>,
    ) -> Result<Response<B>, Fault> {
        let url = self.url(name);
        let once = || {
            let said = self.login.as_ref().map(|login| login.says(method, &url));
            let mut all = headers.to_vec();
            if let Some(said) = &said {
                all.push(("authorization", said));
            }
            let ask = Ask {
                method,
                url: &url,
                headers: &all,
            };
            how(&self.http, &ask)
        };
        let response = once()?;
        match &self.login {
            Some(login) if login.is_challenged(&response) => once(),
            _ => Ok(response),
        }
    }

    /// Asks for something of which only the head of the answer matters.
    fn simple(
        &self,
        method: &str,
        name: &str,
        headers: &[(&str, &str)],
    ) -> Result<Response<()>, Fault> {
        self.ask(method, name, headers, Http::head)
    }

    /// What stands at a name, and below it to a depth of 0 or 1; `None` where nothing does.
    fn look(&self, name: &str, depth: &str) -> Result<Option<Vec<Resource>>, Fault> {
        let response = self.ask("PROPFIND", name, &[("depth", depth)], |http, ask| {
            http.tell(ask, "application/xml", WANTED.as_bytes())
        })?;
        match response.status() {
            StatusCode::MULTI_STATUS => told(&text(response)?).map(Some),
            StatusCode::NOT_FOUND => Ok(None),
            StatusCode::METHOD_NOT_ALLOWED | StatusCode::NOT_IMPLEMENTED => {
                Err(Fault::target(format!(
                    "the server does not speak WebDAV there ({}); check the address",
                    response.status()
                )))
            }
            StatusCode::FORBIDDEN => Err(Fault::target(
                "the server lets this user see nothing there (403 Forbidden); check address and user",
            )),
            status if status.is_success() => Err(Fault::target(
                "the server does not answer as WebDAV does; check the address",
            )),
            _ => Err(refused(&response)),
        }
    }

    /// Makes a folder with those above it.
    fn make(&self, folder: &str) -> Result<(), Fault> {
        let mut made = String::new();
        // The target itself may be missing, but not what it lies in.
        for part in std::iter::once("").chain(folder.split('/').filter(|part| !part.is_empty())) {
            if !part.is_empty() {
                made.push_str(part);
                made.push('/');
            }
            let response = self.simple("MKCOL", &made, &[])?;
            match response.status() {
                // It stands there already.
                StatusCode::METHOD_NOT_ALLOWED | StatusCode::FORBIDDEN => {}
                status if status.is_success() => {}
                StatusCode::CONFLICT => {
                    return Err(Fault::target(
                        "the folder above the target is not there; check the address",
                    ));
                }
                _ => return Err(refused(&response)),
            }
        }
        Ok(())
    }

    /// Sends the bytes of a file, under whatever name.
    fn send(
        &self,
        item: &Item<'_>,
        name: &str,
        headers: &[(&str, &str)],
    ) -> Result<Response<()>, Fault> {
        self.ask("PUT", name, headers, |http, ask| http.send(ask, item))
    }

    /// The same; the folder is made where that is missing.
    fn send_into(
        &self,
        item: &Item<'_>,
        name: &str,
        headers: &[(&str, &str)],
    ) -> Result<(), Fault> {
        let mut response = self.send(item, name, headers)?;
        if matches!(
            response.status(),
            StatusCode::CONFLICT | StatusCode::NOT_FOUND
        ) {
            self.make(item.parts().0)?;
            response = self.send(item, name, headers)?;
        }
        match response.status() {
            status if status.is_success() => Ok(()),
            _ => Err(refused(&response)),
        }
    }

    /// As many bytes stand at a name as were sent.
    fn confirm(&self, item: &Item<'_>, name: &str) -> Result<(), Fault> {
        let found = self.look(name, "0")?.unwrap_or_default().pop();
        match found.and_then(|(_, found)| found) {
            Some(found) if found.weight == item.weight => Ok(()),
            found => Err(Fault::odd(
                item.weight,
                found.map_or(0, |found| found.weight),
            )),
        }
    }
}

impl Carrier for Webdav {
    fn address(&self) -> String {
        self.remote.address()
    }

    fn open(&self) -> Result<Box<dyn Session>, Fault> {
        Ok(Box::new(self.clone()))
    }
}

impl Session for Webdav {
    fn list(&mut self, folder: &str) -> Result<BTreeMap<String, Found>, Fault> {
        let folder = if folder.is_empty() {
            String::new()
        } else {
            format!("{folder}/")
        };
        let all = self.look(&folder, "1")?.unwrap_or_default();
        Ok(all
            .into_iter()
            .filter_map(|(name, found)| Some((name, found?)))
            .collect())
    }

    fn put(&mut self, item: &Item<'_>, replace: bool) -> Result<Placed, Fault> {
        if self.moves {
            let part = item.part();
            self.send_into(item, &part, &[])?;
            self.confirm(item, &part)?;
            let to = self.url(item.name);
            let overwrite = if replace { "T" } else { "F" };
            let response = self.simple(
                "MOVE",
                &part,
                &[("destination", &to), ("overwrite", overwrite)],
            )?;
            let status = response.status();
            if status.is_success() && status != StatusCode::MULTI_STATUS {
                return Ok(Placed::default());
            }
            // The bytes are there under a name that nobody wants.
            let _ = self.simple("DELETE", &part, &[]);
            if !matches!(
                status,
                StatusCode::METHOD_NOT_ALLOWED | StatusCode::NOT_IMPLEMENTED
            ) {
                return Err(refused(&response));
            }
            self.moves = false;
        }
        let only_new = [("if-none-match", "*")];
        self.send_into(item, item.name, if replace { &[] } else { &only_new })?;
        self.confirm(item, item.name)?;
        Ok(Placed::default())
    }

    fn get(&mut self, name: &str, into: &mut dyn Write) -> Result<(), Fault> {
        let response = self.ask("GET", name, &[], Http::ask)?;
        if response.status() != StatusCode::OK {
            return Err(refused(&response));
        }
        io::copy(&mut response.into_body().into_reader(), into).map_err(Fault::broken)?;
        Ok(())
    }

    fn remove(&mut self, name: &str, _: Option<&Delivered>) -> Result<(), Fault> {
        let response = self.simple("DELETE", name, &[])?;
        match response.status() {
            StatusCode::NOT_FOUND | StatusCode::GONE => Ok(()),
            status if status.is_success() && status != StatusCode::MULTI_STATUS => Ok(()),
            _ => Err(refused(&response)),
        }
    }
}

/// The resources of a multistatus (RFC 4918, 13), by the last part of their names; those that are no files
/// without what a file is.
pub fn told(xml: &str) -> Result<Vec<Resource>, Fault> {
    let options = ParsingOptions {
        allow_dtd: false,
        nodes_limit: NODES,
        ..ParsingOptions::default()
    };
    let document = Document::parse_with_options(xml, options).map_err(|error| {
        Fault::target(format!("the server's list of files is no XML ({error})"))
    })?;
    let responses = document
        .root_element()
        .children()
        .filter(|node| is(*node, "response"));
    Ok(responses.filter_map(resource).collect())
}

fn resource(response: Node<'_, '_>) -> Option<Resource> {
    let href = child(response, "href")?
        .text()?
        .trim()
        .trim_end_matches('/');
    let name = percent_decode_str(href.rsplit('/').next()?)
        .decode_utf8()
        .ok()?
        .into_owned();
    // It may be hidden in the name.
    if name.contains('/') {
        return None;
    }
    let good = response
        .children()
        .filter(|node| is(*node, "propstat"))
        .find(|stat| {
            let status = child(*stat, "status").and_then(|status| status.text());
            status.is_some_and(|status| status.split(' ').nth(1) == Some("200"))
        });
    let properties = child(good?, "prop")?;
    let is_folder = child(properties, "resourcetype")
        .is_some_and(|kind| kind.children().any(|node| is(node, "collection")));
    let text = |name| {
        child(properties, name)
            .and_then(|node| node.text())
            .map(str::trim)
    };
    let weight = text("getcontentlength").and_then(|text| text.parse().ok());
    let found = weight.filter(|_| !is_folder).map(|weight| Found {
        weight,
        tag: text("getetag").map(str::to_owned),
    });
    Some((name, found))
}

fn child<'a, 'b>(node: Node<'a, 'b>, name: &str) -> Option<Node<'a, 'b>> {
    node.children().find(|child| is(*child, name))
}

fn is(node: Node<'_, '_>, name: &str) -> bool {
    node.has_tag_name((DAV, name))
}
