//! Who logs in, and by what (RFC 4252, RFC 4256).

use std::path::Path;
use std::sync::Arc;

use russh::client::{AuthResult, Handle, KeyboardInteractiveAuthResponse};
use russh::keys::agent::AgentIdentity;
use russh::keys::agent::client::AgentClient;
use russh::keys::{Algorithm, Error, HashAlg, PrivateKey, PrivateKeyWithHashAlg, load_secret_key};

use super::super::Fault;
use super::host::HostCheck;
use super::unconnected;
use crate::failure::Failure;
use crate::settings::{Remote, Secret};

/// Keys that are tried where nothing is said, in the home's folder of ssh.
const KEYS: [&str; 3] = ["id_ed25519", "id_ecdsa", "id_rsa"];

/// Questions that a server may ask before it lets somebody in.
const QUESTIONS: usize = 4;

/// Who logs in.
pub struct Login {
    user: String,
    by: By,
}

/// By what.
enum By {
    Key(Arc<PrivateKey>),
    Password(Secret),
    /// What the agent has, and the usual keys.
    Usual,
}

impl Login {
    pub fn of(remote: &Remote) -> Result<Login, Failure> {
        let user = remote.user.clone().or_else(whoami).unwrap_or_default();
        let has_secret = remote.has_secret();
        let by = match &remote.key_file {
            Some(path) => By::Key(Arc::new(key(path, remote)?)),
            None if has_secret => By::Password(remote.secret(&format!("password of {user}"))?),
            None => By::Usual,
        };
        Ok(Login { user, by })
    }

    /// Logs in.
    pub async fn enter(&self, handle: &mut Handle<HostCheck>) -> Result<(), Fault> {
        let entered = match &self.by {
            By::Key(key) => self.by_key(handle, Arc::clone(key)).await?,
            By::Password(password) => self.by_password(handle, password).await?,
            By::Usual => self.by_usual(handle).await?,
        };
        if entered {
            return Ok(());
        }
        let user = &self.user;
        Err(Fault::target(match self.by {
            By::Key(_) => format!(
                "the server does not let {user} in by that key; check --user and --key-file"
            ),
            By::Password(_) => {
                format!("the server does not let {user} in by that password; check them")
            }
            By::Usual => format!(
                "the server lets {user} in by no key of the agent or of ~/.ssh; say --user, --key-file or --secret"
            ),
        }))
    }

    async fn by_key(
        &self,
        handle: &mut Handle<HostCheck>,
        key: Arc<PrivateKey>,
    ) -> Result<bool, Fault> {
        let hash = hash(handle, key.algorithm()).await?;
        let key = PrivateKeyWithHashAlg::new(key, hash);
        let entered = handle.authenticate_publickey(&self.user, key).await;
        Ok(entered.map_err(unconnected)?.success())
    }

    async fn by_password(
        &self,
        handle: &mut Handle<HostCheck>,
        password: &Secret,
    ) -> Result<bool, Fault> {
        let entered = handle.authenticate_password(&self.user, &password.0).await;
        if let AuthResult::Success = entered.map_err(unconnected)? {
            return Ok(true);
        }
        // Some servers ask for it as a question.
        let begun = handle.authenticate_keyboard_interactive_start(&self.user, None);
        let mut answer = begun.await.map_err(unconnected)?;
        for _ in 0..QUESTIONS {
            let prompts = match answer {
                KeyboardInteractiveAuthResponse::Success => return Ok(true),
                KeyboardInteractiveAuthResponse::Failure { .. } => return Ok(false),
                KeyboardInteractiveAuthResponse::InfoRequest { prompts, .. } => prompts,
            };
            // A password is what is typed unseen; nothing else is known here.
            let answers = prompts.iter().map(|prompt| match prompt.echo {
                false => password.0.clone(),
                true => String::new(),
            });
            let told = handle.authenticate_keyboard_interactive_respond(answers.collect());
            answer = told.await.map_err(unconnected)?;
        }
        Ok(false)
    }

    async fn by_usual(&self, handle: &mut Handle<HostCheck>) -> Result<bool, Fault> {
        if self.by_agent(handle).await? {
            return Ok(true);
        }
        let home = std::env::home_dir().unwrap_or_default().join(".ssh");
        for name in KEYS {
            // One with a passphrase is the agent's business.
            if let Ok(key) = load_secret_key(home.join(name), None)
                && self.by_key(handle, Arc::new(key)).await?
            {
                return Ok(true);
            }
        }
        Ok(false)
    }

    #[cfg(unix)]
    async fn by_agent(&self, handle: &mut Handle<HostCheck>) -> Result<bool, Fault> {
        let Ok(mut agent) = AgentClient::connect_env().await else {
            return Ok(false);
        };
        for identity in agent.request_identities().await.unwrap_or_default() {
            let AgentIdentity::PublicKey { key, .. } = identity else {
                continue;
            };
            let hash = hash(handle, key.algorithm()).await?;
            let entered = handle
                .authenticate_publickey_with(&self.user, key, hash, &mut agent)
                .await;
            if entered.is_ok_and(|entered| entered.success()) {
                return Ok(true);
            }
        }
        Ok(false)
    }

    #[cfg(not(unix))]
    async fn by_agent(&self, _: &mut Handle<HostCheck>) -> Result<bool, Fault> {
        Ok(false)
    }
}

/// What an RSA key signs with: what the server knows best (RFC 8332).
async fn hash(handle: &Handle<HostCheck>, algorithm: Algorithm) -> Result<Option<HashAlg>, Fault> {
    if !algorithm.is_rsa() {
        return Ok(None);
    }
    let best = handle.best_supported_rsa_hash().await;
    Ok(best.map_err(unconnected)?.flatten())
}

/// The key of a file; its passphrase is asked for only where it has one.
fn key(path: &Path, remote: &Remote) -> Result<PrivateKey, Failure> {
    let refused = |says: String| Failure::Refused {
        path: path.to_owned(),
        says,
    };
    match load_secret_key(path, None) {
        Err(Error::KeyIsEncrypted) => {
            let secret = remote.secret(&format!("passphrase of {}", path.display()))?;
            load_secret_key(path, Some(&secret.0))
                .map_err(|_| refused("is not opened by that passphrase; check it".to_owned()))
        }
        Err(Error::IO(error)) => Err(Failure::unreadable(path)(error)),
        Err(error) => Err(refused(format!("holds no private key ({error})"))),
        Ok(key) => Ok(key),
    }
}

/// Who sits at this machine.
fn whoami() -> Option<String> {
    let names = ["USER", "LOGNAME", "USERNAME"].into_iter();
    names
        .filter_map(|name| std::env::var(name).ok())
        .find(|name| !name.is_empty())
}
