//! The first day, long ago: people, groups, systems, terms.

use tempestas_api::NewTerms;
use tempestas_core::{
    Connector, Digest, DutyKind, EligibilityCommand, EstateCommand, Lapse, PeopleCommand, Right, RightFound, RoleFound,
    Said, Seconds, Settings, SubjectKind, Survey, Terms, TermsCommand, Validity, Weight,
};

use super::{Systems, Teller, people};
use crate::{
    quillhaven::{BERTHS, BRIGHTWATER, GROUPS, MANAGERS, PEOPLE, TERMS},
    seed::BROKER,
};

/// A system that went away: it shows what trouble looks like.
pub(super) const GATEHOUSE: &str = "/harbour/gates/gatehouse";

/// What groups may ask for, besides what conversions leave.
const ELIGIBLE: [(&str, &str); 9] = [
    ("harbour-engineers", "harbour_dba@/harbour/databases/berths"),
    ("harbour-engineers", "harbour_operator@/harbour/databases/berths"),
    ("harbour-engineers", "harbour-warden@/analytics/brightwater/reports"),
    ("night-watch", "harbour_operator@/harbour/databases/berths"),
    ("berth-planning", "berth_planner@/harbour/databases/berths"),
    ("vessel-traffic", "vessel_traffic@/harbour/databases/berths"),
    ("analytics", "tide-writer@/analytics/brightwater/lake"),
    ("suppliers", "crane_reader@/harbour/databases/berths"),
    ("harbour-engineers", "gate-keeper@/harbour/gates/gatehouse"),
];

pub(super) async fn furnish(teller: &mut Teller, systems: &Systems<'_>) -> anyhow::Result<()> {
    let mara = teller.who("mara.lindqvist").await?;
    for (name, about, ..) in PEOPLE.iter().skip(1) {
        add(teller, SubjectKind::Person, name, about).await?;
    }
    add(teller, SubjectKind::Program, "night-batch", "the reports that run at three in the morning").await?;
    let crew = people::crew();
    for one in &crew {
        add(teller, SubjectKind::Person, &one.name, &one.about).await?;
        teller.pass(2);
    }
    for (name, about, members) in GROUPS {
        add(teller, SubjectKind::Group, name, about).await?;
        for member in members {
            join(teller, name, member).await?;
        }
    }
    for (name, about, ..) in people::DEPARTMENTS {
        add(teller, SubjectKind::Group, name, about).await?;
        for member in crew.iter().filter(|one| one.group == name) {
            join(teller, name, &member.name).await?;
        }
    }
    let root = teller.scope("/").await?;
    for (who, kind) in [("henrik.voss", DutyKind::Administrator), ("ines.kowal", DutyKind::Auditor)] {
        let subject = teller.who(who).await?;
        teller.by(mara, PeopleCommand::GiveDuty { subject, kind, scope: root }).await?;
    }
    for (who, manager) in MANAGERS {
        let (subject, manager) = (teller.who(who).await?, Some(teller.who(manager).await?));
        teller.by(mara, PeopleCommand::SetManager { subject, manager }).await?;
    }
    estate(teller, systems).await?;
    let (subject, scope) = (teller.who("signe.holm").await?, teller.scope("/analytics").await?);
    teller.by(mara, PeopleCommand::GiveDuty { subject, kind: DutyKind::Owner, scope }).await?;
    accounts(teller, systems).await?;
    for rule in TERMS {
        let rule: NewTerms = toml::from_str(rule)?;
        if systems.cluster.is_some() || rule.scope != BERTHS {
            let terms = terms(teller, rule).await?;
            teller.by(mara, TermsCommand::Set { terms }).await?;
        }
    }
    for (who, right) in ELIGIBLE {
        if let Some(right) = self::right(teller, right).await {
            let subject = teller.who(who).await?;
            teller.by(mara, EligibilityCommand::Give { subject, right, from: None, until: None, reason: None }).await?;
        }
    }
    Ok(())
}

/// A right by name, where its system is there.
pub(super) async fn right(teller: &Teller, name: &str) -> Option<Right> {
    teller.house.world().right_from(name).ok()
}

async fn add(teller: &Teller, kind: SubjectKind, name: &str, about: &str) -> anyhow::Result<()> {
    let mara = teller.who("mara.lindqvist").await?;
    let new = PeopleCommand::AddSubject { kind, name: Said::new(name), about: Said::new(about), second_of: None };
    teller.by(mara, new).await?;
    Ok(())
}

async fn join(teller: &Teller, group: &str, member: &str) -> anyhow::Result<()> {
    let mara = teller.who("mara.lindqvist").await?;
    let (group, member) = (teller.who(group).await?, teller.who(member).await?);
    teller.by(mara, PeopleCommand::AddMember { group, member }).await?;
    Ok(())
}

async fn estate(teller: &Teller, systems: &Systems<'_>) -> anyhow::Result<()> {
    let mara = teller.who("mara.lindqvist").await?;
    for (parent, name) in [("/", "harbour"), ("/harbour", "databases"), ("/harbour", "gates"), ("/", "analytics")] {
        let parent = teller.scope(parent).await?;
        teller.by(mara, EstateCommand::AddFolder { parent, name: name.to_owned() }).await?;
    }
    if let Some((cluster, secret)) = systems.cluster {
        target(teller, "/harbour/databases", "berths", postgres(cluster.port), 2).await?;
        let scope = teller.scope(BERTHS).await?;
        teller.house.keep_target_secret(scope, secret).await?;
        teller.survey(scope, &postgres(cluster.port), secret).await?;
    }
    let (url, key) = systems.brightwater;
    let connector = Connector::Brightwater { url: url.to_owned() };
    target(teller, "/analytics", "brightwater", connector.clone(), 1).await?;
    let scope = teller.scope(BRIGHTWATER).await?;
    teller.house.keep_target_secret(scope, key).await?;
    teller.survey(scope, &connector, key).await?;
    gatehouse(teller).await
}

pub(super) fn postgres(port: u16) -> Connector {
    Connector::Postgres {
        host: "127.0.0.1".to_owned(),
        port,
        user: BROKER.to_owned(),
        database: "tempestas".to_owned(),
        own_login: false,
    }
}

async fn target(
    teller: &Teller,
    parent: &str,
    name: &str,
    connector: Connector,
    emergency_least: u32,
) -> anyhow::Result<()> {
    let mara = teller.who("mara.lindqvist").await?;
    let parent = teller.scope(parent).await?;
    let new = EstateCommand::AddTarget {
        parent,
        name: name.to_owned(),
        connector,
        emergency_least,
        alarm_after: Seconds(30),
    };
    teller.by(mara, new).await?;
    Ok(())
}

/// The gatehouse's database answered when it was connected, and doesn't any more.
async fn gatehouse(teller: &Teller) -> anyhow::Result<()> {
    target(teller, "/harbour/gates", "gatehouse", postgres(9), 1).await?;
    let scope = teller.scope(GATEHOUSE).await?;
    teller.house.keep_target_secret(scope, "of no use any more").await?;
    let lapse = Lapse {
        by_itself: true,
        within: Seconds(1),
        holder_can_undo: false,
        movable: true,
        says: "the cluster itself ends it, its open sessions with it".to_owned(),
    };
    let role = |name: &str, says: &str, weight| RoleFound {
        name: name.to_owned(),
        says: says.to_owned(),
        weight,
        permits: Digest::of(&[name.as_bytes()]),
        lapse: lapse.clone(),
    };
    let right = |account: &str, role: &str| RightFound {
        account: account.to_owned(),
        role: role.to_owned(),
        part: Vec::new(),
        chain: Vec::new(),
        handle: Some(format!("member:{role}:{account}")),
        since: None,
        last_used: None,
    };
    let survey = Survey {
        attributes: std::collections::BTreeMap::new(),
        sealed: Vec::new(),
        complete: true,
        clock: teller.now(),
        broker: BROKER.to_owned(),
        parts: Vec::new(),
        roles: vec![
            role("gate-keeper", "opens and closes the gates, and changes who may pass", Weight::Privileged),
            role("gate-reader", "reads who passed", Weight::Ordinary),
        ],
        accounts: Vec::new(),
        rights: vec![
            right("gate_panel", "gate-keeper"),
            right("hvoss", "gate-keeper"),
            right("gate_report", "gate-reader"),
        ],
        marked: Vec::new(),
    };
    teller.record(scope, survey).await
}

async fn accounts(teller: &Teller, systems: &Systems<'_>) -> anyhow::Result<()> {
    let mara = teller.who("mara.lindqvist").await?;
    let crew = people::crew();
    let logins = PEOPLE
        .iter()
        .filter_map(|(name, _, login, _)| Some((*name, (*login)?)))
        .chain(crew.iter().filter_map(|one| Some((one.name.as_str(), one.login.as_ref()?.0.as_str()))));
    let identities = PEOPLE.iter().filter_map(|(name, _, _, identity)| Some((*name, BRIGHTWATER, (*identity)?)));
    let logins = logins.filter(|_| systems.cluster.is_some()).map(|(name, login)| (name, BERTHS, login));
    let program = [("night-batch", BRIGHTWATER, "night-batch")];
    let all: Vec<(&str, &str, &str)> = logins.chain(identities).chain(program).collect();
    for (name, target, account) in all {
        let (subject, target) = (teller.who(name).await?, teller.scope(target).await?);
        teller.by(mara, PeopleCommand::SetAccount { subject, target, account: Said::new(account) }).await?;
    }
    Ok(())
}

/// A rule, as the service's own interface would read it.
pub(super) async fn terms(teller: &Teller, new: NewTerms) -> anyhow::Result<Terms> {
    let world = teller.house.world();
    let who = |name: &str| {
        let known = world.subject_named(name).map(|subject| subject.id);
        known.ok_or_else(|| anyhow::anyhow!("{name} is not there"))
    };
    Ok(Terms {
        role: new.role.map(Into::into),
        weight: new.weight,
        asker: new.asker.as_deref().map(who).transpose()?,
        labels: new.labels,
        attributes: new.attributes,
        pins: new.pins,
        valid: Validity { from: new.valid_from, until: new.valid_until },
        ..Terms::new(teller.scope(&new.scope).await?, new.act, Settings::read(new.settings, who)?)
    })
}
