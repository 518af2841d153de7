//! Asking to be made eligible: for what terms offer and nothing else, answered by somebody else, as all that makes somebody eligible.

use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// A house whose target offers its roles to everybody, or to some; nobody but tomas is eligible.
fn offering(to: Option<Who>) -> House {
    let mut house = House::new(&settings(0));
    let offered = Settings { offered: Some(OfferRule::Open), ..Settings::default() };
    let asker = to.map(|who| house.id(who));
    let terms = Terms { act: Act::BeMadeEligible, asker, ..rule(house.target(), offered) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    house
}

fn wish(house: &House, subject: SubjectId, hours: u32) -> EligibilityCommand {
    let (right, until) = (house.right(), later(house.now, Seconds::hours(hours)));
    EligibilityCommand::Wish { subject, right, until, reason: Some(Said::new("the patch run on Sunday")) }
}

fn wished(house: &mut House, who: Who) -> Result<Decision, Refusal> {
    let command = wish(house, house.id(who), 24);
    house.try_as(who, command)
}

fn last(house: &House) -> &Appointment {
    house.world.appointments.values().next_back().unwrap()
}

fn answer(house: &mut House, who: Who, verdict: Verdict) -> Result<Decision, Refusal> {
    let (appointment, shown) = (last(house).id, last(house).digest());
    house.try_as(who, EligibilityCommand::Answer { appointment, verdict, reason: Some(Said::new("as it is")), shown })
}

fn seen(house: &House, who: Who) -> Vec<Right> {
    house.world.offered_to(house.id(who), house.now)
}

#[test]
fn what_is_offered_is_wished_for_a_while_and_made_by_a_yes_of_somebody_else() {
    let mut house = offering(None);
    assert_eq!(seen(&house, Who::Other), [house.right()]);
    assert_eq!(seen(&house, Who::Asker), [], "who is eligible already is offered nothing");
    wished(&mut house, Who::Other).unwrap();
    assert_eq!(last(&house).state, AppointmentState::Waiting);
    let again = wished(&mut house, Who::Other).unwrap_err();
    assert_eq!(again.cause(), Some("wished-already"), "{again}");
    assert!(answer(&mut house, Who::Other, Verdict::Yes).is_err(), "nobody answers themselves");
    assert!(answer(&mut house, Who::Asker, Verdict::Yes).is_err(), "nor does whoever is not asked");
    answer(&mut house, Who::Administrator, Verdict::Yes).unwrap();
    let held = house.world.eligibilities_of(house.id(Who::Other)).next().unwrap();
    assert_eq!((held.right, held.until), (house.right(), last(&house).until));
    let already = wished(&mut house, Who::Other).unwrap_err();
    assert_eq!(already.cause(), Some("eligible-already"), "{already}");
    assert_eq!(seen(&house, Who::Other), []);
    house.now = later(house.now, Seconds::hours(25));
    house.tick();
    assert_eq!(seen(&house, Who::Other), [house.right()], "once it is over, it is offered again");
    house.replay();
}

#[test]
fn what_is_not_offered_is_answered_like_what_is_not_there() {
    let mut closed = House::new(&settings(0));
    let refused = wished(&mut closed, Who::Other).unwrap_err();
    assert_eq!(refused.code(), "unknown", "{refused}");
    assert_eq!(seen(&closed, Who::Other), []);
    let mut house = offering(Some(Who::First));
    assert_eq!((seen(&house, Who::First).len(), seen(&house, Who::Other).len()), (1, 0));
    assert_eq!(wished(&mut house, Who::Other).unwrap_err(), refused);
    // For others nobody wishes, and for a group only its members.
    let for_first = wish(&house, house.id(Who::First), 24);
    assert_eq!(house.try_as(Who::Other, for_first).unwrap_err(), refused);
    wished(&mut house, Who::First).unwrap();
    // A rule below, or a pin above, closes it again.
    let close = Settings { offered: Some(OfferRule::Closed), ..Settings::default() };
    let asker = Some(house.id(Who::First));
    let terms = Terms { act: Act::BeMadeEligible, asker, ..rule(house.target(), close) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    assert_eq!(seen(&house, Who::First), []);
}

#[test]
fn a_group_is_wished_for_by_its_members_none_of_whom_answers() {
    let mut house = offering(None);
    let (name, about) = (Said::new("tide-watch"), Said::new("some of us"));
    house
        .well(Who::Administrator, PeopleCommand::AddSubject { kind: SubjectKind::Group, name, about, second_of: None });
    let group = house.world.subject_named("tide-watch").unwrap().id;
    let for_group = wish(&house, group, 24);
    assert_eq!(house.try_as(Who::Other, for_group.clone()).unwrap_err().code(), "unknown", "not one of theirs");
    for who in [Who::Other, Who::Administrator] {
        let member = house.id(who);
        house.well(Who::Administrator, PeopleCommand::AddMember { group, member });
    }
    house.now = later(house.now, Seconds::hours(48));
    let for_group = wish(&house, group, 24);
    let nobody = house.try_as(Who::Other, for_group).unwrap_err();
    assert_eq!(nobody.cause(), Some("too-few-to-appoint"), "the administrator is one of them: {nobody}");
}

#[test]
fn who_owns_the_place_decides_and_the_terms_of_making_somebody_eligible_hold() {
    let mut house = offering(None);
    let (owner, scope) = (house.id(Who::First), house.target());
    house.well(Who::Administrator, PeopleCommand::GiveDuty { subject: owner, kind: DutyKind::Owner, scope });
    let made = Settings {
        longest: Some(Longest(Seconds::hours(30))),
        reason: Some(ReasonRule::Required { at_least: 60 }),
        ..Settings::default()
    };
    let terms = Terms { act: Act::BeMadeEligible, ..rule(house.world.root.unwrap(), made) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    let me = house.id(Who::Other);
    let takes = offer_takes(&house.world, me, me, house.right(), house.now).unwrap();
    assert_eq!((takes.longest, takes.reason), (Some(Seconds::hours(30)), Some(60)));
    assert!(takes.stages[0].approvers.contains(&owner), "{takes:?}");
    let short = wished(&mut house, Who::Other).unwrap_err();
    assert_eq!(short.cause(), Some("wish-without-reason"), "{short}");
    let long = EligibilityCommand::Wish {
        subject: me,
        right: house.right(),
        until: later(house.now, Seconds::hours(40)),
        reason: Some(Said::new("x".repeat(60))),
    };
    assert_eq!(house.try_as(Who::Other, long.clone()).unwrap_err().cause(), Some("lasts-too-long"));
    let EligibilityCommand::Wish { subject, right, reason, .. } = long else { unreachable!() };
    let past = EligibilityCommand::Wish { subject, right, until: house.now, reason: reason.clone() };
    assert_eq!(house.try_as(Who::Other, past).unwrap_err().cause(), Some("empty-window"));
    let until = later(house.now, Seconds::hours(20));
    house.well(Who::Other, EligibilityCommand::Wish { subject, right, until, reason });
    answer(&mut house, Who::First, Verdict::Yes).unwrap();
    assert_eq!(last(&house).state, AppointmentState::Made);
}
