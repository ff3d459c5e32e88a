//! A library whose interface the kiln file describes: how a file is sent, where its texts go, and what of the answer is
//! its id and its address.

use kiln_core::credits::Field;
use serde_json::{Map, Value};
use ureq::http::HeaderMap;
use url::{Url, form_urlencoded};

use super::super::http::Http;
use super::{Fault, Form, Item, Library, Placed, Shelf, for_visitors, good, id, location, said};
use crate::given::{SendAs, TextsAs};
use crate::ledger::Delivered;

/// What stands for the id in an address.
const ID: &str = "{id}";

/// A connection.
pub struct Described(pub Library);

impl Described {
    /// The names and texts of a file, as the library has them.
    fn texts(&self, item: &Item<'_>) -> Vec<(&str, String)> {
        let texts = self.0.media.texts.iter().filter_map(|(field, name)| {
            let text = said(item, *field);
            // What has no text any more is emptied.
            let text =
                text.or((*field == Field::AlternativeText && item.is_decorative).then_some(""));
            Some((name.as_str(), text?.to_owned()))
        });
        texts.collect()
    }

    /// Sends the texts to where they go of themselves.
    fn tell(&self, item: &Item<'_>, id: &str) -> Result<(), Fault> {
        let media = &self.0.media;
        let Some(to) = &media.texts_to else {
            return Ok(());
        };
        let url = self.url(to, id)?;
        let texts = self.texts(item);
        let (kind, body) = match media.texts_as {
            TextsAs::Json => {
                let texts = texts
                    .into_iter()
                    .map(|(name, text)| (name.to_owned(), Value::from(text)));
                (
                    "application/json",
                    Value::from(texts.collect::<Map<_, _>>()).to_string(),
                )
            }
            TextsAs::Form => {
                let mut form = form_urlencoded::Serializer::new(String::new());
                form.extend_pairs(&texts);
                ("application/x-www-form-urlencoded", form.finish())
            }
        };
        let sent = self.0.ask(
            &media.texts_method,
            &url,
            &[("accept", "application/json")],
            |http, ask| http.tell(ask, kind, body.as_bytes()),
        )?;
        good(sent).map(drop)
    }

    fn url(&self, template: &str, id: &str) -> Result<Url, Fault> {
        let id: String = form_urlencoded::byte_serialize(id.as_bytes()).collect();
        self.0.named(&template.replace(ID, &id))
    }
}

impl Shelf for Described {
    fn add(&mut self, item: &Item<'_>) -> Result<Placed, Fault> {
        let (library, media) = (&self.0, &self.0.media);
        let accept = ("accept", "application/json");
        let (head, body) = match media.send {
            SendAs::Form => {
                let texts = if media.texts_to.is_none() {
                    self.texts(item)
                } else {
                    Vec::new()
                };
                let fields: Vec<(&str, &str)> = texts
                    .iter()
                    .map(|(name, text)| (*name, text.as_str()))
                    .collect();
                let form = Form::of(&fields, &media.field, item);
                let sent =
                    library.ask(&media.method, &library.endpoint, &[accept], |http, ask| {
                        form.send(http, ask, item)
                    })?;
                good(sent)?
            }
            SendAs::Body => {
                // RFC 6266: letters of others go as UTF-8.
                let name: String =
                    form_urlencoded::byte_serialize(item.parts().1.as_bytes()).collect();
                let name = name.replace('+', "%20");
                let named = format!("attachment; filename=\"{name}\"");
                let headers = [accept, ("content-disposition", named.as_str())];
                good(
                    library.ask(&media.method, &library.endpoint, &headers, |http, ask| {
                        http.send_told(ask, item)
                    })?,
                )?
            }
        };
        let answer: Value = serde_json::from_str(&body).unwrap_or_default();
        let id = found(&head, &answer, &media.id);
        let address = found(&head, &answer, &media.address);
        let address = address.and_then(|address| library.named(&address).ok());
        if let Some(id) = &id {
            self.tell(item, id)?;
        } else if media.texts_to.is_some() {
            let says = format!(
                "was taken, but the answer has no {:?}, so that its texts go nowhere; mend id in the kiln file",
                media.id
            );
            return Err(Fault::target(says));
        }
        Ok(Placed {
            address: address.as_ref().and_then(for_visitors),
            id,
        })
    }

    fn retell(&mut self, item: &Item<'_>, earlier: &Delivered) -> Result<(), Fault> {
        match self.0.media.texts_to {
            Some(_) => self.tell(item, id(earlier)?),
            None => Err(Fault::file(
                "its texts changed, and nothing says where they go alone; add texts-to to the kiln file",
            )),
        }
    }

    fn strike(&mut self, earlier: &Delivered) -> Result<(), Fault> {
        let to = self.0.media.remove_at.as_deref();
        let to = to.ok_or_else(|| {
            Fault::file("nothing says how it is removed; add remove-at to the kiln file")
        })?;
        let url = self.url(to, id(earlier)?)?;
        match good(
            self.0
                .ask("DELETE", &url, &[("accept", "application/json")], Http::ask)?,
        ) {
            Err(fault) if fault.says.contains("404") || fault.says.contains("410") => Ok(()),
            done => done.map(drop),
        }
    }
}

/// What a path leads to in an answer: names and numbers with dots between them, or the header Location.
fn found(head: &HeaderMap, answer: &Value, path: &str) -> Option<String> {
    if path.eq_ignore_ascii_case("location") {
        return location(head).map(str::to_owned);
    }
    let step = |value: &'_ Value, part: &str| match value {
        Value::Array(list) => list.get(part.parse::<usize>().ok()?).cloned(),
        other => other.get(part).cloned(),
    };
    let found = path
        .split('.')
        .try_fold(answer.clone(), |value, part| step(&value, part))?;
    match found {
        Value::String(text) => Some(text),
        Value::Number(number) => Some(number.to_string()),
        _ => None,
    }
}
