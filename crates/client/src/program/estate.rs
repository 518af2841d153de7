//! `targets`, `roles`, `alarms`.

use std::path::Path;

use anyhow::Context as _;
use tempestas_api::{
    AuthoritiesStep, EndTarget, HostTrust, NewFolder, NewTarget, SealView, SurveyReply, TargetSettings, TargetView,
    TriedSeal, WhichTarget,
};
use tempestas_core::{Connector, LookedAt, is_said, label_from};

use super::{
    args::{EnrolVerb, GroupArgs, TargetsVerb},
    cli::Cli,
    files,
    show::{self, say, tell},
};

fn secret(path: &Path) -> anyhow::Result<String> {
    let text = files::read(path)?;
    Ok(text.trim().to_owned())
}

/// `/a/b/c` as `/a/b` and `c`.
fn parent_and_name(path: &str) -> (String, String) {
    match path.trim_end_matches('/').rsplit_once('/') {
        Some(("", name)) => ("/".to_owned(), name.to_owned()),
        Some((parent, name)) => (parent.to_owned(), name.to_owned()),
        None => ("/".to_owned(), path.to_owned()),
    }
}

pub(crate) async fn targets(cli: &Cli, verb: TargetsVerb) -> anyhow::Result<()> {
    match verb {
        TargetsVerb::List { group } => list(cli, &group).await,
        TargetsVerb::AddFolder { path } => {
            let (parent, name) = parent_and_name(&path);
            let folder = NewFolder { parent, name };
            cli.fresh(async |client| client.add_folder(&folder).await).await?;
            cli.done(&format!("Added the folder {path}."))
        }
        TargetsVerb::Enrol { kind } => enrol(cli, kind).await,
        TargetsVerb::Enrolment { path, undo } => enrolment(cli, path, undo).await,
        TargetsVerb::Check { path } => check(cli, path).await,
        TargetsVerb::LetGo { path, reason, yes } => let_go(cli, path, reason, yes).await,
        TargetsVerb::Survey { path } => {
            let which = WhichTarget { target: path };
            let reply = cli.fresh(async |client| client.survey(&which).await).await?;
            cli.print(&reply, surveyed)
        }
        TargetsVerb::Seals { path: Some(target), tried: Some(account), next } => {
            let tried = TriedSeal { target, account, next };
            cli.fresh(async |client| client.tried_seal(&tried).await).await?;
            cli.done(&format!("`{}` on {} was tried.", tried.account, tried.target))
        }
        TargetsVerb::Seals { path, .. } => seals(cli, path.as_deref()).await,
        TargetsVerb::Accept { path } => {
            let which = WhichTarget { target: path };
            let reply = cli.fresh(async |client| client.accept_survey(&which).await).await?;
            cli.print(&reply, surveyed)
        }
        TargetsVerb::Authorities { step, leave_behind } => authorities(cli, step.as_deref(), leave_behind).await,
        TargetsVerb::Set { path, emergency_least, alarm_after, secret_file, runs_on, own_login, labels } => {
            let settings = TargetSettings {
                target: path.clone(),
                emergency_least,
                alarm_after: alarm_after.map(|span| span.0),
                secret: secret_file.as_deref().map(secret).transpose()?,
                runs_on,
                own_login,
                labels: (!labels.is_empty()).then(|| labels.into_iter().filter(|(name, _)| !name.is_empty()).collect()),
            };
            let known = cli.client().targets().await?.into_iter().find(|known| is_at(&known.path, &path));
            let known = known.with_context(|| format!("there is no target {path}; `tempestas targets` lists them"))?;
            let was = LookedAt::This(known.digest);
            cli.fresh(async |client| client.set_target(was, &settings).await).await?;
            cli.done(&format!("Changed the settings of {path}."))
        }
    }
}

/// Sealed emergency holders, of one target or of all.
async fn seals(cli: &Cli, path: Option<&str>) -> anyhow::Result<()> {
    let mut all = cli.client().targets().await?;
    all.retain(|known| path.is_none_or(|path| is_at(&known.path, path)) && !known.seals.is_empty());
    let tried = |seal: &SealView| match (seal.tried_at, &seal.tried_by) {
        (Some(at), Some(by)) => format!("{}, said {by}", show::when(at)),
        (Some(at), None) => show::when(at),
        (None, _) => "never".to_owned(),
    };
    cli.print(&all, |all| {
        let rows = all.iter().flat_map(|known| {
            let row = |seal: &SealView| [known.path.clone(), seal.account.clone(), show::when(seal.due), tried(seal)];
            known.seals.iter().map(row)
        });
        show::table(
            &["target", "sealed", "to be tried by", "tried"],
            rows,
            "No system there keeps sealed emergency holders.",
        );
    })
}

/// Whether a path is the one that was written: as the service reads it, `/a/b/` is `/a/b`.
pub(crate) fn is_at(path: &str, written: &str) -> bool {
    let names =
        |path: &str| -> Vec<String> { path.split('/').filter(|name| !name.is_empty()).map(str::to_owned).collect() };
    names(path) == names(written)
}

async fn enrol(cli: &Cli, kind: EnrolVerb) -> anyhow::Result<()> {
    match kind {
        EnrolVerb::Linux { path, host, port, user, host_key_file, emergency_least, wait } => {
            let host_key = secret(&host_key_file)?;
            let connector = Connector::Linux { host, port, user, host_key };
            let added = take_in(cli, &path, connector, None, emergency_least).await?;
            // What goes to standard output is the script alone.
            tell!("Added {}. This is what it takes to look after it:", added.path);
            enrolment(cli, path.clone(), false).await?;
            if wait { missing_no_more(cli, path).await } else { Ok(()) }
        }
        EnrolVerb::Fathom { path, url, secret_file, emergency_least } => {
            add(cli, &path, Connector::Fathom { url }, Some(&secret_file), emergency_least).await
        }
        EnrolVerb::Described { path, form, secret_file, emergency_least } => {
            let form = files::read(&form)?;
            add(cli, &path, Connector::Described { form }, Some(&secret_file), emergency_least).await
        }
        EnrolVerb::Ldap { path, url, user, base, grants, sweep, secret_file, emergency_least } => {
            let grants = grants.unwrap_or_else(|| format!("ou=grants,{base}"));
            let connector = Connector::Ldap { url, user, base, grants, sweep: sweep.0 };
            add(cli, &path, connector, Some(&secret_file), emergency_least).await
        }
        EnrolVerb::Postgres { path, host, port, user, database, own_login, secret_file, emergency_least } => {
            let connector = Connector::Postgres { host, port, user, database, own_login };
            add(cli, &path, connector, Some(&secret_file), emergency_least).await
        }
        EnrolVerb::Brightwater { path, url, secret_file, emergency_least } => {
            add(cli, &path, Connector::Brightwater { url }, Some(&secret_file), emergency_least).await
        }
    }
}

async fn list(cli: &Cli, group: &GroupArgs) -> anyhow::Result<()> {
    let mut all = cli.client().targets().await?;
    let label = group.label.as_deref().map(label_from).transpose()?;
    let says = group.says.as_deref().map(label_from).transpose()?;
    all.retain(|one| {
        label.is_none_or(|(name, value)| is_said(&one.labels, name, value))
            && says.is_none_or(|(name, value)| is_said(&one.attributes, name, value))
    });
    cli.print(&all, |all| {
        let rows = all.iter().map(|one| {
            let state = match (&one.trouble, one.held) {
                (Some(trouble), _) => trouble.clone(),
                (None, true) => "a survey waits for you".to_owned(),
                (None, false) => "well".to_owned(),
            };
            let survey = match (&one.surveying, &one.last_survey) {
                (Some(since), _) => format!("running since {}", show::when(*since)),
                (None, Some(last)) => {
                    format!("{}, {:.1} s: {}", show::when(last.at), last.took_ms / 1000.0, last.says)
                }
                (None, None) => "none yet".to_owned(),
            };
            [
                one.path.clone(),
                one.connector.word().to_owned(),
                one.standing.to_string(),
                one.live.to_string(),
                survey,
                one.labels.iter().map(|(name, value)| format!("{name}={value}")).collect::<Vec<_>>().join(" "),
                state,
            ]
        });
        show::table(
            &["target", "kind", "standing", "live", "last survey", "labels", "state"],
            rows,
            "No target is looked after yet; `tempestas targets enrol` takes one in.",
        );
    })
}

async fn add(
    cli: &Cli,
    path: &str,
    connector: Connector,
    secret_file: Option<&Path>,
    emergency_least: u32,
) -> anyhow::Result<()> {
    let added = take_in(cli, path, connector, secret_file, emergency_least).await?;
    cli.print(&added, |added| say!("Looking after {}; its first survey begins by itself.", added.path))
}

async fn take_in(
    cli: &Cli,
    path: &str,
    connector: Connector,
    secret_file: Option<&Path>,
    emergency_least: u32,
) -> anyhow::Result<TargetView> {
    let (parent, name) = parent_and_name(path);
    let secret = secret_file.map(secret).transpose()?.unwrap_or_default();
    let new = NewTarget { parent, name, connector, secret, emergency_least, alarm_after: 60 };
    cli.fresh(async |client| client.add_target(&new).await).await
}

/// How often it is looked whether a host was enrolled.
const LOOKED_AGAIN: std::time::Duration = std::time::Duration::from_secs(2);

/// The script alone goes to standard output, so that it can go into a file; what it means goes beside it.
async fn enrolment(cli: &Cli, path: String, undo: bool) -> anyhow::Result<()> {
    let which = WhichTarget { target: path };
    let reply = cli.client().host_enrolment(&which).await?;
    cli.print(&reply, |reply| {
        if undo {
            show::raw(reply.undo.as_bytes());
            return;
        }
        for sentence in &reply.says {
            tell!("- {sentence}");
        }
        show::raw(reply.script.as_bytes());
    })
}

async fn check(cli: &Cli, path: String) -> anyhow::Result<()> {
    let which = WhichTarget { target: path };
    let reply = cli.fresh(async |client| client.check_target(&which).await).await?;
    cli.print(&reply, |reply| {
        if reply.missing.is_empty() {
            say!("{} can be looked after; nothing is missing.", reply.target);
        } else {
            say!("{} can't be looked after yet:", reply.target);
            reply.missing.iter().for_each(|missing| say!("- {missing}"));
        }
    })
}

/// Looks until nothing is missing on a host; whenever something else is, that is said.
async fn missing_no_more(cli: &Cli, path: String) -> anyhow::Result<()> {
    let which = WhichTarget { target: path };
    let mut said = Vec::new();
    loop {
        let reply = cli.fresh(async |client| client.check_target(&which).await).await?;
        if reply.missing.is_empty() {
            let surveyed = cli.fresh(async |client| client.survey(&which).await).await?;
            tell!("Nothing is missing; {} standing rights are known there now.", surveyed.standing);
            return Ok(());
        }
        if reply.missing != said {
            tell!("{} can't be looked after yet:", reply.target);
            reply.missing.iter().for_each(|missing| tell!("- {missing}"));
            said = reply.missing;
        }
        tokio::time::sleep(LOOKED_AGAIN).await;
    }
}

async fn let_go(cli: &Cli, path: String, reason: String, yes: bool) -> anyhow::Result<()> {
    let all = cli.client().targets().await?;
    let known = all.iter().find(|one| one.path == path);
    let known = known.with_context(|| format!("{path} is not a target; `tempestas targets` lists them"))?;
    tell!(
        "{path}: {} standing rights there are seen no more, and whoever may ask for rights there can't any more.",
        known.standing
    );
    cli.sure("Let it go?", yes)?;
    // Asked for before the end, after which nobody knows what was placed there.
    let which = WhichTarget { target: path.clone() };
    let undo = match &known.connector {
        Connector::Linux { .. } => Some(cli.client().host_enrolment(&which).await?.undo),
        _ => None,
    };
    let end = EndTarget { target: path.clone(), reason };
    cli.fresh(async |client| client.end_target(&end).await).await?;
    let left = serde_json::json!({ "undo": undo, "broker": known.broker });
    cli.print(&left, |_| match (&undo, &known.broker) {
        (Some(undo), _) => {
            tell!("Let {path} go. Run this on the host as root, and nothing of ours is left there:");
            show::raw(undo.as_bytes());
        }
        (None, Some(broker)) => say!("Let {path} go. Now take away there what `{broker}`, our account, may do."),
        (None, None) => say!("Let {path} go."),
    })
}

fn surveyed(reply: &SurveyReply) {
    match &reply.held {
        Some(why) => say!("The survey of {} is held: {why}. Nobody's rights changed.", reply.target),
        None => say!(
            "Surveyed {}: {} standing rights; {} new, {} gone, {} changed.",
            reply.target,
            reply.standing,
            reply.appeared,
            reply.vanished,
            reply.changed
        ),
    }
}

pub(crate) async fn roles(cli: &Cli) -> anyhow::Result<()> {
    let all = cli.client().roles().await?;
    cli.print(&all, |all| {
        let rows = all.iter().map(|one| {
            [format!("{}@{}", one.role, one.target), one.weight.to_string(), one.says.clone(), one.lapse.says.clone()]
        });
        show::table(&["role", "weight", "lets one", "ends"], rows, "No role is known yet; survey a target first.");
    })
}

pub(crate) async fn alarms(cli: &Cli, settle: Option<&str>) -> anyhow::Result<()> {
    if let Some(id) = settle {
        cli.fresh(async |client| client.settle_alarm(id).await).await?;
        return cli.done(&format!("Settled {id}."));
    }
    let all = cli.client().alarms().await?;
    cli.print(&all, |all| {
        let rows = all.iter().map(|one| {
            let state = one.settled.map_or_else(|| "OPEN".to_owned(), |at| format!("settled {}", show::when(at)));
            [one.id.clone(), state, show::when(one.since), one.says.clone()]
        });
        show::table(&["id", "state", "since", "what"], rows, "No alarm.");
    })
}

async fn authorities(cli: &Cli, step: Option<&str>, leave_behind: bool) -> anyhow::Result<()> {
    let mut view = cli.client().authorities().await?;
    if let Some(step) = step {
        let due = view.stage.step();
        anyhow::ensure!(step == due, "{}; the step that follows is `{due}`", view.says);
        let step = AuthoritiesStep { from: view.stage, leave_behind };
        view = cli.fresh(async |client| client.step_authorities(&step).await).await?;
    }
    cli.print(&view, |view| {
        say!("For SSH, {}.", view.says);
        say!("  people  {}", view.people.join("\n          "));
        say!("  orders  {}", view.orders.join("\n          "));
        let row = |host: &HostTrust| {
            let told = if host.told { "told" } else { "not told yet" };
            [host.path.clone(), told.to_owned(), host.trouble.clone().unwrap_or_default()]
        };
        show::table(&["host", "of these", "in the way"], view.hosts.iter().map(row), "No host is looked after.");
        say!("The step that follows is `tempestas targets authorities {}`.", view.stage.step());
    })
}
