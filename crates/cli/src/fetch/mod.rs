//! Files of a page, from the web and from disk: a few at once, under limits, and never with
//! credentials to another host than the one they are for.

mod answer;
mod private;

use std::fs::{self, File};
use std::io::{self, Write};
use std::net::ToSocketAddrs;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;
use std::time::Duration;

use kiln_site::kinds;
use ureq::config::Config;
use ureq::http::{Response, StatusCode, header};
use ureq::tls::{RootCerts, TlsConfig};
use ureq::unversioned::resolver::DefaultResolver;
use ureq::unversioned::transport::DefaultConnector;
use ureq::{Agent, Body};
use url::Url;

use crate::mishap::Mishap;
use crate::settings::Manners;
use answer::{Counted, Unpacked};
use private::{Private, PublicOnly};

/// Files fetched at a time.
const AT_ONCE: usize = 6;

/// How often a server may send on to another address.
const REDIRECTS: usize = 10;

/// The largest page, sheet or manifest that is read.
const TEXT: u64 = 32 << 20;

/// The largest picture that is fetched.
const PICTURE: u64 = 512 << 20;

/// Of a host that no name leads to.
const NO_HOST: &str = "there is no such host; check the address";

/// Of a host that does not answer.
const NOBODY: &str = "nothing answers there; check the address, and that its server runs";

/// What browsers say they take; some servers choose by it.
const ACCEPT: &str = "image/avif,image/webp,image/svg+xml,image/*,text/html,text/css,*/*;q=0.8";

/// The web and the disk, as one page may use them.
pub struct Web {
    agent: Agent,
    /// Where credentials go to.
    home: Option<url::Origin>,
    /// Whether private networks are left alone.
    is_public: bool,
    manners: Manners,
}

/// What came of an address.
#[derive(Clone, Debug, PartialEq)]
pub struct Got {
    /// The address that it came from in the end.
    pub address: Url,
    /// Bytes on the way.
    pub weight: u64,
    /// Its media type; empty where nothing is known of it.
    pub kind: String,
}

impl Web {
    /// For a page at an address. Where that is in a private network itself, all of these may be asked.
    pub fn of(page: &Url, manners: &Manners) -> Web {
        let is_private = private::host_is_private(page, |host, port| {
            let found = (host, port).to_socket_addrs();
            found.map(|all| all.map(|one| one.ip()).collect())
        });
        let config = Config::builder()
            .http_status_as_error(false)
            .max_redirects(0)
            .user_agent(concat!("mellow-kiln/", env!("CARGO_PKG_VERSION")))
            .accept(ACCEPT)
            .timeout_global(Some(Duration::from_secs(manners.timeout)))
            .timeout_connect(Some(Duration::from_secs(manners.timeout.min(10))))
            .tls_config(
                TlsConfig::builder()
                    .root_certs(RootCerts::PlatformVerifier)
                    .build(),
            )
            .build();
        let connector = DefaultConnector::new();
        let is_public = !is_private && !manners.local;
        let agent = if is_public {
            Agent::with_parts(config, connector, PublicOnly::default())
        } else {
            Agent::with_parts(config, connector, DefaultResolver::default())
        };
        let is_web = matches!(page.scheme(), "http" | "https");
        Web {
            agent,
            home: is_web.then(|| page.origin()),
            is_public,
            manners: manners.clone(),
        }
    }

    /// A text: a page, a sheet, a manifest. Of a picture nothing but its kind is taken.
    pub fn text(&self, address: &Url) -> Result<(Got, String), Mishap> {
        let mut bytes = Vec::new();
        let (got, charset) = self.fetch(address, TEXT, &mut bytes)?;
        Ok((got, answer::text(&bytes, charset.as_deref())))
    }

    /// The weight of a file, of which nothing else is kept.
    pub fn weight(&self, address: &Url) -> Result<Got, Mishap> {
        Ok(self.fetch(address, TEXT, &mut io::sink())?.0)
    }

    /// A picture, as a file: where it is already on disk, that; else at a path of which this is the
    /// only user.
    pub fn picture(&self, address: &Url, path: &Path) -> Result<(Got, PathBuf), Mishap> {
        if address.scheme() == "file" {
            let there = on_disk(address)?;
            let weight = fs::metadata(&there).map_err(missing)?.len();
            let got = Got {
                address: address.clone(),
                weight,
                kind: String::new(),
            };
            return Ok((got, there));
        }
        let mut file = File::create(path).map_err(Mishap::unwritable)?;
        let (got, _) = self.fetch(address, PICTURE, &mut file)?;
        Ok((got, path.to_owned()))
    }

    /// Fetches an address into a writer. The charset is what the server says.
    fn fetch(
        &self,
        address: &Url,
        limit: u64,
        into: &mut dyn Write,
    ) -> Result<(Got, Option<String>), Mishap> {
        match address.scheme() {
            "file" => from_disk(address, limit, into).map(|got| (got, None)),
            "data" => from_itself(address, into).map(|got| (got, None)),
            _ => self.over_the_web(address, limit, into),
        }
    }

    fn over_the_web(
        &self,
        address: &Url,
        limit: u64,
        into: &mut dyn Write,
    ) -> Result<(Got, Option<String>), Mishap> {
        let is_text = limit == TEXT;
        let (address, mut response) = self.ask(address)?;
        let header = |name: header::HeaderName| {
            let value = response.headers().get(name)?.to_str().ok()?;
            Some(value.to_owned())
        };
        let kind = header(header::CONTENT_TYPE).unwrap_or_default();
        if is_text && kinds::is_picture(&kind) {
            let weight = 0;
            let got = Got {
                address,
                weight,
                kind,
            };
            return Ok((got, None));
        }
        let coding = header(header::CONTENT_ENCODING).unwrap_or_default();
        let charset = response.body().charset().map(str::to_owned);
        let charset = kind.contains("charset").then_some(charset).flatten();
        // What is packed small may be large: both are bounded.
        let body = Counted::new(response.body_mut().as_reader(), limit);
        let mut unpacked = Unpacked::new(body, &coding)
            .ok_or_else(|| Mishap::new(format!("comes as {coding}, which was not asked for")))?;
        answer::pour(&mut unpacked, into, limit).map_err(|error| self.broken(error))?;
        let got = Got {
            address,
            weight: unpacked.into_inner().count(),
            kind,
        };
        Ok((got, charset))
    }

    /// Asks a server, and follows where it sends on to.
    fn ask(&self, address: &Url) -> Result<(Url, Response<Body>), Mishap> {
        let mut address = address.clone();
        for _ in 0..=REDIRECTS {
            if self.is_public && private::is_written_private(&address) {
                return Err(is_private(&Private::of(&address)));
            }
            let mut request = self.agent.get(address.as_str());
            request = request.header("accept-encoding", "gzip, deflate");
            if self.home.as_ref() == Some(&address.origin()) {
                for (name, value) in &self.manners.headers {
                    request = request.header(name, value);
                }
                if let Some((name, password)) = &self.manners.user {
                    request = request.header("authorization", basic(name, password));
                }
            }
            let response = request.call().map_err(|error| self.unfetched(error))?;
            let status = response.status();
            let onward = status.is_redirection() && status != StatusCode::NOT_MODIFIED;
            if onward {
                let next = response.headers().get(header::LOCATION);
                let next = next.and_then(|next| next.to_str().ok());
                let next = next.and_then(|next| address.join(next).ok());
                let next = next.filter(|next| matches!(next.scheme(), "http" | "https"));
                address = next.ok_or_else(|| {
                    Mishap::new("the server sends on to an address that is none; ask its owner")
                })?;
                continue;
            }
            if !status.is_success() {
                return Err(refused(status));
            }
            return Ok((address, response));
        }
        Err(Mishap::new(format!(
            "the server sends on to another address more than {REDIRECTS} times; ask its owner"
        )))
    }

    /// Why an address did not answer.
    fn unfetched(&self, error: ureq::Error) -> Mishap {
        let says = match &error {
            ureq::Error::HostNotFound => NO_HOST.to_owned(),
            ureq::Error::Timeout(_) => self.too_slow(),
            ureq::Error::Other(other) if other.is::<Private>() => return is_private(other),
            ureq::Error::Rustls(_) | ureq::Error::Tls(_) => {
                format!("its certificate is not valid ({error}); ask the owner of the host")
            }
            ureq::Error::ConnectionFailed => NOBODY.to_owned(),
            ureq::Error::Io(io) => return self.unconnected(io),
            ureq::Error::BadUri(_) | ureq::Error::Http(_) => {
                format!("is no address that can be asked ({error}); check it")
            }
            _ => format!("the server answers wrongly ({error}); ask its owner"),
        };
        Mishap::new(says)
    }

    /// Why there was no connection, or it ended.
    fn unconnected(&self, io: &io::Error) -> Mishap {
        let words = io.to_string();
        let says = match io.kind() {
            io::ErrorKind::ConnectionRefused => NOBODY.to_owned(),
            io::ErrorKind::TimedOut | io::ErrorKind::WouldBlock => self.too_slow(),
            _ if words.contains("certificate") => {
                format!("its certificate is not valid ({words}); ask the owner of the host")
            }
            _ if words.contains("lookup") || words.contains("resolve") => NO_HOST.to_owned(),
            _ => format!("the connection broke (io: {words}); try again"),
        };
        Mishap::new(says)
    }

    fn too_slow(&self) -> String {
        let seconds = self.manners.timeout;
        format!("did not come within {seconds} s; try again, or raise --timeout")
    }

    /// Why an answer ended early.
    fn broken(&self, error: io::Error) -> Mishap {
        if error
            .get_ref()
            .is_some_and(|inner| inner.is::<answer::TooLarge>())
        {
            return Mishap::new(error.to_string());
        }
        let words = error.to_string();
        if error.kind() == io::ErrorKind::TimedOut || words.contains("timeout") {
            return Mishap::new(self.too_slow());
        }
        Mishap::of(error, "the answer is broken; try again")
    }
}

/// Why a private address is not asked.
fn is_private(why: &dyn std::fmt::Display) -> Mishap {
    Mishap::new(format!("{why}; say --local if it may be asked"))
}

/// Why a server gives nothing, for people.
fn refused(status: StatusCode) -> Mishap {
    let reason = status.canonical_reason().unwrap_or("an answer of its own");
    let advice = match status.as_u16() {
        401 | 407 => "name a user with --user",
        403 => "it may want a --user or --header",
        404 | 410 => "mend the address",
        429 => "ask again later",
        500.. => "ask its owner, or try again later",
        _ => "ask its owner",
    };
    Mishap::new(format!(
        "the server says {} {reason}; {advice}",
        status.as_u16()
    ))
}

/// The header of HTTP's own log-in (RFC 7617).
fn basic(name: &str, password: &str) -> String {
    use base64::Engine;
    use base64::engine::general_purpose::STANDARD;
    format!("Basic {}", STANDARD.encode(format!("{name}:{password}")))
}

/// The path of an address on disk; what stands for a folder is its index.
fn on_disk(address: &Url) -> Result<PathBuf, Mishap> {
    let no_path = || Mishap::new("is no path on this machine; mend the reference");
    let path = address.to_file_path().map_err(|()| no_path())?;
    if path.is_dir() {
        let index = ["index.html", "index.htm"].map(|name| path.join(name));
        let there = index.into_iter().find(|path| path.is_file());
        return there
            .ok_or_else(|| Mishap::new("is a folder without index.html; mend the reference"));
    }
    Ok(path)
}

fn missing(error: io::Error) -> Mishap {
    match error.kind() {
        io::ErrorKind::NotFound => {
            Mishap::new("there is no such file; mend or remove the reference")
        }
        _ => Mishap::unreadable(error),
    }
}

/// A file on disk. Of a picture nothing but its kind is taken.
fn from_disk(address: &Url, limit: u64, into: &mut dyn Write) -> Result<Got, Mishap> {
    let path = on_disk(address)?;
    let kind = kinds::by_name(address.path());
    if kinds::is_picture(kind) {
        File::open(&path).map_err(missing)?;
        return Ok(Got {
            address: address.clone(),
            weight: 0,
            kind: kind.to_owned(),
        });
    }
    read_disk(&path, limit, into)
}

fn read_disk(path: &Path, limit: u64, into: &mut dyn Write) -> Result<Got, Mishap> {
    let mut body = Counted::new(File::open(path).map_err(missing)?, limit);
    answer::pour(&mut body, into, limit).map_err(Mishap::unreadable)?;
    // Relative addresses in an index are seen from its folder.
    let address = Url::from_file_path(std::path::absolute(path).map_err(Mishap::unreadable)?);
    let address = address.map_err(|()| Mishap::new("is no path on this machine"))?;
    Ok(Got {
        kind: kinds::by_name(address.path()).to_owned(),
        weight: body.count(),
        address,
    })
}

/// A text on disk.
pub fn text_on_disk(address: &Url) -> Result<(Got, String), Mishap> {
    let mut bytes = Vec::new();
    let got = read_disk(&on_disk(address)?, TEXT, &mut bytes)?;
    Ok((got, answer::text(&bytes, None)))
}

/// A picture that stands in its address (RFC 2397).
fn from_itself(address: &Url, into: &mut dyn Write) -> Result<Got, Mishap> {
    let (kind, bytes) = answer::of_data(address.as_str())
        .ok_or_else(|| Mishap::new("is a data address that cannot be read; mend it"))?;
    into.write_all(&bytes).map_err(Mishap::unwritable)?;
    Ok(Got {
        address: address.clone(),
        // It is part of the file that it stands in.
        weight: 0,
        kind,
    })
}

/// Does something for each of some things, a few at once; the results are in their order.
pub fn each<T: Sync, R: Send>(things: &[T], work: impl Fn(&T) -> R + Sync) -> Vec<R> {
    let next = AtomicUsize::new(0);
    let done = Mutex::new(Vec::with_capacity(things.len()));
    thread::scope(|scope| {
        for _ in 0..AT_ONCE.min(things.len()) {
            scope.spawn(|| {
                loop {
                    let index = next.fetch_add(1, Ordering::Relaxed);
                    let Some(thing) = things.get(index) else {
                        break;
                    };
                    let result = work(thing);
                    if let Ok(mut done) = done.lock() {
                        done.push((index, result));
                    }
                }
            });
        }
    });
    let mut done = done.into_inner().unwrap_or_default();
    done.sort_by_key(|(index, _)| *index);
    done.into_iter().map(|(_, result)| result).collect()
}

/// A path with its per cent escapes put back, for people.
pub fn readable(path: &str) -> String {
    String::from_utf8(answer::unescaped(path)).unwrap_or_else(|_| path.to_owned())
}
