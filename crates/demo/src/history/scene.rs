//! The scene at the end: what the service finds when it starts. Asks that were just granted, and that it gives for
//! real; some to begin later; some that wait; an end that can't be read back, since its system is away.

use jiff::{SignedDuration, Timestamp};
use tempestas_core::{
    AnswerInput, Ask, Caller, Digest, ElevationCommand, ElevationId, Manner, OperatorCommand, Report, Seconds,
    StartChoice, SubjectId, TermsCommand, What, demand_to_hold, later,
};

use super::{
    Teller, days,
    house::{GATEHOUSE, right, terms},
};
use crate::quillhaven::EMERGENCIES;

const BERTHS: &str = "/harbour/databases/berths";

/// Who asks for what, for how many minutes, from when, why, and how it stands.
const SCENE: [(&str, &str, u32, When, &str); 14] = [
    ("elif.tan", "harbour_operator", 115, When::Granted, "night shift: three berths to be swapped before the storm"),
    ("jonas.weir", "harbour_dba", 45, When::Granted, "crane 7 writes nothing since the update, look into its tables"),
    ("amara.osei", "berth_planner", 100, When::Granted, "winter plan for the southern quay"),
    ("lene.madsen", "vessel_traffic", 60, When::Granted, "pilot times are an hour off since the clocks changed"),
    ("bruno.costa", "vessel_traffic", 110, When::Granted, "two vessels were entered under one name"),
    ("signe.holm", "tide-writer", 90, When::Granted, "raw sensor files of pier 3 to be sorted again"),
    ("karel.dvor", "harbour_operator", 60, When::InMinutes(95), "nightly move of old movements into the archive"),
    ("yusuf.adler", "berth_planner", 120, When::InMinutes(190), "load the plan of the ferry line once they send it"),
    ("karel.dvor", "harbour-warden", 60, When::OnBegin, "post the crane reports for the safety meeting"),
    ("tomas.reyes", "harbour_operator", 60, When::Waiting, "N2 stays blocked after the crane repair, must be released"),
    ("elif.tan", "harbour_dba", 30, When::Waiting, "index on movements grew too large, rebuild it tonight"),
    ("yusuf.adler", "berth_planner", 60, When::Waiting, "the ferry line moved its arrival, plan it anew"),
    ("uma.stern", "crane_reader", 30, When::Waiting, "Ironquay case 4471: read the fault log of crane 2"),
    ("lene.madsen", "vessel_traffic", 120, When::Waiting, "the harbour master wants the week's movements corrected"),
];

enum When {
    /// The service is giving it when it starts.
    Granted,
    InMinutes(i64),
    OnBegin,
    Waiting,
}

pub(super) async fn set(teller: &mut Teller) -> anyhow::Result<()> {
    teller.set(Timestamp::now().checked_sub(SignedDuration::from_mins(35))?);
    overdue(teller).await?;
    teller.set(Timestamp::now().checked_sub(SignedDuration::from_mins(18))?);
    broken_glass(teller).await?;
    teller.set(Timestamp::now().checked_sub(SignedDuration::from_mins(12))?);
    for (who, role, minutes, when, why) in SCENE {
        let start = match when {
            When::InMinutes(minutes) => {
                StartChoice::At { time: Timestamp::now().checked_add(SignedDuration::from_mins(minutes))? }
            }
            When::OnBegin => StartChoice::OnBegin,
            When::Granted | When::Waiting => StartChoice::AtYes,
        };
        let place = if role.contains('_') { BERTHS.to_owned() } else { brightwater(role) };
        let who = teller.who(who).await?;
        teller.pass(17);
        let manner = Manner { start: Some(start), duration: Some(Seconds::minutes(minutes)), glass: false };
        let Some(id) = ask(teller, who, &format!("{role}@{place}"), manner, why).await else { continue };
        if !matches!(when, When::Waiting) {
            teller.pass(21);
            yes(teller, id).await;
        }
    }
    // Known to everybody who looks at alarms: somebody used the machine's own way in.
    let jonas = teller.who("jonas.weir").await?;
    teller.house.submit(Caller::machine(), OperatorCommand::Recover { subject: jonas }).await?;
    teller.set(Timestamp::now());
    Ok(())
}

fn brightwater(role: &str) -> String {
    let basin = if role == "harbour-warden" { "reports/cranes" } else { "lake/raw" };
    format!("/analytics/brightwater/{basin}")
}

async fn ask(teller: &Teller, who: SubjectId, name: &str, manner: Manner, why: &str) -> Option<ElevationId> {
    let right = right(teller, name).await?;
    let (shown, brings) = {
        let world = teller.house.world();
        let demand = demand_to_hold(&world, who, right, teller.now(), manner).ok()?;
        (Digest::of_json(&demand), days::brings(&demand.terms, why, 4471))
    };
    let Manner { start, duration, glass } = manner;
    let command = ElevationCommand::Ask(Ask { right, duration, start, glass, brings, shown });
    let whats = teller.by(who, command).await.unwrap_or_default();
    whats.iter().find_map(|what| match what {
        What::Asked { elevation, .. } => Some(*elevation),
        _ => None,
    })
}

/// The last asks of all are answered with a plain yes.
async fn yes(teller: &mut Teller, id: ElevationId) {
    let waiting = {
        let world = teller.house.world();
        world.elevations.get(&id).and_then(|one| Some((*one.stage()?.approvers.first()?, one.digest)))
    };
    if let Some((who, shown)) = waiting {
        let verdict = tempestas_core::Verdict::Yes;
        let _ = teller
            .by(who, ElevationCommand::Answer(AnswerInput { elevation: id, verdict, less: None, reason: None, shown }))
            .await;
    }
}

/// A grant on the gatehouse's system, which went away before its end: nobody can read back that it is gone.
async fn overdue(teller: &mut Teller) -> anyhow::Result<()> {
    let jonas = teller.who("jonas.weir").await?;
    let name = format!("gate-keeper@{GATEHOUSE}");
    let why = "lorries of the late ferry must get in";
    let manner = Manner { start: Some(StartChoice::AtYes), duration: Some(Seconds::minutes(15)), glass: false };
    let Some(id) = ask(teller, jonas, &name, manner, why).await else { return Ok(()) };
    days::answer(teller, id).await?;
    yes(teller, id).await;
    let grant = teller.house.world().elevations.get(&id).and_then(|one| one.grants.first().copied());
    let Some(grant) = grant else { return Ok(()) };
    teller.pass(2);
    teller.keeper(Report::GrantSeen { grant, there: true }).await?;
    let until = teller.house.world().grants.get(&grant).map(|grant| grant.until);
    teller.set(until.unwrap_or_else(Timestamp::now));
    teller.tick().await?;
    teller.set(later(teller.now(), Seconds(40)));
    teller.tick().await?;
    Ok(())
}

/// The night watch broke the glass in a storm: what was done waits for an administrator to look at it.
async fn broken_glass(teller: &mut Teller) -> anyhow::Result<()> {
    if teller.scope(BERTHS).await.is_err() {
        return Ok(());
    }
    let (mara, elif) = (teller.who("mara.lindqvist").await?, teller.who("elif.tan").await?);
    for rule in EMERGENCIES {
        let terms = terms(teller, toml::from_str(rule)?).await?;
        teller.by(mara, TermsCommand::Set { terms }).await?;
    }
    let manner = Manner { start: Some(StartChoice::AtYes), duration: Some(Seconds::minutes(20)), glass: true };
    let why = "storm: the Halcyon Trader breaks loose, N2 must be freed for her now";
    let name = format!("harbour_operator@{BERTHS}");
    let Some(id) = ask(teller, elif, &name, manner, why).await else { return Ok(()) };
    let grant = teller.house.world().elevations.get(&id).and_then(|one| one.grants.first().copied());
    let Some(grant) = grant else { return Ok(()) };
    teller.pass(3);
    teller.keeper(Report::GrantSeen { grant, there: true }).await?;
    teller.pass(150);
    teller.by(elif, ElevationCommand::GiveBack { elevation: id }).await?;
    teller.pass(2);
    teller.keeper(Report::GrantGone { grant, leftovers: Vec::new() }).await?;
    Ok(())
}
