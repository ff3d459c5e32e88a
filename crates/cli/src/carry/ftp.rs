//! A folder of a server that speaks FTP (RFC 959) over TLS (RFC 4217), or in plain where that is asked for.

use std::collections::HashSet;
use std::io::{self, Write};
use std::net::{TcpStream, ToSocketAddrs};
use std::sync::Arc;
use std::time::UNIX_EPOCH;

use rustls::crypto::ring;
use rustls::pki_types::CertificateDer;
use rustls::pki_types::pem::PemObject;
use rustls::{ClientConfig, RootCertStore};
use rustls_platform_verifier::BuilderVerifierExt;
use suppaftp::list::ListParser;
use suppaftp::types::{FileType, Response};
use suppaftp::{FtpError, RustlsConnector, RustlsFtpStream, Status};

use super::{Body, Carrier, Fault, Found, Item, Listed, Placed, Session};
use crate::failure::Failure;
use crate::ledger::Delivered;
use crate::settings::{Remote, Secret};

/// The usual port.
const PORT: u16 = 21;

/// A folder there.
pub struct Ftp {
    remote: Remote,
    user: String,
    password: Secret,
    /// One for all connections: those of the data resume that of the commands, which servers may ask for.
    tls: Option<Arc<ClientConfig>>,
}

impl Ftp {
    /// The folder of an address.
    pub fn at(remote: &Remote) -> Result<Ftp, Failure> {
        let (user, password) = match &remote.user {
            Some(user) => (user.clone(), remote.secret(&format!("password of {user}"))?),
            None => ("anonymous".to_owned(), Secret("anonymous@".to_owned())),
        };
        let tls = match remote.is_secure {
            true => Some(Arc::new(tls(remote)?)),
            false => None,
        };
        Ok(Ftp {
            remote: remote.clone(),
            user,
            password,
            tls,
        })
    }

    fn connect(&self) -> Result<RustlsFtpStream, Fault> {
        let remote = &self.remote;
        let host = remote.bare_host();
        let port = remote.port.unwrap_or(PORT);
        let mut addresses = (host, port)
            .to_socket_addrs()
            .map_err(|_| Fault::nowhere())?;
        let address = addresses.next().ok_or_else(Fault::nowhere)?;
        let stream = TcpStream::connect_timeout(&address, remote.timeout).map_err(Fault::broken)?;
        stream
            .set_read_timeout(Some(remote.timeout))
            .map_err(Fault::broken)?;
        stream
            .set_write_timeout(Some(remote.timeout))
            .map_err(Fault::broken)?;
        let mut ftp = RustlsFtpStream::connect_with_stream(stream).map_err(fault)?;
        if let Some(tls) = &self.tls {
            let connector = RustlsConnector::from(Arc::clone(tls));
            ftp = ftp.into_secure(connector, host).map_err(unsecured)?;
        }
        let timeout = remote.timeout;
        let mut ftp = ftp.passive_stream_builder(move |address| {
            let stream =
                TcpStream::connect_timeout(&address, timeout).map_err(FtpError::ConnectionError)?;
            stream
                .set_read_timeout(Some(timeout))
                .map_err(FtpError::ConnectionError)?;
            stream
                .set_write_timeout(Some(timeout))
                .map_err(FtpError::ConnectionError)?;
            Ok(stream)
        });
        // Behind a router a server may tell an address that only it knows.
        ftp.set_passive_nat_workaround(true);
        ftp.login(&self.user, &self.password.0)
            .map_err(|error| match &error {
                FtpError::UnexpectedResponse(response)
                    if response.status != Status::NotAvailable =>
                {
                    Fault::target(format!(
                        "the server does not let {} in by that password ({}); check them",
                        self.user,
                        response.status.code()
                    ))
                }
                _ => fault(error),
            })?;
        ftp.transfer_type(FileType::Binary).map_err(fault)?;
        Ok(ftp)
    }
}

impl Carrier for Ftp {
    fn address(&self) -> String {
        self.remote.address()
    }

    fn open(&self) -> Result<Box<dyn Session>, Fault> {
        Ok(Box::new(Line {
            ftp: self.connect()?,
            folder: self.remote.folder(),
            made: HashSet::new(),
            lists: true,
        }))
    }
}

/// A connection.
struct Line {
    ftp: RustlsFtpStream,
    folder: String,
    /// Folders that are known to be there.
    made: HashSet<String>,
    /// Whether the server has lists for programs (RFC 3659, 7).
    lists: bool,
}

impl Line {
    /// The path of a name. What would end a command early is no name there.
    fn path(&self, name: &str) -> Result<String, Fault> {
        match name.contains(|c: char| c.is_control()) {
            true => Err(Fault::file(
                "has a character in its name that FTP cannot send; rename its original",
            )),
            false => Ok(format!("{}{name}", self.folder)),
        }
    }

    fn weight(&mut self, path: &str) -> Result<Option<u64>, Fault> {
        match self.ftp.size(path) {
            Ok(size) => Ok(Some(size as u64)),
            Err(error) if status(&error) == Some(Status::FileUnavailable) => Ok(None),
            Err(error) => Err(fault(error)),
        }
    }

    fn make(&mut self, folder: &str) {
        let mut path = self.folder.trim_end_matches('/').to_owned();
        let parts = folder.split('/').filter(|part| !part.is_empty());
        for part in std::iter::once("").chain(parts) {
            if !part.is_empty() {
                path = format!("{path}/{part}");
            }
            if !path.is_empty() && self.made.insert(path.clone()) {
                // It may be there already; what is missing is told by what comes next.
                let _ = self.ftp.mkdir(&path);
            }
        }
    }

    fn send(&mut self, body: &mut Body<'_>, path: &str) -> Result<(), FtpError> {
        let mut stream = self.ftp.put_with_stream(path)?;
        io::copy(body, &mut stream).map_err(FtpError::ConnectionError)?;
        stream.finish()?;
        body.went();
        Ok(())
    }

    fn lines(&mut self, path: &str) -> Result<Vec<(bool, String)>, FtpError> {
        if self.lists {
            match self.ftp.mlsd(Some(path)) {
                Err(FtpError::UnexpectedResponse(Response {
                    status: Status::BadCommand | Status::NotImplemented,
                    ..
                })) => self.lists = false,
                lines => return Ok(lines?.into_iter().map(|line| (true, line)).collect()),
            }
        }
        Ok(self
            .ftp
            .list(Some(path))?
            .into_iter()
            .map(|line| (false, line))
            .collect())
    }
}

impl Session for Line {
    fn list(&mut self, folder: &str) -> Result<Listed, Fault> {
        let path = self.path(folder)?;
        let path = if path.len() > 1 {
            path.trim_end_matches('/').to_owned()
        } else {
            path
        };
        let lines = match self.lines(&path) {
            Err(error)
                if matches!(
                    status(&error),
                    Some(
                        Status::FileUnavailable
                            | Status::RequestFileActionIgnored
                            | Status::BadArguments
                    )
                ) =>
            {
                return Ok(Listed::default());
            }
            lines => lines.map_err(fault)?,
        };
        let parsed = lines
            .iter()
            .filter_map(|(for_programs, line)| match for_programs {
                true => ListParser::parse_mlsd(line).ok(),
                false => ListParser::parse_posix(line)
                    .or_else(|_| ListParser::parse_dos(line))
                    .ok(),
            });
        let mut listed = Listed::default();
        for file in parsed {
            let name = file.name().rsplit('/').next().unwrap_or_default();
            if !file.is_file() {
                // A folder names itself, and the one above it.
                if file.is_directory() && !matches!(name, "" | "." | "..") {
                    listed.folders.push(name.to_owned());
                }
                continue;
            }
            let since = file.modified().duration_since(UNIX_EPOCH).ok();
            let found = Found {
                weight: file.size() as u64,
                tag: since
                    .filter(|since| self.lists && !since.is_zero())
                    .map(|since| since.as_secs().to_string()),
            };
            listed.files.insert(name.to_owned(), found);
        }
        Ok(listed)
    }

    fn put(&mut self, item: &Item<'_>, replace: bool) -> Result<Placed, Fault> {
        let (part, to) = (self.path(&item.part())?, self.path(item.name)?);
        let mut body = item.body()?;
        let mut sent = self.send(&mut body, &part);
        if sent
            .as_ref()
            .err()
            .and_then(status)
            .is_some_and(|status| matches!(status, Status::FileUnavailable | Status::BadFilename))
        {
            self.make(item.parts().0);
            sent = self.send(&mut body, &part);
        }
        if let Err(error) = sent {
            let fault = fault(error);
            let _ = self.ftp.rm(&part);
            return Err(fault);
        }
        let there = self.weight(&part)?.unwrap_or(0);
        if there != item.weight {
            let _ = self.ftp.rm(&part);
            return Err(Fault::odd(item.weight, there));
        }
        if !replace && self.weight(&to)?.is_some() {
            let _ = self.ftp.rm(&part);
            return Err(Fault::taken());
        }
        if let Err(error) = self.ftp.rename(&part, &to) {
            // Some servers do not name a file over another.
            let retried =
                replace && self.ftp.rm(&to).is_ok() && self.ftp.rename(&part, &to).is_ok();
            if !retried {
                let _ = self.ftp.rm(&part);
                return Err(fault(error));
            }
        }
        Ok(Placed::default())
    }

    fn get(&mut self, name: &str, into: &mut dyn Write) -> Result<(), Fault> {
        let path = self.path(name)?;
        let mut stream = self.ftp.retr_as_stream(&path).map_err(fault)?;
        io::copy(&mut stream, into).map_err(Fault::broken)?;
        stream.finish().map_err(fault)
    }

    fn remove(&mut self, name: &str, _: Option<&Delivered>) -> Result<(), Fault> {
        let path = self.path(name)?;
        match self.ftp.rm(&path) {
            Ok(()) => Ok(()),
            Err(error) if self.weight(&path)?.is_none() && status(&error).is_some() => Ok(()),
            Err(error) => Err(fault(error)),
        }
    }
}

/// What a certificate is checked with.
fn tls(remote: &Remote) -> Result<ClientConfig, Failure> {
    let unsound = |says: String| Failure::Undelivered {
        address: remote.address(),
        says,
    };
    let builder = ClientConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_safe_default_protocol_versions()
        .map_err(|error| unsound(format!("TLS cannot be begun ({error})")))?;
    let builder = match remote.certificates()? {
        None => builder.with_platform_verifier().map_err(|error| {
            unsound(format!(
                "the certificates of this machine cannot be read ({error})"
            ))
        })?,
        Some(pem) => {
            let mut roots = RootCertStore::empty();
            for certificate in CertificateDer::pem_slice_iter(&pem).flatten() {
                roots
                    .add(certificate)
                    .map_err(|error| unsound(format!("--authority: {error}")))?;
            }
            builder.with_root_certificates(roots)
        }
    };
    Ok(builder.with_no_client_auth())
}

fn status(error: &FtpError) -> Option<Status> {
    match error {
        FtpError::UnexpectedResponse(response) => Some(response.status),
        _ => None,
    }
}

/// What a refusal means (RFC 959, 4.2).
fn fault(error: FtpError) -> Fault {
    match error {
        FtpError::ConnectionError(error) => Fault::broken(error),
        FtpError::SecureError(says) => Fault::untrusted(&says),
        FtpError::UnexpectedResponse(response) => {
            let said = String::from_utf8_lossy(&response.body);
            let said = said.trim();
            match response.status.code() {
                452 | 552 => Fault::full(),
                550 | 553 | 501 | 504 => Fault::file(format!("the server refuses it ({said})")),
                530 | 532 => Fault::target(format!(
                    "the server lets nobody write there ({said}); check user and password"
                )),
                400..=499 => Fault::passing(format!("the server could not do it ({said})")),
                _ => Fault::file(format!("the server refuses it ({said})")),
            }
        }
        error => Fault::passing(format!("the connection broke ({error})")),
    }
}

fn unsecured(error: FtpError) -> Fault {
    match error {
        FtpError::UnexpectedResponse(response) => Fault::target(format!(
            "the server does not take TLS there ({}); ask its owner, or write ftp:// and say --unencrypted",
            response.status.code()
        )),
        error => fault(error),
    }
}
