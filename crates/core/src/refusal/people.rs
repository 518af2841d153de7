//! Why something is not done about people, groups, accounts, duties and where they come from.

use thiserror::Error;

use super::Class;

/// Why something is not done about people. Names stand as they are written.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum PeopleRefusal {
    #[error("{member} is not in {group}")]
    NoMember { group: String, member: String },
    #[error("{member} is in {group} already")]
    MemberAlready { group: String, member: String },
    #[error("{group} belongs to {member}; putting it the other way round too would be a circle")]
    Circle { group: String, member: String },
    #[error("groups nest at most {most} deep; {member} in {group} would be deeper")]
    TooDeep { group: String, member: String, most: usize },
    #[error("{name} is not a group; only groups have members")]
    NoGroup { name: String },
    #[error("{name} is not suspended")]
    NotSuspended { name: String },
    #[error("you can't suspend yourself; another administrator can")]
    OwnSuspension,
    #[error("`{about}` is the full name of {other} already; add what tells them apart")]
    SameFullName { about: String, other: String },
    #[error("`{name}` is taken; choose another name")]
    NameTaken { name: String },
    #[error("only a person can be the second sign-in of a person, and not of a second one")]
    NoSecond,
    #[error(
        "through {group} {who} would be eligible for {right}, and the terms demand more for that than this: have them made eligible by name first, which asks whom it has to: `tempestas eligible give`"
    )]
    GainUnasked { group: String, who: String, right: String },
    #[error("a group has no account; name the account of a person or program")]
    GroupAccount,
    #[error("{scope} is not a target; accounts live on targets")]
    NoTarget { scope: String },
    #[error("an account's name has 1 to 128 bytes")]
    BadAccount,
    #[error("`{account}` on {target} is {owner}'s account; one account has one owner")]
    AccountTaken { account: String, target: String, owner: String },
    #[error("only people have a manager, who is another person; {name} can't be one, or have one")]
    NoManager { name: String },
    #[error("{name} is a second sign-in; say who the manager of {first} is")]
    SecondsManager { name: String, first: String },
    #[error("{name} comes from {source_path}, which says who their manager is; change it there")]
    ManagerFromSource { name: String, source_path: String },
    #[error("{name} has that manager already")]
    ManagerAlready { name: String },
    #[error("{name} has that duty there already")]
    DutyAlready { name: String },
    #[error("this is the last administrator of everything; give the duty to somebody else first")]
    LastAdministrator,
    #[error("you can't reset your own sign-in; another administrator can, or `tempestasd recover` on the machine")]
    OwnReset,
    #[error("everybody sets their own password and passkeys")]
    AnothersPassword,
    #[error("people are imported from directories over LDAP only")]
    NoDirectory,
    #[error("`{place}` does not lie below `{base}`")]
    OutsideDirectory { place: String, base: String },
    #[error("`{attribute}` is no attribute's name")]
    BadAttribute { attribute: String },
    #[error("{says}; give the duty to somebody else first")]
    LastWouldLeave { says: &'static str },
    #[error(
        "{says}, which is not yours to say alone; have them made eligible by name first: `tempestas eligible give`"
    )]
    GainByReading { says: String },
    #[error("this is not what you were shown any more: it was read again since; look again and decide anew")]
    ReadAgain,
}

impl PeopleRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::OwnSuspension
            | Self::GainUnasked { .. }
            | Self::OwnReset
            | Self::AnothersPassword
            | Self::GainByReading { .. } => Class::NotAllowed,
            Self::NoMember { .. }
            | Self::MemberAlready { .. }
            | Self::Circle { .. }
            | Self::NotSuspended { .. }
            | Self::SameFullName { .. }
            | Self::NameTaken { .. }
            | Self::AccountTaken { .. }
            | Self::DutyAlready { .. }
            | Self::ManagerFromSource { .. }
            | Self::ManagerAlready { .. }
            | Self::LastAdministrator
            | Self::LastWouldLeave { .. } => Class::Conflict,
            Self::TooDeep { .. } => Class::Limit,
            Self::ReadAgain => Class::Changed,
            Self::NoGroup { .. }
            | Self::NoSecond
            | Self::GroupAccount
            | Self::NoManager { .. }
            | Self::SecondsManager { .. }
            | Self::NoTarget { .. }
            | Self::BadAccount
            | Self::NoDirectory
            | Self::OutsideDirectory { .. }
            | Self::BadAttribute { .. } => Class::Invalid,
        }
    }
}
