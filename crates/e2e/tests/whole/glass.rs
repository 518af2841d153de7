//! Breaking the glass on a real cloud, and signing off what was done: by the few, by others, and across a start of the service.

use tempestas_api::{
    AlarmView, AskRequest, Brings, DebriefFilter, DebriefRequest, ElevationView, NewTerms, PreviewRequest,
};
use tempestas_client::ClientError;
use tempestas_core::{Finding, Seconds};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::{
    console::{add_passkey, reference},
    house::{HENRIK, House, INES, MARA, ODA, Plan, TOMAS, ask, eventually, on_cloud},
};

/// What nobody could have at this hour, but for one of the few.
const RULE: &str = r#"
[settings]
hours = [{ zone = "UTC", open = ["sun 03:00-03:01"] }]
ticket = { is = "required" }
approval = { is = "stage", approvers = ["oda.brandt"], yes = 1, no = 1, within = 3600 }
glass = { by = ["tomas.reyes"], accepts = ["totp-code", "passkey"] }
"#;

impl House {
    async fn few(&self, more: &str) {
        let rule: NewTerms = toml::from_str(&format!("scope = \"{BRIGHTWATER}\"\n{RULE}{more}")).unwrap();
        self.client(MARA).add_terms(&rule).await.unwrap();
    }

    async fn break_glass(&self, who: &str, right: &str) -> Result<ElevationView, ClientError> {
        let (right, duration) = (right.to_owned(), Some(Seconds(600)));
        let preview = PreviewRequest { right: right.clone(), duration, start: None, glass: true };
        let demand = self.client(who).preview_ask(&preview).await?;
        assert!(demand.glass && demand.stages.is_empty() && demand.sentence.starts_with("To break the glass"));
        let brings = Brings::reason("the lake runs over, raw files must go");
        let request = AskRequest { right, duration, start: None, glass: true, brings, shown: demand.digest };
        self.client(who).ask(&request).await
    }

    async fn debriefs(&self, who: &str, all: bool) -> Vec<String> {
        let found = self.client(who).debriefs(&DebriefFilter { all }).await.unwrap();
        found.into_iter().map(|one| one.id).collect()
    }

    async fn sign(&self, who: &str, id: &str, finding: Finding) -> Result<ElevationView, ClientError> {
        let word = (finding == Finding::NotInOrder).then(|| "a key was left in the yard".to_owned());
        self.client(who).debrief(id, &DebriefRequest { finding, word }).await
    }

    async fn open_alarms(&self, kind: &str) -> Vec<AlarmView> {
        let all = self.client(MARA).alarms().await.unwrap();
        all.into_iter().filter(|alarm| alarm.settled.is_none() && alarm.kind == kind).collect()
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn one_of_the_few_holds_it_at_once_loudly_and_another_looks_at_what_was_done() {
    let mut house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    for who in [TOMAS, ODA] {
        house.eligible(who, &right).await;
    }
    house.few("").await;
    let refused = house.break_glass(ODA, &right).await.unwrap_err();
    assert_eq!(refused.cause(), Some("glass-not-yours"), "{refused}");
    let broken = house.break_glass(TOMAS, &right).await.unwrap();
    let live = house.live(&broken.id).await.elevation;
    assert!(live.glass && live.debrief.is_none());
    assert_eq!(house.cloud_marks().await, 1);
    let [alarm] = &house.open_alarms("glass-broken").await[..] else { panic!("nobody hears of it") };
    assert!(alarm.says.starts_with("tomas.reyes broke the glass for ") && !alarm.may_settle, "{}", alarm.says);

    house.client(TOMAS).give_back(&broken.id).await.unwrap();
    let over = house.over(&broken.id).await.elevation;
    assert_eq!(house.cloud_marks().await, 0);
    let debrief = over.debrief.unwrap();
    let by = |who: &str| debrief.by.iter().any(|name| name == who);
    assert!(debrief.for_me && by(MARA) && by(HENRIK) && !by(TOMAS), "{:?}", debrief.by);
    assert_eq!(house.debriefs(MARA, false).await, std::slice::from_ref(&broken.id));
    for (who, all) in [(TOMAS, false), (ODA, false), (ODA, true), (INES, false)] {
        assert_eq!(house.debriefs(who, all).await, Vec::<String>::new(), "{who}");
    }
    // Whoever sees the whole house sees that it waits; the holder, that theirs does.
    for who in [INES, TOMAS] {
        assert_eq!(house.debriefs(who, true).await, std::slice::from_ref(&broken.id));
    }

    house.service.kill();
    house.start_again(&[]);
    let own = house.sign(TOMAS, &broken.id, Finding::InOrder).await.unwrap_err();
    assert_eq!(own.cause(), Some("own-debrief"), "{own}");
    let unasked = house.sign(INES, &broken.id, Finding::InOrder).await.unwrap_err();
    assert_eq!(unasked.cause(), Some("not-your-debrief"), "{unasked}");
    let unseen = house.sign(ODA, &broken.id, Finding::InOrder).await.unwrap_err();
    assert_eq!(unseen.code(), Some("unknown"), "{unseen}");
    assert_eq!(house.open_alarms("glass-broken").await.len(), 1, "it stays loud until somebody has looked");
    let signed = house.sign(MARA, &broken.id, Finding::InOrder).await.unwrap().debrief.unwrap().signed.unwrap();
    assert_eq!((signed.who.as_str(), signed.finding), (MARA, Finding::InOrder));
    assert_eq!(house.open_alarms("glass-broken").await.len(), 0);
    assert_eq!(house.debriefs(MARA, true).await, Vec::<String>::new());
}

#[tokio::test(flavor = "multi_thread")]
async fn what_was_not_in_order_is_an_alarm_with_the_word_where_the_elevation_is_shown() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("harbour-warden", "/reports");
    house.eligible(TOMAS, &right).await;
    let rule = format!(
        "scope = \"{BRIGHTWATER}\"\n[settings.debrief]\nis = \"wanted\"\nby = [\"{ODA}\"]\nwithin = 86400\n\
         higher = [\"administrators\"]\n"
    );
    house.client(MARA).add_terms(&toml::from_str(&rule).unwrap()).await.unwrap();
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    assert!(asked.demand.contains("then what was done is looked at by oda.brandt, within 1 d"), "{}", asked.demand);
    house.live(&asked.id).await;
    house.client(TOMAS).give_back(&asked.id).await.unwrap();
    house.over(&asked.id).await;
    // Oda has no duty there, and sees what she is asked to look at.
    let waits = house.client(ODA).me().await.unwrap().waiting_for_me;
    assert_eq!((house.debriefs(ODA, false).await, waits), (vec![asked.id.clone()], 1));
    let signed = house.sign(ODA, &asked.id, Finding::NotInOrder).await.unwrap();
    assert_eq!(signed.debrief.unwrap().signed.unwrap().word.as_deref(), Some("a key was left in the yard"));
    let [alarm] = &house.open_alarms("not-in-order").await[..] else { panic!("nobody hears of it") };
    assert!(!alarm.says.contains("a key was left"), "{}", alarm.says);
    house.client(MARA).settle_alarm(&alarm.id).await.unwrap();
    eventually("it is settled", async || house.open_alarms("not-in-order").await.is_empty()).await;
    assert_eq!(house.client(ODA).me().await.unwrap().waiting_for_me, 0);
    let again = ask(house.client(TOMAS), &right, Some(600), tempestas_core::StartChoice::AtYes, None).await.unwrap();
    assert!(!again.glass);
}

#[tokio::test(flavor = "multi_thread")]
async fn with_a_passkey_alone_it_is_broken_in_a_browser_and_signed_off_in_another() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let rule = format!("scope = \"{BRIGHTWATER}\"\n[settings]\nglass = {{ by = [\"{TOMAS}\"] }}\n");
    house.client(MARA).add_terms(&toml::from_str(&rule).unwrap()).await.unwrap();
    let code = house.break_glass(TOMAS, &right).await.unwrap_err();
    assert!(code.code() == Some("step-up") && !code.is_mended_by_a_code(), "{code}");

    let tomas = house.browser(TOMAS).await;
    add_passkey(&tomas).await;
    tomas.page(&format!("/ask?right={right}")).await.unwrap();
    tomas.press("Break the glass …").await.unwrap();
    tomas.says("It is an alarm, and somebody else looks at what you did").await.unwrap();
    tomas.write("Reason", "the lake runs over, raw files must go").await.unwrap();
    tomas.says("You will be asked for a passkey").await.unwrap();
    tomas.press("Break the glass for 1 h").await.unwrap();
    tomas.press("Use your passkey").await.unwrap();
    let id = reference(&tomas).await;
    tomas.says("The glass was broken for it").await.unwrap();
    house.live(&id).await;
    tomas.press("Give back now").await.unwrap();
    tomas.says("Is to be looked at by").await.unwrap();

    let mara = house.browser(MARA).await;
    mara.page("/answer").await.unwrap();
    mara.says("1 debrief waits for your answer").await.unwrap();
    mara.press("Look at it").await.unwrap();
    mara.at("//label[normalize-space(.) = 'in order']/input").await.unwrap().click().await.unwrap();
    mara.press("Sign it off").await.unwrap();
    mara.says("and found it in order").await.unwrap();
    assert_eq!(house.open_alarms("glass-broken").await.len(), 0);
}
