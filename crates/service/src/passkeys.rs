//! Passkeys (WebAuthn Level 2): adding one, signing in with it, proving oneself anew. The ceremonies' halves are
//! kept here, in memory, for five minutes; a restart only means to press the button again.

use std::{collections::HashMap, sync::Mutex};

use base64::{Engine as _, engine::general_purpose::URL_SAFE_NO_PAD};
use jiff::{SignedDuration, Timestamp};
use serde::{Serialize, de::DeserializeOwned};
use serde_json::Value;
use tempestas_api::Ceremony;
use tempestas_core::{Digest, FreshProof, Proof, ProofMethod, SubjectId};
use tempestas_store::{Passkey as Kept, Proven, SignIn, Store};
use url::{Host, Url};
use webauthn_rs::{
    Webauthn, WebauthnBuilder,
    prelude::{
        CredentialID, DiscoverableAuthentication, DiscoverableKey, Passkey, PasskeyAuthentication, PasskeyRegistration,
        PublicKeyCredential, RegisterPublicKeyCredential, Uuid,
    },
};
use webauthn_rs_proto::ResidentKeyRequirement;

use crate::{
    app::App,
    identity::{network, proven_anew},
    keyring,
    problem::Failure,
    refused::EdgeRefusal,
};

/// How long the second half of a ceremony may take.
const CEREMONY_LASTS: SignedDuration = SignedDuration::from_mins(5);
/// Most ceremonies open at a time of people who are signed in; of one of them a few. The oldest makes way.
const CEREMONIES_MOST: usize = 1000;
/// Most ceremonies of whoever has not signed in yet, from one address.
const STRANGERS_MOST: usize = 20;
/// Most passkeys of one person.
const PASSKEYS_MOST: usize = 10;

/// A ceremony that waits for its second half.
enum Half {
    Adding { person: SubjectId, state: PasskeyRegistration },
    SigningIn(DiscoverableAuthentication),
    Proving { sign_in: i64, state: PasskeyAuthentication },
}

/// The relying party, and the ceremonies that are open.
pub(crate) struct Passkeys {
    /// None where the service has no name that browsers could bind a passkey to.
    party: Option<Webauthn>,
    open: Mutex<HashMap<String, (Timestamp, Half)>>,
    /// Those of whoever has not signed in yet, apart: they push out nobody who has, and of theirs only their own.
    strangers: Mutex<HashMap<String, (Timestamp, String, Half)>>,
}

fn failed(error: impl std::error::Error + Send + Sync + 'static) -> Failure {
    Failure::Failed(error.into())
}

fn not_proven() -> Failure {
    Failure::SignIn(
        "this passkey is not known here, or what it said doesn't hold; try again, or use your password and a code"
            .to_owned(),
    )
}

impl Passkeys {
    /// For the address that people type. `any_port` where the service took a port that nobody chose.
    ///
    /// # Errors
    /// When the address can't be used.
    pub(crate) fn new(address: &Url, any_port: bool) -> anyhow::Result<Self> {
        let party = match address.host() {
            Some(Host::Domain(name)) => {
                let builder = WebauthnBuilder::new(name, address)?.rp_name("Tempestas").allow_any_port(any_port);
                Some(builder.build()?)
            }
            _ => None,
        };
        Ok(Self { party, open: Mutex::default(), strangers: Mutex::default() })
    }

    fn party(&self) -> Result<&Webauthn, Failure> {
        self.party.as_ref().ok_or_else(|| EdgeRefusal::NoName.into())
    }

    fn begin(&self, half: Half, options: &impl Serialize) -> Result<Ceremony, Failure> {
        let ceremony = keyring::random_text().to_string();
        let options = serde_json::to_value(options).map_err(failed)?;
        let now = Timestamp::now();
        if let Ok(mut open) = self.open.lock() {
            open.retain(|_, (since, _)| now.duration_since(*since) < CEREMONY_LASTS);
            if open.len() >= CEREMONIES_MOST
                && let Some(oldest) = open.iter().min_by_key(|(_, (since, _))| *since).map(|(key, _)| key.clone())
            {
                open.remove(&oldest);
            }
            open.insert(ceremony.clone(), (now, half));
        }
        Ok(Ceremony { ceremony, options })
    }

    /// The first half of signing in, for somebody at an address.
    fn begin_for_stranger(&self, address: &str, half: Half, options: &impl Serialize) -> Result<Ceremony, Failure> {
        let ceremony = keyring::random_text().to_string();
        let options = serde_json::to_value(options).map_err(failed)?;
        let (now, whose) = (Timestamp::now(), network(address));
        if let Ok(mut open) = self.strangers.lock() {
            open.retain(|_, (since, ..)| now.duration_since(*since) < CEREMONY_LASTS);
            let own = open.iter().filter(|(_, (_, known, _))| *known == whose);
            let oldest = own.clone().min_by_key(|(_, (since, ..))| *since).map(|(key, _)| key.clone());
            if own.count() >= STRANGERS_MOST
                && let Some(oldest) = oldest
            {
                open.remove(&oldest);
            }
            open.insert(ceremony.clone(), (now, whose, half));
        }
        Ok(Ceremony { ceremony, options })
    }

    fn take(&self, ceremony: &str) -> Result<Half, Failure> {
        let taken = self.open.lock().ok().and_then(|mut open| open.remove(ceremony)).or_else(|| {
            let taken = self.strangers.lock().ok()?.remove(ceremony)?;
            Some((taken.0, taken.2))
        });
        match taken {
            Some((since, half)) if Timestamp::now().duration_since(since) < CEREMONY_LASTS => Ok(half),
            _ => Err(EdgeRefusal::CeremonyOver.into()),
        }
    }
}

/// What an authenticator said, read.
fn read<T: DeserializeOwned>(credential: Value) -> Result<T, Failure> {
    serde_json::from_value(credential)
        .map_err(|error| Failure::Malformed(format!("not a WebAuthn credential: {error}")))
}

fn key(kept: &Kept) -> Result<Passkey, Failure> {
    serde_json::from_str(&kept.body).map_err(failed)
}

/// How a credential's id is written.
pub(crate) fn id_text(credential: &[u8]) -> String {
    URL_SAFE_NO_PAD.encode(credential)
}

/// Reads such an id.
pub(crate) fn id_bytes(text: &str) -> Option<Vec<u8>> {
    URL_SAFE_NO_PAD.decode(text).ok()
}

/// First half of adding a passkey.
pub(crate) async fn begin_adding(app: &App, _: FreshProof, person: SubjectId, name: &str) -> Result<Ceremony, Failure> {
    let party = app.passkeys().party()?;
    let known = app.store().passkeys(person).await?;
    if known.len() >= PASSKEYS_MOST {
        return Err(EdgeRefusal::TooManyPasskeys { most: PASSKEYS_MOST }.into());
    }
    let exclude = known.iter().map(|kept| CredentialID::from(kept.credential.clone())).collect();
    // Stable for the person and no one's name, as WebAuthn asks of user handles.
    let handle = Digest::of(&[app.installation().as_bytes(), &person.0.to_be_bytes()]);
    let handle = Uuid::from_slice(handle.0.get(..16).unwrap_or(&[0; 16])).map_err(failed)?;
    let (mut options, state) = party.start_passkey_registration(handle, name, name, Some(exclude)).map_err(failed)?;
    // So that signing in needs no name typed first.
    if let Some(selection) = &mut options.public_key.authenticator_selection {
        selection.resident_key = Some(ResidentKeyRequirement::Required);
        selection.require_resident_key = true;
    }
    app.passkeys().begin(Half::Adding { person, state }, &options)
}

/// Second half of adding a passkey.
pub(crate) async fn add(
    app: &App,
    _: FreshProof,
    person: SubjectId,
    ceremony: &str,
    name: &str,
    credential: Value,
) -> Result<Kept, Failure> {
    let half = app.passkeys().take(ceremony)?;
    let Half::Adding { person: whose, state } = half else { return Err(not_proven()) };
    if whose != person {
        return Err(not_proven());
    }
    let credential: RegisterPublicKeyCredential = read(credential)?;
    let key = app
        .passkeys()
        .party()?
        .finish_passkey_registration(&credential, &state)
        .map_err(|error| EdgeRefusal::BadPasskey { why: error.to_string() })?;
    let kept = Kept {
        credential: key.cred_id().to_vec(),
        person,
        name: name.to_owned(),
        body: serde_json::to_string(&key).map_err(failed)?,
        added_at: Timestamp::now(),
        used_at: None,
    };
    if app.store().passkey(&kept.credential).await?.is_some() {
        return Err(EdgeRefusal::PasskeyKnown.into());
    }
    Ok(kept)
}

/// First half of signing in; nobody is named, so nobody learns who is known here.
pub(crate) fn begin_sign_in(app: &App, address: &str) -> Result<Ceremony, Failure> {
    let (mut options, state) = app.passkeys().party()?.start_discoverable_authentication().map_err(failed)?;
    options.mediation = None;
    app.passkeys().begin_for_stranger(address, Half::SigningIn(state), &options)
}

/// Second half of signing in: who it is.
pub(crate) async fn sign_in(app: &App, ceremony: &str, credential: Value) -> Result<Proven, Failure> {
    let Half::SigningIn(state) = app.passkeys().take(ceremony)? else { return Err(not_proven()) };
    let credential: PublicKeyCredential = read(credential)?;
    let party = app.passkeys().party()?;
    let (_, id) = party.identify_discoverable_authentication(&credential).map_err(|_| not_proven())?;
    let (kept, hash) = kept_under(app.store(), id).await?.ok_or_else(not_proven)?;
    let mut known = key(&kept)?;
    #[expect(deprecated, reason = "the form that takes a discoverable key without the credential's internals")]
    let result = party
        .finish_discoverable_authentication(&credential, state, &[DiscoverableKey::from(&known)])
        .map_err(|_| not_proven())?;
    if app.world().is_suspended(kept.person) {
        return Err(not_proven());
    }
    known.update_credential(&result);
    note_use(app.store(), &kept, &known).await?;
    Ok(Proven::by(kept.person, &hash))
}

/// A passkey, and the password hash beside which it stands: one that is dropped with others is not found beside theirs.
async fn kept_under(store: &Store, id: &[u8]) -> Result<Option<(Kept, String)>, Failure> {
    let Some(kept) = store.passkey(id).await? else { return Ok(None) };
    let hash = store.password_hash(kept.person).await?;
    // Looked at once more behind the hash, which may be of later credentials than the passkey.
    Ok(store.passkey(id).await?.zip(hash))
}

async fn note_use(store: &Store, kept: &Kept, known: &Passkey) -> Result<(), Failure> {
    let body = serde_json::to_string(known).map_err(failed)?;
    Ok(store.use_passkey(&kept.credential, &body, Timestamp::now()).await?)
}

/// First half of proving oneself anew.
pub(crate) async fn begin_proof(app: &App, sign_in: &SignIn) -> Result<Ceremony, Failure> {
    let kept = app.store().passkeys(sign_in.person).await?;
    if kept.is_empty() {
        return Err(EdgeRefusal::NoPasskey.into());
    }
    let keys = kept.iter().map(key).collect::<Result<Vec<_>, _>>()?;
    let (options, state) = app.passkeys().party()?.start_passkey_authentication(&keys).map_err(failed)?;
    app.passkeys().begin(Half::Proving { sign_in: sign_in.id, state }, &options)
}

/// Second half: proven at the time returned.
pub(crate) async fn prove(app: &App, sign_in: &SignIn, ceremony: &str, credential: Value) -> Result<Proof, Failure> {
    let wrong = || Failure::from(EdgeRefusal::PasskeyProvedNothing);
    let Half::Proving { sign_in: whose, state } = app.passkeys().take(ceremony)? else { return Err(wrong()) };
    if whose != sign_in.id {
        return Err(wrong());
    }
    let credential: PublicKeyCredential = read(credential)?;
    let result = app.passkeys().party()?.finish_passkey_authentication(&credential, &state).map_err(|_| wrong())?;
    let kept = app.store().passkey(result.cred_id()).await?.filter(|kept| kept.person == sign_in.person);
    let kept = kept.ok_or_else(wrong)?;
    let mut known = key(&kept)?;
    known.update_credential(&result);
    note_use(app.store(), &kept, &known).await?;
    proven_anew(app, sign_in, ProofMethod::Passkey).await
}

#[cfg(test)]
mod tests {
    use super::{CEREMONIES_MOST, Half, Passkeys, STRANGERS_MOST};

    #[test]
    fn challenges_of_strangers_push_out_nobody_who_signed_in_and_of_theirs_only_their_own() {
        let passkeys = Passkeys::new(&"http://localhost:8080".parse().unwrap(), true).unwrap();
        let signing_in = || Half::SigningIn(passkeys.party().unwrap().start_discoverable_authentication().unwrap().1);
        let of_one_signed_in = passkeys.begin(signing_in(), &"").unwrap().ceremony;
        let at_home = passkeys.begin_for_stranger("10.0.0.7", signing_in(), &"").unwrap().ceremony;
        let flood: Vec<String> = (0..=CEREMONIES_MOST)
            .map(|n| {
                let address = format!("2001:db8::{n:x}");
                passkeys.begin_for_stranger(&address, signing_in(), &"").unwrap().ceremony
            })
            .collect();
        assert!(passkeys.take(&of_one_signed_in).is_ok() && passkeys.take(&at_home).is_ok());
        let left = flood.iter().filter(|ceremony| passkeys.take(ceremony).is_ok()).count();
        assert_eq!(left, STRANGERS_MOST, "one household has so many, however many addresses it has");
        assert!(passkeys.take(&at_home).is_err(), "each is good once");
    }
}
