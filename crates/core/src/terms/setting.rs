//! What a setting of terms is, and the one list of them. A setting is added by a file of its own and a line here.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{
    Act, Approval, Assured, Closed, DebriefRule, Extensions, Glass, Grace, Hours, LapseRule, Longest, OfferRule,
    OnlyWhile, ProofMaxAge, Purposes, ReasonRule, References, StandingRule, Starts, TicketRule, Trace, UsesRule, Usual,
    effective::Weigh,
};
use crate::{Refusal, SubjectId, World};

/// One setting of terms: its value, which of two is stricter, what it is in words, and what can't be set.
///
/// Its default is what held before there was such a setting, which demands that were frozen by then go by.
pub trait Setting: Clone + PartialEq + Default {
    /// Its name in rules, pins and traces.
    const NAME: &'static str;

    /// The setting as people write it: with names in place of ids.
    type Written;

    /// What holds of it where no rule says otherwise.
    fn house_default(act: Act) -> Self;

    /// Whether it is what held before there was such a setting. In a frozen demand it is then left unsaid, so that what was
    /// frozen before is written as it was.
    fn is_as_before(&self) -> bool {
        *self == Self::default()
    }

    /// Whether it says anything about an act.
    fn is_about(_act: Act) -> bool {
        true
    }

    /// The stricter of two, of which a rule below is held to the one above.
    #[must_use]
    fn stricter(below: Self, above: Self) -> Self;

    /// What is left of one that is set where a rule tightens it that goes by what targets say of themselves.
    #[must_use]
    fn tightened_by_report(set: Self, reported: Self) -> Self {
        Self::stricter(set, reported)
    }

    /// Whether it lets through what another would have held up.
    fn demands_less_than(&self, before: &Self) -> bool;

    /// Its value in words.
    fn words(&self, world: &World) -> String;

    /// Refuses a value that can't be set, beside the others of its rule.
    ///
    /// # Errors
    /// Says why, and what could be.
    fn check(&self, act: Act, beside: &Settings) -> Result<(), Refusal>;

    /// As people write it.
    fn written(&self, world: &World) -> Self::Written;

    /// From what people wrote; `find` finds whom a name means.
    ///
    /// # Errors
    /// Those of `find`.
    fn read<E>(written: Self::Written, find: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Self, E>;
}

/// For a setting that people write as it is.
macro_rules! written_as_it_is {
    () => {
        type Written = Self;

        fn written(&self, _: &World) -> Self {
            self.clone()
        }

        fn read<E>(written: Self, _: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Self, E> {
            Ok(written)
        }
    };
}

/// For a setting that is a span of time, which people write as one.
macro_rules! written_as_span {
    () => {
        type Written = Seconds;

        fn written(&self, _: &World) -> Seconds {
            self.0
        }

        fn read<E>(written: Seconds, _: &mut impl FnMut(&str) -> Result<SubjectId, E>) -> Result<Self, E> {
            Ok(Self(written))
        }
    };
}

/// For a setting that says something about elevating alone, and nothing where no rule does.
macro_rules! of_elevating {
    () => {
        fn house_default(_: Act) -> Self {
            Self::default()
        }

        fn is_about(act: Act) -> bool {
            act == Act::Elevate
        }
    };
}

/// For a setting of a few values, of which the greater is the stricter, and each can be set.
macro_rules! greater_is_stricter {
    () => {
        fn stricter(below: Self, above: Self) -> Self {
            below.max(above)
        }

        fn demands_less_than(&self, before: &Self) -> bool {
            self < before
        }

        fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
            Ok(())
        }
    };
}

/// For a setting that is a set of which each is to be satisfied.
macro_rules! each_is_satisfied {
    () => {
        fn stricter(below: Self, above: Self) -> Self {
            Self(below.0.into_iter().chain(above.0).collect())
        }

        fn demands_less_than(&self, before: &Self) -> bool {
            !before.0.is_subset(&self.0)
        }
    };
}

pub(super) use {each_is_satisfied, greater_is_stricter, of_elevating, written_as_it_is, written_as_span};

macro_rules! settings {
    ($($field:ident: $setting:ty, $says:literal $(, unsaid if $as_before:literal)?;)*) => {
        /// Settings of a rule; what is absent comes from elsewhere.
        #[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
        #[serde(deny_unknown_fields, default)]
        pub struct Settings {
            $(#[doc = $says] #[serde(skip_serializing_if = "Option::is_none")] pub $field: Option<$setting>,)*
        }

        /// Settings of a rule; what is left out comes from elsewhere. Durations are in seconds.
        #[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
        #[serde(deny_unknown_fields, default)]
        #[schemars(rename = "SettingsView")]
        pub struct WrittenSettings {
            $(#[doc = $says] pub $field: Option<<$setting as Setting>::Written>,)*
        }

        /// What holds for one act on one right by one asker.
        #[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
        #[serde(default)]
        pub struct Effective {
            $(
                #[doc = $says]
                $(#[serde(skip_serializing_if = $as_before)])?
                pub $field: $setting,
            )*
            /// Where each came from.
            pub traces: Vec<Trace>,
        }

        /// Names of the settings, as pins and traces use them.
        pub(super) const NAMES: &[&str] = &[$(<$setting>::NAME),*];

        impl Act {
            /// Whether a setting says anything about it.
            #[must_use]
            pub fn knows(self, setting: &str) -> bool {
                $(if setting == <$setting>::NAME { return <$setting>::is_about(self); })*
                false
            }
        }

        impl Settings {
            /// Whether a setting of this name is set.
            pub(super) fn is_set(&self, name: &str) -> bool {
                $(if name == <$setting>::NAME { return self.$field.is_some(); })*
                false
            }

            /// The first value that can't be set, by the name of its setting, and why.
            pub(crate) fn first_refused(&self, act: Act) -> Option<(&'static str, Refusal)> {
                $(if let Some(why) = self.$field.as_ref().and_then(|value| value.check(act, self).err()) {
                    return Some((<$setting>::NAME, why));
                })*
                None
            }

            /// Those that are set, by name, with their values in words.
            #[must_use]
            pub fn words(&self, world: &World) -> Vec<(&'static str, String)> {
                let set = [$(self.$field.as_ref().map(|value| (<$setting>::NAME, value.words(world)))),*];
                set.into_iter().flatten().collect()
            }

            /// What these and others of the same rank set otherwise than each other: by name, what the others set, and what then
            /// holds, in words.
            #[must_use]
            pub fn contradicted_by(&self, others: &Self, world: &World) -> Vec<(&'static str, String, String)> {
                let set = [$(self.$field.as_ref().zip(others.$field.as_ref()).filter(|(one, other)| one != other).map(
                    |(one, other)| {
                        let holds = <$setting>::stricter(one.clone(), other.clone());
                        (<$setting>::NAME, other.words(world), holds.words(world))
                    },
                )),*];
                set.into_iter().flatten().collect()
            }

            /// As people write them.
            #[must_use]
            pub fn written(&self, world: &World) -> WrittenSettings {
                WrittenSettings { $($field: self.$field.as_ref().map(|value| value.written(world)),)* }
            }

            /// From what people wrote; `find` finds whom a name means.
            ///
            /// # Errors
            /// Those of `find`.
            pub fn read<E>(
                written: WrittenSettings,
                mut find: impl FnMut(&str) -> Result<SubjectId, E>,
            ) -> Result<Self, E> {
                Ok(Self { $($field: written.$field.map(|value| <$setting>::read(value, &mut find)).transpose()?,)* })
            }
        }

        impl Effective {
            /// Decides each setting alone.
            pub(super) fn weighed(act: Act, mut weigh: Weigh<'_>) -> Self {
                $(let $field = weigh.setting(act, |settings| settings.$field.as_ref());)*
                Self { $($field,)* traces: weigh.traces() }
            }

            /// Whether it lets through what another would have held up.
            pub(crate) fn demands_less_than(&self, before: &Self) -> bool {
                $(self.$field.demands_less_than(&before.$field))||*
            }

            /// The value of a setting in words.
            #[must_use]
            pub fn words(&self, world: &World, setting: &str) -> String {
                $(if setting == <$setting>::NAME { return self.$field.words(world); })*
                String::new()
            }
        }
    };
}

settings! {
    longest: Longest, "Longest duration.";
    usual: Usual, "Duration where none is asked for.";
    starts: Starts, "When the clock may start.";
    reason: ReasonRule, "Reason.";
    ticket: TicketRule, "Ticket.";
    purposes: Purposes, "Purposes of which an ask names one.", unsaid if "Setting::is_as_before";
    references: References, "References beside the ticket, by name.", unsaid if "Setting::is_as_before";
    assurance: ProofMaxAge, "How old the last proof of oneself may be.";
    assured: Assured, "Assurances that whoever acts must meet.", unsaid if "Setting::is_as_before";
    approval: Approval, "Approval.";
    hours: Hours, "When it may be held.", unsaid if "Setting::is_as_before";
    closed: Closed, "The calendars in whose entries it is not held.", unsaid if "Setting::is_as_before";
    only_while: OnlyWhile, "The circumstances while which alone it may be held.", unsaid if "Setting::is_as_before";
    lapse: LapseRule, "How it must end.";
    standing: StandingRule, "Whether it may be held all the time.", unsaid if "Setting::is_as_before";
    offered: OfferRule, "Whether who isn't eligible may ask to be.", unsaid if "Setting::is_as_before";
    uses: UsesRule, "How often it may be used before it ends.", unsaid if "Setting::is_as_before";
    extensions: Extensions, "How often it may be extended.", unsaid if "Setting::is_as_before";
    grace: Grace, "How much longer its holder may take once, at its end.", unsaid if "Setting::is_as_before";
    debrief: DebriefRule, "Whether somebody else looks at what was done.", unsaid if "Setting::is_as_before";
    glass: Glass, "Who may break the glass.", unsaid if "Setting::is_as_before";
}
