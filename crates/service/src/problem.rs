//! Failures on the wire (RFC 9457): words for the caller, words for the log.

use axum::{
    Json,
    http::{HeaderValue, StatusCode, header},
    response::{IntoResponse, Response},
};
use tempestas_api::{Problem, TokenRefusal};
use tempestas_core::{Class, Refusal};

/// Why a request came to nothing.
#[derive(Debug)]
pub(crate) enum Failure {
    /// Decided against.
    Refused(Refusal),
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

    pub(crate) fn invalid(says: impl Into<String>) -> Self {
        Self::Refused(Refusal::Invalid(says.into()))
    }

    /// The word for programs.
    pub(crate) fn code(&self) -> &'static str {
        match self {
            Self::Refused(refusal) => refusal.code(),
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
            Self::Refused(refusal) => match refusal.class() {
                Class::NotAllowed => StatusCode::FORBIDDEN,
                Class::Unknown => StatusCode::NOT_FOUND,
                Class::Invalid => StatusCode::UNPROCESSABLE_ENTITY,
                Class::Conflict | Class::Changed => StatusCode::CONFLICT,
                Class::Stale => StatusCode::PRECONDITION_FAILED,
                Class::Limit => StatusCode::TOO_MANY_REQUESTS,
                Class::StepUp => StatusCode::UNAUTHORIZED,
            },
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

    fn says(&self) -> String {
        match self {
            Self::Refused(refusal) => refusal.to_string(),
            Self::SignIn(says) | Self::Malformed(says) | Self::Target(says) | Self::NoToken(_, says) => says.clone(),
            Self::DeadToken => "nobody is signed in with this token any more; run `tempestas sign-in`".to_owned(),
            Self::NotJson => "the body must be JSON, and say so: `Content-Type: application/json`".to_owned(),
            Self::OtherMethod => "this path knows other methods; `GET /api/v1/openapi.json` lists them".to_owned(),
            Self::Unseen(how) => format!("look at it before you change it, and say so: {how}"),
            Self::TooLarge(most) => {
                format!("the request is larger than {most} bytes, the most that is read here; send less")
            }
            Self::SlowDown(seconds) => format!("too many tries; wait {seconds} s before the next"),
            Self::Failed(_) => "the service failed at this; its log says why, and nothing was changed".to_owned(),
        }
    }
}

impl From<Refusal> for Failure {
    fn from(refusal: Refusal) -> Self {
        Self::Refused(refusal)
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
        if let Self::Failed(error) = &self {
            tracing::error!("{error:#}");
        }
        let status = self.status();
        if let Self::NoToken(word, says) = self {
            return (status, Json(TokenRefusal { error: word.to_owned(), error_description: says })).into_response();
        }
        let max_age = match &self {
            Self::Refused(Refusal::StepUp { max_age, .. }) => Some(max_age.0),
            _ => None,
        };
        let cause = if let Self::Refused(refusal) = &self { refusal.cause() } else { None };
        let problem = Problem {
            kind: "about:blank".to_owned(),
            title: status.canonical_reason().unwrap_or_default().to_owned(),
            status: status.as_u16(),
            detail: self.says(),
            code: self.code().to_owned(),
            cause: cause.map(str::to_owned),
            max_age,
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
