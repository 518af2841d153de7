//! Whether somebody else looks at what was done afterwards, and whom it goes to where nobody does.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{
    Approver,
    approval::{names_someone_new, narrowed, read_approvers, write_approvers},
};
use crate::{
    Act, Refusal, Seconds, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, of_elevating},
};

/// What is looked at within less is looked at by nobody in earnest.
const LEAST: Seconds = Seconds::minutes(5);
/// After longer nobody remembers what was done.
const MOST: Seconds = Seconds::hours(24 * 30);

/// Whether somebody other than the holder looks at what was done, and signs it off. Nobody did before there was such a setting.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum DebriefRule {
    /// Nobody has to.
    #[default]
    None,
    /// One of these has to.
    Wanted(DebriefTerms),
}

/// Who looks at what was done, and by when.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct DebriefTerms {
    /// Who may sign it off.
    pub by: Vec<Approver>,
    /// How long after its end; then it goes higher.
    pub within: Seconds,
    /// Who may as well from then on.
    pub higher: Vec<Approver>,
}

impl Default for DebriefTerms {
    /// One of the administrators, within a day.
    fn default() -> Self {
        let administrators = || vec![Approver::Administrators];
        Self { by: administrators(), within: Seconds::hours(24), higher: administrators() }
    }
}

impl DebriefRule {
    /// What it wants, if anything.
    #[must_use]
    pub const fn wanted(&self) -> Option<&DebriefTerms> {
        match self {
            Self::None => None,
            Self::Wanted(terms) => Some(terms),
        }
    }

    /// Both of two.
    fn both(self, other: Self, both: impl Fn(&DebriefTerms, &DebriefTerms) -> DebriefTerms) -> Self {
        match (self, other) {
            (Self::Wanted(one), Self::Wanted(other)) => Self::Wanted(both(&one, &other)),
            (Self::None, one) | (one, Self::None) => one,
        }
    }
}

impl DebriefTerms {
    /// Who signs it off, in words.
    #[must_use]
    pub fn by_whom(&self, world: &World) -> String {
        write_approvers(&self.by, world).join(" or ")
    }

    fn stricter(below: &Self, above: &Self) -> Self {
        Self {
            by: narrowed(&below.by, &above.by),
            within: below.within.min(above.within),
            higher: narrowed(&below.higher, &above.higher),
        }
    }

    fn tightened_by_report(set: &Self, reported: &Self) -> Self {
        Self { within: set.within.min(reported.within), ..set.clone() }
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        self.within > before.within
            || names_someone_new(&self.by, &before.by)
            || names_someone_new(&self.higher, &before.higher)
    }
}

/// The same as people write it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is", deny_unknown_fields)]
#[schemars(rename = "DebriefRuleView")]
pub enum WrittenDebrief {
    /// Nobody has to look at what was done.
    None,
    /// One of these has to.
    Wanted {
        /// Who may sign it off, named as the approvers of a stage are.
        by: Vec<String>,
        /// How long after its end, in seconds; then it goes higher.
        within: Seconds,
        /// Who may as well from then on, named likewise.
        higher: Vec<String>,
    },
}

impl Setting for DebriefRule {
    const NAME: &'static str = "debrief";

    of_elevating!();

    type Written = WrittenDebrief;

    fn stricter(below: Self, above: Self) -> Self {
        below.both(above, DebriefTerms::stricter)
    }

    /// A target that lies about itself puts nobody in the place of those whom other rules name.
    fn tightened_by_report(set: Self, reported: Self) -> Self {
        set.both(reported, DebriefTerms::tightened_by_report)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        match (self, before) {
            (_, Self::None) => false,
            (Self::None, Self::Wanted(_)) => true,
            (Self::Wanted(after), Self::Wanted(before)) => after.demands_less_than(before),
        }
    }

    fn words(&self, world: &World) -> String {
        let Self::Wanted(terms) = self else {
            return "nobody has to look at what was done".to_owned();
        };
        let (by, higher) = (terms.by_whom(world), write_approvers(&terms.higher, world).join(" or "));
        format!("signed off by {by} within {} of its end, then by {higher} too", terms.within)
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        let Self::Wanted(DebriefTerms { by, within, higher }) = self else { return Ok(()) };
        if by.is_empty() || higher.is_empty() {
            return Err(TermsRefusal::DebriefByNobody.into());
        }
        if *within < LEAST || *within > MOST {
            return Err(TermsRefusal::DebriefTime { within: *within, least: LEAST, most: MOST }.into());
        }
        Ok(())
    }

    fn written(&self, world: &World) -> WrittenDebrief {
        match self {
            Self::None => WrittenDebrief::None,
            Self::Wanted(DebriefTerms { by, within, higher }) => WrittenDebrief::Wanted {
                by: write_approvers(by, world),
                within: *within,
                higher: write_approvers(higher, world),
            },
        }
    }

    fn read<E>(written: WrittenDebrief, find: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Self, E> {
        Ok(match written {
            WrittenDebrief::None => Self::None,
            WrittenDebrief::Wanted { by, within, higher } => {
                let (by, higher) = (read_approvers(&by, find)?, read_approvers(&higher, find)?);
                Self::Wanted(DebriefTerms { by, within, higher })
            }
        })
    }
}
