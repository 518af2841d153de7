//! Cautions: why converting one standing right is not plainly safe.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Connector, ConversionId, Item, ItemState, Standing, SubjectKind, Weight, World,
    conversion::critical_accounts,
    moment,
    rehearsal::{Clockwork, UseOf},
};

/// One reason to look twice before a right is converted.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", tag = "kind")]
pub enum Caution {
    /// A program works with it, and programs can't ask.
    Program {
        /// Recorded uses.
        uses: u64,
    },
    /// Something is started with it at a fixed time, when nobody is there to ask.
    Clockwork {
        /// On which days and when, in plain words.
        when: String,
    },
    /// It is used on most working days.
    Daily {
        /// On how many days.
        days: u64,
    },
    /// After it no more emergency holders would be left than must stay.
    Emergency {
        /// How many would be left.
        left: u64,
        /// How many must stay.
        least: u32,
    },
    /// Others hold their rights through it.
    OthersThrough {
        /// How many accounts.
        others: u64,
    },
    /// Nobody else holds the role there.
    LastHolder,
    /// It is the only member of a group that must have one.
    LastMember,
    /// It was converted before and came back: some other program, or somebody, puts it there.
    OwnedElsewhere {
        /// The conversion that took it away.
        conversion: ConversionId,
        /// Since when it is back.
        since: Timestamp,
    },
}

impl Caution {
    /// The caution as one plain sentence.
    #[must_use]
    pub fn sentence(&self) -> String {
        match self {
            Self::Program { uses } => {
                format!(
                    "a program works with it ({uses} uses recorded), and a program can't ask: leave it, or give the program a smaller role"
                )
            }
            Self::Clockwork { when } => {
                format!("something is started with it {when}, when nobody is there to ask: that would break")
            }
            Self::Daily { days } => {
                format!(
                    "it is used on most working days ({days} days recorded): its holder would ask daily, or needs a smaller role for daily work"
                )
            }
            Self::Emergency { left: 1, least } => {
                format!("1 emergency holder would be left, and {least} must stay")
            }
            Self::Emergency { left, least } => {
                format!("{left} emergency holders would be left, and {least} must stay")
            }
            Self::OthersThrough { others: 1 } => {
                "1 other account holds its right through this one, and would lose it".to_owned()
            }
            Self::OthersThrough { others } => {
                format!("{others} other accounts hold their rights through this one, and would lose them")
            }
            Self::LastHolder => {
                "nobody else holds this role there all the time: until somebody asks, nobody has it".to_owned()
            }
            Self::LastMember => {
                "it is the only member, and a group of that kind must have one, so the directory would refuse: add a member that can't sign in first".to_owned()
            }
            Self::OwnedElsewhere { conversion, since } => format!(
                "{conversion} took it away and it is back since {}: something else puts it there, and will again; mend its source first (`tempestas drift patch` writes what to change there)",
                moment(*since)
            ),
        }
    }
}

impl Clockwork {
    /// When it is started, in plain words: `every night at 02:15`.
    #[must_use]
    pub fn says(&self) -> String {
        let clock = if self.utc { " UTC" } else { "" };
        let at = format!("at {:02}:{:02}{clock}", self.minute / 60, self.minute % 60);
        if self.days.iter().all(|day| *day) {
            return format!("every day {at}");
        }
        if self.days == [true, true, true, true, true, false, false] {
            return format!("from Monday to Friday {at}");
        }
        let names = ["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"];
        let days: Vec<&str> = names.iter().zip(self.days).filter(|(_, on)| *on).map(|(name, _)| *name).collect();
        format!("every {} {at}", days.join(", "))
    }
}

/// Why converting `right` is not plainly safe; empty where it is. `used` is what was recorded of it.
#[must_use]
pub fn cautions(world: &World, right: &Standing, used: Option<&UseOf>) -> Vec<Caution> {
    let mut found = Vec::new();
    let holder = world.holder_of(right.target, right.account).and_then(|id| world.subjects.get(&id));
    if let Some(used) = used {
        if holder.is_some_and(|holder| holder.kind == SubjectKind::Program) && used.uses > 0 {
            found.push(Caution::Program { uses: used.uses });
        }
        found.extend(used.clockwork.iter().map(|clockwork| Caution::Clockwork { when: clockwork.says() }));
        if used.rhythm == crate::rehearsal::Rhythm::Daily && found.is_empty() {
            found.push(Caution::Daily { days: used.days });
        }
    }
    found.extend(emergency(world, right));
    let account = world.text(right.account);
    let beside = || world.standing_on(right.target).filter(|other| other.id != right.id);
    let mut others: Vec<String> = beside()
        .filter(|other| other.chain.iter().any(|way| world.are_words(way, &account)))
        .map(|other| world.text(other.account))
        .filter(|other| *other != account)
        .collect();
    others.sort_unstable();
    others.dedup();
    if !others.is_empty() {
        found.push(Caution::OthersThrough { others: others.len() as u64 });
    }
    let same_role = |other: &Standing| {
        other.right.role == right.right.role && world.is_within(right.right.scope, other.right.scope)
    };
    if !beside().any(|other| same_role(other) && !world.is_text(other.account, &account)) {
        let keeps_a_member = matches!(world.connector(right.target), Some(Connector::Ldap { .. }))
            && world.roles.get(&right.right.role).is_some_and(|role| !role.lapse.by_itself);
        found.push(if keeps_a_member { Caution::LastMember } else { Caution::LastHolder });
    }
    found.extend(
        came_back(world, right, &account)
            .map(|conversion| Caution::OwnedElsewhere { conversion, since: right.first_seen }),
    );
    found
}

fn emergency(world: &World, right: &Standing) -> Option<Caution> {
    let is_critical = world.roles.get(&right.right.role).is_some_and(|role| role.weight == Weight::Critical);
    let least = world.targets.get(&right.target)?.emergency_least;
    let before = critical_accounts(world, right.target, right.right.scope, &[]).len();
    let left = critical_accounts(world, right.target, right.right.scope, &[right.id]).len();
    (is_critical && left < before && left as u64 <= u64::from(least))
        .then_some(Caution::Emergency { left: left as u64, least })
}

/// The conversion that took this right away before it was seen again, in whatever line or posting it stands now.
pub(crate) fn came_back(world: &World, right: &Standing, account: &str) -> Option<ConversionId> {
    let same = |item: &&Item| {
        item.state == ItemState::Taken
            && item.standing.target == right.target
            && item.standing.right == right.right
            && world.is_text(item.standing.account, account)
            && item.standing.id != right.id
    };
    world.items.values().rev().find(same).map(|item| item.conversion)
}
