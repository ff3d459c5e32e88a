//! Whether the host is the one that it should be (RFC 4251, 4.1).

use std::borrow::Cow;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};

use russh::Preferred;
use russh::client::Handler;
use russh::keys::known_hosts::{check_known_hosts_path, known_host_keys_path};
use russh::keys::{Algorithm, Error, HashAlg, PublicKey, PublicKeyOrCertificate};

/// Keys of hosts that hold for all who use this machine.
const OF_ALL: &str = "/etc/ssh/ssh_known_hosts";

/// What is known of a host; what is wrong with it is left in `verdict`.
pub struct HostCheck {
    host: String,
    port: u16,
    trust: Option<String>,
    verdict: Arc<Mutex<Option<String>>>,
}

impl HostCheck {
    pub fn new(
        host: &str,
        port: u16,
        trust: Option<String>,
        verdict: Arc<Mutex<Option<String>>>,
    ) -> HostCheck {
        HostCheck {
            host: host.to_owned(),
            port,
            trust,
            verdict,
        }
    }

    /// The usual algorithms, those first of which keys of the host are known: of several keys it shows one.
    pub fn preferred(&self) -> Preferred {
        let known = files()
            .into_iter()
            .filter_map(|file| known_host_keys_path(&self.host, self.port, file).ok())
            .flatten();
        let known: Vec<Algorithm> = known.map(|(_, key)| plain(key.algorithm())).collect();
        let mut keys = Preferred::default().key.into_owned();
        keys.sort_by_key(|algorithm| !known.contains(&plain(algorithm.clone())));
        Preferred {
            key: Cow::Owned(keys),
            ..Preferred::default()
        }
    }

    fn says(&self, says: String) -> bool {
        *self.verdict.lock().unwrap_or_else(PoisonError::into_inner) = Some(says);
        false
    }

    fn is_known(&self, key: &PublicKey) -> bool {
        let print = key.fingerprint(HashAlg::Sha256).to_string();
        if let Some(trusted) = &self.trust {
            return *trusted == print
                || self.says(format!(
                    "the host's key is {print} and not that of --trust; ask its owner which is right"
                ));
        }
        for file in files() {
            match check_known_hosts_path(&self.host, self.port, key, &file) {
                Ok(true) => return true,
                Err(Error::KeyChanged { line }) => {
                    return self.says(format!(
                        "the host shows another key than line {line} of {} has ({print}): somebody may stand in between; ask its owner, then mend that line",
                        file.display()
                    ));
                }
                _ => {}
            }
        }
        self.says(format!(
            "is not among the known hosts; its key is {print}: where its owner says the same, say --trust {print}"
        ))
    }
}

impl Handler for HostCheck {
    type Error = russh::Error;

    async fn check_server_key(
        &mut self,
        key: &PublicKeyOrCertificate,
    ) -> Result<bool, russh::Error> {
        Ok(match key {
            PublicKeyOrCertificate::PublicKey { key, .. } => self.is_known(key),
            // None was asked for.
            PublicKeyOrCertificate::Certificate(_) => false,
        })
    }
}

/// Of a signature the hash does not matter.
fn plain(algorithm: Algorithm) -> Algorithm {
    match algorithm {
        Algorithm::Rsa { .. } => Algorithm::Rsa { hash: None },
        other => other,
    }
}

/// Where keys of hosts are kept.
fn files() -> Vec<PathBuf> {
    let own = std::env::home_dir().map(|home| home.join(".ssh").join("known_hosts"));
    own.into_iter().chain([PathBuf::from(OF_ALL)]).collect()
}
