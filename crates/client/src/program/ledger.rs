//! `ledger`.

use std::{
    fs::File,
    io::{BufReader, Write as _},
    path::Path,
};

use anyhow::{Context as _, bail};
use tempestas_api::LedgerFilter;
use tempestas_core::ledger::{Fault, SignedCheckpoint, Verifier};

use super::{
    Ended,
    args::{Common, LedgerVerb},
    home::Home,
    session::Session,
    show,
};

pub(crate) async fn ledger(session: &Session, verb: LedgerVerb, common: &Common) -> anyhow::Result<Ended> {
    match verb {
        LedgerVerb::List { kind, who, elevation, since, until, before, most, csv, lines } => {
            let filter = LedgerFilter { before, most: Some(most), kind, who, elevation, since, until };
            if csv {
                print!("{}", session.client().ledger_csv(&filter).await?);
                return Ok(Ended::Well);
            }
            let reply = session.client().ledger(&filter).await?;
            if lines {
                for entry in &reply.entries {
                    println!("{}", serde_json::to_string(entry)?);
                }
                return Ok(Ended::Well);
            }
            session.print(&reply, |reply| {
                show::entries(&reply.entries);
                if let Some(before) = reply.before {
                    println!("Older ones: --before {before}");
                }
            })?;
        }
        LedgerVerb::Export { file } => {
            let mut response = session.client().export().await?;
            let mut out = File::create(&file).with_context(|| format!("{} can't be written", file.display()))?;
            while let Some(piece) = response.chunk().await? {
                out.write_all(&piece)?;
            }
            out.sync_all()?;
            println!("Wrote {}. Verify it with `tempestas ledger verify {}`.", file.display(), file.display());
        }
        LedgerVerb::Checkpoint => {
            let (seen, word) = session.checkpoint().await?;
            session.print(&seen.note, |note| {
                print!("{note}");
                println!("This checkpoint is genuine and {word}.");
            })?;
        }
        LedgerVerb::Verify { file, key, seen } => return verify(&file, key.as_deref(), seen.as_deref(), common),
    }
    Ok(Ended::Well)
}

/// Verifies an exported ledger. Needs no service, and trusts none.
pub(crate) fn verify(file: &Path, key: Option<&str>, seen: Option<&Path>, common: &Common) -> anyhow::Result<Ended> {
    let kept = Home::new(common.home.as_deref())?.checkpoint()?;
    let verifier = match (key, &kept) {
        (Some(key), _) => {
            let line = std::fs::read_to_string(key).unwrap_or_else(|_| key.to_owned());
            Verifier::from_line(&line).map_err(anyhow::Error::msg)?
        }
        (None, Some(kept)) => kept.open()?.0,
        (None, None) => bail!("give the ledger's public key with --key; no checkpoint was seen here yet"),
    };
    let earlier = match seen {
        Some(path) => {
            let note = std::fs::read_to_string(path).with_context(|| format!("{} can't be read", path.display()))?;
            Some(verifier.open(&note).map_err(anyhow::Error::msg)?)
        }
        None => kept.and_then(|kept| verifier.open(&kept.note).ok()),
    };
    match read(file, &verifier, earlier.as_ref())? {
        Ok(says) => {
            println!("{says}");
            Ok(Ended::Well)
        }
        Err(fault) => {
            println!("NOT GENUINE: {fault}.");
            Ok(Ended::Forged)
        }
    }
}

fn read(file: &Path, verifier: &Verifier, earlier: Option<&SignedCheckpoint>) -> anyhow::Result<Result<String, Fault>> {
    let opened = File::open(file).with_context(|| format!("{} can't be read", file.display()))?;
    let verdict = tempestas_client::verify(BufReader::with_capacity(1 << 20, opened), verifier, earlier)?;
    Ok(verdict.map(|verdict| {
        let checkpoint = &verdict.checkpoint;
        let held = verdict.against_seen.map_or_else(
            || "No earlier checkpoint was there to hold it against.".to_owned(),
            |seen| format!("It goes on from the checkpoint of {} facts seen earlier.", seen.size),
        );
        format!(
            "Genuine: {} facts of {}, epoch {}, root {}. {held}",
            checkpoint.size, checkpoint.origin, checkpoint.epoch, checkpoint.root
        )
    }))
}
