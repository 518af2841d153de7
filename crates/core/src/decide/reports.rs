//! What keepers saw: each report goes to what it is about, with the proof that it is of their own target.

use super::{alarms, circumstances, conversions, deciding::Deciding, extensions, grants, sources, surveys};
use crate::{Refusal, Report};

pub(super) fn decide(deciding: &mut Deciding<'_>, report: &Report) -> Result<(), Refusal> {
    match report {
        Report::Surveyed { target, digest, survey } => {
            let reporting = deciding.reporting(*target)?;
            surveys::reported(&mut deciding.by(reporting), reporting, *digest, survey)
        }
        Report::Imported { target, digest, imported } => {
            let reporting = deciding.reporting(*target)?;
            sources::reported(&mut deciding.by(reporting), reporting, *digest, imported)
        }
        Report::Searched { target, marked } => {
            let reporting = deciding.reporting(*target)?;
            surveys::searched(&mut deciding.by(reporting), reporting, marked)
        }
        Report::StrayEnded { target, name } => {
            let reporting = deciding.reporting(*target)?;
            surveys::stray_ended(&mut deciding.by(reporting), reporting, name)
        }
        Report::SealedUsed { target, account, at, claimed } => {
            let reporting = deciding.reporting(*target)?;
            surveys::sealed_used(&mut deciding.by(reporting), reporting, account, *at, *claimed)
        }
        Report::ClockAgrees { target } => {
            let reporting = deciding.reporting(*target)?;
            alarms::clock_agrees(&mut deciding.by(reporting), reporting);
            Ok(())
        }
        Report::GrantSeen { grant, there } => {
            let Some(reported) = deciding.reported_grant(*grant)? else { return Ok(()) };
            grants::seen(&mut deciding.by(reported.reporting), reported, *there);
            Ok(())
        }
        Report::GrantGiven { grant, at } => {
            let Some(reported) = deciding.reported_grant(*grant)? else { return Ok(()) };
            grants::given(&mut deciding.by(reported.reporting), reported, *at);
            Ok(())
        }
        Report::GrantMoved { grant, until } => {
            let Some(reported) = deciding.reported_grant(*grant)? else { return Ok(()) };
            extensions::moved(&mut deciding.by(reported.reporting), reported, *until);
            Ok(())
        }
        Report::GrantUsed { grant, at } => {
            let Some(reported) = deciding.reported_grant(*grant)? else { return Ok(()) };
            grants::used(&mut deciding.by(reported.reporting), reported, *at);
            Ok(())
        }
        Report::GrantDelayed { grant, trouble } => {
            let Some(reported) = deciding.reported_grant(*grant)? else { return Ok(()) };
            grants::delayed(&mut deciding.by(reported.reporting), reported, trouble);
            Ok(())
        }
        Report::GrantGone { grant, leftovers } => {
            let Some(reported) = deciding.reported_grant(*grant)? else { return Ok(()) };
            grants::gone(&mut deciding.by(reported.reporting), reported, leftovers);
            Ok(())
        }
        Report::StandingTaken { conversion, standing } => {
            let reporting = deciding.reporting_own()?;
            conversions::taken(&mut deciding.by(reporting), reporting, *conversion, *standing)
        }
        Report::StandingRestored { conversion, standing, by_others } => {
            let reporting = deciding.reporting_own()?;
            conversions::restored(&mut deciding.by(reporting), reporting, *conversion, *standing, *by_others)
        }
        Report::StandingDelayed { conversion, standing, trouble } => {
            let reporting = deciding.reporting_own()?;
            conversions::delayed(&mut deciding.by(reporting), reporting, *conversion, *standing, trouble)
        }
        Report::Heard { circumstance, of, holds } => {
            let itself = deciding.itself_about(None)?;
            circumstances::heard(&mut deciding.by(itself), circumstance, of.as_ref(), *holds);
            Ok(())
        }
        Report::Alarm(about) => alarms::reported(deciding, about),
    }
}
