//! What goes over the line, and what becomes of what comes back.

use jiff::tz::TimeZone;
use serde_json::json;
use tempestas_api::{AskRequest, Brings, ProofRequest, StandingFilter, WaitQuery};
use tempestas_client::{Client, ClientError, Connection};
use tempestas_core::Digest;

use crate::{
    service::{Answer, Service, no, well},
    views::elevation,
};

fn connection(server: &str) -> Connection {
    Connection { server: server.to_owned(), authority: None }
}

fn client(service: &Service) -> Client {
    crypto();
    Client::new(&connection(&service.address), Some("a-secret-token".to_owned().into())).unwrap()
}

/// TLS is set up once for all.
fn crypto() {
    let _ = rustls::crypto::ring::default_provider().install_default();
}

fn ask() -> AskRequest {
    AskRequest {
        right: "root@pier".to_owned(),
        duration: None,
        start: None,
        glass: false,
        brings: Brings::default(),
        shown: Digest([1; 32]),
    }
}

#[tokio::test]
async fn changes_carry_a_key_of_their_own_and_reads_and_proofs_none() {
    let service = Service::new(|asked, _| match asked.at.as_str() {
        "/api/v1/asks" => well(&elevation("E1001", "waiting")),
        "/api/v1/waiting" => well(&json!([])),
        _ => well(&json!({})),
    })
    .await;
    let client = client(&service);
    for _ in 0..2 {
        client.ask(&ask()).await.unwrap();
    }
    client.waiting().await.unwrap();
    let _ = client.prove(&ProofRequest { code: "123456".to_owned() }).await;
    let asked = service.asked();
    let keys: Vec<Option<&str>> = asked.iter().map(|one| one.header("idempotency-key")).collect();
    assert!(keys[0].is_some_and(|key| key.len() == 32) && keys[1].is_some() && keys[0] != keys[1], "{keys:?}");
    assert_eq!(keys[2], None, "{asked:?}");
    assert!(asked.iter().all(|one| one.header("authorization") == Some("Bearer a-secret-token")));
    assert_eq!(asked[0].json()["shown"], Digest([1; 32]).to_string());
}

#[tokio::test]
async fn a_change_whose_answer_breaks_off_is_sent_again_under_the_same_key() {
    use std::sync::{Arc, Mutex};
    use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let came = Arc::new(Mutex::new(Vec::new()));
    let kept = Arc::clone(&came);
    tokio::spawn(async move {
        for n in 0.. {
            let (mut line, _) = listener.accept().await.unwrap();
            let mut read = vec![0; 16 * 1024];
            let length = line.read(&mut read).await.unwrap();
            kept.lock().unwrap().push(String::from_utf8_lossy(&read[..length]).into_owned());
            if n > 0 {
                let said = elevation("E1001", "waiting").to_string();
                let head = format!("HTTP/1.1 200 OK\r\ncontent-length: {}\r\nconnection: close\r\n\r\n", said.len());
                line.write_all(format!("{head}{said}").as_bytes()).await.unwrap();
            }
        }
    });
    crypto();
    let client = Client::new(&connection(&address), Some("token".to_owned().into())).unwrap();
    assert_eq!(client.ask(&ask()).await.unwrap().id, "E1001");
    let came = came.lock().unwrap();
    let key = |request: &String| {
        request.lines().find_map(|line| line.strip_prefix("idempotency-key: ").map(str::to_owned)).unwrap()
    };
    assert_eq!(came.len(), 2);
    assert_eq!(key(&came[0]), key(&came[1]));
}

#[tokio::test]
async fn names_in_a_path_and_a_query_are_escaped() {
    let service = Service::new(|asked, _| match asked.at.as_str() {
        at if at.starts_with("/api/v1/standing") => well(&json!([])),
        _ => no(404, "unknown", "there is no such elevation"),
    })
    .await;
    let client = client(&service);
    for hostile in ["../../me", "a/b?c#d", "e%2f", "ünï"] {
        let refused = client.elevation(hostile, &WaitQuery::default()).await.unwrap_err();
        assert_eq!(refused.code(), Some("unknown"));
    }
    let filter = StandingFilter { at: Some("pier/a&b=c".to_owned()), ..StandingFilter::default() };
    client.standing(&filter).await.unwrap();
    let at: Vec<String> = service.asked().into_iter().map(|one| one.at).collect();
    assert_eq!(
        at,
        [
            "/api/v1/elevations/..%2F..%2Fme",
            "/api/v1/elevations/a%2Fb%3Fc%23d",
            "/api/v1/elevations/e%252f",
            "/api/v1/elevations/%C3%BCn%C3%AF",
            "/api/v1/standing?at=pier%2Fa%26b%3Dc",
        ]
    );
}

#[tokio::test]
async fn a_list_is_read_to_its_end_and_nowhere_else() {
    let page = |n: usize| {
        let ids: Vec<_> = (0..2).map(|k| elevation(&format!("E{}", 1000 + 2 * n + k), "live")).collect();
        well(&json!(ids))
    };
    let service = Service::new(move |asked, n| match asked.at.as_str() {
        "/api/v1/waiting" => page(0).with("link", "<?after=1>; rel=\"next\""),
        "/api/v1/waiting?after=1" => page(1).with("link", "<?after=2>; rel=\"next\""),
        "/api/v1/waiting?after=2" => page(2),
        _ => panic!("request {n} was for {}", asked.at),
    })
    .await;
    let all = client(&service).waiting().await.unwrap();
    assert_eq!(
        all.iter().map(|one| one.id.as_str()).collect::<Vec<_>>(),
        ["E1000", "E1001", "E1002", "E1003", "E1004", "E1005"]
    );
    assert!(service.asked().iter().all(|one| one.header("authorization").is_some()));

    // A page elsewhere is none, whoever names it; and the token goes nowhere else.
    for elsewhere in ["<http://127.0.0.1:9/steal?x>; rel=\"next\"", "</api/v1/me>; rel=\"next\"", "<?x>; rel=\"prev\""]
    {
        let service = Service::new(move |_, _| well(&json!([])).with("link", elsewhere)).await;
        assert!(client(&service).waiting().await.unwrap().is_empty(), "{elsewhere}");
        assert_eq!(service.asked().len(), 1);
    }
}

#[tokio::test]
async fn pages_without_end_are_given_up() {
    let service = Service::new(|_, _| well(&json!([])).with("link", "<?again>; rel=\"next\"")).await;
    let error = client(&service).waiting().await.unwrap_err().to_string();
    assert!(error.contains("has no end"), "{error}");
    assert_eq!(service.asked().len(), 2);
}

#[tokio::test]
async fn a_refusal_keeps_its_code_and_sentence_and_what_is_no_refusal_says_so() {
    let service = Service::new(|_, n| match n {
        0 => no(409, "conflict", "E1001 is live already"),
        1 => Answer::text(502, "<html>bad gateway</html>"),
        2 => Answer::text(200, "not json at all"),
        3 => Answer::text(200, "{\"id\":7}"),
        _ => Answer::text(
            202,
            &json!({ "draft": 7, "address": "http://x/drafts/7", "says": "confirm it there" }).to_string(),
        ),
    })
    .await;
    let client = client(&service);
    let begin = async || client.begin("E1001").await.unwrap_err();
    let refused = begin().await;
    assert_eq!((refused.code(), refused.to_string().as_str()), (Some("conflict"), "E1001 is live already"));
    for part in ["status 502", "expected", "invalid type"] {
        let unreadable = begin().await;
        assert_eq!(unreadable.code(), None);
        let text = unreadable.to_string();
        assert!(text.contains(part) && text.contains("of one version?"), "{text}");
    }
    let ClientError::Drafted(drafted) = begin().await else { panic!("it is drafted") };
    assert_eq!(drafted.address, "http://x/drafts/7");
}

#[tokio::test]
async fn where_no_service_is_that_is_said_with_what_to_do_and_without_the_token() {
    crypto();
    let closed = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", closed.local_addr().unwrap());
    drop(closed);
    let client = Client::new(&connection(&address), Some("a-secret-token".to_owned().into())).unwrap();
    let error = client.me().await.unwrap_err();
    let text = format!("{error} {error:?}");
    assert!(text.contains("is `tempestasd` running there?"), "{text}");
    assert!(!text.contains("a-secret-token"), "{text}");
    for not_one in ["ftp://x", "127.0.0.1:7443", "http://", "nonsense"] {
        let error = Client::new(&connection(not_one), None).err().unwrap().to_string();
        assert!(error.contains("is not an address like http://127.0.0.1:7443"), "{error}");
    }
    let missing = Connection { server: address, authority: Some("/nowhere/ca.pem".into()) };
    let error = Client::new(&missing, None).err().unwrap().to_string();
    assert!(error.contains("/nowhere/ca.pem"), "{error}");
}

#[tokio::test]
async fn a_program_gets_what_there_is_and_people_nothing_that_deceives_by_their_own_clock() {
    let mut hostile = elevation("E1001", "live");
    hostile.as_object_mut().unwrap().insert("brought".to_owned(), json!({ "reason": "fix\u{202e}gnp\u{1b}[2J" }));
    let service = Service::new(move |_, _| well(&json!([hostile]))).await;
    let plain = client(&service);
    let read = plain.waiting().await.unwrap();
    assert_eq!(read[0].brought.reason.as_deref(), Some("fix\u{202e}gnp\u{1b}[2J"));
    assert_eq!(read[0].sentence, "is live, as of 2026-07-01 12:00:00 UTC");
    let shown = plain.for_people(TimeZone::get("Europe/Lisbon").unwrap()).waiting().await.unwrap();
    assert_eq!(shown[0].brought.reason.as_deref(), Some("fix\\u{202e}gnp\\u{1b}[2J"));
    assert!(shown[0].sentence.contains("13:00:00"), "{}", shown[0].sentence);
}

#[tokio::test]
async fn waiting_for_a_state_asks_by_the_one_that_is_known() {
    let service = Service::new(|_, n| {
        let state = ["waiting", "waiting", "opening", "live"].get(n).copied().unwrap_or("live");
        let mut told = elevation("E1001", state);
        told.as_object_mut().unwrap().insert("story".to_owned(), json!([]));
        well(&told)
    })
    .await;
    let seen =
        client(&service).wait_past("E1001", &["waiting", "opening"], std::time::Duration::from_secs(20)).await.unwrap();
    assert_eq!(seen.elevation.state, "live");
    let queries: Vec<String> = service
        .asked()
        .into_iter()
        .map(|one| one.at.split_once('?').map(|(_, q)| q.to_owned()).unwrap_or_default())
        .collect();
    assert_eq!(queries.len(), 4);
    assert!(queries[1].contains("unlike=waiting") && queries[3].contains("unlike=opening"), "{queries:?}");
}

#[tokio::test]
async fn an_answer_to_an_alarm_goes_to_that_alarm() {
    let service = Service::new(|_, _| well(&json!({}))).await;
    client(&service).settle_alarm("a12").await.unwrap();
    assert!(service.asked()[0].is("POST", "/api/v1/alarms/a12/settle"), "{:?}", service.asked());
}
