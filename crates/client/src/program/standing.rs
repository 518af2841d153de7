//! `standing`.

use tempestas_api::{StandingFilter, StandingView};

use super::{
    args::{GroupArgs, StandingArgs},
    cli::Cli,
    show::{self, say},
};

pub(crate) async fn list(cli: &Cli, args: StandingArgs) -> anyhow::Result<()> {
    let StandingArgs { at, who, role, group: GroupArgs { label, says }, against_terms, refs } = args;
    let all = cli.client().standing(&StandingFilter { at, who, role, label, says, against_terms }).await?;
    if refs {
        all.iter().filter(|one| one.direct && !one.sealed).for_each(|one| say!("{}", one.id));
        return Ok(());
    }
    cli.print(&all, |all| {
        let critical = all.iter().filter(|one| one.weight == tempestas_core::Weight::Critical).count();
        let against = all.iter().filter(|one| one.against.is_some()).count();
        say!("{} standing rights, {critical} of them critical, {against} against the terms.", all.len());
        show::table(
            &["ref", "account", "whose", "right", "weight", "through", "since", "last used"],
            all.iter().map(standing_row),
            "",
        );
    })
}

fn standing_row(one: &StandingView) -> [String; 8] {
    let whose = match (&one.who, one.sealed) {
        (Some(who), true) => format!("{who}, sealed"),
        (Some(who), false) => who.clone(),
        (None, true) => "sealed".to_owned(),
        (None, false) => "unknown".to_owned(),
    };
    let through = if one.chain.is_empty() { "-".to_owned() } else { one.chain.join(" > ") };
    [
        one.id.clone(),
        one.account.clone(),
        whose,
        format!("{}@{}", one.role, one.scope),
        one.against.as_ref().map_or_else(|| one.weight.to_string(), |rule| format!("{}, against {rule}", one.weight)),
        through,
        one.since.map_or_else(|| format!("seen {}", day(one.first_seen)), day),
        match one.last_used {
            Some(at) => show::when(at),
            None if one.use_is_told => "never seen".to_owned(),
            None => "not known".to_owned(),
        },
    ]
}

fn day(at: jiff::Timestamp) -> String {
    at.strftime("%F").to_string()
}
