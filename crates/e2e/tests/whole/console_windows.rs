//! The console, in headless Chromium: who may ask from when until when, cover for an absence, systems by label, and
//! systems let go.

use crate::house::{House, MARA, ODA, Plan, TOMAS, on_cloud};

#[tokio::test(flavor = "multi_thread")]
async fn an_absence_is_covered_after_a_yes_and_what_is_suspended_says_so_in_three_browsers() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let (mara, tomas, oda) = tokio::join!(house.browser(MARA), house.browser(TOMAS), house.browser(ODA));
    tomas.page(&format!("/person/{TOMAS}")).await.unwrap();
    tomas.press("Have somebody stand in").await.unwrap();
    tomas.write("Who stands in", ODA).await.unwrap();
    tomas.write("Why", "Away at the dry dock").await.unwrap();
    assert_eq!(tomas.axe().await.unwrap(), Vec::<String>::new());
    tomas.press("Have them stand in").await.unwrap();
    tomas.says("waiting").await.unwrap();

    oda.page("/ask").await.unwrap();
    mara.page("/answer").await.unwrap();
    mara.says("Away at the dry dock").await.unwrap();
    mara.press("Yes …").await.unwrap();
    mara.press("Say yes").await.unwrap();
    tomas.says("in force").await.unwrap();
    oda.says("/lake").await.unwrap();
    tomas.press("Account …").await.unwrap();
    tomas.says("Nothing was asked for by it.").await.unwrap();

    mara.page(&format!("/person/{TOMAS}")).await.unwrap();
    mara.press("Suspend …").await.unwrap();
    mara.write("Why", "until the audit is over").await.unwrap();
    mara.at("//*[@role='dialog']//button[normalize-space(.)='Suspend']").await.unwrap().click().await.unwrap();
    mara.says("until the audit is over").await.unwrap();
    assert_eq!(mara.axe().await.unwrap(), Vec::<String>::new());
    tomas.page("/ask").await.unwrap();
    tomas.says("is suspended since").await.unwrap();
    tomas.says("until the audit is over").await.unwrap();
    mara.press("Resume").await.unwrap();
    tomas.until("it may be asked for again", |text| !text.contains("is suspended since")).await.unwrap();
    for browser in [&mara, &tomas, &oda] {
        assert_eq!(browser.wrongs().await.unwrap(), Vec::<String>::new());
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_system_is_labelled_counted_by_its_label_and_let_go_in_the_browser() {
    let house = House::new(Plan::cloud_only()).await;
    let mara = house.browser(MARA).await;
    let settings = "//main//button[normalize-space(.)='Settings']";
    mara.page("/settings").await.unwrap();
    mara.at(settings).await.unwrap().click().await.unwrap();
    mara.write("Labels", "stage=trial, quay").await.unwrap();
    mara.says("Write it like stage=production, quay=north").await.unwrap();
    mara.write("Labels", "stage=trial, quay=south").await.unwrap();
    mara.press("Save").await.unwrap();
    mara.says("quay=south").await.unwrap();

    mara.page("/standing").await.unwrap();
    mara.at("//label[contains(normalize-space(.), 'stage=trial')]/input").await.unwrap().click().await.unwrap();
    let all = house.client(MARA).standing(&Default::default()).await.unwrap();
    mara.says(&format!("{} rights", all.len())).await.unwrap();
    let picked = mara.script("return new URLSearchParams(location.search).get('label')").await.unwrap();
    assert_eq!(picked, "stage=trial");

    mara.page("/settings").await.unwrap();
    mara.at(settings).await.unwrap().click().await.unwrap();
    mara.write("Why", "moved to another house").await.unwrap();
    assert_eq!(mara.axe().await.unwrap(), Vec::<String>::new());
    mara.press("Let it go").await.unwrap();
    mara.says("No system is connected yet").await.unwrap();
    assert!(house.client(MARA).targets().await.unwrap().is_empty());
    mara.page("/standing").await.unwrap();
    mara.says("No standing rights are known").await.unwrap();
    assert_eq!(mara.wrongs().await.unwrap(), Vec::<String>::new());
    assert!(house.rebuild().0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rule_is_narrowed_by_typed_labels_and_a_change_that_came_between_is_said() {
    let house = House::new(Plan::cloud_only()).await;
    let api = house.client(MARA);
    let rule = "scope = \"/analytics/brightwater\"\n[attributes]\nsite = \"north quay\"\n[settings]\nlongest = 7200\n";
    let set = api.add_terms(&toml::from_str(rule).unwrap()).await.unwrap();
    let present = async || api.terms().await.unwrap().terms.into_iter().find(|one| one.id == set.id).unwrap();
    let mara = house.browser(MARA).await;
    let change = async |longest: &str| {
        mara.page("/estate?at=/analytics/brightwater").await.unwrap();
        mara.says("on systems that call themselves").await.unwrap();
        let button = format!("//li[.//*[normalize-space(.)='{}']]//button[normalize-space(.)='Change']", set.id);
        mara.at(&button).await.unwrap().click().await.unwrap();
        mara.write("Longest", longest).await.unwrap();
    };
    let save = async || {
        mara.press("Show whom it touches").await.unwrap();
        mara.at("//label[contains(., 'I have looked')]/input").await.unwrap().click().await.unwrap();
        mara.press("Change it").await.unwrap();
    };
    change("90m").await;
    mara.write("On systems labelled", "stage=trial, quay").await.unwrap();
    mara.says("Write it like stage=production, quay=north").await.unwrap();
    mara.write("On systems labelled", "stage=trial, quay=south").await.unwrap();
    save().await;
    mara.says("quay=south").await.unwrap();
    let now = present().await;
    let named = |all: &std::collections::BTreeMap<String, String>| {
        all.iter().map(|(name, value)| format!("{name}={value}")).collect::<Vec<_>>().join(" ")
    };
    assert_eq!(named(&now.rule.labels), "quay=south stage=trial");
    assert_eq!(named(&now.rule.attributes), "site=north quay", "what was not touched stays");
    assert_eq!(now.rule.settings.longest, Some(tempestas_core::Seconds::minutes(90)));

    // Somebody else is quicker.
    change("80m").await;
    let mut other = now.rule.clone();
    other.settings.longest = Some(tempestas_core::Seconds::minutes(45));
    api.change_terms(&set.id, tempestas_core::LookedAt::This(now.digest), &other).await.unwrap();
    save().await;
    mara.says(&format!("{} was changed since you looked at it", set.id)).await.unwrap();
    assert_eq!(present().await.rule.settings.longest, Some(tempestas_core::Seconds::minutes(45)));
}
