//! What is looked up beside the work itself, by value: days, what a search finds, what an approver is told of an ask.

use reqwest::Method;
use tempestas_api::{DayView, Hit, SearchQuery};
use tempestas_client::{Client, ClientError};

use crate::house::{House, INES, MARA, ODA, Plan, TOMAS, on_berths, on_cloud};

/// Who has no duty, and here no right either.
const LENE: &str = "lene.madsen";
/// Who keeps systems running, as Tomas does.
const ELIF: &str = "elif.tan";

async fn days(client: &Client, days: u32) -> Vec<DayView> {
    let query = [("days", days.to_string())];
    client.send::<(), _>(Method::GET, &["days"], Some(&query), None).await.unwrap().json().await.unwrap()
}

/// Asked, opened and most at once, of all the days together.
fn totals(days: &[DayView]) -> (u32, u32, u32) {
    let most = days.iter().map(|day| day.most_at_once).max().unwrap_or(0);
    (days.iter().map(|day| day.asked).sum(), days.iter().map(|day| day.opened).sum(), most)
}

#[tokio::test(flavor = "multi_thread")]
async fn days_count_what_was_asked_what_was_opened_and_how_much_at_once_as_far_as_one_sees() {
    let mut house = House::new(Plan::whole()).await;
    house.enrolled(LENE).await;
    house.enrolled(ELIF).await;
    let (lake, whole, database) =
        (on_cloud("tide-writer", "/lake"), on_cloud("tide-writer", ""), on_berths("harbour_operator"));
    for right in [&lake, &whole, &database] {
        house.eligible(TOMAS, right).await;
    }
    house.eligible(ELIF, &lake).await;
    assert_eq!(totals(&days(house.client(MARA), 2).await), (0, 0, 0));
    // Two at once, one of them over already, one after them, and one that waits.
    let mut over = Vec::new();
    for (who, right) in [(TOMAS, &lake), (ELIF, &lake)] {
        let asked = house.ask(who, right, 600).await.unwrap();
        house.live(&asked.id).await;
        over.push((who, asked.id));
    }
    for (who, id) in &over {
        house.client(who).give_back(id).await.unwrap();
        house.over(id).await;
    }
    let live = house.ask(TOMAS, &whole, 600).await.unwrap();
    house.live(&live.id).await;
    let waits = house.ask(TOMAS, &database, 600).await.unwrap();
    assert_eq!(waits.state, "waiting", "{}", waits.sentence);
    // Over midnight, two days are told of; nothing is told twice.
    let told = days(house.client(MARA), 2).await;
    assert_eq!(told.len(), 2);
    assert!(told[0].day < told[1].day);
    assert_eq!(totals(&told), (4, 3, 2));
    assert!(told.iter().all(|day| day.asked > 0 || day.opened == 0 && day.most_at_once == 0), "{told:?}");
    assert!(told.last().unwrap().standing.unwrap() > 0);
    // Each sees their own, those in their scopes, and what they were asked about; standing rights only who sees all.
    let of = async |who: &str| days(house.client(who), 2).await;
    assert_eq!(totals(&of(TOMAS).await), (3, 2, 1));
    assert_eq!(totals(&of(ELIF).await), (1, 1, 1));
    assert_eq!(totals(&of(ODA).await), (1, 0, 0), "the one that waits for her");
    let nothing = of(LENE).await;
    assert_eq!(totals(&nothing), (0, 0, 0));
    assert!(nothing.iter().all(|day| day.standing.is_none()));
    assert_eq!(totals(&of(INES).await), totals(&told), "an auditor of everything");
    // The day that is today, wherever the test ran, and so many as were wanted.
    assert_eq!(days(house.client(MARA), 400).await.len(), 400);
    assert_eq!(days(house.client(MARA), 1).await.len(), 1);
    for none in ["0", "401", "-1", "x"] {
        let refused = house.client(MARA).send::<(), _>(Method::GET, &["days"], Some(&[("days", none)]), None).await;
        match refused {
            Err(ClientError::Refused(problem)) => {
                assert_eq!((problem.status, problem.code.as_str()), (400, "malformed"), "{problem:?}");
                assert!(problem.detail.contains("days"), "{}", problem.detail);
            }
            other => panic!("{none}: {other:?}"),
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_search_finds_what_is_called_so_and_is_in_sight() {
    let mut house = House::new(Plan::whole()).await;
    house.enrolled(LENE).await;
    let (lake, database) = (on_cloud("tide-writer", "/lake"), on_berths("harbour_operator"));
    house.eligible(TOMAS, &lake).await;
    house.eligible(TOMAS, &database).await;
    let live = house.ask(TOMAS, &lake, 600).await.unwrap();
    house.live(&live.id).await;
    house.client(TOMAS).give_back(&live.id).await.unwrap();
    house.over(&live.id).await;
    let waits = house.ask(TOMAS, &database, 600).await.unwrap();
    let found = async |who: &str, q: &str| -> Vec<Hit> {
        house.client(who).search(&SearchQuery { q: q.to_owned() }).await.unwrap()
    };
    let named = |hits: &[Hit], kind: &str| -> Vec<String> {
        hits.iter().filter(|hit| hit.kind == kind).map(|hit| hit.name.clone()).collect()
    };
    // By number, what is over and what isn't, the newest first; however it is written.
    for q in [live.id.as_str(), &live.id.to_lowercase(), &format!("  {}\n", live.id)] {
        assert_eq!(named(&found(MARA, q).await, "elevation"), [live.id.as_str()], "{q}");
    }
    let begun: String = live.id.chars().take(2).collect();
    assert_eq!(named(&found(MARA, &begun).await, "elevation"), [waits.id.as_str(), live.id.as_str()]);
    let one = found(MARA, &live.id).await.remove(0);
    assert!(one.says.contains(TOMAS) && one.says.contains(&lake) && one.says.contains("given-back"), "{}", one.says);
    // By a part of a name or of what is said about it.
    let people = found(MARA, "REYES").await;
    assert_eq!(named(&people, "person"), [TOMAS]);
    let about = people.iter().find(|hit| hit.kind == "person").unwrap().says.clone();
    assert!(named(&found(MARA, &about).await, "person").contains(&TOMAS.to_owned()), "{about}");
    assert!(named(&found(MARA, "brightwater").await, "scope").contains(&"/analytics/brightwater".to_owned()));
    // Rights are those that one may ask for oneself.
    assert_eq!(named(&found(TOMAS, "tide").await, "right"), [lake.as_str()]);
    assert!(named(&found(LENE, "tide-writer@").await, "right").is_empty());
    // Of what isn't in sight nothing is said, by its very number either; an approver finds what waits for them.
    assert!(named(&found(LENE, &live.id).await, "elevation").is_empty());
    assert_eq!(named(&found(ODA, &waits.id).await, "elevation"), [waits.id.as_str()]);
    // What would mean something to a database, a shell or a pattern is looked for as it stands.
    for odd in ["", "   ", "%", "_", "e%", "' OR 1=1 --", "e-1", "e99999999999999999999999", ".*", "\u{202e}"] {
        assert!(found(MARA, odd).await.iter().all(|hit| hit.name.contains(odd.trim())), "{odd:?}");
    }
    assert!(found(MARA, "").await.is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn an_approver_is_told_how_it_went_before_what_is_held_and_who_else_waits() {
    let mut house = House::new(Plan::whole()).await;
    house.enrolled(LENE).await;
    house.enrolled("bruno.costa").await;
    let right = on_berths("harbour_dba");
    house.eligible(TOMAS, &right).await;
    house.eligible("bruno.costa", &right).await;
    let before = house.ask(TOMAS, &right, 600).await.unwrap();
    house.yes(ODA, &before.id).await.unwrap();
    house.live(&before.id).await;
    house.client(TOMAS).give_back(&before.id).await.unwrap();
    house.over(&before.id).await;
    let taken_back = house.ask(TOMAS, &right, 600).await.unwrap();
    house.client(TOMAS).withdraw(&taken_back.id).await.unwrap();
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    let told = async |who: &str| house.client(who).context(&asked.id).await;
    let alone = told(ODA).await.unwrap();
    assert_eq!(alone.others_waiting, 0);
    let earlier: Vec<(&str, &str)> = alone.earlier.iter().map(|one| (one.id.as_str(), one.state.as_str())).collect();
    assert_eq!(earlier, [(taken_back.id.as_str(), "withdrawn"), (before.id.as_str(), "given-back")]);
    assert_eq!(alone.earlier_count, 2);
    assert!(alone.would_change.starts_with("tomas.reyes could then do this on /harbour"), "{}", alone.would_change);
    // Somebody else's ask for the same counts; what they had before does not.
    house.ask("bruno.costa", &right, 600).await.unwrap();
    let beside = told(ODA).await.unwrap();
    assert_eq!((beside.others_waiting, beside.earlier_count), (1, 2));
    assert_eq!(told(LENE).await.unwrap_err().code(), Some("unknown"));
    // Once it is live, it is what is held, and a second one would change nothing.
    house.yes(ODA, &asked.id).await.unwrap();
    house.live(&asked.id).await;
    let context = house.client(MARA).context(&asked.id).await.unwrap();
    assert_eq!(context.earlier_count, 2, "an elevation is not earlier than itself");
}
