//! A folder that a server shows over WebDAV (RFC 4918).

use std::io::{self, Write};

use kiln_site::escape;
use percent_encoding::percent_decode_str;
use roxmltree::{Document, Node, ParsingOptions};
use ureq::http::{Response, StatusCode};

use super::http::{Ask, Http, part_of, range, refused, text};
use super::login::Login;
use super::{Carrier, Fault, Found, Item, Listed, Placed, Session};
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

/// What stands at a name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Resource {
    /// A file.
    File(Found),
    /// A folder.
    Folder,
}

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

    /// The path of a name on the server, as it is decoded, without slashes around it.
    fn path_of(&self, name: &str) -> String {
        let base = self.base.split_once("://").map_or("", |(_, rest)| rest);
        let path = base.split_once('/').map_or("", |(_, path)| path);
        let path = percent_decode_str(path).decode_utf8_lossy();
        format!("{path}{name}").trim_matches('/').to_owned()
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
    fn look(&self, name: &str, depth: &str) -> Result<Option<Vec<(String, Resource)>>, Fault> {
        let response = self.ask("PROPFIND", name, &[("depth", depth)], |http, ask| {
            http.tell(ask, "application/xml", WANTED.as_bytes())
        })?;
        match response.status() {
            StatusCode::MULTI_STATUS => {
                let mut all = told(&text(response)?)?;
                // The first is the folder itself (RFC 4918, 9.1); servers differ in the order.
                if depth == "1" {
                    let own = self.path_of(name);
                    all.retain(|(path, _)| path.trim_end_matches('/') != own);
                }
                Ok(Some(all.into_iter().filter_map(named).collect()))
            }
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
        let there = match found {
            Some((_, Resource::File(found))) => found.weight,
            _ => 0,
        };
        match there == item.weight {
            true => Ok(()),
            false => Err(Fault::odd(item.weight, there)),
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
    fn list(&mut self, folder: &str) -> Result<Listed, Fault> {
        let folder = if folder.is_empty() {
            String::new()
        } else {
            format!("{folder}/")
        };
        let mut listed = Listed::default();
        for (name, what) in self.look(&folder, "1")?.unwrap_or_default() {
            match what {
                Resource::File(found) => _ = listed.files.insert(name, found),
                Resource::Folder => listed.folders.push(name),
            }
        }
        Ok(listed)
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

    fn get_part(&mut self, name: &str, from: u64, most: u64) -> Result<Vec<u8>, Fault> {
        let range = range(from, most);
        part_of(
            self.ask("GET", name, &[("range", &range)], Http::ask)?,
            from,
            most,
        )
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

/// The resources of a multistatus (RFC 4918, 13), by their paths on the server, which are decoded.
pub fn told(xml: &str) -> Result<Vec<(String, Resource)>, Fault> {
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

/// By the last part of its path; nothing where that names none.
pub fn named((path, what): (String, Resource)) -> Option<(String, Resource)> {
    let name = path.trim_end_matches('/').rsplit('/').next()?;
    (!matches!(name, "" | "." | "..")).then(|| (name.to_owned(), what))
}

fn resource(response: Node<'_, '_>) -> Option<(String, Resource)> {
    let href = child(response, "href")?.text()?.trim();
    // It may be a whole address (RFC 4918, 8.3).
    let path = match href.split_once("://") {
        Some((_, rest)) => rest.split_once('/').map_or("", |(_, path)| path),
        None => href.trim_start_matches('/'),
    };
    let mut parts = Vec::new();
    for part in path.split('/') {
        let part = percent_decode_str(part).decode_utf8().ok()?;
        // It may be hidden in a name.
        if part.contains('/') {
            return None;
        }
        parts.push(part);
    }
    let path = parts.join("/");
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
    if is_folder {
        return Some((path, Resource::Folder));
    }
    let found = Found {
        weight: text("getcontentlength")?.parse().ok()?,
        tag: text("getetag").map(str::to_owned),
    };
    Some((path, Resource::File(found)))
}

fn child<'a, 'b>(node: Node<'a, 'b>, name: &str) -> Option<Node<'a, 'b>> {
    node.children().find(|child| is(*child, name))
}

fn is(node: Node<'_, '_>, name: &str) -> bool {
    node.has_tag_name((DAV, name))
}
