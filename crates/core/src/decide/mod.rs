//! One path: every command, whatever the channel, is decided here against the World and the present time.

mod alarms;
mod answers;
mod appointments;
mod asks;
mod assurances;
mod brought;
mod calendars;
mod checked;
mod circumstances;
mod conversions;
mod credentials;
mod debriefs;
mod deciding;
mod delegations;
mod drifts;
mod elevations;
mod estate;
mod extensions;
mod filings;
mod grants;
mod lifecycle;
mod notes;
mod operator;
mod people;
mod promises;
mod proofs;
mod reports;
mod seals;
mod separations;
mod sources;
mod stops;
mod surveys;
mod terms;

pub(crate) use checked::checked_name;
pub use notes::refusals_dropped;
pub use proofs::{Administers, FreshProof, not_administrator};

use deciding::Deciding;

use crate::{Command, Context, Decision, Refusal, World};

/// Decides a command. The same World, command and context give the same answer.
///
/// # Errors
/// A [`Refusal`] that says what was wrong and what to do next; nothing has then changed.
pub fn decide(world: &World, command: &Command, context: &Context) -> Result<Decision, Refusal> {
    let mut deciding = Deciding::new(world, context);
    by_noun(&mut deciding, command)?;
    promises::keep(&mut deciding, command)?;
    Ok(deciding.finish())
}

fn by_noun(deciding: &mut Deciding<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::Operator(command) => operator::decide(deciding, command),
        Command::People(command) => people::decide(deciding, command),
        Command::Source(command) => sources::decide(deciding, command),
        Command::Estate(command) => estate::decide(deciding, command),
        Command::Stop(command) => stops::decide(deciding, command),
        Command::Eligibility(command) => appointments::decide(deciding, command),
        Command::Delegation(command) => delegations::decide(deciding, command),
        Command::Terms(command) => terms::decide(deciding, command),
        Command::Filing(command) => filings::decide(deciding, command),
        Command::Assurance(command) => assurances::decide(deciding, command),
        Command::Calendar(command) => calendars::decide(deciding, command),
        Command::Circumstance(command) => circumstances::decide(deciding, command),
        Command::Separation(command) => separations::decide(deciding, command),
        Command::Promise(command) => promises::decide(deciding, command),
        Command::Drift(command) => drifts::decide(deciding, command),
        Command::Conversion(command) => conversions::decide(deciding, command),
        Command::Elevation(command) => elevations::decide(deciding, command),
        Command::Report(report) => reports::decide(deciding, report),
        Command::Note(note) => notes::note(deciding, note),
        Command::SettleAlarm { alarm } => alarms::settle(deciding, *alarm),
        Command::Tick => {
            let itself = deciding.itself()?;
            let draft = &mut deciding.by(itself);
            // What comes to its time together with a rule goes by that: it is looked at once the rule is in force, or out of it.
            if terms::tick(draft) {
                return Ok(());
            }
            grants::tick(draft);
            appointments::tick(draft);
            conversions::tick(draft);
            drifts::tick(draft);
            seals::tick(draft);
            Ok(())
        }
    }
}
