//! The proof sheet served to a browser on this machine. There a new version is made on the spot for
//! each turn of the dial. Only the machine itself is answered, and only under its own names: a page
//! from elsewhere that has its own name lead here is refused. Nothing is written.

use std::collections::HashMap;
use std::fs;
use std::io;
use std::net::{Ipv4Addr, SocketAddr};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread;
use std::time::Duration;

use kiln_core::encode::{self, Chroma, Coding, Format, Manner, Pace};
use kiln_core::guard;
use kiln_core::plan::{CodingWish, Look, LookWish};
use kiln_core::proof::{Shown, Sitting};
use rayon::ThreadPool;
use tiny_http::{Header, Method, Request, Response, Server};

use super::{Report, Sized, Subject, aims, answer, page, sized};
use crate::failure::Failure;
use crate::layer::{self, Layer, Origin, Refusal, Typed};
use crate::report::Channels;
use crate::settings::{ProofSettings, Wanted};
use crate::{interrupt, wording};

/// So many answers are worked on at once: the pictures of a page, and what is asked for in between.
const WORKERS: usize = 3;

/// How often Ctrl-C is looked for.
const STEP: Duration = Duration::from_millis(100);

/// Sized pictures that are kept ready.
const SITTINGS: usize = 3;

/// What may be said anew of how a picture is sized, by the keys of the kiln file.
const SIZING: [&str; 4] = ["width", "densities", "shape", "focus"];

/// What a page from here may do: nothing but ask here.
const POLICY: &str = "default-src 'none'; img-src 'self' data:; style-src 'unsafe-inline'; \
                      script-src 'unsafe-inline'; connect-src 'self'; base-uri 'none'; form-action 'none'";

/// Serves the sheet of a report until Ctrl-C.
pub fn run(
    port: u16,
    report: &Report,
    wanted: &Wanted,
    settings: &ProofSettings,
    pool: &ThreadPool,
    channels: &Channels,
) -> Result<(), Failure> {
    let unserved = |source| Failure::Unserved { port, source };
    let server = Server::http((Ipv4Addr::LOCALHOST, port)).map_err(|why| {
        unserved(match why.downcast::<io::Error>() {
            Ok(why) => *why,
            Err(why) => io::Error::other(why),
        })
    })?;
    let Some(address) = server.server_addr().to_ip() else {
        return Err(unserved(io::ErrorKind::AddrNotAvailable.into()));
    };
    interrupt::watch()?;
    let desk = Desk {
        sheet: page::render(report, true),
        report,
        wanted,
        settings,
        pool,
        address,
        sittings: Mutex::default(),
    };
    channels
        .print(|out, _| writeln!(out, "\nhttp://{address}/ shows the sheet; Ctrl-C ends it"))?;
    thread::scope(|scope| {
        for _ in 0..WORKERS {
            scope.spawn(|| {
                while !interrupt::came() {
                    if let Ok(Some(request)) = server.recv_timeout(STEP) {
                        desk.respond(request);
                    }
                }
            });
        }
    });
    Ok(())
}

/// A sized picture that is kept ready, and what it was asked for by.
struct Kept {
    subject: usize,
    sizing: Vec<(String, String)>,
    sitting: Arc<Sitting>,
}

/// All that answers are given from.
struct Desk<'a> {
    sheet: String,
    report: &'a Report,
    wanted: &'a Wanted,
    settings: &'a ProofSettings,
    pool: &'a ThreadPool,
    address: SocketAddr,
    /// The latest last.
    sittings: Mutex<Vec<Kept>>,
}

/// What is sent back.
struct Reply {
    status: u16,
    kind: &'static str,
    body: Vec<u8>,
}

impl Reply {
    fn page(html: String) -> Reply {
        Reply {
            status: 200,
            kind: "text/html; charset=utf-8",
            body: html.into_bytes(),
        }
    }

    fn refusal(status: u16, says: &str) -> Reply {
        Reply {
            status,
            kind: "text/plain; charset=utf-8",
            body: format!("{says}\n").into_bytes(),
        }
    }
}

impl Desk<'_> {
    fn respond(&self, request: Request) {
        // A codec that panics costs the answer, not the server.
        let reply = guard::guarded(|| self.reply(&request));
        let Reply { status, kind, body } =
            reply.unwrap_or_else(|_| Reply::refusal(500, "the picture could not be made"));
        let headers = [
            ("Content-Type", kind),
            ("Content-Security-Policy", POLICY),
            ("Cross-Origin-Resource-Policy", "same-origin"),
            ("X-Content-Type-Options", "nosniff"),
            ("Cache-Control", "no-store"),
        ];
        let response = Response::from_data(body)
            .with_status_code(status)
            .with_chunked_threshold(usize::MAX);
        let headers = headers.iter();
        let response = headers
            .filter_map(|(name, value)| Header::from_bytes(name.as_bytes(), value.as_bytes()).ok())
            .fold(response, Response::with_header);
        // A browser that no longer waits is no failure.
        let _ = request.respond(response);
    }

    fn reply(&self, request: &Request) -> Reply {
        if !self.is_for_us(request) {
            return Reply::refusal(
                403,
                "this is no name of the page; use the address as printed",
            );
        }
        if !matches!(request.method(), Method::Get | Method::Head) {
            return Reply::refusal(405, "nothing is taken here; pages are only given");
        }
        let (path, query) = request.url().split_once('?').unwrap_or((request.url(), ""));
        let said: HashMap<String, String> = form_urlencoded::parse(query.as_bytes())
            .into_owned()
            .filter(|(_, value)| !value.trim().is_empty())
            .collect();
        let parts: Vec<&str> = path.split('/').skip(1).collect();
        let subject = |index: &str| {
            let index: usize = index.parse().ok()?;
            Some((index, self.report.subjects.get(index)?))
        };
        match parts[..] {
            [""] => Reply::page(self.sheet.clone()),
            [index, what @ ("version" | "original")] => match subject(index) {
                Some(of) if what == "version" => self.version(of, &said, query),
                Some(of) => self.original(of, &said),
                None => Reply::refusal(404, "there is no such picture"),
            },
            _ => Reply::refusal(404, "there is no such page; / is the sheet"),
        }
    }

    /// Whether a request names this machine as its host, and does not come from a page of another.
    fn is_for_us(&self, request: &Request) -> bool {
        let header = |name: &'static str| {
            let mut headers = request.headers().iter();
            let found = headers.find(|header| header.field.equiv(name));
            found.map(|header| header.value.as_str())
        };
        let names =
            ["127.0.0.1", "localhost"].map(|name| format!("{name}:{}", self.address.port()));
        let own = |host: &str| names.iter().any(|name| name.eq_ignore_ascii_case(host));
        let from_elsewhere =
            header("Sec-Fetch-Site").is_some_and(|from| from.eq_ignore_ascii_case("cross-site"));
        header("Host").is_some_and(own) && !from_elsewhere
    }

    /// A version as it is asked for, as a part of the page.
    fn version(
        &self,
        (index, subject): (usize, &Subject),
        said: &HashMap<String, String>,
        query: &str,
    ) -> Reply {
        let made = coding(said).and_then(|(format, wish)| {
            let sitting = self.sitting((index, subject), said)?;
            let shown = self.pool.install(|| sitting.show(format, wish));
            let shown = shown.map_err(|why| why.to_string())?;
            Ok((sitting, wish, shown))
        });
        let made: Result<(Arc<Sitting>, CodingWish, Shown), String> = made;
        match made {
            Err(says) => Reply::refusal(422, &wording::safe(&says)),
            Ok((sitting, wish, shown)) => {
                let same = *sitting.raster() == subject.raster;
                let source = (!same).then(|| format!("/{index}/original?{query}"));
                Reply::page(answer::render(
                    subject,
                    sitting.raster(),
                    wish,
                    &shown,
                    source,
                ))
            }
        }
    }

    /// The sized original, without loss.
    fn original(&self, of: (usize, &Subject), said: &HashMap<String, String>) -> Reply {
        let sitting = match self.sitting(of, said) {
            Ok(sitting) => sitting,
            Err(says) => return Reply::refusal(422, &wording::safe(&says)),
        };
        let quick = Manner {
            coding: Coding::Lossless,
            chroma: Chroma::Full,
            pace: Pace::Quick,
        };
        match encode::encode(sitting.raster(), Format::Png, quick) {
            Ok(body) => Reply {
                status: 200,
                kind: "image/png",
                body,
            },
            Err(why) => Reply::refusal(500, &why.to_string()),
        }
    }

    /// A picture sized as it is asked for: one that is kept ready, else a new one.
    fn sitting(
        &self,
        (index, subject): (usize, &Subject),
        said: &HashMap<String, String>,
    ) -> Result<Arc<Sitting>, String> {
        let sizing = SIZING.iter().filter_map(|key| said.get_key_value(*key));
        let sizing: Vec<(String, String)> = sizing
            .map(|(key, value)| (key.clone(), value.clone()))
            .collect();
        // Others wait: what they ask for is most likely the same.
        let mut sittings = self.sittings.lock().unwrap_or_else(PoisonError::into_inner);
        let is_it = |kept: &Kept| (kept.subject, &kept.sizing) == (index, &sizing);
        let sitting = match sittings.iter().position(is_it) {
            Some(at) => sittings.remove(at).sitting,
            None => Arc::new(self.pool.install(|| self.sized(subject, &sizing))?),
        };
        sittings.push(Kept {
            subject: index,
            sizing,
            sitting: Arc::clone(&sitting),
        });
        let too_many = sittings.len().saturating_sub(SITTINGS);
        sittings.drain(..too_many);
        Ok(sitting)
    }

    fn sized(&self, subject: &Subject, sizing: &[(String, String)]) -> Result<Sitting, String> {
        let mut more = Layer::default();
        for (key, value) in sizing {
            let setting = layer::find(key).ok_or_else(|| format!("there is no setting {key:?}"))?;
            let taken = setting.take(&mut more, &Typed::One(value.clone()), Origin::Option);
            taken.map_err(|(Refusal::Value(says) | Refusal::Twice(says))| {
                format!("{key}: {says}")
            })?;
        }
        let wish = self.wanted.with(subject.place.as_deref(), &more);
        let wish = wish.map_err(|why| why.to_string())?;
        let wish = wish.ok_or_else(|| "no place shows it".to_owned())?;
        let bytes = fs::read(&subject.file).map_err(|why| why.to_string())?;
        let made = sized(&bytes, subject.original.clone(), &wish, self.settings);
        let Sized {
            placement,
            seen,
            raster,
        } = made.map_err(|why| why.to_string())?;
        let same = raster == subject.raster;
        let proof = same.then_some(&subject.proof);
        Ok(Sitting::new(raster, seen, aims(&placement), proof))
    }
}

/// The format and what is wanted in it.
fn coding(said: &HashMap<String, String>) -> Result<(Format, CodingWish), String> {
    let get = |key: &str| said.get(key).map_or("", String::as_str);
    let format = wording::parse_format(get("format"))?;
    let wish = match get("by") {
        "look" => match wording::parse_look(get("look"))? {
            Look::Score(look) => CodingWish::Look(LookWish::of(look)),
            Look::Exact if format.is_exact() => CodingWish::Exact,
            Look::Exact => {
                return Err(format!(
                    "nothing is exact in {format}; choose PNG, WebP or AVIF"
                ));
            }
        },
        _ => CodingWish::Dial(wording::parse_quality(get("quality"))?),
    };
    Ok((format, wish))
}
