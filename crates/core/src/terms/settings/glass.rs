//! Who may break the glass: go past approval, hours and references at once, with the surest proof of themselves.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, ProofMethod, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, of_elevating},
};

/// More are no few any more.
const MOST: usize = 10;

/// A named few, and which proofs they break it with. Nobody may where none is named, as before there was such a setting.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Glass {
    /// People and groups.
    pub by: BTreeSet<SubjectId>,
    /// Proofs of themselves that are accepted of them.
    pub accepts: BTreeSet<ProofMethod>,
}

impl Glass {
    /// Whether somebody is one of the few.
    #[must_use]
    pub fn is_for(&self, world: &World, person: SubjectId) -> bool {
        self.by.iter().any(|one| world.belongs_to(person, *one))
    }
}

/// The same as people write it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(rename = "GlassView")]
pub struct WrittenGlass {
    /// Names of people and groups; nobody may break it where none is named.
    pub by: Vec<String>,
    /// Proofs of themselves that are accepted of them; a passkey alone where it is left out.
    #[serde(default = "a_passkey")]
    #[schemars(with = "Vec<ProofMethod>")]
    pub accepts: BTreeSet<ProofMethod>,
}

fn a_passkey() -> BTreeSet<ProofMethod> {
    BTreeSet::from([ProofMethod::Passkey])
}

impl Setting for Glass {
    const NAME: &'static str = "glass";

    of_elevating!();

    type Written = WrittenGlass;

    /// Only a choice among those above counts as tightening.
    fn stricter(below: Self, above: Self) -> Self {
        let (by, accepts) = (&below.by & &above.by, &below.accepts & &above.accepts);
        if by.is_empty() || accepts.is_empty() { Self::default() } else { Self { by, accepts } }
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        !self.by.is_subset(&before.by) || !self.by.is_empty() && !self.accepts.is_subset(&before.accepts)
    }

    fn words(&self, world: &World) -> String {
        if self.by.is_empty() {
            return "nobody may break the glass".to_owned();
        }
        let names: Vec<String> = self.by.iter().map(|one| world.subject_name(*one)).collect();
        format!("{} may break the glass, with {}", names.join(" or "), ProofMethod::any_of(&self.accepts))
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        if self.by.len() > MOST {
            return Err(TermsRefusal::GlassForMany { named: self.by.len(), most: MOST }.into());
        }
        if !self.by.is_empty() && self.accepts.is_empty() {
            return Err(TermsRefusal::GlassByNothing.into());
        }
        Ok(())
    }

    fn written(&self, world: &World) -> WrittenGlass {
        let by = self.by.iter().map(|one| world.subject_name(*one)).collect();
        WrittenGlass { by, accepts: self.accepts.clone() }
    }

    fn read<E>(written: WrittenGlass, find: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Self, E> {
        let by: BTreeSet<SubjectId> = written.by.iter().map(|name| find(name)).collect::<Result<_, E>>()?;
        Ok(if by.is_empty() { Self::default() } else { Self { by, accepts: written.accepts } })
    }
}
