//! A bucket of an object store, over the HTTP interface that they have in common, with addresses signed by HMAC and
//! SHA-256 (version 4 of that signature). Objects appear whole by themselves.

use std::collections::BTreeMap;
use std::io::{self, Read, Write};
use std::time::Duration;

use percent_encoding::percent_decode_str;
use rusty_s3::actions::{CreateMultipartUpload, ListObjectsV2};
use rusty_s3::{Bucket, Credentials, S3Action, UrlStyle};
use ureq::http::{Response, StatusCode, header};
use url::Url;

use super::http::{Ask, Http, part_of, range, refused, text};
use super::{Carrier, Fault, Found, Item, Listed, Placed, Session};
use crate::failure::Failure;
use crate::ledger::Delivered;
use crate::settings::Remote;

/// How long a signed address holds: a file has to begin its way until then.
const HOLDS: Duration = Duration::from_secs(3600);

/// Heavier files go in parts of this size.
const PART: u64 = 16 << 20;

/// Where nothing else is said.
const REGION: &str = "us-east-1";

/// A folder of a bucket.
#[derive(Clone, Debug)]
pub struct Store {
    remote: Remote,
    http: Http,
    bucket: Bucket,
    credentials: Option<Credentials>,
    /// What names begin with: nothing, or with a slash at its end.
    prefix: String,
}

impl Store {
    /// The bucket of an address: named by its host, or by the first part of its path.
    pub fn at(remote: &Remote) -> Result<Store, Failure> {
        let refused = |says: &str| Failure::Undelivered {
            address: remote.address(),
            says: says.to_owned(),
        };
        let path = percent_decode_str(&remote.path).decode_utf8_lossy();
        let path = path.trim_start_matches('/');
        let port = remote.port.map_or(String::new(), |port| format!(":{port}"));
        let scheme = if remote.is_secure { "https" } else { "http" };
        let (host, style, name, prefix) = if remote.in_host {
            let (name, host) = remote.host.split_once('.').unwrap_or((&remote.host, ""));
            (host, UrlStyle::VirtualHost, name, path)
        } else {
            let (name, prefix) = path.split_once('/').unwrap_or((path, ""));
            (remote.host.as_str(), UrlStyle::Path, name, prefix)
        };
        if name.is_empty() || host.is_empty() {
            return Err(refused(
                "names no bucket; say bucket+https://HOST/BUCKET, or in-host = true and its host",
            ));
        }
        let endpoint = Url::parse(&format!("{scheme}://{host}{port}"))
            .map_err(|error| refused(&format!("is no sound address ({error})")))?;
        let region = remote.region.clone().unwrap_or_else(|| REGION.to_owned());
        let bucket = Bucket::new(endpoint, style, name.to_owned(), region)
            .map_err(|_| refused("is no sound address of a bucket"))?;
        let credentials = match &remote.user {
            None => None,
            Some(user) => {
                let secret = remote.secret(&format!("secret key of {user}"))?;
                Some(Credentials::new(user, secret.0))
            }
        };
        Ok(Store {
            http: Http::of(remote)?,
            bucket,
            credentials,
            prefix: prefix.to_owned(),
            remote: remote.clone(),
        })
    }

    fn key(&self, name: &str) -> String {
        format!("{}{name}", self.prefix)
    }

    /// Asks for something with a signed address.
    fn simple(&self, method: &str, url: &Url) -> Result<Response<()>, Fault> {
        self.http.head(&asked(method, url, &[]))
    }

    /// What names begin with a prefix: those behind the next slash too where it goes deep.
    fn listed(&self, prefix: &str, deep: bool) -> Result<Listed, Fault> {
        let mut listed = Listed::default();
        let mut after: Option<String> = None;
        loop {
            let mut list = self.bucket.list_objects_v2(self.credentials.as_ref());
            list.with_prefix(prefix);
            if !deep {
                list.with_delimiter("/");
            }
            if let Some(after) = &after {
                list.with_continuation_token(after.as_str());
            }
            let url = list.sign(HOLDS);
            let ask = asked("GET", &url, &[]);
            let response = self.http.ask(&ask)?;
            let response = good(response).map_err(Fault::at_target)?;
            let page = ListObjectsV2::parse_response(&text(response)?).map_err(|error| {
                Fault::target(format!(
                    "the server's list is none of an object store ({error})"
                ))
            })?;
            for object in page.contents {
                if let Some(name) = object
                    .key
                    .strip_prefix(prefix)
                    .filter(|name| !name.is_empty())
                {
                    let file = Found {
                        weight: object.size.unwrap_or(0),
                        tag: object.etag,
                    };
                    listed.files.insert(name.to_owned(), file);
                }
            }
            let folders = page.common_prefixes.iter();
            let names = folders.filter_map(|folder| folder.prefix.strip_prefix(prefix));
            let names = names.map(|name| name.trim_end_matches('/').to_owned());
            listed.folders.extend(names.filter(|name| !name.is_empty()));
            match page.next_continuation_token {
                // One that stays the same would go on for ever.
                Some(next) if after.as_ref() != Some(&next) => after = Some(next),
                _ => return Ok(listed),
            }
        }
    }

    /// Sends a file in parts; they become an object at the end.
    fn put_parts(&self, item: &Item<'_>, headers: &[(&str, &str)]) -> Result<(), Fault> {
        let (key, keys) = (self.key(item.name), self.credentials.as_ref());
        let url = self.bucket.create_multipart_upload(keys, &key).sign(HOLDS);
        let begun = good(
            self.http
                .tell(&asked("POST", &url, headers), item.kind, b"")?,
        )?;
        let begun = CreateMultipartUpload::parse_response(&text(begun)?).map_err(|error| {
            Fault::target(format!(
                "the server's answer is none of an object store ({error})"
            ))
        })?;
        let id = begun.upload_id();
        let sent = self.parts(item, &key, id).and_then(|tags| {
            let complete = self.bucket.complete_multipart_upload(
                keys,
                &key,
                id,
                tags.iter().map(String::as_str),
            );
            let url = complete.sign(HOLDS);
            let ask = asked("POST", &url, headers);
            let answer = text(good(self.http.tell(
                &ask,
                "application/xml",
                complete.body().as_bytes(),
            )?)?)?;
            // It may fail after the head of the answer went.
            match answer.contains("<Error>") {
                true => Err(Fault::passing(
                    "the server could not put the parts together",
                )),
                false => Ok(()),
            }
        });
        if sent.is_err() {
            let url = self
                .bucket
                .abort_multipart_upload(keys, &key, id)
                .sign(HOLDS);
            let _ = self.simple("DELETE", &url);
        }
        sent
    }

    fn parts(&self, item: &Item<'_>, key: &str, id: &str) -> Result<Vec<String>, Fault> {
        let mut body = item.body()?;
        let mut tags = Vec::new();
        let mut part = Vec::new();
        loop {
            part.clear();
            (&mut body)
                .take(PART)
                .read_to_end(&mut part)
                .map_err(Fault::unread)?;
            if part.is_empty() {
                body.went();
                return Ok(tags);
            }
            let number = u16::try_from(tags.len() + 1)
                .map_err(|_| Fault::file("is too heavy for an object store"))?;
            let url = self
                .bucket
                .upload_part(self.credentials.as_ref(), key, number, id)
                .sign(HOLDS);
            let ask = asked("PUT", &url, &[]);
            let response = good(self.http.tell(&ask, item.kind, &part)?)?;
            let tag = response
                .headers()
                .get(header::ETAG)
                .and_then(|tag| tag.to_str().ok());
            tags.push(
                tag.ok_or_else(|| Fault::passing("the server confirms no part"))?
                    .to_owned(),
            );
            text(response)?;
        }
    }
}

impl Carrier for Store {
    fn address(&self) -> String {
        self.remote.address()
    }

    fn open(&self) -> Result<Box<dyn Session>, Fault> {
        Ok(Box::new(self.clone()))
    }
}

impl Session for Store {
    fn list(&mut self, folder: &str) -> Result<Listed, Fault> {
        let slash = if folder.is_empty() { "" } else { "/" };
        self.listed(&self.key(&format!("{folder}{slash}")), false)
    }

    fn list_all(
        &mut self,
        wanted: &dyn Fn(&str) -> bool,
    ) -> Result<BTreeMap<String, Found>, Fault> {
        let mut all = self.listed(&self.prefix, true)?.files;
        all.retain(|name, _| {
            let folders = name.rsplit_once('/').map(|(folders, _)| folders);
            folders.is_none_or(|folders| folders.split('/').all(wanted))
        });
        Ok(all)
    }

    fn put(&mut self, item: &Item<'_>, replace: bool) -> Result<Placed, Fault> {
        let mut headers = Vec::new();
        if let Some(cache) = item.cache {
            headers.push(("cache-control", cache));
        }
        if !replace {
            headers.push(("if-none-match", "*"));
        }
        if item.weight > PART {
            return self.put_parts(item, &headers).map(|()| Placed::default());
        }
        let key = self.key(item.name);
        let url = self
            .bucket
            .put_object(self.credentials.as_ref(), &key)
            .sign(HOLDS);
        let ask = asked("PUT", &url, &headers);
        let response = self.http.send(&ask, item)?;
        match response.status().is_success() {
            true => Ok(Placed::default()),
            false => Err(refused(&response)),
        }
    }

    fn get(&mut self, name: &str, into: &mut dyn Write) -> Result<(), Fault> {
        let key = self.key(name);
        let url = self
            .bucket
            .get_object(self.credentials.as_ref(), &key)
            .sign(HOLDS);
        let ask = asked("GET", &url, &[]);
        let response = good(self.http.ask(&ask)?)?;
        io::copy(&mut response.into_body().into_reader(), into).map_err(Fault::broken)?;
        Ok(())
    }

    fn get_part(&mut self, name: &str, from: u64, most: u64) -> Result<Vec<u8>, Fault> {
        let key = self.key(name);
        let url = self
            .bucket
            .get_object(self.credentials.as_ref(), &key)
            .sign(HOLDS);
        let range = range(from, most);
        let headers = [("range", range.as_str())];
        let ask = asked("GET", &url, &headers);
        part_of(self.http.ask(&ask)?, from, most)
    }

    fn remove(&mut self, name: &str, _: Option<&Delivered>) -> Result<(), Fault> {
        let key = self.key(name);
        let url = self
            .bucket
            .delete_object(self.credentials.as_ref(), &key)
            .sign(HOLDS);
        let response = self.simple("DELETE", &url)?;
        match response.status() {
            StatusCode::NOT_FOUND => Ok(()),
            status if status.is_success() => Ok(()),
            _ => Err(refused(&response)),
        }
    }
}

/// A request to a signed address.
fn asked<'a>(method: &'a str, url: &'a Url, headers: &'a [(&'a str, &'a str)]) -> Ask<'a> {
    Ask {
        method,
        url: url.as_str(),
        headers,
    }
}

/// An answer that is a success.
fn good(response: Response<ureq::Body>) -> Result<Response<ureq::Body>, Fault> {
    if response.status().is_success() {
        return Ok(response);
    }
    let mut fault = refused(&response);
    // Its own words for it, which hold no secret.
    let said = text(response)?;
    let code = said
        .split_once("<Code>")
        .and_then(|(_, rest)| rest.split_once("</Code>"));
    if let Some((code, _)) = code {
        fault.says = format!("{}: {code}", fault.says);
    }
    Err(fault)
}
