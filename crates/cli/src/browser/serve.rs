//! A site on disk, served to a browser on this machine for as long as it is measured: addresses that
//! begin with a slash lead to its root there.

use std::fs::File;
use std::io;
use std::net::Ipv4Addr;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::thread;

use kiln_site::kinds;
use tiny_http::{Header, Method, Request, Response, Server};
use url::Url;

/// Requests answered at a time.
const WORKERS: usize = 4;

/// A folder that is served; it ends with this.
pub struct Served {
    server: Arc<Server>,
    /// The address of the folder on disk.
    root: Url,
    /// Its address for the browser.
    base: Url,
}

impl Served {
    /// Serves the folder at an address on disk.
    pub fn begin(root: &Url) -> io::Result<Served> {
        let folder = root.to_file_path().map_err(|()| io::ErrorKind::NotFound)?;
        let folder = folder.canonicalize()?;
        let server = Server::http((Ipv4Addr::LOCALHOST, 0)).map_err(io::Error::other)?;
        let address = server.server_addr().to_ip();
        let address = address.ok_or(io::ErrorKind::AddrNotAvailable)?;
        let base = Url::parse(&format!("http://{address}/")).map_err(io::Error::other)?;
        let server = Arc::new(server);
        for _ in 0..WORKERS {
            let (server, folder) = (server.clone(), folder.clone());
            thread::spawn(move || {
                while let Ok(request) = server.recv() {
                    respond(request, &folder);
                }
            });
        }
        Ok(Served {
            server,
            root: root.clone(),
            base,
        })
    }

    /// The address for the browser of a file below the root.
    pub fn outside(&self, address: &Url) -> Option<Url> {
        let below = address.path().strip_prefix(self.root.path())?;
        let mut outside = self.base.join(below).ok()?;
        outside.set_query(address.query());
        Some(outside)
    }

    /// The address on disk of what a browser asked for; all others stay as they are.
    pub fn inside(&self, address: &Url) -> Url {
        if address.origin() != self.base.origin() {
            return address.clone();
        }
        let below = address.path().trim_start_matches('/');
        let inside = self.root.join(below);
        inside.map_or(address.clone(), |mut inside| {
            inside.set_query(address.query());
            inside
        })
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        for _ in 0..WORKERS {
            self.server.unblock();
        }
    }
}

fn respond(request: Request, folder: &Path) {
    let is_read = matches!(request.method(), Method::Get | Method::Head);
    let found = is_read.then(|| found(request.url(), folder)).flatten();
    // A browser that has gone does not want to know.
    let _ = match found.and_then(|path| Some((File::open(&path).ok()?, kind(&path)))) {
        Some((file, kind)) => {
            let mut response = Response::from_file(file);
            if let Ok(header) = Header::from_bytes("Content-Type", kind) {
                response.add_header(header);
            }
            request.respond(response)
        }
        None => request.respond(Response::empty(404)),
    };
}

/// The file that a request is for; none outside of the folder, whatever links may lie in it.
fn found(asked: &str, folder: &Path) -> Option<PathBuf> {
    let base = Url::from_directory_path(folder).ok()?;
    let path = asked.split(['?', '#']).next()?.trim_start_matches('/');
    let mut path = base.join(path).ok()?.to_file_path().ok()?;
    if path.is_dir() {
        path.push("index.html");
    }
    let real = path.canonicalize().ok()?;
    (real.starts_with(folder) && real.is_file()).then_some(real)
}

/// The media type of a file, by its name.
fn kind(path: &Path) -> &'static str {
    let extension = path.extension().unwrap_or_default().to_string_lossy();
    match extension.to_ascii_lowercase().as_str() {
        "js" | "mjs" => "text/javascript",
        "json" => "application/json",
        "woff2" => "font/woff2",
        "woff" => "font/woff",
        _ => match kinds::by_name(&path.to_string_lossy()) {
            // What says nothing itself is written as people write today.
            "text/html" => "text/html; charset=utf-8",
            "" => "application/octet-stream",
            kind => kind,
        },
    }
}
