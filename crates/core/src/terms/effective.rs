//! What holds for one ask, of all rules that fit it. Each setting is decided alone, by [`PRECEDENCE`]; the trace says which
//! rule won it and which tightened it.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Act, Approval, Approver, LapseRule, ReasonRule, Settings, Starts, Terms, TicketRule};
use crate::{Right, SubjectId, TermsId, World, time::Seconds};

/// The order in which rules are weighed, as shown to people.
pub const PRECEDENCE: &str = "For each setting, of the rules that fit and set it: the deepest scope wins; at one scope, a rule \
that names the role before one that names a weight before one for any role; then one that names labels before one \
that names none; then one that names the person before one for a group before one for anyone; then the stricter. A \
setting that a rule above pins may be tightened below, never relaxed. What no rule sets comes from the house's own \
defaults. A rule that goes by what targets say of themselves only tightens.";

/// Where one setting's value came from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Trace {
    /// Name of the setting.
    pub setting: String,
    /// The rule that won it; none for the house's defaults.
    pub rule: Option<TermsId>,
    /// Rules above whose pin tightened the winner's value.
    pub tightened_by: Vec<TermsId>,
    /// Other rules that fit and set it, in the order they would have come.
    pub passed_over: Vec<TermsId>,
}

/// What holds for one act on one right by one asker.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Effective {
    /// Longest duration.
    pub longest: Seconds,
    /// Duration where none is asked for.
    pub usual: Seconds,
    /// When the clock may start.
    pub starts: Starts,
    /// Reason.
    pub reason: ReasonRule,
    /// Ticket.
    pub ticket: TicketRule,
    /// How old the last TOTP code may be.
    pub assurance: Seconds,
    /// Approval.
    pub approval: Approval,
    /// How it must end.
    pub lapse: LapseRule,
    /// Where each came from.
    pub traces: Vec<Trace>,
}

/// What holds where no rule says otherwise: short, with a reason and a yes from an administrator. An administrator
/// makes somebody eligible alone, for as long as they say.
fn house_defaults(act: Act) -> Settings {
    let elevate = Settings {
        longest: Some(Seconds::hours(1)),
        usual: Some(Seconds::minutes(30)),
        starts: Some(Starts { at_yes: true, at_time_within: None, begin_within: None }),
        reason: Some(ReasonRule::Required { at_least: 8 }),
        ticket: Some(TicketRule::Off),
        assurance: Some(Seconds::minutes(10)),
        approval: Some(Approval::Stage {
            approvers: vec![Approver::Administrators],
            yes: 1,
            no: 1,
            within: Seconds::hours(8),
        }),
        lapse: Some(LapseRule::Any),
    };
    match act {
        Act::BeMadeEligible => Settings {
            longest: Some(Seconds(u32::MAX)),
            reason: Some(ReasonRule::Optional),
            assurance: Some(Seconds::minutes(15)),
            approval: Some(Approval::None),
            ..elevate
        },
        Act::Elevate | Act::OpenSession | Act::SeeSecret => elevate,
    }
}

/// The terms that hold for one act on one right by one asker, by [`PRECEDENCE`].
#[must_use]
pub fn effective_terms(world: &World, act: Act, right: Right, asker: SubjectId) -> Effective {
    effective_under(world, world.terms.values(), act, right, asker)
}

/// The terms that would hold if `rules` were all there are.
#[must_use]
pub fn effective_under<'w>(
    world: &'w World,
    rules: impl Iterator<Item = &'w Terms>,
    act: Act,
    right: Right,
    asker: SubjectId,
) -> Effective {
    let mut rules: Vec<&Terms> = rules.filter(|rule| rule.fits(world, act, right, asker)).collect();
    rules.sort_by_key(|rule| (std::cmp::Reverse(rule.specificity(world)), rule.id));
    let house = house_defaults(act);
    let weigh = Weigh { world, rules, traces: std::cell::RefCell::default() };
    let longest = weigh.setting("longest", |s| s.longest, Ord::min, &house);
    let usual = weigh.setting("usual", |s| s.usual, Ord::min, &house).min(longest);
    Effective {
        longest,
        usual,
        starts: weigh.setting("starts", |s| s.starts.clone(), stricter_starts, &house),
        reason: weigh.setting("reason", |s| s.reason, Ord::max, &house),
        ticket: weigh.setting("ticket", |s| s.ticket.clone(), stricter_ticket, &house),
        assurance: weigh.setting("assurance", |s| s.assurance, Ord::min, &house),
        approval: weigh.setting_by("approval", |s| s.approval.clone(), stricter_approval, reported_approval, &house),
        lapse: weigh.setting("lapse", |s| s.lapse, Ord::max, &house),
        traces: weigh.traces.into_inner(),
    }
}

struct Weigh<'w> {
    world: &'w World,
    /// Those that fit, most specific first.
    rules: Vec<&'w Terms>,
    traces: std::cell::RefCell<Vec<Trace>>,
}

impl Weigh<'_> {
    fn setting<T: Clone + PartialEq>(
        &self,
        name: &str,
        get: impl Fn(&Settings) -> Option<T>,
        stricter: impl Fn(T, T) -> T,
        house: &Settings,
    ) -> T {
        self.setting_by(name, get, &stricter, &stricter, house)
    }

    /// As [`Self::setting`], where a rule that goes by what targets say of themselves tightens otherwise than a pin.
    fn setting_by<T: Clone + PartialEq>(
        &self,
        name: &str,
        get: impl Fn(&Settings) -> Option<T>,
        stricter: impl Fn(T, T) -> T,
        reported: impl Fn(T, T) -> T,
        house: &Settings,
    ) -> T {
        let set: Vec<(&Terms, T)> =
            self.rules.iter().filter_map(|rule| get(&rule.settings).map(|value| (*rule, value))).collect();
        // What a target says of itself never decides, so that one that lies gains nothing.
        let winner = set.iter().find(|(rule, _)| rule.attributes.is_empty()).cloned();
        let won = winner.as_ref().map(|(rule, _)| rule.id);
        let others = || set.iter().filter(|(rule, _)| Some(rule.id) != won);
        let mut trace = Trace {
            setting: name.to_owned(),
            rule: won,
            tightened_by: Vec::new(),
            passed_over: others().map(|(rule, _)| rule.id).collect(),
        };
        let rank = winner.as_ref().map(|(rule, _)| rule.specificity(self.world));
        let mut value = match winner {
            Some((_, value)) => value,
            // The house sets everything; `house_defaults` is the only caller's argument.
            None => get(house).expect("the house's defaults set every setting"),
        };
        for (rule, other) in others() {
            let equal_rank = Some(rule.specificity(self.world)) == rank;
            if equal_rank || !rule.attributes.is_empty() || rule.pins.iter().any(|pin| pin == name) {
                let by_report = !rule.attributes.is_empty();
                let tighten = |a, b| if by_report { reported(a, b) } else { stricter(a, b) };
                let tightened = tighten(value.clone(), other.clone());
                if tightened != value {
                    trace.tightened_by.push(rule.id);
                    value = tightened;
                }
            }
        }
        self.traces.borrow_mut().push(trace);
        value
    }
}

fn stricter_starts(below: Starts, above: Starts) -> Starts {
    let both = |a: Option<Seconds>, b: Option<Seconds>| a.zip(b).map(|(a, b)| a.min(b));
    let merged = Starts {
        at_yes: below.at_yes && above.at_yes,
        at_time_within: both(below.at_time_within, above.at_time_within),
        begin_within: both(below.begin_within, above.begin_within),
    };
    // Two rules with no way in common would leave no way at all: the one above holds.
    if merged.at_yes || merged.at_time_within.is_some() || merged.begin_within.is_some() { merged } else { above }
}

fn stricter_ticket(below: TicketRule, above: TicketRule) -> TicketRule {
    if below.rank() > above.rank() {
        // A stricter demand below keeps the form that is demanded above.
        match (below, above.pattern()) {
            (TicketRule::Required { .. }, Some(pattern)) => TicketRule::Required { pattern: Some(pattern.to_owned()) },
            (below, _) => below,
        }
    } else {
        match (&above, above.pattern(), below.pattern()) {
            (TicketRule::Required { .. }, None, Some(pattern)) => {
                TicketRule::Required { pattern: Some(pattern.to_owned()) }
            }
            _ => above,
        }
    }
}

/// A target that lies about itself puts nobody in an approver's place: of those that other rules name it may leave fewer, or
/// want more of their yes.
fn reported_approval(set: Approval, reported: Approval) -> Approval {
    let (Approval::Stage { approvers, .. }, Approval::Stage { approvers: named, yes, no, within }) = (&set, &reported)
    else {
        return if set == Approval::None { reported } else { set };
    };
    let both: Vec<Approver> = approvers.iter().filter(|approver| named.contains(approver)).copied().collect();
    let approvers = if both.is_empty() { approvers.clone() } else { both };
    stricter_approval(set, Approval::Stage { approvers, yes: *yes, no: *no, within: *within })
}

fn stricter_approval(below: Approval, above: Approval) -> Approval {
    let (
        Approval::Stage { approvers, yes, no, within },
        Approval::Stage { approvers: from, yes: least, no: most, within: longest },
    ) = (&below, &above)
    else {
        return if below == Approval::None { above } else { below };
    };
    // Only a choice among those above counts as tightening; other people would be a way around them.
    let narrowed = approvers.iter().all(|approver| from.contains(approver));
    Approval::Stage {
        approvers: if narrowed { approvers.clone() } else { from.clone() },
        yes: *yes.max(least),
        no: *no.min(most),
        within: *within.min(longest),
    }
}
