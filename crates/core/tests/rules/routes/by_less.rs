//! Routes by terms that ask less.

use super::*;

/// What is done; nobody need say yes then.
pub(super) const ROUTES: [Route; 28] = [
    Route {
        name: "its approval",
        before: wants_oda,
        does: |house| {
            let terms = Terms { settings: asks_nobody(), ..last_rule(house) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a rule for him",
        before: wants_oda,
        does: |house| {
            let terms = Terms { asker: Some(id(house, "tomas")), ..on_target(house, asks_nobody()) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a rule for a group of his",
        before: |house| {
            wants_oda(house);
            a_group(house, "crew", &["tomas"]);
        },
        does: |house| {
            let terms = Terms { asker: Some(id(house, "crew")), ..on_target(house, asks_nobody()) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a rule for the role",
        before: wants_oda,
        does: |house| {
            let terms = Terms { role: Some("writer".into()), ..on_target(house, asks_nobody()) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a rule for its weight",
        before: wants_oda,
        does: |house| {
            let terms = Terms { weight: Some(Weight::Privileged), ..on_target(house, asks_nobody()) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a rule for a label that is there",
        before: |house| {
            wants_oda(house);
            let labels = labelled(house);
            long_ago(house, labels);
        },
        does: |house| {
            let terms = of_trials(house, asks_nobody());
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a label of a rule that is there",
        before: |house| {
            wants_oda(house);
            let terms = of_trials(house, asks_nobody());
            long_ago(house, set(terms));
        },
        does: |house| {
            let labels = labelled(house);
            he(house, labels)
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "the end of the rule",
        before: wants_oda,
        does: |house| {
            let terms = last_rule(house).id;
            he(house, TermsCommand::End { terms })
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "the rule suspended",
        before: wants_oda,
        does: |house| {
            let terms = last_rule(house).id;
            he(house, suspend(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "another rule resumed",
        before: |house| {
            wants_oda(house);
            let lax = Terms { role: Some("writer".into()), ..on_target(house, asks_nobody()) };
            long_ago(house, set(lax));
            let terms = last_rule(house).id;
            long_ago(house, suspend(terms));
        },
        does: |house| {
            let terms = last_rule(house).id;
            he(house, TermsCommand::Resume { terms })
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "the rule about another act",
        before: wants_oda,
        does: |house| {
            let terms = Terms { act: Act::Extend, ..last_rule(house) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a group that is asked less",
        before: |house| {
            wants_oda(house);
            a_group(house, "crew", &[]);
            let terms = Terms { asker: Some(id(house, "crew")), ..on_target(house, asks_nobody()) };
            long_ago(house, set(terms));
        },
        does: |house| {
            let joins = joins(house, "crew", "tomas");
            he(house, joins)
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "out of a group that is asked more",
        before: |house| {
            a_group(house, "suppliers", &["tomas"]);
            let oda = Approver::Subject { id: id(house, "oda") };
            let terms = Terms { asker: Some(id(house, "suppliers")), ..on_target(house, asks(vec![oda])) };
            nobody_is_asked(house);
            long_ago(house, set(terms));
        },
        does: |house| {
            let leaves = leaves(house, "suppliers", "tomas");
            he(house, leaves)
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "an account of his own naming",
        before: |house| wants(house, asks_nobody()),
        does: |house| {
            let (subject, target) = (id(house, "tomas"), house.target());
            he(house, PeopleCommand::SetAccount { subject, target, account: Said::new("deploy") })
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "an administrator of his making sets them",
        before: wants_oda,
        does: |house| {
            let makes = duty(house, DutyKind::Administrator, "piet");
            he(house, makes)?;
            let terms = Terms { settings: asks_nobody(), ..last_rule(house) };
            as_one(house, "piet", set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "an assurance that takes less",
        before: |house| wants_fresh(house, None, None),
        does: |house| {
            let AssuranceCommand::Set { assurance } = fresh(None, None, house) else { unreachable!() };
            let assurance = Assurance { within: Seconds::minutes(5), ..assurance };
            he(house, AssuranceCommand::Set { assurance })
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "among those whom an assurance spares",
        before: |house| {
            a_group(house, "spared", &[]);
            wants_fresh(house, Some("spared"), None);
        },
        does: |house| {
            let joins = joins(house, "spared", "tomas");
            he(house, joins)
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "out of those with whom one is tried out",
        before: |house| {
            a_group(house, "trying", &["tomas"]);
            wants_fresh(house, None, Some("trying"));
        },
        does: |house| {
            let leaves = leaves(house, "trying", "tomas");
            he(house, leaves)
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "longer hours",
        before: |house| {
            let week = Week { zone: "UTC".to_owned(), open: BTreeSet::from(["mon-sun 00:00-24:00".parse().unwrap()]) };
            wants(house, Settings { hours: Some(Hours(BTreeSet::from([week]))), ..asks_nobody() });
        },
        does: |house| {
            let settings = Settings { hours: Some(Hours::default()), ..asks_nobody() };
            let terms = Terms { settings, ..last_rule(house) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "hours in which nobody is asked",
        before: wants_oda,
        does: |house| {
            let week = Week { zone: "UTC".to_owned(), open: BTreeSet::from(["mon-sun 00:00-24:00".parse().unwrap()]) };
            let stages = vec![StageTerms { approvers: vec![Approver::Administrators], ..StageTerms::default() }];
            let approval = Approval::OutsideHours { hours: Hours(BTreeSet::from([week])), stages };
            let settings = Settings { approval: Some(approval), ..Settings::default() };
            let terms = Terms { settings, ..last_rule(house) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a freeze called off",
        before: |house| {
            let freeze = freeze(later(house.now, Seconds::hours(48)));
            long_ago(house, freeze);
            let closed = Some(Closed(BTreeSet::from(["freeze".to_owned()])));
            wants(house, Settings { closed, ..asks_nobody() });
        },
        does: |house| {
            let freeze = freeze(later(house.now, Seconds::hours(24 * 30)));
            he(house, freeze)
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "more uses",
        before: |house| wants(house, Settings { uses: Some(UsesRule::One), ..asks_nobody() }),
        does: |house| {
            let settings = Settings { uses: Some(UsesRule::Any), ..asks_nobody() };
            let terms = Terms { settings, ..last_rule(house) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a rule that begins later",
        before: wants_oda,
        does: |house| {
            let from = Some(later(house.now, Seconds::hours(48)));
            let terms = Terms { asker: Some(id(house, "tomas")), ..on_target(house, asks_nobody()) };
            he(house, set(Terms { valid: Validity { from, until: None }, ..terms }))?;
            passes(house, Seconds::hours(48));
            Ok(())
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "an end for the rule",
        before: wants_oda,
        does: |house| {
            let until = Some(later(house.now, Seconds::hours(48)));
            let terms = Terms { valid: Validity { from: None, until }, ..last_rule(house) };
            he(house, set(terms))?;
            passes(house, Seconds::hours(48));
            Ok(())
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a rule that he had set to end",
        before: |house| {
            wants(house, asks_nobody());
            let until = Some(later(house.now, Seconds::hours(72)));
            let oda = Approver::Subject { id: id(house, "oda") };
            let terms = Terms { role: Some("writer".into()), ..on_target(house, asks(vec![oda])) };
            he(house, set(Terms { valid: Validity { from: None, until }, ..terms })).unwrap();
        },
        does: |house| {
            passes(house, Seconds::hours(24));
            Ok(())
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "two rules of his that end at one moment",
        before: |house| {
            wants(house, asks_nobody());
            let until = Some(later(house.now, Seconds::hours(72)));
            for _ in 0..2 {
                let oda = Approver::Subject { id: id(house, "oda") };
                let terms = Terms { role: Some("writer".into()), ..on_target(house, asks(vec![oda])) };
                he(house, set(Terms { valid: Validity { from: None, until }, ..terms })).unwrap();
            }
        },
        does: |house| {
            passes(house, Seconds::hours(24));
            Ok(())
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "the end of a rule that would begin",
        before: begins_in_an_hour,
        does: |house| {
            let terms = last_rule(house).id;
            he(house, TermsCommand::End { terms })
        },
        yes_of: "",
        why: "weakened",
    },
    Route {
        name: "a rule put off that would begin",
        before: begins_in_an_hour,
        does: |house| {
            let from = Some(later(house.now, Seconds::hours(24 * 300)));
            let terms = Terms { valid: Validity { from, until: None }, ..last_rule(house) };
            he(house, set(terms))
        },
        yes_of: "",
        why: "weakened",
    },
];

/// Nobody is asked; an hour after what he does oda will be.
fn begins_in_an_hour(house: &mut House) {
    wants(house, asks_nobody());
    let from = Some(later(house.now, Seconds::hours(49)));
    let oda = Approver::Subject { id: id(house, "oda") };
    let terms = Terms { role: Some("writer".into()), ..on_target(house, asks(vec![oda])) };
    long_ago(house, set(Terms { valid: Validity { from, until: None }, ..terms }));
}
