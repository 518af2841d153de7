//! Putting it all together: opening the store, founding, listening, draining.

use std::{
    net::SocketAddr,
    sync::Arc,
    time::{Duration, SystemTime},
};

use anyhow::{Context as _, bail};
use axum::{Router, routing::get};
use axum_server::{Handle, tls_rustls::RustlsConfig};
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{Caller, Command, Said, What, World, ledger::Signer};
use tempestas_store::{Loaded, Store};
use tokio::{
    signal::unix::{SignalKind, signal},
    sync::RwLock,
    task::JoinHandle,
};

use crate::{
    app::{App, Parts},
    config::{Config, TlsConfig},
    identity::token_digest,
    keeper, routes,
    vault::{self, Vault},
    writer::writer,
};

/// How long open requests may go on after TERM.
const DRAIN: Duration = Duration::from_secs(10);
/// How long a new connection may keep its first request to itself.
const FIRST_REQUEST: Duration = Duration::from_secs(15);
/// How long the first administrator's secret is good.
const FIRST_SECRET_LASTS: SignedDuration = SignedDuration::from_hours(24 * 7);

/// The service without its doors: store, World, writer.
pub(crate) struct House {
    pub(crate) app: App,
    scribe: JoinHandle<anyhow::Result<()>>,
}

impl House {
    /// Opens the store and starts the writer; founds the installation where there is none.
    pub(crate) async fn open(config: Config) -> anyhow::Result<Self> {
        let directory = config.service.state.clone();
        let Loaded { store, world, tree } = Store::open(&directory).await?;
        let first_start = world.root.is_none();
        ensure_not_older(&config, &tree)?;
        let vault = Vault::open(&config.master_key, first_start)?;
        let signer = Arc::new(signer(&config, &store, &vault, first_start).await?);
        tracing::info!("{}", keeper::summary(&world));
        let (store, world) = (Arc::new(store), Arc::new(RwLock::new(world)));
        let (writer, scribe, changes) = writer(Arc::clone(&store), Arc::clone(&world), tree, Arc::clone(&signer));
        let scribe = tokio::spawn(scribe.run());
        let installation = if first_start { new_installation() } else { installation(&store).await? };
        let app = App::new(Parts {
            config,
            store,
            world,
            writer,
            changes,
            vault,
            signer,
            installation: installation.clone(),
        });
        if first_start {
            found(&app, installation).await?;
        }
        Ok(Self { app, scribe })
    }

    /// Lets what is waiting be written, and ends.
    pub(crate) async fn close(self) -> anyhow::Result<()> {
        keep_checkpoint(&self.app).await;
        drop(self.app);
        match tokio::time::timeout(DRAIN, self.scribe).await {
            Ok(ended) => ended?,
            // Somebody still holds a handle; what was answered for is on the disk.
            Err(_) => Ok(()),
        }
    }
}

fn new_installation() -> String {
    vault::random::<6>().iter().map(|byte| format!("{byte:02x}")).collect()
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
async fn signer(config: &Config, store: &Store, vault: &Vault, first_start: bool) -> anyhow::Result<Signer> {
    let sealed = store.sealed(Some("house")).await?;
    let seed = match sealed.iter().find(|sealed| sealed.name == "ledger") {
        Some(sealed) => vault.open_sealed(sealed)?,
        None if first_start => {
            let seed = zeroize::Zeroizing::new(vault::random::<32>());
            store.keep_sealed(&[vault.seal("house", "ledger", seed.as_slice())?]).await?;
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
    app.submit(Caller::machine(), Command::Found { installation, administrator: Said::new(&name) }).await?;
    let path = app.config().service.state.join("first-administrator.secret");
    let person = app
        .world()
        .await
        .subject_named(&name)
        .map(|subject| subject.id)
        .context("the first administrator is not there")?;
    let secret = vault::random_text();
    let expires = Timestamp::now().checked_add(FIRST_SECRET_LASTS)?;
    app.store().keep_enrolment(token_digest(&secret), person, expires).await?;
    vault::write_secret(&path, &format!("{}\n", *secret))?;
    tracing::info!("founded; {name} enrols with the one-time secret in {}", path.display());
    Ok(())
}

/// Runs the service until TERM or INT, then drains.
///
/// # Errors
/// When it can't start, or a commit failed.
pub async fn serve(config: Config) -> anyhow::Result<()> {
    let house = House::open(config).await?;
    let app = house.app.clone();
    let listener = std::net::TcpListener::bind(app.config().service.listen)
        .with_context(|| format!("{} can't be listened on", app.config().service.listen))?;
    listener.set_nonblocking(true)?;
    let address = listener.local_addr()?;
    let handle = Handle::new();
    let mut doors = tokio::spawn(doors(app.clone(), listener, handle.clone()));
    if let Some(health) = app.config().service.health {
        tokio::spawn(serve_health(health));
    }
    let keepers = tokio::spawn(keeper::run(app.clone()));
    let housekeeping = tokio::spawn(housekeeping(app.clone()));
    let scheme = if app.config().tls.is_some() { "https" } else { "http" };
    // Read by whoever started us; the log goes to standard error.
    println!("tempestasd listens on {scheme}://{address}");
    drop(app);
    let House { app, mut scribe } = house;
    let ended = tokio::select! {
        () = asked_to_stop() => Ok(()),
        written = &mut scribe => written?.and_then(|()| bail!("the writer ended")),
        served = &mut doors => served?,
    };
    tracing::info!("draining");
    keepers.abort();
    housekeeping.abort();
    handle.graceful_shutdown(Some(DRAIN));
    if !doors.is_finished() {
        doors.await??;
    }
    ended?;
    House { app, scribe }.close().await
}

async fn asked_to_stop() {
    let (Ok(mut term), Ok(mut int)) = (signal(SignalKind::terminate()), signal(SignalKind::interrupt())) else {
        return std::future::pending().await;
    };
    tokio::select! {
        _ = term.recv() => {}
        _ = int.recv() => {}
    }
}

async fn doors(app: App, listener: std::net::TcpListener, handle: Handle<SocketAddr>) -> anyhow::Result<()> {
    let tls = app.config().tls.clone();
    let service = routes::router(app).into_make_service_with_connect_info::<SocketAddr>();
    match tls {
        None => {
            axum_server::from_tcp(listener)?.first_request_timeout(FIRST_REQUEST).handle(handle).serve(service).await?
        }
        Some(files) => {
            let tls = RustlsConfig::from_pem_file(&files.certificate, &files.key).await.with_context(|| {
                format!("{} and {} can't be used", files.certificate.display(), files.key.display())
            })?;
            tokio::spawn(reload(tls.clone(), files));
            axum_server::from_tcp_rustls(listener, tls)?
                .first_request_timeout(FIRST_REQUEST)
                .handle(handle)
                .serve(service)
                .await?;
        }
    }
    Ok(())
}

/// Takes up a changed certificate; keeps the old one where the new one can't be used.
async fn reload(tls: RustlsConfig, files: TlsConfig) {
    let changed = |files: &TlsConfig| -> Option<(SystemTime, SystemTime)> {
        let of = |path| std::fs::metadata(path).and_then(|data| data.modified()).ok();
        of(&files.certificate).zip(of(&files.key))
    };
    let mut known = changed(&files);
    loop {
        tokio::time::sleep(Duration::from_secs(1)).await;
        let now = changed(&files);
        if now == known || now.is_none() {
            continue;
        }
        known = now;
        match tls.reload_from_pem_file(&files.certificate, &files.key).await {
            Ok(()) => tracing::info!("took up a changed certificate"),
            Err(error) => tracing::error!(%error, "a changed certificate can't be used; the old one stays"),
        }
    }
}

async fn serve_health(address: SocketAddr) {
    let router = Router::new().route("/health", get(async || "well\n"));
    match tokio::net::TcpListener::bind(address).await {
        Ok(listener) => {
            if let Err(error) = axum::serve(listener, router).await {
                tracing::error!(%error, "the health port failed");
            }
        }
        Err(error) => tracing::error!(%error, %address, "the health port can't be listened on"),
    }
}

/// Once a minute: drops what passed, and writes the checkpoint to where it is kept elsewhere.
async fn housekeeping(app: App) {
    loop {
        let now = Timestamp::now();
        let ago = |span: SignedDuration| now.checked_sub(span).unwrap_or(Timestamp::MIN);
        let limits = app.config().sign_in.clone();
        let swept = app
            .store()
            .sweep(ago(limits.idle.0), ago(limits.longest.0), ago(SignedDuration::from_hours(24)), now)
            .await;
        if let Err(error) = swept {
            tracing::warn!(%error, "sweeping failed");
        }
        keep_checkpoint(&app).await;
        tokio::time::sleep(Duration::from_mins(1)).await;
    }
}

/// Adds the present checkpoint to the file that is kept elsewhere, where it is a new one.
pub(crate) async fn keep_checkpoint(app: &App) {
    let Some(path) = app.config().ledger.checkpoints.clone() else { return };
    let note = match app.store().last_checkpoint().await {
        Ok(Some(note)) => note,
        Ok(None) => return,
        Err(error) => return tracing::warn!(%error, "the checkpoint can't be read"),
    };
    let written = tokio::task::spawn_blocking(move || crate::operate::add_checkpoint(&path, &note)).await;
    if let Ok(Err(error)) = written {
        tracing::error!(%error, "the checkpoint can't be kept elsewhere");
    }
}

/// Loads the World, for commands that only look.
pub(crate) fn name_of(world: &World, name: &str) -> Option<tempestas_core::SubjectId> {
    world.subject_named(name).map(|subject| subject.id)
}
