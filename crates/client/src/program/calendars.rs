//! `calendars`: times in which nothing is held, by name.

use tempestas_api::{CalendarBody, CalendarView};
use tempestas_core::LookedAt;

use super::{
    args::CalendarsVerb,
    cli::Cli,
    files,
    show::{self, say},
};

pub(crate) async fn calendars(cli: &Cli, verb: CalendarsVerb) -> anyhow::Result<()> {
    match verb {
        CalendarsVerb::List => {
            let all = cli.client().calendars().await?;
            cli.print(&all, |all| {
                if all.is_empty() {
                    say!("None that you see; `tempestas calendars set` takes one in.");
                }
                all.iter().for_each(shown);
            })
        }
        CalendarsVerb::Show { name } => {
            let one = cli.client().calendar(&name).await?;
            cli.print(&one, |one| {
                shown(one);
                let rows = one
                    .entries
                    .iter()
                    .map(|entry| [show::when(entry.from), show::when(entry.until), entry.what.clone()]);
                show::table(&["from", "until", "what"], rows, "No entry is ahead.");
                if one.count > one.entries.len() {
                    say!("The first {} of {}.", one.entries.len(), one.count);
                }
            })
        }
        CalendarsVerb::Set { name, file, zone } => {
            let body = CalendarBody { zone, file: files::read(&file)? };
            let all = cli.client().calendars().await?;
            let known = all.iter().find(|one| one.name == name);
            let was = known.map_or(LookedAt::Nothing, |known| LookedAt::This(known.digest));
            let set = cli.fresh(async |client| client.set_calendar(&name, was, &body).await).await?;
            cli.print(&set, shown)
        }
        CalendarsVerb::End { name } => {
            cli.fresh(async |client| client.end_calendar(&name).await).await?;
            cli.done(&format!("Ended {name}; no rule went by it."))
        }
    }
}

fn shown(one: &CalendarView) {
    let closes = match one.closes.as_slice() {
        [] => "no rule that you see".to_owned(),
        rules => rules.join(", "),
    };
    say!("{} ({}): {}", one.name, one.zone, one.says);
    say!("    closes {closes}");
    if !one.runs_into.is_empty() {
        say!("    held into it, for it was opened before: {}", one.runs_into.join(", "));
    }
}
