//! `terms`.

use std::{io::Read as _, path::Path};

use anyhow::Context as _;
use tempestas_api::{EffectiveQuery, NewTerms, SuspendRequest, ensure_known};
use tempestas_core::{Act, LookedAt};

use super::{args::TermsVerb, session::Session, show};

/// Reads a rule from a TOML file; `-` is standard input.
pub(crate) fn read_rule(file: &Path) -> anyhow::Result<NewTerms> {
    let text = if file.as_os_str() == "-" {
        let mut text = String::new();
        std::io::stdin().read_to_string(&mut text)?;
        text
    } else {
        std::fs::read_to_string(file).with_context(|| format!("{} can't be read", file.display()))?
    };
    let not_a_rule = || format!("{} is not a rule of terms", file.display());
    let said = toml::from_str(&text).with_context(not_a_rule)?;
    ensure_known::<NewTerms>(&said).map_err(anyhow::Error::msg).with_context(not_a_rule)?;
    toml::from_str(&text).with_context(not_a_rule)
}

/// A rule as a file says it, without what it leaves out.
fn written(rule: &NewTerms) -> String {
    let mut table = toml::Table::try_from(rule).unwrap_or_default();
    table.retain(|_, value| !value.as_table().is_some_and(toml::Table::is_empty));
    toml::to_string(&table).unwrap_or_default()
}

pub(crate) async fn terms(session: &Session, verb: TermsVerb) -> anyhow::Result<()> {
    match verb {
        TermsVerb::List => {
            let all = session.client().terms().await?;
            session.print(&all, |all| {
                println!("{}\n", all.precedence);
                if all.terms.is_empty() {
                    println!("No rule is set; the house's defaults hold everywhere.");
                }
                for one in &all.terms {
                    let by = one.set_by.as_ref().map_or_else(String::new, |by| format!("  # set by {by}"));
                    println!("# {}{by}", one.id);
                    if let Some(pause) = &one.suspended {
                        println!("# suspended since {}: {}", show::when(pause.at), show::inline(&pause.reason));
                    }
                    println!("{}", written(&one.rule));
                }
            })
        }
        TermsVerb::Show { right, asker, be_made_eligible } => {
            let act = if be_made_eligible { Act::BeMadeEligible } else { Act::Elevate };
            let reply = session.client().effective_terms(&EffectiveQuery { right, asker, act }).await?;
            session.print(&reply, |reply| {
                let rows = reply
                    .settings
                    .iter()
                    .map(|one| [one.setting.clone(), one.value.clone(), one.from.clone(), one.passed_over.join(", ")]);
                show::table(&["setting", "value", "from", "passed over"], rows, "");
                println!("\n{}", reply.precedence);
            })
        }
        TermsVerb::Set { file, id } => {
            let new = read_rule(&file)?;
            let set = match &id {
                Some(id) => {
                    let all = session.client().terms().await?.terms;
                    let known = all.into_iter().find(|rule| rule.id == *id);
                    let was =
                        known.with_context(|| format!("there is no rule {id}; `tempestas terms` lists them"))?.digest;
                    let was = LookedAt::This(was);
                    session.fresh(async |client| client.change_terms(id, was, &new).await).await?
                }
                None => session.fresh(async |client| client.add_terms(&new).await).await?,
            };
            session.print(&set, |set| println!("Set {} at {}.", set.id, set.rule.scope))
        }
        TermsVerb::Suspend { id, reason } => {
            let why = SuspendRequest { reason };
            let done = session.fresh(async |client| client.suspend_terms(&id, &why).await).await?;
            session.print(&done, |_| println!("Suspended {id}; `tempestas terms resume {id}` lets it hold again."))
        }
        TermsVerb::Resume { id } => {
            let done = session.fresh(async |client| client.resume_terms(&id).await).await?;
            session.print(&done, |_| println!("Resumed {id}."))
        }
        TermsVerb::End { id } => {
            session.fresh(async |client| client.end_terms(&id).await).await?;
            println!("Ended {id}.");
            Ok(())
        }
    }
}
