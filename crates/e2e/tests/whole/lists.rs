//! Lists page by page, what they leave out, and single reads with what a change of them has to say.

use std::collections::BTreeSet;

use reqwest::{StatusCode, header};
use serde_json::{Value, json};
use tempestas_api::{AnswerRequest, AskRequest, Brings, ElevationFilter, NewSubject, PreviewRequest, StandingFilter};
use tempestas_client::{Client, Connection};
use tempestas_core::{Seconds, SubjectKind, Verdict};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::house::{House, MARA, ODA, Plan, TOMAS, eventually, on_cloud};

/// A reply's status, its entity tag, the query of the next page, and what it says.
struct Said {
    status: StatusCode,
    tag: Option<String>,
    next: Option<String>,
    body: Value,
}

impl House {
    async fn got(&self, token: &str, path: &str) -> Said {
        let url = format!("{}/api/v1{path}", self.service.address);
        let reply = reqwest::Client::new().get(url).bearer_auth(token).send().await.unwrap();
        let told = |name| reply.headers().get(name).map(|value| value.to_str().unwrap().to_owned());
        let next = told(header::LINK).map(|link| {
            let query = link.strip_prefix('<').and_then(|link| link.strip_suffix(">; rel=\"next\""));
            query.unwrap_or_else(|| panic!("{link}")).to_owned()
        });
        Said { status: reply.status(), tag: told(header::ETAG), next, body: reply.json().await.unwrap_or(Value::Null) }
    }

    /// All pages of a list, so many at a time.
    async fn pages(&self, token: &str, list: &str, limit: usize) -> Vec<Value> {
        let mut query = format!("{}limit={limit}", if list.contains('?') { "&" } else { "?" });
        let (path, mut all) = (list.split('?').next().unwrap(), Vec::new());
        query = format!("{}{query}", list.strip_prefix(path).unwrap());
        loop {
            let page = self.got(token, &format!("{path}{query}")).await;
            assert_eq!(page.status, StatusCode::OK, "{}", page.body);
            let items = page.body.as_array().unwrap();
            assert!(items.len() <= limit && !items.is_empty() || all.is_empty(), "{list}: {}", items.len());
            all.extend(items.clone());
            match page.next {
                Some(next) => query = next,
                None => return all,
            }
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn pages_are_the_list_and_a_client_reads_all_of_them() {
    let house = House::new(Plan::cloud_only()).await;
    let (mara, token) = (house.client(MARA), house.token(MARA).await);
    for path in [
        "/people",
        "/people?kind=person",
        "/standing",
        "/eligibilities",
        "/alarms",
        "/conversions",
        "/drift?all=true",
        "/elevations?all=true&ended=true",
        "/appointments",
        "/stops",
    ] {
        let whole = house.got(&token, path).await;
        assert!(whole.next.is_none());
        let whole = whole.body.as_array().unwrap().clone();
        for limit in [3, 7] {
            assert_eq!(house.pages(&token, path, limit).await, whole, "{path} by {limit}");
        }
    }
    for wrong in ["limit=0", "limit=1001", "limit=x", "limit=5&limit=5", "after=x", "after=", "kind=ghost", "what=ever"]
    {
        let said = house.got(&token, &format!("/people?{wrong}")).await;
        assert_eq!(said.status, StatusCode::BAD_REQUEST, "{wrong}: {}", said.body);
    }
    // A cursor of one list is none of another.
    let standing = house.got(&token, "/standing?limit=1").await.next.unwrap();
    assert_eq!(house.got(&token, &format!("/people{standing}")).await.status, StatusCode::BAD_REQUEST);

    let before = mara.people().await.unwrap().len();
    let add = |n: usize| NewSubject {
        kind: SubjectKind::Group,
        name: format!("crew-{n:04}"),
        about: format!("crew number {n}"),
        second_of: None,
    };
    for some in (0..1_000).collect::<Vec<_>>().chunks(25) {
        futures_util::future::join_all(some.iter().map(async |n| mara.add_subject(&add(*n)).await.unwrap())).await;
    }
    let all = mara.people().await.unwrap();
    let names: BTreeSet<&str> = all.iter().map(|one| one.name.as_str()).collect();
    assert_eq!((all.len(), names.len()), (before + 1_000, before + 1_000), "nobody is left out, or told twice");
    assert!(house.got(&token, "/people").await.next.is_some());
    // So does the console, and the program as JSON.
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, MARA);
    let (_, text) = house.tempestas(&home, &["people", "--json"], "");
    assert_eq!(serde_json::from_str::<Vec<Value>>(&text).unwrap().len(), all.len());
    let browser = house.browser(MARA).await;
    browser.page("/person/crew-0000").await.unwrap();
    eventually("all are offered as members", async || {
        let last = "return !!document.querySelector('datalist option[value=crew-0999]')";
        browser.script(last).await.unwrap() == json!(true)
    })
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn filters_leave_out_what_doesnt_fit_and_single_reads_say_the_same() {
    let house = House::new(Plan::cloud_only()).await;
    let (token, toms_token) = (house.token(MARA).await, house.token(TOMAS).await);
    let (lake, reports) = (on_cloud("tide-writer", "/lake"), on_cloud("harbour-warden", "/reports"));
    house.eligible(TOMAS, &lake).await;
    house.eligible(ODA, &reports).await;
    let asked = house.ask(TOMAS, &lake, 600).await.unwrap();
    let held = house.live(&asked.id).await;
    house.client(TOMAS).give_back(&held.elevation.id).await.unwrap();
    house.client(TOMAS).wait_past(&asked.id, &["live", "closing"], std::time::Duration::from_secs(60)).await.unwrap();
    let other = house.ask(ODA, &reports, 600).await.unwrap();
    house.yes(MARA, &other.id).await.unwrap();
    house.live(&other.id).await;
    let ids = async |path: &str| -> Vec<String> {
        let said = house.got(&token, path).await;
        assert_eq!(said.status, StatusCode::OK, "{path}: {}", said.body);
        said.body.as_array().unwrap().iter().map(|one| one["id"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(ids("/elevations?all=true&ended=true").await, [other.id.clone(), asked.id.clone()]);
    assert_eq!(ids(&format!("/elevations?all=true&ended=true&who={TOMAS}")).await, [asked.id.as_str()]);
    assert_eq!(ids("/elevations?all=true&ended=true&state=live").await, [other.id.as_str()]);
    assert_eq!(ids("/elevations?all=true&state=given-back").await, [] as [&str; 0]);
    let all = house.client(MARA).eligibilities().await.unwrap();
    let toms = all.iter().find(|one| one.who == TOMAS && one.right == lake).unwrap();
    let theirs = ids(&format!("/eligibilities?who={TOMAS}&at=/analytics/brightwater/lake")).await;
    assert_eq!(theirs, [toms.id.as_str()]);
    assert_eq!(ids("/eligibilities?at=/analytics/brightwater/lake/raw").await, [] as [&str; 0]);
    assert_eq!(ids("/stops?open=true").await, [] as [&str; 0]);

    let standing = house.client(MARA).standing(&StandingFilter::default()).await.unwrap();
    let rules = house.client(MARA).terms().await.unwrap().terms;
    for (list, id) in [
        ("/standing", standing[0].id.clone()),
        ("/eligibilities", toms.id.clone()),
        ("/elevations?all=true&ended=true", asked.id.clone()),
    ] {
        let whole = house.got(&token, list).await.body;
        let one = whole.as_array().unwrap().iter().find(|one| one["id"] == id).unwrap().clone();
        let single = house.got(&token, &format!("{}/{id}", list.split('?').next().unwrap())).await;
        assert_eq!(single.status, StatusCode::OK, "{list}: {}", single.body);
        for (name, value) in one.as_object().unwrap() {
            assert_eq!(&single.body[name], value, "{list}/{id}: {name}");
        }
    }
    // His own he reads without any duty, another's not.
    assert_eq!(house.got(&toms_token, &format!("/eligibilities/{}", toms.id)).await.status, StatusCode::OK);
    let odas = all.iter().find(|one| one.who == ODA && one.right == reports).unwrap();
    assert_eq!(house.got(&toms_token, &format!("/eligibilities/{}", odas.id)).await.status, StatusCode::NOT_FOUND);

    // What is changed in place says with its ETag what the change has to say with If-Match.
    let account = format!("/people/{TOMAS}/account?target=/analytics/brightwater");
    let rule = format!("/terms/{}", rules[0].id);
    for path in [
        account.as_str(),
        &rule,
        "/targets/settings?target=/analytics/brightwater",
        &format!("/eligibilities/{}", toms.id),
    ] {
        let said = house.got(&token, path).await;
        let digest = said.body["digest"].as_str().unwrap_or_else(|| panic!("{path}: {}", said.body));
        assert_eq!(said.tag.as_deref(), Some(format!("\"{digest}\"").as_str()), "{path}");
    }
    let tag = house.got(&token, &rule).await.tag.unwrap();
    let mut changed = rules[0].rule.clone();
    changed.settings.usual = Some(Seconds(61));
    let url = format!("{}/api/v1{rule}", house.service.address);
    let put = async |tag: &str| {
        let request = reqwest::Client::new().put(&url).bearer_auth(&token).header(header::IF_MATCH, tag);
        request.json(&changed).send().await.unwrap().status()
    };
    assert_eq!(put(&tag).await, StatusCode::OK);
    assert_eq!(put(&tag).await, StatusCode::PRECONDITION_FAILED);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_list_whose_pages_have_no_end_is_not_read_for_ever() {
    use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
    let _ = rustls::crypto::ring::default_provider().install_default();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let server = format!("http://{}", listener.local_addr().unwrap());
    tokio::spawn(async move {
        let page = "HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nLink: <?after=x>; rel=\"next\"\r\n\
            Content-Length: 2\r\nConnection: close\r\n\r\n[]";
        while let Ok((mut caller, _)) = listener.accept().await {
            let _ = caller.read(&mut [0; 4096]).await;
            let _ = caller.write_all(page.as_bytes()).await;
        }
    });
    let client = Client::new(&Connection { server, authority: None }, None).unwrap();
    let said = client.people().await.unwrap_err().to_string();
    assert!(said.contains("it has no end"), "{said}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_one_asked_for_is_taken_away_with_its_answers_and_as_no_formula() {
    let house = House::new(Plan::cloud_only()).await;
    let (reader, writer) = (on_cloud("tide-reader", "/reports/cranes"), on_cloud("tide-writer", "/lake"));
    for right in [&reader, &writer] {
        house.eligible(TOMAS, right).await;
    }
    let stage = format!(
        "scope = \"{BRIGHTWATER}/lake\"\n[settings.approval]\nis = \"stage\"\napprovers = [\"{ODA}\"]\nyes = 1\nno = 1\nwithin = 600\n"
    );
    house.client(MARA).add_terms(&toml::from_str(&stage).unwrap()).await.unwrap();
    let held = house.ask(TOMAS, &reader, 600).await.unwrap();
    house.live(&held.id).await;
    house.client(TOMAS).give_back(&held.id).await.unwrap();
    house.over(&held.id).await;
    let tomas = house.client(TOMAS);
    let wished = PreviewRequest { right: writer, duration: Some(Seconds(600)), start: None, glass: false };
    let demand = tomas.preview_ask(&wished).await.unwrap();
    let PreviewRequest { right, duration, start, glass } = wished;
    let brings = Brings { reason: Some("=HYPERLINK(\"http://elsewhere\")".to_owned()), ..Brings::default() };
    let request = AskRequest { right, duration, start, glass, brings, shown: demand.digest };
    let asked = tomas.ask(&request).await.unwrap();
    let reason = Some("not for that".to_owned());
    let no = AnswerRequest { verdict: Verdict::No, less: None, reason, shown: asked.digest };
    house.client(ODA).answer(&asked.id, &no).await.unwrap();

    let home = house.path().join("tomas");
    house.sign_in_at_a_terminal(&home, TOMAS);
    let (exit, text) = house.tempestas(&home, &["grants", "--csv"], "");
    let lines: Vec<&str> = text.lines().collect();
    assert!(exit == 0 && lines.len() == 3, "{exit}: {text}");
    assert!(
        lines[0].starts_with("reference,asked,who,right,for,purpose,reason,ticket,references,answers,begun,ended,")
    );
    assert!(lines[1].starts_with(&held.id) && lines[1].contains(&reader) && lines[1].contains("given back"), "{text}");
    assert!(lines[2].starts_with(&asked.id) && lines[2].contains(&format!("{ODA} no: not for that")), "{text}");
    assert!(lines[2].contains("\"'=HYPERLINK"), "{text}");
    // Nobody takes away what they don't see.
    let others = ElevationFilter { all: true, ended: true, who: Some(TOMAS.to_owned()), ..ElevationFilter::default() };
    let seen = house.client(MARA).elevations_csv(&others).await.unwrap();
    assert_eq!(seen.lines().count(), 3, "{seen}");
    let own = ElevationFilter { ended: true, ..ElevationFilter::default() };
    assert_eq!(house.client(ODA).elevations_csv(&own).await.unwrap().lines().count(), 1);
}
