//! Alarms in words.

use super::AlarmKind;
use crate::{
    GrantId, World,
    words::{Sentence, Worded},
};

impl AlarmKind {
    /// The alarm as one plain sentence.
    #[must_use]
    pub fn sentence(&self, world: &World) -> Sentence {
        let say = |template: &str, named: &[(&str, &dyn Worded)]| Sentence::filled(world, template, named);
        let of_grant = |grant: &GrantId, template: &str| say(template, &[("elevation", &elevation(world, *grant))]);
        match self {
            Self::TakeLate { grant } => {
                of_grant(grant, "{elevation} should have ended and is not read back as gone; it is tried until it is")
            }
            Self::Missing { grant } => of_grant(
                grant,
                "{elevation} should be live and was not found on its target; somebody took it away behind our back",
            ),
            Self::LoginKept { grant } => of_grant(
                grant,
                "the login of {elevation} can't be dropped, since objects hang on it; it is left without sign-in, powers and members: \
                 hand the objects to somebody, drop it, and settle this",
            ),
            Self::EndHindered { grant } => of_grant(
                grant,
                "something was in the way of the end of {elevation}, or of seeing what it left: its leftovers say what; look there, \
                 then settle this",
            ),
            Self::Stray { target } => say(
                "something on {target} bears our mark and no grant explains it; it is being ended",
                &[("target", target)],
            ),
            Self::SurveyHeld { target } => say(
                "a survey of {target} would change too much and waits for a person: `tempestas targets accept {target}`",
                &[("target", target)],
            ),
            Self::ImportHeld { target } => say(
                "what {target} says of people waits for somebody to look, because too many would be gone: `tempestas people source \
                 accept {target}`",
                &[("target", target)],
            ),
            Self::NewPower { drift } => match world.drifts.get(drift) {
                Some(known) => {
                    say("on {target}: {what}", &[("target", &known.target), ("what", &known.sentence(world))])
                }
                None => say("{drift}: an identity can do everything that could not before", &[("drift", drift)]),
            },
            Self::ConversionStopped { conversion } => {
                let why = world.conversions.get(conversion).and_then(|one| one.waves.as_ref()?.stopped.clone());
                let why = why.unwrap_or_else(|| "too many rights could not be taken away".to_owned());
                say(
                    "{conversion} stopped by itself: {why}; look at it, then have it go on or undo it",
                    &[("conversion", conversion), ("why", &why)],
                )
            }
            Self::ClockStep { seconds } => say(
                "this machine's clock stepped by {seconds} s; nothing is opened until an administrator has looked and settles this alarm",
                &[("seconds", seconds)],
            ),
            Self::SealedUsed { target, account, at, claimed } => {
                let claim =
                    if *claimed { ", as a line of the log there says that any account could have written" } else { "" };
                say(
                    "`{account}`, a sealed emergency holder of {target}, was used at {at}{claim}: ask who broke the seal and why, then \
                     settle this",
                    &[("account", account), ("target", target), ("at", at), ("claim", &claim)],
                )
            }
            Self::LogUnread { target, bytes } => say(
                "the log of {target} grew by {bytes} bytes more than is read at once, so a use of its sealed emergency holders may have \
                 been missed: find out who wrote so much and read it there, then settle this",
                &[("target", target), ("bytes", bytes)],
            ),
            Self::LedgerDiffers { places } => say(
                "the database differs from the ledger in {places} place(s): run `tempestasd rebuild --check` on the machine, which names \
                 them; nothing critical is opened until an administrator has looked, put it right (`tempestasd restore`) and settled this",
                &[("places", places)],
            ),
            Self::HandedOn { by, hand } => say(
                "{hand} got their standing from {by} within a day, and has handed on as much already, or set terms in their favour: ask \
                 both, then settle this",
                &[("hand", hand), ("by", by)],
            ),
            Self::Recovered { person } => {
                say("somebody with a shell on the machine recovered the sign-in of {person}", &[("person", person)])
            }
            Self::Skew { target, seconds } => say(
                "the clock of {target} is {seconds} s away from ours; nothing is given there",
                &[("target", target), ("seconds", seconds)],
            ),
        }
    }
}

impl Worded for AlarmKind {
    fn parts(&self, world: &World) -> Vec<crate::Part> {
        self.sentence(world).0
    }
}

/// The elevation of a grant, with its right.
fn elevation(world: &World, id: GrantId) -> Sentence {
    match world.grants.get(&id) {
        Some(grant) => Sentence::filled(
            world,
            "{elevation} ({right})",
            &[("elevation", &grant.elevation), ("right", &grant.right)],
        ),
        None => Sentence::filled(world, "{grant}", &[("grant", &id)]),
    }
}
