//! Alarms in words.

use super::AlarmKind;
use crate::{
    GrantId, Part, World,
    words::{Sentence, Worded},
};

impl AlarmKind {
    /// The alarm as one plain sentence.
    #[must_use]
    pub fn sentence(&self, world: &World) -> Sentence {
        let named = self.named(world);
        let named: Vec<(&str, &dyn Worded)> = named.iter().map(|(name, it)| (*name, it as &dyn Worded)).collect();
        Sentence::filled(world, self.template(), &named)
    }

    const fn template(&self) -> &'static str {
        match self {
            Self::TakeLate { .. } => {
                "{elevation} should have ended and is not read back as gone; it is tried until it is"
            }
            Self::Missing { .. } => {
                "{elevation} should be live and was not found on its target; somebody took it away behind our back"
            }
            Self::LoginKept { .. } => {
                "the login of {elevation} can't be dropped, since objects hang on it; it is left without sign-in, powers and \
                 members: hand the objects to somebody, drop it, and settle this"
            }
            Self::EndHindered { .. } => {
                "something was in the way of the end of {elevation}, or of seeing what it left: its leftovers say what; look \
                 there, then settle this"
            }
            Self::GlassBroken { .. } => {
                "{holder} broke the glass for {right} ({elevation}): somebody else looks at what was done once it is over, and \
                 says so with `tempestas debriefs sign {elevation}`"
            }
            Self::DebriefLate { .. } => {
                "nobody looked in time at what was done under {elevation} ({right}): look at it, and say so with \
                 `tempestas debriefs sign {elevation}`"
            }
            Self::NotInOrder { .. } => {
                "what {holder} did under {elevation} ({right}) was not in order: its debrief says what; put it right, then \
                 settle this"
            }
            Self::Stray { .. } => "something on {target} bears our mark and no grant explains it; it is being ended",
            Self::SurveyHeld { .. } => {
                "a survey of {target} would change too much and waits for a person: `tempestas targets accept {target}`"
            }
            Self::ImportHeld { .. } => {
                "what {target} says of people waits for somebody to look, because too many would be gone: \
                 `tempestas people source accept {target}`"
            }
            Self::NewPower { .. } => "{what}",
            Self::ConversionStopped { .. } => {
                "{conversion} stopped by itself: {why}; look at it, then have it go on or undo it"
            }
            Self::ClockStep { .. } => {
                "this machine's clock stepped by {seconds} s; nothing is opened until an administrator has looked and settles \
                 this alarm"
            }
            Self::SealedUsed { claimed: false, .. } => {
                "`{account}`, a sealed emergency holder of {target}, was used at {at}: ask who broke the seal and why, then \
                 settle this"
            }
            Self::SealedUsed { claimed: true, .. } => {
                "`{account}`, a sealed emergency holder of {target}, was used at {at}, as a line of the log there says that \
                 any account could have written: ask who broke the seal and why, then settle this"
            }
            Self::SealUntried { .. } => {
                "`{account}`, a sealed emergency holder of {target}, was not tried by its date: sign in with it there, as one \
                 would in need, then say so with `tempestas targets seals {target} --tried {account}`"
            }
            Self::LogUnread { .. } => {
                "the log of {target} grew by {bytes} bytes more than is read at once, so a use of its sealed emergency holders \
                 may have been missed: find out who wrote so much and read it there, then settle this"
            }
            Self::PromiseBroken { .. } => {
                "the promise {promise} is broken: `tempestas promises` says by what, with the shortest example first; it settles \
                 once nothing breaks it"
            }
            Self::LedgerDiffers { .. } => {
                "the database differs from the ledger in {places} place(s): run `tempestasd rebuild --check` on the machine, \
                 which names them; nothing critical is opened until an administrator has looked, put it right \
                 (`tempestasd restore`) and settled this"
            }
            Self::HandedOn { .. } => {
                "{hand} got their standing from {by} within a day, and has handed on as much already, or set terms in their \
                 favour: ask both, then settle this"
            }
            Self::Recovered { .. } => "somebody with a shell on the machine recovered the sign-in of {person}",
            Self::Skew { .. } => "the clock of {target} is {seconds} s away from ours; nothing is given there",
        }
    }

    /// What stands in its sentence, by name.
    fn named(&self, world: &World) -> Vec<(&'static str, Sentence)> {
        let say = |worded: &dyn Worded| Sentence(worded.parts(world));
        match self {
            Self::TakeLate { grant }
            | Self::Missing { grant }
            | Self::LoginKept { grant }
            | Self::EndHindered { grant } => vec![("elevation", elevation(world, *grant))],
            Self::DebriefLate { elevation, right } => vec![("elevation", say(elevation)), ("right", say(right))],
            Self::GlassBroken { elevation, right, holder } | Self::NotInOrder { elevation, right, holder } => {
                vec![("elevation", say(elevation)), ("right", say(right)), ("holder", say(holder))]
            }
            Self::Stray { target } | Self::SurveyHeld { target } | Self::ImportHeld { target } => {
                vec![("target", say(target))]
            }
            Self::NewPower { drift } => {
                let unknown = "{drift}: an identity can do everything that could not before";
                let what = match world.drifts.get(drift) {
                    Some(known) => Sentence::filled(
                        world,
                        "on {target}: {what}",
                        &[("target", &known.target), ("what", &known.sentence(world))],
                    ),
                    None => Sentence::filled(world, unknown, &[("drift", drift)]),
                };
                vec![("what", what)]
            }
            Self::ConversionStopped { conversion } => {
                let why = world.conversions.get(conversion).and_then(|one| one.waves.as_ref()?.stopped.clone());
                let why = why.unwrap_or_else(|| "too many rights could not be taken away".to_owned());
                vec![("conversion", say(conversion)), ("why", say(&why))]
            }
            Self::ClockStep { seconds } => vec![("seconds", say(seconds))],
            Self::SealedUsed { target, account, at, claimed: _ } => {
                vec![("account", say(account)), ("target", say(target)), ("at", say(at))]
            }
            Self::SealUntried { target, account } => vec![("account", say(account)), ("target", say(target))],
            Self::LogUnread { target, bytes } => vec![("target", say(target)), ("bytes", say(bytes))],
            Self::PromiseBroken { promise } => vec![("promise", say(promise))],
            Self::LedgerDiffers { places } => vec![("places", say(places))],
            Self::HandedOn { by, hand } => vec![("hand", say(hand)), ("by", say(by))],
            Self::Recovered { person } => vec![("person", say(person))],
            Self::Skew { target, seconds } => vec![("target", say(target)), ("seconds", say(seconds))],
        }
    }
}

impl Worded for AlarmKind {
    fn parts(&self, world: &World) -> Vec<Part> {
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
