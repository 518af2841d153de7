//! The World as replies show it: ids become names, digests become texts. Sight is applied before these are called.

mod elevations;

pub(crate) use elevations::{below, demand, earlier, elevation};

use tempestas_api::{
    AccountView, AlarmView, ApprovalView, ConversionView, DutyView, EffectiveSetting, EligibilityView, ItemView,
    LedgerEntry, NewTerms, PauseView, RoleView, SettingsView, StandingView, SubjectView, TakesView, TermsView,
    WavesView,
};
use tempestas_core::{
    Actor, Alarm, Approval, Approver, Conversion, Duty, Effective, Eligibility, LapseRule, Pause, ReasonRule, Right,
    Role, Seconds, Settings, Sight, Standing, Subject, SubjectId, Terms, TicketRule, Weight, World,
};
use tempestas_store::Entry;

use crate::uses::LastUses;

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
            .accounts_of(subject.id)
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

pub(crate) fn alarm(world: &World, alarm: &Alarm, me: SubjectId) -> AlarmView {
    let kind = serde_json::to_value(&alarm.about)
        .ok()
        .and_then(|value| value.get("kind").and_then(|kind| kind.as_str().map(str::to_owned)));
    AlarmView {
        id: alarm.id.to_string(),
        kind: kind.unwrap_or_default(),
        says: alarm.about.sentence(world),
        since: alarm.since,
        settled: alarm.settled,
        may_settle: world.may_settle(alarm, me),
    }
}

pub(crate) fn standing(world: &World, last: &LastUses, right: &Standing) -> StandingView {
    let role = world.roles.get(&right.right.role);
    let account = world.text(right.account);
    StandingView {
        id: right.id.to_string(),
        sealed: world.is_sealed(right.target, &account),
        account,
        who: world.owner_of(right).map(|who| world.subject_name(who)),
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

pub(crate) fn eligibility(world: &World, held: &Eligibility, takes: Option<TakesView>) -> EligibilityView {
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
        takes,
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
