//! What was checked, as values: made by their checks alone, and taken by what must not go without.

use super::Draft;
use crate::{Actor, Elevation, Grant, GrantId, Refusal, ScopeId, Target};

/// That the caller keeps a target, and so may report on it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[must_use = "it is taken by what follows"]
pub(super) struct Reporting(ScopeId);

impl Reporting {
    /// The target that is reported on.
    pub(super) const fn target(self) -> ScopeId {
        self.0
    }
}

/// A grant that the keeper of its target reports on.
pub(super) struct Reported {
    pub(super) elevation: Elevation,
    pub(super) grant: Grant,
}

impl Draft<'_> {
    /// Refuses anybody but a keeper.
    pub(super) fn reporting_own(&self) -> Result<Reporting, Refusal> {
        match (self.context.caller.actor, self.context.caller.keeps) {
            (Actor::Keeper, Some(target)) => Ok(Reporting(target)),
            _ => Err(Refusal::not_allowed("only the service's own keepers report what targets show")),
        }
    }

    /// Refuses anybody but the keeper of this target.
    pub(super) fn reporting(&self, target: ScopeId) -> Result<Reporting, Refusal> {
        let reporting = self.reporting_own()?;
        if reporting.target() == target {
            return Ok(reporting);
        }
        Err(Refusal::not_allowed("a keeper reports on its own target alone"))
    }

    /// The target that is reported on.
    pub(super) fn reported_target(&self, reporting: Reporting) -> Result<Target, Refusal> {
        super::estate::known_target(self, reporting.target())
    }

    /// A grant on the target that is reported on; none where no such grant is known any more.
    pub(super) fn reported_grant(&self, id: GrantId) -> Result<Option<Reported>, Refusal> {
        let _ = self.reporting_own()?;
        let Some((elevation, grant)) = self.world.elevation_of(id) else { return Ok(None) };
        let _ = self.reporting(grant.target)?;
        Ok(Some(Reported { elevation: elevation.clone(), grant: grant.clone() }))
    }
}
