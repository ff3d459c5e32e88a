//! A server of ours that speaks as much WebDAV (RFC 4918) as a delivery needs, strictly: what no standard allows is
//! answered with 400, and remembered. It fails as a test says.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{BufRead, BufReader, Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::{Arc, Mutex, MutexGuard};
use std::thread;
use std::time::Duration;

/// How it fails.
#[derive(Clone, Debug, PartialEq)]
pub enum Failing {
    /// Not at all.
    Not,
    /// No room after so many files.
    Full(usize),
    /// So many requests to send are answered with 429 and a pause of a second.
    Busy(usize),
    /// The connection is cut in the middle of the file of that number, once.
    Cut(usize),
    /// The first so many answers take two seconds.
    Slow(usize),
    /// It says that so many files more are shorter than they are.
    Lying(usize),
    /// It keeps fewer bytes than were sent, for ever.
    Losing,
    /// It refuses names with this in them.
    Refusing(&'static str),
    /// It names nothing anew.
    Fixed,
    /// It does not know who asks.
    Unknown,
}

/// What stands there, and what was asked.
#[derive(Debug)]
pub struct State {
    pub files: BTreeMap<String, Vec<u8>>,
    pub folders: BTreeSet<String>,
    /// Methods and paths.
    pub asked: Vec<String>,
    /// What no standard allows.
    pub wrong: Vec<String>,
    pub failing: Failing,
    sent: usize,
}

/// The server.
pub struct Dav {
    /// As `dav://HOST:PORT`.
    pub address: String,
    state: Arc<Mutex<State>>,
}

struct Request {
    method: String,
    path: String,
    headers: BTreeMap<String, String>,
    body: Vec<u8>,
}

impl Dav {
    /// One with an empty folder `img`.
    pub fn new() -> Dav {
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let address = format!("dav://{}", listener.local_addr().expect("an address"));
        let state = Arc::new(Mutex::new(State {
            files: BTreeMap::new(),
            folders: BTreeSet::from(["".to_owned(), "img".to_owned()]),
            asked: Vec::new(),
            wrong: Vec::new(),
            failing: Failing::Not,
            sent: 0,
        }));
        let shared = state.clone();
        // It ends with the test program.
        thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                let state = shared.clone();
                thread::spawn(move || serve(stream, &state));
            }
        });
        Dav { address, state }
    }

    pub fn state(&self) -> MutexGuard<'_, State> {
        self.state.lock().expect("no panic")
    }

    /// From now on it fails so, and counts anew.
    pub fn fails(&self, failing: Failing) {
        let mut state = self.state();
        state.failing = failing;
        state.sent = 0;
        state.asked.clear();
    }
}

fn serve(stream: TcpStream, state: &Mutex<State>) {
    let mut writer = stream.try_clone().expect("a stream");
    let mut reader = BufReader::new(stream);
    while let Some(request) = read(&mut reader, state) {
        let slow = {
            let mut state = state.lock().expect("no panic");
            match &mut state.failing {
                Failing::Slow(left) => take(left),
                _ => false,
            }
        };
        if slow {
            thread::sleep(Duration::from_secs(2));
        }
        let (status, more, body) = answer(&request, &mut state.lock().expect("no panic"));
        let head = format!(
            "HTTP/1.1 {status} Said\r\nContent-Length: {}\r\n{more}\r\n",
            body.len()
        );
        if writer
            .write_all(&[head.as_bytes(), &body].concat())
            .is_err()
        {
            return;
        }
    }
}

/// A request with all its bytes; nothing where the connection ends, or is cut.
fn read(reader: &mut BufReader<TcpStream>, state: &Mutex<State>) -> Option<Request> {
    let mut line = String::new();
    reader.read_line(&mut line).ok().filter(|read| *read > 0)?;
    let mut words = line.split_whitespace();
    let (method, path) = (words.next()?.to_owned(), words.next()?.to_owned());
    let mut headers = BTreeMap::new();
    loop {
        let mut line = String::new();
        reader.read_line(&mut line).ok()?;
        match line.trim_end().split_once(':') {
            Some((name, value)) => {
                headers.insert(name.to_ascii_lowercase(), value.trim().to_owned())
            }
            None => break,
        };
    }
    let length: usize = headers
        .get("content-length")
        .map_or(0, |length| length.parse().expect("a length"));
    let cut = {
        let mut state = state.lock().expect("no panic");
        let range = headers.get("range").map_or("", |_| " in part");
        state.asked.push(format!("{method} {path}{range}"));
        if method == "PUT" {
            state.sent += 1;
        }
        let cut = method == "PUT" && state.failing == Failing::Cut(state.sent);
        if cut {
            state.failing = Failing::Not;
        }
        cut
    };
    let mut body = vec![0; if cut { length / 2 } else { length }];
    reader.read_exact(&mut body).ok()?;
    if cut {
        reader
            .get_ref()
            .shutdown(std::net::Shutdown::Both)
            .expect("a connection");
        return None;
    }
    Some(Request {
        method,
        path,
        headers,
        body,
    })
}

type Said = (u16, String, Vec<u8>);

fn answer(request: &Request, state: &mut State) -> Said {
    let bare = |status: u16| (status, String::new(), Vec::new());
    let name = decoded(request.path.trim_matches('/'));
    let parent = name
        .rsplit_once('/')
        .map_or("", |(folder, _)| folder)
        .to_owned();
    if let Err(what) = allowed(request) {
        state
            .wrong
            .push(format!("{} {}: {what}", request.method, request.path));
        return bare(400);
    }
    if request.headers.get("authorization").map(String::as_str) != Some("Basic a2VlcGVyOmxhbXA=")
        || state.failing == Failing::Unknown
    {
        return bare(401);
    }
    match request.method.as_str() {
        "PUT" => put(request, state, &name, &parent),
        "MKCOL" if state.files.contains_key(&name) || state.folders.contains(&name) => bare(405),
        "MKCOL" if !state.folders.contains(&parent) => bare(409),
        "MKCOL" => {
            state.folders.insert(name);
            bare(201)
        }
        "MOVE" if state.failing == Failing::Fixed => bare(405),
        "MOVE" => {
            let to = request.headers["destination"]
                .split("://")
                .nth(1)
                .and_then(|rest| rest.split_once('/'));
            let to = decoded(to.expect("a path").1);
            if !state.files.contains_key(&name) {
                return bare(404);
            }
            let stands = state.files.contains_key(&to);
            if stands && request.headers["overwrite"] == "F" {
                return bare(412);
            }
            let bytes = state.files.remove(&name).expect("it stands there");
            state.files.insert(to, bytes);
            bare(if stands { 204 } else { 201 })
        }
        "DELETE" => bare(state.files.remove(&name).map_or(404, |_| 204)),
        "GET" => match state.files.get(&name) {
            Some(bytes) => part(request, bytes),
            None => bare(404),
        },
        _ => found(state, &name, &request.headers["depth"]),
    }
}

/// A file, or as much of it as a request asks for.
fn part(request: &Request, bytes: &[u8]) -> Said {
    let Some(range) = request.headers.get("range") else {
        return (200, String::new(), bytes.to_vec());
    };
    let range = range
        .strip_prefix("bytes=")
        .and_then(|range| range.split_once('-'));
    let (from, to) = range.expect("one range of bytes");
    let (from, to): (usize, usize) = (
        from.parse().expect("a number"),
        to.parse().expect("a number"),
    );
    if from >= bytes.len() {
        return (416, String::new(), Vec::new());
    }
    let to = to.min(bytes.len() - 1);
    let told = format!("Content-Range: bytes {from}-{to}/{}\r\n", bytes.len());
    (206, told, bytes[from..=to].to_vec())
}

fn put(request: &Request, state: &mut State, name: &str, parent: &str) -> Said {
    let bare = |status: u16| (status, String::new(), Vec::new());
    if !state.folders.contains(parent) {
        return bare(409);
    }
    let stands = state.files.contains_key(name);
    if stands && request.headers.contains_key("if-none-match") {
        return bare(412);
    }
    match &mut state.failing {
        Failing::Full(left) if *left == 0 => return bare(507),
        Failing::Full(left) => *left -= 1,
        Failing::Busy(left) if *left > 0 => {
            *left -= 1;
            return (429, "Retry-After: 1\r\n".to_owned(), Vec::new());
        }
        Failing::Refusing(part) if name.contains(*part) => return bare(403),
        _ => {}
    }
    let mut bytes = request.body.clone();
    if state.failing == Failing::Losing {
        bytes.truncate(bytes.len() / 2);
    }
    state.files.insert(name.to_owned(), bytes);
    bare(if stands { 204 } else { 201 })
}

/// What stands at a name and, to a depth of 1, below it.
fn found(state: &mut State, name: &str, depth: &str) -> Said {
    if !state.folders.contains(name) && !state.files.contains_key(name) {
        return (404, String::new(), Vec::new());
    }
    let lies = match &mut state.failing {
        Failing::Lying(left) if depth == "0" => take(left),
        _ => false,
    };
    let is_in = |other: &str| {
        let folder = other.rsplit_once('/').map_or("", |(folder, _)| folder);
        other == name || (depth == "1" && folder == name && !other.is_empty())
    };
    let mut all = String::new();
    for folder in state.folders.iter().filter(|folder| is_in(folder)) {
        all += &format!(
            "<d:response><d:href>/{folder}/</d:href><d:propstat><d:prop><d:resourcetype><d:collection/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>"
        );
    }
    for (file, bytes) in state.files.iter().filter(|(file, _)| is_in(file)) {
        let length = if lies { bytes.len() - 1 } else { bytes.len() };
        let tag = format!("&quot;{}&quot;", kiln_core::plan::digest(bytes));
        let path: String = file
            .bytes()
            .map(|byte| match byte {
                b'/' | b'-' | b'.' => (byte as char).to_string(),
                _ if byte.is_ascii_alphanumeric() => (byte as char).to_string(),
                _ => format!("%{byte:02X}"),
            })
            .collect();
        all += &format!(
            "<d:response><d:href>/{path}</d:href><d:propstat><d:prop><d:resourcetype/><d:getcontentlength>{length}</d:getcontentlength><d:getetag>{tag}</d:getetag></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>"
        );
    }
    let body =
        format!("<?xml version=\"1.0\"?><d:multistatus xmlns:d=\"DAV:\">{all}</d:multistatus>");
    (
        207,
        "Content-Type: application/xml\r\n".to_owned(),
        body.into_bytes(),
    )
}

/// What the standards ask of a request.
fn allowed(request: &Request) -> Result<(), String> {
    let header = |name: &str| request.headers.get(name).map(String::as_str);
    let must = |holds: bool, what: &str| if holds { Ok(()) } else { Err(what.to_owned()) };
    must(header("host").is_some(), "no Host")?;
    must(
        request.path.starts_with('/') && request.path.is_ascii(),
        "no sound path",
    )?;
    match request.method.as_str() {
        "PUT" => {
            must(header("content-length").is_some(), "no Content-Length")?;
            must(header("content-range").is_none(), "a Content-Range")?;
            must(
                header("content-type").is_some_and(|kind| {
                    kind.starts_with("image/") || request.path.contains(".kiln-")
                }),
                "no media type",
            )
        }
        "MOVE" => {
            must(
                header("destination").is_some_and(|to| to.starts_with("http://127.0.0.1")),
                "no Destination",
            )?;
            must(
                matches!(header("overwrite"), Some("T" | "F")),
                "no Overwrite",
            )
        }
        "PROPFIND" => {
            must(matches!(header("depth"), Some("0" | "1")), "no Depth")?;
            let body = String::from_utf8_lossy(&request.body);
            must(body.contains("<propfind xmlns=\"DAV:\">"), "no propfind")
        }
        "MKCOL" => must(request.body.is_empty(), "a body that nobody defines"),
        "GET" | "DELETE" => Ok(()),
        other => Err(format!("{other} was not expected")),
    }
}

/// Takes one of so many; whether there was one.
fn take(left: &mut usize) -> bool {
    let has = *left > 0;
    *left = left.saturating_sub(1);
    has
}

fn decoded(path: &str) -> String {
    let mut bytes = Vec::new();
    let mut rest = path.bytes();
    while let Some(byte) = rest.next() {
        if byte == b'%' {
            let digits = [rest.next(), rest.next()].map(|digit| digit.expect("a digit") as char);
            let digits: String = digits.iter().collect();
            bytes.push(u8::from_str_radix(&digits, 16).expect("digits"));
        } else {
            bytes.push(byte);
        }
    }
    String::from_utf8(bytes).expect("text")
}
