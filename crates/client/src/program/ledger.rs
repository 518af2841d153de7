//! `ledger`.

use std::{
    fs::File,
    io::{BufReader, Write as _},
    path::Path,
};

use anyhow::{Context as _, bail};
use serde::Serialize;
use tempestas_api::{EntryProof, LedgerFilter};
use tempestas_core::ledger::{Fault, SignedCheckpoint, Verifier, leaf_hash, verify_inclusion};

use super::{
    Ended,
    args::{Common, LedgerVerb},
    cli::Cli,
    files,
    home::{Home, KeptCheckpoint},
    show::{self, say},
};

/// How many entries are listed where nobody says.
const LISTED: usize = 40;
/// How a note's signature begins.
const SIGNED: &str = "— ";

pub(crate) async fn ledger(cli: &Cli, verb: LedgerVerb, common: &Common) -> anyhow::Result<Ended> {
    match verb {
        LedgerVerb::List { kind, who, elevation, since, until, before, most, csv, lines } => {
            let most = most.or((!csv).then_some(LISTED));
            let filter = LedgerFilter { before, most, kind, who, elevation, since, until };
            if csv {
                show::raw(cli.client().ledger_csv(&filter).await?.as_bytes());
                return Ok(Ended::Well);
            }
            let reply = cli.client().ledger(&filter).await?;
            if lines {
                for entry in &reply.entries {
                    say!("{}", serde_json::to_string(entry)?);
                }
                return Ok(Ended::Well);
            }
            cli.print(&reply, |reply| {
                show::entries(&reply.entries);
                if let Some(before) = reply.before {
                    say!("Older ones: --before {before}");
                }
            })?;
        }
        LedgerVerb::Export { file } => {
            let mut response = cli.client().export().await?;
            let mut out = File::create(&file).with_context(|| format!("{} can't be written", file.display()))?;
            while let Some(piece) = response.chunk().await? {
                out.write_all(&piece)?;
            }
            out.sync_all()?;
            cli.print(&Wrote { file: file.display().to_string() }, |Wrote { file }| {
                say!("Wrote {file}. Verify it with `tempestas ledger verify {file}`.");
            })?;
        }
        LedgerVerb::Proof { n } => {
            let proof = cli.client().proof(&n.to_string()).await?;
            // By the key that was seen here before, and no other.
            cli.checkpoint().await?;
            ensure_proven(&proof, &cli.verifier()?)?;
            cli.print(&proof, |proof| {
                say!("{}", proof.fact);
                say!("Entry {} stands so in the ledger of {} facts whose checkpoint is signed.", proof.n, proof.size);
            })?;
        }
        LedgerVerb::Checkpoint => {
            let (seen, word) = cli.checkpoint().await?;
            cli.print(&seen.note, |note| {
                show::raw(note.as_bytes());
                say!("This checkpoint is genuine and {word}.");
            })?;
        }
        LedgerVerb::Verify { file, key, seen } => return verify(&file, key.as_deref(), seen.as_deref(), common),
    }
    Ok(Ended::Well)
}

/// Checks a proof here, against the checkpoint's signature.
fn ensure_proven(proof: &EntryProof, verifier: &Verifier) -> anyhow::Result<()> {
    let signed = verifier.open(&proof.checkpoint).map_err(anyhow::Error::msg)?.checkpoint;
    let leaf = leaf_hash(proof.fact.as_bytes());
    if !verify_inclusion(proof.n, signed.size, leaf, signed.root, &proof.proof) {
        bail!("entry {} does not stand in the ledger that the checkpoint of {} facts signs", proof.n, signed.size);
    }
    Ok(())
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
        Some(path) => seen_in(path, &verifier)?,
        None => kept.and_then(|kept| verifier.open(&kept.note).ok()).into_iter().collect(),
    };
    match read(file, &verifier, &earlier)? {
        Ok(says) => verdict(true, says, common),
        Err(fault) => verdict(false, format!("NOT GENUINE: {fault}."), common),
    }
}

fn verdict(genuine: bool, says: String, common: &Common) -> anyhow::Result<Ended> {
    if common.json {
        say!("{}", show::json(&Verified { genuine, says })?);
    } else {
        say!("{says}");
    }
    Ok(if genuine { Ended::Well } else { Ended::Forged })
}

/// What an export wrote.
#[derive(Serialize)]
struct Wrote {
    file: String,
}

/// What verifying came to.
#[derive(Serialize)]
struct Verified {
    genuine: bool,
    says: String,
}

/// The checkpoints in a file, of the last epoch that it tells of: it holds a note, whatever stands after it; or what this
/// client keeps; or, as the service keeps them elsewhere, a line `SIZE ROOT NOTE-IN-JSON` for each.
fn seen_in(path: &Path, verifier: &Verifier) -> anyhow::Result<Vec<SignedCheckpoint>> {
    let text = files::read(path)?;
    let kept_elsewhere = |line: &str| serde_json::from_str(line.splitn(3, ' ').nth(2)?).ok();
    let notes: Vec<String> = match serde_json::from_str::<KeptCheckpoint>(&text) {
        Ok(kept) => vec![kept.note],
        Err(_) => text.lines().map(kept_elsewhere).collect::<Option<_>>().unwrap_or_else(|| vec![first_note(&text)]),
    };
    let opened: Result<Vec<SignedCheckpoint>, String> = notes.iter().map(|note| verifier.open(note)).collect();
    let mut seen =
        opened.map_err(|wrong| anyhow::anyhow!("{} holds no checkpoint of this ledger: {wrong}", path.display()))?;
    if seen.is_empty() {
        bail!("{} is empty", path.display());
    }
    let epoch = seen.iter().map(|seen| seen.checkpoint.epoch).max();
    seen.retain(|seen| Some(seen.checkpoint.epoch) == epoch);
    Ok(seen)
}

/// What stands up to a note's signature, which is its last line.
fn first_note(text: &str) -> String {
    let mut signed = false;
    text.split_inclusive('\n').take_while(|line| !std::mem::replace(&mut signed, line.starts_with(SIGNED))).collect()
}

fn read(file: &Path, verifier: &Verifier, earlier: &[SignedCheckpoint]) -> anyhow::Result<Result<String, Fault>> {
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
