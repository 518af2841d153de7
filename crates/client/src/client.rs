//! A client of one service: what is sent, and how replies are read.

mod calls;
mod unreachable;

use std::{collections::BTreeSet, path::PathBuf, time::Duration};

use jiff::tz::TimeZone;
use reqwest::{Certificate, Method, Response, StatusCode, Url, header::LINK};
use ring::rand::{SecureRandom as _, SystemRandom};
use secrecy::{ExposeSecret, SecretString};
use serde::{Serialize, de::DeserializeOwned};
use serde_json::Value;
use tempestas_api::{
    DeviceReply, DeviceRequest, DeviceTokenRequest, ElevationFilter, ElevationStory, IDEMPOTENCY_KEY, LedgerFilter,
    Problem, SPOKEN, TokenRefusal, TokenReply, WaitQuery, as_precondition, by_clock, takes_key,
};

use tempestas_core::{LookedAt, is_deceptive, plainly};
use url::form_urlencoded;

use self::unreachable::unreachable;
use crate::ClientError;

/// How a service is reached.
#[derive(Debug, Clone)]
pub struct Connection {
    /// Its address.
    pub server: String,
    /// A certificate authority to trust besides the system's, in PEM.
    pub authority: Option<PathBuf>,
}

/// A client of one service, signed in or not.
#[derive(Clone)]
pub struct Client {
    http: reqwest::Client,
    base: Url,
    token: Option<SecretString>,
    /// By whose clock, where replies are for people to read; nothing in them may steer what is shown then.
    for_people: Option<TimeZone>,
}

/// What has lines, and is printed as lines, or is verified byte for byte; of everything else a line break is written out.
const WITH_LINES: [&str; 9] =
    ["script", "undo", "patch", "checkpoint", "public_key", "fact", "reason", "word", "end_word"];

/// Writes out whatever would deceive in every text of a reply: names come from systems, reasons from people, and both may
/// hold anything. What the service itself says is put by the reader's clock.
fn made_plain(value: &mut Value, under: &str, zone: &TimeZone) {
    match value {
        Value::String(text) => {
            if text.contains(is_deceptive) {
                let parts = text.split('\n').map(plainly);
                let lines = WITH_LINES.contains(&under);
                *text = if lines { parts.collect::<Vec<_>>().join("\n") } else { plainly(text).into_owned() };
            }
            if SPOKEN.contains(&under) {
                *text = by_clock(text, zone);
            }
        }
        Value::Array(all) => all.iter_mut().for_each(|one| made_plain(one, under, zone)),
        Value::Object(named) => {
            let named = std::mem::take(named).into_iter().map(|(name, mut value)| {
                made_plain(&mut value, &name, zone);
                (plainly(&name).into_owned(), value)
            });
            *value = Value::Object(named.collect());
        }
        _ => {}
    }
}

/// Most bytes of a reply that is read at once.
const REPLY_MOST: usize = 64 * 1024 * 1024;

fn endless() -> ClientError {
    ClientError::Unreadable(format!("it has no end within {REPLY_MOST} bytes"))
}

/// The whole of a reply, unless it has no end in sight.
async fn whole(mut response: Response) -> Result<Vec<u8>, ClientError> {
    let mut read = Vec::new();
    while let Some(piece) = response.chunk().await.map_err(|error| unreachable(&error))? {
        if read.len() + piece.len() > REPLY_MOST {
            return Err(endless());
        }
        read.extend_from_slice(&piece);
    }
    Ok(read)
}

/// The address of the next page of a list, which is the same one with another query: nothing else is followed.
fn next_page(response: &Response) -> Option<Url> {
    let link = response.headers().get(LINK)?.to_str().ok()?;
    let query = link.strip_prefix("<?")?.strip_suffix(">; rel=\"next\"")?;
    let mut page = response.url().clone();
    page.set_query(Some(query));
    Some(page)
}

/// A key that no other request has.
fn new_key() -> Result<String, ClientError> {
    let mut bytes = [0; 16];
    let none = |_| ClientError::Unreachable("this system has no random bytes to give".to_owned());
    SystemRandom::new().fill(&mut bytes).map_err(none)?;
    Ok(hex::encode(bytes))
}

fn no_token(refusal: TokenRefusal) -> ClientError {
    let status = StatusCode::BAD_REQUEST;
    ClientError::Refused(Box::new(Problem {
        kind: "about:blank".to_owned(),
        title: status.canonical_reason().unwrap_or_default().to_owned(),
        status: status.as_u16(),
        detail: refusal.error_description,
        code: refusal.error,
        cause: None,
        max_age: None,
        accepts: BTreeSet::new(),
    }))
}

impl Client {
    /// A client; nothing is called yet.
    ///
    /// # Errors
    /// When the address or the authority can't be used.
    pub fn new(connection: &Connection, token: Option<SecretString>) -> Result<Self, ClientError> {
        let wrong = |what: String| ClientError::Unreachable(what);
        let base = Url::parse(&connection.server)
            .ok()
            .filter(|url| matches!(url.scheme(), "http" | "https") && url.has_host())
            .ok_or_else(|| wrong(format!("`{}` is not an address like http://127.0.0.1:7443", connection.server)))?;
        let mut http = reqwest::Client::builder()
            .connect_timeout(Duration::from_secs(5))
            .timeout(Duration::from_secs(60))
            .no_proxy();
        if let Some(path) = &connection.authority {
            let pem = std::fs::read(path).map_err(|error| wrong(format!("{}: {error}", path.display())))?;
            let authority = Certificate::from_pem(&pem)
                .map_err(|_| wrong(format!("{} is not a certificate in PEM", path.display())))?;
            http = http.add_root_certificate(authority);
        }
        let http = http.build().map_err(|error| unreachable(&error))?;
        Ok(Self { http, base, token, for_people: None })
    }

    /// The same client, for people to read what comes back, by a clock of that zone.
    #[must_use]
    pub fn for_people(self, zone: TimeZone) -> Self {
        Self { for_people: Some(zone), ..self }
    }

    /// The same client with a token.
    #[must_use]
    pub fn with_token(&self, token: impl Into<String>) -> Self {
        Self { token: Some(SecretString::from(token.into())), ..self.clone() }
    }

    /// Sends anything to a path below `/api/v1`, given by its segments.
    ///
    /// # Errors
    /// When the service refuses or can't be reached.
    pub async fn send<B: Serialize + ?Sized, Q: Serialize + ?Sized>(
        &self,
        method: Method,
        segments: &[&str],
        query: Option<&Q>,
        body: Option<&B>,
    ) -> Result<Response, ClientError> {
        self.send_on(None, method, segments, query, body).await
    }

    /// Sends what changes something in place, with what its sender looked at.
    ///
    /// # Errors
    /// When the service refuses or can't be reached.
    pub async fn send_on<B: Serialize + ?Sized, Q: Serialize + ?Sized>(
        &self,
        looked_at: Option<LookedAt>,
        method: Method,
        segments: &[&str],
        query: Option<&Q>,
        body: Option<&B>,
    ) -> Result<Response, ClientError> {
        let url = self.url(segments);
        let keyed = self.token.is_some() && takes_key(method.as_str(), url.path());
        let mut request = self.http.request(method, url);
        if keyed {
            request = request.header(IDEMPOTENCY_KEY, new_key()?);
        }
        if let Some(token) = &self.token {
            request = request.bearer_auth(token.expose_secret());
        }
        if let Some(query) = query {
            request = request.query(query);
        }
        if let Some((name, value)) = looked_at.map(as_precondition) {
            request = request.header(name, value);
        }
        if let Some(body) = body {
            request = request.json(body);
        }
        let response = match keyed.then(|| request.try_clone()).flatten() {
            None => request.send().await,
            // With its key the same request is carried out once, though the answer to the first broke off.
            Some(again) => match request.send().await {
                Err(broken) if !broken.is_timeout() => again.send().await,
                other => other,
            },
        };
        self.answered(response).await
    }

    /// What came back, where that is what was asked for.
    async fn answered(&self, response: Result<Response, reqwest::Error>) -> Result<Response, ClientError> {
        let response = response.map_err(|error| unreachable(&error))?;
        let status = response.status();
        if status == StatusCode::ACCEPTED {
            return Err(ClientError::Drafted(self.reply(&whole(response).await?)?));
        }
        if status.is_success() {
            return Ok(response);
        }
        let bytes = whole(response).await?;
        match self.reply::<Problem>(&bytes) {
            Ok(problem) => Err(ClientError::Refused(Box::new(problem))),
            Err(_) => Err(ClientError::Unreadable(format!("status {status}"))),
        }
    }

    /// Asks to be let in by a code (RFC 8628).
    ///
    /// # Errors
    /// When the service refuses or can't be reached.
    pub async fn ask_device(&self, request: &DeviceRequest) -> Result<DeviceReply, ClientError> {
        self.reply(&self.send_form(&["devices"], request).await?.map_err(no_token)?)
    }

    /// The token for that, once somebody let it in; until then, why there is none.
    ///
    /// # Errors
    /// When the service can't be reached.
    pub async fn device_token(
        &self,
        request: &DeviceTokenRequest,
    ) -> Result<Result<TokenReply, TokenRefusal>, ClientError> {
        match self.send_form(&["devices", "token"], request).await? {
            Ok(bytes) => self.reply(&bytes).map(Ok),
            Err(refusal) => Ok(Err(refusal)),
        }
    }

    /// Sends a form, as OAuth has it, and reads what comes back.
    async fn send_form(
        &self,
        segments: &[&str],
        form: &impl Serialize,
    ) -> Result<Result<Vec<u8>, TokenRefusal>, ClientError> {
        let said = serde_json::to_value(form).map_err(|error| ClientError::Unreadable(error.to_string()))?;
        let pairs = said.as_object().into_iter().flatten();
        let pairs = pairs.filter_map(|(name, value)| Some((name.as_str(), value.as_str()?)));
        let body = form_urlencoded::Serializer::new(String::new()).extend_pairs(pairs).finish();
        let kind = "application/x-www-form-urlencoded";
        let request = self.http.post(self.url(segments)).header(reqwest::header::CONTENT_TYPE, kind).body(body);
        let response = request.send().await.map_err(|error| unreachable(&error))?;
        let status = response.status();
        let bytes = whole(response).await?;
        if status.is_success() {
            return Ok(Ok(bytes));
        }
        self.reply(&bytes).map(Err).map_err(|_| ClientError::Unreadable(format!("status {status}")))
    }

    fn url(&self, segments: &[&str]) -> Url {
        let mut url = self.base.clone();
        if let Ok(mut path) = url.path_segments_mut() {
            path.pop_if_empty().extend(["api", "v1"]).extend(segments);
        }
        url
    }

    /// Reads a reply; of a list that goes on (RFC 8288) all of it.
    async fn read<T: DeserializeOwned>(&self, response: Response) -> Result<T, ClientError> {
        let mut next = next_page(&response);
        let first = whole(response).await?;
        if next.is_none() {
            return self.reply(&first);
        }
        let unreadable = |error: serde_json::Error| ClientError::Unreadable(error.to_string());
        let mut all: Vec<Value> = serde_json::from_slice(&first).map_err(unreadable)?;
        let mut read = first.len();
        while let Some(page) = next {
            let request = self.http.get(page);
            let request = match &self.token {
                Some(token) => request.bearer_auth(token.expose_secret()),
                None => request,
            };
            let response = self.answered(request.send().await).await?;
            next = next_page(&response);
            let bytes = whole(response).await?;
            // Of pages too there may be no end in sight; one with nothing in it counts as well.
            read += bytes.len();
            let more: Vec<Value> = serde_json::from_slice(&bytes).map_err(unreadable)?;
            if read > REPLY_MOST || more.is_empty() && next.is_some() {
                return Err(endless());
            }
            all.extend(more);
        }
        self.reply(&serde_json::to_vec(&all).map_err(unreadable)?)
    }

    fn reply<T: DeserializeOwned>(&self, bytes: &[u8]) -> Result<T, ClientError> {
        let unreadable = |error: serde_json::Error| ClientError::Unreadable(error.to_string());
        let Some(zone) = &self.for_people else { return serde_json::from_slice(bytes).map_err(unreadable) };
        let mut value: Value = serde_json::from_slice(bytes).map_err(unreadable)?;
        made_plain(&mut value, "", zone);
        serde_json::from_value(value).map_err(unreadable)
    }
}

impl Client {
    /// The record as CSV.
    ///
    /// # Errors
    /// When the service refuses or can't be reached.
    pub async fn ledger_csv(&self, filter: &LedgerFilter) -> Result<String, ClientError> {
        let response = self.send::<(), _>(Method::GET, &["ledger", "csv"], Some(filter), None).await?;
        response.text().await.map_err(|error| unreachable(&error))
    }

    /// Elevations as CSV.
    ///
    /// # Errors
    /// When the service refuses or can't be reached.
    pub async fn elevations_csv(&self, filter: &ElevationFilter) -> Result<String, ClientError> {
        let response = self.send::<(), _>(Method::GET, &["elevations", "csv"], Some(filter), None).await?;
        response.text().await.map_err(|error| unreachable(&error))
    }

    /// The whole ledger, to be read piece by piece.
    ///
    /// # Errors
    /// When the service refuses or can't be reached.
    pub async fn export(&self) -> Result<Response, ClientError> {
        self.send::<(), ()>(Method::GET, &["ledger", "export"], None, None).await
    }

    /// Waits until an elevation is in none of the given states, for at most `limit`.
    ///
    /// # Errors
    /// When the service refuses or can't be reached.
    pub async fn wait_past(&self, id: &str, states: &[&str], limit: Duration) -> Result<ElevationStory, ClientError> {
        let until = tokio::time::Instant::now() + limit;
        let mut seen = self.elevation(id, &WaitQuery::default()).await?;
        while states.contains(&seen.elevation.state.as_str()) {
            let left = until.saturating_duration_since(tokio::time::Instant::now());
            if left.is_zero() {
                break;
            }
            let seconds = Some(left.as_secs().clamp(1, 25));
            let wait = WaitQuery { unlike: Some(seen.elevation.state), seconds, ..WaitQuery::default() };
            seen = self.elevation(id, &wait).await?;
        }
        Ok(seen)
    }
}

#[cfg(test)]
mod tests {
    use jiff::tz::TimeZone;
    use serde_json::json;

    use super::made_plain;

    #[test]
    fn nothing_in_a_reply_steers_a_terminal_or_forges_a_row_at_whatever_depth() {
        let hostile = "a\u{1b}[2J\u{7}\u{202e}\u{200b}\nroot  granted";
        let mut reply = json!({
            "role": hostile,
            "chain": [hostile, { "deep": hostile }],
            hostile: 1,
            "reason": "one\ntwo\u{1b}",
            "script": "#!/bin/sh\nid\n",
            "plain": "berth_writer",
        });
        made_plain(&mut reply, "", &TimeZone::UTC);
        let printed: Vec<String> = reply
            .as_object()
            .unwrap()
            .iter()
            .filter(|(name, _)| !["reason", "script"].contains(&name.as_str()))
            .map(|(name, value)| format!("{name} {value}"))
            .collect();
        for text in &printed {
            assert!(!text.contains(['\u{1b}', '\u{7}', '\u{202e}', '\u{200b}']), "{text:?}");
        }
        assert_eq!(reply["role"], "a\\u{1b}[2J\\u{7}\\u{202e}\\u{200b}\\nroot  granted");
        assert_eq!(reply["chain"][1]["deep"], reply["role"]);
        assert_eq!((&reply["reason"], &reply["script"]), (&json!("one\ntwo\\u{1b}"), &json!("#!/bin/sh\nid\n")));
        assert_eq!(reply["plain"], "berth_writer");
    }
}
