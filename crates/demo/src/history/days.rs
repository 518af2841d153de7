//! Day after day: asks with a rhythm, answers, grants that live and end, and conversions in waves.

use std::collections::BTreeMap;

use jiff::{SignedDuration, Timestamp, tz::TimeZone};
use tempestas_core::{
    AnswerInput, Ask, Brings, ConversionCommand, Digest, Effective, ElevationCommand, ElevationId, GrantId, Less,
    Phase, Report, Right, Said, Seconds, StandingId, StartChoice, SubjectId, Verdict, WavePlan, Weight, What,
    demand_for, own_rights, plan_conversion,
};

use super::{Systems, Teller, house::postgres};
use crate::quillhaven::BERTHS;

/// Why people ask, by what their role is about.
const REASONS: [&str; 24] = [
    "the Grey Petrel's berth shows as free though she lies there",
    "vacuum of the movements table before the weekend",
    "N2 stays blocked after the crane repair, must be released",
    "the morning report lacks the southern quay",
    "double entry of the Halcyon Trader to be taken out",
    "index on movements grew too large, rebuild",
    "correct the tide offsets that were loaded twice",
    "the pilot's timestamps are an hour off since the clocks changed",
    "load the winter berth plan",
    "new columns for the shore power meters",
    "restore the rows deleted by mistake at noon",
    "add the new quay S4 to the berths",
    "crane 7 reports nothing since the update, look into its tables",
    "post the crane reports for the safety meeting",
    "slow queries of the planning screen, look at the plans",
    "move last year's movements into the archive",
    "the customs export stopped half-way, run it again",
    "check the figures that the auditors asked for",
    "test the fix for the mooring fee before it goes live",
    "a vessel was renamed, change her name in the plans",
    "the gate list is two days old, load it anew",
    "raw sensor files of pier 3 to be sorted again",
    "rights of the new shift leader are missing in the reports",
    "prepare the data for the harbour master's visit",
];
const NOES: [&str; 5] = [
    "not while the audit is on, please ask again on Monday",
    "an hour is enough for this; ask for less",
    "the planner's own screen can do that",
    "wrong ticket: this one is about the cranes",
    "let us do it together tomorrow morning",
];
const LEFTOVERS: [&str; 4] = [
    "table public.tmp_berths made during the grant",
    "function public.fix_offsets() made during the grant",
    "an open session of the login, idle in transaction",
    "token bw-t-41 given to the identity during the grant",
];

/// What is to come, by when.
enum Deed {
    Ask,
    Answer(ElevationId),
    Seen(GrantId),
    GiveBack(ElevationId),
    Revoke(ElevationId),
    End,
    Gone(GrantId),
    Wave,
}

/// Everything until some hours ago; the last hours are the scene's.
pub(super) async fn pass(teller: &mut Teller, systems: &Systems<'_>) -> anyhow::Result<()> {
    let mut days = Days { ahead: BTreeMap::new(), n: 0 };
    let end = Timestamp::now().checked_sub(SignedDuration::from_mins(40))?;
    // The last hours are looked at first, so they are never quiet.
    for minutes in [340, 318, 290, 262, 231, 205, 187, 164, 141, 118, 97, 80] {
        days.at(Timestamp::now().checked_sub(SignedDuration::from_mins(minutes))?, Deed::Ask);
    }
    let mut day = teller.now().to_zoned(TimeZone::UTC).date().tomorrow()?.to_zoned(TimeZone::UTC)?.timestamp();
    let mut count = 0_i64;
    while day < end {
        days.plan(teller, day, count);
        if [16, 37, 58, 79].contains(&count) {
            days.at(day.checked_add(SignedDuration::from_hours(10))?, Deed::Wave);
        }
        day = day.checked_add(SignedDuration::from_hours(24))?;
        count += 1;
    }
    while let Some(((at, _), deed)) = days.ahead.pop_first() {
        if at >= end {
            continue;
        }
        teller.set(at);
        days.carry_out(teller, systems, deed).await?;
    }
    finish(teller).await
}

/// Whatever still runs when the history ends is brought to its end.
async fn finish(teller: &Teller) -> anyhow::Result<()> {
    let open: Vec<ElevationId> = teller.house.world().active().map(|one| one.id).collect();
    for id in open {
        let Some((asker, phase)) = ({
            let world = teller.house.world();
            world.elevations.get(&id).map(|one| (one.asker, one.phase))
        }) else {
            continue;
        };
        let command = match phase {
            Phase::Waiting | Phase::Scheduled | Phase::Ready => ElevationCommand::Withdraw { elevation: id },
            _ => ElevationCommand::GiveBack { elevation: id },
        };
        teller.pass(20);
        // It may be on its way to its end already.
        let _ = teller.by(asker, command).await;
        if let Some(grant) = grant_of(teller, id).await {
            teller.pass(1);
            teller.keeper(Report::GrantGone { grant, leftovers: Vec::new() }).await?;
        }
    }
    Ok(())
}

async fn grant_of(teller: &Teller, id: ElevationId) -> Option<GrantId> {
    teller.house.world().elevations.get(&id)?.grants.first().copied()
}

struct Days {
    ahead: BTreeMap<(Timestamp, u64), Deed>,
    n: u64,
}

impl Days {
    fn at(&mut self, at: Timestamp, deed: Deed) {
        self.n += 1;
        self.ahead.insert((at, self.n), deed);
    }

    fn soon(&mut self, teller: &Teller, seconds: u64, deed: Deed) {
        let span = SignedDuration::from_secs(i64::try_from(seconds).unwrap_or(0));
        self.at(teller.now().checked_add(span).unwrap_or(Timestamp::MAX), deed);
    }

    /// Asks of one day: many in the morning, few at night, fewer on Sundays; more from month to month.
    fn plan(&mut self, teller: &mut Teller, midnight: Timestamp, day: i64) {
        let weekday = midnight.to_zoned(TimeZone::UTC).weekday().to_monday_zero_offset();
        let grown = u64::try_from(day / 14).unwrap_or(0);
        let most = if weekday >= 5 { 3 } else { 5 + grown };
        let asks = 1 + teller.chance.below(most) + grown / 2;
        for _ in 0..asks {
            let hour = match teller.chance.below(10) {
                0 => teller.chance.below(6),
                1..=5 => 8 + teller.chance.below(4),
                _ => 12 + teller.chance.below(7),
            };
            let seconds = hour * 3600 + teller.chance.below(3600);
            let at = midnight.checked_add(SignedDuration::from_secs(i64::try_from(seconds).unwrap_or(0)));
            self.at(at.unwrap_or(midnight), Deed::Ask);
        }
    }

    async fn carry_out(&mut self, teller: &mut Teller, systems: &Systems<'_>, deed: Deed) -> anyhow::Result<()> {
        match deed {
            Deed::Ask => {
                if let Some(id) = ask(teller, StartChoice::AtYes).await? {
                    self.follow(teller, id).await;
                }
            }
            Deed::Answer(id) => {
                answer(teller, id).await?;
                self.follow(teller, id).await;
            }
            Deed::Seen(grant) => {
                teller.keeper(Report::GrantSeen { grant, there: true }).await?;
                self.live(teller, grant).await;
            }
            Deed::GiveBack(id) => {
                let asker = teller.house.world().elevations.get(&id).map(|one| one.asker);
                if let Some(asker) = asker {
                    let _ = teller.by(asker, ElevationCommand::GiveBack { elevation: id }).await;
                }
                self.gone_soon(teller, id).await;
            }
            Deed::Revoke(id) => {
                let mara = teller.who("mara.lindqvist").await?;
                let word = Said::new("this vessel is not yours, ask the southern desk");
                let _ = teller.by(mara, ElevationCommand::Revoke { elevation: id, word }).await;
                self.gone_soon(teller, id).await;
            }
            Deed::End => {
                teller.tick().await?;
                let closing: Vec<ElevationId> = {
                    let world = teller.house.world();
                    let all = world.active();
                    all.filter(|one| one.phase == Phase::Closing).map(|one| one.id).collect()
                };
                for id in closing {
                    self.gone_soon(teller, id).await;
                }
            }
            Deed::Gone(grant) => {
                let mut leftovers = Vec::new();
                if teller.chance.percent(3)
                    && let Some(what) = teller.chance.of(&LEFTOVERS)
                {
                    leftovers.push((Said::new(*what), Some(teller.now()), true));
                }
                teller.keeper(Report::GrantGone { grant, leftovers }).await?;
            }
            Deed::Wave => wave(teller, systems).await?,
        }
        Ok(())
    }

    /// What comes next, by where it stands.
    async fn follow(&mut self, teller: &mut Teller, id: ElevationId) {
        let Some((phase, grant, until)) = ({
            let world = teller.house.world();
            world
                .elevations
                .get(&id)
                .map(|one| (one.phase, one.grants.first().copied(), one.stage().and_then(|stage| stage.until)))
        }) else {
            return;
        };
        match (phase, grant) {
            (Phase::Waiting, _) if teller.chance.percent(4) => {
                self.at(until.unwrap_or(Timestamp::MAX), Deed::End);
            }
            (Phase::Waiting, _) => {
                let wait = 60 + teller.chance.below(40 * 60);
                self.soon(teller, wait, Deed::Answer(id));
            }
            (Phase::Opening, Some(grant)) => self.soon(teller, 1, Deed::Seen(grant)),
            _ => {}
        }
    }

    async fn live(&mut self, teller: &mut Teller, grant: GrantId) {
        let Some((id, opened, until)) = ({
            let world = teller.house.world();
            world.elevation_of(grant).map(|(one, grant)| (one.id, grant.opened_at, grant.until))
        }) else {
            return;
        };
        let whole = u64::try_from(until.duration_since(opened).as_secs()).unwrap_or(0);
        match teller.chance.below(100) {
            0..=1 => {
                let after = 60 + teller.chance.below(whole / 2);
                self.soon(teller, after, Deed::Revoke(id));
            }
            2..=44 => {
                let after = whole / 4 + teller.chance.below(whole / 2);
                self.soon(teller, after, Deed::GiveBack(id));
            }
            _ => self.at(until, Deed::End),
        }
    }

    async fn gone_soon(&mut self, teller: &mut Teller, id: ElevationId) {
        if let Some(grant) = grant_of(teller, id).await {
            self.soon(teller, 1, Deed::Gone(grant));
        }
    }
}

/// What the terms want of an asker, with a number of theirs in the references.
pub(super) fn brings(terms: &Effective, reason: &str, number: u64) -> Brings {
    let ticket = terms.ticket.0.is_required().then(|| Said::new(format!("CHG-{number}")));
    let visits = terms.references.0.iter().filter(|(_, rule)| rule.is_required());
    let references = visits.map(|(name, _)| (name.clone(), Said::new(format!("V-{number}")))).collect();
    let purpose = terms.purposes.0.first().map(Said::new);
    Brings { purpose, ticket, references, ..Brings::reason(reason) }
}

/// Somebody asks for something they may. None where nobody could be found who may.
pub(super) async fn ask(teller: &mut Teller, start: StartChoice) -> anyhow::Result<Option<ElevationId>> {
    let Some((who, right, terms)) = choose(teller).await else { return Ok(None) };
    let reason = teller.chance.of(&REASONS).copied().unwrap_or_default();
    let parts = 1 + teller.chance.below(4);
    let duration = Seconds((u64::from(terms.longest.0.0) * parts / 4).try_into().unwrap_or(terms.longest.0.0));
    let brings = brings(&terms, reason, 1000 + teller.chance.below(9000));
    let shown = {
        let world = teller.house.world();
        match demand_for(&world, who, right, teller.now()) {
            Ok(demand) => Digest::of_json(&demand),
            Err(_) => return Ok(None),
        }
    };
    let command =
        ElevationCommand::Ask(Ask { right, duration: Some(duration), start: Some(start), glass: false, brings, shown });
    let whats = teller.by(who, command).await.unwrap_or_default();
    Ok(whats.iter().find_map(|what| match what {
        What::Asked { elevation, .. } => Some(*elevation),
        _ => None,
    }))
}

/// Somebody who may ask, and for what.
async fn choose(teller: &mut Teller) -> Option<(SubjectId, Right, Effective)> {
    let now = teller.now();
    let found: Vec<(SubjectId, Right, Effective)> = {
        let world = teller.house.world();
        let mut found = Vec::new();
        for held in world.eligibilities.values() {
            for person in world.people_in(held.subject) {
                let target = world.target_of(held.right.scope)?;
                let known = !target.connector.uses_own_account() || world.account_of(person, target.scope).is_some();
                let away = world.path(target.scope) == super::house::GATEHOUSE;
                // Nobody holds more than one at a time, so that lanes stay readable.
                let busy = world.active().any(|one| one.asker == person);
                if known
                    && !away
                    && !busy
                    && own_rights(&world, person, now).iter().any(|own| own.right == held.right)
                    && let Ok(demand) = demand_for(&world, person, held.right, now)
                {
                    found.push((person, held.right, demand.terms));
                }
            }
        }
        found
    };
    teller.chance.of(&found).cloned()
}

/// One who may answer does: mostly yes, sometimes to less, sometimes no.
pub(super) async fn answer(teller: &mut Teller, id: ElevationId) -> anyhow::Result<()> {
    for _ in 0..2 {
        let waiting = {
            let world = teller.house.world();
            world.elevations.get(&id).filter(|one| one.phase == Phase::Waiting).and_then(|one| {
                let stage = one.stage()?;
                let free = stage.approvers.iter().find(|who| !stage.answers.iter().any(|said| said.by == **who))?;
                Some((*free, one.digest, one.duration))
            })
        };
        let Some((who, shown, duration)) = waiting else { break };
        let command = match teller.chance.below(100) {
            0..=6 => {
                let why = teller.chance.of(&NOES).copied().unwrap_or_default();
                ElevationCommand::Answer(AnswerInput {
                    elevation: id,
                    verdict: Verdict::No,
                    less: None,
                    reason: Some(Said::new(why)),
                    shown,
                })
            }
            7..=11 if duration.0 > 1200 => {
                let less = Less { duration: Some(Seconds(duration.0 / 2)), ..Less::default() };
                let reason = Some(Said::new("half of that will do"));
                ElevationCommand::Answer(AnswerInput {
                    elevation: id,
                    verdict: Verdict::Yes,
                    less: Some(less),
                    reason,
                    shown,
                })
            }
            _ => ElevationCommand::Answer(AnswerInput {
                elevation: id,
                verdict: Verdict::Yes,
                less: None,
                reason: None,
                shown,
            }),
        };
        let _ = teller.by(who, command).await;
        teller.pass(15);
    }
    Ok(())
}

/// A wave of conversions: some people's direct rights, really taken away on the cluster, and read back.
async fn wave(teller: &mut Teller, systems: &Systems<'_>) -> anyhow::Result<()> {
    let Some((cluster, secret)) = systems.cluster else { return Ok(()) };
    let mara = teller.who("mara.lindqvist").await?;
    let berths = teller.scope(BERTHS).await?;
    let (chosen, shown, taken) = {
        let world = teller.house.world();
        let crew: Vec<String> = super::crew().into_iter().filter_map(|one| one.login).map(|(login, _)| login).collect();
        let rights = world.standing.values().filter(|held| {
            let weight = world.roles.get(&held.right.role).map(|role| role.weight);
            held.target == berths
                && held.handle.is_some()
                && weight != Some(Weight::Critical)
                && crew.iter().any(|login| world.is_text(held.account, login))
        });
        let chosen: Vec<StandingId> = rights.map(|held| held.id).take(11).collect();
        let plan = plan_conversion(&world, &chosen)?;
        let names = |id: &StandingId| {
            let held = world.standing.get(id)?;
            Some((world.role_name(held.right.role).to_owned(), world.text(held.account)))
        };
        let taken: Vec<(String, String)> = chosen.iter().filter_map(names).collect();
        (chosen, plan.digest, taken)
    };
    let whats = teller
        .by(mara, ConversionCommand::Convert { chosen: chosen.clone(), shown, until: None, plan: WavePlan::default() })
        .await?;
    let conversion = whats.iter().find_map(|what| match what {
        What::Converted { conversion, .. } => Some(*conversion),
        _ => None,
    });
    let sql = cluster.connect("postgres").await?;
    for (role, account) in taken {
        sql.batch_execute(&format!("REVOKE {role} FROM {account}")).await?;
    }
    for standing in chosen {
        teller.pass(1);
        if let Some(conversion) = conversion {
            teller.keeper(Report::StandingTaken { conversion, standing }).await?;
        }
    }
    teller.pass(600);
    teller.survey(berths, &postgres(cluster.port), secret).await
}
