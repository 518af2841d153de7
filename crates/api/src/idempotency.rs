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
    ["POST", "PUT", "PATCH", "DELETE"].contains(&method) && !ends(&SECRET) && !ends(&LOOKING)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_looks_or_shows_a_secret_takes_no_key_and_every_change_does() {
        for (method, path, takes) in [
            ("GET", "/api/v1/me", false),
            ("TRACE", "/api/v1/asks", false),
            ("POST", "/api/v1/asks", true),
            ("POST", "/api/v1/asks/preview", false),
            ("PUT", "/api/v1/terms/{id}", true),
            ("DELETE", "/api/v1/duties/{id}", true),
            ("POST", "/api/v1/elevations/{id}/login", false),
            ("POST", "/api/v1/people/{who}/enrolment", false),
            ("POST", "/api/v1/devices/token", false),
            ("POST", "/api/v1/devices/answer", true),
            ("POST", "/api/v1/console/passkey/challenge", false),
            ("POST", "/api/v1/passkeys", true),
        ] {
            assert_eq!(takes_key(method, path), takes, "{method} {path}");
        }
    }
}
