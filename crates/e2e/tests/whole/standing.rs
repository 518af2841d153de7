//! What terms let nobody hold all the time, on a real cluster: found, not adopted, and not brought back.

use tempestas_api::{Chosen, ConvertRequest, DriftFilter, StandingFilter, StandingView, TermsTrial, WhichTarget};
use tempestas_client::ClientError;
use tempestas_core::ItemState;
use tempestas_demo::quillhaven::{BERTHS, BRIGHTWATER};

use crate::{
    house::{House, MARA, ODA, Plan, TOMAS, eventually},
    waves::{held, is_member, reached},
};

/// What stands against the terms, as an administrator sees it.
async fn against(house: &House, at: &str) -> Vec<StandingView> {
    let filter = StandingFilter { at: Some(at.to_owned()), against_terms: true, ..StandingFilter::default() };
    house.client(MARA).standing(&filter).await.unwrap()
}

fn refused_by<T: std::fmt::Debug>(rule: &str, outcome: Result<T, ClientError>) {
    let refused = outcome.unwrap_err().to_string();
    assert!(refused.contains("may not be held all the time") && refused.contains(rule), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_never_held_all_the_time_is_found_and_never_brought_back() {
    let house = House::new(Plan::whole()).await;
    let mara = house.client(MARA);
    assert!(against(&house, BERTHS).await.is_empty(), "nothing says so there");
    let suppliers = against(&house, BRIGHTWATER).await;
    let is_supplier = |one: &StandingView| one.who.as_deref() == Some("uma.stern");
    assert!(!suppliers.is_empty() && suppliers.iter().all(is_supplier), "the house's own rule: {suppliers:#?}");
    let operator = held(&house, "treyes", "harbour_operator").await;
    let plan = mara.preview_conversion(&Chosen { chosen: vec![operator.clone()] }).await.unwrap();
    let id = mara.convert(&ConvertRequest::at_once(vec![operator], plan.digest)).await.unwrap().id;
    reached(&house, &id, 1, ItemState::Taken).await;

    let rule = format!("scope = \"{BERTHS}\"\nrole = \"harbour_operator\"\n[settings]\nstanding = \"never\"\n");
    let trial = TermsTrial { replaces: None, rule: Some(toml::from_str(&rule).unwrap()) };
    let tried = mara.try_terms(&trial).await.unwrap();
    let rule = mara.add_terms(&toml::from_str(&rule).unwrap()).await.unwrap();
    let found = against(&house, BERTHS).await;
    assert_eq!((found.len(), tried.no_longer_against), (tried.newly_against, 0));
    let is_of = |one: &StandingView| one.role == "harbour_operator" && one.against.as_ref() == Some(&rule.id);
    assert!(!found.is_empty() && found.iter().all(is_of), "{found:#?}");
    // Whoever oversees no place hears nothing of it.
    for who in [TOMAS, ODA] {
        let filter = StandingFilter { against_terms: true, ..StandingFilter::default() };
        house.client(who).standing(&filter).await.unwrap_err();
    }

    refused_by(&rule.id, mara.undo_conversion(&id).await);
    assert!(!is_member(&house, "treyes", "harbour_operator").await);
    // Given and taken by hand on the cluster itself, behind our back.
    let sql = house.cluster().connect("postgres").await.unwrap();
    sql.batch_execute("GRANT harbour_operator TO aosei; REVOKE harbour_operator FROM kdvor").await.unwrap();
    mara.survey(&WhichTarget { target: BERTHS.to_owned() }).await.unwrap();
    let seen = mara.drift(&DriftFilter::default()).await.unwrap();
    let about = |account: &str| seen.iter().find(|one| one.account == account).unwrap();
    assert!(seen.iter().all(|one| one.against.as_ref() == Some(&rule.id)), "{seen:#?}");
    refused_by(&rule.id, mara.adopt_drift(&about("aosei").id).await);
    refused_by(&rule.id, mara.put_back_drift(&about("kdvor").id).await);
    mara.adopt_drift(&about("kdvor").id).await.unwrap();
    mara.put_back_drift(&about("aosei").id).await.unwrap();
    eventually("it is taken away again", async || !is_member(&house, "aosei", "harbour_operator").await).await;
    assert!(!is_member(&house, "kdvor", "harbour_operator").await);

    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, MARA);
    let (exit, text) = house.tempestas(&home, &["standing", "--against-terms", "--at", BERTHS], "");
    assert_eq!(exit, 0, "{text}");
    let left = against(&house, BERTHS).await.len();
    assert!(text.starts_with(&format!("{left} standing rights, ")), "{text}");
    assert!(text.contains(&format!(", {left} against the terms.")), "{text}");
    assert!(text.contains(&rule.id), "{text}");
    // Once the rule says otherwise, the undo goes through.
    mara.end_terms(&rule.id).await.unwrap();
    mara.undo_conversion(&id).await.unwrap();
    reached(&house, &id, 1, ItemState::Restored).await;
    assert!(is_member(&house, "treyes", "harbour_operator").await);
}
