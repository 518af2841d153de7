//! The engine: one writer, and readers that never wait for it.
//!
//! ```text
//!  Engine::submit ──▶ Committer: decide, one by one ──▶ store: one commit ──▶ publish ──▶ replies
//!                        (its own World)                                         │
//!  Engine::world ◀──────────────────────────── Snapshot: the World after a commit ┘
//! ```
//!
//! A [`Snapshot`] is published when its commit is durable, so nobody reads what could still be lost; whoever took one keeps it as
//! long as they like, and holds up nobody. A [`Follower`] hears of the facts themselves, in their order, and goes on where it was
//! whatever is restarted. What takes long to reckon does so on a thread that gives way to all of these ([`Engine::reckon`]).

mod committer;
#[cfg(feature = "crash-points")]
mod crash;
mod engine;
mod feed;
mod rates;
mod reckoning;
mod snapshot;

pub use committer::{Clock, Committer};
pub use engine::{Change, Committed, Engine, MakePrivate, Outcome};
pub use feed::Follower;
pub use snapshot::Snapshot;

/// Fresh random bytes.
///
/// # Panics
/// When the system has none to give, without which nothing here is safe.
#[must_use]
pub fn random<const N: usize>() -> [u8; N] {
    use ring::rand::{SecureRandom as _, SystemRandom};
    let mut bytes = [0; N];
    #[expect(clippy::expect_used, reason = "nothing is safe without it")]
    SystemRandom::new().fill(&mut bytes).expect("the system gives random bytes");
    bytes
}
