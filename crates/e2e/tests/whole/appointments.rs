//! Cover for an absence and windows changed in place, through the API, as each of those concerned.

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{AppointmentVerdict, ChangeWindow, NewCover, SuspendRequest};
use tempestas_core::{AppointmentState, LookedAt, Verdict};

use crate::house::{HENRIK, House, INES, MARA, ODA, Plan, TOMAS, on_cloud};

fn in_hours(hours: i64) -> Timestamp {
    Timestamp::now().checked_add(SignedDuration::from_hours(hours)).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_stand_in_covers_for_an_absence_and_both_read_the_account() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let new = |stand_in: &str| NewCover {
        absent: TOMAS.to_owned(),
        stand_in: stand_in.to_owned(),
        from: None,
        until: in_hours(30),
        reason: Some("Away at the dry dock".to_owned()),
    };
    let refused = house.client(INES).cover(&new(ODA)).await.unwrap_err().to_string();
    assert!(refused.contains("whoever will be absent"), "{refused}");
    let wish = house.client(TOMAS).cover(&new(ODA)).await.unwrap();
    assert_eq!(wish.state, AppointmentState::Waiting);
    assert!(!house.client(ODA).eligible().await.unwrap().eligible.iter().any(|one| one.right == right));
    let waits = house.client(MARA).me().await.unwrap().waiting_for_me;
    let yes = AppointmentVerdict { verdict: Verdict::Yes, reason: None, shown: wish.digest };
    assert!(house.client(ODA).answer_appointment(&wish.id, &yes).await.is_err(), "nobody answers for themselves");
    let made = house.client(MARA).answer_appointment(&wish.id, &yes).await.unwrap();
    assert_eq!(made.state, AppointmentState::Made);
    assert_eq!(house.client(MARA).me().await.unwrap().waiting_for_me, waits - 1);

    let held = house.client(ODA).eligible().await.unwrap().eligible.into_iter().find(|one| one.right == right).unwrap();
    assert_eq!(held.covers.as_deref(), Some(TOMAS));
    for who in [TOMAS, ODA] {
        let story = house.client(who).appointment(&wish.id).await.unwrap();
        assert!(story.appointment.rights.contains(&right), "{who}");
    }
    // What is done by it stands in its account, for both, and what is done otherwise doesn't.
    let asked = house.ask(ODA, &right, 600).await.unwrap();
    house.yes(HENRIK, &asked.id).await.unwrap();
    house.live(&asked.id).await;
    assert_eq!(house.cloud_marks().await, 1, "it is really on the system");
    let own = house.ask(TOMAS, &right, 600).await.unwrap();
    house.live(&own.id).await;
    let account = async |who: &str| {
        let story = house.client(who).appointment(&wish.id).await.unwrap();
        story.elevations.into_iter().map(|one| one.id).collect::<Vec<_>>()
    };
    for who in [TOMAS, ODA] {
        assert_eq!(account(who).await, [asked.id.as_str()], "{who}");
    }
    let ended = house.client(TOMAS).end_appointment(&wish.id).await.unwrap();
    assert_eq!(ended.state, AppointmentState::Over);
    // What was begun under it ends by itself, or is given back; the system knows.
    house.client(ODA).give_back(&asked.id).await.unwrap();
    house.client(ODA).wait_past(&asked.id, &["live", "closing"], std::time::Duration::from_secs(60)).await.unwrap();
    assert_eq!(house.cloud_marks().await, 1, "only his own is left");
    assert_eq!(account(TOMAS).await, [asked.id.as_str()], "the account stays");
    assert!(!house.client(ODA).eligible().await.unwrap().eligible.iter().any(|one| one.right == right));
    assert!(house.rebuild().0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_window_is_changed_in_place_and_what_is_suspended_bars_until_it_is_resumed() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let (mara, tomas) = (house.client(MARA), house.client(TOMAS));
    let mine = async || tomas.eligible().await.unwrap().eligible.into_iter().find(|one| one.right == right).unwrap();
    let id = mine().await.id;
    let as_it_is = async || LookedAt::This(mine().await.digest);

    let why = SuspendRequest { reason: "until the audit is over".to_owned() };
    assert!(tomas.suspend_eligibility(&id, &why).await.is_err());
    mara.suspend_eligibility(&id, &why).await.unwrap();
    let refused = house.ask(TOMAS, &right, 60).await.unwrap_err().to_string();
    assert!(refused.contains("until the audit is over"), "{refused}");
    mara.resume_eligibility(&id).await.unwrap();

    let until = in_hours(48);
    let window = ChangeWindow { until: Some(until), ..ChangeWindow::default() };
    let changed = mara.change_eligibility(&id, as_it_is().await, &window).await.unwrap();
    assert_eq!(changed.eligibility.unwrap().id, id, "no other one beside it");
    assert_eq!(mine().await.until, Some(until));

    let rule = "scope = \"/analytics/brightwater\"\nact = \"be-made-eligible\"\n[settings]\nlongest = 345600\n";
    mara.add_terms(&toml::from_str(rule).unwrap()).await.unwrap();
    let for_good = ChangeWindow { for_good: true, ..ChangeWindow::default() };
    let refused = mara.change_eligibility(&id, as_it_is().await, &for_good).await.unwrap_err().to_string();
    assert!(refused.contains("longer than 4 d"), "{refused}");
    let longer =
        ChangeWindow { until: Some(in_hours(90)), reason: Some("Still on call".to_owned()), ..ChangeWindow::default() };
    let wish = tomas.change_eligibility(&id, as_it_is().await, &longer).await.unwrap().appointment.unwrap();
    assert_eq!((wish.state, wish.by.as_deref()), (AppointmentState::Waiting, Some(TOMAS)));
    let past = ChangeWindow { until: Some(in_hours(-1)), ..ChangeWindow::default() };
    assert!(
        mara.change_eligibility(&id, as_it_is().await, &past)
            .await
            .unwrap_err()
            .to_string()
            .contains("give a later end")
    );
}
