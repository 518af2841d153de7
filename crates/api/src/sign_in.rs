//! Sign-in: passwords and codes, passkeys, programs let in by a code, and what those draft.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use tempestas_core::{Digest, ProofLevel, ProofMethod};

use crate::{DutyView, StopView};

/// Name, password and a current TOTP code.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SignInRequest {
    /// Name to sign in by.
    pub name: String,
    /// Password.
    pub password: String,
    /// TOTP code.
    pub code: String,
}

/// A sign-in that began.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct SignInReply {
    /// Bearer token; shown once.
    pub token: String,
    /// Who signed in.
    pub name: String,
    /// When it ends whatever happens.
    pub ends: Timestamp,
}

/// A one-time enrolment secret and the password to set.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct EnrolRequest {
    /// The secret, as handed over.
    pub secret: String,
    /// The new password, 12 letters or more.
    pub password: String,
}

/// The TOTP secret to put into an authenticator; shown once.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct EnrolReply {
    /// Whose.
    pub name: String,
    /// Secret in Base32.
    pub totp_secret: String,
    /// The same as an `otpauth:` address.
    pub totp_url: String,
    /// That address as a QR code (ISO/IEC 18004), row by row: `#` is dark.
    pub totp_qr: Vec<String>,
}

/// A current TOTP code.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ProofRequest {
    /// The code.
    pub code: String,
}

/// How sure the service is of the caller.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ProofView {
    /// Since when.
    pub at: Timestamp,
    /// By what.
    pub method: ProofMethod,
    /// How sure that makes.
    pub level: ProofLevel,
}

/// The caller.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct Me {
    /// Name.
    pub name: String,
    /// Full name.
    pub about: String,
    /// Duties.
    pub duties: Vec<DutyView>,
    /// Groups they belong to, through any number of groups.
    pub groups: Vec<String>,
    /// Their last proof in this sign-in.
    pub proof: Option<ProofView>,
    /// Whether they have a passkey.
    pub has_passkey: bool,
    /// Whether a duty shows them everything.
    pub sees_all: bool,
    /// Whether they administer everything.
    pub administers_all: bool,
    /// Stops in force that they may see, or that reach them.
    pub stops: Vec<StopView>,
    /// When this sign-in ends whatever happens.
    pub ends: Timestamp,
    /// The service's clock.
    pub now: Timestamp,
    /// Set in the sample world, which the console then says on every page.
    pub sample_world: bool,
    /// How many asks wait for their answer.
    pub waiting_for_me: usize,
    /// How many of their elevations are live.
    pub live: usize,
}

/// One of the caller's sign-ins.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct SignInView {
    /// Its number.
    pub id: i64,
    /// From where.
    pub address: String,
    /// Since when.
    pub began_at: Timestamp,
    /// Last use.
    pub used_at: Timestamp,
    /// `token`, `browser` or `device`.
    pub kind: String,
    /// Whether it is the one this call came with.
    pub this_one: bool,
}

/// A console's sign-in that began; its token is in a cookie that scripts can't read.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct ConsoleSignInReply {
    /// Who signed in.
    pub name: String,
    /// When it ends whatever happens.
    pub ends: Timestamp,
}

/// The first half of a WebAuthn ceremony.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct Ceremony {
    /// To be given back with the second half, within five minutes.
    pub ceremony: String,
    /// Options for the browser's `navigator.credentials` (WebAuthn Level 2, 5.4 and 5.5).
    pub options: Value,
}

/// The second half: what the authenticator said.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PasskeyProof {
    /// As given with the first half.
    pub ceremony: String,
    /// The credential, in WebAuthn's JSON form.
    pub credential: Value,
}

/// The second half of adding a passkey.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewPasskey {
    /// As given with the first half.
    pub ceremony: String,
    /// What to call it.
    pub name: String,
    /// The credential, in WebAuthn's JSON form.
    pub credential: Value,
}

/// One of the caller's passkeys.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct PasskeyView {
    /// Id.
    pub id: String,
    /// As its person calls it.
    pub name: String,
    /// Since when.
    pub added_at: Timestamp,
    /// Last use.
    pub used_at: Option<Timestamp>,
}

/// A program that wants to be let in (RFC 8628, 3.1); sent as a form.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DeviceRequest {
    /// What the program calls itself. It is registered nowhere, and whoever lets it in reads this.
    pub client_id: String,
    /// The host it runs on, as it says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub host: Option<String>,
}

/// What the program shows, and waits with (RFC 8628, 3.2).
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct DeviceReply {
    /// To ask with; never shown.
    pub device_code: String,
    /// To be typed into the console.
    pub user_code: String,
    /// Where the console asks for it.
    pub verification_uri: String,
    /// Good for so many seconds.
    pub expires_in: u32,
    /// Seconds to wait between two asks.
    pub interval: u32,
}

/// The one grant that there is a token for (RFC 8628, 3.4).
pub const DEVICE_GRANT: &str = "urn:ietf:params:oauth:grant-type:device_code";

/// Asks whether the program was let in (RFC 8628, 3.4); sent as a form.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct DeviceTokenRequest {
    /// `urn:ietf:params:oauth:grant-type:device_code`.
    pub grant_type: String,
    /// As given.
    pub device_code: String,
    /// As it was said when the code was asked for.
    pub client_id: String,
}

/// A token for a program that was let in (RFC 6749, 5.1).
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
pub struct TokenReply {
    /// The token; shown once. It reads, and drafts.
    pub access_token: String,
    /// `Bearer` (RFC 6750).
    pub token_type: String,
    /// Good for so many seconds, whatever happens.
    pub expires_in: u64,
    /// Who let it in.
    pub name: String,
    /// When it ends whatever happens.
    pub ends: Timestamp,
}

/// Why there is no token, or no code (RFC 6749, 5.2; RFC 8628, 3.5).
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct TokenRefusal {
    /// A word for programs: `authorization_pending`, `slow_down`, `access_denied`, `expired_token`, `invalid_request`,
    /// `invalid_grant`, `unsupported_grant_type`.
    pub error: String,
    /// One plain sentence.
    pub error_description: String,
}

/// Where programs are let in (RFC 8414).
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AuthorizationMetadata {
    /// The service's address.
    pub issuer: String,
    /// Where a code is asked for.
    pub device_authorization_endpoint: String,
    /// Where it becomes a token.
    pub token_endpoint: String,
    /// The one grant.
    pub grant_types_supported: Vec<String>,
    /// None: nothing is answered by a redirect.
    pub response_types_supported: Vec<String>,
    /// `none`: programs have no secrets of their own.
    pub token_endpoint_auth_methods_supported: Vec<String>,
}

/// A code typed into the console.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DeviceCode {
    /// The code.
    pub code: String,
}

/// A program that waits.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DeviceView {
    /// What it calls itself.
    pub program: String,
    /// The host it runs on, as it says.
    pub host: String,
    /// The network address it came from.
    pub address: String,
    /// Since when it waits.
    pub asked_at: Timestamp,
    /// Until when it may be let in.
    pub expires: Timestamp,
}

/// Lets a program in, or refuses it.
#[derive(Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DeviceAnswer {
    /// The code.
    pub code: String,
    /// Whether it is let in.
    pub let_in: bool,
}

/// A request that a program drafted, for its person to confirm in the console.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DraftView {
    /// Its number.
    pub id: i64,
    /// HTTP method.
    pub method: String,
    /// Path.
    pub path: String,
    /// Body.
    pub body: Value,
    /// When it was drafted.
    pub drawn_at: Timestamp,
    /// `open`, `under-way`, `confirmed` or `dropped`.
    pub state: String,
    /// The reply, where it was confirmed.
    pub reply: Option<Value>,
    /// To be given back with the confirmation.
    pub digest: Digest,
}

/// What a program gets instead of being obeyed.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct Drafted {
    /// The draft's number.
    pub draft: i64,
    /// Where its person confirms it.
    pub address: String,
    /// In one plain sentence.
    pub says: String,
}

/// Confirms a draft that was looked at.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ConfirmRequest {
    /// Digest of what was looked at.
    pub shown: Digest,
}
