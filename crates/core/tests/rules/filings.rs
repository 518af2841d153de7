//! Terms as files say them: compared, put as one, undone as one; nobody gets by a file what they wouldn't by hand.

use std::collections::BTreeSet;

use jiff::SignedDuration;
use proptest::prelude::*;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

fn longest(minutes: u32) -> Settings {
    Settings { longest: Some(Longest(Seconds::minutes(minutes))), ..Settings::default() }
}

fn asked_for_reason() -> Settings {
    Settings { reason: Some(ReasonRule::Required { at_least: 10 }), ..Settings::default() }
}

fn root(house: &House) -> ScopeId {
    house.world.root.unwrap()
}

fn files(within: ScopeId, rules: &[(&str, Terms)]) -> Filed {
    let clauses = rules.iter().map(|(name, rule)| ((*name).to_owned(), Clause::Rule(rule.clone()))).collect();
    Filed { within, clauses }
}

fn compare(house: &House, filed: &Filed) -> FilingPlan {
    filing_plan(&house.world, filed).unwrap()
}

/// Puts what was compared just before, as the administrator.
fn put(house: &mut House, filed: &Filed) -> Result<FilingId, Refusal> {
    let digest = compare(house, filed).digest();
    let decision = house.change(LookedAt::This(digest), FilingCommand::Put { filed: filed.clone() })?;
    Ok(filing(&decision))
}

fn filing(decision: &Decision) -> FilingId {
    let made = decision.facts.iter().find_map(|fact| match fact.what {
        What::FilesPut { filing, .. } | What::FilingUndone { filing, .. } => Some(filing),
        _ => None,
    });
    made.unwrap()
}

fn undo(house: &mut House, id: FilingId) -> Result<FilingId, Refusal> {
    let plan = plan_to_undo(&house.world, &house.world.filings[&id], house.now)?;
    house.change(LookedAt::This(plan.digest()), FilingCommand::Undo { filing: id }).map(|decision| filing(&decision))
}

/// The rules that files have, by name.
fn filed_rules(house: &House) -> Vec<(String, TermsId)> {
    let key = |id: &TermsId| Key { kind: Kind::Terms, id: id.0.to_string() };
    let name = |id: &TermsId| Some((house.world.name_in_files(&key(id))?.to_owned(), *id));
    let mut named: Vec<(String, TermsId)> = house.world.terms.keys().filter_map(name).collect();
    named.sort();
    named
}

/// What all rules say, without numbers and who said it.
fn says(house: &House) -> BTreeSet<String> {
    let bare = |rule: &Terms| {
        let rule = Terms { id: TermsId(0), set_by: None, set_at: None, ..rule.clone() };
        serde_json::to_string(&rule).unwrap()
    };
    house.world.terms.values().map(bare).collect()
}

/// Whether the administrator let others through with less within a day.
fn weakened(house: &House) -> bool {
    let (me, lately) = (house.id(Who::Administrator), house.now - SignedDuration::from_hours(24));
    house.world.influences.values().any(|hand| hand.by == Some(me) && hand.touched == me && hand.at > lately)
}

#[test]
fn files_set_change_and_end_what_they_have_and_leave_alone_what_they_never_had() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    let by_hand = house.world.terms.keys().copied().collect::<Vec<_>>();
    let short = rule(target, longest(30));
    let first = files(root, &[("short", short.clone()), ("reasons", rule(target, asked_for_reason()))]);
    // Two rules about just the same: each is a rule of its own.
    let plan = compare(&house, &first);
    assert_eq!((plan.amendments.len(), plan.same.len()), (2, 0));
    put(&mut house, &first).unwrap();
    let named = filed_rules(&house);
    assert_eq!(named.iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>(), ["reasons", "short"]);
    assert_eq!(compare(&house, &first).amendments, []);
    let nothing = put(&mut house, &first).unwrap_err();
    assert!(matches!(nothing, Refusal::Filing(FilingRefusal::NothingToPut)), "{nothing}");
    let shorter = files(root, &[("short", rule(target, longest(20)))]);
    put(&mut house, &shorter).unwrap();
    assert_eq!(filed_rules(&house), [("short".to_owned(), named[1].1)], "changed in place");
    assert_eq!(house.world.terms[&named[1].1].settings, longest(20));
    assert!(!house.world.terms.contains_key(&named[0].1));
    assert!(by_hand.iter().all(|id| house.world.terms.contains_key(id)));
    house.replay();
}

#[test]
fn what_stands_already_is_taken_over_by_what_it_is_about_and_a_new_name_renames() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    house.well(Who::Administrator, TermsCommand::Set { terms: rule(target, longest(30)) });
    let id = house.world.terms.values().last().unwrap().id;
    let taken_over = files(root, &[("short", rule(target, longest(30)))]);
    let facts = house.facts.len();
    put(&mut house, &taken_over).unwrap();
    assert_eq!(house.facts.len(), facts + 1, "nothing was set anew");
    assert_eq!(filed_rules(&house), [("short".to_owned(), id)]);
    put(&mut house, &files(root, &[("half-an-hour", rule(target, longest(25)))])).unwrap();
    assert_eq!(filed_rules(&house), [("half-an-hour".to_owned(), id)]);
    assert_eq!(house.world.terms[&id].settings, longest(25));
}

#[test]
fn nothing_is_put_but_what_was_compared() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    let filed = files(root, &[("short", rule(target, longest(30)))]);
    let digest = compare(&house, &filed).digest();
    let other = files(root, &[("short", rule(target, longest(120)))]);
    let stale = house.change(LookedAt::This(digest), FilingCommand::Put { filed: other }).unwrap_err();
    assert_eq!(stale.code(), "stale");
    // Somebody sets the same by hand between: the files would take that over now, which nobody looked at.
    house.well(Who::Administrator, TermsCommand::Set { terms: rule(target, longest(40)) });
    let stale = house.change(LookedAt::This(digest), FilingCommand::Put { filed }).unwrap_err();
    assert_eq!(stale.code(), "stale");
    assert!(house.world.filings.is_empty());
}

#[test]
fn a_filing_is_undone_whole_while_nothing_of_it_changed_and_only_for_a_while() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    put(&mut house, &files(root, &[("short", rule(target, longest(30))), ("why", rule(target, asked_for_reason()))]))
        .unwrap();
    let before = says(&house);
    let second =
        put(&mut house, &files(root, &[("short", rule(target, longest(50))), ("root", rule(root, longest(70)))]))
            .unwrap();
    assert_ne!(says(&house), before);
    let undone = undo(&mut house, second).unwrap();
    assert_eq!(says(&house), before);
    assert_eq!(filed_rules(&house).iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>(), ["short", "why"]);
    let again = undo(&mut house, second).unwrap_err();
    assert!(matches!(again, Refusal::Filing(FilingRefusal::FilingUndoneAlready { .. })), "{again}");
    // What undid it can be undone, too.
    let redone = undo(&mut house, undone).unwrap();
    assert_ne!(says(&house), before);
    // Changed by hand since.
    let (_, id) = filed_rules(&house).into_iter().find(|(name, _)| name == "short").unwrap();
    let terms = Terms { id, ..rule(target, longest(55)) };
    let looked_at = LookedAt::This(house.world.terms[&id].digest());
    house.change(looked_at, TermsCommand::Set { terms }).unwrap();
    let changed = undo(&mut house, redone).unwrap_err();
    let Refusal::Filing(FilingRefusal::ChangedSinceFiled { changed, .. }) = changed else { panic!("{changed}") };
    assert_eq!(changed, ["short"]);
    let third = put(&mut house, &files(root, &[("short", rule(target, longest(50)))])).unwrap();
    house.now = later(house.now, Seconds::hours(24 * 30 + 1));
    let late = undo(&mut house, third).unwrap_err();
    assert!(matches!(late, Refusal::Filing(FilingRefusal::FilingTooOld { .. })), "{late}");
    // What can't be undone any more isn't kept.
    put(&mut house, &files(root, &[("short", rule(target, longest(45)))])).unwrap();
    assert_eq!(house.world.filings.len(), 1);
    house.replay();
}

#[test]
fn a_name_that_another_rule_has_by_now_is_not_given_back() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    put(&mut house, &files(root, &[("first", rule(target, longest(30)))])).unwrap();
    let renamed = put(&mut house, &files(root, &[("second", rule(target, longest(20)))])).unwrap();
    put(&mut house, &files(root, &[("second", rule(target, longest(20))), ("first", rule(root, longest(40)))]))
        .unwrap();
    let refused = undo(&mut house, renamed).unwrap_err();
    assert!(matches!(refused, Refusal::Filing(FilingRefusal::ChangedSinceFiled { .. })), "{refused}");
}

#[test]
fn a_rule_that_is_over_by_now_is_not_brought_back() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    let until = Some(later(house.now, Seconds::hours(1)));
    let valid = Validity { from: None, until };
    put(&mut house, &files(root, &[("short", Terms { valid, ..rule(target, longest(30)) })])).unwrap();
    let ended = put(&mut house, &files(root, &[("other", rule(root, longest(60)))])).unwrap();
    house.now = later(house.now, Seconds::hours(2));
    undo(&mut house, ended).unwrap();
    assert_eq!(filed_rules(&house), []);
}

#[test]
fn nobody_gets_by_a_file_what_they_would_not_by_hand() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    let strict = put(&mut house, &files(root, &[("short", rule(target, longest(30)))])).unwrap();
    assert!(!weakened(&house), "stricter takes nothing from anybody");
    // As somebody who is no administrator.
    let filed = files(root, &[]);
    let digest = compare(&house, &filed).digest();
    let refused = house.act_on(
        Some(LookedAt::This(digest)),
        house.caller(Who::First),
        FilingCommand::Put { filed: filed.clone() },
    );
    assert_eq!(refused.unwrap_err().code(), "not-allowed");
    let refused = house.act_on(None, house.caller(Who::First), FilingCommand::Undo { filing: strict });
    assert_eq!(refused.unwrap_err().code(), "not-allowed");
    // Whoever relaxes has a hand in it for a day, by an undo as by files.
    undo(&mut house, strict).unwrap();
    assert!(weakened(&house));
}

#[test]
fn what_sleeps_in_a_file_is_judged_awake() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    put(&mut house, &files(root, &[("short", rule(target, longest(30)))])).unwrap();
    let until = Some(later(house.now, Seconds::minutes(2)));
    let valid = Validity { from: None, until };
    put(&mut house, &files(root, &[("short", Terms { valid, ..rule(target, longest(30)) })])).unwrap();
    assert!(weakened(&house), "it lets through with less once it is over");
    // One that takes over when the other ends leaves nobody more.
    let mut house = House::new(&settings(0));
    put(&mut house, &files(root, &[("short", rule(target, longest(30)))])).unwrap();
    let at = later(house.now, Seconds::minutes(2));
    let first = Terms { valid: Validity { from: None, until: Some(at) }, ..rule(target, longest(30)) };
    let then = Terms { valid: Validity { from: Some(at), until: None }, ..rule(target, longest(20)) };
    put(&mut house, &files(root, &[("short", first), ("then", then)])).unwrap();
    assert!(!weakened(&house));
}

#[test]
fn files_that_break_a_promise_change_nothing_at_all() {
    let mut house = House::new(&settings(1));
    let (root, target) = (root(&house), house.target());
    let of = RightSet::from_text(&house.world, "/").unwrap();
    let promise = Promise {
        name: "brief".to_owned(),
        of,
        by: None,
        promised: Promised::Brief { longest: Seconds::hours(3) },
        set_by: None,
        set_at: None,
    };
    house.well(Who::Administrator, PromiseCommand::Set { promise });
    let before = house.world.clone();
    let filed = files(root, &[("why", rule(target, asked_for_reason())), ("long", rule(target, longest(240)))]);
    let refused = put(&mut house, &filed).unwrap_err();
    assert!(matches!(refused, Refusal::Promise(PromiseRefusal::WouldBreak { .. })), "{refused}");
    assert!(house.world == before);
    // Two that would break it alone, at different times, and together never do.
    let (from, until) = (later(house.now, Seconds::hours(1)), later(house.now, Seconds::hours(1)));
    let hour = Terms { valid: Validity { from: None, until: Some(until) }, ..rule(target, longest(60)) };
    let two = Terms { valid: Validity { from: Some(from), until: None }, ..rule(target, longest(120)) };
    put(&mut house, &files(root, &[("hour", hour), ("two", two)])).unwrap();
}

#[test]
fn a_promise_that_the_same_files_set_or_change_holds_their_rules_up_too() {
    let mut house = House::new(&settings(1));
    let (root, target) = (root(&house), house.target());
    let of = RightSet::from_text(&house.world, "/").unwrap();
    let brief = |minutes: u32| {
        let promised = Promised::Brief { longest: Seconds::minutes(minutes) };
        Promise { name: "brief".to_owned(), of: of.clone(), by: None, promised, set_by: None, set_at: None }
    };
    let with = |promise: Promise, minutes: u32| {
        let mut filed = files(root, &[("long", rule(target, longest(minutes)))]);
        filed.clauses.push(("brief".to_owned(), Clause::Promise(promise)));
        filed
    };
    let new = put(&mut house, &with(brief(180), 240)).unwrap_err();
    assert!(matches!(new, Refusal::Promise(PromiseRefusal::WouldBreak { .. })), "{new}");
    put(&mut house, &with(brief(180), 100)).unwrap();
    let changed = put(&mut house, &with(brief(181), 240)).unwrap_err();
    assert!(matches!(changed, Refusal::Promise(PromiseRefusal::WouldBreak { .. })), "{changed}");
    put(&mut house, &with(brief(240), 240)).unwrap();
    // What is broken already is in nobody's way, as where a promise is set by hand.
    put(&mut house, &with(brief(60), 240)).unwrap();
}

#[test]
fn whoever_administers_a_part_puts_that_part_and_nothing_else() {
    let mut house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    let (subject, kind) = (house.id(Who::Other), DutyKind::Administrator);
    house.well(Who::Administrator, PeopleCommand::GiveDuty { subject, kind, scope: target });
    put(&mut house, &files(root, &[("all", rule(root, longest(60)))])).unwrap();
    let mut put_as_other = |filed: Filed| {
        let digest = filing_plan(&house.world, &filed)?.digest();
        house.act_on(Some(LookedAt::This(digest)), house.caller(Who::Other), FilingCommand::Put { filed })
    };
    let all = put_as_other(files(root, &[("mine", rule(target, longest(30)))])).unwrap_err();
    assert_eq!(all.code(), "not-allowed");
    let outside = put_as_other(files(target, &[("mine", rule(root, longest(30)))])).unwrap_err();
    assert!(matches!(outside, Refusal::Filing(FilingRefusal::ClauseOutside { .. })), "{outside}");
    let taken = put_as_other(files(target, &[("all", rule(target, longest(30)))])).unwrap_err();
    assert!(matches!(taken, Refusal::Filing(FilingRefusal::ClauseNameTaken { .. })), "{taken}");
    put_as_other(files(target, &[("mine", rule(target, longest(30)))])).unwrap();
    // Files of everything leave alone what files of a part have, and these what those have.
    put(&mut house, &files(root, &[("every", rule(root, longest(50)))])).unwrap();
    assert_eq!(filed_rules(&house).iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>(), ["every", "mine"]);
    // Taken over by others and undone, it is those files' own again.
    let over =
        put(&mut house, &files(root, &[("every", rule(root, longest(50))), ("mine", rule(target, longest(25)))]))
            .unwrap();
    undo(&mut house, over).unwrap();
    assert!(compare(&house, &files(root, &[("every", rule(root, longest(50)))])).amendments.is_empty());
    let none = files(target, &[]);
    put(&mut house, &none).unwrap();
    assert_eq!(filed_rules(&house).iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>(), ["every"]);
    let assurance = sure();
    let clauses = vec![("sure".to_owned(), Clause::Assurance(assurance))];
    let of_the_house = filing_plan(&house.world, &Filed { within: target, clauses }).unwrap_err();
    assert!(matches!(of_the_house, Refusal::Filing(FilingRefusal::ClauseOfTheHouse { .. })), "{of_the_house}");
}

fn sure() -> Assurance {
    Assurance {
        name: "sure".to_owned(),
        accepts: BTreeSet::from([ProofMethod::TotpCode]),
        within: Seconds::minutes(10),
        networks: BTreeSet::new(),
        bypass: None,
        pilot: None,
        watch_only: false,
        set_by: None,
        set_at: None,
    }
}

/// A rule that wants an assurance, with that, a separation and a promise.
fn whole(house: &House) -> Filed {
    let (root, target) = (root(house), house.target());
    let assured = Settings { assured: Some(Assured(BTreeSet::from(["sure".to_owned()]))), ..Settings::default() };
    let of = RightSet::from_text(&house.world, &house.world.path(target)).unwrap();
    let keeps = Keeps::Few { of: of.clone(), most: 3 };
    let (set_by, set_at) = (None, None);
    let separation =
        Separation { name: "few".to_owned(), keeps, counts: Counts::Held, tolerated: Vec::new(), set_by, set_at };
    let promise = Promise {
        name: "brief".to_owned(),
        of,
        by: None,
        promised: Promised::Brief { longest: Seconds::hours(9) },
        set_by,
        set_at,
    };
    let clauses = vec![
        ("assured".to_owned(), Clause::Rule(rule(target, assured))),
        ("sure".to_owned(), Clause::Assurance(sure())),
        ("few".to_owned(), Clause::Separation(separation)),
        ("brief".to_owned(), Clause::Promise(promise)),
    ];
    Filed { within: root, clauses }
}

#[test]
fn a_rule_may_want_what_the_same_files_set_and_both_go_together() {
    let mut house = House::new(&settings(0));
    let filed = whole(&house);
    assert_eq!(faults(&house.world, &filed, house.now), []);
    let first = put(&mut house, &filed).unwrap();
    assert_eq!(house.world.file_marks.len(), 4);
    assert_eq!(compare(&house, &filed).amendments, []);
    let root = root(&house);
    put(&mut house, &files(root, &[])).unwrap();
    assert!(house.world.assurances.is_empty() && house.world.separations.is_empty() && house.world.promises.is_empty());
    assert_eq!((house.world.terms.len(), house.world.file_marks.len()), (1, 0));
    let changed = undo(&mut house, first).unwrap_err();
    assert!(changed.to_string().contains("`sure`"), "{changed}");
    let last = house.world.filings.values().last().unwrap().id;
    undo(&mut house, last).unwrap();
    assert_eq!(compare(&house, &filed).amendments, []);
    house.replay();
}

#[test]
fn what_is_taken_away_as_files_and_put_again_changes_nothing() {
    let mut house = House::new(&settings(1));
    let filed = whole(&house);
    put(&mut house, &filed).unwrap();
    let target = house.target();
    for minutes in [30, 40] {
        house.well(
            Who::Administrator,
            TermsCommand::Set { terms: Terms { role: Some("keysmith".into()), ..rule(target, longest(minutes)) } },
        );
    }
    let before = says(&house);
    let taken = Filed { within: root(&house), clauses: named_clauses(&house.world, root(&house)) };
    let names: BTreeSet<&str> = taken.clauses.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(
        names,
        BTreeSet::from(["assured", "brief", "cloud-keysmith", "cloud-keysmith-2", "few", "house", "sure"])
    );
    let plan = compare(&house, &taken);
    assert!(plan.amendments.iter().all(|one| one.is_of_name_alone(&house.world)), "{plan:?}");
    put(&mut house, &taken).unwrap();
    assert_eq!(says(&house), before);
}

#[test]
fn each_clause_that_cannot_be_is_told_with_its_setting() {
    let house = House::new(&settings(0));
    let (root, target) = (root(&house), house.target());
    let unknown = Settings { assured: Some(Assured(BTreeSet::from(["nowhere".to_owned()]))), ..Settings::default() };
    let usual = Settings { usual: Some(Usual(Seconds::hours(2))), ..longest(60) };
    let filed = files(
        root,
        &[
            ("well", rule(target, longest(30))),
            ("nobody", rule(target, unknown)),
            ("usual", rule(target, usual)),
            ("nothing", rule(target, Settings::default())),
            ("Not a\nname", rule(target, longest(30))),
        ],
    );
    let faults = faults(&house.world, &filed, house.now);
    let told: Vec<(&str, Option<&str>)> = faults.iter().map(|fault| (fault.name.as_str(), fault.setting)).collect();
    assert_eq!(told, [("nobody", None), ("usual", Some("usual")), ("nothing", None), ("Not a\nname", None)]);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// Whatever files are put one after the other, what stands is what the last ones say; and undone one by one, last first, what stood.
    #[test]
    fn puts_come_to_what_files_say_and_undone_to_what_stood(
        puts in prop::collection::vec(prop::collection::btree_map(0_u8..6, (any::<bool>(), 1_u32..90), 0..5), 1..6)
    ) {
        let mut house = House::new(&settings(0));
        let (root, target) = (root(&house), house.target());
        let by_hand = says(&house);
        let mut stood = Vec::new();
        for rules in &puts {
            let named: Vec<(String, Terms)> = rules.iter().map(|(name, (is_root, minutes))| {
                (format!("r-{name}"), rule(if *is_root { root } else { target }, longest(*minutes)))
            }).collect();
            let named: Vec<(&str, Terms)> = named.iter().map(|(name, rule)| (name.as_str(), rule.clone())).collect();
            let before = says(&house);
            match put(&mut house, &files(root, &named)) {
                Ok(id) => stood.push((id, before)),
                Err(refusal) => prop_assert!(matches!(refusal, Refusal::Filing(FilingRefusal::NothingToPut)), "{}", refusal),
            }
            let wanted: BTreeSet<String> = named.iter().map(|(_, rule)| serde_json::to_string(rule).unwrap()).collect();
            let filed: BTreeSet<String> = says(&house);
            prop_assert!(wanted.is_subset(&filed));
            prop_assert!(filed_rules(&house).len() == named.len());
            // The rule of the house that no file had may have been taken over by what is about just the same.
            prop_assert!(filed.iter().all(|rule| wanted.contains(rule) || by_hand.contains(rule)));
        }
        for (id, before) in stood.into_iter().rev() {
            undo(&mut house, id).unwrap();
            prop_assert_eq!(says(&house), before);
        }
        prop_assert_eq!(says(&house), by_hand);
        prop_assert!(house.world.file_marks.is_empty());
        house.replay();
    }
}
