//! The console, in headless Chromium: the same story, done by people who look rather than type.

use reqwest::Method;
use serde_json::json;
use tempestas_api::{NewDuty, NewTerms, StandingFilter, WaitQuery};
use tempestas_core::{DutyKind, StartChoice};
use tempestas_demo::{
    cluster,
    codes::code_at,
    facts::Person,
    run::{Demo, Past},
    seed,
};
use tempestas_e2e::browser::Browser;

use crate::house::{HENRIK, House, MARA, ODA, Plan, TOMAS, ask, on_berths, on_cloud};

impl House {
    /// A browser in which somebody is signed in.
    pub async fn browser(&self, who: &str) -> Browser {
        let browser = Browser::open(&self.service.address).await.unwrap();
        browser.sign_in(self.person(who), self.path()).await.unwrap();
        browser
    }

    /// Lets somebody enrol who has no part in the sample world, and opens their browser.
    async fn newcomer(&self, name: &str) -> Browser {
        let secret = self.client(MARA).enrolment(name).await.unwrap().secret;
        let person = seed::enrol(self.client("nobody"), "newcomer", &secret).await.unwrap();
        let browser = Browser::open(&self.service.address).await.unwrap();
        browser.sign_in(&person, self.path()).await.unwrap();
        browser
    }

    async fn state(&self, id: &str) -> String {
        self.client(MARA).elevation(id, &WaitQuery::default()).await.unwrap().elevation.state
    }
}

pub const REASON: &str = "N2 stays blocked after the crane repair";

/// Chooses a right on the page, gives the reason, and asks. Returns the reference.
async fn ask_for(browser: &Browser, right: &str) -> String {
    browser.page(&format!("/ask?right={right}")).await.unwrap();
    browser.write("Reason", REASON).await.unwrap();
    browser.press("Ask for 1 h").await.unwrap();
    reference(browser).await
}

/// The reference that the elevation's page begins with.
/// Adds a passkey of an authenticator that knows its user, and says which that is.
pub async fn add_passkey(browser: &Browser) -> serde_json::Value {
    browser.command("WebAuthn.enable", json!({})).await.unwrap();
    let authenticator = json!({ "options": {
        "protocol": "ctap2", "transport": "internal", "hasResidentKey": true,
        "hasUserVerification": true, "isUserVerified": true, "automaticPresenceSimulation": true,
    } });
    let made = browser.command("WebAuthn.addVirtualAuthenticator", authenticator).await.unwrap();
    browser.page("/settings?part=own").await.unwrap();
    browser.write("What to call it", "the laptop at pier 7").await.unwrap();
    browser.press("Add a passkey").await.unwrap();
    browser.says("the laptop at pier 7").await.unwrap();
    made["authenticatorId"].clone()
}

pub async fn reference(browser: &Browser) -> String {
    let heading = browser.at("//h1[starts-with(normalize-space(.), 'E1')]").await.unwrap();
    heading.text().await.unwrap().split(':').next().unwrap().to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_whole_story_is_done_in_browsers_side_by_side_and_nobody_reloads() {
    let house = House::new(Plan::whole()).await;
    let (mara, tomas, oda) = tokio::join!(house.browser(MARA), house.browser(TOMAS), house.browser(ODA));
    mara.page("/standing?q=treyes+harbour_operator&way=directly").await.unwrap();
    mara.at("//div[@role='row']//input[starts-with(@aria-label, 'Pick h')]").await.unwrap().click().await.unwrap();
    mara.says("tomas.reyes may ask for harbour_operator@/harbour/databases/berths").await.unwrap();
    mara.press("Convert 1 right").await.unwrap();
    mara.says("1 taken away").await.unwrap();

    oda.page("/answer").await.unwrap();
    oda.says("Nothing waits for your answer.").await.unwrap();
    let id = ask_for(&tomas, &on_berths("harbour_operator")).await;
    tomas.says("waits for oda.brandt or piet.sol").await.unwrap();
    oda.says(REASON).await.unwrap();
    oda.says("What would change").await.unwrap();
    oda.press("Yes").await.unwrap();
    oda.press("Send the yes").await.unwrap();
    tomas.says("is live").await.unwrap();

    tomas.press("Show me how").await.unwrap();
    tomas.press("Show").await.unwrap();
    let value = async |label: &str| {
        let xpath = format!("//span[normalize-space(.)='{label}']/following::code[1]");
        tomas.at(&xpath).await.unwrap().text().await.unwrap()
    };
    let (user, password) = (value("Login").await, value("Password").await);
    let sql = cluster::connect(house.cluster().port, &user, &password, "berths").await.unwrap();
    sql.batch_execute("UPDATE berths SET vessel = 'Grey Petrel' WHERE name = 'N2'").await.unwrap();
    tomas.press("Give back now").await.unwrap();
    tomas.says("was given back").await.unwrap();
    tomas.says("Read back as gone; no leftovers found.").await.unwrap();
    sql.batch_execute("SELECT 1").await.expect_err("the open session was ended");

    mara.press("Undo").await.unwrap();
    mara.press("Undo it").await.unwrap();
    mara.says("1 put back").await.unwrap();
    mara.page(&format!("/record?elevation={id}")).await.unwrap();
    mara.press(&format!("asked {id}")).await.unwrap();
    mara.press("Check its proof here").await.unwrap();
    mara.says("stands, byte for byte").await.unwrap();
    for browser in [&mara, &tomas, &oda] {
        assert_eq!(browser.wrongs().await.unwrap(), Vec::<String>::new());
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_passkey_signs_in_and_steps_up_in_the_middle_of_an_ask() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let fresh: NewTerms =
        toml::from_str("scope = \"/analytics/brightwater\"\n[settings]\nassurance = 2\nusual = 3600\n").unwrap();
    let browser = house.browser(TOMAS).await;
    let authenticator = add_passkey(&browser).await;
    browser.press(TOMAS).await.unwrap();
    browser.press("Sign out").await.unwrap();
    browser.press("Sign in with a passkey").await.unwrap();
    browser.says("live and nothing overdue").await.unwrap();

    house.client(MARA).add_terms(&fresh).await.unwrap();
    browser.page(&format!("/ask?right={right}")).await.unwrap();
    browser.write("Reason", REASON).await.unwrap();
    browser.says("You will be asked for a fresh proof").await.unwrap();
    // An authenticator that doesn't know its user is no proof.
    let verified = |yes: bool| json!({ "authenticatorId": authenticator, "isUserVerified": yes });
    browser.command("WebAuthn.setUserVerified", verified(false)).await.unwrap();
    browser.press("Ask for 1 h").await.unwrap();
    browser.press("Use your passkey").await.unwrap();
    browser.says("The authenticator said nothing").await.unwrap();
    browser.command("WebAuthn.setUserVerified", verified(true)).await.unwrap();
    browser.press("Use your passkey").await.unwrap();
    let id = reference(&browser).await;
    let asked = house.client(MARA).elevation(&id, &WaitQuery::default()).await.unwrap().elevation;
    assert_eq!(asked.brought.reason.as_deref(), Some(REASON), "what was typed went along");

    browser.page("/settings?part=own").await.unwrap();
    browser.press("Drop").await.unwrap();
    browser.says("You have none.").await.unwrap();
    browser.press(TOMAS).await.unwrap();
    browser.press("Sign out").await.unwrap();
    browser.press("Sign in with a passkey").await.unwrap();
    browser.says("This passkey is not known here").await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_link_in_a_mail_lands_where_it_leads_signed_in_or_after_signing_in() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let id = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap().id;
    let browser = house.browser(TOMAS).await;
    let mail =
        format!("data:text/html,<title>mail</title><h1>mail</h1><a href='{}/elevation/{id}'>look</a>", browser.origin);
    let follow = async |browser: &Browser| {
        browser.web.goto(&mail).await.unwrap();
        browser.press("look").await.unwrap();
    };
    follow(&browser).await;
    assert_eq!(reference(&browser).await, id);
    let stranger = Browser::open(&house.service.address).await.unwrap();
    follow(&stranger).await;
    stranger.fill_sign_in(house.person(TOMAS), house.path()).await.unwrap();
    assert_eq!(reference(&stranger).await, id, "the sign-in leads on to where the link led");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_approver_says_yes_to_less_by_keyboard_and_the_asker_sees_what_is_left() {
    let house = House::new(Plan::whole()).await;
    house.eligible(TOMAS, &on_berths("harbour_operator")).await;
    let (tomas, oda) = tokio::join!(house.browser(TOMAS), house.browser(ODA));
    let id = ask_for(&tomas, &on_berths("harbour_operator")).await;
    // From anywhere: the palette finds the ask by its reference.
    oda.keys("\u{e009}k").await.unwrap();
    oda.at("//input[@role='combobox']").await.unwrap();
    oda.keys(&id).await.unwrap();
    oda.says(&format!("{TOMAS}: harbour_operator@")).await.unwrap();
    oda.keys("\u{e007}").await.unwrap();
    assert_eq!(reference(&oda).await, id);
    oda.press("Answer it").await.unwrap();
    oda.says("What would change").await.unwrap();
    oda.keys("l").await.unwrap();
    oda.write("For at most", "20m").await.unwrap();
    oda.write("A word, if you like", "twenty minutes will do").await.unwrap();
    oda.press("Send yes to less").await.unwrap();
    tomas.says("An approver said yes to less").await.unwrap();
    tomas.says("for 1 h; it is harbour_operator@/harbour/databases/berths for 20 min").await.unwrap();
    tomas.says("is live").await.unwrap();
    let grant = house.live(&id).await.elevation;
    assert_eq!((grant.duration.0, grant.asked.unwrap().duration.0), (1200, 3600));
}

#[tokio::test(flavor = "multi_thread")]
async fn two_approvers_at_the_same_instant_settle_an_ask_once_and_both_are_told() {
    let house = House::new(Plan::whole()).await;
    house.eligible(TOMAS, &on_berths("harbour_operator")).await;
    let (oda, piet) = tokio::join!(house.browser(ODA), house.newcomer("piet.sol"));
    let id = house.ask(TOMAS, &on_berths("harbour_operator"), 3600).await.unwrap().id;
    for browser in [&oda, &piet] {
        browser.page(&format!("/answer?ask={id}")).await.unwrap();
        browser.says("What would change").await.unwrap();
        browser.press("Yes").await.unwrap();
        browser.at("//button[contains(., 'Send the yes')]").await.unwrap();
    }
    let (first, second) = tokio::join!(oda.press("Send the yes"), piet.press("Send the yes"));
    assert!(first.is_ok() || second.is_ok());
    let settled = |text: &str| {
        text.contains("Nothing waits for your answer")
            || text.contains("doesn’t wait for your answer")
            || text.contains("Settled meanwhile")
    };
    oda.until("that it is settled", settled).await.unwrap();
    piet.until("that it is settled", settled).await.unwrap();
    let answers = house.live(&id).await.elevation.rounds.remove(0).stages.remove(0).answers;
    assert_eq!(answers.len(), 1, "one yes settled it");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sign_in_that_ends_in_mid_form_loses_nothing_that_was_typed() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let browser = house.browser(TOMAS).await;
    browser.page(&format!("/ask?right={right}")).await.unwrap();
    browser.write("Reason", REASON).await.unwrap();
    let all = house.client(TOMAS).sign_ins().await.unwrap();
    for one in all.iter().filter(|one| one.kind == "browser") {
        house.client(TOMAS).end_sign_in(&one.id.to_string()).await.unwrap();
    }
    browser.press("Ask for 1 h").await.unwrap();
    browser.says("Your sign-in has ended").await.unwrap();
    browser.says("Nothing you typed is lost").await.unwrap();
    browser.fill_sign_in(house.person(TOMAS), house.path()).await.unwrap();
    let id = reference(&browser).await;
    let asked = house.client(MARA).elevation(&id, &WaitQuery::default()).await.unwrap().elevation;
    assert_eq!(asked.brought.reason.as_deref(), Some(REASON));
}

#[tokio::test(flavor = "multi_thread")]
async fn stop_is_pressed_on_a_phone_reaches_everybody_and_is_lifted_by_two() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let held = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 3600).await.unwrap();
    house.live(&held.id).await;
    let (phone, tomas, henrik) = tokio::join!(house.browser(MARA), house.browser(TOMAS), house.browser(HENRIK));
    phone.size(390, 844).await.unwrap();
    tomas.page(&format!("/elevation/{}", held.id)).await.unwrap();
    phone.press("Stop").await.unwrap();
    phone.write("Why, for those it reaches to read", "an odd sign-in at night").await.unwrap();
    phone.press("Stop everything now").await.unwrap();
    phone.says("1 elevation ended").await.unwrap();
    tomas.says("Stopped: everything.").await.unwrap();
    tomas.says("was revoked").await.unwrap();
    assert_eq!(house.state(&held.id).await, "revoked");
    let barred = ask(house.client(TOMAS), &on_cloud("tide-writer", "/lake"), Some(60), StartChoice::AtYes, None).await;
    assert!(barred.unwrap_err().to_string().contains("an odd sign-in at night"));

    phone.press("Close").await.unwrap();
    let oda = NewDuty { who: ODA.to_owned(), duty: DutyKind::Administrator, scope: "/".to_owned() };
    house.client(MARA).give_duty(&oda).await.unwrap();
    let stop = house.client(ODA).stops().await.unwrap().remove(0);
    house.client(ODA).lift_stop(&stop.id).await.unwrap();
    phone.says("one more must agree").await.unwrap();
    // Mara made Oda an administrator a moment ago, so theirs would be one voice, whoever spoke first.
    phone.press("Agree, and lift it").await.unwrap();
    phone.says("are not two voices").await.unwrap();
    henrik.press("Agree, and lift it").await.unwrap();
    tomas.until("that it is lifted", |text| !text.contains("Stopped: everything.")).await.unwrap();
    house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 60).await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_lost_connection_is_said_and_mended_without_a_reload() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let browser = house.browser(TOMAS).await;
    browser.says("You hold nothing and wait for nothing").await.unwrap();
    house.service.stop().unwrap();
    browser.says("The connection is lost").await.unwrap();
    house.start_again(&[]);
    browser.until("that it is back", |text| !text.contains("The connection is lost")).await.unwrap();
    house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 3600).await.unwrap();
    browser.says("1 live").await.unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn a_conversion_is_rehearsed_begun_with_a_pilot_and_undone_in_the_browser() {
    let house = House::new(Plan::cloud_only()).await;
    let all = house.client(MARA).standing(&StandingFilter::default()).await.unwrap();
    let held = |account: &str, role: &str| all.iter().find(|one| one.account == account && one.role == role).unwrap();
    let (writer, batch) = (&held("t.reyes", "tide-writer").id, &held("night-batch", "tide-writer").id);
    let mara = house.browser(MARA).await;
    mara.size(1280, 800).await.unwrap();
    mara.page(&format!("/standing?pick={writer}&pick={batch}")).await.unwrap();
    mara.says("A program works with it").await.unwrap();
    mara.press("Rehearse").await.unwrap();
    mara.says("What night-batch starts every day at 02:15").await.unwrap();
    mara.says("Whom to talk to").await.unwrap();
    // What lies half below the bar at the top is no target of its size.
    mara.script("scrollTo(0, 0)").await.unwrap();
    assert_eq!(mara.axe().await.unwrap(), Vec::<String>::new());
    mara.at(&format!("//input[@aria-label='{writer} goes first, in a pilot']")).await.unwrap().click().await.unwrap();
    mara.write("What to call it", "Lake first").await.unwrap();
    mara.press("Begin with 1 right").await.unwrap();
    mara.says("Wave 1 of 2, read back whole").await.unwrap();
    assert!(!house.may(&house.cloud_key("t.reyes"), "write", "table", &["lake"]).await);
    assert!(house.may(&house.cloud_key("night-batch"), "write", "table", &["reports"]).await, "its wave has not begun");
    mara.press("Begin wave 2").await.unwrap();
    mara.says(": 2 taken away").await.unwrap();
    mara.press("Undo").await.unwrap();
    mara.press("Undo it").await.unwrap();
    mara.says("2 put back; undone").await.unwrap();
    assert!(house.may(&house.cloud_key("night-batch"), "write", "table", &["reports"]).await);
}

#[tokio::test(flavor = "multi_thread")]
async fn an_empty_service_leads_its_first_administrator_through_the_first_day() {
    let house = House::new(Plan::cloud_only()).await;
    // A second service, with nothing in it, beside the same cloud.
    let directory = house.path().join("new");
    let setup = tempestas_demo::daemon::Setup {
        directory: directory.clone(),
        address: std::net::IpAddr::V4(std::net::Ipv4Addr::LOCALHOST),
        port: 0,
        first_administrator: "noor.haas".to_owned(),
        more: String::new(),
    };
    setup.write().unwrap();
    let service = setup.start(&[]).unwrap();
    let browser = Browser::open(&service.address).await.unwrap();
    browser.page("/enrol").await.unwrap();
    browser.write("One-time secret", &setup.first_secret().unwrap()).await.unwrap();
    browser.write("New password", "a password for the first day").await.unwrap();
    browser.press("Enrol").await.unwrap();
    let secret = browser.at("//span[.='Secret for codes']/following::code[1]").await.unwrap().text().await.unwrap();
    let noor = Person {
        part: String::new(),
        name: "noor.haas".to_owned(),
        password: "a password for the first day".to_owned(),
        totp_secret: secret,
    };
    assert_eq!(code_at(&noor.totp_secret, 0).unwrap().len(), 6);
    browser.sign_in(&noor, &directory).await.unwrap();

    browser.press("First day").await.unwrap();
    browser.says("Welcome. Five steps").await.unwrap();
    browser.write("Name to sign in by", "henrik.voss").await.unwrap();
    browser.write("Full name, or what it is for", "Henrik Voss").await.unwrap();
    browser.press("Add").await.unwrap();
    browser.press("Issue it").await.unwrap();
    browser.press("Show").await.unwrap();
    let secret = browser.at("//span[.='One-time secret']/following::code[1]").await.unwrap().text().await.unwrap();
    let client = seed::client(&service.address).unwrap();
    seed::enrol(&client, "second", &secret).await.unwrap();
    browser.press("I have handed it over").await.unwrap();
    browser.write("Person or group", "henrik.voss").await.unwrap();
    browser.choose("Duty", "administrator").await.unwrap();
    browser.press("Give").await.unwrap();
    browser.says("1 of five steps done").await.unwrap();

    browser.choose("Kind", "Brightwater").await.unwrap();
    browser.write("Path in the estate", "/analytics/brightwater").await.unwrap();
    browser.write("Address", &house.brightwater.address).await.unwrap();
    browser.write("The broker’s key", &house.cloud_key("tempestas-broker")).await.unwrap();
    browser.press("Connect it").await.unwrap();
    browser.says("2 of five steps done").await.unwrap();
    browser.says("accounts nobody is named for yet").await.unwrap();
    browser.write("Account", "t.reyes").await.unwrap();
    browser.write("Whose it is", "henrik.voss").await.unwrap();
    browser.press("Say so").await.unwrap();
    browser.says("3 of five steps done").await.unwrap();

    browser.write("Person or group", "henrik.voss").await.unwrap();
    browser.page("/estate?at=/").await.unwrap();
    browser.press("Add a rule here").await.unwrap();
    browser.write("Longest", "2h").await.unwrap();
    browser.press("Show whom it touches").await.unwrap();
    browser.says("Changes nothing for anybody who may ask at present").await.unwrap();
    browser.at("//label[contains(., 'I have looked')]/input").await.unwrap().click().await.unwrap();
    browser.press("Set it").await.unwrap();
    browser.says("longest 2 h").await.unwrap();
    browser.page("/settings?part=people").await.unwrap();
    browser.write("Name to sign in by", "ines.kowal").await.unwrap();
    browser.write("Full name, or what it is for", "Ines Kowal").await.unwrap();
    browser.press("Add").await.unwrap();
    browser.says("Ines Kowal").await.unwrap();
    browser.write("Person or group", "ines.kowal").await.unwrap();
    browser.choose("Duty", "auditor").await.unwrap();
    browser.press("Give").await.unwrap();
    browser.says("auditor").await.unwrap();
    browser.page("/first-day").await.unwrap();
    browser.says("4 of five steps done").await.unwrap();
    browser.says("as t.reyes: tide-writer@/analytics/brightwater/lake").await.unwrap();
    browser.press("Choose among them").await.unwrap();
    browser.page("/standing?q=t.reyes").await.unwrap();
    browser.at("//div[@role='row']//input[starts-with(@aria-label, 'Pick h')]").await.unwrap().click().await.unwrap();
    browser.press("Convert 1 right").await.unwrap();
    browser.says("1 taken away").await.unwrap();
    browser.page("/first-day").await.unwrap();
    browser.says("The first day is done").await.unwrap();
    assert_eq!(browser.wrongs().await.unwrap(), Vec::<String>::new());
}

/// Every page, and words it must come to say.
const PAGES: [(&str, &str); 15] = [
    ("/", "In force, by system"),
    ("/?view=table&lanes=person", "Reference"),
    ("/answer", "your answer"),
    ("/standing", "Conversions"),
    ("/estate?at=/harbour/databases/berths", "Comes from"),
    ("/estate?at=/", "Rules of terms"),
    ("/person/elif.tan", "Held all the time"),
    ("/person/night-operations", "Members"),
    ("/record", "Entries, newest first"),
    ("/first-day", "Convert the ten worst"),
    ("/settings", "Connect a system"),
    ("/settings?part=people", "Duties within Tempestas"),
    ("/settings?part=own", "Where you are signed in"),
    ("/device", "The code that the program shows"),
    ("/nowhere", "There is no page at this address"),
];

#[tokio::test(flavor = "multi_thread")]
async fn every_page_is_clean_for_everybody_in_both_themes_and_at_every_width() {
    let _ = rustls::crypto::ring::default_provider().install_default();
    // Beyond a directory that others may pass through, since the cluster runs as another user.
    let house =
        tempfile::Builder::new().permissions(std::os::unix::fs::PermissionsExt::from_mode(0o711)).tempdir().unwrap();
    let directory = house.path().join("demo");
    let address = std::net::IpAddr::V4(std::net::Ipv4Addr::LOCALHOST);
    let demo = Demo::start(&directory, address, Past::Months, |_| ()).await.unwrap();
    let person = |who: &str| demo.facts.person(who).unwrap();
    let browser = Browser::open(&demo.facts.address).await.unwrap();
    let mut wrong = Vec::new();
    let look = async |path: &str, says: &str| {
        browser.web.goto(format!("{}{path}", browser.origin)).await.unwrap();
        browser.says(says).await.unwrap();
        browser.settled().await.unwrap();
        let mut found = Vec::new();
        browser.theme("light").await.unwrap();
        found.extend(browser.axe().await.unwrap().into_iter().map(|one| format!("{path} light: {one}")));
        browser.theme("dark").await.unwrap();
        found.extend(browser.contrast().await.unwrap().into_iter().map(|one| format!("{path} dark: {one}")));
        for (width, height) in [(390, 844), (640, 400), (1280, 800)] {
            browser.size(width, height).await.unwrap();
            let over = browser.script("return document.documentElement.scrollWidth - innerWidth").await.unwrap();
            if over.as_i64() > Some(0) {
                found.push(format!("{path} at {width}: {over} pixels too wide"));
            }
        }
        found.extend(browser.wrongs().await.unwrap().into_iter().map(|one| format!("{path}: {one}")));
        found
    };
    wrong.extend(look("/", "Sign in with a passkey").await);
    wrong.extend(look("/enrol", "One-time secret").await);
    for (who, path, says) in [
        ("oda.brandt", "/answer", "What would change"),
        ("tomas.reyes", "/ask?right=harbour_operator@/harbour/databases/berths", "you need"),
    ] {
        browser.sign_in(person(who), &directory).await.unwrap();
        wrong.extend(look(path, says).await);
        browser.press(who).await.unwrap();
        browser.press("Sign out").await.unwrap();
        browser.says("Sign in with a passkey").await.unwrap();
    }
    browser.sign_in(person("mara.lindqvist"), &directory).await.unwrap();
    for (path, says) in PAGES {
        wrong.extend(look(path, says).await);
    }
    let live = browser.script("return fetch('/api/v1/elevations?all=true').then((reply) => reply.json()).then((all) => all.find((one) => one.state === 'live').id)").await.unwrap();
    wrong.extend(look(&format!("/elevation/{}", live.as_str().unwrap()), "Its story").await);
    // What lies over a page.
    browser.page("/").await.unwrap();
    browser.press("Stop").await.unwrap();
    browser.says("Lifting it takes two").await.unwrap();
    wrong.extend(browser.axe().await.unwrap());
    browser.keys("\u{e00c}").await.unwrap();
    browser.keys("\u{e009}k").await.unwrap();
    browser.at("//input[@role='combobox']").await.unwrap();
    wrong.extend(browser.axe().await.unwrap());
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    demo.stop().unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn the_pages_are_static_files_under_a_strict_policy() {
    let house = House::new(Plan::cloud_only()).await;
    let http = reqwest::Client::new();
    let page = http.get(format!("{}/elevation/E1042", house.service.address)).send().await.unwrap();
    let header = |name: &str| page.headers()[name].to_str().unwrap().to_owned();
    let policy = header("content-security-policy");
    assert!(policy.starts_with("default-src 'none'; script-src 'self'; style-src 'self';"), "{policy}");
    assert!(!policy.contains("unsafe") && policy.contains("frame-ancestors 'none'"), "{policy}");
    assert_eq!(
        (header("cache-control"), header("x-content-type-options")),
        ("no-cache".to_owned(), "nosniff".to_owned())
    );
    let text = page.text().await.unwrap();
    assert!(!text.contains("<style") && !text.contains("<script>") && !text.contains(" on"), "{text}");
    let asset = text.split('"').find(|part| part.starts_with("/assets/")).unwrap().to_owned();
    let asset = http.get(format!("{}{asset}", house.service.address)).send().await.unwrap();
    assert!(asset.headers()["cache-control"].to_str().unwrap().contains("immutable"));
    let missing = http.request(Method::GET, format!("{}/assets/none.js", house.service.address)).send().await.unwrap();
    assert_eq!(missing.status(), 404);
}
