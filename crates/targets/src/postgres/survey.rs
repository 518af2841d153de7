//! Reading who holds what on a cluster: memberships with their chains, and attributes.

use std::collections::{BTreeMap, BTreeSet};

use tempestas_core::{AccountFound, Digest, Lapse, RightFound, RoleFound, Seconds, Survey, Weight};

use tokio_postgres::error::SqlState;

use super::{
    Postgres, clock,
    databases::{self, Inside},
    failed,
    power::{ATTRIBUTES, CREATE},
};
use crate::TargetError;

/// Predefined roles whose members can undo their own end or take everything.
const CRITICAL: [&str; 5] = [
    "pg_execute_server_program",
    "pg_write_server_files",
    "pg_read_server_files",
    "pg_signal_backend",
    "pg_write_all_data",
];
/// Predefined roles that read what others depend on.
const PRIVILEGED: [&str; 3] = ["pg_read_all_data", "pg_checkpoint", "pg_database_owner"];

/// Most things that are said of one role; the rest is a number.
const SAID_MOST: usize = 6;

/// How deep memberships are followed.
const DEPTH: usize = 16;

struct RoleThere {
    name: String,
    login: bool,
    attributes: Vec<&'static str>,
    says: Option<String>,
    /// Roles it is a direct member of, and whether with the admin option.
    holds: BTreeMap<String, bool>,
    owns: bool,
    permits: String,
    last_seen: Option<jiff::Timestamp>,
}

impl Postgres {
    pub(super) async fn survey(&self) -> Result<Survey, TargetError> {
        let client = self.connect_installed().await?;
        let roles = self.read_roles(&client).await?;
        let insides = self.insides(&client).await?;
        let broker: String =
            client.query_one("SELECT current_user::text", &[]).await.map_err(|error| failed(&error))?.get(0);
        let by_name: BTreeMap<&str, &RoleThere> = roles.iter().map(|role| (role.name.as_str(), role)).collect();
        let weights: BTreeMap<&str, Weight> =
            roles.iter().map(|role| (role.name.as_str(), weight(&by_name, role, DEPTH))).collect();
        let mut found: Vec<RoleFound> = ATTRIBUTES
            .iter()
            .map(|(name, says)| self.role_found(name, says, attribute_weight(name), Digest::of(&[name.as_bytes()])))
            .collect();
        let offered = |role: &&RoleThere| !role.login && ATTRIBUTES.iter().all(|(name, _)| *name != role.name);
        found.extend(roles.iter().filter(offered).map(|role| {
            let inside: Vec<String> = insides.of(&role.name).iter().map(Inside::says).collect();
            let says = role.says.clone().unwrap_or_else(|| plain_words(role, &inside));
            let weight = weights.get(role.name.as_str()).copied().unwrap_or(Weight::Critical);
            self.role_found(
                &role.name,
                &says,
                weight,
                Digest::of(&[role.permits.as_bytes(), inside.join("; ").as_bytes()]),
            )
        }));
        found.extend(databases::ROLES.iter().map(|(name, says, weight)| {
            let role = self.role_found(name, says, *weight, Digest::of(&[name.as_bytes()]));
            let lapse = if *name == CREATE { role.lapse } else { never_given(BY_HAND) };
            RoleFound { lapse, ..role }
        }));
        let mut rights = Vec::new();
        for login in roles.iter().filter(|role| role.login) {
            collect_rights(&by_name, login, &mut rights);
            // Of a superuser nothing of that adds anything.
            if !login.attributes.contains(&"SUPERUSER") {
                rights.extend(insides.of(&login.name).iter().map(|inside| inside.right(&login.name, login.last_seen)));
            }
        }
        rights.extend(insides.everybodys());
        let version = client.query_one("SHOW server_version", &[]).await.map_err(|error| failed(&error))?.get(0);
        let trusted = trusted(&client).await?;
        if !trusted.is_empty() {
            let digest = Digest::of(&[ANY_LOGIN.0.as_bytes()]);
            found.push(RoleFound {
                lapse: never_given(BY_LINE),
                ..self.role_found(ANY_LOGIN.0, ANY_LOGIN.1, Weight::Critical, digest)
            });
            rights.extend(trusted);
        }
        Ok(Survey {
            attributes: BTreeMap::from([("version".to_owned(), version)]),
            sealed: Vec::new(),
            complete: true,
            clock: clock(&client).await?,
            broker,
            parts: insides.parts,
            roles: found,
            accounts: roles
                .iter()
                .filter(|role| role.login)
                .map(|role| AccountFound { name: role.name.clone(), last_used: role.last_seen })
                .collect(),
            rights,
            marked: self.marked().await?,
        })
    }

    /// Every role but the logins of our own grants.
    async fn read_roles(&self, client: &tokio_postgres::Client) -> Result<Vec<RoleThere>, TargetError> {
        let rows = client
            .query(
                "SELECT r.rolname, r.rolcanlogin, r.rolsuper, r.rolcreaterole, r.rolcreatedb, r.rolreplication, r.rolbypassrls,
                        shobj_description(r.oid, 'pg_authid'),
                        ARRAY(SELECT p.rolname FROM pg_auth_members m JOIN pg_roles p ON p.oid = m.roleid WHERE m.member = r.oid AND NOT EXISTS (SELECT FROM tempestas.grants g WHERE g.role_oid = p.oid) ORDER BY 1),
                        ARRAY(SELECT m.admin_option FROM pg_auth_members m JOIN pg_roles p ON p.oid = m.roleid WHERE m.member = r.oid AND NOT EXISTS (SELECT FROM tempestas.grants g WHERE g.role_oid = p.oid) ORDER BY p.rolname),
                        EXISTS (SELECT FROM pg_shdepend d WHERE d.refclassid = 'pg_authid'::regclass AND d.refobjid = r.oid AND d.deptype = 'o'),
                        COALESCE((SELECT string_agg(concat_ws(':', d.dbid, d.classid, d.objid), ',' ORDER BY d.dbid, d.classid, d.objid)
                            FROM pg_shdepend d WHERE d.refclassid = 'pg_authid'::regclass AND d.refobjid = r.oid AND d.deptype = 'a'), ''),
                        (SELECT max(a.backend_start) FROM pg_stat_activity a WHERE a.usesysid = r.oid)
                 FROM pg_roles r
                 WHERE NOT EXISTS (SELECT FROM tempestas.grants g WHERE g.role_oid = r.oid)
                 ORDER BY 1",
                &[],
            )
            .await
            .map_err(|error| failed(&error))?;
        Ok(rows
            .iter()
            .map(|row| {
                let flags: [bool; 5] = [row.get(2), row.get(3), row.get(4), row.get(5), row.get(6)];
                let attributes: Vec<&'static str> =
                    ATTRIBUTES.iter().zip(flags).filter(|(_, set)| *set).map(|((name, _), _)| *name).collect();
                let (held, admin): (Vec<String>, Vec<bool>) = (row.get(8), row.get(9));
                let permits = format!("{attributes:?} {held:?} {}", row.get::<_, String>(11));
                RoleThere {
                    name: row.get(0),
                    login: row.get(1),
                    attributes,
                    says: row.get(7),
                    holds: held.into_iter().zip(admin).collect(),
                    owns: row.get(10),
                    permits,
                    last_seen: row.get(12),
                }
            })
            .collect())
    }
}

/// What a line of `pg_hba.conf` gives that trusts whoever comes from somewhere.
const ANY_LOGIN: (&str, &str) = ("any-login", "signs in as any login there is, without proving anything");

const BY_LINE: &str = "it is a line of pg_hba.conf, and is not given for a time";
const BY_HAND: &str = "it is not given for a time; it is changed on the cluster by hand";

fn never_given(says: &str) -> Lapse {
    Lapse { by_itself: false, within: Seconds(1), holder_can_undo: true, movable: false, says: says.to_owned() }
}

/// Lines that let anyone in; none where we may not read them, which `check` says.
async fn trusted(client: &tokio_postgres::Client) -> Result<Vec<RightFound>, TargetError> {
    let rows = client
        .query(
            "SELECT line_number, type, array_to_string(database, ','), array_to_string(user_name, ','), COALESCE(address, '')
             FROM pg_hba_file_rules WHERE auth_method = 'trust' AND error IS NULL ORDER BY 1",
            &[],
        )
        .await;
    let rows = match rows {
        Err(error) if error.code() == Some(&SqlState::INSUFFICIENT_PRIVILEGE) => Vec::new(),
        rows => rows.map_err(|error| failed(&error))?,
    };
    Ok(rows
        .iter()
        .map(|row| {
            let (line, kind, databases, users, address): (i32, String, String, String, String) =
                (row.get(0), row.get(1), row.get(2), row.get(3), row.get(4));
            let from = if address.is_empty() { "the machine itself".to_owned() } else { address };
            RightFound {
                account: format!("whoever comes from {from}"),
                role: ANY_LOGIN.0.to_owned(),
                part: Vec::new(),
                chain: vec![format!("line {line} of pg_hba.conf: {kind} {databases} {users} trust")],
                handle: None,
                since: None,
                last_used: None,
            }
        })
        .collect())
}

/// Everything one login holds, by breadth so that the shortest chain is the one shown.
fn collect_rights(by_name: &BTreeMap<&str, &RoleThere>, login: &RoleThere, rights: &mut Vec<RightFound>) {
    let right = |role: &str, chain: &[String], handle: Option<String>| RightFound {
        account: login.name.clone(),
        role: role.to_owned(),
        part: Vec::new(),
        chain: chain.to_vec(),
        handle,
        since: None,
        last_used: login.last_seen,
    };
    rights.extend(login.attributes.iter().map(|name| right(name, &[], Some("attribute".to_owned()))));
    let mut seen: BTreeSet<String> = BTreeSet::from([login.name.clone()]);
    let mut level: Vec<(&RoleThere, Vec<String>)> = vec![(login, Vec::new())];
    for _ in 0..DEPTH {
        let mut below = Vec::new();
        for (role, chain) in level {
            for (held, admin) in &role.holds {
                if !seen.insert(held.clone()) {
                    continue;
                }
                let handle =
                    chain.is_empty().then(|| if *admin { "member with admin option" } else { "member" }.to_owned());
                rights.push(right(held, &chain, handle));
                let Some(next) = by_name.get(held.as_str()) else { continue };
                let mut longer = chain.clone();
                longer.push(held.clone());
                for attribute in &next.attributes {
                    if !login.attributes.contains(attribute) {
                        rights.push(right(attribute, &longer, None));
                    }
                }
                below.push((*next, longer));
            }
        }
        level = below;
    }
}

fn attribute_weight(name: &str) -> Weight {
    match name {
        "SUPERUSER" | "CREATEROLE" => Weight::Critical,
        "CREATEDB" => Weight::Ordinary,
        _ => Weight::Privileged,
    }
}

/// A role weighs as much as the heaviest thing it reaches.
fn weight(by_name: &BTreeMap<&str, &RoleThere>, role: &RoleThere, depth: usize) -> Weight {
    let own = match role.name.as_str() {
        name if CRITICAL.contains(&name) => Weight::Critical,
        name if PRIVILEGED.contains(&name) || role.owns => Weight::Privileged,
        _ => Weight::Ordinary,
    };
    let attributes = role.attributes.iter().map(|name| attribute_weight(name));
    let reached = role
        .holds
        .keys()
        .filter(|_| depth > 0)
        .filter_map(|name| by_name.get(name.as_str()))
        .map(|next| weight(by_name, next, depth - 1));
    attributes.chain(reached).fold(own, Ord::max)
}

fn plain_words(role: &RoleThere, inside: &[String]) -> String {
    let mut parts = inside.to_vec();
    if !role.holds.is_empty() {
        parts.push(format!("all of {}", role.holds.keys().cloned().collect::<Vec<_>>().join(", ")));
    }
    let more = parts.len().saturating_sub(SAID_MOST);
    parts.truncate(SAID_MOST);
    if more > 0 {
        parts.push(format!("{more} more"));
    }
    match parts.as_slice() {
        [] if role.owns => "owns objects in the cluster's databases".to_owned(),
        [] => "what was granted to it by name".to_owned(),
        parts => parts.join("; "),
    }
}

impl Postgres {
    fn role_found(&self, name: &str, says: &str, weight: Weight, permits: Digest) -> RoleFound {
        let holder_can_undo = weight == Weight::Critical;
        let end = if self.own_login {
            "the cluster takes it from your login and ends every session of that login, those opened before too, by itself within 1 s"
        } else {
            "the cluster refuses new sign-ins and ends open sessions by itself within 1 s"
        };
        let says_end = if holder_can_undo {
            format!("{end}, though a holder of so much power could undo that while it lasts")
        } else {
            end.to_owned()
        };
        RoleFound {
            name: name.to_owned(),
            says: says.to_owned(),
            weight,
            permits,
            lapse: Lapse { by_itself: true, within: Seconds(1), holder_can_undo, movable: true, says: says_end },
        }
    }
}
