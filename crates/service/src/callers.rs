//! Callers as extractor types that say what was proven. A route without one doesn't compile into the router.

use std::net::SocketAddr;

use axum::{
    extract::{ConnectInfo, FromRequestParts, Request, State},
    http::{HeaderMap, HeaderValue, Method, StatusCode, Version, header, request::Parts},
    middleware::Next,
    response::{IntoResponse as _, Response},
};
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{
    Administers, Caller, Command, Context, Demand, DutyKind, Fact, FreshProof, LookedAt, Note, ProofMethod, Refusal,
    ScopeId, Seconds, Sight, SubjectId, Surety, World, decide,
};
use tempestas_engine::Outcome;
use tempestas_store::{Private, SignIn, SignInKind};

use crate::{
    app::{App, caller},
    drafts,
    identity::token_digest,
    problem::Failure,
    refused::EdgeRefusal,
};

/// How fresh a proof must be for changing how one signs in, or letting a program in.
const OWN_PROOF: Seconds = Seconds::minutes(15);
/// How often the last use of a sign-in is written down, at most; oftener where it may idle only shortly.
const NOTED_EVERY: SignedDuration = SignedDuration::from_secs(30);

/// A kind of caller, as routes declare it.
pub(crate) trait CallerKind: FromRequestParts<App, Rejection = Failure> + Send + 'static {
    /// The word in the OpenAPI file.
    const WORD: &'static str;
}

/// Anyone at all: for signing in and enrolling.
pub(crate) struct Anyone {
    pub(crate) app: App,
    pub(crate) address: String,
}

/// Somebody who is signed in.
pub(crate) struct SignedIn {
    pub(crate) app: App,
    pub(crate) person: SubjectId,
    pub(crate) address: String,
    pub(crate) sign_in: SignIn,
}

/// Somebody with the duty of an administrator or auditor somewhere. What they see goes through their Sight.
pub(crate) struct Overseer(pub(crate) SignedIn);

/// Somebody with the duty of an administrator somewhere. Where, and how freshly proven, is decided with the command.
pub(crate) struct Administrator(pub(crate) SignedIn);

/// A caller who would know whether a command of theirs would be refused, and gives none.
pub(crate) struct Trying(Caller);

impl Trying {
    /// Why a command would be refused, were it given now; nothing comes of it. That a fresher proof is wanted is no reason: it is
    /// given with the command.
    pub(crate) fn refused(&self, world: &World, command: impl Into<Command>) -> Option<String> {
        let context = Context {
            now: Timestamp::now(),
            caller: self.0.clone(),
            chance: tempestas_engine::random(),
            looked_at: None,
        };
        let refusal = decide(world, &command.into(), &context).err()?;
        (!matches!(refusal, Refusal::StepUp { .. })).then(|| refusal.to_string())
    }
}

impl CallerKind for Anyone {
    const WORD: &'static str = "anyone";
}
impl CallerKind for SignedIn {
    const WORD: &'static str = "signed-in";
}
impl CallerKind for Overseer {
    const WORD: &'static str = "overseer";
}
impl CallerKind for Administrator {
    const WORD: &'static str = "administrator";
}

impl SignedIn {
    /// Has a command decided for this caller.
    pub(crate) async fn submit(&self, command: impl Into<Command>) -> Outcome {
        self.app.submit(self.caller(), command).await
    }

    /// Has a command decided for this caller, with secrets that are written in the same commit.
    pub(crate) async fn submit_with(
        &self,
        command: impl Into<Command>,
        private: impl FnOnce(&[Fact]) -> anyhow::Result<Vec<Private>> + Send + 'static,
    ) -> Outcome {
        self.app.submit_with(self.caller(), command, private).await
    }

    /// Has a change in place decided for this caller, who looked at what is there.
    pub(crate) async fn change(&self, looked_at: LookedAt, command: impl Into<Command>) -> Outcome {
        self.change_with(looked_at, command, Vec::new()).await
    }

    /// The same, with secrets that are written in the same commit.
    pub(crate) async fn change_with(
        &self,
        looked_at: LookedAt,
        command: impl Into<Command>,
        private: Vec<Private>,
    ) -> Outcome {
        self.app.change(self.caller(), looked_at, command, private).await
    }

    /// What would become of commands of this caller, to be looked at before any is given.
    pub(crate) fn trying(&self) -> Trying {
        Trying(self.caller())
    }

    fn caller(&self) -> Caller {
        caller(self.person, &self.address, self.sign_in.proof)
    }

    /// Refuses what the terms want from elsewhere, before anything is typed. What a device drafts is confirmed in a browser,
    /// which may be there.
    pub(crate) fn ensure_from_here(&self, world: &World, demand: &Demand) -> Result<(), Refusal> {
        if self.sign_in.kind == SignInKind::Device {
            return Ok(());
        }
        demand.takes().ensure_from_here(world, &self.caller())
    }

    /// Refuses where the last proof is older than what changing one's own sign-in wants; or is a code, where they have a
    /// passkey: whoever tricked them out of a code could else make themselves one.
    pub(crate) async fn fresh_proof(&self) -> Result<FreshProof, Failure> {
        let any = Surety::within(OWN_PROOF);
        let has_passkey = !self.app.store().passkeys(self.person).await?.is_empty();
        let takes = if has_passkey { any.by(ProofMethod::Passkey) } else { any };
        Ok(FreshProof::of(&self.app.world(), &self.caller(), &takes, Timestamp::now())?)
    }

    /// Refuses anyone but an administrator of a scope who proved themselves freshly: for calling a target in their name.
    pub(crate) fn administers(&self, scope: ScopeId) -> Result<Administers, Failure> {
        Ok(Administers::of(&self.app.world(), &self.caller(), scope, Timestamp::now())?)
    }

    /// What they may see.
    pub(crate) fn sight(&self) -> Sight {
        Sight::of(&self.app.world(), self.person)
    }

    async fn with_duty(
        self,
        parts: &Parts,
        fits: impl Fn(DutyKind) -> bool,
        says: EdgeRefusal,
    ) -> Result<Self, Failure> {
        let has = {
            let world = self.app.world();
            world.duties.values().any(|duty| fits(duty.kind) && world.belongs_to(self.person, duty.subject))
        };
        if has {
            return Ok(self);
        }
        let command = format!("{} {}", parts.method.as_str().to_lowercase(), route(parts));
        let note = Note::Refused { command, code: "not-allowed".to_owned(), elevation: None };
        self.app.note(self.person, &self.address, note).await?;
        Err(says.into())
    }
}

/// The route's template, never the path itself: that could hold anything.
fn route(parts: &Parts) -> String {
    parts
        .extensions
        .get::<axum::extract::MatchedPath>()
        .map_or_else(|| "a route".to_owned(), |path| path.as_str().to_owned())
}

fn address(parts: &Parts) -> String {
    parts
        .extensions
        .get::<ConnectInfo<SocketAddr>>()
        .map_or_else(|| "unknown".to_owned(), |ConnectInfo(address)| address.ip().to_string())
}

/// Notes requests of signed-in people that could not even be read, as refusals to them, within a rate.
pub(crate) async fn noted(State(app): State<App>, request: Request, next: Next) -> Response {
    let (parts, body) = request.into_parts();
    let token = credential(&app, &parts.headers).map(|credential| credential.token().to_owned());
    let (command, from) = (format!("{} {}", parts.method.as_str().to_lowercase(), route(&parts)), address(&parts));
    let response = next.run(Request::from_parts(parts, body)).await;
    let unread = [StatusCode::BAD_REQUEST, StatusCode::PAYLOAD_TOO_LARGE, StatusCode::UNSUPPORTED_MEDIA_TYPE];
    if unread.contains(&response.status())
        && let Some(token) = token
        && let Ok(sign_in) = sign_in(&app, &token).await
    {
        let note = Note::Refused { command, code: "malformed".to_owned(), elevation: None };
        if let Err(refusal) = app.note(sign_in.person, &from, note).await {
            tracing::warn!(%refusal, "a request that can't be read could not be noted");
        }
    }
    response
}

/// Refuses what doesn't say, or says twice, whom it is for (RFC 9112, section 3.2). Under TLS browsers hear that they
/// never come without it (RFC 6797).
pub(crate) async fn well_addressed(State(app): State<App>, request: Request, next: Next) -> Response {
    let hosts = request.headers().get_all(header::HOST).iter().count();
    if hosts > 1 || hosts == 0 && request.version() == Version::HTTP_11 {
        return Failure::Malformed("a request names its host once: `Host`".to_owned()).into_response();
    }
    let mut response = next.run(request).await;
    if app.config().tls.is_some() {
        let always = HeaderValue::from_static("max-age=31536000");
        response.headers_mut().insert(header::STRICT_TRANSPORT_SECURITY, always);
    }
    response
}

/// How a request says whose it is.
pub(crate) enum Credential<'a> {
    /// In the `Authorization` header.
    Bearer(&'a str),
    /// In the console's cookie, which browsers add by themselves.
    Cookie(&'a str),
}

impl<'a> Credential<'a> {
    pub(crate) const fn token(&self) -> &'a str {
        match self {
            Self::Bearer(token) | Self::Cookie(token) => token,
        }
    }
}

/// Name of the console's cookie. Under TLS the prefix keeps other hosts of the domain from planting one.
const fn cookie_name(tls: bool) -> &'static str {
    if tls { "__Host-tempestas" } else { "tempestas" }
}

/// The cookie that keeps a console signed in: out of reach of scripts, and never sent along from another site.
pub(crate) fn cookie(app: &App, token: &str, seconds: i64) -> String {
    let tls = app.config().tls.is_some();
    let secure = if tls { "; Secure" } else { "" };
    format!("{}={token}; Path=/; HttpOnly; SameSite=Strict; Max-Age={seconds}{secure}", cookie_name(tls))
}

/// The token that a request came with.
pub(crate) fn credential<'a>(app: &App, headers: &'a HeaderMap) -> Option<Credential<'a>> {
    if let Some(header) = headers.get(header::AUTHORIZATION) {
        // A scheme is named in any case (RFC 9110, section 11.1).
        let (scheme, token) = header.to_str().ok()?.split_once(' ')?;
        return scheme.eq_ignore_ascii_case("bearer").then(|| Credential::Bearer(token.trim_start()));
    }
    let name = cookie_name(app.config().tls.is_some());
    let cookies = headers.get_all(header::COOKIE).iter().filter_map(|value| value.to_str().ok());
    let mut pairs = cookies.flat_map(|cookies| cookies.split("; ")).filter_map(|pair| pair.split_once('='));
    pairs.find(|(known, _)| *known == name).map(|(_, token)| Credential::Cookie(token))
}

/// Whether a browser sent this for a page of ours; none where no browser says so.
fn is_own_origin(parts: &Parts) -> Option<bool> {
    let text = |name| parts.headers.get(name).map(|value: &axum::http::HeaderValue| value.to_str().unwrap_or_default());
    let origin = text(header::ORIGIN)?.split_once("://").map(|(_, host)| host);
    let host = text(header::HOST).or_else(|| parts.uri.authority().map(axum::http::uri::Authority::as_str));
    Some(origin.is_some() && origin == host)
}

/// Refuses a request that a browser sent for a page of another origin: with its cookie, which `SameSite` forbids already,
/// so that this is the second bolt; or to be given one, as somebody whom that page chose. `by_cookie` where the request
/// must say that it is of ours.
fn ensure_own_origin(parts: &Parts, by_cookie: bool) -> Result<(), Failure> {
    if parts.method == Method::GET || is_own_origin(parts).unwrap_or(!by_cookie) {
        return Ok(());
    }
    Err(EdgeRefusal::ForeignPage.into())
}

/// Whether a caller who has been listening for a while is still signed in.
pub(crate) async fn still_holds(me: &SignedIn) -> bool {
    let limits = &me.app.config().sign_in;
    let now = Timestamp::now();
    match me.app.store().sign_ins(me.person).await {
        Ok(all) => all.iter().any(|known| {
            known.id == me.sign_in.id
                && now.duration_since(known.used_at) <= limits.idle.0
                && now.duration_since(known.began_at) <= limits.longest.0
        }),
        Err(_) => false,
    }
}

/// The sign-in a token stands for, where it still holds.
pub(crate) async fn sign_in(app: &App, token: &str) -> Result<SignIn, Failure> {
    let sign_in = app.store().sign_in(token_digest(token)).await?.ok_or(Failure::DeadToken)?;
    let now = Timestamp::now();
    let limits = &app.config().sign_in;
    let idle = now.duration_since(sign_in.used_at) > limits.idle.0;
    let over = now.duration_since(sign_in.began_at) > limits.longest.0;
    let suspended = app.world().is_suspended(sign_in.person);
    if idle || over || suspended {
        app.store().end_sign_ins(sign_in.person, Some(sign_in.id)).await?;
        return Err(Failure::DeadToken);
    }
    if now.duration_since(sign_in.used_at) >= NOTED_EVERY.min(limits.idle.0 / 4) {
        // It may end the sooner for that; a disk that is full keeps nobody from looking at what is held.
        if let Err(error) = app.store().use_sign_in(sign_in.id, now, None).await {
            tracing::warn!(%error, "that a sign-in was used can't be noted");
        }
    }
    Ok(sign_in)
}

impl FromRequestParts<App> for Anyone {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Failure> {
        ensure_own_origin(parts, false)?;
        Ok(Self { app: app.clone(), address: address(parts) })
    }
}

impl FromRequestParts<App> for SignedIn {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Failure> {
        let credential = credential(app, &parts.headers).ok_or_else(|| {
            Failure::SignIn("this needs a sign-in; run `tempestas sign-in`, or send a bearer token".to_owned())
        })?;
        ensure_own_origin(parts, matches!(credential, Credential::Cookie(_)))?;
        let sign_in = sign_in(app, credential.token()).await?;
        if sign_in.kind == SignInKind::Device && !drafts::is_reading(parts) {
            return Err(drafts::only_in_console());
        }
        Ok(Self { app: app.clone(), person: sign_in.person, address: address(parts), sign_in })
    }
}

impl FromRequestParts<App> for Overseer {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Failure> {
        let me = SignedIn::from_request_parts(parts, app).await?;
        me.with_duty(parts, |_| true, EdgeRefusal::NoDuty).await.map(Self)
    }
}

impl FromRequestParts<App> for Administrator {
    type Rejection = Failure;

    async fn from_request_parts(parts: &mut Parts, app: &App) -> Result<Self, Failure> {
        let me = SignedIn::from_request_parts(parts, app).await?;
        let administers = |kind| kind == DutyKind::Administrator;
        me.with_duty(parts, administers, EdgeRefusal::NoAdministrator).await.map(Self)
    }
}
