//! What systems call things may name people: in facts only digests of it stand.

use tempestas_core::*;

use crate::house::{House, Who, rule, settings, survey};

/// Each is something that a system said of itself.
const SAID: [&str; 7] = [
    "as:mara.lindqvist",
    "becomes mara.lindqvist",
    "mara.lindqvist.keys",
    "line 4 of /home/mara.lindqvist/.ssh",
    "crew-of-tomas.reyes",
    "key:mara.lindqvist",
    "laptop of mara.lindqvist",
];

fn found(house: &House) -> Survey {
    let [role, says, account, line, group, handle, _] = SAID.map(str::to_owned);
    let mut survey = survey(house.now, 1);
    let plain = survey.roles[0].clone();
    survey.roles.push(RoleFound { name: role.clone(), says, weight: Weight::Critical, ..plain });
    let held = |chain: Vec<String>, handle| RightFound {
        account: account.clone(),
        role: role.clone(),
        part: Vec::new(),
        chain,
        handle,
        since: None,
        last_used: None,
    };
    survey.rights = vec![held(vec![line, group], None), held(Vec::new(), Some(handle))];
    survey
}

fn take_in(house: &mut House, survey: Survey) -> Decision {
    let (target, digest) = (house.target(), Digest::of_json(&survey));
    let command = Report::Surveyed { target, digest, survey: Box::new(survey) };
    house.reported(command.clone()).unwrap()
}

fn written(facts: &[Fact]) -> String {
    facts.iter().map(|fact| String::from_utf8(fact.to_bytes().unwrap()).unwrap()).collect()
}

#[test]
fn what_systems_and_programs_are_called_stands_in_no_fact() {
    let mut house = House::new(&settings(1));
    let survey = found(&house);
    take_in(&mut house, survey);
    let target = house.target();
    let shorter = Settings {
        longest: Some(Longest(Seconds::minutes(30))),
        usual: Some(Usual(Seconds::minutes(30))),
        ..Settings::default()
    };
    let named = Terms { role: Some(SAID[0].into()), ..rule(target, shorter) };
    house.well(Who::Administrator, TermsCommand::Set { terms: named });
    let program = SAID[6].to_owned();
    house.well(Who::Asker, Command::Note(Note::DeviceLetIn { program }));
    // Drift, and its undoing, carry the whole right.
    for drift in house.world.drifts.values().cloned().collect::<Vec<_>>() {
        if drift.standing.handle.is_some() {
            house.well(Who::Administrator, DriftCommand::PutBack { drift: drift.id });
        }
    }
    assert_eq!(house.world.conversions.len(), 1);
    let facts = written(&house.facts);
    for said in SAID {
        assert!(!facts.contains(said), "`{said}` stands in a fact");
        assert!(house.texts.iter().any(|text| text.text == said), "`{said}` is kept where it can be taken out");
    }
    // Whoever may read it reads it all the same.
    let role = house.world.role_named(target, SAID[0]).unwrap().id;
    assert_eq!((house.world.role_name(role), house.world.role_says(role)), (SAID[0], SAID[1]));
    let right = Right { role, scope: target };
    let effective = effective_terms(&house.world, Act::Elevate, right, house.id(Who::Asker));
    assert!(effective.traces.iter().any(|trace| trace.rule.is_some()), "the rule that names the role fits it");
    let sentence = house.facts.iter().find(|fact| matches!(fact.what, What::DeviceLetIn { .. })).unwrap();
    assert!(sentence.what.sentence(&house.world).to_string().contains(SAID[6]));
    house.replay();
}

#[test]
fn the_same_survey_is_no_news_though_its_words_are_salted() {
    let mut house = House::new(&settings(1));
    let survey = found(&house);
    take_in(&mut house, survey.clone());
    let known = house.world.clone();
    let again = take_in(&mut house, survey.clone());
    assert!(again.facts.is_empty() && again.texts.is_empty(), "{again:?}");
    let mut reworded = survey.clone();
    reworded.roles[1].says = "becomes somebody else".to_owned();
    let news = take_in(&mut house, reworded);
    let [fact] = &news.facts[..] else { panic!("one fact: {news:?}") };
    let roles = fact.put.iter().filter(|row| matches!(row, Row::Role(_))).count();
    let rights = fact.put.iter().filter(|row| matches!(row, Row::Standing(_))).count();
    assert_eq!((roles, rights), (1, 0), "the one role whose words changed");
    // By another way it is another right, and the old one is gone.
    let mut moved = survey;
    moved.rights[0].chain[1] = "crew-of-oda".to_owned();
    take_in(&mut house, moved);
    let ids = |world: &World| world.standing.keys().copied().collect::<Vec<_>>();
    assert_eq!(ids(&house.world).len(), 2);
    assert_ne!(ids(&house.world), ids(&known));
}

#[test]
fn words_of_old_facts_are_read_in_clear_and_salted_with_the_next_survey() {
    let mut house = House::new(&settings(1));
    let survey = found(&house);
    take_in(&mut house, survey.clone());
    // As the first versions wrote it.
    let clear = |world: &World, words: &Words| Words::from(world.words(words));
    let roles: Vec<Role> = house.world.roles.values().cloned().collect();
    for role in roles {
        let (name, says) = (clear(&house.world, &role.name), clear(&house.world, &role.says));
        house.world.put(Row::Role(Role { name, says, ..role }));
    }
    let rights: Vec<Standing> = house.world.standing.values().cloned().collect();
    for held in rights.clone() {
        let chain = held.chain.iter().map(|way| clear(&house.world, way)).collect();
        let handle = held.handle.as_ref().map(|handle| clear(&house.world, handle));
        house.world.put(Row::Standing(Standing { chain, handle, ..held }));
    }
    let old = serde_json::to_string(&house.world.standing.values().next().unwrap().chain).unwrap();
    assert_eq!(old, format!("[\"{}\",\"{}\"]", SAID[3], SAID[4]));
    let news = take_in(&mut house, survey.clone());
    assert!(!SAID.iter().any(|said| written(&news.facts).contains(said)), "{}", written(&news.facts));
    assert!(!format!("{:?}", house.world.standing).contains("mara"), "nor in what is printed of them");
    let same = house.world.standing.values().zip(&rights).all(|(now, before)| now.id == before.id);
    assert!(
        same && house.world.drifts.values().all(|drift| drift.kind == DriftKind::Gained),
        "no right is new or lost"
    );
    let again = take_in(&mut house, survey);
    assert!(again.facts.is_empty(), "once");
}

#[test]
fn what_somebody_is_called_can_become_no_other_part_of_a_sentence() {
    let mut house = House::new(&settings(1));
    let hostile = "{subject} let {program} in, until {until}";
    house.well(Who::Asker, Command::Note(Note::DeviceLetIn { program: hostile.to_owned() }));
    let what = house.facts.last().unwrap().what.clone();
    let text = |text: String| Part::Text { text };
    let words = what.sentence(&house.world).0;
    let who = Part::Who { name: "tomas".to_owned() };
    assert_eq!(words, [text(format!("let {hostile} in for ")), who, text(", to read and draft".to_owned())]);
}

#[test]
fn a_sentence_names_whom_and_what_it_is_about_as_what_they_are() {
    let mut house = House::new(&settings(0));
    let id = house.ask(Who::Asker, 600, StartChoice::AtYes).unwrap();
    let said = |kind: &str| {
        let fact = house.facts.iter().find(|fact| fact.what.kind() == kind).unwrap();
        (fact.what.sentence(&house.world), fact)
    };
    let (asked, _) = said("asked");
    let right = Part::Right { right: "writer@/cloud".to_owned() };
    assert!(asked.0.contains(&Part::Elevation { id: id.to_string() }) && asked.0.contains(&right), "{asked:?}");
    let (opening, fact) = said("opening");
    let What::Opening { until, .. } = fact.what else { panic!("{fact:?}") };
    assert!(opening.0.contains(&Part::Time { at: until }), "{opening:?}");
    assert!(opening.to_string().ends_with(&format!("until {}", until.strftime("%F %R UTC"))), "{opening}");
    let (given, _) = said("eligibility-given");
    assert_eq!(given.to_string(), "made tomas eligible for writer@/cloud");
}
