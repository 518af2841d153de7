//! Routes by who says yes.

use super::*;

/// What is done, and by whose yes it would go.
pub(super) const ROUTES: [Route; 17] = [
    Route {
        name: "he says yes himself",
        before: |house| {
            oda_answers(house);
            let joins = joins(house, "answering", "tomas");
            long_ago(house, joins);
        },
        does: |_| Ok(()),
        yes_of: "tomas",
        why: "own-ask",
    },
    Route {
        name: "his other sign-in says yes",
        before: |house| {
            oda_answers(house);
            let joins = joins(house, "answering", "tomas-admin");
            long_ago(house, joins);
        },
        does: |_| Ok(()),
        yes_of: "tomas-admin",
        why: "unknown",
    },
    Route {
        name: "a friend is put into the group that answers",
        before: oda_answers,
        does: |house| {
            let joins = joins(house, "answering", "piet");
            he(house, joins)
        },
        yes_of: "piet",
        why: "unknown",
    },
    Route {
        name: "a friend is put into a group within it",
        before: |house| {
            oda_answers(house);
            a_group(house, "night", &[]);
            let joins = joins(house, "answering", "night");
            long_ago(house, joins);
        },
        does: |house| {
            let joins = joins(house, "night", "piet");
            he(house, joins)
        },
        yes_of: "piet",
        why: "unknown",
    },
    Route {
        name: "a group of friends is put into it",
        before: |house| {
            oda_answers(house);
            a_group(house, "friends", &["piet"]);
        },
        does: |house| {
            let joins = joins(house, "answering", "friends");
            he(house, joins)
        },
        yes_of: "piet",
        why: "unknown",
    },
    Route {
        name: "an administrator of his making puts a friend in",
        before: |house| {
            oda_answers(house);
            long_ago(house, new(SubjectKind::Person, "signe"));
        },
        does: |house| {
            let makes = duty(house, DutyKind::Administrator, "piet");
            he(house, makes)?;
            let joins = joins(house, "answering", "signe");
            as_one(house, "piet", joins)
        },
        yes_of: "signe",
        why: "unknown",
    },
    Route {
        name: "somebody of his making is put in",
        before: oda_answers,
        does: |house| {
            he(house, new(SubjectKind::Person, "nils"))?;
            let joins = joins(house, "answering", "nils");
            he(house, joins)
        },
        yes_of: "nils",
        why: "unknown",
    },
    Route {
        name: "an approver whom he lets back in",
        before: |house| {
            oda_answers(house);
            let joins = joins(house, "answering", "piet");
            long_ago(house, joins);
            let subject = id(house, "piet");
            long_ago(house, PeopleCommand::Suspend { subject });
        },
        does: |house| {
            let subject = id(house, "piet");
            he(house, PeopleCommand::Resume { subject })
        },
        yes_of: "piet",
        why: "unknown",
    },
    Route {
        name: "a group of approvers that he lets back in",
        before: |house| {
            oda_answers(house);
            a_group(house, "night", &["piet"]);
            let joins = joins(house, "answering", "night");
            long_ago(house, joins);
            let subject = id(house, "night");
            long_ago(house, PeopleCommand::Suspend { subject });
        },
        does: |house| {
            let subject = id(house, "night");
            he(house, PeopleCommand::Resume { subject })
        },
        yes_of: "piet",
        why: "unknown",
    },
    Route {
        name: "an approver whose sign-in he sets anew",
        before: |house| {
            oda_answers(house);
            let joins = joins(house, "answering", "piet");
            long_ago(house, joins);
        },
        does: |house| {
            let subject = id(house, "piet");
            he(house, PeopleCommand::SetCredentials { subject, step: CredentialStep::Issued })
        },
        yes_of: "piet",
        why: "unknown",
    },
    Route {
        name: "he answers for an approver who is away",
        before: oda_answers,
        does: |house| {
            let (absent, delegate, until) =
                (id(house, "oda"), id(house, "tomas"), later(house.now, Seconds::hours(72)));
            he(house, DelegationCommand::Give { absent, delegate, from: None, until, reason: None })
        },
        yes_of: "tomas",
        why: "own-ask",
    },
    Route {
        name: "a friend answers for an approver who is away, as he says",
        before: oda_answers,
        does: |house| {
            let (absent, delegate, until) = (id(house, "oda"), id(house, "piet"), later(house.now, Seconds::hours(72)));
            he(house, DelegationCommand::Give { absent, delegate, from: None, until, reason: None })
        },
        yes_of: "piet",
        why: "unknown",
    },
    Route {
        name: "an administrator of his making, where administrators answer",
        before: |house| {
            let terms = on_target(house, asks(vec![Approver::Administrators]));
            long_ago(house, set(terms));
        },
        does: |house| {
            let makes = duty(house, DutyKind::Administrator, "piet");
            he(house, makes)
        },
        yes_of: "piet",
        why: "not-named",
    },
    Route {
        name: "an owner of his making, where owners answer",
        before: |house| {
            let owns = duty(house, DutyKind::Owner, "oda");
            long_ago(house, owns);
            let terms = on_target(house, asks(vec![Approver::Owners]));
            long_ago(house, set(terms));
        },
        does: |house| {
            let owns = duty(house, DutyKind::Owner, "piet");
            he(house, owns)
        },
        yes_of: "piet",
        why: "not-named",
    },
    Route {
        name: "a manager of his choosing, where the manager answers",
        before: |house| {
            let terms = on_target(house, asks(vec![Approver::Manager]));
            long_ago(house, set(terms));
        },
        does: |house| {
            let (subject, manager) = (id(house, "tomas"), Some(id(house, "piet")));
            he(house, PeopleCommand::SetManager { subject, manager })
        },
        yes_of: "piet",
        why: "too-few-approvers",
    },
    Route {
        name: "a rule that names a friend",
        before: oda_answers,
        does: |house| {
            let piet = Approver::Subject { id: id(house, "piet") };
            let terms = Terms { id: last_rule(house).id, ..on_target(house, asks(vec![piet])) };
            he(house, set(terms))
        },
        yes_of: "piet",
        why: "too-few-approvers",
    },
    Route {
        name: "a rule of a friend's that names another, who both are his",
        before: oda_answers,
        does: |house| {
            let makes = duty(house, DutyKind::Administrator, "piet");
            he(house, makes)?;
            he(house, new(SubjectKind::Person, "nils"))?;
            let nils = Approver::Subject { id: id(house, "nils") };
            let terms = Terms { id: last_rule(house).id, ..on_target(house, asks(vec![nils])) };
            as_one(house, "piet", set(terms))
        },
        yes_of: "nils",
        why: "too-few-approvers",
    },
];
