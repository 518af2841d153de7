//! How sure one must be of people, at the doors as they are: the interface, a terminal, and the console with a passkey.

use std::collections::BTreeSet;

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use tempestas_api::{AssuranceBody, AssuranceView, PreviewRequest, TermsTrial, WaitQuery};
use tempestas_client::ClientError;
use tempestas_core::{Lack, LookedAt, ProofMethod, Seconds};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::{
    console::{REASON, add_passkey, reference},
    house::{House, MARA, ODA, Plan, TOMAS, on_cloud},
};

fn hardware() -> AssuranceBody {
    AssuranceBody {
        accepts: BTreeSet::from([ProofMethod::Passkey]),
        within: Seconds::minutes(5),
        networks: BTreeSet::new(),
        bypass: None,
        pilot: None,
        watch_only: false,
    }
}

async fn all(house: &House) -> Vec<AssuranceView> {
    house.client(MARA).assurances().await.unwrap()
}

/// Sets one, whatever stood there.
async fn set(house: &House, name: &str, body: &AssuranceBody) -> Result<AssuranceView, ClientError> {
    let known = all(house).await.into_iter().find(|one| one.name == name);
    let was = known.map_or(LookedAt::Nothing, |known| LookedAt::This(known.digest));
    house.client(MARA).set_assurance(name, was, body).await
}

/// Has an act on the cloud want it.
async fn want(house: &House, act: &str, name: &str) -> Result<String, ClientError> {
    let rule = format!("scope = \"{BRIGHTWATER}\"\nact = \"{act}\"\n[settings]\nassured = [\"{name}\"]\n");
    Ok(house.client(MARA).add_terms(&toml::from_str(&rule).unwrap()).await?.id)
}

#[tokio::test(flavor = "multi_thread")]
async fn at_a_terminal_a_code_is_not_enough_where_a_passkey_is_wanted() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    set(&house, "hardware-key", &hardware()).await.unwrap();
    want(&house, "elevate", "hardware-key").await.unwrap();

    let request = PreviewRequest { right: right.clone(), duration: None, start: None, glass: false };
    let demand = house.client(TOMAS).preview_ask(&request).await.unwrap();
    assert!(
        demand.sentence.contains("a proof of yourself (a passkey) no older than 5 min (as hardware-key wants it)"),
        "{}",
        demand.sentence
    );
    assert_eq!((demand.proof_within, demand.proof_accepts.len()), (Seconds::minutes(5), 1));
    let refused = house.ask(TOMAS, &right, 600).await.unwrap_err();
    let ClientError::Refused(problem) = &refused else { panic!("{refused:?}") };
    assert_eq!((problem.status, problem.code.as_str(), problem.max_age), (401, "step-up", Some(300)));
    assert_eq!(problem.accepts, BTreeSet::from([ProofMethod::Passkey]));
    assert!(problem.detail.contains("this needs a passkey proven within the last 5 min (hardware-key)"), "{refused}");

    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, TOMAS);
    let (exit, text) = house.tempestas(&home, &["ask", &right, "--reason", REASON], "");
    assert_eq!(exit, 4, "{text}");
    assert!(text.contains("a terminal has no passkey") && text.contains("hardware-key"), "{text}");
}

#[tokio::test(flavor = "multi_thread")]
async fn in_the_console_the_passkey_alone_is_offered_and_lets_through() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    set(&house, "hardware-key", &hardware()).await.unwrap();
    want(&house, "elevate", "hardware-key").await.unwrap();
    let browser = house.browser(TOMAS).await;
    let ask = async || {
        browser.page(&format!("/ask?right={right}")).await.unwrap();
        browser.write("Reason", REASON).await.unwrap();
        browser.says("You will be asked for a passkey.").await.unwrap();
        browser.press("Ask for 1 h").await.unwrap();
        browser.says("This needs a passkey no older than 5 min.").await.unwrap();
    };
    ask().await;
    browser.says("You have no passkey yet").await.unwrap();
    add_passkey(&browser).await;
    ask().await;
    browser.press("Use your passkey").await.unwrap();
    let id = reference(&browser).await;
    let asked = house.client(MARA).elevation(&id, &WaitQuery::default()).await.unwrap().elevation;
    assert_eq!((asked.who.as_str(), asked.right.as_str()), (TOMAS, right.as_str()), "{}", asked.sentence);

    // Whoever was tricked out of password and code loses no more by that: a code neither adds a passkey nor drops one.
    let token = house.token(TOMAS).await;
    let own = async |method: Method, path: &str| {
        let url = format!("{}/api/v1/{path}", house.service.address);
        let reply =
            reqwest::Client::new().request(method, url).bearer_auth(&token).json(&json!({})).send().await.unwrap();
        (reply.status(), reply.json::<Value>().await.unwrap())
    };
    let (_, passkeys) = own(Method::GET, "passkeys").await;
    let dropping = format!("passkeys/{}", passkeys[0]["id"].as_str().unwrap());
    for (method, path) in [(Method::POST, "passkeys/challenge"), (Method::DELETE, dropping.as_str())] {
        let (status, said) = own(method, path).await;
        assert_eq!((status, &said["accepts"]), (StatusCode::UNAUTHORIZED, &json!(["passkey"])), "{path}: {said}");
    }
    assert_eq!(own(Method::GET, "passkeys").await.1.as_array().unwrap().len(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn where_one_keeps_everybody_out_the_machine_has_it_only_watch() {
    let mut house = House::new(Plan::cloud_only()).await;
    let here = AssuranceBody {
        accepts: BTreeSet::from([ProofMethod::Passkey, ProofMethod::TotpCode]),
        networks: BTreeSet::from(["127.0.0.1/32".to_owned()]),
        ..hardware()
    };
    set(&house, "from-here", &here).await.unwrap();
    want(&house, "administer", "from-here").await.unwrap();
    house.service.stop().unwrap();
    let output = house.setup.run(&["only-watch", "from-there"]).unwrap();
    assert!(!output.status.success());
    assert!(String::from_utf8_lossy(&output.stderr).contains("there is no assurance named `from-there`"));
    let output = house.setup.run(&["only-watch", "from-here"]).unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    house.start_again(&[]);
    let [one] = &all(&house).await[..] else { panic!("it is kept") };
    assert!(one.assurance.watch_only && one.set_by.is_none(), "{one:#?}");
    assert_eq!(one.assurance.networks, here.networks, "nothing else of it is changed");
}

#[tokio::test(flavor = "multi_thread")]
async fn from_elsewhere_nothing_is_typed_in_vain_and_the_administrator_is_not_locked_out() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let any = BTreeSet::from([ProofMethod::Passkey, ProofMethod::TotpCode]);
    let port = |network: &str| AssuranceBody {
        accepts: any.clone(),
        networks: BTreeSet::from([network.to_owned()]),
        ..hardware()
    };
    set(&house, "from-the-port", &port("10.20.0.0/16")).await.unwrap();
    let says = "taken only from 10.20.0.0/16 (from-the-port), and you come from 127.0.0.1";
    want(&house, "elevate", "from-the-port").await.unwrap();
    let request = PreviewRequest { right: right.clone(), duration: None, start: None, glass: false };
    let refused = house.client(TOMAS).preview_ask(&request).await.unwrap_err();
    assert!(refused.to_string().contains(says), "{refused}");
    assert_eq!(refused.cause(), Some("from-elsewhere"));
    // Tried is what could be set.
    let rule = format!("scope = \"{BRIGHTWATER}\"\n[settings]\nassured = [\"from-the-prot\"]\n");
    let trial = TermsTrial { replaces: None, rule: Some(toml::from_str(&rule).unwrap()) };
    let refused = house.client(MARA).try_terms(&trial).await.unwrap_err();
    assert!(refused.to_string().contains("there is no assurance `from-the-prot`"), "{refused}");
    let listed = house.client(TOMAS).eligible().await.unwrap().eligible;
    let takes = listed.iter().find(|one| one.right == right).unwrap().takes.as_ref().unwrap();
    assert!(takes.brief.contains(says) && takes.sentence.is_none(), "{}", takes.brief);

    let refused = want(&house, "administer", "from-the-port").await.unwrap_err();
    assert_eq!(refused.cause(), Some("locks-out"), "{refused}");
    set(&house, "from-the-port", &port("127.0.0.0/8")).await.unwrap();
    want(&house, "administer", "from-the-port").await.unwrap();
    let refused = set(&house, "from-the-port", &port("10.20.0.0/16")).await.unwrap_err();
    assert_eq!(refused.cause(), Some("locks-out"), "{refused}");
    house.ask(TOMAS, &right, 600).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_only_watched_lets_through_and_is_shown_to_those_who_may_see_whom() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    set(&house, "hardware-key", &AssuranceBody { watch_only: true, ..hardware() }).await.unwrap();
    let stage = format!(
        "scope = \"{BRIGHTWATER}/lake\"\n[settings.approval]\nis = \"stage\"\napprovers = [\"{MARA}\"]\nyes = 1\nno = 1\nwithin = 600\n"
    );
    house.client(MARA).add_terms(&toml::from_str(&stage).unwrap()).await.unwrap();
    let rule = want(&house, "elevate", "hardware-key").await.unwrap();
    want(&house, "answer", "hardware-key").await.unwrap();
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    house.yes(MARA, &asked.id).await.unwrap();
    let [one] = &all(&house).await[..] else { panic!("one was set") };
    assert!(one.says.ends_with("; only watched as yet") && one.wanted_by.contains(&rule), "{one:#?}");
    let whom: Vec<(&str, u32, Lack)> = one.let_through.iter().map(|by| (by.who.as_str(), by.times, by.lack)).collect();
    assert_eq!(whom, [(MARA, 1, Lack::Method), (TOMAS, 1, Lack::Method)]);
    // Whoever oversees nothing sees none of it.
    for who in [TOMAS, ODA] {
        house.client(who).assurances().await.unwrap_err();
    }
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, MARA);
    let (exit, text) = house.tempestas(&home, &["assurances"], "");
    assert_eq!(exit, 0, "{text}");
    assert!(text.contains("hardware-key: a passkey no older than 5 min; only watched as yet"), "{text}");
    assert!(text.contains(&format!("would have refused {TOMAS} once")), "{text}");
    let arguments = ["assurances", "set", "hardware-key", "--accept", "fingerprint", "--within", "5m"];
    let (exit, text) = house.tempestas(&home, &arguments, "");
    assert!(exit == 2 && text.contains("`passkey` and `totp-code` can be accepted"), "{text}");
    let (exit, text) = house.tempestas(&home, &["assurances", "end", "hardware-key"], "");
    assert!(exit == 3 && text.contains("want `hardware-key`"), "{text}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_can_not_be_read_is_refused_with_what_could() {
    let house = House::new(Plan::cloud_only()).await;
    let token = house.token(MARA).await;
    let put = async |body: &Value| {
        let url = format!("{}/api/v1/assurances/port", house.service.address);
        let request = reqwest::Client::new().request(Method::PUT, url).bearer_auth(&token);
        let reply = request.header("if-none-match", "*").json(body).send().await.unwrap();
        (reply.status(), reply.json::<Value>().await.unwrap()["detail"].as_str().unwrap_or_default().to_owned())
    };
    let body = |key: &str, value: Value| {
        let mut whole = json!({
            "accepts": ["passkey"], "within": 300, "networks": [], "bypass": null, "pilot": null, "watch_only": false,
        });
        whole[key] = value;
        whole
    };
    for (body, status, says) in [
        (body("networks", json!(["10.20.0.0/99"])), StatusCode::UNPROCESSABLE_ENTITY, "is no network"),
        (body("networks", json!(["the port"])), StatusCode::UNPROCESSABLE_ENTITY, "write one like `10.20.0.0/16`"),
        (body("networks", json!(["10.20.0.7/16"])), StatusCode::UNPROCESSABLE_ENTITY, "10.20.0.0/16 may be meant"),
        (body("accepts", json!([])), StatusCode::UNPROCESSABLE_ENTITY, "accepts no proof"),
        (body("accepts", json!(["password"])), StatusCode::BAD_REQUEST, "password"),
        (body("within", json!(0)), StatusCode::UNPROCESSABLE_ENTITY, "between 1 s and 12 h"),
        (body("bypass", json!(TOMAS)), StatusCode::UNPROCESSABLE_ENTITY, "is no group"),
        (body("pilot", json!("nobody-there")), StatusCode::NOT_FOUND, "nobody-there"),
        (body("trusted", json!(true)), StatusCode::BAD_REQUEST, "trusted"),
    ] {
        let (came, said) = put(&body).await;
        assert_eq!(came, status, "{body}: {said}");
        assert!(said.contains(says), "`{says}` is not said of {body}: {said}");
    }
    assert!(all(&house).await.is_empty());
}
