//! `terms`.

use std::path::Path;

use anyhow::Context as _;
use tempestas_api::{EffectiveQuery, NewTerms, SettingChange, SuspendRequest, TermsTouched, TermsTrial, ensure_known};
use tempestas_core::{Dormant, LookedAt, Validity};

use super::{
    args::TermsVerb,
    cli::Cli,
    files, filings,
    show::{self, say},
};

/// Reads a rule from a TOML file; `-` is standard input.
pub(crate) fn read_rule(file: &Path) -> anyhow::Result<NewTerms> {
    let text = files::read(file)?;
    let not_a_rule = || format!("{} is not a rule of terms", file.display());
    rule_from(&text).with_context(not_a_rule)
}

/// A rule as TOML says it.
fn rule_from(text: &str) -> anyhow::Result<NewTerms> {
    let mut table: toml::Table = toml::from_str(text)?;
    // TOML has moments of its own, which nothing else reads; without any, an error tells line and column of the file.
    let moments: Vec<&mut toml::Value> =
        table.iter_mut().map(|(_, value)| value).filter(|value| value.is_datetime()).collect();
    let text = if moments.is_empty() {
        text.to_owned()
    } else {
        moments.into_iter().for_each(|moment| *moment = moment.to_string().into());
        toml::to_string(&table)?
    };
    ensure_known::<NewTerms>(&toml::from_str(&text)?).map_err(anyhow::Error::msg)?;
    Ok(toml::from_str(&text)?)
}

/// A rule as a file says it, without what it leaves out.
fn written(rule: &NewTerms) -> String {
    let mut table = toml::Table::try_from(rule).unwrap_or_default();
    table.retain(|_, value| !value.as_table().is_some_and(toml::Table::is_empty));
    toml::to_string(&table).unwrap_or_default()
}

pub(crate) async fn terms(cli: &Cli, verb: TermsVerb) -> anyhow::Result<()> {
    match verb {
        TermsVerb::List => {
            let all = cli.client().terms().await?;
            cli.print(&all, |all| {
                say!("{}\n", all.precedence);
                if all.terms.is_empty() {
                    say!("No rule is set; the house's defaults hold everywhere.");
                }
                for one in &all.terms {
                    let by = one.set_by.as_ref().map_or_else(String::new, |by| format!("  # set by {by}"));
                    say!("# {}{by}", one.id);
                    if let Some(name) = &one.in_files {
                        say!("# in files, as {name}");
                    }
                    if let Some(dormant) = one.dormant {
                        say!("# {}", asleep(dormant));
                    }
                    if let Some(pause) = &one.suspended {
                        say!("# suspended since {}: {}", show::when(pause.at), show::inline(&pause.reason));
                    }
                    say!("{}", written(&one.rule));
                }
            })
        }
        TermsVerb::Show { right, asker, act } => {
            let reply = cli.client().effective_terms(&EffectiveQuery { right, asker, act }).await?;
            cli.print(&reply, |reply| {
                let rows = reply
                    .settings
                    .iter()
                    .map(|one| [one.setting.clone(), one.value.clone(), one.from.clone(), one.passed_over.join(", ")]);
                show::table(&["setting", "value", "from", "passed over"], rows, "");
                say!("\n{}", reply.precedence);
            })
        }
        TermsVerb::Set { file, id, preview: true } => {
            let new = read_rule(&file)?;
            let validity = Validity { from: new.valid_from, until: new.valid_until };
            let touched = cli.client().try_terms(&TermsTrial { replaces: id, rule: Some(new) }).await?;
            cli.print(&touched, |touched| {
                shown(touched);
                if !validity.is_always() {
                    say!("All of this while it is valid: {validity}.");
                }
            })
        }
        TermsVerb::Set { file, id, preview: false } => {
            let new = read_rule(&file)?;
            let set = match &id {
                Some(id) => {
                    let all = cli.client().terms().await?.terms;
                    let known = all.into_iter().find(|rule| rule.id == *id);
                    let was =
                        known.with_context(|| format!("there is no rule {id}; `tempestas terms` lists them"))?.digest;
                    let was = LookedAt::This(was);
                    cli.fresh(async |client| client.change_terms(id, was, &new).await).await?
                }
                None => cli.fresh(async |client| client.add_terms(&new).await).await?,
            };
            cli.print(&set, |set| {
                let begins = set.rule.valid_from.filter(|_| set.dormant.is_some());
                let later = begins.map_or_else(String::new, |from| format!(" It begins {}.", show::when(from)));
                say!("Set {} at {}.{later}", set.id, set.rule.scope);
            })
        }
        TermsVerb::Export { dir, within, replace } => filings::export(cli, dir, within, replace).await,
        TermsVerb::Check(files) => filings::check(cli, files).await,
        TermsVerb::Compare(files) => filings::compare(cli, files).await,
        TermsVerb::Put { files, plan } => filings::put(cli, files, plan).await,
        TermsVerb::Filings => filings::filings(cli).await,
        TermsVerb::Undo { filing, yes } => filings::undo(cli, &filing, yes).await,
        TermsVerb::Schema => filings::schema(),
        TermsVerb::Suspend { id, reason } => {
            let why = SuspendRequest { reason };
            let done = cli.fresh(async |client| client.suspend_terms(&id, &why).await).await?;
            cli.print(&done, |_| say!("Suspended {id}; `tempestas terms resume {id}` lets it hold again."))
        }
        TermsVerb::Resume { id } => {
            let done = cli.fresh(async |client| client.resume_terms(&id).await).await?;
            cli.print(&done, |_| say!("Resumed {id}."))
        }
        TermsVerb::End { id } => {
            cli.fresh(async |client| client.end_terms(&id).await).await?;
            cli.done(&format!("Ended {id}."))
        }
    }
}

/// Why a rule holds nobody up at present.
const fn asleep(dormant: Dormant) -> &'static str {
    match dormant {
        Dormant::NotYet => "not valid yet",
        Dormant::Over => "valid no more: set it anew with other times, or end it",
    }
}

/// Whom a change touches, and how.
pub(crate) fn shown(touched: &TermsTouched) {
    let rows = touched.touched.iter().flat_map(|one| {
        let row = |change: &SettingChange| {
            let act = show::word(one.act);
            [
                one.who.clone(),
                one.right.clone(),
                act,
                change.setting.clone(),
                change.before.clone(),
                change.after.clone(),
            ]
        };
        one.changes.iter().map(row)
    });
    show::table(
        &["who", "right", "act", "setting", "now", "then"],
        rows,
        "It changes nothing for anybody who may ask.",
    );
    let (shown, all) = (touched.touched.len(), touched.count);
    if shown < all {
        say!("The first {shown} of {all}.");
    }
    for one in &touched.contradicts {
        let as_what = if one.of.is_empty() { String::new() } else { format!(" as {}", one.of) };
        let (rule, setting) = (&one.rule, &one.setting);
        say!(
            "{rule} is about just the same{as_what}, and sets {setting} to {}; the stricter holds: {}.",
            one.theirs,
            one.holds
        );
    }
    if touched.newly_against > 0 {
        let (n, verb) = (touched.newly_against, if touched.newly_against == 1 { "right" } else { "rights" });
        say!("{n} standing {verb} would come to be held against the terms: `tempestas standing --against-terms`.");
    }
    if touched.no_longer_against > 0 {
        say!("Held against the terms no longer: {} standing.", touched.no_longer_against);
    }
    if let Some(why) = &touched.refused_because {
        say!("It would be refused: {why}.");
    }
    if !touched.open_asks.is_empty() {
        say!("Asks made before keep their terms, and open under the stricter: {}", touched.open_asks.join(", "));
    }
}

#[cfg(test)]
mod tests {
    use super::rule_from;

    #[test]
    fn a_moment_may_be_written_as_text_or_as_toml_has_it() {
        for moment in ["2026-12-20T06:00:00Z", "\"2026-12-20T06:00:00Z\"", "2026-12-20 08:00:00+02:00"] {
            let text = format!("scope = \"/\"\nvalid_from = {moment}\n[settings]\nlongest = 60\n");
            let rule = rule_from(&text).unwrap_or_else(|why| panic!("{moment}: {why:#}"));
            assert_eq!(rule.valid_from.unwrap().to_string(), "2026-12-20T06:00:00Z");
        }
        let refused = |text: &str| format!("{:#}", rule_from(text).unwrap_err());
        let no_zone = refused("scope = \"/\"\nvalid_from = 2026-12-20T06:00:00\n[settings]\nlongest = 60\n");
        assert!(no_zone.contains("2026-12-20T06:00:00"), "{no_zone}");
        let unknown = refused("scope = \"/\"\nvalid_form = 2026-12-20T06:00:00Z\n[settings]\nlongest = 60\n");
        assert!(unknown.contains("valid_form") && unknown.contains("valid_from"), "{unknown}");
        let line = refused("scope = \"/\"\n[settings]\nlongest = \"long\"\n");
        assert!(line.contains("line 3"), "{line}");
    }
}
