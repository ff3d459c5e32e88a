//! A folder of a machine that one logs in to over SSH: SFTP, version 3 (draft-ietf-secsh-filexfer-02).

mod host;
mod login;

use std::collections::HashSet;
use std::future::Future;
use std::io::{Read, SeekFrom, Write};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use russh::client::{self, Handle};
use russh_sftp::client::error::Error as SftpError;
use russh_sftp::client::{Config, RawSftpSession, SftpSession};
use russh_sftp::protocol::{OpenFlags, Packet, StatusCode};
use tokio::io::{AsyncReadExt, AsyncSeekExt, AsyncWriteExt};
use tokio::runtime::{Builder, Runtime};
use tokio::time::timeout;

use super::{Body, Carrier, Fault, Found, Item, Listed, Placed, Session};
use crate::failure::Failure;
use crate::ledger::Delivered;
use crate::settings::Remote;
use host::HostCheck;
use login::Login;

/// The usual port of SSH.
const PORT: u16 = 22;

/// Bytes read from a file at a time.
const CHUNK: usize = 256 << 10;

/// Renames over a file that stands there (OpenSSH's PROTOCOL, 4.1).
const RENAME: &str = "posix-rename@openssh.com";

/// A folder there.
pub struct Sftp {
    remote: Remote,
    login: Login,
}

impl Sftp {
    /// The folder of an address.
    pub fn at(remote: &Remote) -> Result<Sftp, Failure> {
        Ok(Sftp {
            login: Login::of(remote)?,
            remote: remote.clone(),
        })
    }

    async fn connect(&self) -> Result<(Handle<HostCheck>, SftpSession), Fault> {
        let remote = &self.remote;
        let host = remote.bare_host().to_owned();
        let port = remote.port.unwrap_or(PORT);
        let verdict = Arc::new(Mutex::new(None));
        let check = HostCheck::new(&host, port, remote.trust.clone(), Arc::clone(&verdict));
        let config = client::Config {
            preferred: check.preferred(),
            nodelay: true,
            keepalive_interval: Some(Duration::from_secs(15)),
            ..client::Config::default()
        };
        let connecting = client::connect(Arc::new(config), (host, port), check);
        let mut handle = match timeout(remote.timeout, connecting).await {
            Err(_) => return Err(Fault::late()),
            Ok(Ok(handle)) => handle,
            Ok(Err(error)) => {
                let verdict = verdict
                    .lock()
                    .unwrap_or_else(PoisonError::into_inner)
                    .take();
                return Err(verdict.map_or_else(|| unconnected(error), Fault::target));
            }
        };
        self.login.enter(&mut handle).await?;
        let channel = handle.channel_open_session().await.map_err(unconnected)?;
        channel
            .request_subsystem(true, "sftp")
            .await
            .map_err(unconnected)?;
        let session = SftpSession::new_with_config(channel.into_stream(), self.config());
        let session = session.await.map_err(|error| match error {
            SftpError::Timeout => Fault::late(),
            error => Fault::target(format!(
                "the server lets nobody use SFTP there ({error}); ask its owner"
            )),
        })?;
        Ok((handle, session))
    }

    fn config(&self) -> Config {
        Config {
            request_timeout_secs: self.remote.timeout.as_secs(),
            max_concurrent_writes: 64,
            ..Config::default()
        }
    }

    /// The folder as the server is told it: from its root, or from the home of who logs in.
    fn folder(&self) -> String {
        let folder = self.remote.folder();
        // No folder at all is none to be read.
        if folder.is_empty() {
            "./".to_owned()
        } else {
            folder
        }
    }
}

impl Carrier for Sftp {
    fn address(&self) -> String {
        self.remote.address()
    }

    fn open(&self) -> Result<Box<dyn Session>, Fault> {
        let runtime = Builder::new_current_thread()
            .enable_all()
            .build()
            .map_err(|error| {
                Fault::target(format!("cannot be begun ({error}); close other programs"))
            })?;
        let (handle, session) = runtime.block_on(self.connect())?;
        Ok(Box::new(Line {
            runtime,
            handle,
            session,
            config: self.config(),
            names: None,
            folder: self.folder(),
            made: HashSet::new(),
        }))
    }
}

/// A connection.
struct Line {
    runtime: Runtime,
    handle: Handle<HostCheck>,
    session: SftpSession,
    config: Config,
    /// A second channel, for requests that the first has no words for.
    names: Option<RawSftpSession>,
    folder: String,
    /// Folders that are known to be there.
    made: HashSet<String>,
}

impl Line {
    fn path(&self, name: &str) -> String {
        format!("{}{name}", self.folder)
    }

    /// Waits for an answer.
    fn ask<T>(&self, answer: impl Future<Output = Result<T, SftpError>>) -> Result<T, SftpError> {
        self.runtime.block_on(answer)
    }

    /// The bytes of a file.
    fn weight(&self, path: &str) -> Result<Option<u64>, Fault> {
        match self.ask(self.session.metadata(path)) {
            Ok(about) => Ok(Some(about.size.unwrap_or(0))),
            Err(error) if is(&error, StatusCode::NoSuchFile) => Ok(None),
            Err(error) => Err(fault(error)),
        }
    }

    /// Makes the folder of a file with those above it, where they are missing.
    fn make(&mut self, folder: &str) -> Result<(), Fault> {
        let base = self.folder.trim_end_matches('/').to_owned();
        let mut paths = vec![base];
        let mut below = String::new();
        for part in folder.split('/').filter(|part| !part.is_empty()) {
            below = if below.is_empty() {
                part.to_owned()
            } else {
                format!("{below}/{part}")
            };
            paths.push(self.path(&below));
        }
        for path in paths {
            if path.is_empty() || self.made.contains(&path) {
                continue;
            }
            if self.weight(&path)?.is_none()
                && let Err(error) = self.ask(self.session.create_dir(path.clone()))
                // Another connection was faster.
                && self.weight(&path)?.is_none()
            {
                let says = format!(
                    "the folder {path} cannot be made there ({error}); check address and user"
                );
                return Err(Fault::target(says));
            }
            self.made.insert(path);
        }
        Ok(())
    }

    fn send(&self, body: &mut Body<'_>, path: &str) -> Result<(), SftpError> {
        self.runtime.block_on(async {
            let flags = OpenFlags::CREATE | OpenFlags::TRUNCATE | OpenFlags::WRITE;
            let mut file = self.session.open_with_flags(path, flags).await?;
            let mut chunk = vec![0; CHUNK];
            loop {
                let read = body.read(&mut chunk)?;
                if read == 0 {
                    break;
                }
                file.write_all(&chunk[..read]).await?;
            }
            file.flush().await?;
            Ok(file.close().await?)
        })
    }

    /// Whether a fault comes from there being no room.
    fn is_full(&self, weight: u64) -> bool {
        let folder = self.folder.clone();
        let room = self.ask(self.session.fs_info(folder)).ok().flatten();
        room.is_some_and(|room| room.blocks_avail.saturating_mul(room.fragment_size) < weight)
    }

    /// Names a file anew, over one that stands there: in one step where the server can.
    fn rename_over(&mut self, from: &str, to: &str) -> Result<(), Fault> {
        if self.names.is_none() {
            let names = self.runtime.block_on(async {
                let channel = self
                    .handle
                    .channel_open_session()
                    .await
                    .map_err(unconnected)?;
                channel
                    .request_subsystem(true, "sftp")
                    .await
                    .map_err(unconnected)?;
                let names =
                    RawSftpSession::new_with_config(channel.into_stream(), self.config.clone());
                names.init().await.map_err(fault)?;
                Ok(names)
            })?;
            self.names = Some(names);
        }
        let Some(names) = &self.names else {
            return Err(Fault::passing("the connection broke"));
        };
        let mut data = Vec::new();
        for path in [from, to] {
            data.extend((path.len() as u32).to_be_bytes());
            data.extend(path.as_bytes());
        }
        match self.ask(names.extended(RENAME, data)).map_err(fault)? {
            Packet::Status(status) if status.status_code == StatusCode::Ok => Ok(()),
            Packet::Status(status) if status.status_code == StatusCode::OpUnsupported => {
                self.ask(self.session.remove_file(to)).map_err(fault)?;
                self.ask(self.session.rename(from, to)).map_err(fault)
            }
            Packet::Status(status) => Err(fault(SftpError::Status(status))),
            _ => Err(Fault::passing("the server answered what nobody asked")),
        }
    }
}

impl Session for Line {
    fn list(&mut self, folder: &str) -> Result<Listed, Fault> {
        let path = self.path(folder);
        let path = if path.len() > 1 {
            path.trim_end_matches('/')
        } else {
            &path
        };
        let entries = match self.ask(self.session.read_dir(path)) {
            Err(error) if is(&error, StatusCode::NoSuchFile) => return Ok(Listed::default()),
            entries => entries.map_err(fault)?,
        };
        let mut listed = Listed::default();
        for entry in entries {
            if entry.file_type().is_dir() {
                listed.folders.push(entry.file_name());
                continue;
            }
            let about = entry.metadata();
            let found = Found {
                weight: about.size.unwrap_or(0),
                tag: about.mtime.map(|time| time.to_string()),
            };
            listed.files.insert(entry.file_name(), found);
        }
        Ok(listed)
    }

    fn put(&mut self, item: &Item<'_>, replace: bool) -> Result<Placed, Fault> {
        let part = self.path(&item.part());
        let to = self.path(item.name);
        let mut body = item.body()?;
        let mut sent = self.send(&mut body, &part);
        if sent
            .as_ref()
            .is_err_and(|error| is(error, StatusCode::NoSuchFile))
        {
            self.make(item.parts().0)?;
            sent = self.send(&mut body, &part);
        }
        if let Err(error) = sent {
            // Of a full disk nothing is told but that it failed.
            let is_full = !matches!(error, SftpError::Timeout) && self.is_full(item.weight);
            let _ = self.ask(self.session.remove_file(part));
            return Err(if is_full { Fault::full() } else { fault(error) });
        }
        body.went();
        let there = self.weight(&part)?.unwrap_or(0);
        if there != item.weight {
            let is_full = self.is_full(item.weight);
            let _ = self.ask(self.session.remove_file(part));
            return Err(if is_full {
                Fault::full()
            } else {
                Fault::odd(item.weight, there)
            });
        }
        let named = if replace {
            self.rename_over(&part, &to)
        } else {
            self.ask(self.session.rename(part.as_str(), to.as_str()))
                .map_err(fault)
        };
        named.map(|()| Placed::default()).map_err(|fault| {
            let _ = self.ask(self.session.remove_file(part.as_str()));
            match self.weight(&to) {
                Ok(Some(_)) if !replace => Fault::taken(),
                _ => fault,
            }
        })
    }

    fn get(&mut self, name: &str, into: &mut dyn Write) -> Result<(), Fault> {
        let path = self.path(name);
        self.runtime.block_on(async {
            let mut file = self.session.open(path).await.map_err(fault)?;
            let mut chunk = vec![0; CHUNK];
            loop {
                let read = file.read(&mut chunk).await;
                let read = read
                    .map_err(|error| Fault::passing(format!("the connection broke ({error})")))?;
                if read == 0 {
                    return Ok(());
                }
                into.write_all(&chunk[..read]).map_err(Fault::unread)?;
            }
        })
    }

    fn get_part(&mut self, name: &str, from: u64, most: u64) -> Result<Vec<u8>, Fault> {
        let broken = |error| Fault::passing(format!("the connection broke ({error})"));
        self.runtime.block_on(async {
            let mut file = self.session.open(self.path(name)).await.map_err(fault)?;
            file.seek(SeekFrom::Start(from)).await.map_err(broken)?;
            let mut bytes = Vec::new();
            let read = file.take(most).read_to_end(&mut bytes).await;
            read.map(|_| bytes).map_err(broken)
        })
    }

    fn remove(&mut self, name: &str, _: Option<&Delivered>) -> Result<(), Fault> {
        match self.ask(self.session.remove_file(self.path(name))) {
            Err(error) if !is(&error, StatusCode::NoSuchFile) => Err(fault(error)),
            _ => Ok(()),
        }
    }
}

fn is(error: &SftpError, code: StatusCode) -> bool {
    matches!(error, SftpError::Status(status) if status.status_code == code)
}

/// What a refusal means.
fn fault(error: SftpError) -> Fault {
    match &error {
        SftpError::Status(status) => match status.status_code {
            StatusCode::PermissionDenied => Fault::file(
                "the server does not let this user write it; check its permissions there",
            ),
            StatusCode::NoConnection | StatusCode::ConnectionLost => {
                Fault::passing(format!("the connection broke ({error})"))
            }
            _ => Fault::file(format!("the server refuses it ({error})")),
        },
        SftpError::Timeout => Fault::late(),
        _ => Fault::passing("the connection broke"),
    }
}

/// What a failed connection means.
fn unconnected(error: russh::Error) -> Fault {
    match error {
        russh::Error::IO(error) => Fault::broken(error),
        russh::Error::NoCommonAlgo { .. } => Fault::target(format!(
            "the server knows none of the ciphers that are safe today ({error}); ask its owner"
        )),
        _ => Fault::passing(format!("the connection broke ({error})")),
    }
}
