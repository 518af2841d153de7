//! What a holder left behind on a cluster: objects in every database, roles, memberships.

use jiff::Timestamp;
use postgres_protocol::escape::escape_identifier;
use tokio_postgres::{Client, error::SqlState};

use super::{Postgres, failed, power::Power};
use crate::{GrantCall, LeftoverFound, TargetError};

/// Most objects that are named one by one; the rest is a number.
const NAMED_MOST: usize = 20;

/// Notes the roles that a holder could act as: the grant's own, the person's where it is on that, and all they reach.
pub(super) const NOTE_REACHED: &str = "
    WITH RECURSIVE reached(oid) AS (
        SELECT unnest(array_remove(ARRAY[role_oid, member_oid], NULL)) FROM tempestas.grants WHERE name = $1
        UNION SELECT m.roleid FROM pg_auth_members m JOIN reached ON m.member = reached.oid)
    UPDATE tempestas.grants SET reached = (SELECT array_agg(oid) FROM reached),
        attributes_before = (SELECT array_agg(attributes) FROM tempestas.attributes),
        hands_on = EXISTS (SELECT FROM reached JOIN pg_roles r USING (oid) WHERE r.rolsuper OR r.rolcreaterole
                OR r.rolname IN ('pg_execute_server_program', 'pg_write_server_files'))
            OR EXISTS (SELECT FROM reached JOIN pg_auth_members m ON m.member = reached.oid WHERE m.admin_option)
    WHERE name = $1";

/// Notes which objects belong to those, so that later ones stand out.
pub(super) const NOTE_OBJECTS: &str = "
    INSERT INTO tempestas.objects_before (name, owner, dbid, classid, objid)
    SELECT $1, d.refobjid, d.dbid, d.classid, d.objid FROM pg_shdepend d, tempestas.grants g
    WHERE g.name = $1 AND d.refclassid = 'pg_authid'::regclass AND d.deptype = 'o' AND d.refobjid = ANY (g.reached)";

/// Objects that belong to the grant's role, or that came to belong to what a holder could act as while it was in force.
const OBJECTS: &str = "
    SELECT COALESCE(b.datname, ''), d.dbid, d.classid, d.objid, d.refobjid = g.role_oid, o.rolname
    FROM tempestas.grants g
    JOIN pg_shdepend d ON d.refclassid = 'pg_authid'::regclass AND d.deptype IN ('o', 'a')
    JOIN pg_roles o ON o.oid = d.refobjid
    LEFT JOIN pg_database b ON b.oid = d.dbid
    WHERE g.name = $1 AND (d.refobjid = g.role_oid
        OR (d.deptype = 'o' AND d.refobjid = ANY (g.reached)
            AND NOT EXISTS (SELECT FROM tempestas.objects_before k WHERE k.name = $1
                AND (k.owner, k.dbid, k.classid, k.objid) = (d.refobjid, d.dbid, d.classid, d.objid))))
    ORDER BY 1, 3, 4";

const ROLES: &str = "
    SELECT r.rolname, r.rolcanlogin, r.rolsuper, r.oid FROM pg_roles r, tempestas.grants g
    WHERE g.name = $1 AND g.roles_before IS NOT NULL AND r.oid <> ALL (g.roles_before)
      AND r.oid <> g.role_oid
      AND NOT EXISTS (SELECT FROM tempestas.grants k WHERE k.role_oid = r.oid)
    ORDER BY 1";

/// Memberships younger than the grant, but those that a grant of ours consists of; and the members' own ids.
const MEMBERSHIPS: &str = "
    SELECT p.rolname, h.rolname, m.admin_option, h.oid FROM pg_auth_members m
    JOIN pg_roles p ON p.oid = m.roleid JOIN pg_roles h ON h.oid = m.member, tempestas.grants g
    WHERE g.name = $1 AND g.role_oid NOT IN (m.member, m.roleid) AND age(m.xmin) < age(g.given_xid::xid)
      AND NOT EXISTS (SELECT FROM tempestas.grants k WHERE k.role_oid IN (m.member, m.roleid) AND k.given_xid::xid = m.xmin)
    ORDER BY 1, 2";

/// Roles that were there before, and may do something else by now.
const ATTRIBUTES: &str = "
    SELECT r.rolname, r.oid FROM tempestas.attributes a JOIN pg_roles r USING (oid), tempestas.grants g
    WHERE g.name = $1 AND r.oid = ANY (g.roles_before) AND a.attributes <> ALL (g.attributes_before)
      AND NOT EXISTS (SELECT FROM tempestas.grants k WHERE k.role_oid = r.oid AND k.state = 'ended')
    ORDER BY 1";

/// Roles whose row is younger than the grant: a password, where nothing else shows. For whoever may read that table.
const CHANGED: &str = "
    SELECT r.rolname, r.oid FROM pg_authid r, tempestas.grants g
    WHERE g.name = $1 AND r.oid = ANY (g.roles_before) AND age(r.xmin) < age(g.given_xid::xid)
      AND NOT EXISTS (SELECT FROM tempestas.grants k WHERE k.role_oid = r.oid)
    ORDER BY 1";

/// Ends the sessions of logins, unless they are ours.
const END_OTHERS: &str = "
    SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity WHERE usesysid = ANY ($1)
      AND usesysid <> (SELECT oid FROM pg_roles WHERE rolname = current_user)";

/// What is younger than a transaction and holds for the whole cluster. Rows of grants of ours are no leftover.
const YOUNGER: &str = "
    SELECT format('a grant to `%s`%s, new since this was given', r.rolname,
                  CASE WHEN b.datname IS NULL THEN '' ELSE format(' in database `%s`', b.datname) END)
    FROM pg_shdepend d JOIN pg_roles r ON r.oid = d.refobjid LEFT JOIN pg_database b ON b.oid = d.dbid
    WHERE d.refclassid = 'pg_authid'::regclass AND d.deptype = 'a' AND age(d.xmin) < age($1::text::xid8::xid)
      AND NOT EXISTS (SELECT FROM tempestas.grants k WHERE k.role_oid = r.oid)
    GROUP BY r.rolname, b.datname
    UNION ALL
    SELECT format('a setting of `%s`%s: %s', COALESCE(r.rolname, 'everybody'),
                  CASE WHEN b.datname IS NULL THEN '' ELSE format(' in database `%s`', b.datname) END,
                  (SELECT string_agg(split_part(one, '=', 1), ', ') FROM unnest(s.setconfig) one))
    FROM pg_db_role_setting s LEFT JOIN pg_roles r ON r.oid = s.setrole LEFT JOIN pg_database b ON b.oid = s.setdatabase
    WHERE age(s.xmin) < age($1::text::xid8::xid)
    UNION ALL
    SELECT format('the database `%s`, made or changed since this was given', datname) FROM pg_database
    WHERE age(xmin) < age($1::text::xid8::xid) AND datname <> $2";

/// What is younger than a transaction, in the database that is asked: what runs with another's power, or by itself.
const YOUNGER_HERE: &str = "
    SELECT format('the function `%s`, which runs with the power of `%s`,', p.oid::regprocedure, r.rolname)
    FROM pg_proc p JOIN pg_roles r ON r.oid = p.proowner
    WHERE p.prosecdef AND age(p.xmin) < age($1::text::xid8::xid) AND p.pronamespace <> COALESCE(to_regnamespace('tempestas'), 0)
    UNION ALL
    SELECT format('the trigger `%s` on `%s`', t.tgname, t.tgrelid::regclass) FROM pg_trigger t
    WHERE NOT t.tgisinternal AND age(t.xmin) < age($1::text::xid8::xid)
    UNION ALL
    SELECT format('the event trigger `%s`', evtname) FROM pg_event_trigger WHERE age(xmin) < age($1::text::xid8::xid)
    UNION ALL
    SELECT format('privileges by default for what `%s` makes', r.rolname) FROM pg_default_acl a JOIN pg_roles r ON r.oid = a.defaclrole
    WHERE age(a.xmin) < age($1::text::xid8::xid)
    UNION ALL
    SELECT format('the large object %s of `%s`', l.oid, r.rolname) FROM pg_largeobject_metadata l JOIN pg_roles r ON r.oid = l.lomowner
    WHERE age(l.xmin) < age($1::text::xid8::xid)
    UNION ALL
    SELECT format('the schema `%s`, made or changed', nspname) FROM pg_namespace
    WHERE age(xmin) < age($1::text::xid8::xid) AND nspname NOT LIKE 'pg\\_%' AND nspname <> 'tempestas'
      AND current_database() || '/' || nspname <> $2";

impl Postgres {
    /// Looks for leftovers, and drops the login where nothing hangs on it.
    pub(super) async fn leftovers(&self, call: &GrantCall) -> Result<Vec<LeftoverFound>, TargetError> {
        let client = self.connect_installed().await?;
        let given = client
            .query_opt("SELECT given_at FROM tempestas.grants WHERE name = $1 AND role_oid IS NOT NULL", &[&call.name])
            .await
            .map_err(|error| failed(&error))?;
        let Some(given) = given else { return Ok(Vec::new()) };
        let given: Option<Timestamp> = given.get(0);
        let withdrawn = self.withdraw(&client, call).await;
        let mut found = Vec::new();
        let shown = |what: String| LeftoverFound { what, when: given, ended: false, alarming: false };
        for handed in handed_on(&client, call).await? {
            found.push(shown(handed));
        }
        found.extend(self.younger(&client, call).await?.into_iter().map(shown));
        if withdrawn.is_err() {
            // Whoever owns the place holds it up; the role that has it can't be used by anybody any more.
            found.push(shown(format!(
                "what was given on {}: it could not be withdrawn from the grant's role",
                call.part.join(".")
            )));
        }
        let (objects, own) = self.objects(&client, call).await?;
        found.extend(objects.into_iter().map(shown));
        if own || !self.drop_login(&client, call).await? {
            found.push(LeftoverFound {
                what: format!(
                    "the grant's role `{}` itself: objects hang on it, or somebody holds it, so it is left without sign-in, powers and members",
                    call.name
                ),
                when: given,
                ended: false,
                alarming: true,
            });
        }
        Ok(found)
    }

    /// What the catalogues hold that is younger than the grant, in every database that lets us in.
    async fn younger(&self, client: &Client, call: &GrantCall) -> Result<Vec<String>, TargetError> {
        let xid = client
            .query_opt("SELECT given_xid::text FROM tempestas.grants WHERE name = $1", &[&call.name])
            .await
            .map_err(|error| failed(&error))?;
        let Some(xid) = xid.and_then(|row| row.get::<_, Option<String>>(0)) else { return Ok(Vec::new()) };
        let mut said = Vec::new();
        // What was given on a database or schema changed that, and is no leftover of its holder.
        let ours = call.part.join("/");
        for row in client.query(YOUNGER, &[&xid, &ours]).await.map_err(|error| failed(&error))? {
            said.push(row.get::<_, String>(0));
        }
        // A file's age may be asked only by some; `check` says so.
        let system = client
            .query_opt(
                "SELECT 1 FROM tempestas.grants g, pg_stat_file('postgresql.auto.conf') f
                 WHERE g.name = $1 AND f.modification > g.given_at",
                &[&call.name],
            )
            .await;
        let changed = match system {
            Err(error) if error.code() == Some(&SqlState::INSUFFICIENT_PRIVILEGE) => false,
            row => row.map_err(|error| failed(&error))?.is_some(),
        };
        if changed {
            said.push("a setting of the whole cluster, changed by ALTER SYSTEM while this was live".to_owned());
        }
        let databases = client
            .query("SELECT datname FROM pg_database WHERE datallowconn AND NOT datistemplate ORDER BY 1", &[])
            .await
            .map_err(|error| failed(&error))?;
        for database in databases.iter().map(|row| row.get::<_, String>(0)) {
            let mut config = self.config.clone();
            config.dbname(&database);
            let Ok(there) = self.connect_to(&config).await else {
                said.push(format!("whatever may be in database `{database}`, which doesn't let us look"));
                continue;
            };
            let rows = there.query(YOUNGER_HERE, &[&xid, &ours]).await.map_err(|error| failed(&error))?;
            said.extend(rows.iter().map(|row| format!("{} in database `{database}`", row.get::<_, String>(0))));
        }
        let more = said.len().saturating_sub(NAMED_MOST);
        said.truncate(NAMED_MOST);
        if more > 0 {
            said.push(format!("{more} further things that are new since this was given"));
        }
        Ok(said)
    }

    /// Objects left, described, and whether any hangs on the login itself.
    async fn objects(&self, client: &Client, call: &GrantCall) -> Result<(Vec<String>, bool), TargetError> {
        let rows = client.query(OBJECTS, &[&call.name]).await.map_err(|error| failed(&error))?;
        let own = rows.iter().any(|row| row.get(4));
        let mut said = Vec::new();
        let mut open: Option<(String, Client)> = None;
        for row in rows.iter().take(NAMED_MOST) {
            let (database, class, object, owner): (String, u32, u32, String) =
                (row.get(0), row.get(2), row.get(3), row.get(5));
            if !database.is_empty() && open.as_ref().is_none_or(|(name, _)| *name != database) {
                let mut config = self.config.clone();
                config.dbname(&database);
                open = Some((database.clone(), self.connect_to(&config).await?));
            }
            let looker = open.as_ref().filter(|(name, _)| *name == database).map_or(client, |(_, client)| client);
            let described = looker
                .query_one("SELECT pg_describe_object($1, $2, 0)", &[&class, &object])
                .await
                .ok()
                .and_then(|row| row.get::<_, Option<String>>(0))
                .unwrap_or_else(|| format!("object {object}"));
            let whose = if row.get(4) {
                "of the grant's own login".to_owned()
            } else {
                format!("of `{owner}`, new since this was given")
            };
            let place = if database.is_empty() { String::new() } else { format!(" in database `{database}`") };
            said.push(format!("the {described}{place}, {whose}"));
        }
        if rows.len() > NAMED_MOST {
            said.push(format!("{} further objects", rows.len() - NAMED_MOST));
        }
        Ok((said, own))
    }

    /// Takes back what was given inside a database: it holds nothing up any more, but would hang on the role.
    async fn withdraw(&self, client: &Client, call: &GrantCall) -> Result<(), TargetError> {
        let power = Power::of(&call.role, &call.part)?;
        if !matches!(power, Power::Create { .. }) {
            return Ok(());
        }
        let role = client
            .query_opt(
                "SELECT r.rolname::text FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid WHERE g.name = $1",
                &[&call.name],
            )
            .await
            .map_err(|error| failed(&error))?;
        let Some(role) = role.map(|row| row.get::<_, String>(0)) else { return Ok(()) };
        let sql = power.take(&escape_identifier(&role));
        match self.beside(&power).await? {
            Some(there) => there.batch_execute(&sql).await,
            None => client.batch_execute(&sql).await,
        }
        .map_err(|error| failed(&error))
    }

    /// Drops the grant's role, whoever holds on to it; false where that can't be done.
    async fn drop_login(&self, client: &Client, call: &GrantCall) -> Result<bool, TargetError> {
        let drop = client
            .query_opt(
                "SELECT format('CALL tempestas.end_blockers(%s)', r.oid),
                        format('SELECT tempestas.does(%L)', format('DROP ROLE %I', r.rolname)) FROM tempestas.grants g JOIN pg_roles r ON r.oid = g.role_oid
                 WHERE g.name = $1 AND g.state = 'ended'",
                &[&call.name],
            )
            .await
            .map_err(|error| failed(&error))?;
        if let Some(row) = drop {
            client.batch_execute(row.get(0)).await.map_err(|error| failed(&error))?;
            let dropped = client.query_one(&row.get::<_, String>(1), &[]).await.map_err(|error| failed(&error))?;
            if !dropped.get::<_, bool>(0) {
                return Ok(false);
            }
        }
        client
            .execute("DELETE FROM tempestas.objects_before WHERE name = $1", &[&call.name])
            .await
            .map_err(|error| failed(&error))?;
        Ok(true)
    }
}

/// Power that is others' by now, and was not before: roles, memberships, attributes, passwords. Where the holder could have
/// handed it on, the sessions of those who have it are ended, for one that is open keeps what it took on.
async fn handed_on(client: &Client, call: &GrantCall) -> Result<Vec<String>, TargetError> {
    let refused = |error: tokio_postgres::Error| failed(&error);
    let (mut said, mut gained) = (Vec::new(), Vec::new());
    for row in client.query(ROLES, &[&call.name]).await.map_err(refused)? {
        let (name, login, superuser): (String, bool, bool) = (row.get(0), row.get(1), row.get(2));
        let kind = match (superuser, login) {
            (true, _) => "superuser",
            (false, true) => "login role",
            (false, false) => "role",
        };
        gained.push(row.get::<_, u32>(3));
        said.push(format!("the {kind} `{name}`, made while this was live"));
    }
    for row in client.query(MEMBERSHIPS, &[&call.name]).await.map_err(refused)? {
        let (role, member, admin): (String, String, bool) = (row.get(0), row.get(1), row.get(2));
        let hand_on = if admin { ", with the right to hand it on" } else { "" };
        gained.push(row.get(3));
        said.push(format!("the membership of `{member}` in `{role}`{hand_on}, given while this was live"));
    }
    for row in client.query(ATTRIBUTES, &[&call.name]).await.map_err(refused)? {
        gained.push(row.get(1));
        said.push(format!("what `{}` may do by itself, changed while this was live", row.get::<_, String>(0)));
    }
    match client.query(CHANGED, &[&call.name]).await {
        // `check` says so.
        Err(error) if error.code() == Some(&SqlState::INSUFFICIENT_PRIVILEGE) => {}
        rows => {
            for row in rows.map_err(refused)? {
                let (name, oid): (String, u32) = (row.get(0), row.get(1));
                if !gained.contains(&oid) {
                    said.push(format!(
                        "the login `{name}`, whose password or settings were changed while this was live"
                    ));
                    gained.push(oid);
                }
            }
        }
    }
    let hands_on = "SELECT hands_on FROM tempestas.grants WHERE name = $1";
    let hands_on = client.query_one(hands_on, &[&call.name]).await.map_err(refused)?.get::<_, Option<bool>>(0);
    if hands_on == Some(true) && !gained.is_empty() {
        let ended: i64 = client.query_one(END_OTHERS, &[&gained]).await.map_err(refused)?.get(0);
        if ended > 0 {
            said.push(format!(
                "{ended} open session(s) of those named here, ended because that power could have come by this"
            ));
        }
    }
    Ok(said)
}
