//! Putting it all together: listening, housekeeping, draining.

use std::{
    net::SocketAddr,
    time::{Duration, SystemTime},
};

use anyhow::{Context as _, bail};
use axum::{Router, http::StatusCode, routing::get};
use axum_server::{Handle, accept::DefaultAcceptor, tls_rustls::RustlsConfig};
use hyper_util::{
    rt::{TokioExecutor, TokioTimer},
    server::conn::auto::Builder,
};
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{AlarmKind, Caller, Command, World};
use tokio::signal::unix::{SignalKind, signal};

use crate::{
    app::App,
    config::{Config, TlsConfig, ensure_private},
    connections::Limited,
    desks,
    house::House,
    journal, keeper, operate, routes,
};

/// How long open requests may go on after TERM.
pub(crate) const DRAIN: Duration = Duration::from_secs(10);
/// How long a new connection may keep its first request to itself.
const FIRST_REQUEST: Duration = Duration::from_secs(15);
/// How often the database is held against the ledger.
const VERIFIED_EVERY: Duration = Duration::from_hours(24);
/// How long the service may take to be well.
const WELL_WITHIN: Duration = Duration::from_secs(5);
/// How long the head of any request may take, from when the one before was answered.
const REQUEST_HEAD: Duration = Duration::from_secs(30);
/// Most requests at a time on one connection (RFC 9113).
const STREAMS_MOST: u32 = 64;

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
    let mut doors = tokio::spawn(doors(app.clone(), listener, app.config().tls.clone(), handle.clone()));
    if let Some(health) = app.config().service.health {
        tokio::spawn(serve_health(app.clone(), health));
    }
    tokio::spawn(verify(app.clone()));
    let mut keepers = tokio::spawn(keeper::run(app.clone()));
    let housekeeping = tokio::spawn(housekeeping(app.clone()));
    tokio::spawn(told(app.clone()));
    let mut asked = tokio::spawn(desks::run(app.clone()));
    let scheme = if app.config().tls.is_some() { "https" } else { "http" };
    // Read by whoever started us; the log goes to standard error.
    println!("tempestasd listens on {scheme}://{address}");
    drop(app);
    let House { app, mut committer } = house;
    let ended = tokio::select! {
        () = asked_to_stop() => Ok(()),
        written = &mut committer => written?.and_then(|()| bail!("the writer ended")),
        served = &mut doors => served?,
        // Without it what was heard to hold would hold for good.
        heard = &mut asked => heard.map_err(Into::into).and_then(|()| bail!("what asks other systems ended")),
        // Without them nothing is taken away by us any more; whoever starts us again starts them again.
        kept = &mut keepers => match tokio::time::timeout(Duration::from_secs(1), &mut committer).await {
            // They ended because the writer did, which says why.
            Ok(written) => written?.and_then(|()| bail!("the writer ended")),
            Err(_) => kept.map_err(Into::into).and_then(|()| bail!("what gives and ends rights on the targets ended")),
        },
    };
    tracing::info!("draining");
    app.stop();
    keepers.abort();
    asked.abort();
    housekeeping.abort();
    handle.graceful_shutdown(Some(DRAIN));
    if !doors.is_finished() {
        doors.await??;
    }
    ended?;
    House { app, committer }.close().await
}

/// Holds the database against the ledger, at once and each night; a difference is an alarm. On a thread of its own, so that
/// nobody's reply waits for it; one that gives way to nobody, since nothing critical is given before it is done.
async fn verify(app: App) {
    let mut stopping = app.stopping();
    loop {
        let config = app.config().clone();
        let (done, report) = tokio::sync::oneshot::channel();
        std::thread::spawn(move || {
            let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build();
            let report = runtime.map_err(anyhow::Error::from).and_then(|here| here.block_on(operate::check(&config)));
            // Whoever asked may have stopped.
            let _ = done.send(report);
        });
        match report.await {
            Ok(Ok(report)) => {
                let places = u32::try_from(report.differences.len()).unwrap_or(u32::MAX);
                for difference in &report.differences {
                    tracing::error!(%difference, "the database is not what the ledger says");
                }
                if places > 0 {
                    app.raise(AlarmKind::LedgerDiffers { places }).await;
                }
                app.was_verified();
            }
            Ok(Err(error)) => tracing::error!("the database can't be held against the ledger: {error:#}"),
            Err(_) => tracing::error!("holding the database against the ledger broke off"),
        }
        tokio::select! {
            () = tokio::time::sleep(VERIFIED_EVERY) => {}
            _ = stopping.changed() => return,
        }
    }
}

/// Has alarms told in the log.
async fn told(app: App) {
    if let Err(error) = journal::alarms(app).await {
        tracing::error!("alarms are not told here any more: {error:#}");
    }
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

impl House {
    /// Answers requests, and does nothing else that the service does: for measuring what somebody reads while much is written.
    ///
    /// # Errors
    /// When it can't listen, or the certificate can't be used.
    pub async fn answer(&self, listener: std::net::TcpListener, tls: TlsConfig) -> anyhow::Result<()> {
        listener.set_nonblocking(true)?;
        doors(self.app.clone(), listener, Some(tls), Handle::new()).await
    }
}

async fn doors(
    app: App,
    listener: std::net::TcpListener,
    tls: Option<TlsConfig>,
    handle: Handle<SocketAddr>,
) -> anyhow::Result<()> {
    let service = routes::router(app).into_make_service_with_connect_info::<SocketAddr>();
    match tls {
        None => {
            let acceptor = Limited::new(DefaultAcceptor::new());
            let mut server = axum_server::from_tcp(listener)?.acceptor(acceptor);
            limit_headers(server.http_builder());
            server.first_request_timeout(FIRST_REQUEST).handle(handle).serve(service).await?;
        }
        Some(files) => {
            let tls = RustlsConfig::from_pem_file(&files.certificate, &files.key).await.with_context(|| {
                format!("{} and {} can't be used", files.certificate.display(), files.key.display())
            })?;
            tokio::spawn(reload(tls.clone(), files));
            let mut server = axum_server::from_tcp_rustls(listener, tls)?.map(Limited::new);
            limit_headers(server.http_builder());
            server.first_request_timeout(FIRST_REQUEST).handle(handle).serve(service).await?;
        }
    }
    Ok(())
}

/// Every request's head has to come within a time, not only a connection's first.
fn limit_headers(http: &mut Builder<TokioExecutor>) {
    http.http1().timer(TokioTimer::new()).header_read_timeout(REQUEST_HEAD);
    http.http2()
        .timer(TokioTimer::new())
        .max_concurrent_streams(STREAMS_MOST)
        .keep_alive_interval(REQUEST_HEAD)
        .keep_alive_timeout(REQUEST_HEAD);
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
        if let Err(why) = ensure_private(&files.key) {
            tracing::error!("a changed certificate is not taken up: {why}");
            continue;
        }
        match tls.reload_from_pem_file(&files.certificate, &files.key).await {
            Ok(()) => tracing::info!("took up a changed certificate"),
            Err(error) => tracing::error!(%error, "a changed certificate can't be used; the old one stays"),
        }
    }
}

/// `well` while the writer writes and the ticker ticks: whoever asks would rather start us again than believe a word that
/// nothing stands behind.
async fn serve_health(app: App, address: SocketAddr) {
    let mut stopping = app.stopping();
    let health = async move || {
        let ticks = tokio::time::timeout(WELL_WITHIN, app.submit(Caller::service(), Command::Tick)).await;
        match ticks {
            Ok(Ok(_)) => (StatusCode::OK, "well\n"),
            _ => (StatusCode::SERVICE_UNAVAILABLE, "not well\n"),
        }
    };
    let router = Router::new().route("/health", get(health));
    match tokio::net::TcpListener::bind(address).await {
        Ok(listener) => {
            let served = async { axum::serve(listener, router).await };
            tokio::select! {
                served = served => if let Err(error) = served {
                    tracing::error!(%error, "the health port failed");
                },
                // It holds the writer in turn.
                _ = stopping.changed() => {}
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
