//! Making somebody eligible as an act of its own, cover for an absence, and what is suspended and resumed.

use jiff::Timestamp;
use tempestas_core::*;

use crate::house::{House, Who, rule, settings};

/// Terms for making somebody eligible: `hours` at most, a reason, and a yes from oda or piet.
fn house(hours: u32) -> House {
    let mut house = House::new(&settings(0));
    let approvers = [Who::First, Who::Other, Who::Asker].map(|who| Approver::Subject { id: house.id(who) }).to_vec();
    let made = Settings {
        longest: Some(Longest(Seconds::hours(hours))),
        reason: Some(ReasonRule::Required { at_least: 5 }),
        approval: Some(Approval::from(StageTerms { approvers, ..StageTerms::default() })),
        ..Settings::default()
    };
    let terms = Terms { act: Act::BeMadeEligible, ..rule(house.world.root.unwrap(), made) };
    house.well(Who::Administrator, TermsCommand::Set { terms });
    house.now = later(house.now, Seconds::hours(48));
    house
}

fn give(house: &House, who: Who, hours: Option<u32>, reason: &str) -> Command {
    EligibilityCommand::Give {
        subject: house.id(who),
        right: house.right(),
        from: None,
        until: hours.map(|hours| later(house.now, Seconds::hours(hours))),
        reason: Some(Said::new(reason)),
    }
    .into()
}

fn last(house: &House) -> Appointment {
    house.world.appointments.values().next_back().unwrap().clone()
}

fn answer(house: &mut House, who: Who, verdict: Verdict) -> Result<Decision, Refusal> {
    let (appointment, shown) = (last(house).id, last(house).digest());
    house.try_as(who, EligibilityCommand::Answer { appointment, verdict, reason: Some(Said::new("as it is")), shown })
}

fn may_ask(house: &House, who: Who) -> bool {
    demand_for(&house.world, house.id(who), house.right(), house.now).is_ok()
}

#[test]
fn making_somebody_eligible_is_an_act_under_terms_and_waits_for_a_second_person() {
    let mut house = house(24);
    for (hours, reason, why) in [
        (None, "for the berths", "lasts-too-long"),
        (Some(30), "for the berths", "lasts-too-long"),
        (Some(4), "no", "wish-without-reason"),
    ] {
        let refused = house.try_as(Who::Administrator, give(&house, Who::Asker, hours, reason)).unwrap_err();
        assert_eq!(refused.cause(), Some(why), "{refused}");
    }
    house.well(Who::Administrator, give(&house, Who::Other, Some(20), "for the berths"));
    assert_eq!(last(&house).state, AppointmentState::Waiting);
    assert!(!may_ask(&house, Who::Other), "a yes is wanted first");
    assert!(answer(&mut house, Who::Other, Verdict::Yes).is_err(), "nobody says yes to their own gain");
    assert!(answer(&mut house, Who::Administrator, Verdict::Yes).is_err(), "whoever wished it is not named");
    let again = give(&house, Who::Other, Some(20), "for the berths");
    let wished = EligibilityRefusal::WishedAlready { other: last(&house).id };
    assert_eq!(house.try_as(Who::Administrator, again.clone()), Err(wished.into()));
    answer(&mut house, Who::First, Verdict::Yes).unwrap();
    assert_eq!(last(&house).state, AppointmentState::Made);
    assert!(may_ask(&house, Who::Other));
    house.now = later(house.now, Seconds::hours(21));
    assert!(!may_ask(&house, Who::Other), "it ended when it was to end");

    house.well(Who::Administrator, give(&house, Who::Other, Some(20), "once more"));
    answer(&mut house, Who::First, Verdict::No).unwrap();
    house.well(Who::Administrator, give(&house, Who::Other, Some(19), "once more"));
    house.now = later(house.now, Seconds::hours(9));
    house.tick();
    let states: Vec<AppointmentState> = house.world.appointments.values().rev().take(2).map(|one| one.state).collect();
    assert_eq!(states, [AppointmentState::Unanswered, AppointmentState::Refused]);
    assert!(!may_ask(&house, Who::Other));
    house.replay();
}

#[test]
fn a_holder_wishes_for_renewal_and_a_window_is_changed_in_place() {
    let mut house = house(24 * 7);
    let eligibility = *house.world.eligibilities.keys().next().unwrap();
    let until = |house: &House, hours| Some(Some(later(house.now, Seconds::hours(hours))));
    let change =
        |until| EligibilityCommand::Change { eligibility, from: None, until, reason: Some(Said::new("still on call")) };
    let endless = change(until(&house, 40));
    let endless_already = EligibilityRefusal::NothingToRenew { id: eligibility };
    assert_eq!(house.try_as(Who::Asker, endless.clone()), Err(endless_already.into()));
    house.well(Who::Administrator, endless);
    assert_eq!(house.world.appointments.len(), 1, "shortening asks nobody");
    assert!(house.try_as(Who::Other, change(until(&house, 60))).is_err(), "it is not theirs");
    let renewal = change(until(&house, 100));
    house.well(Who::Asker, renewal);
    let before = house.world.eligibilities[&eligibility].until;
    answer(&mut house, Who::Other, Verdict::Yes).unwrap();
    assert!(house.world.eligibilities[&eligibility].until > before);
    assert_eq!(house.world.eligibilities.len(), 1, "changed in place");
    let for_good = change(Some(None));
    let right = house.world.right_name(house.right());
    let too_long = EligibilityRefusal::LastsTooLong { right, longest: Seconds::hours(24 * 7) };
    assert_eq!(house.try_as(Who::Administrator, for_good.clone()), Err(too_long.into()));
    house.replay();
}

#[test]
fn a_stand_in_may_ask_from_its_start_to_its_end_and_there_is_an_account_of_it() {
    let mut house = House::new(&settings(0));
    let target = house.target();
    let (absent, stand_in) = (house.id(Who::Asker), house.id(Who::First));
    house.well(
        Who::Administrator,
        PeopleCommand::SetAccount { subject: stand_in, target, account: Said::new("o.lind") },
    );
    let (from, until) = (later(house.now, Seconds::hours(1)), later(house.now, Seconds::hours(9)));
    let cover = |stand_in| EligibilityCommand::Cover { absent, stand_in, from: Some(from), until, reason: None };
    assert!(house.try_as(Who::Other, cover(stand_in)).is_err(), "neither absent nor an administrator");
    assert!(house.try_as(Who::Asker, cover(house.id(Who::Second))).is_err(), "nobody stands in for themselves");
    for caller in [Caller::service(), Caller::keeper_of(target), Caller::nobody(Said::new("192.0.2.7"))] {
        house.act(caller, cover(stand_in)).unwrap_err();
    }
    house.well(Who::Administrator, PeopleCommand::Suspend { subject: absent });
    assert!(house.try_as(Who::Asker, cover(stand_in)).is_err(), "who is suspended hands nothing on");
    house.well(Who::Administrator, PeopleCommand::Resume { subject: absent });
    house.well(Who::Asker, cover(stand_in));
    assert_eq!(last(&house).state, AppointmentState::Waiting, "the absent person's own wish wants a yes");
    assert!(answer(&mut house, Who::First, Verdict::Yes).is_err());
    answer(&mut house, Who::Administrator, Verdict::Yes).unwrap();
    assert!(!may_ask(&house, Who::First), "not before it begins");
    house.now = later(from, Seconds(1));
    let asked = house.ask(Who::First, 3600, StartChoice::AtYes).unwrap();
    house.obey();
    assert!(may_ask(&house, Who::Asker), "the absent person loses nothing");
    house.now = later(until, Seconds(1));
    house.tick();
    assert!(!may_ask(&house, Who::First));
    let account = last(&house);
    assert_eq!(account.state, AppointmentState::Over);
    assert_eq!(account.elevations(&house.world).map(|one| one.id).collect::<Vec<_>>(), [asked]);

    let late = Timestamp::MAX;
    let command = EligibilityCommand::Cover { absent, stand_in, from: None, until: late, reason: None };
    house.well(Who::Administrator, command);
    assert!(may_ask(&house, Who::First));
    let appointment = last(&house).id;
    house.well(Who::Asker, EligibilityCommand::EndAppointment { appointment });
    assert!(!may_ask(&house, Who::First), "ended early");
    house.replay();
    house.run_out();
}

#[test]
fn what_is_suspended_stays_as_it_is_and_is_resumed() {
    let mut house = House::new(&settings(1));
    let eligibility = *house.world.eligibilities.keys().next().unwrap();
    let before = house.world.eligibilities[&eligibility].clone();
    let reason = Said::new("on leave until spring");
    assert!(house.try_as(Who::Asker, EligibilityCommand::Suspend { eligibility, reason: reason.clone() }).is_err());
    house.well(Who::Administrator, EligibilityCommand::Suspend { eligibility, reason: reason.clone() });
    let (right, since) = (house.world.right_name(house.right()), house.now);
    let suspended = AskRefusal::Suspended { right, since, reason: reason.0.clone() };
    assert_eq!(house.ask(Who::Asker, 60, StartChoice::AtYes), Err(suspended.into()));
    house.well(Who::Administrator, EligibilityCommand::Resume { eligibility });
    assert_eq!(house.world.eligibilities[&eligibility], before);

    let terms = *house.world.terms.keys().next().unwrap();
    let right = house.right();
    let longest = |house: &House| effective_terms(&house.world, Act::Elevate, right, house.id(Who::Asker)).longest.0;
    assert_eq!(longest(&house), Seconds::hours(2));
    house.well(Who::Administrator, TermsCommand::Suspend { terms, reason });
    assert_eq!(longest(&house), Seconds::hours(1), "the house's own");
    house.well(Who::Administrator, TermsCommand::Resume { terms });
    assert_eq!(longest(&house), Seconds::hours(2));
    assert!(house.try_as(Who::Administrator, TermsCommand::Resume { terms }).is_err());
    house.replay();
}

#[test]
fn whoever_takes_away_the_terms_that_demanded_a_yes_waits_a_day_to_profit() {
    let mut house = House::new(&settings(1));
    let (mara, right, target) = (house.id(Who::Administrator), house.right(), house.target());
    house.well(Who::Administrator, PeopleCommand::SetAccount { subject: mara, target, account: Said::new("m.voss") });
    house.now = later(house.now, Seconds::hours(25));
    house.well(
        Who::Administrator,
        EligibilityCommand::Give { subject: mara, right, from: None, until: None, reason: None },
    );
    let open = rule(target, Settings { approval: Some(Approval::None), ..Settings::default() });
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { role: Some("nothing".into()), ..open.clone() } });
    let strict = *house.world.terms.keys().next().unwrap();
    house.well(Who::Administrator, TermsCommand::Set { terms: Terms { scope: house.world.root.unwrap(), ..open } });
    house.now = later(house.now, Seconds::hours(48));
    house.well(Who::Administrator, TermsCommand::Suspend { terms: strict, reason: Said::new("tidying up") });
    let own = EligibilityCommand::Give { subject: mara, right, from: None, until: None, reason: None };
    assert_eq!(house.try_as(Who::Administrator, own.clone()), Err(AskRefusal::Weakened.into()));
    assert_eq!(house.ask(Who::Administrator, 60, StartChoice::AtYes), Err(AskRefusal::Weakened.into()));
    house.now = later(house.now, Seconds::hours(25));
    house.ask(Who::Administrator, 60, StartChoice::AtYes).unwrap();
}
