//! Sentences in parts: whoever shows one can tell times in the reader's zone, and link whom and what it names.

use std::fmt;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    AlarmId, AppointmentId, AppointmentState, ConversionId, DelegationId, Digest, DriftId, DutyId, DutyKind,
    ElevationId, EligibilityId, End, Export, FilingId, Finding, GrantId, HeldBecause, Lack, Phase, Reach, Right,
    ScopeId, Seconds, SentBackBecause, StandingId, StartChoice, StopId, SubjectId, TermsId, Verdict, Words, World,
};

/// A part of a sentence.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum Part {
    /// Plain words.
    Text {
        /// Them.
        text: String,
    },
    /// A person, group or program.
    Who {
        /// By name.
        name: String,
    },
    /// A folder, a target or a part of one.
    Place {
        /// By its path.
        path: String,
    },
    /// A right.
    Right {
        /// As written: `role@/path`.
        right: String,
    },
    /// A moment.
    Time {
        /// When.
        at: Timestamp,
    },
    /// An elevation.
    Elevation {
        /// By its reference.
        id: String,
    },
    /// How many.
    Count {
        /// So many.
        count: u64,
    },
}

impl fmt::Display for Part {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Text { text: said } | Self::Who { name: said } | Self::Place { path: said } => f.write_str(said),
            Self::Right { right: said } | Self::Elevation { id: said } => f.write_str(said),
            Self::Time { at } if at.as_second() % 60 == 0 => write!(f, "{}", at.strftime("%F %R UTC")),
            Self::Time { at } => write!(f, "{}", at.strftime("%F %T UTC")),
            Self::Count { count } => write!(f, "{count}"),
        }
    }
}

/// A sentence, in parts. It begins small, since it goes on from whoever it is about.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Sentence(pub Vec<Part>);

impl fmt::Display for Sentence {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|part| part.fmt(f))
    }
}

impl Sentence {
    /// A sentence with what it names in the places of `{name}`. A name that isn't given stands as it is written.
    pub(crate) fn filled(world: &World, template: &str, named: &[(&str, &dyn Worded)]) -> Self {
        let mut sentence = Self::default();
        let mut rest = template;
        while let Some((before, (name, after))) =
            rest.split_once('{').and_then(|(before, open)| Some((before, open.split_once('}')?)))
        {
            sentence.push(text(before));
            match named.iter().find(|(known, _)| *known == name) {
                Some((_, worded)) => worded.parts(world).into_iter().for_each(|part| sentence.push(part)),
                None => sentence.push(text(&format!("{{{name}}}"))),
            }
            rest = after;
        }
        sentence.push(text(rest));
        sentence
    }

    fn push(&mut self, part: Part) {
        match (self.0.last_mut(), part) {
            (_, Part::Text { text }) if text.is_empty() => {}
            (Some(Part::Text { text: before }), Part::Text { text }) => before.push_str(&text),
            (_, part) => self.0.push(part),
        }
    }
}

fn text(said: &str) -> Part {
    Part::Text { text: said.to_owned() }
}

/// What can be named in a sentence.
pub(crate) trait Worded {
    /// Its words.
    fn parts(&self, world: &World) -> Vec<Part>;
}

macro_rules! worded {
    ($($kind:ty, |$it:ident, $world:ident| $part:expr;)*) => {
        $(impl Worded for $kind {
            fn parts(&self, $world: &World) -> Vec<Part> {
                let $it = self;
                vec![$part]
            }
        })*
    };
}

worded! {
    str, |it, _world| text(it);
    String, |it, _world| text(it);
    &'static str, |it, _world| text(it);
    u32, |it, _world| Part::Count { count: u64::from(*it) };
    u64, |it, _world| Part::Count { count: *it };
    i64, |it, _world| text(&it.to_string());
    bool, |it, _world| text(&it.to_string());
    Seconds, |it, _world| text(&it.to_string());
    Timestamp, |it, _world| Part::Time { at: *it };
    SubjectId, |it, world| Part::Who { name: world.subject_name(*it) };
    ScopeId, |it, world| Part::Place { path: world.path(*it) };
    Right, |it, world| Part::Right { right: world.right_name(*it) };
    ElevationId, |it, _world| Part::Elevation { id: it.to_string() };
    Reach, |it, world| match it {
        Reach::Person(person) => Part::Who { name: world.subject_name(*person) },
        Reach::Scope(_) => text(&world.reach_name(*it)),
    };
    Digest, |it, world| text(&world.text(*it));
    Words, |it, world| text(world.words(it));
    Verdict, |it, _world| text(match it { Verdict::Yes => "yes", Verdict::No => "no" });
    DutyKind, |it, _world| text(match it {
        DutyKind::Administrator => "administrator",
        DutyKind::Auditor => "auditor",
        DutyKind::Owner => "owner",
    });
    Lack, |it, _world| text(it.words());
    Finding, |it, _world| text(it.words());
    HeldBecause, |it, _world| text(&it.to_string());
    SentBackBecause, |it, _world| text(&it.to_string());
    End, |it, _world| text(&Phase::Ended(*it).to_string());
    AlarmId, |it, _world| text(&it.to_string());
    AppointmentId, |it, _world| text(&it.to_string());
    ConversionId, |it, _world| text(&it.to_string());
    DriftId, |it, _world| text(&it.to_string());
    GrantId, |it, _world| text(&it.to_string());
    StandingId, |it, _world| text(&it.to_string());
    StopId, |it, _world| text(&it.to_string());
    TermsId, |it, _world| text(&it.to_string());
    FilingId, |it, _world| text(&it.to_string());
    EligibilityId, |it, _world| text(&it.to_string());
    DutyId, |it, _world| text(&it.to_string());
    DelegationId, |it, _world| text(&it.to_string());
    AppointmentState, |it, _world| text(it.word());
    Export, |it, _world| text(match it {
        Export::Record => "record",
        Export::Ledger => "ledger",
        Export::Proof => "proof",
    });
    StartChoice, |it, _world| match it {
        StartChoice::At { time } => Part::Time { at: *time },
        StartChoice::AtYes => text("at the yes"),
        StartChoice::OnBegin => text("when its holder begins"),
    };
}

impl<T: Worded> Worded for Option<T> {
    fn parts(&self, world: &World) -> Vec<Part> {
        self.as_ref().map_or_else(Vec::new, |it| it.parts(world))
    }
}

impl Worded for Sentence {
    fn parts(&self, _: &World) -> Vec<Part> {
        self.0.clone()
    }
}
