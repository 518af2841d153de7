//! Commands: everything that can be asked of the World, whatever the channel, by what it is about.

mod assurance;
mod calendar;
mod circumstance;
mod delegation;
mod elevation;
mod estate;
mod filing;
mod operator;
mod people;
mod promise;
mod report;
mod rights;
mod separation;

pub use assurance::AssuranceCommand;
pub use calendar::CalendarCommand;
pub use circumstance::CircumstanceCommand;
pub use delegation::DelegationCommand;
pub use elevation::{AnswerInput, Ask, DebriefInput, ElevationCommand, Extend};
pub use estate::{EstateCommand, StopCommand};
pub use filing::FilingCommand;
pub use operator::OperatorCommand;
pub use people::{PeopleCommand, SourceCommand};
pub use promise::PromiseCommand;
pub use report::Report;
pub use rights::{ConversionCommand, DriftCommand, EligibilityCommand, TermsCommand};
pub use separation::SeparationCommand;

use crate::{AlarmId, ElevationId, Note};

macro_rules! commands {
    ($($(#[$says:meta])* $noun:ident($command:ty);)*) => {
        /// One command. What people may give is checked against the caller's duties in `decide`.
        #[derive(Debug, Clone, PartialEq)]
        #[expect(clippy::large_enum_variant, reason = "commands pass through; none is kept in this form")]
        pub enum Command {
            $($(#[$says])* $noun($command),)*
            /// Records an event that changes no row: sign-ins, shown secrets, refusals.
            Note(Note),
            /// Settles an alarm that a person may settle.
            SettleAlarm {
                /// Which.
                alarm: AlarmId,
            },
            /// Time has passed.
            Tick,
        }

        $(impl From<$command> for Command {
            fn from(command: $command) -> Self {
                Self::$noun(command)
            }
        })*

        impl Command {
            /// A word for the ledger's entry about a refusal.
            #[must_use]
            pub fn word(&self) -> &'static str {
                match self {
                    $(Self::$noun(command) => command.into(),)*
                    Self::Note(_) => "note",
                    Self::SettleAlarm { .. } => "settle-alarm",
                    Self::Tick => "tick",
                }
            }
        }
    };
}

commands! {
    /// On the machine that the service runs on.
    Operator(OperatorCommand);
    /// About people, groups and programs.
    People(PeopleCommand);
    /// About where people come from.
    Source(SourceCommand);
    /// About folders and targets.
    Estate(EstateCommand);
    /// About stops.
    Stop(StopCommand);
    /// About who may ask for what.
    Eligibility(EligibilityCommand);
    /// About who answers in whose place.
    Delegation(DelegationCommand);
    /// About rules of terms.
    Terms(TermsCommand);
    /// About terms as files say them.
    Filing(FilingCommand);
    /// About how sure one must be of people.
    Assurance(AssuranceCommand);
    /// About times in which nothing is held.
    Calendar(CalendarCommand);
    /// About what other systems are asked.
    Circumstance(CircumstanceCommand);
    /// About rights that nobody has together.
    Separation(SeparationCommand);
    /// About what must hold whatever terms say.
    Promise(PromiseCommand);
    /// About what surveys saw that nobody did through us.
    Drift(DriftCommand);
    /// About standing rights that become eligible ones.
    Conversion(ConversionCommand);
    /// About elevations.
    Elevation(ElevationCommand);
    /// What a keeper saw.
    Report(Report);
}

impl From<Note> for Command {
    fn from(note: Note) -> Self {
        Self::Note(note)
    }
}

impl Command {
    /// The elevation it is about, where there is one.
    #[must_use]
    pub const fn elevation(&self) -> Option<ElevationId> {
        match self {
            Self::Elevation(command) => command.elevation(),
            _ => None,
        }
    }
}
