//! Signing in and out, enrolling, proving anew.

use jiff::Timestamp;
use serde_json::Value;
use tempestas_api::{
    Done, EnrolReply, EnrolRequest, Me, ProofReply, ProofRequest, SignInReply, SignInRequest, SignInView,
};
use tempestas_core::{Command, Phase, What};

use crate::{
    app::caller,
    callers::{Anyone, SignedIn},
    door::{Answer, At, Body, Json},
    identity::{check_password, prove, prove_again, set_credentials, token_digest},
    problem::Failure,
    vault, views,
};

pub(super) async fn sign_in(anyone: Anyone, Body(request): Body<SignInRequest>) -> Answer<SignInReply> {
    let Anyone { app, address } = anyone;
    let person = prove(&app, &request.name, request.password, &request.code, &address).await?;
    let now = Timestamp::now();
    let token = vault::random_text();
    app.store().begin_sign_in(token_digest(&token), person, &address, now, true).await?;
    app.note(person, &address, What::SignedIn { subject: person }).await?;
    let ends = now.checked_add(app.config().sign_in.longest.0).unwrap_or(Timestamp::MAX);
    Ok(Json(SignInReply { token: token.to_string(), name: app.world().await.subject_name(person), ends }))
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
    let name = app.world().await.subject_name(person);
    let totp = set_credentials(&app, person, &name, request.password).await?;
    let set = Command::SetCredentials { subject: person, what: What::CredentialsSet { subject: person } };
    app.submit(caller(person, &address, None), set).await?;
    Ok(Json(EnrolReply { name, totp_secret: totp.secret().to_base32(), totp_url: totp.to_string() }))
}

pub(super) async fn sign_out(me: SignedIn) -> Answer<Done> {
    me.app.store().end_sign_ins(me.person, Some(me.sign_in.id)).await?;
    me.submit(Command::Note(What::SignInEnded { subject: me.person })).await?;
    Ok(Json(Done {}))
}

pub(super) async fn me(me: SignedIn) -> Answer<Me> {
    let world = me.app.world().await;
    let mine = world.subjects.get(&me.person);
    let active = || world.active.iter().filter_map(|id| world.elevations.get(id));
    Ok(Json(Me {
        name: world.subject_name(me.person),
        about: mine.map(|subject| world.text(subject.about)).unwrap_or_default(),
        duties: world
            .duties
            .values()
            .filter(|duty| world.belongs_to(me.person, duty.subject))
            .map(|duty| views::duty(&world, duty))
            .collect(),
        groups: world
            .subjects
            .values()
            .filter(|group| group.id != me.person && world.belongs_to(me.person, group.id))
            .map(|group| world.text(group.name))
            .collect(),
        proven_at: me.sign_in.proven_at,
        waiting_for_me: active().filter(|elevation| super::elevations::waits_for(elevation, me.person)).count(),
        live: active().filter(|elevation| elevation.asker == me.person && elevation.phase == Phase::Live).count(),
    }))
}

pub(super) async fn proof(me: SignedIn, Body(request): Body<ProofRequest>) -> Answer<ProofReply> {
    let proven_at = prove_again(&me.app, &me.sign_in, &request.code, &me.address).await?;
    me.submit(Command::Note(What::Proved { subject: me.person })).await?;
    Ok(Json(ProofReply { proven_at }))
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
    me.submit(Command::Note(What::SignInEnded { subject: me.person })).await?;
    Ok(Json(Done {}))
}

pub(super) async fn document(_: Anyone) -> Answer<Value> {
    Ok(Json(super::openapi()))
}
