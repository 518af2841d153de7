//! The World as replies show it: ids become names, digests become texts. Sight is applied before these are called.

use jiff::Timestamp;
use tempestas_api::{
    AccountView, AlarmView, AnswerView, ApprovalView, AskedView, ConversionView, DemandView, DutyView, EarlierView,
    EffectiveSetting, ElevationView, EligibilityView, GrantView, ItemView, LedgerEntry, LeftoverView, NewTerms,
    PauseView, RoleView, SettingsView, StageView, StandingView, SubjectView, TermsView, WavesView,
};
use tempestas_core::{
    Actor, Alarm, Approval, Approver, Conversion, Demand, Duty, Effective, Elevation, Eligibility, End, Grant,
    LEFT_ALONE, LapseRule, Less, Owners, Pause, Phase, ReasonRule, Right, Role, ScopeId, Seconds, Settings, Sight,
    Standing, StartChoice, Subject, SubjectId, Terms, TicketRule, Weight, World, demand_for,
};
use tempestas_store::Entry;

use crate::uses::LastUses;

/// Most rights of an account that are said one by one.
const HELD_SAID: usize = 6;

/// A person, group or program, as far as the caller sees it: whose accounts they have elsewhere, and who else is in their
/// groups, is for those with a duty there.
pub(crate) fn subject(world: &World, sight: &Sight, subject: &Subject) -> SubjectView {
    SubjectView {
        id: subject.id.to_string(),
        kind: subject.kind,
        name: world.text(subject.name),
        about: world.text(subject.about),
        second_of: subject.second_of.map(|first| world.subject_name(first)),
        suspended: subject.suspended,
        manager: subject.manager.map(|manager| world.subject_name(manager)),
        members: subject
            .members
            .iter()
            .filter(|member| sight.sees_subject(world, **member))
            .map(|member| world.subject_name(*member))
            .collect(),
        alike: world.alike(subject.id),
        accounts: world
            .accounts
            .values()
            .filter(|account| account.subject == subject.id)
            .filter(|account| sight.is_of(account.subject) || sight.sees_scope(world, account.target))
            .map(|account| AccountView {
                target: world.path(account.target),
                account: world.text(account.name),
                digest: account.digest(),
            })
            .collect(),
    }
}

pub(crate) fn duty(world: &World, duty: &Duty) -> DutyView {
    DutyView {
        id: duty.id.to_string(),
        who: world.subject_name(duty.subject),
        duty: duty.kind,
        scope: world.path(duty.scope),
    }
}

pub(crate) fn role(world: &World, role: &Role) -> RoleView {
    RoleView {
        role: world.words(&role.name).to_owned(),
        target: world.path(role.target),
        says: world.words(&role.says).to_owned(),
        weight: role.weight,
        lapse: role.lapse.clone(),
    }
}

fn role_of(world: &World, right: Right) -> (String, Weight) {
    world
        .roles
        .get(&right.role)
        .map_or_else(|| (String::new(), Weight::Critical), |role| (world.words(&role.says).to_owned(), role.weight))
}

pub(crate) fn alarm(world: &World, alarm: &Alarm) -> AlarmView {
    let kind = serde_json::to_value(&alarm.about)
        .ok()
        .and_then(|value| value.get("kind").and_then(|kind| kind.as_str().map(str::to_owned)));
    AlarmView {
        id: alarm.id.to_string(),
        kind: kind.unwrap_or_default(),
        says: alarm.about.sentence(world),
        since: alarm.since,
        settled: alarm.settled,
    }
}

pub(crate) fn standing(world: &World, owners: &Owners<'_>, last: &LastUses, right: &Standing) -> StandingView {
    let role = world.roles.get(&right.right.role);
    let account = world.text(right.account);
    StandingView {
        id: right.id.to_string(),
        sealed: world.is_sealed(right.target, &account),
        account,
        who: owners.of(right).map(|who| world.subject_name(who)),
        role: world.role_name(right.right.role).to_owned(),
        scope: world.path(right.right.scope),
        target: world.path(right.target),
        weight: role.map_or(Weight::Critical, |role| role.weight),
        chain: right.chain.iter().map(|way| world.words(way).to_owned()).collect(),
        direct: right.handle.is_some(),
        since: right.since,
        first_seen: right.first_seen,
        last_used: last.of(world, right),
        use_is_told: last.are_told(right.target),
    }
}

/// A conversion, with those of its rights that the caller sees.
pub(crate) fn conversion(world: &World, sight: &Sight, conversion: &Conversion) -> ConversionView {
    let seen = |item: &&tempestas_core::Item| sight.sees_scope(world, item.standing.right.scope);
    let mut items: Vec<&tempestas_core::Item> = conversion.items.iter().filter(seen).collect();
    items.sort_by_key(|item| item.wave);
    ConversionView {
        id: conversion.id.to_string(),
        name: conversion.waves.as_ref().and_then(|waves| waves.name.as_ref()).map(|name| world.words(name).to_owned()),
        by: world.subject_name(conversion.by),
        at: conversion.at,
        undone_at: conversion.undone_at,
        settled: conversion.is_settled(),
        waves: conversion.waves.as_ref().map(|waves| WavesView {
            count: waves.count,
            begun: waves.begun,
            goes_on_at: conversion.goes_on_at(),
            may_go_on: conversion.next_wave().is_some() && (conversion.is_settled() || waves.stopped.is_some()),
            stopped: waves.stopped.clone(),
            stop_percent: waves.stop_percent,
            undo_until: waves.undo_until,
        }),
        items: items
            .into_iter()
            .map(|item| ItemView {
                standing: item.standing.id.to_string(),
                account: world.text(item.standing.account),
                right: world.right_name(item.standing.right),
                state: item.state,
                trouble: item.trouble.clone(),
                wave: item.wave + 1,
            })
            .collect(),
    }
}

pub(crate) fn pause(world: &World, pause: &Pause) -> PauseView {
    PauseView { by: pause.by.map(|by| world.subject_name(by)), at: pause.at, reason: world.text(pause.reason) }
}

pub(crate) fn eligibility(world: &World, held: &Eligibility, demand: Option<String>) -> EligibilityView {
    let (says, weight) = role_of(world, held.right);
    EligibilityView {
        id: held.id.to_string(),
        digest: held.digest(),
        who: world.subject_name(held.subject),
        right: world.right_name(held.right),
        says,
        weight,
        from: held.from,
        until: held.until,
        covers: held.by.and_then(|id| world.appointments.get(&id)?.covers).map(|absent| world.subject_name(absent)),
        suspended: held.paused.as_ref().map(|paused| pause(world, paused)),
        demand,
    }
}

pub(crate) fn settings(world: &World, settings: &Settings) -> SettingsView {
    let Settings { longest, usual, starts, reason, ticket, assurance, approval, lapse } = settings.clone();
    SettingsView {
        longest,
        usual,
        starts,
        reason,
        ticket,
        assurance,
        approval: approval.map(|approval| approval_view(world, &approval)),
        lapse,
    }
}

fn approval_view(world: &World, approval: &Approval) -> ApprovalView {
    match approval {
        Approval::None => ApprovalView::None,
        Approval::Stage { approvers, yes, no, within } => ApprovalView::Stage {
            approvers: approvers
                .iter()
                .map(|approver| match approver {
                    Approver::Subject { id } => world.subject_name(*id),
                    Approver::Administrators => "administrators".to_owned(),
                })
                .collect(),
            yes: *yes,
            no: *no,
            within: *within,
        },
    }
}

pub(crate) fn terms(world: &World, rule: &Terms) -> TermsView {
    TermsView {
        id: rule.id.to_string(),
        digest: rule.digest(),
        rule: NewTerms {
            scope: world.path(rule.scope),
            act: rule.act,
            role: rule.role.as_ref().map(|role| world.words(role).to_owned()),
            weight: rule.weight,
            asker: rule.asker.map(|asker| world.subject_name(asker)),
            settings: settings(world, &rule.settings),
            labels: rule.labels.clone(),
            attributes: rule.attributes.clone(),
            pins: rule.pins.clone(),
        },
        set_by: rule.set_by.map(|by| world.subject_name(by)),
        suspended: rule.paused.as_ref().map(|paused| pause(world, paused)),
    }
}

/// What holds, setting by setting, each with where it came from.
pub(crate) fn effective(world: &World, effective: &Effective) -> Vec<EffectiveSetting> {
    effective
        .traces
        .iter()
        .map(|trace| {
            let place = |id: &tempestas_core::TermsId| {
                world.terms.get(id).map_or_else(|| id.to_string(), |rule| format!("{id} at {}", world.path(rule.scope)))
            };
            let mut from = trace.rule.as_ref().map_or_else(|| "the house's defaults".to_owned(), place);
            if !trace.tightened_by.is_empty() {
                let pins: Vec<String> = trace.tightened_by.iter().map(place).collect();
                from = format!("{from}, tightened by {}", pins.join(" and "));
            }
            EffectiveSetting {
                setting: trace.setting.clone(),
                value: setting_words(world, effective, &trace.setting),
                from,
                rule: trace.rule.map(|id| id.to_string()),
                tightened_by: trace.tightened_by.iter().map(ToString::to_string).collect(),
                passed_over: trace.passed_over.iter().map(ToString::to_string).collect(),
            }
        })
        .collect()
}

fn setting_words(world: &World, effective: &Effective, setting: &str) -> String {
    match setting {
        "longest" if effective.longest == Seconds(u32::MAX) => "no limit".to_owned(),
        "longest" => effective.longest.to_string(),
        "usual" => effective.usual.to_string(),
        "assurance" => format!("a passkey or TOTP code no older than {}", effective.assurance),
        "reason" => match effective.reason {
            ReasonRule::Hidden => "not asked for".to_owned(),
            ReasonRule::Optional => "optional".to_owned(),
            ReasonRule::Required { at_least } => format!("required, {at_least} letters at least"),
        },
        "ticket" => {
            let form =
                effective.ticket.pattern().map_or_else(String::new, |pattern| format!(", of the form {pattern}"));
            match effective.ticket {
                TicketRule::Off => "not asked for".to_owned(),
                TicketRule::Optional { .. } => format!("optional{form}"),
                TicketRule::Required { .. } => format!("required{form}"),
            }
        }
        "starts" => {
            let mut ways = Vec::new();
            if effective.starts.at_yes {
                ways.push("at the yes".to_owned());
            }
            ways.extend(effective.starts.at_time_within.map(|within| format!("at a set time within {within}")));
            ways.extend(effective.starts.begin_within.map(|within| format!("when the holder begins, within {within}")));
            ways.join(", or ")
        }
        "approval" => match approval_view(world, &effective.approval) {
            ApprovalView::None => "nobody need be asked".to_owned(),
            ApprovalView::Stage { approvers, yes, no, within } => {
                format!("{yes} yes (or {no} no) within {within} from {}", approvers.join(" or "))
            }
        },
        "lapse" => match effective.lapse {
            LapseRule::Any => "any right may be given".to_owned(),
            LapseRule::ByItself => "only rights that the target ends by itself".to_owned(),
        },
        _ => String::new(),
    }
}

pub(crate) fn demand(world: &World, demand: &Demand, duration: Seconds, start: StartChoice) -> DemandView {
    let (says, weight) = role_of(world, demand.right);
    DemandView {
        right: world.right_name(demand.right),
        says,
        weight,
        sentence: demand.sentence(world, duration, start),
        duration,
        longest: demand.terms.longest,
        usual: demand.terms.usual,
        starts: demand.terms.starts.clone(),
        proof_within: demand.terms.assurance,
        reason_at_least: match demand.terms.reason {
            ReasonRule::Required { at_least } => at_least.max(1),
            ReasonRule::Optional | ReasonRule::Hidden => 0,
        },
        narrower: below(world, demand.right.scope),
        reason_required: matches!(demand.terms.reason, ReasonRule::Required { .. }),
        ticket_required: matches!(demand.terms.ticket, TicketRule::Required { .. }),
        ticket_pattern: demand.terms.ticket.pattern().map(str::to_owned),
        approvers: demand.approvers.iter().map(|id| world.subject_name(*id)).collect(),
        ends: demand.ends.clone(),
        digest: tempestas_core::Digest::of_json(demand),
    }
}

/// Paths of the scopes below one, which are less; 200 at most.
pub(crate) fn below(world: &World, scope: ScopeId) -> Vec<String> {
    let mut paths: Vec<String> = world
        .scopes
        .keys()
        .filter(|id| **id != scope && world.is_within(**id, scope))
        .take(200)
        .map(|id| world.path(*id))
        .collect();
    paths.sort();
    paths
}

pub(crate) fn earlier(world: &World, elevation: &Elevation) -> EarlierView {
    let leftovers = elevation.grant.and_then(|id| world.grants.get(&id)?.leftovers.as_ref().map(Vec::len));
    EarlierView {
        id: elevation.id.to_string(),
        asked_at: elevation.asked_at,
        state: elevation.phase.to_string(),
        reason: elevation.reason.map(|text| world.text(text)),
        leftovers: leftovers.unwrap_or(0),
    }
}

/// A yes to less, in words.
fn less_words(world: &World, less: &Less) -> String {
    let mut parts: Vec<String> = Vec::new();
    parts.extend(less.duration.map(|duration| format!("for {duration}")));
    parts.extend(less.scope.map(|scope| format!("at {} only", world.path(scope))));
    if let Some(StartChoice::At { time }) = less.start {
        parts.push(format!("from {}", at(time)));
    }
    parts.join(", ")
}

/// An elevation as one person sees it.
pub(crate) fn elevation(world: &World, elevation: &Elevation, me: SubjectId) -> ElevationView {
    let approver = elevation.stages.iter().any(|stage| stage.approvers.contains(&me));
    let administers = || Sight::is_administrator(world, me, elevation.right.scope);
    let ending = matches!(elevation.phase, Phase::Closing | Phase::Ended(_));
    let (says, weight) = role_of(world, elevation.right);
    let grant = elevation.grant.and_then(|id| world.grants.get(&id));
    let connector = world.target_of(elevation.right.scope).map(|target| &target.connector);
    let trouble = elevation.trouble.as_ref().map(|trouble| match trouble.as_str() {
        LEFT_ALONE if elevation.asker == me => format!("{trouble}; {}", who_could(world, elevation)),
        _ => trouble.clone(),
    });
    ElevationView {
        id: elevation.id.to_string(),
        who: world.subject_name(elevation.asker),
        alike: world.alike(elevation.asker),
        account: elevation.demand.account.map(|account| world.text(account)),
        account_holds: account_holds(world, elevation),
        right: world.right_name(elevation.right),
        says,
        weight,
        state: elevation.phase.to_string(),
        sentence: state_sentence(world, elevation, grant, trouble.as_deref()),
        asked_at: elevation.asked_at,
        duration: elevation.duration,
        start: elevation.start,
        asked: elevation.asked.map(|asked| AskedView {
            right: world.right_name(asked.right),
            duration: asked.duration,
            start: asked.start,
        }),
        mine: elevation.asker == me,
        takes_own_key: connector.is_some_and(tempestas_core::Connector::takes_own_key),
        for_me: crate::routes::waits_for(elevation, me),
        may_revoke: !ending && (approver || administers()),
        reason: elevation.reason.map(|text| world.text(text)),
        ticket: elevation.ticket.map(|text| world.text(text)),
        demand: elevation.demand.sentence(world, elevation.duration, elevation.start),
        stages: elevation
            .stages
            .iter()
            .map(|stage| StageView {
                approvers: stage.approvers.iter().map(|id| world.subject_name(*id)).collect(),
                yes: stage.yes,
                no: stage.no,
                until: stage.until,
                answers: stage
                    .answers
                    .iter()
                    .map(|answer| AnswerView {
                        who: world.subject_name(answer.by),
                        verdict: answer.verdict,
                        less: answer.less.as_ref().map(|less| less_words(world, less)),
                        reason: answer.reason.map(|text| world.text(text)),
                        at: answer.at,
                    })
                    .collect(),
            })
            .collect(),
        digest: elevation.digest,
        grant: grant.map(|grant| grant_view(world, elevation, grant)),
        end_word: elevation.end_word.map(|text| world.text(text)),
        trouble,
    }
}

/// What the account that an elevation is put on holds all the time besides: a yes to something harmless opens that too.
fn account_holds(world: &World, elevation: &Elevation) -> Vec<String> {
    let target = world.target_of(elevation.right.scope).map(|target| target.scope);
    let Some((account, target)) = elevation.demand.account.zip(target) else { return Vec::new() };
    let name = world.text(account);
    let mut held: Vec<&Standing> = world
        .standing
        .values()
        .filter(|held| held.target == target && held.right != elevation.right && world.is_text(held.account, &name))
        .collect();
    held.sort_by_key(|held| std::cmp::Reverse(world.roles.get(&held.right.role).map(|role| role.weight)));
    let mut said: Vec<String> = held.iter().take(HELD_SAID).map(|held| world.right_name(held.right)).collect();
    if held.len() > HELD_SAID {
        said.push(format!("{} more", held.len() - HELD_SAID));
    }
    said
}

fn grant_view(world: &World, elevation: &Elevation, grant: &Grant) -> GrantView {
    GrantView {
        id: grant.id.to_string(),
        until: grant.until,
        wanted: grant.wanted,
        seen: grant.seen,
        seen_at: grant.seen_at,
        verified_at: grant.verified_at,
        ends: elevation.demand.ends.clone(),
        leftovers: grant.leftovers.as_ref().map(|found| {
            found
                .iter()
                .map(|leftover| LeftoverView {
                    what: world.text(leftover.what),
                    when: leftover.when,
                    ended: leftover.ended,
                })
                .collect()
        }),
    }
}

/// Who could answer now, if the same were asked anew.
fn who_could(world: &World, elevation: &Elevation) -> String {
    match demand_for(world, elevation.asker, elevation.right, Timestamp::now()) {
        Ok(demand) if demand.approvers.is_empty() => "asked anew it would need no yes".to_owned(),
        Ok(demand) => {
            let names: Vec<String> = demand.approvers.iter().map(|id| world.subject_name(*id)).collect();
            format!("asked anew it would go to {}", names.join(" or "))
        }
        Err(refusal) => refusal.to_string(),
    }
}

/// A time as sentences say it: UTC, to the second.
fn at(time: Timestamp) -> String {
    time.strftime("%F %T UTC").to_string()
}

/// What an elevation is at, as one plain sentence.
fn state_sentence(world: &World, elevation: &Elevation, grant: Option<&Grant>, trouble: Option<&str>) -> String {
    let names = |people: &mut dyn Iterator<Item = SubjectId>| {
        people.map(|id| world.subject_name(id)).collect::<Vec<_>>().join(" or ")
    };
    let until = grant.map(|grant| at(grant.until)).unwrap_or_default();
    let said = match elevation.phase {
        Phase::Waiting => elevation.stages.last().map_or_else(String::new, |stage| {
            format!("waits for {} until {}", names(&mut stage.approvers.iter().copied()), at(stage.until))
        }),
        Phase::Scheduled => match elevation.start {
            StartChoice::At { time } => format!("begins at {}", at(time)),
            StartChoice::AtYes | StartChoice::OnBegin => "begins as soon as it may".to_owned(),
        },
        Phase::Ready => {
            let by = elevation.begin_by.map(at).unwrap_or_default();
            format!("ready; begin it by {by}: tempestas begin {}", elevation.id)
        }
        Phase::Opening => format!("being put on its target, until {until}"),
        Phase::Live => {
            let seen = grant.and_then(|grant| grant.verified_at).map(at).unwrap_or_default();
            format!("verified on its target at {seen}, live until {until}")
        }
        Phase::Closing => "being taken away on its target".to_owned(),
        Phase::Ended(end) => ended_sentence(elevation, grant, end),
    };
    match trouble {
        Some(trouble) => format!("{said}; {trouble}"),
        None => said,
    }
}

fn ended_sentence(elevation: &Elevation, grant: Option<&Grant>, end: End) -> String {
    let how = match end {
        End::Lapsed => "lapsed at its set time",
        End::GivenBack => "given back by its holder",
        End::Revoked => "revoked",
        End::Refused => "refused",
        End::Withdrawn => "withdrawn by its asker",
        End::Unanswered => "ran out",
        End::Failed => "failed",
    };
    match grant.and_then(|grant| Some((grant.seen_at?, grant.leftovers.as_ref()?.len()))) {
        Some((seen, 0)) => format!("{how}; read back as gone at {}, no leftovers found", at(seen)),
        Some((seen, 1)) => format!("{how}; read back as gone at {}, 1 leftover found", at(seen)),
        Some((seen, count)) => format!("{how}; read back as gone at {}, {count} leftovers found", at(seen)),
        None if elevation.trouble.is_none() && end == End::Refused => {
            let no = elevation.stages.iter().flat_map(|stage| &stage.answers).any(|answer| answer.reason.is_some());
            if no { format!("{how}; the reason stands with the answer") } else { how.to_owned() }
        }
        None => how.to_owned(),
    }
}

pub(crate) fn entry(world: &World, entry: &Entry) -> LedgerEntry {
    let who = match entry.fact.by {
        Actor::Subject(id) => world.subject_name(id),
        Actor::Keeper => "the service".to_owned(),
        Actor::Machine => "the machine".to_owned(),
        Actor::Nobody => "somebody not signed in".to_owned(),
    };
    LedgerEntry {
        n: entry.seq,
        at: entry.fact.at,
        who,
        from: entry.fact.from.map(|from| world.text(from)),
        says: entry.fact.what.sentence(world),
        what: entry.fact.what.clone(),
    }
}
