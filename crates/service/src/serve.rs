//! Putting it all together: listening, housekeeping, draining.

use std::{
    net::SocketAddr,
    time::{Duration, SystemTime},
};

use anyhow::{Context as _, bail};
use axum::{Router, routing::get};
use axum_server::{Handle, tls_rustls::RustlsConfig};
use jiff::{SignedDuration, Timestamp};
use tempestas_core::World;
use tokio::signal::unix::{SignalKind, signal};

use crate::{
    app::App,
    config::{Config, TlsConfig},
    house::House,
    keeper, routes,
};

/// How long open requests may go on after TERM.
pub(crate) const DRAIN: Duration = Duration::from_secs(10);
/// How long a new connection may keep its first request to itself.
const FIRST_REQUEST: Duration = Duration::from_secs(15);

/// Runs the service until TERM or INT, then drains.
///
/// # Errors
/// When it can't start, or a commit failed.
pub async fn serve(mut config: Config) -> anyhow::Result<()> {
    let listener = std::net::TcpListener::bind(config.service.listen)
        .with_context(|| format!("{} can't be listened on", config.service.listen))?;
    listener.set_nonblocking(true)?;
    let address = listener.local_addr()?;
    // Links and passkeys want the port that was really taken.
    config.service.listen = address;
    let house = House::open(config).await?;
    let app = house.app.clone();
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
    app.stop();
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
