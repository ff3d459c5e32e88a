//! Media libraries of ours that hold every request against the standard's text: Micropub (W3C, 23 May 2017), the Atom
//! Publishing Protocol (RFC 5023), and one with an interface of its own. What no standard allows is answered with 400,
//! and remembered.

use std::collections::BTreeMap;
use std::io::Cursor;
use std::sync::{Arc, Mutex, MutexGuard};
use std::thread;

use serde_json::{Value, json};
use tiny_http::{Header, Request, Response, Server};

/// What is in it.
#[derive(Debug, Default)]
pub struct State {
    /// Files by their numbers.
    pub files: BTreeMap<usize, Vec<u8>>,
    /// What is said of each: an entry, a post or fields.
    pub said: BTreeMap<usize, Value>,
    /// Methods and paths.
    pub asked: Vec<String>,
    pub wrong: Vec<String>,
    /// Answers that come before all others: status and whether a pause is asked for.
    pub answers: Vec<u16>,
    /// After so many files there is no room.
    pub room: Option<usize>,
    /// Names with this in them are refused.
    pub refuses: Option<&'static str>,
}

/// A library.
pub struct Library {
    pub address: String,
    state: Arc<Mutex<State>>,
}

impl Library {
    pub fn new() -> Library {
        let server = Server::http("127.0.0.1:0").expect("a port");
        let address = format!(
            "http://{}",
            server.server_addr().to_ip().expect("an address")
        );
        let state = Arc::new(Mutex::new(State::default()));
        let (shared, base) = (state.clone(), address.clone());
        // It ends with the test program.
        thread::spawn(move || {
            for mut request in server.incoming_requests() {
                let mut body = Vec::new();
                request.as_reader().read_to_end(&mut body).expect("a body");
                let said = answer(
                    &request,
                    &body,
                    &base,
                    &mut shared.lock().expect("no panic"),
                );
                let _ = request.respond(said);
            }
        });
        Library { address, state }
    }

    pub fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().expect("no panic")
    }
}

type Said = Response<Cursor<Vec<u8>>>;

fn bare(status: u16) -> Said {
    Response::from_data(Vec::new()).with_status_code(status)
}

fn header(name: &str, value: &str) -> Header {
    Header::from_bytes(name, value).expect("a header")
}

fn document(value: &Value, status: u16) -> Said {
    let said = Response::from_data(value.to_string()).with_status_code(status);
    said.with_header(header("Content-Type", "application/json"))
}

fn head<'a>(request: &'a Request, name: &str) -> Option<&'a str> {
    let mut headers = request.headers().iter();
    let found = headers.find(|one| one.field.as_str().as_str().eq_ignore_ascii_case(name));
    found.map(|one| one.value.as_str())
}

fn answer(request: &Request, body: &[u8], base: &str, state: &mut State) -> Said {
    let (method, path) = (request.method().to_string(), request.url().to_owned());
    state.asked.push(format!("{method} {path}"));
    let is_let_in = head(request, "authorization") == Some("Bearer lamp")
        || head(request, "x-keeper") == Some("lamp");
    if !is_let_in {
        return document(
            &json!({ "error": "unauthorized", "error_description": "who is that?" }),
            401,
        );
    }
    let is_upload = matches!(
        (method.as_str(), path.as_str()),
        ("POST", "/media" | "/collection" | "/api/media")
    );
    if is_upload && let Some(status) = state.answers.pop() {
        return bare(status).with_header(header("Retry-After", "1"));
    }
    if is_upload && state.room == Some(state.files.len()) {
        return bare(507);
    }
    let done = match path.split(['/', '?']).nth(1).unwrap_or_default() {
        "micropub" | "media" | "posts" => micropub(request, &method, &path, body, base, state),
        "collection" | "entry" => atompub(request, &method, &path, body, base, state),
        _ => described(request, &method, &path, body, base, state),
    };
    done.unwrap_or_else(|what| {
        state.wrong.push(format!("{method} {path}: {what}"));
        bare(400)
    })
}

fn must(holds: bool, what: &str) -> Result<(), String> {
    if holds { Ok(()) } else { Err(what.to_owned()) }
}

/// A part of a form: name, file's name, media type, bytes.
type Part = (String, Option<String>, Option<String>, Vec<u8>);

/// The parts of a form (RFC 7578).
fn form(request: &Request, body: &[u8]) -> Result<Vec<Part>, String> {
    let kind = head(request, "content-type").unwrap_or_default();
    let boundary = kind
        .strip_prefix("multipart/form-data; boundary=")
        .ok_or("no form")?;
    let mark = format!("--{boundary}");
    let (mut parts, mut rest) = (Vec::new(), body);
    loop {
        rest = rest
            .strip_prefix(mark.as_bytes())
            .ok_or("no boundary where one has to be")?;
        if rest == b"--\r\n" {
            return Ok(parts);
        }
        rest = rest.strip_prefix(b"\r\n").ok_or("no line end")?;
        let at =
            |bytes: &[u8], what: &[u8]| bytes.windows(what.len()).position(|part| part == what);
        let end = at(rest, b"\r\n\r\n").ok_or("no head")?;
        let head = String::from_utf8(rest[..end].to_vec()).map_err(|_| "no text")?;
        rest = &rest[end + 4..];
        let end = at(rest, format!("\r\n{mark}").as_bytes()).ok_or("no end")?;
        let value = |name: &str| {
            head.split(&format!("; {name}=\""))
                .nth(1)
                .and_then(|rest| rest.split('"').next())
                .map(str::to_owned)
        };
        let kind = head
            .split("Content-Type: ")
            .nth(1)
            .map(|kind| kind.trim().to_owned());
        parts.push((
            value("name").ok_or("no name")?,
            value("filename"),
            kind,
            rest[..end].to_vec(),
        ));
        rest = &rest[end + 2..];
    }
}

/// Takes a file; its number.
fn keep(state: &mut State, bytes: Vec<u8>) -> usize {
    let number = state.files.keys().last().map_or(1, |last| last + 1);
    state.files.insert(number, bytes);
    number
}

fn number(path: &str) -> Result<usize, String> {
    let digits: String = path.chars().filter(char::is_ascii_digit).collect();
    digits.parse().map_err(|_| "no number".to_owned())
}

fn micropub(
    request: &Request,
    method: &str,
    path: &str,
    body: &[u8],
    base: &str,
    state: &mut State,
) -> Result<Said, String> {
    match (method, path) {
        ("GET", "/micropub?q=config") => {
            must(
                head(request, "accept") == Some("application/json"),
                "JSON is not asked for",
            )?;
            Ok(document(
                &json!({ "media-endpoint": format!("{base}/media") }),
                200,
            ))
        }
        ("POST", "/media") => {
            let parts = form(request, body)?;
            must(
                parts.len() == 1 && parts[0].0 == "file",
                "not one part named file (3.6.2)",
            )?;
            let (_, name, kind, bytes) = parts.into_iter().next().expect("one");
            must(
                name.is_some() && kind.is_some_and(|kind| kind.starts_with("image/")),
                "no name or kind",
            )?;
            if state
                .refuses
                .is_some_and(|part| name.as_ref().is_some_and(|name| name.contains(part)))
            {
                return Ok(document(
                    &json!({ "error": "invalid_request", "error_description": "no such names here" }),
                    400,
                ));
            }
            let number = keep(state, bytes);
            Ok(bare(201).with_header(header("Location", &format!("/files/{number}"))))
        }
        ("POST", "/micropub") => {
            let post: Value = serde_json::from_slice(body).map_err(|_| "no JSON")?;
            if let Some(action) = post.get("action").and_then(Value::as_str) {
                let post_number = number(
                    post["url"]
                        .as_str()
                        .unwrap_or_default()
                        .rsplit('/')
                        .next()
                        .unwrap_or_default(),
                )?;
                match action {
                    "update" => {
                        let replace = post["replace"]
                            .as_object()
                            .ok_or("nothing to replace (3.4.1)")?;
                        must(
                            replace.values().all(Value::is_array),
                            "values are no arrays (3.4)",
                        )?;
                        for (name, value) in replace {
                            state.said.get_mut(&post_number).ok_or("no such post")?[name] =
                                value.clone();
                        }
                    }
                    "delete" => {
                        state.said.remove(&post_number).ok_or("no such post")?;
                    }
                    _ => return Err("no action".to_owned()),
                }
                return Ok(bare(204));
            }
            must(post["type"] == json!(["h-entry"]), "no type (3.3.2)")?;
            let properties = post["properties"].as_object().ok_or("no properties")?;
            must(
                properties.values().all(Value::is_array),
                "values are no arrays (3.3.2)",
            )?;
            must(
                properties["photo"][0]["value"]
                    .as_str()
                    .is_some_and(|value| value.starts_with("http")),
                "no photo",
            )?;
            let number = state.said.keys().last().map_or(1, |last| last + 1);
            state.said.insert(number, post["properties"].clone());
            Ok(bare(201).with_header(header("Location", &format!("{base}/posts/{number}"))))
        }
        _ => Err("was not expected".to_owned()),
    }
}

const ATOM: &str = "http://www.w3.org/2005/Atom";

fn entry(number: usize, texts: &Value, base: &str) -> String {
    let text = |name: &str| {
        texts[name]
            .as_str()
            .unwrap_or_default()
            .replace('&', "&amp;")
            .replace('<', "&lt;")
    };
    // With a prefix, and something of its own.
    format!(
        "<?xml version=\"1.0\"?>\n<a:entry xmlns:a=\"{ATOM}\" xmlns:k=\"urn:kept\"><a:id>urn:file:{number}</a:id>\
         <a:title>{}</a:title><a:summary>{}</a:summary><a:content type=\"image/webp\" src=\"/files/{number}\"/>\
         <a:link rel=\"edit\" href=\"{base}/entry/{number}\"/><a:link rel=\"edit-media\" href=\"{base}/entry/{number}/media\"/>\
         <k:own>kept</k:own></a:entry>",
        text("title"),
        text("summary")
    )
}

fn atompub(
    request: &Request,
    method: &str,
    path: &str,
    body: &[u8],
    base: &str,
    state: &mut State,
) -> Result<Said, String> {
    let is_picture = head(request, "content-type").is_some_and(|kind| kind.starts_with("image/"));
    match method {
        "POST" => {
            must(
                path == "/collection" && is_picture,
                "no picture for the collection (9.6)",
            )?;
            let slug = head(request, "slug").ok_or("no Slug (9.7)")?;
            must(
                slug.is_ascii() && !slug.contains('\u{fc}'),
                "letters that are not encoded (9.7.1)",
            )?;
            let number = keep(state, body.to_vec());
            state
                .said
                .insert(number, json!({ "title": slug, "summary": "" }));
            Ok(bare(201).with_header(header("Location", &format!("{base}/entry/{number}"))))
        }
        "PUT" if path.ends_with("/media") => {
            must(is_picture, "no picture")?;
            let number = number(path)?;
            must(
                state.files.insert(number, body.to_vec()).is_some(),
                "no such file",
            )?;
            Ok(bare(204))
        }
        _ => {
            let number = number(path)?;
            let Some(texts) = state.said.get(&number).cloned() else {
                return Ok(bare(404));
            };
            let xml = entry(number, &texts, base);
            let tag = format!("\"{}\"", kiln_core::plan::digest(xml.as_bytes()));
            match method {
                "GET" => Ok(Response::from_data(xml)
                    .with_header(header("ETag", &tag))
                    .with_header(header("Content-Type", "application/atom+xml;type=entry"))),
                "DELETE" => {
                    state.said.remove(&number);
                    state.files.remove(&number);
                    Ok(bare(204))
                }
                "PUT" => {
                    must(
                        head(request, "content-type") == Some("application/atom+xml;type=entry"),
                        "no entry (9.3)",
                    )?;
                    if head(request, "if-match") != Some(&tag) {
                        return Ok(bare(412));
                    }
                    let text = String::from_utf8(body.to_vec()).map_err(|_| "no text")?;
                    let document = roxmltree::Document::parse(&text).map_err(|_| "no XML")?;
                    let root = document.root_element();
                    must(root.has_tag_name((ATOM, "entry")), "no entry")?;
                    let text = |name: &str| {
                        root.children()
                            .find(|node| node.has_tag_name((ATOM, name)))
                            .and_then(|node| node.text())
                    };
                    must(
                        text("id") == Some(&format!("urn:file:{number}")),
                        "another id (9.3)",
                    )?;
                    let own = root
                        .children()
                        .find(|node| node.has_tag_name(("urn:kept", "own")));
                    must(
                        own.is_some_and(|own| own.text() == Some("kept")),
                        "foreign markup is lost (6.2)",
                    )?;
                    must(
                        root.children()
                            .filter(|node| node.has_tag_name((ATOM, "title")))
                            .count()
                            == 1,
                        "two titles",
                    )?;
                    let texts = json!({ "title": text("title"), "summary": text("summary"), "rights": text("rights") });
                    state.said.insert(number, texts);
                    Ok(bare(200))
                }
                _ => Err("was not expected".to_owned()),
            }
        }
    }
}

fn described(
    request: &Request,
    method: &str,
    path: &str,
    body: &[u8],
    base: &str,
    state: &mut State,
) -> Result<Said, String> {
    match (method, path) {
        ("POST", "/api/media") => {
            let (bytes, said) = if head(request, "content-type")
                .is_some_and(|kind| kind.starts_with("multipart/"))
            {
                let mut parts = form(request, body)?;
                let file = parts
                    .iter()
                    .position(|part| part.1.is_some())
                    .ok_or("no file")?;
                let file = parts.remove(file);
                must(file.0 == "picture", "another field")?;
                let fields = parts.into_iter().map(|(name, _, _, value)| {
                    (name, Value::from(String::from_utf8(value).expect("text")))
                });
                (file.3, fields.collect::<serde_json::Map<_, _>>().into())
            } else {
                must(
                    head(request, "content-disposition")
                        .is_some_and(|said| said.starts_with("attachment; filename=\"")),
                    "no name",
                )?;
                (body.to_vec(), json!({}))
            };
            let number = keep(state, bytes);
            state.said.insert(number, said);
            Ok(document(
                &json!({ "data": [{ "key": number, "links": { "full": format!("{base}/files/{number}") } }] }),
                201,
            ))
        }
        ("PATCH", path) => {
            must(
                head(request, "content-type") == Some("application/json"),
                "no JSON",
            )?;
            let said: Value = serde_json::from_slice(body).map_err(|_| "no JSON")?;
            must(
                state.said.insert(number(path)?, said).is_some(),
                "no such file",
            )?;
            Ok(bare(200))
        }
        ("DELETE", path) => {
            let number = number(path)?;
            state.said.remove(&number);
            Ok(bare(state.files.remove(&number).map_or(404, |_| 200)))
        }
        _ => Err("was not expected".to_owned()),
    }
}
