//! Breaking the glass: what a named few have to bring to hold a right at once, and what they go past.

use crate::{
    Approval, AskRefusal, Closed, DebriefRule, DebriefTerms, Effective, Hours, OnlyWhile, Purposes, ReasonRule,
    References, Refusal, Right, Seconds, Setting, Starts, SubjectId, TicketRule, World,
};

/// How old the proof of whoever breaks it may be.
pub(crate) const FOR_GLASS: Seconds = Seconds::minutes(5);
/// How long a reason they give at least.
const REASON: ReasonRule = ReasonRule::Required { at_least: 10 };

/// What a few are let go past, each setting by its name.
const PASSED: [&str; 8] = [
    Approval::NAME,
    Hours::NAME,
    Closed::NAME,
    OnlyWhile::NAME,
    TicketRule::NAME,
    Purposes::NAME,
    References::NAME,
    Starts::NAME,
];

impl Effective {
    /// The terms as they are for one of the few who breaks the glass: nobody is asked, at whatever hour, and nothing is wanted
    /// but a reason; it begins at once, and somebody else looks at what was done.
    ///
    /// # Errors
    /// Refuses everybody else.
    pub(crate) fn through_glass(mut self, world: &World, person: SubjectId, right: Right) -> Result<Self, Refusal> {
        if !self.glass.is_for(world, person) {
            return Err(AskRefusal::GlassNotYours { right: world.right_name(right) }.into());
        }
        let let_in = self.trace::<crate::Glass>().and_then(|trace| trace.rule);
        for trace in self.traces.iter_mut().filter(|trace| PASSED.contains(&&*trace.setting)) {
            trace.passed_over.extend(trace.rule);
            trace.passed_over.append(&mut trace.tightened_by);
            trace.rule = let_in;
        }
        let debrief = match self.debrief {
            DebriefRule::None => DebriefRule::Wanted(DebriefTerms::default()),
            wanted => wanted,
        };
        Ok(Self {
            approval: Approval::None,
            hours: Hours::default(),
            closed: Closed::default(),
            only_while: OnlyWhile::default(),
            ticket: TicketRule::default(),
            purposes: Purposes::default(),
            references: References::default(),
            starts: Starts { at_yes: true, at_time_within: None, begin_within: None },
            reason: self.reason.max(REASON),
            assurance: self.assurance.min(crate::ProofMaxAge(FOR_GLASS)),
            debrief,
            ..self
        })
    }
}
