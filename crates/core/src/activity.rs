//! Activity: one use of one permission, from a target's own logs.

use jiff::Timestamp;

/// One use of power on a target. It advises; nobody's rights ever follow from it, since some logs can be forged. What is good for one
/// use ends by it, where the system itself attests that.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Activity {
    /// When, by the target's clock.
    pub at: Timestamp,
    /// By which account.
    pub account: String,
    /// Roles that permit it; any of them may have been what allowed it.
    pub roles: Vec<String>,
    /// Part of the target it was done in; empty for the whole.
    pub part: Vec<String>,
    /// What was done, `verb thing`; without arguments, which may hold secrets.
    pub what: String,
    /// Whether the system itself says who wrote that down; else anybody there could have.
    pub attested: bool,
}

impl Activity {
    /// Whether a role that an account holds in a part, and below, may have been what allowed it.
    #[must_use]
    pub fn is_of(&self, account: &str, role: &str, part: &[String]) -> bool {
        self.account == account && self.part.starts_with(part) && self.roles.iter().any(|known| known == role)
    }
}

/// What a target told of uses.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Trail {
    /// The uses.
    pub uses: Vec<Activity>,
    /// Bytes of its log that were not read, because there were too many.
    pub unread: u64,
}
