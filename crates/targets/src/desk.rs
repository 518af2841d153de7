//! What another system says: one question by HTTP, and one value of its answer.

use std::time::Duration;

use reqwest::{StatusCode, redirect::Policy};
use secrecy::{ExposeSecret as _, SecretString};
use serde_json::Value;
use tempestas_core::Circumstance;

use crate::{TargetError, described::call::url_of, http};

/// How long an answer may take. Somebody waits for it.
const ANSWER_LIMIT: Duration = Duration::from_secs(5);

/// Whoever asks other systems about circumstances. It follows nobody elsewhere, and goes through no proxy.
pub struct Desk {
    http: reqwest::Client,
}

impl Desk {
    /// One that has asked nothing yet.
    ///
    /// # Errors
    /// When TLS can't be set up.
    pub fn new() -> Result<Self, TargetError> {
        let http = reqwest::Client::builder()
            .connect_timeout(Duration::from_secs(3))
            .timeout(ANSWER_LIMIT)
            .no_proxy()
            .redirect(Policy::none())
            .build();
        Ok(Self { http: http.map_err(|_| TargetError::Unreachable("TLS can't be set up".to_owned()))? })
    }

    /// Whether a circumstance holds, of the reference that it is about. What isn't there doesn't.
    ///
    /// # Errors
    /// When it could not be asked, or its answer can't be read.
    pub async fn ask(
        &self,
        circumstance: &Circumstance,
        of: Option<&str>,
        secret: Option<&SecretString>,
    ) -> Result<bool, TargetError> {
        let unread = || TargetError::Refused("its address can't be read".to_owned());
        // As it was checked when it was set: the scheme, the host, and what is below.
        let host = circumstance.address.match_indices('/').nth(2).map_or(circumstance.address.len(), |(at, _)| at);
        let (host, path) = circumstance.address.split_at_checked(host).ok_or_else(unread)?;
        let values: Vec<(&str, &str)> = circumstance.of().zip(of).into_iter().collect();
        let mut request = self.http.get(url_of(host, path, &values)?).header("accept", "application/json");
        if let Some(secret) = secret {
            request = request.bearer_auth(secret.expose_secret());
        }
        let broken = |error: reqwest::Error| match error.is_timeout() {
            true => TargetError::Slow,
            false => TargetError::Unreachable("no connection, or it broke off".to_owned()),
        };
        let reply = request.send().await.map_err(broken)?;
        match reply.status() {
            StatusCode::NOT_FOUND | StatusCode::GONE => return Ok(false),
            status if status.is_success() => {}
            status => return Err(TargetError::Refused(format!("status {}", status.as_u16()))),
        }
        let answer: Value = serde_json::from_slice(&http::bytes(reply).await?)
            .map_err(|_| TargetError::Refused("what it answered is no JSON".to_owned()))?;
        Ok(answer.pointer(&circumstance.pointer).is_some_and(|value| says(value) == Some(circumstance.is.clone())))
    }
}

/// A text, a number or a truth value as a text.
fn says(value: &Value) -> Option<String> {
    match value {
        Value::String(text) => Some(text.clone()),
        Value::Number(number) => Some(number.to_string()),
        Value::Bool(is) => Some(is.to_string()),
        Value::Null | Value::Array(_) | Value::Object(_) => None,
    }
}
