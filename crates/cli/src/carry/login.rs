//! Who asks a server: told at once by name and password or by a token, and where the server wants that otherwise, in
//! answer to its challenge (RFC 7616).

use std::sync::{Mutex, MutexGuard, PoisonError};

use digest_auth::{AuthContext, WwwAuthenticateHeader};
use ureq::http::{Response, StatusCode, header};

use super::http::authorization;
use crate::settings::Secret;

/// Who asks over one connection.
#[derive(Debug)]
pub struct Login {
    user: Option<String>,
    secret: Secret,
    /// What the server wants answered, with what was answered counted.
    challenge: Mutex<Option<WwwAuthenticateHeader>>,
}

impl Login {
    /// Of a name with its password; without a name it is a token.
    pub fn new(user: Option<&str>, secret: Secret) -> Login {
        Login {
            user: user.map(str::to_owned),
            secret,
            challenge: Mutex::default(),
        }
    }

    /// What goes with a request.
    pub fn says(&self, method: &str, url: &str) -> String {
        let mut challenge = self.challenge();
        let answer = challenge.as_mut().and_then(|challenge| {
            let user = self.user.as_deref()?;
            let (_, rest) = url.split_once("://")?;
            let path = &rest[rest.find('/')?..];
            let context = AuthContext::new_with_method(
                user,
                self.secret.0.as_str(),
                path,
                None::<&[u8]>,
                method.into(),
            );
            challenge.respond(&context).ok()
        });
        match answer {
            Some(answer) => answer.to_header_string(),
            None => authorization(self.user.as_deref(), &self.secret),
        }
    }

    fn challenge(&self) -> MutexGuard<'_, Option<WwwAuthenticateHeader>> {
        let locked = self.challenge.lock();
        locked.unwrap_or_else(PoisonError::into_inner)
    }

    /// Whether a refusal asks for an answer that was not given yet, or not with so fresh a challenge.
    pub fn is_challenged<B>(&self, response: &Response<B>) -> bool {
        if response.status() != StatusCode::UNAUTHORIZED || self.user.is_none() {
            return false;
        }
        let told = response.headers().get_all(header::WWW_AUTHENTICATE);
        let mut told = told.iter().filter_map(|value| value.to_str().ok());
        let Some(fresh) = told.find_map(|text| digest_auth::parse(text).ok()) else {
            return false;
        };
        let mut challenge = self.challenge();
        let is_new = challenge.is_none() || fresh.stale;
        *challenge = Some(fresh);
        is_new
    }
}

impl Clone for Login {
    /// Answers are counted for each connection by itself.
    fn clone(&self) -> Login {
        Login::new(self.user.as_deref(), self.secret.clone())
    }
}
