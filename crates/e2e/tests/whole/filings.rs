//! Terms as files: taken away, checked by line and column, compared, put as one and undone as one; and what nobody gets by them.

use std::{collections::BTreeMap, fs, path::Path};

use tempestas_api::{
    Becomes, FilesQuery, NewDuty, PromiseBody, PromisedBody, TermsFiles, TermsTrial, UndoFiling, terms_file_schema,
};
use tempestas_client::ClientError;
use tempestas_core::{Digest, DutyKind, LookedAt, Seconds};
use tempestas_demo::quillhaven::BRIGHTWATER;

use crate::house::{House, INES, MARA, ODA, Plan, TOMAS, on_cloud};

fn refused<T: std::fmt::Debug>(result: Result<T, ClientError>) -> (String, String) {
    match result {
        Err(ClientError::Refused(problem)) => (problem.code, problem.detail),
        other => panic!("{other:?}"),
    }
}

fn files(within: &str, text: &str) -> TermsFiles {
    let files = BTreeMap::from([("port.toml".to_owned(), text.to_owned())]);
    TermsFiles { within: within.to_owned(), files }
}

/// The plan that `compare` says to put.
fn plan(said: &str) -> String {
    said.split("--plan ").nth(1).unwrap_or_else(|| panic!("no plan is named: {said}"))[..64].to_owned()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_directory_is_taken_away_edited_put_and_undone_at_a_terminal() {
    let house = House::new(Plan::cloud_only()).await;
    let home = house.path().join("mara");
    house.sign_in_at_a_terminal(&home, MARA);
    let dir = house.path().join("terms");
    let path = dir.display().to_string();
    let run = |arguments: &[&str]| house.tempestas(&home, &[&["terms"], arguments].concat(), "");
    let well = |arguments: &[&str]| {
        let (exit, text) = run(arguments);
        assert_eq!(exit, 0, "{arguments:?}: {text}");
        text
    };
    let before = house.client(MARA).terms().await.unwrap().terms;

    let text = well(&["export", &path]);
    assert!(text.contains("house.toml") && text.contains("analytics.toml"), "{text}");
    assert_eq!(well(&["check", &path]).trim(), "Nothing is wrong with them.");
    let text = well(&["compare", &path]);
    assert!(text.contains("Stays as it is, and is in files from now on: ") && !text.contains("changed"), "{text}");
    let (exit, text) = run(&["put", &path]);
    assert!(exit != 0 && text.contains("--plan"), "{text}");
    let text = well(&["put", &path, "--plan", &plan(&well(&["compare", &path]))]);
    assert!(text.contains("It can be undone until"), "{text}");
    let after = house.client(MARA).terms().await.unwrap().terms;
    assert_eq!(
        before.iter().map(|rule| (&rule.id, rule.digest)).collect::<Vec<_>>(),
        after.iter().map(|rule| (&rule.id, rule.digest)).collect::<Vec<_>>(),
        "nothing was set anew"
    );
    assert!(after.iter().all(|rule| rule.in_files.is_some()), "{after:?}");
    assert!(well(&["list"]).contains("# in files, as house"));
    assert!(well(&["compare", &path]).contains("Everything stands as they say"));

    // One edit changes one rule, and says what and for whom.
    let name = dir.join("analytics.toml");
    let text = fs::read_to_string(&name).unwrap();
    fs::write(&name, text + "\n[rule.keys-for-minutes]\nscope = \"/analytics/brightwater/lake\"\n[rule.keys-for-minutes.settings]\nlongest = 300\nusual = 300\n").unwrap();
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let text = well(&["compare", &path]);
    assert!(text.contains("rule keys-for-minutes: new") && text.contains("longest: 5 min"), "{text}");
    assert!(text.contains(TOMAS) && text.contains("tide-writer"), "{text}");
    let looked_at = plan(&text);
    // Somebody sets a rule about just the same by hand: what was compared is not so any more.
    let by_hand = "scope = \"/analytics/brightwater/lake\"\n[settings]\nlongest = 240\nusual = 240\n";
    let by_hand = house.client(MARA).add_terms(&toml::from_str(by_hand).unwrap()).await.unwrap();
    let (exit, text) = run(&["put", &path, "--plan", &looked_at]);
    assert!(exit != 0 && text.contains("was changed since you looked at it"), "{text}");
    let text = well(&["compare", &path]);
    assert!(text.contains(&format!("rule keys-for-minutes ({}): changed", by_hand.id)), "{text}");
    assert!(text.contains("longest: 4 min -> 5 min"), "{text}");
    let put = well(&["put", &path, "--plan", &plan(&text)]);
    let id = put.split("as ").nth(1).unwrap().split(':').next().unwrap().to_owned();

    // An export writes over nothing that says something else, unless told to.
    fs::write(&name, "# mine\n").unwrap();
    let (exit, text) = run(&["export", &path]);
    assert!(exit != 0 && text.contains("says something else; nothing was written"), "{text}");
    well(&["export", &path, "--replace"]);
    assert!(fs::read_to_string(&name).unwrap().contains("[rule.keys-for-minutes]"));

    let text = well(&["undo", &id, "--yes"]);
    assert!(text.contains("longest: 5 min -> 4 min") && text.contains(&format!("Undid {id}")), "{text}");
    let text = well(&["filings"]);
    assert!(text.contains(&format!("undid {id}")) && text.contains("undone by"), "{text}");
    let (exit, text) = run(&["undo", &id, "--yes"]);
    assert!(exit != 0 && text.contains("was undone already"), "{text}");
    assert!(house.rebuild().0);
}

fn write(dir: &Path, name: &str, text: &str) {
    fs::create_dir_all(dir.join(name).parent().unwrap()).unwrap();
    fs::write(dir.join(name), text).unwrap();
}

#[tokio::test(flavor = "multi_thread")]
async fn each_fault_is_told_with_its_file_line_and_column() {
    let house = House::new(Plan::cloud_only()).await;
    let home = house.path().join("mara");
    house.sign_in_at_a_terminal(&home, MARA);
    let dir = house.path().join("terms");
    write(&dir, "a.toml", "[rule.one]\nscope = \"/nowhere\"\nsettings = { longest = 60 }\n");
    write(
        &dir,
        "b.toml",
        "[rule.two]\nscope = \"/\"\n[rule.two.settings]\nlongest = \"soon\"\n\n[rule.three]\nscope = \"/\"\nlongst = 60\nsettings = { longest = 60 }\n",
    );
    write(
        &dir,
        "deep/c.toml",
        "[rule.four]\nscope = \"/\"\nasker = \"nobody.at-all\"\nsettings = { longest = 60 }\n\n[rule.one]\nscope = \"/\"\nsettings = { longest = 60 }\n",
    );
    write(
        &dir,
        "d.toml",
        "[rule.five]\nscope = \"/\"\n[rule.five.settings]\nlongest = 60\nusual = 90\n\n[rules.six]\nscope = \"/\"\n",
    );
    write(&dir, "e.toml", "[rule.seven\nscope = \"/\"\n");
    write(&dir, "f.toml", "[promise.eight]\nof = \"/\"\npromised = { is = \"assured\", assurance = \"no-such\" }\n");
    // What isn't TOML by its name, or is hidden, is not looked at.
    write(&dir, "readme.md", "[rule.seven\n");
    write(&dir, ".git/x.toml", "[rule.seven\n");
    let path = dir.display().to_string();
    let (exit, text) = house.tempestas(&home, &["terms", "check", &path], "");
    assert_ne!(exit, 0);
    for (at, says) in [
        ("a.toml:2:9: ", "/nowhere"),
        ("b.toml:4:1: ", "string \"soon\", expected a whole number"),
        ("b.toml:8:1: ", "`longst` is not known here"),
        ("d.toml:5:1: ", "`usual` (1 min 30 s) is longer than `longest`"),
        ("d.toml:7:2: ", "`rules` is not known here"),
        ("deep/c.toml:3:9: ", "nobody.at-all"),
        ("deep/c.toml:6:7: ", "the rule `one`"),
        ("e.toml:1:", ""),
        ("f.toml:3:", "no-such"),
    ] {
        let line = text.lines().find(|line| line.starts_with(at));
        assert!(line.is_some_and(|line| line.contains(says)), "`{at}{says}` is not said in\n{text}");
    }
    let (exit, text) = house.tempestas(&home, &["terms", "compare", &path], "");
    assert!(exit != 0 && text.contains("faults; nothing was put"), "{text}");
    let (exit, text) =
        house.tempestas(&home, &["terms", "check", &house.path().join("mara").display().to_string()], "");
    assert!(exit != 0 && text.contains("there is no .toml file"), "{text}");
    // Through the API such files are refused as a whole.
    let wrong = files("/", "[rule.one]\nscope = \"/nowhere\"\nsettings = { longest = 60 }\n");
    let (code, says) = refused(house.client(MARA).put_files(LookedAt::This(Digest::of(&[])), &wrong).await);
    assert!(code == "invalid" && says.starts_with("port.toml:2:9: "), "{says}");
}

#[tokio::test(flavor = "multi_thread")]
async fn nobody_takes_compares_or_puts_more_by_files_than_is_theirs() {
    let house = House::new(Plan::cloud_only()).await;
    let (mara, oda) = (house.client(MARA), house.client(ODA));
    let everything = FilesQuery { within: "/".to_owned() };
    let text = "[rule.lake]\nscope = \"/analytics/brightwater/lake\"\nsettings = { longest = 300, usual = 300 }\n";
    for nobody in [TOMAS, ODA] {
        assert_eq!(refused(house.client(nobody).terms_files(&everything).await).0, "not-allowed");
        assert_eq!(refused(house.client(nobody).compare_files(&files("/", text)).await).0, "not-allowed");
        assert_eq!(refused(house.client(nobody).filings().await).0, "not-allowed");
    }
    assert!(!house.client(INES).terms_files(&everything).await.unwrap().files.is_empty(), "an auditor reads");
    assert_eq!(refused(house.client(INES).compare_files(&files("/", text)).await).0, "not-allowed");

    let duty = NewDuty { who: ODA.to_owned(), duty: DutyKind::Administrator, scope: BRIGHTWATER.to_owned() };
    mara.give_duty(&duty).await.unwrap();
    let oda_sees = oda.terms_files(&everything).await.unwrap().files;
    assert_eq!(oda_sees.keys().collect::<Vec<_>>(), ["analytics.toml"], "what is about everything is not hers to see");
    assert_eq!(refused(oda.compare_files(&files("/", text)).await).0, "unknown");
    let compared = oda.compare_files(&files(BRIGHTWATER, text)).await.unwrap();
    let plan = compared.plan.unwrap();
    assert_eq!(plan.changes.iter().map(|one| one.becomes).collect::<Vec<_>>(), [Becomes::New]);
    let put = oda.put_files(LookedAt::This(plan.digest), &files(BRIGHTWATER, text)).await.unwrap();
    assert_eq!((put.set, put.ended), (1, 0));
    let outside = files(BRIGHTWATER, "[rule.all]\nscope = \"/\"\nsettings = { longest = 300 }\n");
    let compared = refused(oda.compare_files(&outside).await);
    assert!(compared.1.contains("is not within"), "{compared:?}");
    let of_the_house = "[assurance.sure]\naccepts = [\"totp-code\"]\nwithin = 600\n";
    let (_, says) = refused(oda.compare_files(&files(BRIGHTWATER, of_the_house)).await);
    assert!(says.contains("is the whole house's"), "{says}");

    // What was put for everything she neither sees nor undoes.
    let all = "[rule.all]\nscope = \"/\"\nrole = \"tide-writer\"\nsettings = { longest = 300, usual = 300 }\n";
    let plan = mara.compare_files(&files("/", &format!("{text}{all}"))).await.unwrap().plan.unwrap();
    let whole = mara.put_files(LookedAt::This(plan.digest), &files("/", &format!("{text}{all}"))).await.unwrap();
    let seen: Vec<String> = oda.filings().await.unwrap().into_iter().map(|one| one.id).collect();
    assert_eq!(seen, [put.id]);
    assert_eq!(refused(oda.show_undo(&whole.id).await).0, "unknown");
    let undo = UndoFiling { shown: plan.digest };
    assert_eq!(refused(oda.undo_filing(&whole.id, &undo).await).0, "unknown");
    assert_eq!(refused(mara.undo_filing(&whole.id, &undo).await).0, "stale", "an undo is looked at, too");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_would_be_refused_is_said_before_it_is_put() {
    let house = House::new(Plan::cloud_only()).await;
    let mara = house.client(MARA);
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let promised = PromisedBody::Brief { longest: Seconds::hours(5) };
    let promise = PromiseBody { of: on_cloud("tide-writer", "/lake"), by: None, promised };
    mara.set_promise("brief", LookedAt::Nothing, &promise).await.unwrap();
    let long = "scope = \"/analytics/brightwater/lake\"\n[settings]\nlongest = 21600\n";
    let trial = TermsTrial { replaces: None, rule: Some(toml::from_str(long).unwrap()) };
    let because = mara.try_terms(&trial).await.unwrap().refused_because.unwrap();
    assert!(because.contains("would break the promise `brief`"), "{because}");
    let text = "[rule.long]\nscope = \"/analytics/brightwater/lake\"\nsettings = { longest = 21600 }\n";
    let plan = mara.compare_files(&files("/", text)).await.unwrap().plan.unwrap();
    assert_eq!(plan.touched.refused_because.as_deref(), Some(because.as_str()));
    let (_, says) = refused(mara.put_files(LookedAt::This(plan.digest), &files("/", text)).await);
    assert_eq!(says, because);
    let within = TermsTrial { replaces: None, rule: Some(toml::from_str(&long.replace("21600", "3600")).unwrap()) };
    assert_eq!(mara.try_terms(&within).await.unwrap().refused_because, None);
}

#[test]
fn the_published_schema_is_the_one_that_files_are_read_by() {
    let published: serde_json::Value =
        serde_json::from_str(include_str!("../../../../docs/terms.schema.json")).unwrap();
    assert!(published == terms_file_schema(), "`tempestas terms schema > docs/terms.schema.json` writes it anew");
}
