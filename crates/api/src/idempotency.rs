//! Which calls take an `Idempotency-Key`, with which the same request is carried out once.

/// The header.
pub const IDEMPOTENCY_KEY: &str = "idempotency-key";

/// Ends of paths whose replies show a secret once, which is never kept for a second reply.
const SECRET: [&str; 7] = ["/sign-in", "/enrol", "/enrolment", "/login", "/devices", "/devices/token", "/passkey"];

/// Ends of paths that look and change nothing, though they are posted to.
const LOOKING: [&str; 3] = ["/preview", "/challenge", "/look"];

/// Whether a call takes a key: it changes something, and its reply may be kept.
#[must_use]
pub fn takes_key(method: &str, path: &str) -> bool {
    let ends = |ends: &[&str]| ends.iter().any(|end| path.ends_with(end));
    method != "GET" && !ends(&SECRET) && !ends(&LOOKING)
}
