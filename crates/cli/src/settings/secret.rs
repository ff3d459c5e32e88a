//! Passwords, tokens and passphrases: fetched from where it was said that they are.

use std::io::{self, IsTerminal};
use std::path::Path;
use std::process::{Command, Stdio};

use super::deliver::refused;
use crate::failure::Failure;
use crate::given::SecretSource;

/// A password, token or passphrase; it is never printed.
#[derive(Clone, PartialEq, Eq)]
pub struct Secret(pub String);

impl std::fmt::Debug for Secret {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Secret")
    }
}

/// The variable that a password may stand in, where nothing else is said.
pub const PASSWORD: &str = "KILN_PASSWORD";

/// Where nothing else is said: what the environment has, else what who sits at the terminal types; nothing where
/// nobody sits there.
pub fn usual(whose: &str) -> Result<Option<Secret>, Failure> {
    match std::env::var(PASSWORD) {
        Ok(password) => Ok(Some(Secret(password))),
        Err(_) if io::stdin().is_terminal() => asked(whose).map(Some),
        Err(_) => Ok(None),
    }
}

/// What who sits at the terminal types, unseen.
fn asked(whose: &str) -> Result<Secret, Failure> {
    let asked = rpassword::prompt_password(format!("{whose}: "));
    asked
        .map(Secret)
        .map_err(Failure::unreadable(Path::new("the password")))
}

impl SecretSource {
    /// Fetches it, for a target and who logs in there.
    pub fn fetch(&self, target: &str, user: Option<&str>, whose: &str) -> Result<Secret, Failure> {
        match self {
            SecretSource::Environment(name) => std::env::var(name).map(Secret).map_err(|_| {
                refused(
                    name,
                    "is not set; set it to the password before kiln deliver",
                )
            }),
            SecretSource::Command(line) => printed(line),
            SecretSource::Keyring => kept(target, user.unwrap_or("token"), whose),
        }
    }
}

/// The first line that a command prints.
fn printed(line: &str) -> Result<Secret, Failure> {
    let (shell, flag) = if cfg!(windows) {
        ("cmd", "/C")
    } else {
        ("sh", "-c")
    };
    let done = Command::new(shell)
        .args([flag, line])
        .stdin(Stdio::inherit())
        .stderr(Stdio::inherit())
        .output()
        .map_err(Failure::unreadable(Path::new(shell)))?;
    let text = String::from_utf8(done.stdout).unwrap_or_default();
    let secret = text.lines().next().unwrap_or_default();
    if !done.status.success() || secret.is_empty() {
        // Not with its words: a secret may be among them.
        let says = "its command gave no password; run it by hand to see why";
        return Err(refused("secret", says));
    }
    Ok(Secret(secret.to_owned()))
}

/// What the keyring of the system has for a target and a user. What it has not is asked for where somebody can be
/// asked, and put there.
#[cfg(feature = "keyring")]
fn kept(target: &str, user: &str, whose: &str) -> Result<Secret, Failure> {
    use keyring::v1::{Entry, Error};

    let locked = |error: Error| {
        let says = format!(
            "the keyring cannot be asked ({error}); unlock it, or say \"env NAME\" or \"command LINE\""
        );
        refused(target, &says)
    };
    let entry = Entry::new(target, user).map_err(locked)?;
    match entry.get_password() {
        Ok(password) => Ok(Secret(password)),
        Err(Error::NoEntry) if io::stdin().is_terminal() => {
            let secret = asked(whose)?;
            entry.set_password(&secret.0).map_err(locked)?;
            Ok(secret)
        }
        Err(Error::NoEntry) => {
            let says = "has no secret in the keyring; run it once in a terminal, which asks and puts it there";
            Err(refused(target, says))
        }
        Err(error) => Err(locked(error)),
    }
}

#[cfg(not(feature = "keyring"))]
fn kept(target: &str, _: &str, _: &str) -> Result<Secret, Failure> {
    let says = "this program was built without keyrings; build it with --features keyring, or say \"env NAME\" or \"command LINE\"";
    Err(refused(target, says))
}
