//! Calls to a cloud over HTTP with a bearer key: repeated where the cloud itself fails, lists known to be whole.

use std::time::Duration;

use reqwest::{Method, RequestBuilder, Response, StatusCode};
use secrecy::{ExposeSecret, SecretString};
use serde::{Deserialize, de::DeserializeOwned};

use crate::TargetError;

/// How often a call is made at which the cloud itself fails.
const TRIES: u32 = 3;
/// How long to wait before it is made again; longer each time.
const AGAIN_AFTER: Duration = Duration::from_millis(50);

/// A cloud's interface.
pub(crate) struct Api {
    url: String,
    key: SecretString,
    http: reqwest::Client,
}

/// A list, with how long it should be: a half answer shows itself.
#[derive(Deserialize)]
struct Listed<T> {
    total: usize,
    items: Vec<T>,
}

fn unreachable(error: &reqwest::Error) -> TargetError {
    if error.is_timeout() {
        return TargetError::Slow;
    }
    // The error's own text would carry the address; which half failed is enough.
    TargetError::Unreachable(if error.is_connect() { "no connection" } else { "the answer broke off" }.to_owned())
}

/// Most bytes that a reply may have.
pub(crate) const REPLY_MOST: u64 = 16 * 1024 * 1024;

/// A reply's body, read no further than it may go: what it says of its length may be wrong, or not there.
pub(crate) async fn bytes(mut reply: Response) -> Result<Vec<u8>, TargetError> {
    let mut whole = Vec::new();
    while let Some(piece) = reply.chunk().await.map_err(|error| unreachable(&error))? {
        if (whole.len() + piece.len()) as u64 > REPLY_MOST {
            return Err(TargetError::Refused("its reply has no end".to_owned()));
        }
        whole.extend_from_slice(&piece);
    }
    Ok(whole)
}

impl Api {
    pub(crate) fn new(url: &str, key: SecretString) -> Result<Self, TargetError> {
        let http = reqwest::Client::builder()
            .connect_timeout(Duration::from_secs(3))
            .timeout(Duration::from_secs(10))
            .no_proxy()
            .redirect(reqwest::redirect::Policy::none())
            .build()
            .map_err(|error| unreachable(&error))?;
        let url = url.trim_end_matches('/').to_owned();
        Ok(Self { url, key, http })
    }

    pub(crate) fn call(&self, method: Method, path: &str) -> RequestBuilder {
        self.http.request(method, format!("{}{path}", self.url)).bearer_auth(self.key.expose_secret())
    }

    /// Sends a call, again where the cloud itself failed at it; every one may be repeated.
    pub(crate) async fn send(request: RequestBuilder) -> Result<Response, TargetError> {
        let mut tries = 1;
        loop {
            let this =
                request.try_clone().ok_or_else(|| TargetError::Refused("a call that can't be repeated".to_owned()))?;
            let reply = this.send().await.map_err(|error| unreachable(&error))?;
            match reply.status() {
                status if status.is_success() => return Ok(reply),
                StatusCode::TOO_MANY_REQUESTS => return Err(TargetError::Limited),
                StatusCode::GONE => return Err(TargetError::Late),
                status if status.is_server_error() && tries < TRIES => {
                    tokio::time::sleep(AGAIN_AFTER * tries).await;
                    tries += 1;
                }
                status => return Err(TargetError::Refused(format!("status {}", status.as_u16()))),
            }
        }
    }

    pub(crate) async fn read<T: DeserializeOwned>(request: RequestBuilder) -> Result<T, TargetError> {
        serde_json::from_slice(&bytes(Self::send(request).await?).await?)
            .map_err(|_| TargetError::Refused("what it answered can't be read".to_owned()))
    }

    /// A list, and whether it came whole.
    pub(crate) async fn list<T: DeserializeOwned>(&self, path: &str) -> Result<(Vec<T>, bool), TargetError> {
        let listed: Listed<T> = Self::read(self.call(Method::GET, path)).await?;
        let whole = listed.items.len() == listed.total;
        Ok((listed.items, whole))
    }

    /// A list that is of no use in part.
    pub(crate) async fn whole<T: DeserializeOwned>(&self, path: &str) -> Result<Vec<T>, TargetError> {
        match self.list(path).await? {
            (items, true) => Ok(items),
            (_, false) => Err(TargetError::Refused("it answered only in part".to_owned())),
        }
    }
}
