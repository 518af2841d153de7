//! What docs/terms.md says of terms: each of its rules is taken in, and the client then says what stands beside it.

use std::{collections::BTreeMap, path::PathBuf};

use crate::house::{House, MARA, Plan, TOMAS, on_berths};

const PAGE: &str = include_str!("../../../../docs/terms.md");

/// The blocks of a page in order, each with its language.
fn blocks(page: &str) -> Vec<(&str, &str)> {
    let fenced = page.split("```").skip(1).step_by(2);
    fenced.filter_map(|block| block.split_once('\n')).collect()
}

/// A line without its paddings.
fn words(line: &str) -> String {
    line.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[tokio::test(flavor = "multi_thread")]
async fn every_example_of_terms_is_as_the_page_says() {
    let house = House::new(Plan::whole()).await;
    house.eligible(TOMAS, &on_berths("harbour_operator")).await;
    let mut homes: BTreeMap<String, PathBuf> = BTreeMap::new();
    for who in [MARA, TOMAS] {
        let home = house.path().join(format!("home-{who}"));
        house.sign_in_at_a_terminal(&home, who);
        homes.insert(who.to_owned(), home);
    }
    let (mut rules, mut shown, mut plan) = (0, 0, String::new());
    for (language, block) in blocks(PAGE) {
        if language == "toml" {
            std::fs::write(house.path().join("rule.toml"), block).unwrap();
            let file = house.path().join("rule.toml").display().to_string();
            let (exit, text) = house.tempestas(&homes[MARA], &["terms", "set", &file], "");
            assert_eq!(exit, 0, "{block}: {text}");
            rules += 1;
            continue;
        }
        if language == "toml file" {
            std::fs::write(house.path().join("port.toml"), block).unwrap();
            continue;
        }
        if language == "ics" {
            std::fs::write(house.path().join("holidays.ics"), block).unwrap();
            continue;
        }
        let (command, expected) = block.split_once('\n').unwrap();
        let (command, who) = command.trim_start_matches("$ tempestas ").split_once("# as ").unwrap();
        let arguments = command.split_whitespace().map(|word| match word {
            "holidays.ics" | "port.toml" => house.path().join(word).display().to_string(),
            "PLAN" => plan.clone(),
            word => word.to_owned(),
        });
        let arguments: Vec<String> = arguments.collect();
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        let (exit, text) = house.tempestas(&homes[who.trim()], &arguments, "");
        plan = text.split("--plan ").nth(1).map_or(plan, |rest| rest.chars().take(64).collect());
        assert_eq!(exit, 0, "{command}: {text}");
        let said: Vec<String> = text.lines().map(words).collect();
        for line in expected.lines().map(words) {
            assert!(said.iter().any(|said| said.starts_with(&line)), "{command}: `{line}` is not said in\n{text}");
            shown += 1;
        }
    }
    assert!(rules >= 9 && shown >= 12, "{rules} rules and {shown} lines were found");
}
