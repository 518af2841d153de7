//! How a simulated cloud misbehaves: slow, failing, limiting, answering half.

use std::time::Duration;

use axum::{extract::Request, http::StatusCode, middleware::Next, response::Response};
use jiff::Timestamp;
use serde::{Deserialize, Serialize};

/// How the cloud misbehaves.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default, deny_unknown_fields)]
pub struct Switches {
    /// Every reply comes so much later, in milliseconds.
    pub latency_ms: u64,
    /// Every n-th call fails with status 500; 0 for none.
    pub error_every: u64,
    /// So many calls a minute, then status 429; 0 for any number.
    pub calls_per_minute: u64,
    /// Lists come with only their first half.
    pub half_answers: bool,
    /// Its clock runs so many seconds ahead.
    pub clock_ahead_s: i64,
}

/// The switches, and what was counted for them.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct Behaviour {
    /// How it misbehaves.
    pub switches: Switches,
    /// Calls so far.
    #[serde(skip)]
    pub calls: u64,
    /// Calls in the present minute, and since when that runs.
    #[serde(skip)]
    pub minute: Option<(Timestamp, u64)>,
}

/// What becomes of a call.
pub struct Befalls {
    /// How long it is made to wait.
    latency: Duration,
    /// With what it then fails, if it does.
    status: Option<StatusCode>,
}

impl Befalls {
    /// Lets it befall a request, which goes on where it doesn't fail.
    pub(crate) async fn befall(
        self,
        request: Request,
        next: Next,
        refuse: impl FnOnce(StatusCode) -> Response,
    ) -> Response {
        if !self.latency.is_zero() {
            tokio::time::sleep(self.latency).await;
        }
        match self.status {
            Some(status) => refuse(status),
            None => next.run(request).await,
        }
    }
}

impl Behaviour {
    /// Counts a call, and says what is to become of it.
    pub fn call(&mut self) -> Befalls {
        self.calls += 1;
        let now = Timestamp::now();
        let (since, calls) =
            self.minute.filter(|(since, _)| now.duration_since(*since).as_secs() < 60).unwrap_or((now, 0));
        self.minute = Some((since, calls + 1));
        let switches = &self.switches;
        let limited = switches.calls_per_minute > 0 && calls >= switches.calls_per_minute;
        let failing = switches.error_every > 0 && self.calls.is_multiple_of(switches.error_every);
        let status = match (limited, failing) {
            (true, _) => Some(StatusCode::TOO_MANY_REQUESTS),
            (_, true) => Some(StatusCode::INTERNAL_SERVER_ERROR),
            _ => None,
        };
        Befalls { latency: Duration::from_millis(switches.latency_ms), status }
    }

    /// The cloud's own time.
    #[must_use]
    pub fn now(&self) -> Timestamp {
        Timestamp::now() + jiff::SignedDuration::from_secs(self.switches.clock_ahead_s)
    }
}
