//! Signing in and out, enrolling, proving anew.

use jiff::Timestamp;
use serde_json::Value;
use tempestas_api::{
    Ceremony, ConsoleSignInReply, Done, EnrolReply, EnrolRequest, Me, NewPasskey, PasskeyProof, PasskeyView,
    ProofRequest, ProofView, SignInReply, SignInRequest, SignInView,
};
use tempestas_core::{CredentialStep, Note, PeopleCommand, Phase, ProofMethod, Sight};
use tempestas_store::{Private, Proven, SignInKind};

use crate::{
    app::{App, caller},
    callers::{Anyone, SignedIn, cookie},
    door::{Answer, At, Body, Json, WithCookie},
    identity::{check_password, new_credentials, prove, prove_again, token_digest},
    keyring, passkeys,
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

/// A console that is signed in by this reply.
type ConsoleAnswer = Result<WithCookie<ConsoleSignInReply>, Failure>;

pub(super) async fn sign_in(anyone: Anyone, Body(request): Body<SignInRequest>) -> Answer<SignInReply> {
    let Anyone { app, address } = anyone;
    let proven = prove(&app, &request.name, request.password, &request.code, &address).await?;
    let person = proven.person;
    let now = Timestamp::now();
    let token = keyring::random_text();
    let method = Some(ProofMethod::TotpCode);
    app.store().begin_sign_in(token_digest(&token), proven, &address, now, SignInKind::Token, method).await?;
    app.note(person, &address, Note::SignedIn).await?;
    let ends = ends(&app, now);
    Ok(Json(SignInReply { token: token.to_string(), name: app.world().subject_name(person), ends }))
}

/// When a sign-in that began then ends whatever happens.
fn ends(app: &App, began_at: Timestamp) -> Timestamp {
    began_at.checked_add(app.config().sign_in.longest.0).unwrap_or(Timestamp::MAX)
}

/// Signs a console in.
async fn into_console(app: &App, proven: Proven, method: ProofMethod, address: &str) -> ConsoleAnswer {
    let person = proven.person;
    let now = Timestamp::now();
    let token = keyring::random_text();
    app.store().begin_sign_in(token_digest(&token), proven, address, now, SignInKind::Browser, Some(method)).await?;
    app.note(person, address, Note::SignedIn).await?;
    let name = app.world().subject_name(person);
    let set = cookie(app, &token, app.config().sign_in.longest.0.as_secs());
    Ok(WithCookie(set, ConsoleSignInReply { name, ends: ends(app, now) }))
}

pub(super) async fn console(anyone: Anyone, Body(request): Body<SignInRequest>) -> ConsoleAnswer {
    let Anyone { app, address } = anyone;
    let proven = prove(&app, &request.name, request.password, &request.code, &address).await?;
    into_console(&app, proven, ProofMethod::TotpCode, &address).await
}

pub(super) async fn passkey_challenge(anyone: Anyone) -> Answer<Ceremony> {
    Ok(Json(passkeys::begin_sign_in(&anyone.app, &anyone.address)?))
}

pub(super) async fn passkey(anyone: Anyone, Body(said): Body<PasskeyProof>) -> ConsoleAnswer {
    let Anyone { app, address } = anyone;
    let proven = passkeys::sign_in(&app, &said.ceremony, said.credential).await?;
    into_console(&app, proven, ProofMethod::Passkey, &address).await
}

pub(super) async fn proof_challenge(me: SignedIn) -> Answer<Ceremony> {
    Ok(Json(passkeys::begin_proof(&me.app, &me.sign_in).await?))
}

pub(super) async fn proof_passkey(me: SignedIn, Body(said): Body<PasskeyProof>) -> Answer<ProofView> {
    let proof = passkeys::prove(&me.app, &me.sign_in, &said.ceremony, said.credential).await?;
    me.submit(Note::Proved).await?;
    Ok(Json(views::proof(proof)))
}

fn passkey_view(kept: &tempestas_store::Passkey) -> PasskeyView {
    PasskeyView {
        id: passkeys::id_text(&kept.credential),
        name: kept.name.clone(),
        added_at: kept.added_at,
        used_at: kept.used_at,
    }
}

pub(super) async fn list_passkeys(me: SignedIn) -> Answer<Vec<PasskeyView>> {
    Ok(Json(me.app.store().passkeys(me.person).await?.iter().map(passkey_view).collect()))
}

pub(super) async fn begin_passkey(me: SignedIn) -> Answer<Ceremony> {
    let proof = me.fresh_proof().await?;
    let name = me.app.world().subject_name(me.person);
    Ok(Json(passkeys::begin_adding(&me.app, proof, me.person, &name).await?))
}

pub(super) async fn add_passkey(me: SignedIn, Body(new): Body<NewPasskey>) -> Answer<PasskeyView> {
    let proof = me.fresh_proof().await?;
    let name = new.name.trim();
    if name.is_empty() || name.chars().count() > 60 {
        return Err(EdgeRefusal::PasskeyUnnamed.into());
    }
    let kept = passkeys::add(&me.app, proof, me.person, &new.ceremony, name, new.credential).await?;
    let step = CredentialStep::PasskeyAdded;
    let (command, new) = (PeopleCommand::SetCredentials { subject: me.person, step }, Private::Passkey(kept.clone()));
    me.submit_with(command, |_| Ok(vec![new])).await?;
    Ok(Json(passkey_view(&kept)))
}

pub(super) async fn drop_passkey(me: SignedIn, At(id): At) -> Answer<Done> {
    me.fresh_proof().await?;
    let credential = passkeys::id_bytes(&id).unwrap_or_default();
    if !me.app.store().passkeys(me.person).await?.iter().any(|kept| kept.credential == credential) {
        return Err(Failure::unknown("passkey of yours", &id, "Settings lists them"));
    }
    let dropped = Private::PasskeyDropped { person: me.person, credential };
    me.submit_with(Note::PasskeyDropped, |_| Ok(vec![dropped])).await?;
    Ok(Json(Done {}))
}

pub(super) async fn enrol(anyone: Anyone, Body(request): Body<EnrolRequest>) -> Answer<EnrolReply> {
    let Anyone { app, address } = anyone;
    // Checked before the secret is used up, so that a short password doesn't cost it; hashed after, so that
    // nobody without a secret makes us work.
    check_password(&request.password)?;
    let person =
        app.store().use_enrolment(token_digest(request.secret.trim()), Timestamp::now()).await?.ok_or_else(|| {
            Failure::SignIn(
                "this enrolment secret is wrong, used or too old; ask an administrator for a new one".to_owned(),
            )
        })?;
    let name = app.world().subject_name(person);
    let (credentials, totp) = new_credentials(&app, person, &name, request.password).await?;
    let set = PeopleCommand::SetCredentials { subject: person, step: CredentialStep::Enrolled };
    app.submit_with(caller(person, &address, None), set, |_| Ok(vec![credentials])).await?;
    let totp_url = totp.to_url().map_err(|error| Failure::Failed(error.into()))?;
    let totp_qr = qr_rows(&totp_url)?;
    Ok(Json(EnrolReply { name, totp_secret: totp.secret().to_base32(), totp_url, totp_qr }))
}

/// A text as the rows of a QR code.
fn qr_rows(text: &str) -> Result<Vec<String>, Failure> {
    let code = qrcode::QrCode::new(text).map_err(|error| Failure::Failed(error.into()))?;
    let squares: Vec<char> = code.to_colors().into_iter().map(|square| square.select('#', ' ')).collect();
    Ok(squares.chunks(code.width()).map(|row| row.iter().collect()).collect())
}

pub(super) async fn sign_out(me: SignedIn) -> Result<WithCookie<Done>, Failure> {
    me.app.store().end_sign_ins(me.person, Some(me.sign_in.id)).await?;
    me.submit(Note::SignInEnded).await?;
    Ok(WithCookie(cookie(&me.app, "", 0), Done {}))
}

pub(super) async fn me(me: SignedIn) -> Answer<Me> {
    let has_passkey = !me.app.store().passkeys(me.person).await?.is_empty();
    let sight = me.sight();
    let world = me.app.world();
    let mine = world.subjects.get(&me.person);
    let active = || world.active();
    Ok(Json(Me {
        name: world.subject_name(me.person),
        about: mine.map(|subject| world.text(subject.about)).unwrap_or_default(),
        duties: world
            .duties
            .values()
            .filter(|duty| world.belongs_to(me.person, duty.subject))
            .filter_map(|duty| sight.see(&world, duty))
            .map(|duty| views::duty(&world, duty))
            .collect(),
        groups: world
            .subjects
            .values()
            .filter(|group| group.id != me.person && world.belongs_to(me.person, group.id))
            .map(|group| world.text(group.name))
            .collect(),
        proof: me.sign_in.proof.map(views::proof),
        has_passkey,
        sees_all: sight.sees_all(&world),
        administers_all: world.root.is_some_and(|root| Sight::is_administrator(&world, me.person, root)),
        stops: super::stops::in_force(&world, &sight),
        ends: ends(&me.app, me.sign_in.began_at),
        now: Timestamp::now(),
        sample_world: me.app.config().service.sample_world,
        waiting_for_me: super::waiting_for(&world, me.person),
        live: active().filter(|elevation| elevation.asker == me.person && elevation.phase == Phase::Live).count(),
    }))
}

pub(super) async fn proof(me: SignedIn, Body(request): Body<ProofRequest>) -> Answer<ProofView> {
    let proof = prove_again(&me.app, &me.sign_in, &request.code, &me.address).await?;
    me.submit(Note::Proved).await?;
    Ok(Json(views::proof(proof)))
}

pub(super) async fn list(me: SignedIn) -> Answer<Vec<SignInView>> {
    let all = me.app.store().sign_ins(me.person).await?;
    Ok(Json(
        all.into_iter()
            .map(|sign_in| SignInView {
                id: sign_in.id,
                address: sign_in.address,
                began_at: sign_in.began_at,
                used_at: sign_in.used_at,
                kind: sign_in.kind.word().to_owned(),
                this_one: sign_in.id == me.sign_in.id,
            })
            .collect(),
    ))
}

pub(super) async fn end(me: SignedIn, At(id): At) -> Answer<Done> {
    let unknown = || Failure::unknown("sign-in of yours", &id, "`tempestas sign-ins` lists them");
    let number: i64 = id.parse().map_err(|_| unknown())?;
    if me.app.store().end_sign_ins(me.person, Some(number)).await? == 0 {
        return Err(unknown());
    }
    me.submit(Note::SignInEnded).await?;
    Ok(Json(Done {}))
}

pub(super) async fn document(_: Anyone) -> Answer<Value> {
    Ok(Json(super::openapi()))
}
