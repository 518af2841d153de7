//! Proving who somebody is: passwords (Argon2id), TOTP (RFC 6238) without replay, and slowing down by account
//! and address together, so that nobody can lock anybody else out.

use std::{collections::HashMap, net::IpAddr, sync::Mutex};

use argon2::{
    Argon2,
    password_hash::{PasswordHasher as _, PasswordVerifier as _, phc::PasswordHash},
};
use jiff::Timestamp;
use ring::digest;
use tempestas_core::{Caller, Command, Digest, Note, Proof, ProofMethod, Said, SubjectId};
use tempestas_store::{Private, Proven, SignIn, Slowing, Store};
use tokio::sync::{Semaphore, SemaphorePermit};
use totp_rs::{Builder, Secret, Totp};
use zeroize::Zeroizing;

use crate::refused::EdgeRefusal;
use crate::{app::App, keyring, problem::Failure};

/// How guesses are slowed down, for an account from an address.
const SLOWING: Slowing = Slowing { free: 5, most: 300 };
/// Sign-ins that one address may have looked at at the same time; others of it wait for none of them.
const TOGETHER_MOST: usize = 4;
/// Fewest letters of a password.
const PASSWORD_LEAST: usize = 12;
/// Most bytes of a password, so that hashing costs the same for all.
const PASSWORD_MOST: usize = 512;
/// Passwords hashed at the same time; each takes 19 MiB.
const HASHING_MOST: usize = 2;

/// Heavy reads of the record at the same time.
const READING_MOST: usize = 3;
/// Those of one person, under way or waiting.
const READS_OF_ONE: usize = 2;

/// Hashes and checks.
pub(crate) struct Identity {
    hashing: Semaphore,
    reading: Semaphore,
    /// How many tries are being looked at, by whom or from where.
    under_way: Mutex<HashMap<String, usize>>,
}

/// A place among the tries of one person or address; free again when it is dropped.
pub(crate) struct Place<'i> {
    identity: &'i Identity,
    whose: String,
}

impl Drop for Place<'_> {
    fn drop(&mut self) {
        if let Ok(mut under_way) = self.identity.under_way.lock()
            && let Some(count) = under_way.get_mut(&self.whose)
        {
            *count -= 1;
            if *count == 0 {
                under_way.remove(&self.whose);
            }
        }
    }
}

/// Where tries are counted together: an address, and of IPv6 (RFC 4291) the network of 64 bits that one household has.
pub(crate) fn network(address: &str) -> String {
    match address.parse::<IpAddr>().map(|ip| ip.to_canonical()) {
        Ok(IpAddr::V6(ip)) => {
            let [a, b, c, d, ..] = ip.segments();
            format!("{a:x}:{b:x}:{c:x}:{d:x}::/64")
        }
        Ok(IpAddr::V4(ip)) => ip.to_string(),
        Err(_) => address.to_owned(),
    }
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
        Self {
            hashing: Semaphore::new(HASHING_MOST),
            reading: Semaphore::new(READING_MOST),
            under_way: Mutex::default(),
        }
    }

    /// A place among `most`, or the word to wait.
    fn place(&self, whose: String, most: usize) -> Result<Place<'_>, Failure> {
        let taken = self.under_way.lock().is_ok_and(|mut under_way| {
            let count = under_way.entry(whose.clone()).or_default();
            let fits = *count < most;
            *count += usize::from(fits);
            fits
        });
        if taken { Ok(Place { identity: self, whose }) } else { Err(Failure::SlowDown(1)) }
    }

    /// A turn for reading much: few at a time in all, and of one person fewer still, so that nobody waits for what another
    /// wants to read.
    pub(crate) async fn reading(&self, who: SubjectId) -> Result<(Place<'_>, SemaphorePermit<'_>), Failure> {
        let place = self.place(format!("reads:{}", who.0), READS_OF_ONE)?;
        let permit = self.reading.acquire().await.map_err(|error| Failure::Failed(error.into()))?;
        Ok((place, permit))
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
        return Err(EdgeRefusal::BadPassword { least: PASSWORD_LEAST, most: PASSWORD_MOST }.into());
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

/// A person's password and a new TOTP secret, to be kept; and that secret, to be shown once.
pub(crate) async fn new_credentials(
    app: &App,
    person: SubjectId,
    name: &str,
    password: String,
) -> Result<(Private, Totp), Failure> {
    let password_hash = app.identity().hash(password).await?;
    let secret = Zeroizing::new(keyring::random::<20>());
    let sealed = app.keyring().seal(&format!("person:{}", person.0), "totp", secret.as_slice())?;
    Ok((Private::Credentials { person, password_hash, totp: sealed }, totp(secret.as_slice(), name)?))
}

/// Checks a TOTP code and uses its step up, so that it is good once.
async fn check_code(app: &App, proven: Proven, code: &str, now: Timestamp) -> Result<bool, Failure> {
    let sealed = app.store().sealed(Some(&format!("person:{}", proven.person.0))).await?;
    let Some(sealed) = sealed.iter().find(|sealed| sealed.name == "totp") else { return Ok(false) };
    let secret = app.keyring().open_sealed(sealed)?;
    let seconds = u64::try_from(now.as_second()).unwrap_or(0);
    match totp(&secret, "x")?.check(code.trim(), seconds) {
        Some(step) => Ok(app.store().use_totp_step(proven, step).await?),
        None => Ok(false),
    }
}

/// Counts a try, and refuses one that comes too early after failures.
async fn count_try(store: &Store, account: &str, address: &str, now: Timestamp) -> Result<(), Failure> {
    match store.count_try(account, &network(address), now, SLOWING).await? {
        None => Ok(()),
        Some(until) => Err(Failure::SlowDown(until.duration_since(now).as_secs().max(0) + 1)),
    }
}

/// Counts a guess, and looks whether it was right; refuses one that comes too early after wrong ones.
pub(crate) async fn guarded<T>(
    store: &Store,
    account: &str,
    address: &str,
    now: Timestamp,
    found: impl AsyncFnOnce() -> Result<Option<T>, Failure>,
) -> Result<Option<T>, Failure> {
    count_try(store, account, address, now).await?;
    let found = found().await?;
    if found.is_some() {
        store.passed(account, &network(address)).await?;
    }
    Ok(found)
}

/// Checks name, password and code together. One answer for whatever was wrong.
pub(crate) async fn prove(
    app: &App,
    name: &str,
    password: String,
    code: &str,
    address: &str,
) -> Result<Proven, Failure> {
    let now = Timestamp::now();
    let account: String = name.chars().take(64).collect();
    let wrong = || {
        Failure::SignIn(
            "the name, password or code is wrong; a code is good once, so wait for the next where you used it"
                .to_owned(),
        )
    };
    if password.len() > PASSWORD_MOST {
        return Err(wrong());
    }
    // Hashing is dear: one address keeps no other waiting for it.
    let _place = app.identity().place(network(address), TOGETHER_MOST)?;
    let person = {
        let world = app.world();
        world.subject_named(&account).filter(|subject| !world.is_suspended(subject.id)).map(|subject| subject.id)
    };
    let proven = guarded(app.store(), &account, address, now, async || {
        let hash = match person {
            Some(person) => app.store().password_hash(person).await?,
            None => None,
        };
        let proven = person.zip(hash.as_deref()).map(|(person, hash)| Proven::by(person, hash));
        let password_holds = app.identity().verify(password, hash).await?;
        // The code is looked at only behind the right password, so that it can't be used up by others.
        Ok(match proven {
            Some(proven) if password_holds => check_code(app, proven, code, now).await?.then_some(proven),
            _ => None,
        })
    })
    .await?;
    proven.ok_or_else(|| {
        let note = person.map_or(Note::NameUnknown, Note::SignInFailed);
        note_later(app, Caller::nobody(Said::new(address)), note);
        wrong()
    })
}

/// Notes something without being waited for: how long a reply takes says nothing of what was noted.
pub(crate) fn note_later(app: &App, caller: Caller, note: Note) {
    let app = app.clone();
    tokio::spawn(async move {
        if let Err(refusal) = app.submit(caller, Command::Note(note)).await {
            tracing::warn!(%refusal, "a failed try could not be noted");
        }
    });
}

/// Checks a fresh code of somebody who is signed in. One at a time for a person, whichever of their sign-ins asks.
pub(crate) async fn prove_again(app: &App, sign_in: &SignIn, code: &str, address: &str) -> Result<Proof, Failure> {
    let now = Timestamp::now();
    let account = format!("proof:{}", sign_in.person.0);
    let _place = app.identity().place(account.clone(), 1)?;
    let passed = guarded(app.store(), &account, address, now, async || {
        Ok(check_code(app, sign_in.proven(), code, now).await?.then_some(()))
    })
    .await?;
    if passed.is_none() {
        app.note(sign_in.person, address, Note::ProofFailed).await?;
        return Err(EdgeRefusal::WrongCode.into());
    }
    proven_anew(app, sign_in, ProofMethod::TotpCode).await
}

/// Notes that somebody proved themselves now, in a sign-in of theirs.
pub(crate) async fn proven_anew(app: &App, sign_in: &SignIn, method: ProofMethod) -> Result<Proof, Failure> {
    let at = Timestamp::now();
    app.store().use_sign_in(sign_in.id, at, Some(method)).await?;
    Ok(Proof { at, method })
}

#[cfg(test)]
mod tests {
    use super::network;

    #[test]
    fn tries_are_counted_by_what_one_household_has() {
        for (address, counted) in [
            ("10.1.2.3", "10.1.2.3"),
            ("::ffff:10.1.2.3", "10.1.2.3"),
            ("2001:db8:1:2:3:4:5:6", "2001:db8:1:2::/64"),
            ("2001:db8:1:2:ffff::1", "2001:db8:1:2::/64"),
            ("2001:db8:1:3::1", "2001:db8:1:3::/64"),
            ("unknown", "unknown"),
        ] {
            assert_eq!(network(address), counted);
        }
    }
}
