//! Programs let in by a code that their person types into the console (RFC 8628), and what they draft.

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{
    AuthorizationMetadata, ConfirmRequest, DEVICE_GRANT, DeviceAnswer, DeviceCode, DeviceReply, DeviceRequest,
    DeviceTokenRequest, DeviceView, Done, DraftView, TokenReply,
};
use tempestas_core::{Command, Note};
use tempestas_store::{DeviceAsk, SignInKind};

use crate::{
    app::App,
    callers::{Anyone, SignedIn},
    door::{Answer, At, Body, Form, Head, Json, PassedOn},
    drafts,
    identity::{guarded, network, token_digest},
    keyring,
    problem::Failure,
    refused::EdgeRefusal,
};

/// How long a code is good.
const CODE_LASTS: SignedDuration = SignedDuration::from_mins(10);
/// Seconds between two asks of a program.
const INTERVAL: u32 = 2;
/// Most codes that are good at a time for programs of one network address.
const ASKS_MOST: usize = 60;
/// Letters of codes: none that is taken for another, and no vowels, so that no words come about (RFC 8628, 6.1).
const LETTERS: &[u8; 20] = b"BCDFGHJKLMNPQRSTVWXZ";

/// A code like `WDJB-MJHT`: 20^8 of them, good for ten minutes, tried by signed-in people only and slowed down.
fn new_code() -> String {
    let letter = |byte: &u8| LETTERS.get(usize::from(byte % 20)).copied().unwrap_or(b'B') as char;
    let letters: String = keyring::random::<8>().iter().map(letter).collect();
    let (first, second) = letters.split_at(4);
    format!("{first}-{second}")
}

/// A code as people type it: in any case, with or without the dash.
fn typed(code: &str) -> String {
    let letters: String = code.to_uppercase().chars().filter(char::is_ascii_alphanumeric).take(16).collect();
    match letters.split_at_checked(4) {
        Some((first, second)) => format!("{first}-{second}"),
        None => letters,
    }
}

fn short(what: &str, text: &str) -> Result<String, Failure> {
    let fits = (1..=80).contains(&text.chars().count()) && !text.chars().any(char::is_control);
    let wrong = || Failure::NoToken("invalid_request", format!("`{what}` has 1 to 80 letters"));
    if fits { Ok(text.to_owned()) } else { Err(wrong()) }
}

pub(super) async fn ask(anyone: Anyone, Form(request): Form<DeviceRequest>) -> Answer<DeviceReply> {
    let Anyone { app, address } = anyone;
    let now = Timestamp::now();
    let program = short("client_id", &request.client_id)?;
    let host = request
        .host
        .as_deref()
        .map_or_else(|| Ok("a host that it doesn't name".to_owned()), |host| short("host", host))?;
    let open = app.store().device_askers(now).await?;
    if open.iter().filter(|other| network(other) == network(&address)).count() >= ASKS_MOST {
        return Err(Failure::NoToken(
            "slow_down",
            "too many codes wait there already; try again in some minutes".to_owned(),
        ));
    }
    let device = keyring::random_text();
    let mut ask = DeviceAsk {
        code: new_code(),
        program,
        host,
        address,
        asked_at: now,
        expires: now.checked_add(CODE_LASTS).unwrap_or(now),
        polled_at: now,
        let_in_by: None,
        refused: false,
    };
    while !app.store().keep_device_ask(token_digest(&device), &ask).await? {
        ask.code = new_code();
    }
    Ok(Json(DeviceReply {
        device_code: device.to_string(),
        user_code: ask.code,
        verification_uri: format!("{}/device", app.address()),
        expires_in: u32::try_from(CODE_LASTS.as_secs()).unwrap_or(600),
        interval: INTERVAL,
    }))
}

pub(super) async fn token(anyone: Anyone, Form(request): Form<DeviceTokenRequest>) -> Answer<TokenReply> {
    let Anyone { app, address } = anyone;
    let no = |word, says: &str| Err(Failure::NoToken(word, says.to_owned()));
    if request.grant_type != DEVICE_GRANT {
        return no("unsupported_grant_type", "the one grant here is that of a device code (RFC 8628)");
    }
    let now = Timestamp::now();
    let Some(ask) = app.store().poll_device_ask(token_digest(&request.device_code), now).await? else {
        return no("expired_token", "this code is not known here any more; begin anew");
    };
    let early = now.duration_since(ask.polled_at) < SignedDuration::from_secs(i64::from(INTERVAL)) / 2;
    let proven = match ask.let_in_by {
        _ if ask.program != request.client_id => return no("invalid_grant", "the code was given to another program"),
        _ if ask.refused => return no("access_denied", "somebody refused this in the console"),
        _ if now >= ask.expires => return no("expired_token", "the code ran out; begin anew"),
        None if early && ask.polled_at != ask.asked_at => return no("slow_down", "wait five seconds longer each time"),
        None => return no("authorization_pending", "nobody typed the code yet"),
        Some(proven) => proven,
    };
    let person = proven.person;
    let token = keyring::random_text();
    app.store().begin_sign_in(token_digest(&token), proven, &address, now, SignInKind::Device, None).await?;
    app.note(person, &address, Note::SignedIn).await?;
    let longest = app.config().sign_in.longest.0;
    Ok(Json(TokenReply {
        access_token: token.to_string(),
        token_type: "Bearer".to_owned(),
        expires_in: longest.as_secs().unsigned_abs(),
        name: app.world().subject_name(person),
        ends: now.checked_add(longest).unwrap_or(Timestamp::MAX),
    }))
}

/// Where programs are let in (RFC 8414).
pub(super) fn metadata(app: &App) -> AuthorizationMetadata {
    let issuer = app.address();
    let at = |path: &str| format!("{issuer}/api/v1{path}");
    AuthorizationMetadata {
        device_authorization_endpoint: at("/devices"),
        token_endpoint: at("/devices/token"),
        grant_types_supported: vec![DEVICE_GRANT.to_owned()],
        response_types_supported: Vec::new(),
        token_endpoint_auth_methods_supported: vec!["none".to_owned()],
        issuer,
    }
}

/// The program that waits with a code; guessing is slowed down by person and address.
async fn waiting(me: &SignedIn, code: &str) -> Result<DeviceAsk, Failure> {
    let account = format!("device:{}", me.person.0);
    let now = Timestamp::now();
    let found = guarded(me.app.store(), &account, &me.address, now, async || {
        let found = me.app.store().device_ask(&typed(code)).await?;
        Ok(found.filter(|ask| now < ask.expires && ask.let_in_by.is_none() && !ask.refused))
    });
    found.await?.ok_or_else(|| {
        Failure::unknown(
            "program that waits with the code",
            code,
            "look at what the program shows; a code is good for ten minutes, and once",
        )
    })
}

pub(super) async fn look(me: SignedIn, Body(request): Body<DeviceCode>) -> Answer<DeviceView> {
    let ask = waiting(&me, &request.code).await?;
    Ok(Json(DeviceView {
        program: ask.program,
        host: ask.host,
        address: ask.address,
        asked_at: ask.asked_at,
        expires: ask.expires,
    }))
}

pub(super) async fn answer(me: SignedIn, Body(request): Body<DeviceAnswer>) -> Answer<Done> {
    if me.sign_in.kind != SignInKind::Browser {
        return Err(EdgeRefusal::LetInElsewhere.into());
    }
    let ask = waiting(&me, &request.code).await?;
    if request.let_in {
        me.fresh_proof().await?;
    }
    if !me.app.store().settle_device_ask(&ask.code, request.let_in.then(|| me.sign_in.proven())).await? {
        return Err(EdgeRefusal::CodeSettled.into());
    }
    let note = if request.let_in { Note::DeviceLetIn { program: ask.program } } else { Note::DeviceRefused };
    me.submit(Command::Note(note)).await?;
    Ok(Json(Done {}))
}

pub(super) async fn list_drafts(me: SignedIn) -> Answer<Vec<DraftView>> {
    Ok(Json(me.app.store().drafts(me.person).await?.iter().map(drafts::view).collect()))
}

pub(super) async fn draft(me: SignedIn, At(id): At) -> Answer<DraftView> {
    Ok(Json(drafts::view(&drafts::find(&me, &id).await?)))
}

pub(super) async fn confirm(
    me: SignedIn,
    At(id): At,
    Head(head): Head,
    Body(request): Body<ConfirmRequest>,
) -> Result<PassedOn, Failure> {
    Ok(PassedOn(drafts::confirm(&me, &head, &id, request.shown).await?))
}

pub(super) async fn drop_draft(me: SignedIn, At(id): At) -> Answer<Done> {
    drafts::drop(&me, &id).await?;
    Ok(Json(Done {}))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_is_taken_however_it_is_typed() {
        let code = new_code();
        for form in [code.clone(), code.to_lowercase(), code.replace('-', ""), format!(" {} ", code.replace('-', " "))]
        {
            assert_eq!(typed(&form), code);
        }
    }
}
