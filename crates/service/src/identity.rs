//! Proving who somebody is: passwords (Argon2id), TOTP (RFC 6238) without replay, and slowing down by account
//! and address together, so that nobody can lock anybody else out.

use argon2::{
    Argon2,
    password_hash::{PasswordHasher as _, PasswordVerifier as _, phc::PasswordHash},
};
use jiff::{SignedDuration, Timestamp};
use ring::digest;
use tempestas_core::{Caller, Command, Digest, Said, SubjectId, What};
use tempestas_store::{SignIn, Store, Throttle};
use tokio::sync::Semaphore;
use totp_rs::{Builder, Secret, Totp};
use zeroize::Zeroizing;

use crate::{app::App, problem::Failure, vault};

/// Failures that cost nothing.
const FREE_FAILURES: u32 = 5;
/// Longest wait between two tries.
const WAIT_MOST: SignedDuration = SignedDuration::from_mins(5);
/// Fewest letters of a password.
const PASSWORD_LEAST: usize = 12;
/// Most bytes of a password, so that hashing costs the same for all.
const PASSWORD_MOST: usize = 512;
/// Passwords hashed at the same time; each takes 19 MiB.
const HASHING_MOST: usize = 2;

/// Hashes and checks.
pub(crate) struct Identity {
    hashing: Semaphore,
}

/// Digest by which tokens and enrolment secrets are kept.
pub(crate) fn token_digest(token: &str) -> Digest {
    let hashed = digest::digest(&digest::SHA256, token.as_bytes());
    let mut bytes = [0; 32];
    bytes.copy_from_slice(hashed.as_ref());
    Digest(bytes)
}

impl Identity {
    pub(crate) fn new() -> Self {
        Self { hashing: Semaphore::new(HASHING_MOST) }
    }

    async fn blocking<T: Send + 'static>(&self, work: impl FnOnce() -> T + Send + 'static) -> Result<T, Failure> {
        let _permit = self.hashing.acquire().await.map_err(|error| Failure::Failed(error.into()))?;
        tokio::task::spawn_blocking(work).await.map_err(|error| Failure::Failed(error.into()))
    }

    async fn hash(&self, password: String) -> Result<String, Failure> {
        let password = Zeroizing::new(password);
        self.blocking(move || Argon2::default().hash_password(password.as_bytes()).map(|hash| hash.to_string()))
            .await?
            .map_err(|error| Failure::Failed(anyhow::anyhow!("hashing failed: {error}")))
    }

    /// Whether the password is the one hashed. Takes as long where there is none to compare with.
    async fn verify(&self, password: String, hash: Option<String>) -> Result<bool, Failure> {
        let password = Zeroizing::new(password);
        self.blocking(move || match hash {
            Some(hash) => PasswordHash::new(&hash)
                .is_ok_and(|hash| Argon2::default().verify_password(password.as_bytes(), &hash).is_ok()),
            None => {
                let _ = Argon2::default().hash_password(password.as_bytes());
                false
            }
        })
        .await
    }
}

/// Refuses a new password that is too short, or so long that hashing it would cost more than others.
pub(crate) fn check_password(password: &str) -> Result<(), Failure> {
    if password.chars().count() < PASSWORD_LEAST || password.len() > PASSWORD_MOST {
        return Err(Failure::invalid(format!(
            "a password has {PASSWORD_LEAST} letters or more, and at most {PASSWORD_MOST} bytes"
        )));
    }
    Ok(())
}

/// A person's TOTP, as an authenticator counts it: SHA-1, 6 digits, 30 s, one step of skew.
fn totp(secret: &[u8], name: &str) -> anyhow::Result<Totp> {
    Builder::new()
        .with_secret(Secret::new(secret.into()))
        .with_account_name(name)
        .with_issuer(Some("Tempestas"))
        .build()
        .map_err(|error| anyhow::anyhow!("the TOTP secret can't be used: {error}"))
}

/// Sets a person's password and makes them a new TOTP secret, which is returned to be shown once.
pub(crate) async fn set_credentials(
    app: &App,
    person: SubjectId,
    name: &str,
    password: String,
) -> Result<Totp, Failure> {
    let hash = app.identity().hash(password).await?;
    let secret = Zeroizing::new(vault::random::<20>());
    let sealed = app.vault().seal(&format!("person:{}", person.0), "totp", secret.as_slice())?;
    app.store().set_credentials(person, &hash, &sealed).await?;
    Ok(totp(secret.as_slice(), name)?)
}

/// Checks a TOTP code and uses its step up, so that it is good once.
async fn check_code(app: &App, person: SubjectId, code: &str, now: Timestamp) -> Result<bool, Failure> {
    let sealed = app.store().sealed(Some(&format!("person:{}", person.0))).await?;
    let Some(sealed) = sealed.iter().find(|sealed| sealed.name == "totp") else { return Ok(false) };
    let secret = app.vault().open_sealed(sealed)?;
    let seconds = u64::try_from(now.as_second()).unwrap_or(0);
    match totp(&secret, "x")?.check(code.trim(), seconds) {
        Some(step) => Ok(app.store().use_totp_step(person, step).await?),
        None => Ok(false),
    }
}

/// Refuses a try that comes too early after failures.
async fn ensure_not_slowed(store: &Store, account: &str, address: &str, now: Timestamp) -> Result<Throttle, Failure> {
    let throttle = store.throttle(account, address).await?;
    match throttle.until {
        Some(until) if throttle.failures >= FREE_FAILURES && until > now => {
            Err(Failure::SlowDown(until.duration_since(now).as_secs() + 1))
        }
        _ => Ok(throttle),
    }
}

async fn settle_throttle(
    store: &Store,
    account: &str,
    address: &str,
    before: Throttle,
    passed: bool,
    now: Timestamp,
) -> Result<(), Failure> {
    let after = if passed {
        Throttle::default()
    } else {
        let failures = before.failures.saturating_add(1);
        let doublings = failures.saturating_sub(FREE_FAILURES).min(16);
        let wait = SignedDuration::from_secs(1_i64 << doublings).min(WAIT_MOST);
        Throttle { failures, until: now.checked_add(wait).ok() }
    };
    if passed && before == after {
        return Ok(());
    }
    Ok(store.set_throttle(account, address, after).await?)
}

/// Counts a guess that was right or wrong, and refuses one that comes too early after wrong ones.
pub(crate) async fn guarded<T>(
    store: &Store,
    account: &str,
    address: &str,
    now: Timestamp,
    found: Option<T>,
) -> Result<Option<T>, Failure> {
    let before = ensure_not_slowed(store, account, address, now).await?;
    settle_throttle(store, account, address, before, found.is_some(), now).await?;
    Ok(found)
}

/// Checks name, password and code together. One answer for whatever was wrong.
pub(crate) async fn prove(
    app: &App,
    name: &str,
    password: String,
    code: &str,
    address: &str,
) -> Result<SubjectId, Failure> {
    let now = Timestamp::now();
    let account: String = name.chars().take(64).collect();
    let before = ensure_not_slowed(app.store(), &account, address, now).await?;
    if password.len() > PASSWORD_MOST {
        return Err(Failure::SignIn("the name, password or code is wrong".to_owned()));
    }
    let person = {
        let world = app.world().await;
        world.subject_named(&account).filter(|subject| !world.is_suspended(subject.id)).map(|subject| subject.id)
    };
    let hash = match person {
        Some(person) => app.store().password_hash(person).await?,
        None => None,
    };
    let password_holds = app.identity().verify(password, hash).await?;
    let proven = match person {
        // The code is looked at only behind the right password, so that it can't be used up by others.
        Some(person) if password_holds => check_code(app, person, code, now).await?.then_some(person),
        _ => None,
    };
    settle_throttle(app.store(), &account, address, before, proven.is_some(), now).await?;
    match (proven, person) {
        (Some(person), _) => Ok(person),
        (None, known) => {
            if let Some(person) = known {
                let failed = Command::Note(What::SignInFailed { subject: person });
                app.submit(Caller::nobody(Said::new(address)), failed).await?;
            }
            Err(Failure::SignIn(
                "the name, password or code is wrong; a code is good once, so wait for the next where you used it"
                    .to_owned(),
            ))
        }
    }
}

/// Checks a fresh code of somebody who is signed in.
pub(crate) async fn prove_again(app: &App, sign_in: &SignIn, code: &str, address: &str) -> Result<Timestamp, Failure> {
    let now = Timestamp::now();
    let account = format!("proof:{}", sign_in.person.0);
    let before = ensure_not_slowed(app.store(), &account, address, now).await?;
    let passed = check_code(app, sign_in.person, code, now).await?;
    settle_throttle(app.store(), &account, address, before, passed, now).await?;
    if !passed {
        return Err(Failure::invalid(
            "this code is wrong or was used before; wait for the next one your authenticator shows",
        ));
    }
    app.store().use_sign_in(sign_in.id, now, true).await?;
    Ok(now)
}
