//! What people do about elevations.

use super::{answers, asks, debriefs, deciding::Deciding, extensions, grants, lifecycle};
use crate::{ElevationCommand, Refusal};

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &ElevationCommand) -> Result<(), Refusal> {
    let person = deciding.person()?;
    match command {
        ElevationCommand::Ask(ask) => asks::asked(deciding, person, ask),
        ElevationCommand::Answer(answer) => answers::answered(deciding, person, answer),
        ElevationCommand::Withdraw { elevation } => lifecycle::withdraw(deciding, person, *elevation),
        ElevationCommand::Begin { elevation } => lifecycle::begin(deciding, person, *elevation),
        ElevationCommand::Extend(ask) => extensions::asked(deciding, person, ask),
        ElevationCommand::TakeGrace { elevation } => extensions::take_grace(deciding, person, *elevation),
        ElevationCommand::GiveBack { elevation } => grants::give_back(deciding, person, *elevation),
        ElevationCommand::Revoke { elevation, word } => grants::revoke(deciding, person, *elevation, word),
        ElevationCommand::Debrief(input) => debriefs::signed_off(deciding, person, input),
        ElevationCommand::ShowLogin { elevation } => grants::show_login(deciding, person, *elevation),
    }
}
