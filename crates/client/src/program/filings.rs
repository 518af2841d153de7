//! `terms export`, `check`, `compare`, `put`, `filings`, `undo`: terms as files.

use std::{
    collections::BTreeMap,
    path::{Path, PathBuf},
};

use anyhow::{Context as _, bail, ensure};
use tempestas_api::{
    Becomes, ClauseChange, FaultView, FilesCompared, FilesQuery, FilingPlanView, FilingView, TermsFiles, UndoFiling,
    terms_file_schema,
};
use tempestas_core::{Digest, LookedAt};

use super::{
    args::{Files, Within},
    cli::Cli,
    files,
    show::{self, say},
    terms::shown,
};

/// How files of terms are called.
const ENDING: &str = "toml";

pub(crate) async fn export(cli: &Cli, dir: Option<PathBuf>, within: Within, replace: bool) -> anyhow::Result<()> {
    let reply = cli.client().terms_files(&FilesQuery { within: within.within }).await?;
    let Some(dir) = dir else {
        return cli.print(&reply, |reply| {
            for (n, (name, lines)) in reply.files.iter().enumerate() {
                let gap = if n > 0 { "\n" } else { "" };
                say!("{gap}# {name}\n{}", lines.join("\n"));
            }
        });
    };
    std::fs::create_dir_all(&dir).with_context(|| format!("{} can't be made", dir.display()))?;
    let mut texts = Vec::new();
    for (name, lines) in &reply.files {
        // Whatever a service says, nothing is written but into that directory.
        let is_plain = name.bytes().all(|byte| byte.is_ascii_alphanumeric() || b"-.".contains(&byte));
        ensure!(is_plain && !name.starts_with('.'), "the service names a file `{name}`, which none of terms is called");
        let (path, text) = (dir.join(name), lines.join("\n") + "\n");
        let is_other = path.exists() && std::fs::read_to_string(&path).ok().as_ref() != Some(&text);
        ensure!(
            replace || !is_other,
            "{} is there and says something else; nothing was written. Compare it first, or say `--replace`",
            path.display()
        );
        texts.push((path, text));
    }
    for (path, text) in &texts {
        std::fs::write(path, text).with_context(|| format!("{} can't be written", path.display()))?;
    }
    cli.print(&reply, |_| {
        texts.iter().for_each(|(path, _)| say!("{}", path.display()));
        if texts.is_empty() {
            say!("There is nothing that you see.");
        }
    })
}

pub(crate) async fn check(cli: &Cli, said: Files) -> anyhow::Result<()> {
    let compared = cli.client().compare_files(&read(said)?).await?;
    let faults = compared.faults.len();
    cli.print(&compared, |compared| match &compared.plan {
        None => told(&compared.faults),
        Some(_) => say!("Nothing is wrong with them."),
    })?;
    ensure!(faults == 0, "{}", how_many(faults));
    Ok(())
}

pub(crate) async fn compare(cli: &Cli, said: Files) -> anyhow::Result<()> {
    let compared = cli.client().compare_files(&read(said)?).await?;
    let faults = compared.faults.len();
    cli.print(&compared, |FilesCompared { faults, plan }| match plan {
        None => told(faults),
        Some(plan) => {
            planned(plan);
            if !plan.changes.is_empty() && plan.touched.refused_because.is_none() {
                say!("\nPut just this with `tempestas terms put … --plan {}`.", plan.digest);
            }
        }
    })?;
    ensure!(faults == 0, "{}", how_many(faults));
    Ok(())
}

pub(crate) async fn put(cli: &Cli, said: Files, plan: Option<Digest>) -> anyhow::Result<()> {
    let files = read(said)?;
    let looked_at = match plan {
        Some(plan) => plan,
        None => looked_at(cli, &files).await?,
    };
    let put = cli.fresh(async |client| client.put_files(LookedAt::This(looked_at), &files).await).await?;
    cli.print(&put, done)
}

/// Shows what files would change, and asks whether to go on.
async fn looked_at(cli: &Cli, files: &TermsFiles) -> anyhow::Result<Digest> {
    let asks = !cli.is_json() && std::io::IsTerminal::is_terminal(&std::io::stdin());
    ensure!(asks, "say which plan with `--plan`: `tempestas terms compare` shows it");
    let compared = cli.client().compare_files(files).await?;
    let Some(plan) = compared.plan else {
        told(&compared.faults);
        bail!("{}", how_many(compared.faults.len()));
    };
    planned(&plan);
    if !plan.changes.is_empty() {
        cli.sure("Put all of it?", false)?;
    }
    Ok(plan.digest)
}

pub(crate) async fn filings(cli: &Cli) -> anyhow::Result<()> {
    let all = cli.client().filings().await?;
    cli.print(&all, |all| {
        let rows = all.iter().map(|one| {
            let became = match (&one.undone_by, &one.undoes) {
                (Some(by), _) => format!("undone by {by}"),
                (None, Some(undoes)) => format!("undid {undoes}"),
                (None, None) => String::new(),
            };
            let by = one.by.clone().unwrap_or_else(|| "the machine".to_owned());
            let (set, ended) = (one.set.to_string(), one.ended.to_string());
            let until = if one.undone_by.is_some() { String::new() } else { show::when(one.undo_until) };
            [one.id.clone(), show::when(one.at), by, one.within.clone(), set, ended, until, became]
        });
        let columns = ["filing", "put", "by", "within", "set", "ended", "undo until", ""];
        show::table(&columns, rows, "Nothing was put from files within 30 days, of what you see.");
    })
}

pub(crate) async fn undo(cli: &Cli, id: &str, yes: bool) -> anyhow::Result<()> {
    let plan = cli.client().show_undo(id).await?;
    if !cli.is_json() {
        planned(&plan);
    }
    cli.sure("Undo all of it?", yes)?;
    let undo = UndoFiling { shown: plan.digest };
    let undone = cli.fresh(async |client| client.undo_filing(id, &undo).await).await?;
    cli.print(&undone, done)
}

pub(crate) fn schema() -> anyhow::Result<()> {
    say!("{}", serde_json::to_string_pretty(&terms_file_schema())?);
    Ok(())
}

/// Every file of terms at a path, each by its path below it.
fn read(Files { path, within: Within { within } }: Files) -> anyhow::Result<TermsFiles> {
    let mut texts = BTreeMap::new();
    if path.is_dir() {
        gather(&path, &path, &mut texts)?;
        ensure!(
            !texts.is_empty(),
            "there is no .{ENDING} file in {}: to end all that files have, leave one there that says nothing",
            path.display()
        );
    } else {
        let name = path.file_name().map_or_else(|| "terms".into(), |name| name.to_string_lossy().into_owned());
        texts.insert(name, files::read(&path)?);
    }
    Ok(TermsFiles { within, files: texts })
}

fn gather(root: &Path, dir: &Path, texts: &mut BTreeMap<String, String>) -> anyhow::Result<()> {
    let unread = || format!("{} can't be read", dir.display());
    for entry in std::fs::read_dir(dir).with_context(unread)? {
        let entry = entry.with_context(unread)?;
        let (path, kind) = (entry.path(), entry.file_type()?);
        // What a repository keeps for itself is hidden; a link leads elsewhere.
        if entry.file_name().to_string_lossy().starts_with('.') || kind.is_symlink() {
            continue;
        }
        if kind.is_dir() {
            gather(root, &path, texts)?;
        } else if path.extension().is_some_and(|ending| ending == ENDING) {
            let name = path.strip_prefix(root).unwrap_or(&path).to_string_lossy().into_owned();
            texts.insert(name, files::read(&path)?);
        }
    }
    Ok(())
}

fn how_many(faults: usize) -> String {
    if faults == 1 { "1 fault; nothing was put".to_owned() } else { format!("{faults} faults; nothing was put") }
}

fn told(faults: &[FaultView]) {
    for FaultView { file, line, column, says } in faults {
        say!("{file}:{line}:{column}: {says}");
    }
}

fn planned(plan: &FilingPlanView) {
    if plan.changes.is_empty() {
        say!(
            "Everything stands as they say: {} as {} to stand.",
            how(plan.same),
            if plan.same == 1 { "it is" } else { "they are" }
        );
    }
    let (named, changes): (Vec<_>, Vec<_>) =
        plan.changes.iter().partition(|one| matches!(one.becomes, Becomes::Filed | Becomes::Unfiled));
    let counted =
        [(Becomes::New, "new"), (Becomes::Changed, "changed"), (Becomes::Ended, "to end")].map(|(becomes, says)| {
            let many = changes.iter().filter(|one| one.becomes == becomes).count();
            (many > 0).then(|| format!("{many} {says}"))
        });
    let counted: Vec<String> = counted.into_iter().flatten().collect();
    if !counted.is_empty() {
        say!("{}.\n", counted.join(", "));
    }
    changes.iter().for_each(|one| change(one));
    for (becomes, says) in [(Becomes::Filed, "in files from now on"), (Becomes::Unfiled, "in files no more")] {
        let names = named.iter().filter(|one| one.becomes == becomes).map(|one| format!("{} {}", one.kind, one.name));
        let names: Vec<String> = names.collect();
        if !names.is_empty() {
            say!("Stays as it is, and is {says}: {}.", names.join(", "));
        }
    }
    if !plan.changes.is_empty() && plan.same > 0 {
        say!("{} stay as they are.", how(plan.same));
    }
    if !plan.by_hand.is_empty() {
        say!("Not in these files, and left alone: {}.", plan.by_hand.join(", "));
    }
    if !plan.of_other_files.is_empty() {
        say!("Of files of another place, and left alone: {}.", plan.of_other_files.join(", "));
    }
    if !changes.is_empty() {
        say!("");
        shown(&plan.touched);
    }
}

fn how(clauses: usize) -> String {
    if clauses == 1 { "1 clause".to_owned() } else { format!("{clauses} clauses") }
}

fn change(one: &ClauseChange) {
    let becomes = match one.becomes {
        Becomes::New => "new",
        Becomes::Changed => "changed",
        Becomes::Ended => "ends",
        Becomes::Filed | Becomes::Unfiled => "stays as it is",
    };
    let rule = one.rule.as_ref().map_or_else(String::new, |rule| format!(" ({rule})"));
    say!("{} {}{rule}: {becomes}", one.kind, one.name);
    if let Some(by) = &one.by_hand {
        say!("  changed by {by}, by hand, since files had it");
    }
    for said in one.says.iter().filter(|_| one.becomes != Becomes::Ended) {
        match (said.before.as_str(), said.after.as_str()) {
            ("", after) => say!("  {}: {after}", said.setting),
            (before, "") => say!("  {}: no more {before}", said.setting),
            (before, after) => say!("  {}: {before} -> {after}", said.setting),
        }
    }
}

fn done(one: &FilingView) {
    let what = one.undoes.as_ref().map_or_else(|| "Put".to_owned(), |undone| format!("Undid {undone}"));
    say!(
        "{what}, as {}: {} set, {} ended. It can be undone until {}.",
        one.id,
        one.set,
        one.ended,
        show::when(one.undo_until)
    );
}
