//! Who sees or administers a part sees and changes no more: not in a list, not in a sentence, not by guessing names.

use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use tempestas_api::{
    Chosen, ConvertRequest, ElevationFilter, NewCover, NewDuty, NewFolder, NewMember, StandingFilter, TermsTrial,
    WhichTarget,
};
use tempestas_core::DutyKind;
use tempestas_demo::quillhaven::BERTHS;

use crate::house::{House, INES, MARA, Plan, TOMAS, on_berths};

/// What only the harbour has: its databases, a role there, people who only have accounts there.
const OF_THE_HARBOUR: [&str; 6] =
    ["/harbour/databases", "harbour_dba", "harbour_operator", "lene.madsen", "vessel-traffic", "lmadsen"];

impl House {
    /// Gives somebody one duty, over the cloud alone, in place of those they have.
    async fn over_analytics(&self, who: &str, duty: DutyKind) {
        let mara = self.client(MARA);
        for held in mara.duties().await.unwrap().into_iter().filter(|held| held.who == who) {
            mara.end_duty(&held.id).await.unwrap();
        }
        let given = NewDuty { who: who.to_owned(), duty, scope: "/analytics".to_owned() };
        mara.give_duty(&given).await.unwrap();
    }

    async fn read(&self, token: &str, path: &str) -> (StatusCode, String) {
        let url = format!("{}/api/v1{path}", self.service.address);
        let reply = reqwest::Client::new().get(url).bearer_auth(token).send().await.unwrap();
        (reply.status(), reply.text().await.unwrap())
    }

    /// Fills the harbour with one of everything; returns the ids.
    async fn filled(&self) -> Vec<String> {
        let mara = self.client(MARA);
        self.eligible("lene.madsen", &on_berths("harbour_operator")).await;
        self.eligible(TOMAS, &on_berths("harbour_operator")).await;
        let asked = self.ask(TOMAS, &on_berths("harbour_operator"), 600).await.unwrap();
        let standing = mara.standing(&StandingFilter::default()).await.unwrap();
        let chosen: Vec<String> = standing
            .iter()
            .filter(|held| held.account == "lmadsen" && held.role == "vessel_traffic")
            .map(|held| held.id.clone())
            .collect();
        assert_eq!(chosen.len(), 1);
        let plan = mara.preview_conversion(&Chosen { chosen: chosen.clone() }).await.unwrap();
        let converted = mara.convert(&ConvertRequest::at_once(chosen, plan.digest)).await.unwrap();
        let (absent, stand_in) = ("lene.madsen".to_owned(), "bruno.costa".to_owned());
        let until = jiff::Timestamp::now() + jiff::SignedDuration::from_hours(24);
        let cover = mara.cover(&NewCover { absent, stand_in, from: None, until, reason: None }).await.unwrap();
        vec![asked.id, converted.id, cover.id]
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn an_auditor_of_a_part_reads_nothing_of_the_rest_by_any_route() {
    let house = House::new(Plan::whole()).await;
    let ids = house.filled().await;
    house.over_analytics(INES, DutyKind::Auditor).await;
    let (token, all) = (house.token(INES).await, house.token(MARA).await);
    let document: Value = house.document().await;
    let (mut read, mut leaks) = (0, Vec::new());
    let plain = document["paths"].as_object().unwrap().iter().filter(|(path, methods)| {
        methods.get("get").is_some()
            && !path.contains('{')
            && !path.ends_with("/events")
            && !path.ends_with("openapi.json")
    });
    for (path, _) in plain {
        let path = path.trim_start_matches("/api/v1");
        let wide = [
            "",
            "?all=true&ended=true",
            "?q=harbour",
            "?q=lene",
            "?who=lene.madsen",
            "?right=harbour_dba%40%2Fharbour%2Fdatabases%2Fberths",
        ];
        for query in wide {
            let (status, text) = house.read(&token, &format!("{path}{query}")).await;
            read += usize::from(status.is_success());
            // A refusal repeats what was asked for, and may.
            let named = OF_THE_HARBOUR.iter().find(|name| status.is_success() && text.contains(*name));
            if let Some(name) = named {
                let at = text.find(name).unwrap();
                leaks.push(format!(
                    "{path}{query} names {name}: …{}…",
                    &text[at.saturating_sub(200)..(at + 40).min(text.len())]
                ));
            }
        }
    }
    assert!(read > 20, "only {read} were read");
    assert!(leaks.is_empty(), "{}", leaks.join("\n"));
    // Single things: there for one who sees all, not there for her, and no other than what never was.
    let [elevation, conversion, cover] = ids.as_slice() else { panic!("{ids:?}") };
    let mara = house.client(MARA);
    let standing = mara.standing(&StandingFilter::default()).await.unwrap();
    let held = standing.iter().find(|held| held.target == BERTHS).unwrap();
    let eligible = mara.eligibilities().await.unwrap();
    let eligible = eligible.iter().find(|one| one.right == on_berths("harbour_operator")).unwrap();
    let rules = mara.terms().await.unwrap().terms;
    let rule = rules.iter().find(|one| one.rule.scope.starts_with("/harbour/databases")).unwrap();
    for (there, never) in [
        (format!("/standing/{}", held.id), "/standing/h4711".to_owned()),
        (format!("/eligibilities/{}", eligible.id), "/eligibilities/y4711".to_owned()),
        (format!("/terms/{}", rule.id), "/terms/t4711".to_owned()),
        (format!("/conversions/{conversion}"), "/conversions/C4711".to_owned()),
        (format!("/elevations/{elevation}"), "/elevations/E4711".to_owned()),
        (format!("/elevations/{elevation}/context"), "/elevations/E4711/context".to_owned()),
        (format!("/appointments/{cover}"), "/appointments/A4711".to_owned()),
        ("/people/lene.madsen".to_owned(), "/people/lene.nobody".to_owned()),
    ] {
        assert_eq!(house.read(&all, &there).await.0, StatusCode::OK, "{there}");
        let (status, text) = house.read(&token, &there).await;
        let (status_never, text_never) = house.read(&token, &never).await;
        let (name, name_never) = (there.split('/').nth(2).unwrap(), never.split('/').nth(2).unwrap());
        assert_eq!((status, text.replace(name, "X")), (status_never, text_never.replace(name_never, "X")), "{there}");
        assert_eq!(status, StatusCode::NOT_FOUND, "{there}");
    }
    // Nor does a filter tell who there is.
    for path in [
        "/standing?who=",
        "/elevations?all=true&who=",
        "/eligibilities?who=",
        "/ledger?who=",
        "/ledger/csv?who=",
        "/ways?of=",
    ] {
        let (status, text) = house.read(&token, &format!("{path}lene.madsen")).await;
        let (status_never, text_never) = house.read(&token, &format!("{path}lene.nobody")).await;
        assert_eq!(
            (status, text.replace("lene.madsen", "X")),
            (status_never, text_never.replace("lene.nobody", "X")),
            "{path}"
        );
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn an_administrator_of_a_part_changes_nothing_of_the_rest_and_learns_no_names_by_trying() {
    let house = House::new(Plan::whole()).await;
    let ids = house.filled().await;
    house.over_analytics(INES, DutyKind::Administrator).await;
    let (ines, mara) = (house.client(INES), house.client(MARA));
    let token = house.token(INES).await;
    let standing = mara.standing(&StandingFilter::default()).await.unwrap();
    let theirs: Vec<String> =
        standing.iter().filter(|held| held.target == BERTHS).map(|held| held.id.clone()).take(3).collect();
    assert_eq!(theirs.len(), 3);
    let before = mara.ledger(&tempestas_api::LedgerFilter::default()).await.unwrap().entries[0].n;
    let refused = ines.preview_conversion(&Chosen { chosen: theirs }).await.unwrap_err();
    assert!(!OF_THE_HARBOUR.iter().any(|name| refused.to_string().contains(name)), "{refused}");
    // A change of terms where she may try one names nobody of the rest, and elsewhere she may try none.
    let rule = |scope: &str| {
        let rule = toml::from_str(&format!("scope = \"{scope}\"\n[settings]\nlongest = 60\nusual = 60\n")).unwrap();
        TermsTrial { replaces: None, rule: Some(rule) }
    };
    let touched = json!(ines.try_terms(&rule("/analytics")).await.unwrap()).to_string();
    assert!(!OF_THE_HARBOUR.iter().any(|name| touched.contains(name)), "{touched}");
    for scope in ["/", "/harbour", "/harbour/databases/berths"] {
        let refused = ines.try_terms(&rule(scope)).await.unwrap_err().to_string();
        assert!(!refused.contains("lene") && !refused.contains("harbour_"), "{refused}");
    }
    // What is there and what is not are told apart by nothing but the name that was given.
    for (path, there, never) in [
        ("/targets/survey", json!({ "target": BERTHS }), json!({ "target": "/harbour/databases/nowhere" })),
        (
            "/targets/end",
            json!({ "target": BERTHS, "lose_access": true }),
            json!({ "target": "/harbour/databases/nowhere", "lose_access": true }),
        ),
        ("/folders", json!({ "parent": "/harbour", "name": "x1" }), json!({ "parent": "/nowhere", "name": "x1" })),
        (
            "/eligibilities",
            json!({ "who": INES, "right": on_berths("harbour_operator") }),
            json!({ "who": INES, "right": "harbour_operator@/harbour/databases/nowhere" }),
        ),
    ] {
        let send = async |body: &Value| {
            let url = format!("{}/api/v1{path}", house.service.address);
            let reply = reqwest::Client::new().post(url).bearer_auth(&token).json(body).send().await.unwrap();
            let status = reply.status();
            let text = reply.text().await.unwrap();
            (
                status,
                text.replace(BERTHS, "X")
                    .replace("/harbour/databases/nowhere", "X")
                    .replace("/harbour", "Y")
                    .replace("/nowhere", "Y"),
            )
        };
        let (of_there, of_never) = (send(&there).await, send(&never).await);
        assert_eq!(of_there, of_never, "{path}");
        assert!(of_there.0.is_client_error(), "{path}: {of_there:?}");
    }
    for id in &ids {
        for path in
            [format!("/elevations/{id}/revoke"), format!("/conversions/{id}/undo"), format!("/appointments/{id}/end")]
        {
            let url = format!("{}/api/v1{path}", house.service.address);
            let request =
                reqwest::Client::new().request(Method::POST, url).bearer_auth(&token).json(&json!({ "word": "x" }));
            let status = request.send().await.unwrap().status();
            assert!(status.is_client_error(), "{path}: {status}");
        }
    }
    let refused = ines.add_member("vessel-traffic", &NewMember { member: INES.to_owned() }).await.unwrap_err();
    let unknown = ines.add_member("no-such-group", &NewMember { member: INES.to_owned() }).await.unwrap_err();
    assert_eq!(refused.to_string().replace("vessel-traffic", "X"), unknown.to_string().replace("no-such-group", "X"));
    // Nothing of all that is in the record but that it was refused.
    let after = mara.ledger(&tempestas_api::LedgerFilter::default()).await.unwrap().entries;
    let since = after.iter().take_while(|entry| entry.n > before && entry.who == INES);
    assert!(
        since.clone().all(|entry| ["refused", "signed-in"].contains(&entry.what.kind())),
        "{:?}",
        since.map(|entry| &entry.says).collect::<Vec<_>>()
    );
    let all = ElevationFilter { all: true, ended: true, ..Default::default() };
    assert!(ines.elevations(&all).await.unwrap().is_empty());
    // Her own part she does administer.
    ines.add_folder(&NewFolder { parent: "/analytics".to_owned(), name: "trials".to_owned() }).await.unwrap();
    ines.survey(&WhichTarget { target: "/analytics/brightwater".to_owned() }).await.unwrap();
}
