//! A change of terms shows whom it touches, at every act and of each group each member, before it is made.

use tempestas_api::{NewMember, NewTerms, TermsTouched, TermsTrial};
use tempestas_core::Act;

use crate::house::{HENRIK, House, MARA, ODA, Plan, TOMAS, on_cloud};

async fn tried(house: &House, rule: &str, replaces: Option<&str>) -> TermsTouched {
    let rule = (!rule.is_empty()).then(|| toml::from_str(rule).unwrap());
    let trial = TermsTrial { replaces: replaces.map(str::to_owned), rule };
    house.client(MARA).try_terms(&trial).await.unwrap()
}

/// Who is touched, at which act, in which settings.
fn said(touched: &TermsTouched) -> Vec<(String, Act, String)> {
    let settings = |one: &tempestas_api::TouchedView| {
        one.changes.iter().map(|change| change.setting.clone()).collect::<Vec<_>>().join(" ")
    };
    touched.touched.iter().map(|one| (one.who.clone(), one.act, settings(one))).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_change_shows_each_whom_it_touches_and_at_which_act() {
    let house = House::new(Plan::cloud_only()).await;
    let mara = house.client(MARA);
    house.group("tide-watch").await;
    for member in [TOMAS, ODA, HENRIK] {
        mara.add_member("tide-watch", &NewMember { member: member.to_owned() }).await.unwrap();
    }
    house.eligible("tide-watch", &on_cloud("tide-writer", "/lake")).await;
    let at = "scope = \"/analytics/brightwater/lake\"\nrole = \"tide-writer\"\n";
    let settings = "[settings]\nlongest = 240\nusual = 120\n";
    let watch = |who: &str, settings: &str| (who.to_owned(), Act::Elevate, settings.to_owned());

    let all = tried(&house, &format!("{at}{settings}"), None).await;
    assert_eq!(said(&all), [watch("tide-watch", "longest usual")]);
    assert_eq!((all.count, all.people), (1, 3));
    // A rule for one of them touches that one, whoever stands first.
    for who in [TOMAS, ODA, HENRIK] {
        let one = tried(&house, &format!("{at}asker = \"{who}\"\n{settings}"), None).await;
        assert_eq!(said(&one), [watch(who, "longest usual")]);
        assert_eq!((one.count, one.people), (1, 1), "{who}");
    }
    // With a rule of his own Tomas is touched otherwise than the others.
    let toms = format!("{at}asker = \"{TOMAS}\"\n[settings]\nlongest = 60\n");
    let toms = mara.add_terms(&toml::from_str(&toms).unwrap()).await.unwrap();
    let all = tried(&house, &format!("{at}{settings}"), None).await;
    let mut names: Vec<String> = said(&all).into_iter().map(|(who, ..)| who).collect();
    names.sort();
    assert!(names.contains(&ODA.to_owned()) && names.contains(&HENRIK.to_owned()), "{names:?}");
    assert!(said(&all).iter().all(|(who, _, settings)| who != TOMAS || !settings.contains("longest")), "{all:?}");
    let gone = tried(&house, "", Some(&toms.id)).await;
    assert_eq!(said(&gone).into_iter().map(|(who, ..)| who).collect::<Vec<_>>(), [TOMAS], "its end is a change too");

    // Of a rule for being made eligible, what that demands.
    let approval = "act = \"be-made-eligible\"\n[settings]\napproval = { is = \"stage\", approvers = [\"administrators\"], yes = 2, no = 1, within = 60 }\n";
    let made = tried(&house, &format!("{at}{approval}"), None).await;
    assert_eq!(said(&made), [("tide-watch".to_owned(), Act::BeMadeEligible, "approval".to_owned())]);
    // From one act to the other both are shown.
    let both = tried(&house, &format!("{at}{approval}"), Some(&toms.id)).await;
    let acts: Vec<Act> = said(&both).into_iter().map(|(_, act, _)| act).collect();
    assert!(acts.contains(&Act::Elevate) && acts.contains(&Act::BeMadeEligible), "{both:?}");
    // Nothing of it was made.
    assert_eq!(mara.terms().await.unwrap().terms.iter().filter(|one| one.rule.scope.ends_with("/lake")).count(), 1);
}

#[tokio::test(flavor = "multi_thread")]
async fn rules_that_are_about_just_the_same_are_named_with_what_holds_and_what_nobody_could_answer_is_refused() {
    let house = House::new(Plan::cloud_only()).await;
    let mara = house.client(MARA);
    let at = "scope = \"/analytics/brightwater/lake\"\nrole = \"tide-writer\"\n";
    let first = mara.add_terms(&toml::from_str(&format!("{at}[settings]\nlongest = 240\n")).unwrap()).await.unwrap();
    let contradicts = async |rule: &str, replaces: Option<&str>| {
        let tried = tried(&house, rule, replaces).await.contradicts.into_iter();
        tried.map(|one| format!("{} {} {} {}", one.rule, one.setting, one.theirs, one.holds)).collect::<Vec<_>>()
    };
    let longer = format!("{at}[settings]\nlongest = 480\nusual = 60\n");
    assert_eq!(contradicts(&longer, None).await, [format!("{} longest 4 min 4 min", first.id)]);
    assert_eq!(contradicts(&longer, Some(&first.id)).await, [""; 0], "it takes its place");
    assert_eq!(contradicts(&format!("{at}asker = \"{TOMAS}\"\n[settings]\nlongest = 480\n"), None).await, [""; 0]);
    assert_eq!(contradicts(&format!("{at}[settings]\nlongest = 240\n"), None).await, [""; 0]);

    house.group("tide-watch").await;
    let nobody = format!(
        "{at}[settings]\napproval = {{ is = \"stage\", approvers = [\"tide-watch\"], yes = 1, no = 1, within = 60 }}\n"
    );
    let nobody: NewTerms = toml::from_str(&nobody).unwrap();
    for refused in [
        mara.add_terms(&nobody).await.map(drop),
        mara.try_terms(&TermsTrial { replaces: None, rule: Some(nobody.clone()) }).await.map(drop),
    ] {
        let refused = refused.unwrap_err();
        assert_eq!(refused.cause(), Some("too-few-could"), "{refused}");
    }
    mara.add_member("tide-watch", &NewMember { member: ODA.to_owned() }).await.unwrap();
    mara.add_terms(&nobody).await.unwrap();
}
