//! Approval in stages on the simulated cloud: one after another, by the manager, the owners, and whoever answers in their place.

use jiff::{SignedDuration, Timestamp};
use serde_json::json;
use tempestas_api::{
    AppointmentVerdict, ElevationView, NewCover, NewDelegation, NewDuty, NewEligibility, NewManager, NewTerms,
    WaitQuery,
};
use tempestas_core::{DutyKind, LookedAt, Verdict};

use crate::house::{HENRIK, House, INES, MARA, ODA, Plan, TOMAS, on_cloud};

/// What the sample house has two look at, one after the other: the manager, and then the owners of the place.
const RIGHT: &str = "keysmith@/analytics/brightwater";

/// A house in which Henrik is Tomas's manager, and Oda owns the cloud.
async fn asked_in_stages() -> House {
    let house = House::new(Plan::cloud_only()).await;
    let scope = "/analytics/brightwater".to_owned();
    house.client(MARA).give_duty(&NewDuty { who: ODA.to_owned(), duty: DutyKind::Owner, scope }).await.unwrap();
    house.eligible(TOMAS, RIGHT).await;
    house
}

async fn seen(house: &House, who: &str, id: &str) -> ElevationView {
    house.client(who).elevation(id, &WaitQuery::default()).await.unwrap().elevation
}

#[tokio::test(flavor = "multi_thread")]
async fn a_right_in_two_stages_is_given_on_the_cloud_once_both_said_yes_and_not_before() {
    let house = asked_in_stages().await;
    let asked = house.ask(TOMAS, RIGHT, 600).await.unwrap();
    assert!(asked.sentence.contains(&format!("waits for {HENRIK} until")), "{}", asked.sentence);
    assert!(asked.sentence.ends_with("(stage 1 of 2)"), "{}", asked.sentence);
    assert!(asked.demand.contains(&format!("then 1 yes within 4 h from {ODA}")), "{}", asked.demand);
    let waits = async |who: &str| house.client(who).waiting().await.unwrap().iter().any(|one| one.id == asked.id);
    assert!(waits(HENRIK).await && !waits(ODA).await);
    let early = house.yes(ODA, &asked.id).await.unwrap_err().to_string();
    assert!(early.contains("you are not among those who may answer"), "{early}");

    house.yes(HENRIK, &asked.id).await.unwrap();
    assert!(!waits(HENRIK).await && waits(ODA).await);
    let again = house.yes(HENRIK, &asked.id).await.unwrap_err().to_string();
    assert!(again.contains("you answered") && again.contains("in stage 1"), "{again}");
    let half = seen(&house, TOMAS, &asked.id).await;
    assert_eq!((half.state.as_str(), half.grant.is_none()), ("waiting", true), "{}", half.sentence);
    assert!(!house.may(&house.cloud_key("t.reyes"), "make", "key", &[]).await, "it is given after one of two");

    house.yes(ODA, &asked.id).await.unwrap();
    let story = house.live(&asked.id).await;
    assert!(house.may(&house.cloud_key("t.reyes"), "make", "key", &[]).await);
    let said: Vec<String> = story.story.iter().map(|entry| entry.says.to_string()).collect();
    assert!(said.iter().any(|said| said.contains("to its stage 2")), "{said:#?}");
    let answers = |stage: usize| story.elevation.rounds[0].stages[stage].answers.len();
    assert_eq!([answers(0), answers(1)], [1, 1]);
}

#[tokio::test(flavor = "multi_thread")]
async fn who_is_away_is_not_asked_and_everybody_concerned_reads_who_is() {
    let house = asked_in_stages().await;
    let until = Timestamp::now().checked_add(SignedDuration::from_hours(30)).unwrap();
    let away = |delegate: &str| NewDelegation {
        absent: None,
        delegate: delegate.to_owned(),
        from: None,
        until,
        reason: Some("on leave".to_owned()),
    };
    let given = house.client(ODA).delegate(&away(INES)).await.unwrap();
    assert!(given.holds && given.may_end && given.absent == ODA, "{given:?}");
    let listed = async |who: &str| house.client(who).delegations().await.unwrap().len();
    assert_eq!([listed(ODA).await, listed(INES).await, listed(MARA).await, listed(TOMAS).await], [1, 1, 1, 0]);

    let asked = house.ask(TOMAS, RIGHT, 600).await.unwrap();
    assert!(asked.demand.contains(&format!("{INES} (for {ODA}, who is away)")), "{}", asked.demand);
    let stage = &asked.rounds[0].stages[1];
    assert_eq!((stage.away[0].who.as_str(), stage.away[0].delegate.as_str()), (ODA, INES));
    house.yes(HENRIK, &asked.id).await.unwrap();
    assert!(house.yes(ODA, &asked.id).await.is_err(), "whoever is away is skipped");
    house.yes(INES, &asked.id).await.unwrap();
    house.live(&asked.id).await;

    // At a terminal: what stands is listed, and ended by whoever answers by it.
    let home = house.path().join("home-ines");
    house.sign_in_at_a_terminal(&home, INES);
    let (exit, text) = house.tempestas(&home, &["delegate"], "");
    assert!(exit == 0 && text.contains(ODA) && text.contains("away now"), "{text}");
    let (exit, text) = house.tempestas(&home, &["delegate", "end", &given.id], "");
    assert_eq!(exit, 0, "{text}");
    let (exit, text) = house.tempestas(&home, &["delegate", "begin", ODA, "--until", "2020-01-01T00:00Z"], "");
    assert!(exit == 3 && text.contains("give a later end"), "{text}");
    let (exit, text) =
        house.tempestas(&home, &["delegate", "begin", ODA, "--of", TOMAS, "--until", &until.to_string()], "");
    assert!(exit == 3 && text.contains("whoever will be away"), "{text}");
    assert_eq!(house.client(MARA).delegations().await.unwrap().len(), 0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_manager_is_named_at_a_terminal_and_a_stranger_learns_nothing_of_it() {
    let house = House::new(Plan::cloud_only()).await;
    let home = house.path().join("home-mara");
    house.sign_in_at_a_terminal(&home, MARA);
    let (exit, text) = house.tempestas(&home, &["people", "manager", ODA, HENRIK], "");
    assert_eq!((exit, text.trim()), (0, format!("{HENRIK} is {ODA}'s manager.").as_str()));
    let (exit, text) = house.tempestas(&home, &["people", "manager", ODA, ODA], "");
    assert!(exit == 3 && text.contains("another person"), "{text}");
    let was = house.client(MARA).manager(ODA).await.unwrap();
    assert_eq!(was.manager.as_deref(), Some(HENRIK));
    for (who, sees) in [(INES, true), (TOMAS, false)] {
        assert_eq!(house.client(who).manager(ODA).await.is_ok(), sees, "{who}");
        let set = house.client(who).set_manager(ODA, LookedAt::This(was.digest), &NewManager { manager: None }).await;
        assert!(set.is_err(), "{who} names managers");
    }
    let (exit, text) = house.tempestas(&home, &["people", "manager", ODA, "--none"], "");
    assert_eq!(exit, 0, "{text}");
}

#[tokio::test(flavor = "multi_thread")]
async fn being_made_eligible_in_stages_waits_for_each_of_them() {
    let house = House::new(Plan::cloud_only()).await;
    let stage = |who: &str| json!({ "approvers": [who], "yes": 1, "no": 1, "within": 3600, "onward": [INES] });
    let approval = json!({ "is": "stages", "stages": [stage(HENRIK), stage(MARA)] });
    let settings = json!({ "approval": approval });
    let rule = json!({ "scope": "/analytics/brightwater", "act": "be-made-eligible", "settings": settings });
    house.client(MARA).add_terms(&serde_json::from_value::<NewTerms>(rule).unwrap()).await.unwrap();
    let right = on_cloud("tide-writer", "/lake");
    let held = NewEligibility::for_good(INES, &right);
    assert!(house.client(MARA).give_eligibility(&held).await.is_err(), "too few are free to answer its wisher");
    house.client(MARA).add_terms(&toml::from_str::<NewTerms>(&open_to(TOMAS)).unwrap()).await.unwrap();
    house.eligible(TOMAS, &right).await;
    let until = Timestamp::now().checked_add(SignedDuration::from_hours(30)).unwrap();
    let cover = NewCover { absent: TOMAS.to_owned(), stand_in: ODA.to_owned(), from: None, until, reason: None };
    let id = house.client(TOMAS).cover(&cover).await.unwrap().id;
    for (who, early) in [(HENRIK, MARA), (MARA, HENRIK)] {
        let home = house.path().join(format!("home-{who}"));
        house.sign_in_at_a_terminal(&home, who);
        let wish = house.client(MARA).appointment(&id).await.unwrap().appointment;
        let yes = AppointmentVerdict { verdict: Verdict::Yes, reason: None, shown: wish.digest };
        let refused = house.client(early).answer_appointment(&id, &yes).await;
        assert!(refused.is_err(), "{early} answers out of turn");
        let (exit, text) = house.tempestas(&home, &["eligible", "answer", &id, "yes", "--yes"], "");
        assert_eq!(exit, 0, "{text}");
    }
    let made = house.client(MARA).appointment(&id).await.unwrap().appointment;
    assert_eq!(made.stages.iter().map(|stage| stage.answers.len()).collect::<Vec<_>>(), [1, 1]);
    assert!(house.client(ODA).eligible().await.unwrap().eligible.iter().any(|one| one.right == right));
}

/// Lets somebody be made eligible with nobody asked.
fn open_to(who: &str) -> String {
    format!(
        "scope = \"/analytics/brightwater\"\nact = \"be-made-eligible\"\nasker = \"{who}\"\n[settings.approval]\nis = \"none\"\n"
    )
}
