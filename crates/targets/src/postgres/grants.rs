//! Giving, taking away and reading back one grant.
//!
//! Each grant has a role of its own on the cluster, so that two of one right, or one beside a standing right, end
//! separately: a login with what was asked for, or a carrier without sign-in that the person's own login is a member of.

use postgres_protocol::{
    escape::{escape_identifier, escape_literal},
    password::scram_sha_256,
};
use secrecy::{ExposeSecret, SecretString};
use tempestas_core::Marked;
use tokio_postgres::{Client, Transaction};

use super::{Postgres, clock, failed, keeps_time, leftovers, power::Power};
use crate::{GrantCall, Login, ReadBack, TargetError};

/// How often one order to end goes at what holds it up, 50 ms apart.
const END_TRIES: usize = 60;

impl Postgres {
    pub(super) async fn give(&self, call: &GrantCall) -> Result<(), TargetError> {
        let power = Power::of(&call.role, &call.part)?;
        self.keep_time().await?;
        let mut client = self.connect_installed().await?;
        let refused = |error: tokio_postgres::Error| failed(&error);
        let tx = client.transaction().await.map_err(refused)?;
        if claim(&tx, call, &self.mark_of(call)).await? {
            self.make(&tx, call, &power).await?;
            tx.commit().await.map_err(refused)?;
        }
        // Its role is there, with its end; what is given in another database comes after, and may come twice.
        if let Some(there) = self.beside(&power).await? {
            there.batch_execute(&power.give(&escape_identifier(&call.name), false)).await.map_err(refused)?;
        }
        Ok(())
    }

    /// Makes the grant's role, gives it its power, and notes what was there before.
    async fn make(&self, tx: &Transaction<'_>, call: &GrantCall, power: &Power<'_>) -> Result<(), TargetError> {
        let refused = |error: tokio_postgres::Error| failed(&error);
        let role = escape_identifier(&call.name);
        let made = match &call.account {
            Some(account) => {
                ensure_is_a_persons(tx, account).await?;
                format!("CREATE ROLE {role} NOLOGIN; GRANT {role} TO {}", escape_identifier(account))
            }
            None => {
                format!("CREATE ROLE {role} LOGIN INHERIT VALID UNTIL {}", escape_literal(&call.until.to_string()))
            }
        };
        tx.batch_execute(&made).await.map_err(refused)?;
        if power.database().is_none() {
            tx.batch_execute(&power.give(&role, false)).await.map_err(refused)?;
        }
        let mark = escape_literal(&self.mark_of(call));
        tx.batch_execute(&format!("COMMENT ON ROLE {role} IS {mark}")).await.map_err(refused)?;
        tx.execute(
            "UPDATE tempestas.grants SET
                 state = 'given', ends = $2, given_at = clock_timestamp(), given_xid = pg_current_xact_id(),
                 role_oid = (SELECT oid FROM pg_roles WHERE rolname = $1),
                 member_oid = (SELECT oid FROM pg_roles WHERE rolname = $3),
                 roles_before = (SELECT array_agg(oid) FROM pg_roles),
                 members_before = (SELECT array_agg(roleid || ':' || member || CASE WHEN admin_option THEN ':admin' ELSE '' END)
                                   FROM pg_auth_members)
             WHERE name = $1",
            &[&call.name, &call.until, &call.account],
        )
        .await
        .map_err(refused)?;
        tx.execute(leftovers::NOTE_REACHED, &[&call.name]).await.map_err(refused)?;
        tx.execute(leftovers::NOTE_OBJECTS, &[&call.name]).await.map_err(refused)?;
        Ok(())
    }

    /// Moves the end of a grant that is in force, and says whether everything that ends it there says the new end.
    pub(super) async fn prolong(&self, call: &GrantCall) -> Result<bool, TargetError> {
        let mut client = self.connect_installed().await?;
        let refused = |error: tokio_postgres::Error| failed(&error);
        let tx = client.transaction().await.map_err(refused)?;
        // A holder can keep their own role's row locked; what ends the grant doesn't wait behind us for that.
        tx.batch_execute("SET LOCAL lock_timeout = '200ms'").await.map_err(refused)?;
        let row = tx
            .query_opt(
                "SELECT r.rolname::text, g.member_oid IS NULL FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid
                 WHERE g.name = $1 AND g.state = 'given' AND g.ends > clock_timestamp() AND g.ends <= $2 AND g.attempt < $3
                 FOR UPDATE OF g",
                &[&call.name, &call.until, &call.attempt],
            )
            .await
            .map_err(refused)?
            .ok_or(TargetError::Late)?;
        let (role, signs_in): (String, bool) = (row.get(0), row.get(1));
        let ends: String = tx
            .query_one(
                "UPDATE tempestas.grants SET ends = $2, attempt = $3 WHERE name = $1 RETURNING ends::text",
                &[&call.name, &call.until, &call.attempt],
            )
            .await
            .map_err(refused)?
            .get(0);
        if signs_in {
            let until = escape_literal(&ends);
            let set = format!("ALTER ROLE {} VALID UNTIL {until}", escape_identifier(&role));
            tx.batch_execute(&set).await.map_err(refused)?;
        }
        tx.commit().await.map_err(refused)?;
        let row = client
            .query_opt(
                "SELECT g.ends = $2 AND (g.member_oid IS NOT NULL OR r.rolvaliduntil = $2)
                 FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid WHERE g.name = $1",
                &[&call.name, &call.until],
            )
            .await
            .map_err(refused)?;
        Ok(row.is_some_and(|row| row.get::<_, Option<bool>>(0) == Some(true)))
    }

    fn mark_of(&self, call: &GrantCall) -> String {
        format!("{}g{}", self.mark, call.grant)
    }

    /// Ends the grant for good: laid down before anything else, so that a late order to give it is refused.
    pub(super) async fn take(&self, call: &GrantCall) -> Result<(), TargetError> {
        let client = self.connect_installed().await?;
        client
            .execute(
                "INSERT INTO tempestas.grants (name, mark, attempt, state, ended_at) VALUES ($1, $2, $3, 'ended', clock_timestamp())
                 ON CONFLICT (name) DO UPDATE SET attempt = greatest(tempestas.grants.attempt, $3), state = 'ended',
                     ended_at = COALESCE(tempestas.grants.ended_at, clock_timestamp())",
                &[&call.name, &self.mark_of(call), &call.attempt],
            )
            .await
            .map_err(|error| failed(&error))?;
        self.end_prepared(&client, &call.name).await?;
        let strip = format!("CALL tempestas.strip({})", escape_literal(&call.name));
        for _ in 0..END_TRIES {
            // Sessions first: what they have open would hold up the rest.
            client.batch_execute("CALL tempestas.end_sessions()").await.map_err(|error| failed(&error))?;
            client.batch_execute(&strip).await.map_err(|error| failed(&error))?;
            if !is_in_force(&client, &call.name).await? {
                return Ok(());
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        Err(TargetError::Refused("open sessions, or what they hold up, did not end yet".to_owned()))
    }

    /// Rolls back what the grant's login left prepared: it would hold its locks for as long as it likes.
    async fn end_prepared(&self, client: &Client, name: &str) -> Result<(), TargetError> {
        let refused = |error: tokio_postgres::Error| failed(&error);
        let prepared = client
            .query(
                "SELECT p.gid, p.database::text, r.rolname::text FROM pg_prepared_xacts p JOIN pg_roles r ON r.rolname = p.owner
                 JOIN tempestas.grants g ON g.role_oid = r.oid WHERE g.name = $1",
                &[&name],
            )
            .await
            .map_err(refused)?;
        for row in prepared {
            let (gid, database, owner): (String, String, String) = (row.get(0), row.get(1), row.get(2));
            let mut config = self.config.clone();
            config.dbname(&database);
            let there = self.connect_to(&config).await?;
            let rollback = format!("ROLLBACK PREPARED {}", escape_literal(&gid));
            if there.batch_execute(&rollback).await.is_ok() {
                continue;
            }
            // A lesser broker has to be its owner for that; what makes it so is taken away with the rest of the grant.
            let owner = escape_identifier(&owner);
            for step in [format!("GRANT {owner} TO CURRENT_USER"), format!("SET ROLE {owner}"), rollback] {
                there.batch_execute(&step).await.map_err(refused)?;
            }
        }
        Ok(())
    }

    pub(super) async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let client = self.connect_installed().await?;
        let power = Power::of(&call.role, &call.part)?;
        let refused = |error: tokio_postgres::Error| failed(&error);
        let had =
            power.is_had_by(&format!("(SELECT oid FROM pg_roles WHERE rolname = {})", escape_literal(&call.name)));
        // What stands in another database is asked there.
        let (had, here) = match self.beside(&power).await? {
            Some(there) => {
                (there.query_one(&format!("SELECT {had}"), &[]).await.map_err(refused)?.get(0), "$3".to_owned())
            }
            None => (true, format!("$3 AND {had}")),
        };
        let row = client
            .query_opt(
                &format!(
                    "SELECT g.state = 'given' AND g.ends > clock_timestamp() AND g.ends <= $2 AND {here}
                            AND CASE WHEN g.member_oid IS NULL THEN r.rolcanlogin
                                ELSE EXISTS (SELECT FROM pg_auth_members m WHERE m.roleid = r.oid AND m.member = g.member_oid) END
                     FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid WHERE g.name = $1"
                ),
                &[&call.name, &call.until, &had],
            )
            .await
            .map_err(refused)?;
        let clock = clock(&client).await?;
        let given = row.is_some_and(|row| row.get::<_, Option<bool>>(0) == Some(true));
        if given && !keeps_time(&client).await? {
            return Err(TargetError::Refused("its procedure that ends grants doesn't run".to_owned()));
        }
        Ok(ReadBack { there: given || is_in_force(&client, &call.name).await?, clock })
    }

    /// A fresh password for the grant's own login; none where it is on the person's.
    pub(super) async fn login(&self, call: &GrantCall, password: SecretString) -> Result<Option<Login>, TargetError> {
        if call.account.is_some() {
            return Ok(None);
        }
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
        Ok(Some(Login { user, password, host: self.host.clone(), port: self.port, database }))
    }

    pub(super) async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        let client = self.connect_installed().await?;
        let rows = client
            .query(
                "SELECT g.name, substr(g.mark, length($1) + 2) FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid
                 WHERE starts_with(g.mark, $1) AND (g.state = 'given' OR r.rolcanlogin
                     OR EXISTS (SELECT FROM pg_auth_members m WHERE m.roleid = r.oid))",
                &[&self.mark],
            )
            .await
            .map_err(|error| failed(&error))?;
        Ok(rows
            .iter()
            .map(|row| Marked { name: row.get(0), grant: row.get::<_, String>(1).parse().unwrap_or(0) })
            .collect())
    }
}

/// Refuses what is no person's login: a role that can't sign in, or our own.
async fn ensure_is_a_persons(tx: &Transaction<'_>, account: &str) -> Result<(), TargetError> {
    let row = tx
        .query_opt("SELECT rolcanlogin AND rolname <> current_user FROM pg_roles WHERE rolname = $1", &[&account])
        .await
        .map_err(|error| failed(&error))?;
    match row.map(|row| row.get::<_, bool>(0)) {
        Some(true) => Ok(()),
        Some(false) => Err(TargetError::Refused("the holder's account is no login of a person there".to_owned())),
        None => Err(TargetError::Refused("the holder's login is not there any more".to_owned())),
    }
}

/// Whether a grant that ended still has power, or a session.
async fn is_in_force(client: &Client, name: &str) -> Result<bool, TargetError> {
    let left = "SELECT EXISTS (SELECT FROM tempestas.unfinished WHERE name = $1)
                    OR EXISTS (SELECT FROM tempestas.sessions WHERE name = $1)";
    Ok(client.query_one(left, &[&name]).await.map_err(|error| failed(&error))?.get(0))
}

/// Claims an order to give: false where the same grant is in force already.
async fn claim(tx: &Transaction<'_>, call: &GrantCall, mark: &str) -> Result<bool, TargetError> {
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
