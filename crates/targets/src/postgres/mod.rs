//! PostgreSQL: a login role for the one grant, with an unguessable name and a password only when it is fetched; or,
//! where the cluster is set so, a role for the one grant that the person's own login is made a member of.
//!
//! The end is kept by the cluster itself: `VALID UNTIL` for new sign-ins by password, and a procedure of ours
//! (`install.sql`) that takes the powers and ends the sessions, by the cluster's own clock.

mod databases;
mod grants;
mod leftovers;
mod power;
mod survey;
mod system;

use std::{
    ops::{Deref, DerefMut},
    sync::{
        Mutex,
        atomic::{AtomicBool, Ordering},
    },
    time::Duration,
};

use jiff::Timestamp;
use secrecy::{ExposeSecret, SecretString};
use tokio_postgres::{Client, Config, NoTls, error::SqlState};

use crate::TargetError;

const INSTALL: &str = include_str!("install.sql");

/// Edition of [`INSTALL`], which a cluster with an older one is given anew.
const EDITION: i32 = 4;

/// How often an installation is tried that another one of ours came between.
const INSTALL_TRIES: usize = 3;

/// What every connection of ours pins. Whoever may make a schema, or owns a database, could otherwise decide which function a
/// name of ours means, or as whom we look.
const PINNED: &str = "-c search_path=pg_catalog,pg_temp -c role=none -c default_transaction_read_only=off \
                      -c default_transaction_isolation=read\\ committed -c idle_session_timeout=0 \
                      -c idle_in_transaction_session_timeout=0";

/// Settings of a connection: what all of them pin, and what this one wants besides.
pub(crate) fn options(more: &str) -> String {
    // The later one wins.
    format!("{more} {PINNED}")
}

/// A PostgreSQL cluster.
pub(crate) struct Postgres {
    config: Config,
    host: String,
    port: u16,
    /// Prefix of our mark: `tempestas/INSTALLATION/`.
    mark: String,
    /// Whether grants are put on people's own logins.
    own_login: bool,
    /// Connections that nobody uses at this moment.
    idle: Mutex<Vec<Client>>,
    /// Whether our schema was seen to be there.
    installed: AtomicBool,
}

/// A connection in use; goes back among the idle ones where it still works.
struct Lent<'p> {
    client: Option<Client>,
    home: &'p Mutex<Vec<Client>>,
}

impl Deref for Lent<'_> {
    type Target = Client;

    fn deref(&self) -> &Client {
        self.client.as_ref().expect("it is taken out only when dropped")
    }
}

impl DerefMut for Lent<'_> {
    fn deref_mut(&mut self) -> &mut Client {
        self.client.as_mut().expect("it is taken out only when dropped")
    }
}

impl Drop for Lent<'_> {
    fn drop(&mut self) {
        if let (Some(client), Ok(mut home)) =
            (self.client.take().filter(|client| !client.is_closed()), self.home.lock())
        {
            home.push(client);
        }
    }
}

fn failed(error: &tokio_postgres::Error) -> TargetError {
    match error.as_db_error() {
        Some(refusal) if *refusal.code() == SqlState::QUERY_CANCELED => TargetError::Slow,
        // The server's message may name accounts; its code says enough for looking it up.
        Some(refusal) => TargetError::Refused(format!("SQLSTATE {}", refusal.code().code())),
        None => TargetError::Unreachable(
            if error.is_closed() { "the connection broke off" } else { "no connection" }.to_owned(),
        ),
    }
}

impl Postgres {
    pub(crate) fn new(
        host: &str,
        port: u16,
        user: &str,
        database: &str,
        own_login: bool,
        secret: SecretString,
        installation: &str,
    ) -> Self {
        let mut config = Config::new();
        config
            .host(host)
            .port(port)
            .user(user)
            .password(secret.expose_secret())
            .dbname(database)
            .application_name("tempestas")
            .connect_timeout(Duration::from_secs(3))
            .options(options("-c statement_timeout=15s -c lock_timeout=5s -c log_statement=none"));
        Self {
            config,
            host: host.to_owned(),
            port,
            mark: format!("tempestas/{installation}/"),
            own_login,
            idle: Mutex::default(),
            installed: AtomicBool::new(false),
        }
    }

    async fn connect(&self) -> Result<Lent<'_>, TargetError> {
        let idle = self.idle.lock().ok().and_then(|mut idle| idle.pop()).filter(|client| !client.is_closed());
        let client = match idle {
            Some(client) => client,
            None => self.connect_to(&self.config).await?,
        };
        Ok(Lent { client: Some(client), home: &self.idle })
    }

    async fn connect_to(&self, config: &Config) -> Result<Client, TargetError> {
        let client = match config.connect(NoTls).await {
            Ok((client, connection)) => {
                tokio::spawn(async move {
                    if let Err(error) = connection.await {
                        tracing::debug!(%error, "a connection to a cluster ended");
                    }
                });
                client
            }
            // A broker that may not set log_statement goes without it: what it sends holds no password.
            Err(error) if error.code() == Some(&SqlState::INSUFFICIENT_PRIVILEGE) => {
                let mut config = config.clone();
                config.options(options("-c statement_timeout=15s -c lock_timeout=5s"));
                let (client, connection) = config.connect(NoTls).await.map_err(|error| failed(&error))?;
                tokio::spawn(connection);
                client
            }
            Err(error) => return Err(failed(&error)),
        };
        Ok(client)
    }

    /// Connects and makes sure that our schema is there.
    async fn connect_installed(&self) -> Result<Lent<'_>, TargetError> {
        let client = self.connect().await?;
        if self.installed.load(Ordering::Relaxed) {
            return Ok(client);
        }
        let mut outcome = Ok(());
        for _ in 0..INSTALL_TRIES {
            outcome = install(&client).await;
            if outcome.is_ok() {
                self.installed.store(true, Ordering::Relaxed);
                return Ok(client);
            }
        }
        outcome.map(|()| client)
    }

    async fn clock(&self) -> Result<Timestamp, TargetError> {
        let client = self.connect().await?;
        clock(&client).await
    }

    /// What we can't see there, each with what to do.
    async fn check(&self) -> Result<Vec<String>, TargetError> {
        let client = self.connect_installed().await?;
        let row = client
            .query_one(
                "SELECT has_function_privilege('pg_hba_file_rules()', 'EXECUTE') AND has_table_privilege('pg_hba_file_rules', 'SELECT'),
                        has_function_privilege('pg_stat_file(text)', 'EXECUTE'),
                        ARRAY(SELECT datname::text FROM pg_database WHERE datallowconn AND NOT datistemplate
                              AND NOT has_database_privilege(oid, 'CONNECT') ORDER BY 1),
                        current_user::text,
                        has_table_privilege('pg_authid', 'SELECT')",
                &[],
            )
            .await
            .map_err(|error| failed(&error))?;
        let (rules, file, closed, me, passwords): (bool, bool, Vec<String>, String, bool) =
            (row.get(0), row.get(1), row.get(2), row.get(3), row.get(4));
        let mut missing = Vec::new();
        if !rules {
            missing.push(format!(
                "lines of pg_hba.conf that trust anyone can't be seen: `GRANT SELECT ON pg_hba_file_rules TO {me}; \
                 GRANT EXECUTE ON FUNCTION pg_hba_file_rules() TO {me}`"
            ));
        }
        if !file {
            missing.push(format!(
                "changes by ALTER SYSTEM can't be seen: `GRANT EXECUTE ON FUNCTION pg_stat_file(text) TO {me}`"
            ));
        }
        if !passwords {
            missing.push(format!(
                "passwords that a holder sets for others can't be seen: `GRANT SELECT ON pg_authid TO {me}`, which shows it \
                 everybody's password hashes"
            ));
        }
        missing.extend(closed.into_iter().map(|database| {
            format!("what is left in database {database} can't be seen: `GRANT CONNECT ON DATABASE {database} TO {me}`")
        }));
        Ok(missing)
    }

    /// Makes sure that one backend runs the procedure that ends grants, with nobody of ours needed from then on.
    async fn keep_time(&self) -> Result<(), TargetError> {
        let client = self.connect_installed().await?;
        if keeps_time(&client).await? {
            return Ok(());
        }
        let mut config = self.config.clone();
        config.application_name("tempestas keep_time").options(options("-c statement_timeout=0"));
        let keeper = self.connect_to(&config).await?;
        tokio::spawn(async move {
            // Ends with the cluster, or when another backend keeps time.
            if let Err(error) = keeper.batch_execute("CALL tempestas.keep_time()").await {
                tracing::debug!(%error, "keep_time ended");
            }
        });
        for _ in 0..50 {
            if keeps_time(&client).await? {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
        Err(TargetError::Refused("its procedure that ends grants could not be started".to_owned()))
    }
}

/// Whether the cluster ends grants by itself at this moment: its own role's sign of life, in our own database.
async fn keeps_time(client: &Client) -> Result<bool, TargetError> {
    let alive = "SELECT EXISTS (SELECT FROM tempestas.alive)";
    Ok(client.query_one(alive, &[]).await.map_err(|error| failed(&error))?.get(0))
}

/// Makes sure that our schema is there, and is ours: nothing in one that somebody else made is ever called.
async fn install(client: &Client) -> Result<(), TargetError> {
    let refused = |error: tokio_postgres::Error| failed(&error);
    let row = client
        .query_one(
            "SELECT n.oid IS NOT NULL,
                    n.nspowner = me.oid
                    AND NOT EXISTS (SELECT FROM aclexplode(n.nspacl) a WHERE a.grantee <> me.oid)
                    AND NOT EXISTS (SELECT FROM pg_proc p WHERE p.pronamespace = n.oid AND p.proowner <> me.oid)
                    AND NOT EXISTS (SELECT FROM pg_class c WHERE c.relnamespace = n.oid AND c.relowner <> me.oid)
                    AND NOT EXISTS (SELECT FROM pg_type t WHERE t.typnamespace = n.oid AND t.typowner <> me.oid)
                    AND NOT EXISTS (SELECT FROM pg_operator o WHERE o.oprnamespace = n.oid),
                    EXISTS (SELECT FROM pg_proc p WHERE p.pronamespace = n.oid AND p.proname = 'edition' AND p.pronargs = 0)
             FROM pg_roles me LEFT JOIN pg_namespace n ON n.nspname = 'tempestas' WHERE me.rolname = current_user",
            &[],
        )
        .await
        .map_err(refused)?;
    let (there, ours, edited): (bool, Option<bool>, bool) = (row.get(0), row.get(1), row.get(2));
    if there && ours != Some(true) {
        return Err(TargetError::Refused(
            "its schema `tempestas` was made, opened or added to by somebody else, so nothing in it is used: look who did, drop it, \
             and try again"
                .to_owned(),
        ));
    }
    if edited {
        let edition = client.query_one("SELECT tempestas.edition()", &[]).await.map_err(refused)?;
        if edition.get::<_, i32>(0) >= EDITION {
            return Ok(());
        }
    }
    // Not `IF NOT EXISTS`: one that came to be since the look above is somebody else's.
    let schema = if there { "" } else { "CREATE SCHEMA tempestas;" };
    let outcome = client.batch_execute(&format!("BEGIN; {schema} {INSTALL} COMMIT;")).await;
    if let Err(error) = outcome {
        client.batch_execute("ROLLBACK").await.map_err(refused)?;
        return Err(failed(&error));
    }
    Ok(())
}

async fn clock(client: &Client) -> Result<Timestamp, TargetError> {
    let row = client.query_one("SELECT clock_timestamp()", &[]).await.map_err(|error| failed(&error))?;
    Ok(row.get(0))
}
