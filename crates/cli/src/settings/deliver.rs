//! What a delivery goes by.

use std::path::{Path, PathBuf};
use std::time::Duration;

use kiln_core::plan::Glob;
use url::Url;

use super::markup::{Sources, sources};
use super::secret::{PASSWORD, Secret, usual};
use super::{beside, kiln_file, nearest, selected};
use crate::args::DeliverArgs;
use crate::failure::Failure;
use crate::given::{Media, Protocol, SecretSource, TargetGiven, TargetKind};
use crate::site::SiteFile;

/// The bundle where no target is named.
const BUNDLE: &str = "bundle.zip";

/// All that a delivery goes by.
#[derive(Clone, Debug)]
pub struct DeliverSettings {
    /// Originals, pieces, and folders of them; all where there are none.
    pub paths: Vec<PathBuf>,
    /// Only these places; all where there are none.
    pub places: Vec<String>,
    /// Only what these pages refer to; all where there are none.
    pub pages: Vec<PathBuf>,
    /// Where originals, pieces and words are found.
    pub sources: Sources,
    /// Where they go.
    pub target: Target,
    /// Whether nothing is sent.
    pub dry_run: bool,
    /// Whether what is there is read back.
    pub verify: bool,
    /// Whether what is not delivered any more is removed.
    pub prune: bool,
    /// Files of others that may be replaced.
    pub replace: Vec<Glob>,
    /// Files sent at a time.
    pub at_once: usize,
    /// How often a file is tried.
    pub tries: usize,
    /// How long browsers may keep files: by their names, what `Cache-Control` says.
    pub cache: Vec<(Glob, String)>,
    /// Whether the report is a JSON document.
    pub json: bool,
    /// Whether there is no report.
    pub quiet: bool,
}

/// Where pieces go.
#[derive(Clone, Debug)]
pub enum Target {
    /// Into ZIP files.
    Bundle {
        /// The file; where there are several, they are numbered.
        path: PathBuf,
        /// The most that one may weigh.
        most: Option<u64>,
    },
    /// Into a folder of this machine.
    Folder(PathBuf),
    /// To another machine.
    Remote(Box<Remote>),
}

/// Another machine, and how it is talked to.
#[derive(Clone, Debug)]
pub struct Remote {
    /// How.
    pub protocol: Protocol,
    /// Whether what goes there is encrypted.
    pub is_secure: bool,
    /// The host, as a name or a number.
    pub host: String,
    /// The port, where it is not the usual one.
    pub port: Option<u16>,
    /// The folder there: with a slash at its end, as the address has it.
    pub path: String,
    /// Who logs in.
    pub user: Option<String>,
    /// Where the password, token or passphrase comes from, where that was said.
    pub secret: Option<SecretSource>,
    /// The file of the key that logs in.
    pub key_file: Option<PathBuf>,
    /// The fingerprint of the host's key.
    pub trust: Option<String>,
    /// The certificates of an authority of one's own.
    pub authority: Option<PathBuf>,
    /// The address as it was said, but for who logs in.
    pub endpoint: String,
    /// How a library is used.
    pub media: Media,
    /// The region of a bucket.
    pub region: Option<String>,
    /// Whether the host begins with the name of the bucket.
    pub in_host: bool,
    /// How long nothing may happen.
    pub timeout: Duration,
}

impl DeliverSettings {
    /// What options and kiln file mean together.
    pub fn resolve(typed: &DeliverArgs) -> Result<DeliverSettings, Failure> {
        let file = kiln_file(&typed.stock.kiln_file)?;
        let file = file.as_ref();
        selected(&typed.place, &typed.paths, file)?;
        selected(&[], &typed.page, file)?;
        let given = given(typed, file)?;
        let target = Target::resolve(&given)?;
        let sources = sources(&typed.stock, file)?;
        if typed.split.is_some() && !matches!(target, Target::Bundle { .. }) {
            return Err(refused(
                "--split",
                "goes with a bundle, a TARGET that ends in .zip",
            ));
        }
        Ok(DeliverSettings {
            paths: typed.paths.clone(),
            places: typed.place.clone(),
            pages: typed.page.clone(),
            sources,
            target,
            dry_run: typed.dry_run,
            verify: typed.verify,
            prune: typed.prune,
            replace: typed.replace.clone(),
            at_once: given.at_once.unwrap_or(4),
            tries: given.tries.unwrap_or(4),
            cache: given.cache,
            json: typed.json,
            quiet: typed.quiet,
        })
    }
}

/// What is said of the target: by options, and below them by the kiln file.
fn given(typed: &DeliverArgs, file: Option<&SiteFile>) -> Result<TargetGiven, Failure> {
    let secret = typed.secret.as_deref().map(str::parse).transpose();
    let options = TargetGiven {
        user: typed.user.clone(),
        secret: secret.map_err(|says: String| refused("--secret", &says))?,
        key_file: typed.key_file.clone(),
        trust: typed.trust.clone(),
        authority: typed.authority.clone(),
        unencrypted: typed.unencrypted.then_some(true),
        at_once: typed.at_once,
        tries: typed.tries,
        timeout: typed.timeout,
        split: typed.split,
        region: typed.region.clone(),
        in_host: typed.in_host.then_some(true),
        ..TargetGiven::default()
    };
    let targets = file.map_or(&[][..], |file| &file.targets);
    let below = match &typed.target {
        Some(name) => match targets.iter().find(|(other, _)| other == name) {
            Some((_, target)) => target.clone(),
            None => unnamed(name, targets)?,
        },
        None => match targets {
            [] => TargetGiven {
                kind: Some(TargetKind::Bundle),
                to: Some(beside(file, BUNDLE).to_string_lossy().into_owned()),
                ..TargetGiven::default()
            },
            [(_, target)] => target.clone(),
            several => {
                let names: Vec<&str> = several.iter().map(|(name, _)| name.as_str()).collect();
                let says = format!("has several targets, name one of {}", names.join(", "));
                let path = file.map_or(PathBuf::new(), |file| file.path.clone());
                return Err(Failure::Refused { path, says });
            }
        },
    };
    Ok(options.over(&below))
}

/// A target that is named by where it is.
fn unnamed(name: &str, targets: &[(String, TargetGiven)]) -> Result<TargetGiven, Failure> {
    let path = Path::new(name);
    let is_path = path.components().count() > 1 || name.ends_with(['/', '\\']) || path.is_dir();
    if !name.contains("://") && !is_bundle(name) && !is_path {
        let names: Vec<&str> = targets.iter().map(|(name, _)| name.as_str()).collect();
        let advice = match (nearest(name, &names), &names[..]) {
            (Some(nearest), _) => format!("did you mean {nearest:?}?"),
            (None, []) => format!("the kiln file has none; for a folder of that name say ./{name}"),
            (None, names) => {
                let names = names.join(", ");
                format!("the targets are {names}; for a folder of that name say ./{name}")
            }
        };
        return Err(Failure::NoTarget {
            name: name.to_owned(),
            advice,
        });
    }
    if path.is_file() && !is_bundle(name) {
        return Err(refused(
            name,
            "is a file; name the target first, then files: kiln deliver TARGET PATHS",
        ));
    }
    Ok(TargetGiven {
        to: Some(name.to_owned()),
        ..TargetGiven::default()
    })
}

fn is_bundle(path: &str) -> bool {
    let end = Path::new(path).extension();
    end.is_some_and(|end| end.eq_ignore_ascii_case("zip"))
}

impl Target {
    pub(super) fn resolve(given: &TargetGiven) -> Result<Target, Failure> {
        let to = given.to.clone().unwrap_or_default();
        let refuse = |says| Err(refused(&shown(&to), says));
        let Some((scheme, _)) = to.split_once("://") else {
            return match given.kind {
                Some(TargetKind::Remote(_)) => refuse("is no address of a target of that kind"),
                Some(TargetKind::Folder) => Ok(Target::Folder(to.into())),
                None if !is_bundle(&to) => Ok(Target::Folder(to.into())),
                Some(TargetKind::Bundle) | None => Ok(Target::Bundle {
                    path: to.into(),
                    most: given.split,
                }),
            };
        };
        let scheme = scheme.to_ascii_lowercase();
        let is_web = matches!(scheme.as_str(), "http" | "https");
        let mut schemes = Protocol::SCHEMES.iter();
        let known = schemes.find(|(known, ..)| *known == scheme);
        let (protocol, is_secure) = match (given.kind, known) {
            (None, Some((_, protocol, is_secure))) => (*protocol, *is_secure),
            (Some(TargetKind::Remote(kind)), Some((_, protocol, is_secure)))
                if kind == *protocol =>
            {
                (kind, *is_secure)
            }
            (Some(TargetKind::Remote(kind)), None) if is_web && kind.is_of_the_web() => {
                (kind, scheme == "https")
            }
            (Some(_), _) => return refuse("is no address of a target of that kind"),
            (None, None) if is_web => {
                return refuse(
                    "does not tell what answers there; write davs:// for WebDAV, bucket+https:// for an object store, or give its target in the kiln file a kind",
                );
            }
            (None, None) => {
                return refuse(
                    "is no address of a target; they begin with davs://, sftp://, ftps:// or bucket+https://",
                );
            }
        };
        let remote = Remote::resolve(&to, protocol, is_secure, given)?;
        Ok(Target::Remote(Box::new(remote)))
    }
}

impl Remote {
    fn resolve(
        to: &str,
        protocol: Protocol,
        is_secure: bool,
        given: &TargetGiven,
    ) -> Result<Remote, Failure> {
        let rest = to.split_once("://").map_or(to, |(_, rest)| rest);
        // Hosts and ports are those of the web, whatever the scheme.
        let url = Url::parse(&format!("https://{rest}"))
            .map_err(|error| refused(&shown(to), &format!("is no sound address ({error})")))?;
        if url.password().is_some() {
            return Err(refused(
                &shown(to),
                "holds a password; take it out and say where it comes from, secret = \"env NAME\" or \"command LINE\"",
            ));
        }
        let is_library = matches!(protocol, Protocol::Library(_));
        if (url.query().is_some() && !is_library) || url.fragment().is_some() {
            return Err(refused(
                &shown(to),
                "holds a ? or #, which no folder has; take it out",
            ));
        }
        if !is_secure && given.unencrypted != Some(true) {
            return Err(refused(
                &shown(to),
                "would send password and files in plain; write davs://, ftps:// or https, or say unencrypted = true in the kiln file or --unencrypted of a delivery",
            ));
        }
        // An address without a port has that of the web here, which is the same as none.
        let port = url.port().or_else(|| explicit_port(rest));
        let user = Some(url.username()).filter(|user| !user.is_empty());
        let user = user.map(|user| {
            percent_encoding::percent_decode_str(user)
                .decode_utf8_lossy()
                .into_owned()
        });
        let path = url.path();
        Ok(Remote {
            protocol,
            is_secure,
            host: url.host_str().unwrap_or_default().to_owned(),
            port,
            path: format!("{}/", path.trim_end_matches('/')),
            user: given.user.clone().or(user),
            secret: given.secret.clone(),
            key_file: given.key_file.clone(),
            trust: given.trust.clone(),
            authority: given.authority.clone(),
            endpoint: format!(
                "{}://{}",
                if is_secure { "https" } else { "http" },
                without_user(rest)
            ),
            media: given.media.clone().unwrap_or_default(),
            region: given.region.clone(),
            in_host: given.in_host == Some(true),
            timeout: Duration::from_secs(given.timeout.unwrap_or(30)),
        })
    }

    /// Its address, without who logs in: by this the ledger knows it.
    pub fn address(&self) -> String {
        let mut schemes = Protocol::SCHEMES.iter();
        let ours = (self.protocol, self.is_secure);
        let Some((scheme, ..)) = schemes.find(|(_, protocol, secure)| (*protocol, *secure) == ours)
        else {
            // Those of libraries are of the web.
            return self.endpoint.clone();
        };
        let port = self.port.map_or(String::new(), |port| format!(":{port}"));
        format!("{scheme}://{}{port}{}", self.host, self.path)
    }

    /// The host without the brackets of an address.
    pub fn bare_host(&self) -> &str {
        self.host.trim_start_matches('[').trim_end_matches(']')
    }

    /// The folder as the host knows it: from its root, or from the home of who logs in.
    pub fn folder(&self) -> String {
        let path = percent_encoding::percent_decode_str(&self.path).decode_utf8_lossy();
        path.strip_prefix("/~/").unwrap_or(&path).to_owned()
    }

    /// The certificates of an authority of one's own, in PEM.
    pub fn certificates(&self) -> Result<Option<Vec<u8>>, Failure> {
        let Some(path) = &self.authority else {
            return Ok(None);
        };
        let pem = std::fs::read(path).map_err(Failure::unreadable(path))?;
        let mark = b"-----BEGIN CERTIFICATE-----";
        if !pem.windows(mark.len()).any(|part| part == mark) {
            let says = "holds no certificate; name a PEM file of the authority";
            return Err(refused(&path.to_string_lossy(), says));
        }
        Ok(Some(pem))
    }

    /// Whether it was said where a password comes from.
    pub fn has_secret(&self) -> bool {
        self.secret.is_some() || std::env::var_os(PASSWORD).is_some()
    }

    /// The password, token or passphrase that it needs: from where it was said, else from the environment,
    /// else who sits at the terminal is asked.
    pub fn secret(&self, whose: &str) -> Result<Secret, Failure> {
        match &self.secret {
            Some(source) => source.fetch(&self.address(), self.user.as_deref(), whose),
            None => usual(whose)?.ok_or_else(|| {
                let says = "needs a password; say where it comes from, secret = \"env NAME\" or \"command LINE\" in the kiln file or as --secret of a delivery, or set KILN_PASSWORD";
                refused(&self.address(), says)
            }),
        }
    }
}

/// An address behind its scheme, without who logs in.
pub(super) fn without_user(rest: &str) -> &str {
    let host = rest.split(['/', '?', '#']).next().unwrap_or(rest);
    host.rfind('@').map_or(rest, |at| &rest[at + 1..])
}

/// The port of an address where it is the usual one of the web, which is left out otherwise.
fn explicit_port(rest: &str) -> Option<u16> {
    let host = rest.split(['/', '?', '#']).next().unwrap_or(rest);
    let (_, port) = host
        .rsplit_once(':')
        .filter(|(_, port)| !port.contains(']'))?;
    port.parse().ok()
}

/// An address without the password that it may hold.
fn shown(to: &str) -> String {
    match (to.split_once("://"), to.rsplit_once('@')) {
        (Some((scheme, _)), Some((_, rest))) => format!("{scheme}://{rest}"),
        _ => to.to_owned(),
    }
}

pub(super) fn refused(what: &str, says: &str) -> Failure {
    Failure::Refused {
        path: PathBuf::from(what),
        says: says.to_owned(),
    }
}
