//! Failures on the wire (RFC 9457): words for the caller, words for the log.

use std::collections::BTreeSet;

use axum::{
    Json,
    http::{HeaderValue, StatusCode, header},
    response::{IntoResponse, Response},
};
use tempestas_api::{Problem, TokenRefusal};
use tempestas_core::{Class, Refusal};

use crate::refused::EdgeRefusal;

/// Why a request came to nothing.
#[derive(Debug)]
pub(crate) enum Failure {
    /// Decided against.
    Refused(Refusal),
    /// Refused before the rules were asked.
    Edge(EdgeRefusal),
    /// Nobody is signed in.
    SignIn(String),
    /// Nobody is signed in with this token any more.
    DeadToken,
    /// A program gets no code, or no token: a word (RFC 6749, 5.2) and a sentence.
    NoToken(&'static str, String),
    /// The request itself can't be read.
    Malformed(String),
    /// The body doesn't say that it is JSON.
    NotJson,
    /// The path knows other methods.
    OtherMethod,
    /// The request doesn't say what its caller looked at; how it is said.
    Unseen(&'static str),
    /// The body is too large.
    TooLarge(usize),
    /// Tried too often.
    SlowDown(i64),
    /// A target is in the way.
    Target(String),
    /// A fault of ours; the cause goes to the log alone.
    Failed(anyhow::Error),
}

impl Failure {
    pub(crate) fn target(says: impl Into<String>) -> Self {
        Self::Target(says.into())
    }

    pub(crate) fn unknown(what: &'static str, name: &str, remedy: &str) -> Self {
        Self::Refused(Refusal::Unknown { what, name: name.to_owned(), remedy: remedy.to_owned() })
    }

    /// The word for programs.
    pub(crate) fn code(&self) -> &'static str {
        match self {
            Self::Refused(refusal) => refusal.code(),
            Self::Edge(refusal) => refusal.class().into(),
            Self::SignIn(_) | Self::DeadToken => "sign-in",
            Self::NoToken(word, _) => word,
            Self::Malformed(_) => "malformed",
            Self::NotJson => "malformed",
            Self::OtherMethod => "malformed",
            Self::Unseen(_) => "unseen",
            Self::TooLarge(_) => "too-large",
            Self::SlowDown(_) => "slow-down",
            Self::Target(_) => "target",
            Self::Failed(_) => "failed",
        }
    }

    fn status(&self) -> StatusCode {
        match self {
            Self::Refused(refusal) => status_of(refusal.class()),
            Self::Edge(refusal) => status_of(refusal.class()),
            Self::OtherMethod => StatusCode::METHOD_NOT_ALLOWED,
            Self::Unseen(_) => StatusCode::PRECONDITION_REQUIRED,
            Self::SlowDown(_) => StatusCode::TOO_MANY_REQUESTS,
            Self::SignIn(_) | Self::DeadToken => StatusCode::UNAUTHORIZED,
            Self::Malformed(_) | Self::NoToken(..) => StatusCode::BAD_REQUEST,
            Self::NotJson => StatusCode::UNSUPPORTED_MEDIA_TYPE,
            Self::TooLarge(_) => StatusCode::PAYLOAD_TOO_LARGE,
            Self::Target(_) => StatusCode::BAD_GATEWAY,
            Self::Failed(_) => StatusCode::INTERNAL_SERVER_ERROR,
        }
    }

    pub(crate) fn says(&self) -> String {
        match self {
            Self::Refused(refusal) => refusal.to_string(),
            Self::Edge(refusal) => refusal.to_string(),
            Self::SignIn(says) | Self::Malformed(says) | Self::Target(says) | Self::NoToken(_, says) => says.clone(),
            Self::DeadToken => "nobody is signed in with this token any more; run `tempestas sign-in`".to_owned(),
            Self::NotJson => "the body must be JSON, and say so: `Content-Type: application/json`".to_owned(),
            Self::OtherMethod => "this path knows other methods; `GET /api/v1/openapi.json` lists them".to_owned(),
            Self::Unseen(how) => format!("look at it before you change it, and say so: {how}"),
            Self::TooLarge(most) => {
                format!("the request is larger than {most} bytes, the most that is read here; send less")
            }
            Self::SlowDown(seconds) => format!("too many tries; wait {seconds} s before the next"),
            Self::Failed(error) if tempestas_store::is_disk_full(error.as_ref()) => {
                "the service's disk is full: nothing was changed, and nothing can be until there is room; what is held ends on its system by itself".to_owned()
            }
            Self::Failed(_) => "the service failed at this; its log says why, and nothing was changed".to_owned(),
        }
    }
}

const fn status_of(class: Class) -> StatusCode {
    match class {
        Class::NotAllowed => StatusCode::FORBIDDEN,
        Class::Unknown => StatusCode::NOT_FOUND,
        Class::Invalid => StatusCode::UNPROCESSABLE_ENTITY,
        Class::Conflict | Class::Changed => StatusCode::CONFLICT,
        Class::Stale => StatusCode::PRECONDITION_FAILED,
        Class::Limit => StatusCode::TOO_MANY_REQUESTS,
        Class::StepUp => StatusCode::UNAUTHORIZED,
    }
}

impl Failure {
    /// Why, as a word for programs; none where its code says it all.
    fn cause(&self) -> Option<&'static str> {
        match self {
            Self::Refused(refusal) => refusal.cause(),
            Self::Edge(refusal) => Some(refusal.into()),
            _ => None,
        }
    }

    /// What is said of it in the log, in one line.
    pub(crate) fn logged(&self) -> String {
        match self {
            Self::Failed(error) => format!("{error:#}"),
            other => other.says(),
        }
    }
}

impl From<Refusal> for Failure {
    fn from(refusal: Refusal) -> Self {
        Self::Refused(refusal)
    }
}

impl From<EdgeRefusal> for Failure {
    fn from(refusal: EdgeRefusal) -> Self {
        Self::Edge(refusal)
    }
}

impl From<tempestas_store::StoreError> for Failure {
    fn from(error: tempestas_store::StoreError) -> Self {
        Self::Failed(error.into())
    }
}

impl From<anyhow::Error> for Failure {
    fn from(error: anyhow::Error) -> Self {
        Self::Failed(error)
    }
}

impl IntoResponse for Failure {
    fn into_response(self) -> Response {
        if let Self::Failed(_) = &self {
            tracing::error!("{}", self.logged());
        }
        let status = self.status();
        if let Self::NoToken(word, says) = self {
            return (status, Json(TokenRefusal { error: word.to_owned(), error_description: says })).into_response();
        }
        let (max_age, accepts) = match &self {
            Self::Refused(Refusal::StepUp { max_age, accepts, .. }) => (Some(max_age.0), accepts.clone()),
            _ => (None, BTreeSet::new()),
        };
        let problem = Problem {
            kind: "about:blank".to_owned(),
            title: status.canonical_reason().unwrap_or_default().to_owned(),
            status: status.as_u16(),
            detail: self.says(),
            code: self.code().to_owned(),
            cause: self.cause().map(str::to_owned),
            max_age,
            accepts,
        };
        let mut response = (status, Json(problem)).into_response();
        let headers = response.headers_mut();
        headers.insert(header::CONTENT_TYPE, HeaderValue::from_static("application/problem+json"));
        // RFC 6750 for a missing token, RFC 9470 for one that isn't fresh enough.
        let challenge = match (&self, max_age) {
            (_, Some(age)) => Some(format!("Bearer error=\"insufficient_user_authentication\", max_age=\"{age}\"")),
            (Self::SignIn(_), None) => Some("Bearer".to_owned()),
            (Self::DeadToken, None) => Some("Bearer error=\"invalid_token\"".to_owned()),
            _ => None,
        };
        if let Some(value) = challenge.and_then(|text| HeaderValue::from_str(&text).ok()) {
            headers.insert(header::WWW_AUTHENTICATE, value);
        }
        if let Self::SlowDown(seconds) = self {
            headers.insert(header::RETRY_AFTER, HeaderValue::from(seconds));
        }
        response
    }
}

#[cfg(test)]
mod tests {
    use axum::body::to_bytes;
    use tempestas_core::{AnswerRefusal, AskRefusal, CallerRefusal, Seconds};

    use super::*;

    fn stale_proof() -> Refusal {
        Refusal::StepUp { max_age: Seconds(600), last: None, accepts: BTreeSet::new(), assurance: None }
    }

    /// What somebody is told: status, headers and body.
    async fn told(failure: impl Into<Failure>) -> (u16, axum::http::HeaderMap, serde_json::Value) {
        let (parts, body) = failure.into().into_response().into_parts();
        let body = to_bytes(body, 64 * 1024).await.unwrap();
        (parts.status.as_u16(), parts.headers, serde_json::from_slice(&body).unwrap())
    }

    #[tokio::test]
    async fn each_class_of_refusal_has_its_status_and_says_so() {
        let words = || "some words".to_owned();
        let unknown = Refusal::Unknown { what: "scope", name: words(), remedy: words() };
        let stale = Refusal::from(CallerRefusal::Stale { what: words() });
        for (refusal, status, code, cause) in [
            (Failure::from(EdgeRefusal::NoDuty), 403, "not-allowed", Some("no-duty")),
            (unknown.into(), 404, "unknown", None),
            (EdgeRefusal::NoKey.into(), 422, "invalid", Some("no-key")),
            (EdgeRefusal::KeyBusy.into(), 409, "conflict", Some("key-busy")),
            (EdgeRefusal::DraftChanged.into(), 409, "changed", Some("draft-changed")),
            (stale.into(), 412, "stale", Some("stale")),
            (EdgeRefusal::TooManyDrafts { open: 20, most: 20 }.into(), 429, "limit", Some("too-many-drafts")),
            (stale_proof().into(), 401, "step-up", None),
        ] {
            let says = refusal.says();
            let (answered, headers, problem) = told(refusal).await;
            assert_eq!((answered, problem["status"].as_u64()), (status, Some(status.into())));
            assert_eq!((problem["code"].as_str(), problem["detail"].as_str()), (Some(code), Some(says.as_str())));
            assert_eq!(headers[header::CONTENT_TYPE], "application/problem+json");
            assert_eq!(problem.get("cause").and_then(|told| told.as_str()), cause);
        }
    }

    #[tokio::test]
    async fn what_the_rules_refuse_says_its_cause() {
        let (status, _, problem) = told(Refusal::from(AnswerRefusal::OwnAsk)).await;
        assert_eq!(
            (status, problem["code"].as_str(), problem["cause"].as_str()),
            (403, Some("not-allowed"), Some("own-ask"))
        );
        let (status, _, problem) = told(Refusal::from(AskRefusal::NoDuration)).await;
        assert_eq!((status, problem["cause"].as_str()), (422, Some("no-duration")));
    }

    #[tokio::test]
    async fn who_has_to_sign_in_or_prove_themselves_is_told_how() {
        let challenge =
            async |failure: Failure| told(failure).await.1[header::WWW_AUTHENTICATE].to_str().unwrap().to_owned();
        assert_eq!(challenge(Failure::SignIn("sign in".to_owned())).await, "Bearer");
        assert_eq!(challenge(Failure::DeadToken).await, "Bearer error=\"invalid_token\"");
        let stale = Failure::Refused(stale_proof());
        assert_eq!(challenge(stale).await, "Bearer error=\"insufficient_user_authentication\", max_age=\"600\"");
        let (_, headers, problem) = told(stale_proof()).await;
        assert_eq!(problem["max_age"], 600);
        assert!(!headers.contains_key(header::RETRY_AFTER));
    }

    #[tokio::test]
    async fn whoever_tries_too_often_is_told_when_to_try_again() {
        let (status, headers, problem) = told(Failure::SlowDown(7)).await;
        assert_eq!((status, headers[header::RETRY_AFTER].to_str().unwrap()), (429, "7"));
        assert!(problem["detail"].as_str().unwrap().contains("wait 7 s"));
    }

    #[tokio::test]
    async fn a_fault_of_ours_tells_nobody_what_went_wrong_within() {
        let within = anyhow::anyhow!("the key of berths is hunter2").context("it could not be opened");
        let (status, _, problem) = told(within).await;
        assert_eq!((status, problem["code"].as_str()), (500, Some("failed")));
        assert!(!problem.to_string().contains("hunter2") && !problem.to_string().contains("opened"), "{problem}");
    }

    #[tokio::test]
    async fn a_program_without_a_token_is_answered_as_its_own_standard_has_it() {
        let (status, _, refused) = told(Failure::NoToken("authorization_pending", "not yet".to_owned())).await;
        assert_eq!(status, 400);
        assert_eq!(refused, serde_json::json!({ "error": "authorization_pending", "error_description": "not yet" }));
    }
}
