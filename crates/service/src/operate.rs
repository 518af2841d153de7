//! Commands on the machine: checking, backing up, restoring, recovering, rotating.

use std::{io::Write as _, path::Path};

use anyhow::{Context as _, bail};
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{Assurance, AssuranceCommand, Caller, Command, Digest, Note, OperatorCommand, ledger::Verifier};
use tempestas_store::{Private, Report, Store};

use crate::{config::Config, house::House, identity::token_digest, keyring};

/// How long a recovery secret is good.
const RECOVERY_LASTS: SignedDuration = SignedDuration::from_hours(1);

/// Sizes and roots of checkpoints kept elsewhere, smallest first. What can't be read counts as not there.
pub(crate) fn checkpoints_elsewhere(config: &Config) -> Vec<(u64, Digest)> {
    let Some(text) = config.ledger.checkpoints.as_ref().and_then(|path| std::fs::read_to_string(path).ok()) else {
        return Vec::new();
    };
    let mut found: Vec<(u64, Digest)> = text
        .lines()
        .filter_map(|line| {
            let (size, root) = line.split_once(' ')?;
            Some((size.parse().ok()?, Digest::from_hex(root.split(' ').next()?).ok()?))
        })
        .collect();
    found.sort_by_key(|(size, _)| *size);
    found
}

/// Adds a line `SIZE ROOT NOTE-IN-JSON`, where the size isn't the last one's.
pub(crate) fn add_checkpoint(path: &Path, note: &str) -> anyhow::Result<()> {
    let mut lines = note.lines();
    let (_, size, root) = (lines.next(), lines.next().unwrap_or_default(), lines.next().unwrap_or_default());
    let last = std::fs::read_to_string(path).unwrap_or_default();
    if last.lines().last().is_some_and(|line| line.starts_with(&format!("{size} "))) {
        return Ok(());
    }
    let root: [u8; 32] = base64::Engine::decode(&base64::engine::general_purpose::STANDARD, root)?
        .try_into()
        .map_err(|_| anyhow::anyhow!("the root has not 32 bytes"))?;
    let mut file = std::fs::File::options().create(true).append(true).open(path)?;
    writeln!(file, "{size} {} {}", Digest(root), serde_json::to_string(note)?)?;
    file.sync_all()?;
    Ok(())
}

/// Replays the ledger and compares. Works beside a running service.
///
/// # Errors
/// When the database can't be read.
pub async fn check(config: &Config) -> anyhow::Result<Report> {
    Ok(tempestas_store::check(&config.service.state, &checkpoints_elsewhere(config)).await?)
}

/// Copies the store while it is in use.
///
/// # Errors
/// When the directory is there or can't be written.
pub async fn backup(config: &Config, into: &Path) -> anyhow::Result<()> {
    Store::backup(&config.service.state, into).await?;
    Ok(())
}

/// Puts a backup in the place of the store, which is kept beside it, and begins a new epoch.
///
/// # Errors
/// When the service runs, or the backup can't be used.
pub async fn restore(config: Config, from: &Path) -> anyhow::Result<String> {
    let state = &config.service.state;
    if !from.join("tempestas.sqlite").exists() {
        bail!("{} holds no backup", from.display());
    }
    std::fs::create_dir_all(state)?;
    // Opening it takes the lock, so a running service is refused; let go again before the files move.
    let aside = state.join(format!("before-restore-{}", Timestamp::now().strftime("%Y%m%dT%H%M%SZ")));
    {
        let _lock = tempestas_store::lock(state)?;
        std::fs::create_dir(&aside)?;
        for name in [
            "tempestas.sqlite",
            "tempestas.sqlite-wal",
            "tempestas.sqlite-shm",
            "observed.sqlite",
            "observed.sqlite-wal",
            "observed.sqlite-shm",
        ] {
            if state.join(name).exists() {
                std::fs::rename(state.join(name), aside.join(name))?;
            }
        }
        for name in ["tempestas.sqlite", "observed.sqlite"] {
            std::fs::copy(from.join(name), state.join(name)).with_context(|| format!("{name} can't be copied"))?;
        }
    }
    let (size, root) = {
        let loaded = Store::open(state).await?;
        (loaded.tree.size(), loaded.tree.root())
    };
    // From here on the older size is as it should be: the checkpoints of the lost time go aside too.
    if let Some(path) = config.ledger.checkpoints.as_ref().filter(|path| path.exists()) {
        std::fs::rename(path, aside.join("checkpoints"))?;
    }
    let house = House::open(config).await?;
    house
        .app
        .submit(Caller::machine(), OperatorCommand::BeginEpoch { restored_size: size, restored_root: root })
        .await?;
    let epoch = house.app.world().counters.epoch;
    house.close().await?;
    Ok(format!(
        "restored {size} facts; epoch {epoch} begins. What was there before is in {}. Nothing is given until every target was searched.",
        aside.display()
    ))
}

/// For somebody who lost their second factor, or where no administrator is left: a one-time secret, loudly.
///
/// # Errors
/// When the service runs, or there is nobody of that name.
pub async fn recover(config: Config, name: &str) -> anyhow::Result<String> {
    let house = House::open(config).await?;
    let app = &house.app;
    let person =
        crate::serve::name_of(&app.world(), name).with_context(|| format!("there is nobody named `{name}`"))?;
    let secret = keyring::random_text();
    let expires = Timestamp::now().checked_add(RECOVERY_LASTS)?;
    let issued = Private::Enrolment { secret: token_digest(&secret), person, expires };
    app.submit_with(Caller::machine(), OperatorCommand::Recover { subject: person }, |_| Ok(vec![issued])).await?;
    app.store().end_sign_ins(person, None).await?;
    house.close().await?;
    Ok(secret.to_string())
}

/// Where an assurance keeps everybody from administering: from now on it only watches.
///
/// # Errors
/// When the service runs, or there is none of that name.
pub async fn only_watch(config: Config, name: &str) -> anyhow::Result<()> {
    let house = House::open(config).await?;
    let app = &house.app;
    let known = app.world().assurances.get(name).cloned();
    let known = known.with_context(|| format!("there is no assurance named `{name}`"))?;
    let assurance = Assurance { watch_only: true, ..known };
    app.submit(Caller::machine(), AssuranceCommand::Set { assurance }).await?;
    house.close().await
}

/// Seals every secret anew under the first key of the master key's file. Returns how many there were, and the key's id.
///
/// # Errors
/// When the service runs, or a secret does not open.
pub async fn rotate_key(config: Config) -> anyhow::Result<(usize, String)> {
    let house = House::open(config).await?;
    let app = &house.app;
    let mut fresh = Vec::new();
    for sealed in app.store().sealed(None).await? {
        let secret = app.keyring().open_sealed(&sealed)?;
        fresh.push(Private::Sealed(app.keyring().seal(&sealed.owner, &sealed.name, &secret)?));
    }
    let (count, key) = (fresh.len(), app.keyring().current().to_owned());
    let command = Command::Note(Note::KeyRotated { key: key.clone() });
    app.submit_with(Caller::machine(), command, |_| Ok(fresh)).await?;
    house.close().await?;
    Ok((count, key))
}

/// The public key that exported ledgers are verified with.
///
/// # Errors
/// When the service runs, or its key does not open.
pub async fn public_key(config: Config) -> anyhow::Result<Verifier> {
    let house = House::open(config).await?;
    let verifier = house.app.signer().verifier();
    house.close().await?;
    Ok(verifier)
}
