//! Signing in: codes are good once, tries are slowed down, sign-ins end; TLS with a certificate that changes.

use std::{os::unix::fs::PermissionsExt, path::Path, time::Duration};

use tempestas_api::{EnrolRequest, LedgerFilter, ProofRequest, SignInRequest};
use tempestas_client::{Client, Connection};
use tempestas_core::StartChoice;
use tempestas_demo::{
    codes::{code_at, next_code},
    daemon::Setup,
    seed,
};

use crate::house::{HENRIK, House, INES, MARA, ODA, Plan, TOMAS, ask, eventually, on_cloud};

impl House {
    pub async fn try_sign_in(&self, who: &str, password: &str, code: &str) -> Result<String, String> {
        let request = SignInRequest { name: who.to_owned(), password: password.to_owned(), code: code.to_owned() };
        self.client("nobody").sign_in(&request).await.map(|reply| reply.token).map_err(|error| error.to_string())
    }

    /// A fresh token of somebody's.
    pub async fn token(&self, who: &str) -> String {
        let person = self.person(who);
        let code = next_code(self.path(), who, &person.totp_secret).unwrap();
        self.try_sign_in(who, &person.password, &code).await.unwrap()
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_code_is_good_once_and_failures_slow_down_only_their_own_address_and_account() {
    let house = House::new(Plan::cloud_only()).await;
    let person = house.person(TOMAS);
    let code = next_code(house.path(), TOMAS, &person.totp_secret).unwrap();
    house.try_sign_in(TOMAS, &person.password, &code).await.unwrap();
    let replayed = house.try_sign_in(TOMAS, &person.password, &code).await.unwrap_err();
    assert!(replayed.contains("a code is good once"), "{replayed}");
    let nobody = house.try_sign_in("no.such.person", "a password that is long", "123456").await.unwrap_err();
    assert_eq!(nobody, replayed, "whether a name is known must not be told");
    let mut last = String::new();
    for _ in 0..6 {
        last = house.try_sign_in(TOMAS, "a wrong password", "123456").await.unwrap_err();
    }
    assert!(last.contains("too many tries; wait"), "{last}");
    house.token(ODA).await;
    let failed = LedgerFilter { kind: Some("sign-in-failed".to_owned()), ..LedgerFilter::default() };
    let entries = house.client(INES).ledger(&failed).await.unwrap().entries;
    assert!(!entries.is_empty() && entries.iter().all(|entry| entry.who == "somebody not signed in"), "{entries:?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn sign_ins_are_listed_and_ended_and_end_by_themselves() {
    let config = "[sign_in]\nidle = \"8s\"\nlongest = \"25s\"\n".to_owned();
    let house = House::new(Plan { config, ..Plan::cloud_only() }).await;
    let client = house.client(HENRIK).clone();
    let another = house.client("nobody").with_token(house.token(HENRIK).await);
    let all = client.sign_ins().await.unwrap();
    assert_eq!(all.len(), 2);
    let other = all.iter().find(|one| !one.this_one).unwrap();
    client.end_sign_in(&other.id.to_string()).await.unwrap();
    let ended = async |client: &Client| client.me().await.is_err_and(|error| error.code() == Some("sign-in"));
    assert!(ended(&another).await);
    // In use it goes on past its idle time, until its longest.
    eventually("a sign-in in use ends at its longest", async || ended(&client).await).await;
    let lived = jiff::Timestamp::now().duration_since(other.began_at);
    assert!(lived.as_secs() >= 20, "it ended after {lived}");
    let idle = house.client("nobody").with_token(house.token(ODA).await);
    // Nothing happens for as long as it may idle: that is what is tested.
    tokio::time::sleep(Duration::from_millis(8500)).await;
    assert!(ended(&idle).await);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_proof_that_is_too_old_is_asked_for_anew_and_the_ask_goes_on() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let rule = "scope = \"/analytics/brightwater\"\n[settings]\nassurance = 1\n";
    house.client(MARA).add_terms(&toml_rule(rule)).await.unwrap();
    let right = on_cloud("tide-writer", "/lake");
    eventually("the proof of the sign-in grows old", async || {
        let asked = ask(house.client(TOMAS), &right, None, StartChoice::OnBegin, None).await;
        if let Ok(asked) = &asked {
            house.client(TOMAS).withdraw(&asked.id).await.unwrap();
        }
        asked.is_err_and(|error| error.code() == Some("step-up"))
    })
    .await;
    let person = house.person(TOMAS);
    let wrong = house.client(TOMAS).prove(&ProofRequest { code: "000000".to_owned() }).await.unwrap_err();
    assert!(wrong.to_string().contains("wait for the next one"), "{wrong}");
    let code = next_code(house.path(), TOMAS, &person.totp_secret).unwrap();
    house.client(TOMAS).prove(&ProofRequest { code }).await.unwrap();
    house.ask(TOMAS, &right, 600).await.unwrap();

    // With the real client: the code is given with the ask, and the ask goes on in place.
    let home = house.path().join("tomas");
    let code = next_code(house.path(), TOMAS, &person.totp_secret).unwrap();
    let (exit, text) =
        house.tempestas(&home, &["sign-in", TOMAS, "--password-stdin", "--code", &code], &person.password);
    assert_eq!(exit, 0, "{text}");
    tokio::time::sleep(Duration::from_millis(1100)).await;
    let ask = ["ask", &right, "--for", "5m", "--reason", "because the work needs it", "--wait"];
    let (exit, text) = house.tempestas(&home, &ask, "");
    assert!(exit == 4 && text.contains("give one with --code"), "{exit}: {text}");
    let code = next_code(house.path(), TOMAS, &person.totp_secret).unwrap();
    let (exit, text) = house.tempestas(&home, &[&ask[..], &["--code", &code]].concat(), "");
    assert!(exit == 0 && text.contains("verified on its target"), "{exit}: {text}");
}

fn toml_rule(text: &str) -> tempestas_api::NewTerms {
    toml::from_str(text).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_suspended_person_holds_nothing_and_is_signed_out() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let held = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    house.live(&held.id).await;
    house.client(MARA).suspend(TOMAS).await.unwrap();
    assert_eq!(house.over(&held.id).await.elevation.state, "revoked");
    assert_eq!(house.client(TOMAS).me().await.unwrap_err().code(), Some("sign-in"));
    let person = house.person(TOMAS);
    let code = next_code(house.path(), TOMAS, &person.totp_secret).unwrap();
    house.try_sign_in(TOMAS, &person.password, &code).await.unwrap_err();
    let refused = house.client(INES).suspend(TOMAS).await.unwrap_err();
    assert_eq!(refused.code(), Some("not-allowed"));
}

/// A certificate for localhost, written where the service reads it; returns it as its own authority.
fn under_tls(directory: &Path) -> Setup {
    let path = directory.display();
    Setup {
        directory: directory.to_owned(),
        address: "127.0.0.1".parse().unwrap(),
        port: 0,
        first_administrator: MARA.to_owned(),
        more: format!("[tls]\ncertificate = \"{path}/certificate.pem\"\nkey = \"{path}/key.pem\"\n"),
    }
}

fn certify(setup: &Setup) -> String {
    let made = rcgen::generate_simple_self_signed(["localhost".to_owned()]).unwrap();
    let key = setup.directory.join("key.pem");
    std::fs::write(&key, made.signing_key.serialize_pem()).unwrap();
    std::fs::set_permissions(&key, PermissionsExt::from_mode(0o600)).unwrap();
    std::fs::write(setup.directory.join("certificate.pem"), made.cert.pem()).unwrap();
    made.cert.pem()
}

#[tokio::test(flavor = "multi_thread")]
async fn tls_takes_up_a_changed_certificate_without_a_new_start() {
    let _ = rustls::crypto::ring::default_provider().install_default();
    let directory = tempfile::tempdir().unwrap();
    let setup = under_tls(directory.path());
    let first = certify(&setup);
    setup.write().unwrap();
    let service = setup.start(&[]).unwrap();
    let server = service.address.replace("127.0.0.1", "localhost");
    assert!(server.starts_with("https://"), "{server}");
    let reaches = async |authority: &str| {
        let file = directory.path().join("authority.pem");
        std::fs::write(&file, authority).unwrap();
        let client = Client::new(&Connection { server: server.clone(), authority: Some(file) }, None).unwrap();
        client.me().await.is_err_and(|error| error.code() == Some("sign-in"))
    };
    assert!(reaches(&first).await);
    // Whoever came once over TLS never comes without it again (RFC 6797).
    let trusted = reqwest::Certificate::from_pem(first.as_bytes()).unwrap();
    let http = reqwest::Client::builder().add_root_certificate(trusted).no_proxy().build().unwrap();
    for path in ["/", "/api/v1/me", "/nowhere"] {
        let reply = http.get(format!("{server}{path}")).send().await.unwrap();
        assert_eq!(reply.headers()["strict-transport-security"], "max-age=31536000", "{path}");
    }
    let second = certify(&setup);
    eventually("the new certificate is served", async || reaches(&second).await).await;
    assert!(!reaches(&first).await);
}

#[test]
fn a_tls_key_that_others_may_read_is_refused() {
    let directory = tempfile::tempdir().unwrap();
    let setup = under_tls(directory.path());
    certify(&setup);
    setup.write().unwrap();
    let key = directory.path().join("key.pem");
    let mode = |mode| std::fs::set_permissions(&key, PermissionsExt::from_mode(mode)).unwrap();
    mode(0o640);
    let refused = setup.start(&[]).err().expect("it is not served with");
    assert!(format!("{refused:#}").contains("run `chmod 600"), "{refused:#}");
    mode(0o600);
    setup.start(&[]).unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn the_first_administrator_enrols_once_and_sees_to_their_own_short_password() {
    let house = House::new(Plan::cloud_only()).await;
    let secret = house.setup.state().join("first-administrator.secret");
    let mode = PermissionsExt::mode(&std::fs::metadata(&secret).unwrap().permissions());
    assert_eq!(mode & 0o777, 0o600);
    let mode = PermissionsExt::mode(&std::fs::metadata(house.setup.state()).unwrap().permissions());
    assert_eq!(mode & 0o777, 0o700, "nobody else may look into the state");
    let again =
        EnrolRequest { secret: house.setup.first_secret().unwrap(), password: "long enough for this".to_owned() };
    let refused = house.client("nobody").enrol(&again).await.err().unwrap();
    assert_eq!(refused.code(), Some("sign-in"));
    let issued = house.client(MARA).enrolment(TOMAS).await.unwrap();
    let short = EnrolRequest { secret: issued.secret.clone(), password: "short".to_owned() };
    let refused = house.client("nobody").enrol(&short).await.err().unwrap();
    assert!(refused.to_string().contains("12 letters or more"), "{refused}");
    let enrolled = seed::enrol(house.client("nobody"), "requester", &issued.secret).await.unwrap();
    assert_eq!(house.client(TOMAS).me().await.unwrap_err().code(), Some("sign-in"), "old sign-ins have ended");
    let seconds = u64::try_from(jiff::Timestamp::now().as_second()).unwrap();
    let code = code_at(&enrolled.totp_secret, seconds).unwrap();
    let token = house.try_sign_in(TOMAS, &enrolled.password, &code).await.unwrap();
    assert_eq!(house.client("nobody").with_token(token).me().await.unwrap().name, TOMAS);
}
