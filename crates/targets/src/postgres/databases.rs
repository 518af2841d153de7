//! Power inside databases: who owns them and their schemas, who makes things there, who has tables, and what future
//! objects will be handed to whom.

use std::collections::BTreeMap;

use tempestas_core::{PartFound, RightFound, Weight};
use tokio_postgres::{Client, Row};

use super::{
    Postgres, failed,
    power::{CREATE, EVERYBODY},
};
use crate::TargetError;

/// Roles that this module finds at databases and schemas, what each lets one do, and how much harm that is.
pub(super) const ROLES: [(&str, &str, Weight); 6] = [
    ("owner-of", "owns it: changes and drops it, and decides who else may use it", Weight::Privileged),
    (CREATE, "makes things in it", Weight::Ordinary),
    ("owns-tables-of", "owns tables in it: reads, changes and drops them, and hands them on", Weight::Privileged),
    ("writes-tables-of", "changes tables in it, by privileges of its own", Weight::Ordinary),
    ("reads-tables-of", "reads tables in it, by privileges of its own", Weight::Ordinary),
    ("new-objects-of", "is handed privileges on whatever somebody makes there later", Weight::Ordinary),
];

/// Databases: their owners, and who may make schemas in them.
const DATABASES: &str = "
    SELECT d.datname::text, NULL::text, 'owner-of', r.rolname::text, '' FROM pg_database d JOIN pg_roles r ON r.oid = d.datdba
    WHERE d.datallowconn AND NOT d.datistemplate
    UNION ALL
    SELECT d.datname::text, NULL, 'create-in', r.rolname::text, '' FROM pg_database d CROSS JOIN aclexplode(d.datacl) a
        LEFT JOIN pg_roles r ON r.oid = a.grantee
    WHERE d.datallowconn AND NOT d.datistemplate AND a.privilege_type = 'CREATE' AND a.grantee <> d.datdba";

/// Schemas of the database that is asked, and what is in them. A null for whom is everybody.
const SCHEMAS: &str = "
    WITH schemas AS (SELECT * FROM pg_namespace WHERE nspname !~ '^pg_' AND nspname NOT IN ('information_schema', 'tempestas'))
    SELECT current_database()::text, n.nspname::text, 'owner-of', r.rolname::text, '' FROM schemas n JOIN pg_roles r ON r.oid = n.nspowner
    UNION ALL
    SELECT current_database()::text, n.nspname::text, 'create-in', r.rolname::text, '' FROM schemas n CROSS JOIN aclexplode(n.nspacl) a
        LEFT JOIN pg_roles r ON r.oid = a.grantee
    WHERE a.privilege_type = 'CREATE' AND a.grantee <> n.nspowner
    UNION ALL
    SELECT current_database()::text, n.nspname::text, 'owns-tables-of', r.rolname::text, format('%s table(s)', count(*))
    FROM pg_class c JOIN schemas n ON n.oid = c.relnamespace JOIN pg_roles r ON r.oid = c.relowner
    WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') GROUP BY n.nspname, r.rolname
    UNION ALL
    SELECT current_database()::text, n.nspname::text,
           CASE WHEN bool_or(a.privilege_type <> 'SELECT') THEN 'writes-tables-of' ELSE 'reads-tables-of' END, r.rolname::text,
           format('%s on %s table(s)', string_agg(DISTINCT lower(a.privilege_type), ', '), count(DISTINCT c.oid))
    FROM pg_class c JOIN schemas n ON n.oid = c.relnamespace CROSS JOIN aclexplode(c.relacl) a
        LEFT JOIN pg_roles r ON r.oid = a.grantee
    WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND a.grantee <> c.relowner GROUP BY n.nspname, r.rolname
    UNION ALL
    SELECT current_database()::text, n.nspname::text, 'new-objects-of', r.rolname::text,
           format('%s on what `%s` makes', string_agg(DISTINCT lower(a.privilege_type), ', '), o.rolname)
    FROM pg_default_acl d CROSS JOIN aclexplode(d.defaclacl) a JOIN pg_roles o ON o.oid = d.defaclrole
        LEFT JOIN pg_namespace n ON n.oid = d.defaclnamespace LEFT JOIN pg_roles r ON r.oid = a.grantee
    WHERE a.grantee <> d.defaclrole AND (a.grantee <> 0 OR a.privilege_type NOT IN ('EXECUTE', 'USAGE'))
    GROUP BY n.nspname, r.rolname, o.rolname";

/// One power inside a database.
pub(super) struct Inside {
    part: Vec<String>,
    role: String,
    /// Role that has it; none for everybody.
    holder: Option<String>,
    detail: String,
}

impl Inside {
    fn read(row: &Row) -> Self {
        let (database, schema): (String, Option<String>) = (row.get(0), row.get(1));
        let part = std::iter::once(database).chain(schema).collect();
        Self { part, role: row.get(2), holder: row.get(3), detail: row.get(4) }
    }

    /// As a standing right of a login, or of everybody.
    pub(super) fn right(&self, account: &str, last_used: Option<jiff::Timestamp>) -> RightFound {
        let can_be_taken = self.role == CREATE;
        let why = if self.detail.is_empty() { "being its owner".to_owned() } else { self.detail.clone() };
        RightFound {
            account: account.to_owned(),
            role: self.role.clone(),
            part: self.part.clone(),
            chain: if can_be_taken { Vec::new() } else { vec![why] },
            handle: can_be_taken.then(|| "create".to_owned()),
            since: None,
            last_used,
        }
    }

    /// In plain words, for a role that has it.
    pub(super) fn says(&self) -> String {
        let place = self.part.join(".");
        match self.role.as_str() {
            "owner-of" => format!("owns {place}"),
            CREATE => format!("makes things in {place}"),
            _ if self.detail.is_empty() => format!("{} {place}", self.role),
            _ => format!("{} in {place}", self.detail),
        }
    }
}

/// Everything found inside the databases of a cluster.
pub(super) struct Insides {
    pub(super) parts: Vec<PartFound>,
    by_holder: BTreeMap<String, Vec<Inside>>,
    everybody: Vec<Inside>,
}

impl Insides {
    /// What one role has by itself.
    pub(super) fn of(&self, holder: &str) -> &[Inside] {
        self.by_holder.get(holder).map_or(&[], Vec::as_slice)
    }

    /// What everybody has.
    pub(super) fn everybodys(&self) -> impl Iterator<Item = RightFound> + '_ {
        self.everybody.iter().map(|inside| inside.right(EVERYBODY, None))
    }
}

impl Postgres {
    /// Looks into every database that lets us in; `check` names the others.
    pub(super) async fn insides(&self, client: &Client) -> Result<Insides, TargetError> {
        let refused = |error: tokio_postgres::Error| failed(&error);
        let open = "SELECT datname::text FROM pg_database
                    WHERE datallowconn AND NOT datistemplate AND has_database_privilege(oid, 'CONNECT') ORDER BY 1";
        let mut all: Vec<Inside> =
            client.query(DATABASES, &[]).await.map_err(refused)?.iter().map(Inside::read).collect();
        for row in client.query(open, &[]).await.map_err(refused)? {
            let mut config = self.config.clone();
            config.dbname(row.get::<_, &str>(0));
            let there = self.connect_to(&config).await?;
            all.extend(there.query(SCHEMAS, &[]).await.map_err(refused)?.iter().map(Inside::read));
        }
        let mut parts: Vec<PartFound> = all.iter().map(|inside| PartFound { path: inside.part.clone() }).collect();
        parts.sort_by(|a, b| a.path.cmp(&b.path));
        parts.dedup_by(|a, b| a.path == b.path);
        let mut insides = Insides { parts, by_holder: BTreeMap::new(), everybody: Vec::new() };
        for inside in all {
            match inside.holder.clone() {
                Some(holder) => insides.by_holder.entry(holder).or_default().push(inside),
                None => insides.everybody.push(inside),
            }
        }
        Ok(insides)
    }
}
