//! Rules of terms, and what holds by them, as replies show them.

use tempestas_api::{ApprovalView, EffectiveSetting, NewTerms, SettingsView, TermsView};
use tempestas_core::{
    Approval, Approver, Effective, LapseRule, ReasonRule, Seconds, Settings, Terms, TermsId, TicketRule, Visible, World,
};

use super::rights::pause;

fn settings(world: &World, settings: &Settings) -> SettingsView {
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

pub(crate) fn terms(world: &World, rule: Visible<'_, Terms>) -> TermsView {
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
            let place = |id: &TermsId| {
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
