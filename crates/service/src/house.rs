//! The service without its doors: opening the store, founding, the writer.

use std::sync::Arc;

use anyhow::{Context as _, bail};
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{
    Caller, Command, Digest, Fact, OperatorCommand, Refusal, Row, Said, ScopeId, What, ledger::Signer,
};
use tempestas_engine::{Clock, Engine, Snapshot};
use tempestas_store::{Loaded, Private, Store};
use tokio::task::JoinHandle;
use url::Url;

use crate::{
    app::{App, Parts},
    authorities,
    config::Config,
    desks::Desks,
    identity::token_digest,
    keeper,
    keyring::{self, BROKER, Keyring, owner_of},
    passkeys::Passkeys,
    serve::{DRAIN, keep_checkpoint},
};

/// How long the first administrator's secret is good.
const FIRST_SECRET_LASTS: SignedDuration = SignedDuration::from_hours(24 * 7);

/// The service without its doors: store, World, writer.
pub struct House {
    pub(crate) app: App,
    pub(crate) committer: JoinHandle<anyhow::Result<()>>,
}

impl House {
    /// Opens the store and starts the writer; founds the installation where there is none.
    ///
    /// # Errors
    /// When another instance runs, a key is missing, or what is there can't be right.
    pub async fn open(config: Config) -> anyhow::Result<Self> {
        Self::open_at(config, Arc::new(Timestamp::now)).await
    }

    /// The same, at the time that `clock` tells: for building up a history, and for measuring.
    ///
    /// # Errors
    /// As [`House::open`].
    pub async fn open_at(config: Config, clock: Clock) -> anyhow::Result<Self> {
        let directory = config.service.state.clone();
        let loaded = Store::open(&directory).await?;
        let Loaded { store, world, tree } = &loaded;
        let first_start = world.root.is_none();
        ensure_not_older(&config, tree)?;
        let keyring = Keyring::open(&config.master_key, first_start)?;
        let signer = Arc::new(signer(&config, store, &keyring, first_start).await?);
        authorities::make(store, &keyring).await?;
        tracing::info!("{}", keeper::summary(world));
        let installation = if first_start { new_installation() } else { installation(store).await? };
        let (engine, committer) = Engine::new(loaded, Arc::clone(&signer), clock);
        let committer = tokio::spawn(committer.run());
        let address = address(&config)?;
        let any_port = config.service.address.is_none();
        let passkeys = Passkeys::new(&address, any_port)?;
        let desks = Desks::new()?;
        let given = installation.clone();
        let app = App::new(Parts { config, engine, passkeys, address, keyring, signer, installation: given, desks });
        if first_start {
            found(&app, installation).await?;
        }
        Ok(Self { app, committer })
    }

    /// Has a command decided and made durable.
    ///
    /// # Errors
    /// The refusal.
    pub async fn submit(&self, caller: Caller, command: impl Into<Command>) -> Result<Vec<What>, Refusal> {
        Ok(self.app.submit(caller, command).await?.whats)
    }

    /// This installation's id, which marks what it makes on targets.
    #[must_use]
    pub fn installation(&self) -> &str {
        self.app.installation()
    }

    /// The World after the last commit.
    pub fn world(&self) -> Snapshot {
        self.app.world()
    }

    /// What a long reckoning comes to, beside all else.
    ///
    /// # Errors
    /// When it panics.
    pub async fn reckon<T: Send + 'static>(&self, reckoning: impl FnOnce() -> T + Send + 'static) -> anyhow::Result<T> {
        self.app.engine().reckon(reckoning).await
    }

    /// Seals the password or key of the broker on a target.
    ///
    /// # Errors
    /// When it can't be kept.
    pub async fn keep_target_secret(&self, target: ScopeId, secret: &str) -> anyhow::Result<()> {
        let sealed = self.app.keyring().seal(&owner_of(target), BROKER, secret.as_bytes())?;
        Ok(self.app.store().keep_sealed(&[sealed]).await?)
    }

    /// Keeps a survey, as it came, where facts name it by digest.
    ///
    /// # Errors
    /// When it can't be kept.
    pub async fn keep_survey(&self, target: ScopeId, survey: &tempestas_core::Survey) -> anyhow::Result<Digest> {
        Ok(self.app.store().keep_survey(target, survey.clock, survey).await?)
    }

    /// Lets what is waiting be written, and ends.
    ///
    /// # Errors
    /// When a commit failed.
    pub async fn close(self) -> anyhow::Result<()> {
        keep_checkpoint(&self.app).await;
        drop(self.app);
        match tokio::time::timeout(DRAIN, self.committer).await {
            Ok(ended) => ended?,
            // What was answered for is on the disk.
            Err(_) => {
                tracing::warn!("somebody still held the writer when the service ended");
                Ok(())
            }
        }
    }
}

/// The address that people type.
fn address(config: &Config) -> anyhow::Result<Url> {
    match &config.service.address {
        Some(address) => Ok(address.clone()),
        None => {
            let scheme = if config.tls.is_some() { "https" } else { "http" };
            Ok(Url::parse(&format!("{scheme}://localhost:{}", config.service.listen.port()))?)
        }
    }
}

fn new_installation() -> String {
    hex::encode(keyring::random::<6>())
}

/// The installation's id, from the first fact.
async fn installation(store: &Store) -> anyhow::Result<String> {
    let first = store.facts_before(Some(1), 1).await?;
    match first.first().map(|entry| &entry.fact.what) {
        Some(What::Founded { installation }) => Ok(installation.clone()),
        _ => bail!("the ledger does not begin with its founding; run `tempestasd rebuild --check`"),
    }
}

/// The key that checkpoints are signed with; made at the first start.
async fn signer(config: &Config, store: &Store, keyring: &Keyring, first_start: bool) -> anyhow::Result<Signer> {
    let sealed = store.sealed(Some("house")).await?;
    let seed = match sealed.iter().find(|sealed| sealed.name == "ledger") {
        Some(sealed) => keyring.open_sealed(sealed)?,
        None if first_start => {
            let seed = zeroize::Zeroizing::new(keyring::random::<32>());
            store.keep_sealed(&[keyring.seal("house", "ledger", seed.as_slice())?]).await?;
            seed.to_vec().into()
        }
        None => bail!("the ledger's signing key is not in the database; restore it from a backup"),
    };
    Signer::new(&config.ledger.origin, &seed).map_err(anyhow::Error::msg)
}

/// Refuses a database that is older than the last checkpoint written elsewhere.
fn ensure_not_older(config: &Config, tree: &tempestas_core::ledger::Tree) -> anyhow::Result<()> {
    let seen = crate::operate::checkpoints_elsewhere(config);
    if let Some((size, _)) = seen.last().filter(|(size, _)| *size > tree.size()) {
        bail!(
            "the database holds {} facts, and a checkpoint written to {} covers {size}: its tail was cut or an older copy was put \
             back; use `tempestasd restore` for a backup, so that a new epoch begins",
            tree.size(),
            config.ledger.checkpoints.as_deref().unwrap_or_else(|| std::path::Path::new("-")).display(),
        );
    }
    Ok(())
}

async fn found(app: &App, installation: String) -> anyhow::Result<()> {
    let name = app.config().service.first_administrator.clone();
    let path = app.config().service.state.join("first-administrator.secret");
    let secret = keyring::random_text();
    let (digest, expires) = (token_digest(&secret), Timestamp::now().checked_add(FIRST_SECRET_LASTS)?);
    // Before it is founded: that happens once, and nobody could come in without.
    keyring::write_secret(&path, &format!("{}\n", *secret))?;
    let enrolment = move |facts: &[Fact]| {
        let first = facts.iter().flat_map(|fact| &fact.put).find_map(|row| match row {
            Row::Subject(subject) => Some(subject.id),
            _ => None,
        });
        let person = first.context("nobody was made the first administrator")?;
        Ok(vec![Private::Enrolment { secret: digest, person, expires }])
    };
    let found = OperatorCommand::Found { installation, administrator: Said::new(&name) };
    app.submit_with(Caller::machine(), found, enrolment).await?;
    tracing::info!("founded; {name} enrols with the one-time secret in {}", path.display());
    Ok(())
}
