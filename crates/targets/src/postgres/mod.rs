//! PostgreSQL: a login role for the one grant, with an unguessable name and a password only when it is fetched.
//!
//! The end is kept by the cluster itself: `VALID UNTIL` for new sign-ins by password, and a procedure of ours
//! (`install.sql`) that takes the login's powers and ends its sessions, by the cluster's own clock.

mod leftovers;
mod survey;

use std::{
    ops::{Deref, DerefMut},
    sync::{
        Mutex,
        atomic::{AtomicBool, Ordering},
    },
    time::Duration,
};

use jiff::Timestamp;
use postgres_protocol::{
    escape::{escape_identifier, escape_literal},
    password::scram_sha_256,
};
use secrecy::{ExposeSecret, SecretString};
use tempestas_core::Marked;
use tokio_postgres::{Client, Config, NoTls, error::SqlState};

use crate::{GrantCall, Login, ReadBack, StandingCall, TargetError};

const INSTALL: &str = include_str!("install.sql");

/// Powers that are attributes of a role and not a membership, as this module names them.
const ATTRIBUTES: [(&str, &str); 5] = [
    ("SUPERUSER", "can do everything on the cluster, on its files, and through programs on its host"),
    ("CREATEROLE", "makes and changes roles, and can so become nearly any of them"),
    ("CREATEDB", "makes databases"),
    ("REPLICATION", "copies everything out of the cluster as a replica"),
    ("BYPASSRLS", "reads and writes past row-level security"),
];

/// A PostgreSQL cluster.
pub struct Postgres {
    config: Config,
    host: String,
    port: u16,
    /// Prefix of our mark: `tempestas/INSTALLATION/`.
    mark: String,
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
            .options("-c statement_timeout=15s -c lock_timeout=5s -c log_statement=none");
        Self {
            config,
            host: host.to_owned(),
            port,
            mark: format!("tempestas/{installation}/"),
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
                config.options("-c statement_timeout=15s -c lock_timeout=5s");
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
        let there: bool = client
            .query_one("SELECT to_regprocedure('tempestas.edition()') IS NOT NULL", &[])
            .await
            .map_err(|error| failed(&error))?
            .get(0);
        if !there {
            client.batch_execute(INSTALL).await.map_err(|error| failed(&error))?;
        }
        self.installed.store(true, Ordering::Relaxed);
        Ok(client)
    }

    pub(crate) async fn clock(&self) -> Result<Timestamp, TargetError> {
        let client = self.connect().await?;
        clock(&client).await
    }

    /// What we can't see there, each with what to do.
    pub(crate) async fn check(&self) -> Result<Vec<String>, TargetError> {
        let client = self.connect_installed().await?;
        let row = client
            .query_one(
                "SELECT has_function_privilege('pg_hba_file_rules()', 'EXECUTE') AND has_table_privilege('pg_hba_file_rules', 'SELECT'),
                        has_function_privilege('pg_stat_file(text)', 'EXECUTE'),
                        ARRAY(SELECT datname::text FROM pg_database WHERE datallowconn AND NOT datistemplate
                              AND NOT has_database_privilege(oid, 'CONNECT') ORDER BY 1),
                        current_user::text",
                &[],
            )
            .await
            .map_err(|error| failed(&error))?;
        let (rules, file, closed, me): (bool, bool, Vec<String>, String) =
            (row.get(0), row.get(1), row.get(2), row.get(3));
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
        missing.extend(closed.into_iter().map(|database| {
            format!("what is left in database {database} can't be seen: `GRANT CONNECT ON DATABASE {database} TO {me}`")
        }));
        Ok(missing)
    }

    /// Makes sure that one backend runs the procedure that ends grants, with nobody of ours needed from then on.
    pub(crate) async fn keep_time(&self) -> Result<(), TargetError> {
        let client = self.connect_installed().await?;
        let runs = "SELECT EXISTS (SELECT FROM pg_locks WHERE locktype = 'advisory' AND objid = 7436213 AND granted)";
        let running: bool = client.query_one(runs, &[]).await.map_err(|error| failed(&error))?.get(0);
        if running {
            return Ok(());
        }
        let mut config = self.config.clone();
        config.application_name("tempestas keep_time").options("-c statement_timeout=0");
        let keeper = self.connect_to(&config).await?;
        tokio::spawn(async move {
            // Ends with the cluster, or when another backend has the lock.
            if let Err(error) = keeper.batch_execute("CALL tempestas.keep_time()").await {
                tracing::debug!(%error, "keep_time ended");
            }
        });
        for _ in 0..50 {
            if client.query_one(runs, &[]).await.map_err(|error| failed(&error))?.get(0) {
                return Ok(());
            }
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
        Err(TargetError::Refused("its procedure that ends grants could not be started".to_owned()))
    }

    pub(crate) async fn give(&self, call: &GrantCall) -> Result<(), TargetError> {
        self.keep_time().await?;
        let mut client = self.connect_installed().await?;
        let refused = |error: tokio_postgres::Error| failed(&error);
        let tx = client.transaction().await.map_err(refused)?;
        if !claim(&tx, call, &self.mark_of(call)).await? {
            return Ok(());
        }
        let login = escape_identifier(&call.name);
        let until = escape_literal(&call.until.to_string());
        tx.batch_execute(&format!("CREATE ROLE {login} LOGIN INHERIT VALID UNTIL {until}")).await.map_err(refused)?;
        let power = match ATTRIBUTES.iter().find(|(name, _)| *name == call.role) {
            Some((attribute, _)) => format!("ALTER ROLE {login} {attribute}"),
            None => format!("GRANT {} TO {login}", escape_identifier(&call.role)),
        };
        tx.batch_execute(&power).await.map_err(refused)?;
        let mark = escape_literal(&self.mark_of(call));
        tx.batch_execute(&format!("COMMENT ON ROLE {login} IS {mark}")).await.map_err(refused)?;
        tx.execute(
            "UPDATE tempestas.grants SET
                 state = 'given', ends = $2, given_at = clock_timestamp(), given_xid = pg_current_xact_id(),
                 role_oid = (SELECT oid FROM pg_roles WHERE rolname = $1),
                 roles_before = (SELECT array_agg(oid) FROM pg_roles),
                 members_before = (SELECT array_agg(roleid || ':' || member || CASE WHEN admin_option THEN ':admin' ELSE '' END)
                                   FROM pg_auth_members)
             WHERE name = $1",
            &[&call.name, &call.until],
        )
        .await
        .map_err(refused)?;
        tx.execute(leftovers::NOTE_OBJECTS, &[&call.name]).await.map_err(refused)?;
        tx.commit().await.map_err(refused)
    }

    fn mark_of(&self, call: &GrantCall) -> String {
        format!("{}g{}", self.mark, call.grant)
    }

    /// Ends the grant for good: laid down before anything else, so that a late order to give it is refused.
    pub(crate) async fn take(&self, call: &GrantCall) -> Result<(), TargetError> {
        let client = self.connect_installed().await?;
        client
            .execute(
                "INSERT INTO tempestas.grants (name, mark, attempt, state, ended_at) VALUES ($1, $2, $3, 'ended', clock_timestamp())
                 ON CONFLICT (name) DO UPDATE SET attempt = greatest(tempestas.grants.attempt, $3)",
                &[&call.name, &self.mark_of(call), &call.attempt],
            )
            .await
            .map_err(|error| failed(&error))?;
        let end = format!("CALL tempestas.end_grant({})", escape_literal(&call.name));
        client.batch_execute(&end).await.map_err(|error| failed(&error))?;
        end_sessions(&client, &call.name).await
    }

    pub(crate) async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let client = self.connect_installed().await?;
        let row = client
            .query_opt(
                "SELECT r.rolcanlogin AND g.state = 'given' AND g.ends > clock_timestamp() AND g.ends <= $3
                        AND (EXISTS (SELECT FROM pg_auth_members m JOIN pg_roles p ON p.oid = m.roleid
                                     WHERE m.member = r.oid AND p.rolname = $2)
                             OR ($2 = 'SUPERUSER' AND r.rolsuper) OR ($2 = 'CREATEROLE' AND r.rolcreaterole)
                             OR ($2 = 'CREATEDB' AND r.rolcreatedb) OR ($2 = 'REPLICATION' AND r.rolreplication)
                             OR ($2 = 'BYPASSRLS' AND r.rolbypassrls))
                        OR EXISTS (SELECT FROM pg_stat_activity a WHERE a.usesysid = r.oid AND g.state = 'ended')
                 FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid WHERE g.name = $1",
                &[&call.name, &call.role, &call.until],
            )
            .await
            .map_err(|error| failed(&error))?;
        let clock = clock(&client).await?;
        Ok(ReadBack { there: row.is_some_and(|row| row.get::<_, Option<bool>>(0) == Some(true)), clock })
    }

    pub(crate) async fn login(&self, call: &GrantCall, password: SecretString) -> Result<Login, TargetError> {
        let mut client = self.connect_installed().await?;
        let refused = |error: tokio_postgres::Error| failed(&error);
        let tx = client.transaction().await.map_err(refused)?;
        let row = tx
            .query_opt(
                "SELECT r.rolname FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid
                 WHERE g.name = $1 AND g.state = 'given' AND g.ends > clock_timestamp() FOR UPDATE OF g",
                &[&call.name],
            )
            .await
            .map_err(refused)?
            .ok_or(TargetError::Late)?;
        let user: String = row.get(0);
        // Made here, so that neither the cluster nor any of its logs ever sees the password.
        let verifier = scram_sha_256(password.expose_secret().as_bytes());
        let set = format!("ALTER ROLE {} PASSWORD {}", escape_identifier(&user), escape_literal(&verifier));
        tx.batch_execute(&set).await.map_err(refused)?;
        // One to begin with: not our own, and `postgres` only where there is no other.
        let database = tx
            .query_opt(
                "SELECT datname FROM pg_database WHERE datallowconn AND NOT datistemplate AND datname <> current_database()
                 AND has_database_privilege($1, oid, 'CONNECT') ORDER BY datname = 'postgres', datname LIMIT 1",
                &[&user],
            )
            .await
            .map_err(refused)?
            .map_or_else(|| "postgres".to_owned(), |row| row.get(0));
        tx.commit().await.map_err(refused)?;
        Ok(Login { user, password, host: self.host.clone(), port: self.port, database })
    }

    pub(crate) async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        let client = self.connect_installed().await?;
        let rows = client
            .query(
                "SELECT g.name, substr(g.mark, length($1) + 2) FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid
                 WHERE starts_with(g.mark, $1) AND (g.state = 'given' OR r.rolcanlogin)",
                &[&self.mark],
            )
            .await
            .map_err(|error| failed(&error))?;
        Ok(rows
            .iter()
            .map(|row| Marked { name: row.get(0), grant: row.get::<_, String>(1).parse().unwrap_or(0) })
            .collect())
    }

    pub(crate) async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        let client = self.connect().await?;
        let row = client
            .query_one(
                "SELECT EXISTS (SELECT FROM pg_auth_members m JOIN pg_roles p ON p.oid = m.roleid JOIN pg_roles h ON h.oid = m.member
                                WHERE h.rolname = $1 AND p.rolname = $2)
                     OR EXISTS (SELECT FROM pg_roles h WHERE h.rolname = $1 AND
                                (($2 = 'SUPERUSER' AND h.rolsuper) OR ($2 = 'CREATEROLE' AND h.rolcreaterole)
                                 OR ($2 = 'CREATEDB' AND h.rolcreatedb) OR ($2 = 'REPLICATION' AND h.rolreplication)
                                 OR ($2 = 'BYPASSRLS' AND h.rolbypassrls)))",
                &[&call.account, &call.role],
            )
            .await
            .map_err(|error| failed(&error))?;
        Ok(row.get(0))
    }

    pub(crate) async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        let account = escape_identifier(&call.account);
        self.change_standing(call, &|attribute| format!("ALTER ROLE {account} NO{attribute}"), &|role, _| {
            format!("REVOKE {role} FROM {account}")
        })
        .await
    }

    pub(crate) async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        let account = escape_identifier(&call.account);
        self.change_standing(call, &|attribute| format!("ALTER ROLE {account} {attribute}"), &|role, admin| {
            format!("GRANT {role} TO {account}{}", if admin { " WITH ADMIN OPTION" } else { "" })
        })
        .await
    }

    /// A standing right's handle is `attribute`, `member` or `member with admin option`.
    async fn change_standing(
        &self,
        call: &StandingCall,
        attribute: &(dyn Fn(&str) -> String + Sync),
        member: &(dyn Fn(&str, bool) -> String + Sync),
    ) -> Result<(), TargetError> {
        let known = ATTRIBUTES.iter().find(|(name, _)| *name == call.role && call.handle == "attribute");
        let sql = match known {
            Some((name, _)) => attribute(name),
            None => member(&escape_identifier(&call.role), call.handle.ends_with("admin option")),
        };
        self.connect().await?.batch_execute(&sql).await.map_err(|error| failed(&error))
    }
}

/// Ends the sessions of ended grants, and waits until those of this one are gone.
async fn end_sessions(client: &Client, name: &str) -> Result<(), TargetError> {
    let left =
        "SELECT count(*) FROM pg_stat_activity a JOIN tempestas.grants g ON g.role_oid = a.usesysid WHERE g.name = $1";
    for _ in 0..100 {
        client.batch_execute("SELECT tempestas.end_sessions()").await.map_err(|error| failed(&error))?;
        let open: i64 = client.query_one(left, &[&name]).await.map_err(|error| failed(&error))?.get(0);
        if open == 0 {
            return Ok(());
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    Err(TargetError::Refused("open sessions did not end yet".to_owned()))
}

/// Claims an order to give: false where the same grant is in force already.
async fn claim(tx: &tokio_postgres::Transaction<'_>, call: &GrantCall, mark: &str) -> Result<bool, TargetError> {
    let refused = |error: tokio_postgres::Error| failed(&error);
    tx.execute(
        "INSERT INTO tempestas.grants (name, mark, attempt, state) VALUES ($1, $2, 0, 'given') ON CONFLICT (name) DO NOTHING",
        &[&call.name, &mark],
    )
    .await
    .map_err(refused)?;
    let row = tx
        .query_one(
            "SELECT state, attempt, role_oid IS NOT NULL, clock_timestamp() >= $2 FROM tempestas.grants WHERE name = $1 FOR UPDATE",
            &[&call.name, &call.until],
        )
        .await
        .map_err(refused)?;
    let (state, attempt, made, over): (String, i64, bool, bool) = (row.get(0), row.get(1), row.get(2), row.get(3));
    if state == "ended" || over || attempt >= call.attempt {
        return Err(TargetError::Late);
    }
    tx.execute("UPDATE tempestas.grants SET attempt = $2 WHERE name = $1", &[&call.name, &call.attempt])
        .await
        .map_err(refused)?;
    Ok(!made)
}

async fn clock(client: &Client) -> Result<Timestamp, TargetError> {
    let row = client.query_one("SELECT clock_timestamp()", &[]).await.map_err(|error| failed(&error))?;
    Ok(row.get(0))
}
