//! Activity, as targets told it; in the file of observations, row by row only where one right is looked at.

use std::collections::BTreeMap;

use jiff::Timestamp;
use sqlx::{Connection as _, Row as _, SqliteConnection};
use tempestas_core::{Activity, ScopeId};

use crate::{StoreError, micros, number, open::Store, time, unsigned};

/// Rows put in by one statement.
const TOGETHER: usize = 500;

/// What a target told of one account's uses, by the roles that permit them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Recorded {
    /// Roles that permit them.
    pub roles: Vec<String>,
    /// Part of the target.
    pub part: Vec<String>,
    /// When, in order.
    pub uses: Vec<Timestamp>,
}

/// How far a target has told of its uses.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Told {
    /// From when.
    pub from: Timestamp,
    /// When it was asked last.
    pub asked_at: Timestamp,
}

pub(crate) async fn prepare(observed: &mut SqliteConnection) -> Result<(), sqlx::Error> {
    sqlx::query(
        "CREATE TABLE IF NOT EXISTS activity (
            target INTEGER NOT NULL, account TEXT NOT NULL, at INTEGER NOT NULL, what TEXT NOT NULL,
            roles TEXT NOT NULL, part TEXT NOT NULL,
            PRIMARY KEY (target, account, at, what, part)
        ) STRICT, WITHOUT ROWID",
    )
    .execute(&mut *observed)
    .await?;
    sqlx::query(
        "CREATE TABLE IF NOT EXISTS told (target INTEGER PRIMARY KEY, from_at INTEGER NOT NULL, asked_at INTEGER NOT NULL) STRICT",
    )
    .execute(&mut *observed)
    .await?;
    sqlx::query(
        "CREATE TABLE IF NOT EXISTS last_uses (
            target INTEGER NOT NULL, account TEXT NOT NULL, roles TEXT NOT NULL, part TEXT NOT NULL, at INTEGER NOT NULL,
            PRIMARY KEY (target, account, roles, part)
        ) STRICT, WITHOUT ROWID",
    )
    .execute(observed)
    .await?;
    Ok(())
}

fn json(names: &[String]) -> String {
    serde_json::to_string(names).unwrap_or_default()
}

fn names(json: &str) -> Vec<String> {
    serde_json::from_str(json).unwrap_or_default()
}

impl Store {
    /// Keeps what a target told of uses since `from`, asked at `now`. What was told before changes nothing.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_activity(
        &self,
        target: ScopeId,
        told: Told,
        forget_before: Timestamp,
        uses: &[Activity],
    ) -> Result<(), StoreError> {
        let mut observed = self.observed.write.lock().await;
        let mut together = observed.begin().await?;
        for some in uses.chunks(TOGETHER) {
            let mut insert =
                sqlx::QueryBuilder::new("INSERT OR IGNORE INTO activity (target, account, at, what, roles, part) ");
            insert.push_values(some, |mut row, one| {
                row.push_bind(number(target.0))
                    .push_bind(&one.account)
                    .push_bind(micros(one.at))
                    .push_bind(&one.what)
                    .push_bind(json(&one.roles))
                    .push_bind(json(&one.part));
            });
            insert.build().execute(&mut *together).await?;
        }
        let mut last: BTreeMap<(&str, String, String), Timestamp> = BTreeMap::new();
        for one in uses {
            let at = last.entry((&one.account, json(&one.roles), json(&one.part))).or_insert(one.at);
            *at = one.at.max(*at);
        }
        for ((account, roles, part), at) in last {
            sqlx::query(
                "INSERT INTO last_uses (target, account, roles, part, at) VALUES (?1, ?2, ?3, ?4, ?5)
                 ON CONFLICT DO UPDATE SET at = max(at, excluded.at)",
            )
            .bind(number(target.0))
            .bind(account)
            .bind(roles)
            .bind(part)
            .bind(micros(at))
            .execute(&mut *together)
            .await?;
        }
        sqlx::query("DELETE FROM activity WHERE target = ?1 AND at < ?2")
            .bind(number(target.0))
            .bind(micros(forget_before))
            .execute(&mut *together)
            .await?;
        sqlx::query(
            "INSERT INTO told (target, from_at, asked_at) VALUES (?1, ?2, ?3)
             ON CONFLICT (target) DO UPDATE SET asked_at = excluded.asked_at, from_at = min(from_at, excluded.from_at)",
        )
        .bind(number(target.0))
        .bind(micros(told.from))
        .bind(micros(told.asked_at))
        .execute(&mut *together)
        .await?;
        together.commit().await?;
        Ok(())
    }

    /// How far each target has told of its uses.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn told(&self) -> Result<BTreeMap<ScopeId, Told>, StoreError> {
        let rows = sqlx::query("SELECT target, from_at, asked_at FROM told").fetch_all(&self.observed.read).await?;
        let told = rows.iter().map(|row| {
            let told = Told { from: time(row.try_get("from_at")?), asked_at: time(row.try_get("asked_at")?) };
            Ok((ScopeId(unsigned(row.try_get("target")?)), told))
        });
        Ok(told.collect::<Result<_, sqlx::Error>>()?)
    }

    /// When each account was last seen to use what, by target and account.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn last_uses(&self) -> Result<BTreeMap<(ScopeId, String), Vec<Recorded>>, StoreError> {
        let rows: Vec<(i64, String, String, String, i64)> =
            sqlx::query_as("SELECT target, account, roles, part, at FROM last_uses")
                .fetch_all(&self.observed.read)
                .await?;
        let mut by: BTreeMap<_, Vec<Recorded>> = BTreeMap::new();
        for (target, account, roles, part, at) in rows {
            let recorded = Recorded { roles: names(&roles), part: names(&part), uses: vec![time(at)] };
            by.entry((ScopeId(unsigned(target)), account)).or_default().push(recorded);
        }
        Ok(by)
    }

    /// The uses of one account on one target since `from`, by the roles that permit them and the part.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn uses_of(&self, target: ScopeId, account: &str, from: Timestamp) -> Result<Vec<Recorded>, StoreError> {
        let rows: Vec<(i64, String, String)> = sqlx::query_as(
            "SELECT at, roles, part FROM activity WHERE target = ?1 AND account = ?2 AND at >= ?3 ORDER BY at",
        )
        .bind(number(target.0))
        .bind(account)
        .bind(micros(from))
        .fetch_all(&self.observed.read)
        .await?;
        let mut by: BTreeMap<(String, String), Vec<Timestamp>> = BTreeMap::new();
        for (at, roles, part) in rows {
            by.entry((roles, part)).or_default().push(time(at));
        }
        Ok(by
            .into_iter()
            .map(|((roles, part), uses)| Recorded { roles: names(&roles), part: names(&part), uses })
            .collect())
    }
}
