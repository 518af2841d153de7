//! The console, in headless Chromium: asking under terms of every kind, and what administrators set for it.

use std::collections::BTreeMap;

use serde_json::json;
use tempestas_api::ElevationFilter;
use tempestas_core::{Act, ReasonRule, ReferenceRule};

use crate::house::{House, INES, MARA, ODA, Plan, TOMAS, on_cloud};

/// Takes away the rule for everything, which demands a reason everywhere.
async fn end_the_house_rule(house: &House) {
    let rules = house.client(MARA).terms().await.unwrap().terms;
    for rule in rules.iter().filter(|one| one.rule.scope == "/") {
        house.client(MARA).end_terms(&rule.id).await.unwrap();
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_the_terms_leave_open_is_asked_for_and_what_they_hide_is_not() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    end_the_house_rule(&house).await;
    let terms = "scope = \"/analytics/brightwater/lake\"\n[settings]\nreason = { is = \"hidden\" }\n\
        ticket = { is = \"optional\" }\nstarts = { at_yes = false, begin_within = 3600 }\n";
    let rule = house.client(MARA).add_terms(&toml::from_str(terms).unwrap()).await.unwrap();
    let tomas = house.browser(TOMAS).await;
    tomas.page(&format!("/ask?right={right}")).await.unwrap();
    tomas.write("Ticket, if you have one", "whatever 7").await.unwrap();
    let text = tomas.text().await.unwrap();
    assert!(!text.contains("Reason") && text.contains("when I begin") && !text.contains("at the yes"), "{text}");
    assert_eq!(tomas.axe().await.unwrap(), Vec::<String>::new());
    tomas.press("Ask for ").await.unwrap();
    tomas.says("whatever 7").await.unwrap();
    let mine = house.client(TOMAS).elevations(&ElevationFilter::default()).await.unwrap();
    assert_eq!(json!(mine[0].start), json!({ "start": "on-begin" }));
    assert_eq!((mine[0].brought.reason.as_deref(), mine[0].brought.ticket.as_deref()), (None, Some("whatever 7")));
    house.client(TOMAS).withdraw(&mine[0].id).await.unwrap();

    // Only at a time that the asker sets.
    let terms = terms.replace("begin_within = 3600", "at_time_within = 86400");
    house.client(MARA).end_terms(&rule.id).await.unwrap();
    house.client(MARA).add_terms(&toml::from_str(&terms).unwrap()).await.unwrap();
    tomas.page(&format!("/ask?right={right}")).await.unwrap();
    tomas.field("From").await.unwrap();
    tomas.press("Ask for ").await.unwrap();
    tomas.says("scheduled").await.unwrap();
    let mine = house.client(TOMAS).elevations(&ElevationFilter::default()).await.unwrap();
    assert_eq!(json!(mine[0].start)["start"], "at");
    assert_eq!(tomas.wrongs().await.unwrap(), Vec::<String>::new());
}

#[tokio::test(flavor = "multi_thread")]
async fn the_button_is_in_view_and_each_right_takes_a_line() {
    let house = House::new(Plan::cloud_only()).await;
    for (role, below) in [("tide-writer", "/lake"), ("harbour-warden", "/reports")] {
        house.eligible(TOMAS, &on_cloud(role, below)).await;
    }
    let tomas = house.browser(TOMAS).await;
    for (width, height) in [(1280, 800), (390, 844)] {
        tomas.size(width, height).await.unwrap();
        tomas.page("/ask").await.unwrap();
        tomas.says("fresh proof").await.unwrap();
        let rows = "return [...document.querySelectorAll('main li > button')].map(row => row.offsetHeight)";
        let heights: Vec<u64> = serde_json::from_value(tomas.script(rows).await.unwrap()).unwrap();
        assert!(heights.len() == 2 && heights.iter().all(|height| *height < 100), "{width}: {heights:?}");
        tomas.at("//main//li/button").await.unwrap().click().await.unwrap();
        tomas.at("//button[starts-with(normalize-space(.), 'Ask for')]").await.unwrap();
        // What lies at its middle is the button itself, not something over it, and not what is out of view.
        let over = "const button = document.querySelector('main form button[type=submit]');\
            const { left, top, width, height } = button.getBoundingClientRect();\
            return button.contains(document.elementFromPoint(left + width / 2, top + height / 2))";
        assert_eq!(tomas.script(over).await.unwrap(), json!(true), "at {width}x{height}");
        assert_eq!(tomas.axe().await.unwrap(), Vec::<String>::new());
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn sentences_tell_times_by_the_readers_own_clock() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("harbour-warden", "/reports");
    house.eligible(TOMAS, &right).await;
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    house.live(&asked.id).await;
    let said = house.client(TOMAS).elevations(&ElevationFilter::default()).await.unwrap();
    assert!(said[0].sentence.contains(" UTC"), "{}", said[0].sentence);
    let tomas = house.browser(TOMAS).await;
    // A quarter of an hour beside every other zone, so that no time of another one passes for this.
    tomas.command("Emulation.setTimezoneOverride", json!({ "timezoneId": "Asia/Kathmandu" })).await.unwrap();
    for path in ["/", "/ask", "/record", &format!("/elevation/{}", asked.id), &format!("/person/{TOMAS}")] {
        tomas.page(path).await.unwrap();
        tomas.settled().await.unwrap();
        let text = tomas.text().await.unwrap();
        assert!(!text.contains("UTC"), "{path}: {text}");
    }
    let until = said[0].grant.as_ref().unwrap().until;
    let there = until.to_zoned(jiff::tz::TimeZone::get("Asia/Kathmandu").unwrap()).strftime("%H:%M").to_string();
    tomas.page("/record").await.unwrap();
    tomas.says(&there).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_group_gets_members_and_an_eligibility_and_a_rule_says_for_what_and_when() {
    let house = House::new(Plan::cloud_only()).await;
    let api = house.client(MARA);
    house.group("tide-watch").await;
    let (mara, ines) = tokio::join!(house.browser(MARA), house.browser(INES));
    let members = async || {
        let all = api.people().await.unwrap();
        all.into_iter().find(|one| one.name == "tide-watch").unwrap().members
    };
    mara.page("/person/tide-watch").await.unwrap();
    mara.says("Nobody belongs to tide-watch yet").await.unwrap();
    mara.write("Put into it", "nobody.at.all").await.unwrap();
    mara.press("Put in").await.unwrap();
    mara.says("no person, group or program").await.unwrap();
    mara.write("Put into it", TOMAS).await.unwrap();
    mara.press("Put in").await.unwrap();
    mara.press("Take out").await.unwrap();
    assert_eq!(members().await, [TOMAS], "once is no more than a question");
    // An auditor sees who belongs to it, and changes nothing.
    ines.page("/person/tide-watch").await.unwrap();
    ines.says(TOMAS).await.unwrap();
    let text = ines.text().await.unwrap();
    assert!(!text.contains("Take out") && !text.contains("Put in") && !text.contains("Let ask for more"), "{text}");

    mara.press("Let ask for more").await.unwrap();
    mara.write("For what", "tide-writer@/nowhere").await.unwrap();
    mara.press("Let tide-watch ask for it").await.unwrap();
    mara.says("/nowhere").await.unwrap();
    let right = on_cloud("tide-writer", "/lake");
    mara.write("For what", &right).await.unwrap();
    assert_eq!(mara.axe().await.unwrap(), Vec::<String>::new());
    mara.press("Let tide-watch ask for it").await.unwrap();
    mara.until("the dialog is done", |text| !text.contains("They may then ask for it")).await.unwrap();
    assert!(house.client(TOMAS).eligible().await.unwrap().eligible.iter().any(|one| one.right == right));
    mara.press("Take out").await.unwrap();
    mara.press(&format!("Take {TOMAS} out")).await.unwrap();
    mara.says("Nobody belongs to tide-watch yet").await.unwrap();
    assert_eq!(members().await, [] as [&str; 0]);

    mara.page("/estate?at=/analytics/brightwater/lake").await.unwrap();
    mara.press("Add a rule here").await.unwrap();
    mara.choose("How its time may start", "as said here").await.unwrap();
    mara.write("When the holder begins, within", "45m").await.unwrap();
    mara.at("//label[contains(., 'at the yes, or at once')]/input").await.unwrap().click().await.unwrap();
    let set = async || {
        mara.press("Show whom it touches").await.unwrap();
        mara.at("//label[contains(., 'I have looked')]/input").await.unwrap().click().await.unwrap();
        mara.press("Set it").await.unwrap();
    };
    assert_eq!(mara.axe().await.unwrap(), Vec::<String>::new());
    set().await;
    mara.says("when the holder begins, within 45 min").await.unwrap();
    mara.press("Add a rule here").await.unwrap();
    mara.choose("For what is done", "being made eligible").await.unwrap();
    mara.choose("Approval", "nobody need be asked").await.unwrap();
    set().await;
    mara.until("both are set", |text| text.matches("Change").count() >= 2).await.unwrap();
    let rules = api.terms().await.unwrap().terms;
    let here: Vec<_> = rules.iter().filter(|one| one.rule.scope.ends_with("/lake")).collect();
    let acts: BTreeMap<Act, usize> = here.iter().fold(BTreeMap::new(), |mut acts, one| {
        *acts.entry(one.rule.act).or_default() += 1;
        acts
    });
    assert_eq!(acts, BTreeMap::from([(Act::Elevate, 1), (Act::BeMadeEligible, 1)]));
    let starts = here.iter().find_map(|one| one.rule.settings.starts.clone()).unwrap();
    assert_eq!((starts.at_yes, starts.begin_within.map(|span| span.0)), (false, Some(45 * 60)));
    for browser in [&mara, &ines] {
        assert_eq!(browser.wrongs().await.unwrap(), Vec::<String>::new());
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn an_ask_without_a_start_begins_as_the_terms_say_it_may() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let tomas = house.client(TOMAS);
    end_the_house_rule(&house).await;
    let set = async |starts: &str| {
        let rule = format!(
            "scope = \"/analytics/brightwater/lake\"\n[settings]\nreason = {{ is = \"optional\" }}\nstarts = {{ {starts} }}\n"
        );
        house.client(MARA).add_terms(&toml::from_str(&rule).unwrap()).await.unwrap()
    };
    let preview = tempestas_api::PreviewRequest { right: right.clone(), duration: None, start: None, glass: false };
    let demand = tomas.preview_ask(&preview).await.unwrap();
    assert!(
        matches!((demand.wants.reason, &demand.wants.ticket), (ReasonRule::Required { .. }, ReferenceRule::Off)),
        "{demand:?}"
    );
    for (starts, said, begins) in [
        ("at_yes = true, begin_within = 60", "the time runs", Some("at-yes")),
        ("at_yes = false, begin_within = 60, at_time_within = 60", "when you begin, within 1 min", Some("on-begin")),
        ("at_yes = false, at_time_within = 60", "from when you set it to", None),
    ] {
        let rule = set(starts).await;
        let demand = tomas.preview_ask(&preview).await.unwrap();
        assert!(demand.sentence.contains(said), "{starts}: {}", demand.sentence);
        let ask = tempestas_api::AskRequest {
            right: right.clone(),
            duration: None,
            start: None,
            glass: false,
            brings: tempestas_api::Brings::default(),
            shown: demand.digest,
        };
        match (tomas.ask(&ask).await, begins) {
            (Ok(asked), Some(begins)) => assert_eq!(json!(asked.start)["start"], begins),
            (Err(refused), None) => assert!(refused.to_string().contains("say when it starts"), "{refused}"),
            other => panic!("{starts}: {other:?}"),
        }
        house.client(MARA).end_terms(&rule.id).await.unwrap();
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn several_asks_are_answered_at_once_and_each_says_what_became_of_it() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    let rule = "scope = \"/analytics/brightwater/lake\"\n[settings]\n\
        approval = { is = \"stage\", approvers = [\"mara.lindqvist\"], yes = 1, no = 1, within = 3600 }\n";
    house.client(MARA).add_terms(&toml::from_str(rule).unwrap()).await.unwrap();
    let mut asked = Vec::new();
    for who in [TOMAS, ODA] {
        house.eligible(who, &right).await;
        asked.push(house.ask(who, &right, 600).await.unwrap().id);
    }
    asked.push(house.ask(TOMAS, &on_cloud("tide-writer", "/lake/raw"), 600).await.unwrap().id);
    let mara = house.browser(MARA).await;
    mara.page("/answer").await.unwrap();
    mara.at("//label[contains(., 'pick all')]/input").await.unwrap().click().await.unwrap();
    mara.says("3 picked").await.unwrap();
    mara.press("Yes to all").await.unwrap();
    mara.says("Yes to 3 asks").await.unwrap();
    assert_eq!(mara.axe().await.unwrap(), Vec::<String>::new());
    // One is taken back while they are looked at.
    house.client(ODA).withdraw(&asked[1]).await.unwrap();
    mara.press("Send ").await.unwrap();
    // By when the page has heard of that, it says so of the ask, or asks for two answers alone.
    mara.until("each says what became of it", |text| {
        let dropped = text.contains("withdrawn") || text.contains("Yes to 2 asks");
        dropped && text.matches("answered; it is").count() == 2
    })
    .await
    .unwrap();
    mara.press("Close").await.unwrap();
    for id in [&asked[0], &asked[2]] {
        house.live(id).await;
    }
    assert_eq!(mara.wrongs().await.unwrap(), Vec::<String>::new());
}
