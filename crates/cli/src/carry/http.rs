//! Requests to a server that takes files, and what its answers mean.

use std::io::{self, Read};
use std::time::Duration;

use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use ureq::config::Config;
use ureq::http::{Method, Request, Response, StatusCode, header};
use ureq::tls::{PemItem, RootCerts, TlsConfig, parse_pem};
use ureq::{Agent, Body, SendBody};

use super::{ANSWER, Fault, FaultKind, Item};
use crate::failure::Failure;
use crate::settings::{Remote, Secret};

/// The longest pause that a server may ask for.
const PAUSE: Duration = Duration::from_secs(120);

/// A file on its way may take a second for so many bytes, beside the time that nothing may happen.
const SLOWEST: u64 = 10_000;

/// A long answer may take so much more.
const LONG_ANSWER: Duration = Duration::from_secs(600);

/// From so many bytes on, the server is asked before they are sent (RFC 9110, 10.1.1).
const ASKED_FIRST: u64 = 1 << 20;

/// Connections that are kept for the next request: as many as there may be.
const CONNECTIONS: usize = 64;

/// A server that is asked.
#[derive(Clone, Debug)]
pub struct Http {
    agent: Agent,
    timeout: Duration,
}

/// A request.
pub struct Ask<'a> {
    /// Its method.
    pub method: &'a str,
    /// Its address.
    pub url: &'a str,
    /// Its headers.
    pub headers: &'a [(&'a str, &'a str)],
}

impl Http {
    /// The server of a target: certificates are checked, and nothing is followed elsewhere.
    pub fn of(remote: &Remote) -> Result<Http, Failure> {
        let roots = match remote.certificates()? {
            None => RootCerts::PlatformVerifier,
            Some(pem) => {
                let certificates = parse_pem(&pem).filter_map(|item| match item {
                    Ok(PemItem::Certificate(certificate)) => Some(certificate),
                    _ => None,
                });
                RootCerts::new_with_certs(&certificates.collect::<Vec<_>>())
            }
        };
        let config = Config::builder()
            .http_status_as_error(false)
            .max_redirects(0)
            .max_idle_connections(CONNECTIONS)
            .max_idle_connections_per_host(CONNECTIONS)
            .allow_non_standard_methods(true)
            .user_agent(concat!("mellow-kiln/", env!("CARGO_PKG_VERSION")))
            .timeout_connect(Some(remote.timeout))
            .timeout_recv_response(Some(remote.timeout))
            .tls_config(TlsConfig::builder().root_certs(roots).build())
            .build();
        Ok(Http {
            agent: config.new_agent(),
            timeout: remote.timeout,
        })
    }

    /// Asks without a body.
    pub fn ask(&self, ask: &Ask<'_>) -> Result<Response<Body>, Fault> {
        self.run(ask, &[], SendBody::none(), 0)
    }

    /// The same where only the head of the answer matters.
    pub fn head(&self, ask: &Ask<'_>) -> Result<Response<()>, Fault> {
        self.ask(ask).map(head)
    }

    /// Asks with a text.
    pub fn tell(&self, ask: &Ask<'_>, kind: &str, text: &[u8]) -> Result<Response<Body>, Fault> {
        self.stream(ask, kind, &mut &*text, text.len() as u64)
    }

    /// Sends a file; only the head of the answer matters.
    pub fn send(&self, ask: &Ask<'_>, item: &Item<'_>) -> Result<Response<()>, Fault> {
        self.send_told(ask, item).map(head)
    }

    /// Sends a file, and gives back what is answered.
    pub fn send_told(&self, ask: &Ask<'_>, item: &Item<'_>) -> Result<Response<Body>, Fault> {
        let mut body = item.body()?;
        let length = item.weight.to_string();
        let mut more = vec![
            ("content-type", item.kind),
            ("content-length", length.as_str()),
        ];
        if item.weight >= ASKED_FIRST {
            more.push(("expect", "100-continue"));
        }
        let response = self.run(ask, &more, SendBody::from_reader(&mut body), item.weight)?;
        if response.status().is_success() {
            body.went();
        }
        Ok(response)
    }

    /// Sends so many bytes of a kind.
    pub fn stream(
        &self,
        ask: &Ask<'_>,
        kind: &str,
        bytes: &mut dyn Read,
        weight: u64,
    ) -> Result<Response<Body>, Fault> {
        let length = weight.to_string();
        let more = [("content-type", kind), ("content-length", length.as_str())];
        self.run(ask, &more, SendBody::from_reader(bytes), weight)
    }

    fn run(
        &self,
        ask: &Ask<'_>,
        more: &[(&str, &str)],
        body: SendBody<'_>,
        weight: u64,
    ) -> Result<Response<Body>, Fault> {
        let method = Method::from_bytes(ask.method.as_bytes()).unwrap_or(Method::GET);
        let mut request = Request::builder().method(method).uri(ask.url);
        for (name, value) in ask.headers.iter().chain(more) {
            request = request.header(*name, *value);
        }
        // Its words would repeat what may be secret.
        let request = request
            .body(body)
            .map_err(|_| Fault::file("cannot be asked for; check its name"))?;
        let patience = Some(self.timeout + Duration::from_secs(weight / SLOWEST));
        let request = self
            .agent
            .configure_request(request)
            .timeout_send_body(patience)
            .timeout_recv_body(Some(self.timeout + LONG_ANSWER))
            .build();
        self.agent.run(request).map_err(unanswered)
    }
}

/// What says who logs in (RFC 7617); a secret without a name is a token (RFC 6750).
pub fn authorization(user: Option<&str>, secret: &Secret) -> String {
    match user {
        Some(user) => format!(
            "Basic {}",
            BASE64_STANDARD.encode(format!("{user}:{}", secret.0))
        ),
        None => format!("Bearer {}", secret.0),
    }
}

/// The text of an answer, which may not be endless.
pub fn text(response: Response<Body>) -> Result<String, Fault> {
    let mut bytes = Vec::new();
    let mut reader = response.into_body().into_reader().take(ANSWER + 1);
    reader.read_to_end(&mut bytes).map_err(Fault::broken)?;
    if bytes.len() as u64 > ANSWER {
        return Err(Fault::target(
            "the server answers without an end; check the address",
        ));
    }
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// What a request says that wants so many bytes from one on (RFC 9110, 14.2).
pub fn range(from: u64, most: u64) -> String {
    format!("bytes={from}-{}", from.saturating_add(most.max(1)) - 1)
}

/// The bytes that were asked for, of a server that tells parts of files and of one that does not.
pub fn part_of(response: Response<Body>, from: u64, most: u64) -> Result<Vec<u8>, Fault> {
    let skipped = match response.status() {
        StatusCode::PARTIAL_CONTENT => 0,
        StatusCode::OK => from,
        // There are no bytes any more.
        StatusCode::RANGE_NOT_SATISFIABLE => return Ok(Vec::new()),
        _ => return Err(refused(&response)),
    };
    let mut body = response.into_body().into_reader();
    io::copy(&mut (&mut body).take(skipped), &mut io::sink()).map_err(Fault::broken)?;
    let mut bytes = Vec::new();
    body.take(most)
        .read_to_end(&mut bytes)
        .map_err(Fault::broken)?;
    Ok(bytes)
}

/// An answer of which only the head matters. What else comes is read, so that the connection serves again.
fn head(response: Response<Body>) -> Response<()> {
    let (parts, body) = response.into_parts();
    // A connection that breaks here tells it the next time.
    let _ = io::copy(&mut body.into_reader().take(ANSWER), &mut io::sink());
    Response::from_parts(parts, ())
}

/// Why no answer came.
fn unanswered(error: ureq::Error) -> Fault {
    match error {
        ureq::Error::HostNotFound => Fault::nowhere(),
        ureq::Error::Timeout(_) => Fault::late(),
        ureq::Error::Rustls(error) => Fault::untrusted(&error.to_string()),
        ureq::Error::Tls(says) => Fault::untrusted(says),
        ureq::Error::Io(error) => Fault::broken(error),
        error => Fault::passing(format!("the connection failed ({error})")),
    }
}

/// What an answer means that is no success.
pub fn refused<T>(response: &Response<T>) -> Fault {
    let status = response.status();
    let told = |says: &str| format!("{says} ({status})");
    match status {
        StatusCode::UNAUTHORIZED => Fault::target(told(
            "the server does not know this user and password; check them",
        )),
        StatusCode::TOO_MANY_REQUESTS | StatusCode::SERVICE_UNAVAILABLE => {
            let after = after(response);
            if after.is_some_and(|after| after > PAUSE) {
                return Fault::target(told(
                    "the server wants to be left alone for a while; deliver again later",
                ));
            }
            Fault::new(FaultKind::Passing(after), told("the server is busy"))
        }
        StatusCode::REQUEST_TIMEOUT
        | StatusCode::TOO_EARLY
        | StatusCode::LOCKED
        | StatusCode::INTERNAL_SERVER_ERROR
        | StatusCode::BAD_GATEWAY
        | StatusCode::GATEWAY_TIMEOUT => Fault::passing(told("the server could not do it")),
        StatusCode::INSUFFICIENT_STORAGE => Fault::full(),
        StatusCode::PRECONDITION_FAILED => Fault::taken(),
        StatusCode::PAYLOAD_TOO_LARGE => Fault::file(told("the server takes no file of that size")),
        _ if status.is_redirection() => {
            let to = response.headers().get(header::LOCATION);
            let to = to.and_then(|to| to.to_str().ok()).unwrap_or("elsewhere");
            Fault::target(told(&format!(
                "the server sends on to {to}; give that address"
            )))
        }
        _ => Fault::file(told("the server refuses it")),
    }
}

/// The pause that an answer asks for, in seconds (RFC 9110, 10.2.3); a date is as good as none.
fn after<T>(response: &Response<T>) -> Option<Duration> {
    let text = response.headers().get(header::RETRY_AFTER)?.to_str().ok()?;
    text.trim().parse().ok().map(Duration::from_secs)
}
