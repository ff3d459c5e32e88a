//! Micropub (W3C Recommendation, 23 May 2017): files go to the media endpoint, texts into posts where posts are
//! wanted.

use kiln_core::credits::Field;
use serde_json::{Value, json};
use url::Url;

use super::super::http::Http;
use super::{Fault, Form, Item, Library, Placed, Shelf, for_visitors, good, id, location, said};
use crate::given::Posts;
use crate::ledger::Delivered;

/// A connection.
pub struct Micropub {
    library: Library,
    /// Where files go (3.6).
    media: Url,
}

impl Micropub {
    /// Asks where files go (3.7.1).
    pub fn begin(library: Library) -> Result<Micropub, Fault> {
        let mut config = library.endpoint.clone();
        config.query_pairs_mut().append_pair("q", "config");
        let accept = [("accept", "application/json")];
        let (_, told) =
            good(library.ask("GET", &config, &accept, Http::ask)?).map_err(Fault::at_target)?;
        let told: Value = serde_json::from_str(&told).unwrap_or_default();
        let media = told.get("media-endpoint").and_then(Value::as_str);
        let media = media.ok_or_else(|| {
            Fault::target("the server names no media endpoint; check the address")
        })?;
        Ok(Micropub {
            media: library.told(&library.endpoint, media)?,
            library,
        })
    }

    fn post(&self, body: &Value) -> Result<Option<String>, Fault> {
        let library = &self.library;
        let text = body.to_string();
        let sent = library.ask("POST", &library.endpoint, &[], |http, ask| {
            http.tell(ask, "application/json", text.as_bytes())
        })?;
        let (head, _) = good(sent)?;
        location(&head)
            .map(|to| library.told(&library.endpoint, to).map(String::from))
            .transpose()
    }
}

/// What a post says (h-entry): the picture with its alternative text (3.3.2), title and caption.
fn properties(item: &Item<'_>, address: &str) -> Value {
    let mut photo = json!({ "value": address });
    if let Some(alt) = said(item, Field::AlternativeText) {
        photo["alt"] = json!(alt);
    }
    let mut properties = json!({ "photo": [photo] });
    for (name, field) in [("name", Field::Title), ("content", Field::Caption)] {
        if let Some(text) = said(item, field) {
            properties[name] = json!([text]);
        }
    }
    properties
}

impl Shelf for Micropub {
    fn add(&mut self, item: &Item<'_>) -> Result<Placed, Fault> {
        let library = &self.library;
        let form = Form::of(&[], "file", item);
        let sent = library.ask("POST", &self.media, &[], |http, ask| {
            form.send(http, ask, item)
        })?;
        let (head, _) = good(sent)?;
        // Without it nobody finds the file (3.6.3).
        let to = location(&head)
            .ok_or_else(|| Fault::file("the server took it and does not say where it is"))?;
        let url = library.told(&self.media, to)?;
        let mut placed = Placed {
            address: for_visitors(&url),
            id: None,
        };
        if let Some(posts) = library.media.posts {
            let mut properties = properties(item, url.as_str());
            let status = if posts == Posts::Draft {
                "draft"
            } else {
                "published"
            };
            properties["post-status"] = json!([status]);
            placed.id = self.post(&json!({ "type": ["h-entry"], "properties": properties }))?;
        }
        Ok(placed)
    }

    fn retell(&mut self, item: &Item<'_>, earlier: &Delivered) -> Result<(), Fault> {
        // Only posts have texts.
        let (Some(post), Some(address)) = (&earlier.id, &earlier.address) else {
            return Ok(());
        };
        let replace = properties(item, address);
        self.post(&json!({ "action": "update", "url": post, "replace": replace }))
            .map(drop)
    }

    fn strike(&mut self, earlier: &Delivered) -> Result<(), Fault> {
        let post = id(earlier)?;
        self.post(&json!({ "action": "delete", "url": post }))
            .map(drop)
    }
}
