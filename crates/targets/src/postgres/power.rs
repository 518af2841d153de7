//! What a role of ours is on a cluster: how it is given, taken away and looked for there.

use postgres_protocol::escape::{escape_identifier, escape_literal};
use tempestas_core::is_deceptive;
use tokio_postgres::Client;

use super::{Postgres, failed};
use crate::{StandingCall, TargetError};

/// Powers that are attributes of a role and not a membership, as this module names them.
pub(super) const ATTRIBUTES: [(&str, &str); 5] = [
    ("SUPERUSER", "can do everything on the cluster, on its files, and through programs on its host"),
    ("CREATEROLE", "makes and changes roles, and can so become nearly any of them"),
    ("CREATEDB", "makes databases"),
    ("REPLICATION", "copies everything out of the cluster as a replica"),
    ("BYPASSRLS", "reads and writes past row-level security"),
];

/// The role at a database or schema that makes things in it.
pub(super) const CREATE: &str = "create-in";

/// Whom a privilege is granted to that is granted to everybody.
pub(super) const EVERYBODY: &str = "everybody";

/// One power.
pub(super) enum Power<'c> {
    Attribute(&'static str),
    Member(&'c str),
    /// Making things in a database, or in a schema of one.
    Create {
        database: &'c str,
        schema: Option<&'c str>,
    },
}

impl<'c> Power<'c> {
    /// The power that a role at a part of the cluster stands for.
    pub(super) fn of(role: &'c str, part: &'c [String]) -> Result<Self, TargetError> {
        let attribute = ATTRIBUTES.iter().find(|(name, _)| *name == role);
        match (part, attribute) {
            ([], Some((name, _))) => Ok(Self::Attribute(name)),
            ([], None) => Ok(Self::Member(role)),
            ([database], _) if role == CREATE => Ok(Self::Create { database, schema: None }),
            ([database, schema], _) if role == CREATE => Ok(Self::Create { database, schema: Some(schema) }),
            _ => Err(TargetError::Refused(format!("`{role}` is not given there; change it on the cluster by hand"))),
        }
    }

    /// The database in which it has to be given; none where any will do.
    pub(super) const fn database(&self) -> Option<&'c str> {
        match self {
            Self::Create { database, schema: Some(_) } => Some(database),
            _ => None,
        }
    }

    fn place(database: &str, schema: Option<&str>) -> String {
        match schema {
            Some(schema) => format!("SCHEMA {}", identifier(schema)),
            None => format!("DATABASE {}", identifier(database)),
        }
    }

    /// Gives it to a role, which stands there quoted.
    pub(super) fn give(&self, to: &str, admin: bool) -> String {
        match self {
            Self::Attribute(name) => format!("ALTER ROLE {to} {name}"),
            Self::Member(role) => {
                format!("GRANT {} TO {to}{}", identifier(role), if admin { " WITH ADMIN OPTION" } else { "" })
            }
            Self::Create { database, schema } => {
                format!("GRANT CREATE ON {} TO {to}", Self::place(database, *schema))
            }
        }
    }

    /// Takes it from a role, which stands there quoted.
    pub(super) fn take(&self, from: &str) -> String {
        match self {
            Self::Attribute(name) => format!("ALTER ROLE {from} NO{name}"),
            Self::Member(role) => format!("REVOKE {} FROM {from}", identifier(role)),
            Self::Create { database, schema } => {
                format!("REVOKE CREATE ON {} FROM {from}", Self::place(database, *schema))
            }
        }
    }

    /// An expression that is true where the role whose oid another expression gives has it by itself.
    pub(super) fn is_had_by(&self, oid: &str) -> String {
        let acl = |table: &str, acl: &str, named: &str, name: &str| {
            format!(
                "EXISTS (SELECT FROM {table} one, aclexplode(one.{acl}) a
                         WHERE one.{named} = {} AND a.grantee = {oid} AND a.privilege_type = 'CREATE')",
                escape_literal(name)
            )
        };
        match self {
            Self::Attribute(name) => {
                let column = match *name {
                    "SUPERUSER" => "rolsuper",
                    "CREATEROLE" => "rolcreaterole",
                    "CREATEDB" => "rolcreatedb",
                    "REPLICATION" => "rolreplication",
                    _ => "rolbypassrls",
                };
                format!("EXISTS (SELECT FROM pg_roles one WHERE one.oid = {oid} AND one.{column})")
            }
            Self::Member(role) => format!(
                "EXISTS (SELECT FROM pg_auth_members m JOIN pg_roles one ON one.oid = m.roleid
                         WHERE m.member = {oid} AND one.rolname = {})",
                escape_literal(role)
            ),
            Self::Create { schema: Some(schema), .. } => acl("pg_namespace", "nspacl", "nspname", schema),
            Self::Create { database, schema: None } => acl("pg_database", "datacl", "datname", database),
        }
    }
}

/// A name as SQL has it: on one line, and steering nothing where somebody reads it first.
fn identifier(name: &str) -> String {
    if !name.contains(is_deceptive) {
        return escape_identifier(name);
    }
    let written = |c: char| match c {
        '"' => "\"\"".to_owned(),
        '\\' => "\\\\".to_owned(),
        c if is_deceptive(c) => format!("\\+{:06x}", u32::from(c)),
        c => c.to_string(),
    };
    format!("U&\"{}\"", name.chars().map(written).collect::<String>())
}

/// A role's name as SQL has it.
fn grantee(account: &str) -> String {
    if account == EVERYBODY { "PUBLIC".to_owned() } else { identifier(account) }
}

impl Postgres {
    /// A connection to where a power is given, where that is another database than ours.
    pub(super) async fn beside(&self, power: &Power<'_>) -> Result<Option<Client>, TargetError> {
        let Some(database) = power.database() else { return Ok(None) };
        let mut config = self.config.clone();
        config.dbname(database);
        self.connect_to(&config).await.map(Some)
    }

    async fn run(&self, power: &Power<'_>, sql: &str) -> Result<(), TargetError> {
        match self.beside(power).await? {
            Some(there) => there.batch_execute(sql).await,
            None => self.connect().await?.batch_execute(sql).await,
        }
        .map_err(|error| failed(&error))
    }

    pub(super) async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        let power = Power::of(&call.role, &call.part)?;
        let oid = if call.account == EVERYBODY {
            "0".to_owned()
        } else {
            format!("(SELECT oid FROM pg_roles WHERE rolname = {})", escape_literal(&call.account))
        };
        let sql = format!("SELECT {}", power.is_had_by(&oid));
        let row = match self.beside(&power).await? {
            Some(there) => there.query_one(&sql, &[]).await,
            None => self.connect().await?.query_one(&sql, &[]).await,
        };
        Ok(row.map_err(|error| failed(&error))?.get(0))
    }

    /// The statement that takes it away, for whoever keeps the cluster's roles elsewhere.
    pub(super) fn statement(call: &StandingCall) -> Option<String> {
        let power = Power::of(&call.role, &call.part).ok()?;
        let place = power.database().map_or_else(String::new, |database| format!("-- in database {database}\n"));
        Some(format!("{place}{};\n", power.take(&grantee(&call.account))))
    }

    pub(super) async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        let power = Power::of(&call.role, &call.part)?;
        self.run(&power, &power.take(&grantee(&call.account))).await
    }

    /// A standing right's handle is `attribute`, `member`, `member with admin option` or `create`.
    pub(super) async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        let power = Power::of(&call.role, &call.part)?;
        self.run(&power, &power.give(&grantee(&call.account), call.handle.ends_with("admin option"))).await
    }
}
