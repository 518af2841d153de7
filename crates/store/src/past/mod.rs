//! What is over: kept apart from what is in memory, and found by who asked for it, where, and when.

mod entered;

use std::{
    collections::{BTreeMap, BTreeSet},
    ops::RangeInclusive,
};

use futures_util::future::try_join;
use jiff::{Timestamp, civil::Date};
use sqlx::{QueryBuilder, Row as _, Sqlite, SqliteConnection, sqlite::SqliteRow};
use tempestas_core::{
    ElevationId, EligibilityId, GrantId, Recall, RoleId, Row, ScopeId, SubjectId, World, beginning_of, day_of,
    digests_in,
};

pub(crate) use entered::{enter, misplaced, set_apart};

use crate::{StoreError, micros, number, open::Store, texts, time, unsigned};

/// How many of the newest are looked at one by one, before it goes by what somebody sees.
const NEWEST: u64 = 2_000;

/// The rows of the present and of the past, with kind and id.
pub(crate) const EVERY_ROW: &str = "SELECT kind, id, body FROM rows
    UNION ALL SELECT 'elevation', CAST(id AS TEXT), body FROM past_elevations
    UNION ALL SELECT 'demand', CAST(elevation AS TEXT), body FROM past_demands
    UNION ALL SELECT 'grant', CAST(id AS TEXT), body FROM past_grants";

/// The same, as editions kept them whose rows held their demands.
pub(crate) const EVERY_ROW_BEFORE: &str = "SELECT kind, id, body FROM rows
    UNION ALL SELECT 'elevation', CAST(id AS TEXT), body FROM past_elevations
    UNION ALL SELECT 'grant', CAST(id AS TEXT), body FROM past_grants";

/// Whether a row is of what is over, and of what nobody has to look at any more.
pub(crate) fn is_past(row: &Row) -> bool {
    match row {
        Row::Elevation(elevation) => elevation.is_closed(),
        Row::Grant(grant) => grant.is_gone(),
        _ => false,
    }
}

/// Which elevations that are over. All conditions hold at once; none left out means every one.
#[derive(Debug, Clone, Default)]
pub struct Past {
    /// Only what somebody may see.
    pub seen: Option<Seen>,
    /// Only what these asked for.
    pub askers: Option<BTreeSet<SubjectId>>,
    /// Only of this role.
    pub role: Option<RoleId>,
    /// Only by these eligibilities.
    pub eligibilities: Option<BTreeSet<EligibilityId>>,
    /// Only what ended so.
    pub state: Option<String>,
    /// Only those whose number lies in one of these ranges.
    pub numbers: Option<Vec<std::ops::Range<u64>>>,
    /// Only those from this one on.
    pub from: Option<ElevationId>,
    /// Only those before this one.
    pub before: Option<ElevationId>,
    /// Only what was in force, or asked and answered, between these times.
    pub between: Option<(Timestamp, Timestamp)>,
}

/// What somebody may see of what is over: what they asked for, what they were asked about, and what lies in some scopes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Seen {
    /// Who.
    pub person: SubjectId,
    /// Where.
    pub scopes: Vec<ScopeId>,
}

/// What happened on some days.
#[derive(Debug, Clone, Default)]
pub struct Days {
    /// How many were asked on each day (UTC).
    pub asked: BTreeMap<Date, u32>,
    /// When those that were opened, and ended since, were in force.
    pub in_force: Vec<(Timestamp, Timestamp)>,
}

/// Ids as one parameter, for `json_each`.
pub(crate) fn list(ids: impl IntoIterator<Item = u64>) -> String {
    let ids: Vec<String> = ids.into_iter().map(|id| id.to_string()).collect();
    format!("[{}]", ids.join(","))
}

impl Past {
    /// Whether something else than sight leaves few of them, by an index.
    const fn is_narrow(&self) -> bool {
        self.askers.is_some()
            || self.eligibilities.is_some()
            || self.numbers.is_some()
            || self.from.is_some()
            || self.between.is_some()
    }

    fn conditions(&self, sql: &mut QueryBuilder<Sqlite>, one_by_one: bool) {
        sql.push(" WHERE TRUE");
        if let Some(from) = self.from {
            sql.push(" AND e.id >= ").push_bind(number(from.0));
        }
        if let Some(before) = self.before {
            sql.push(" AND e.id < ").push_bind(number(before.0));
        }
        if let Some(askers) = &self.askers {
            sql.push(" AND e.asker IN (SELECT value FROM json_each(");
            sql.push_bind(list(askers.iter().map(|id| id.0))).push("))");
        }
        if let Some(role) = self.role {
            sql.push(" AND e.role = ").push_bind(number(role.0));
        }
        if let Some(made) = &self.eligibilities {
            sql.push(" AND e.eligibility IN (SELECT value FROM json_each(");
            sql.push_bind(list(made.iter().map(|id| id.0))).push("))");
        }
        if let Some(state) = &self.state {
            sql.push(" AND e.state = ").push_bind(state.clone());
        }
        if let Some(numbers) = &self.numbers {
            sql.push(if numbers.is_empty() { " AND (FALSE" } else { " AND (" });
            for (n, range) in numbers.iter().enumerate() {
                sql.push(if n == 0 { "e.id >= " } else { " OR e.id >= " }).push_bind(number(range.start));
                sql.push(" AND e.id < ").push_bind(number(range.end));
            }
            sql.push(")");
        }
        if let Some((from, to)) = self.between {
            sql.push(" AND e.ended >= ").push_bind(micros(from)).push(" AND e.began <= ").push_bind(micros(to));
        }
        if let Some(seen) = &self.seen {
            seen.condition(sql, one_by_one);
        }
    }
}

impl Seen {
    /// One by one where few are looked at; else by the indexes of what one may see, so that nobody pays for what they don't.
    fn condition(&self, sql: &mut QueryBuilder<Sqlite>, one_by_one: bool) {
        if one_by_one {
            let (person, scopes) = (number(self.person.0), list(self.scopes.iter().map(|id| id.0)));
            sql.push(" AND (e.asker = ").push_bind(person);
            sql.push(" OR e.scope IN (SELECT value FROM json_each(").push_bind(scopes);
            sql.push(")) OR EXISTS (SELECT 1 FROM past_approvers a WHERE a.elevation = e.id AND a.person = ");
            sql.push_bind(person).push("))");
        } else {
            sql.push(" AND e.id IN (");
            self.elevations(sql);
            sql.push(")");
        }
    }

    /// Selects the ids of all of them, by the indexes.
    pub(crate) fn elevations(&self, sql: &mut QueryBuilder<Sqlite>) {
        let (person, scopes) = (number(self.person.0), list(self.scopes.iter().map(|id| id.0)));
        sql.push("SELECT id FROM past_elevations WHERE asker = ").push_bind(person);
        sql.push(" UNION ALL SELECT elevation FROM past_approvers WHERE person = ").push_bind(person);
        sql.push(" UNION ALL SELECT id FROM past_elevations WHERE scope IN (SELECT value FROM json_each(");
        sql.push_bind(scopes).push("))");
    }
}

/// What is over and yet in memory: what was there lately, and grants that are named.
pub(crate) async fn kept_in_memory(
    connection: &mut SqliteConnection,
    named: Vec<GrantId>,
    since: Timestamp,
) -> Result<Vec<String>, StoreError> {
    let named = list(named.into_iter().map(|id| id.0));
    let kept = "WITH kept AS MATERIALIZED (SELECT id FROM past_elevations WHERE spent >= ?1
         UNION SELECT elevation FROM past_grants WHERE id IN (SELECT value FROM json_each(?2)))
         SELECT body FROM past_elevations WHERE id IN kept
         UNION ALL SELECT body FROM past_demands WHERE elevation IN kept
         UNION ALL SELECT body FROM past_grants WHERE elevation IN kept";
    Ok(sqlx::query_scalar(kept).bind(micros(since)).bind(named).fetch_all(connection).await?)
}

impl Store {
    /// Puts into a World what is wanted and not there: elevations with their grants, and every text that these name.
    ///
    /// # Errors
    /// When the database fails or a row can't be read.
    pub async fn recall(&self, world: &mut World, wanted: Recall) -> Result<(), StoreError> {
        let Recall { elevations, grants, texts: mut named } = wanted.missing(world);
        let mut rows: Vec<Row> = Vec::new();
        if !elevations.is_empty() || !grants.is_empty() {
            let bodies: Vec<String> = sqlx::query_scalar(
                "WITH wanted AS MATERIALIZED (SELECT value AS id FROM json_each(?1)
                 UNION SELECT elevation FROM past_grants WHERE id IN (SELECT value FROM json_each(?2)))
                 SELECT body FROM past_elevations WHERE id IN wanted
                 UNION ALL SELECT body FROM past_demands WHERE elevation IN wanted
                 UNION ALL SELECT body FROM past_grants WHERE elevation IN wanted",
            )
            .bind(list(elevations.iter().map(|id| id.0)))
            .bind(list(grants.iter().map(|id| id.0)))
            .fetch_all(&self.read)
            .await?;
            for body in bodies {
                named.extend(digests_in(&body));
                rows.push(serde_json::from_str(&body).map_err(|error| StoreError::Ledger(error.to_string()))?);
            }
        }
        let named = Recall { texts: named, ..Recall::default() }.missing(world).texts;
        let texts = texts::wherever(&self.read, &named).await?;
        world.recall(rows, texts);
        Ok(())
    }

    /// Up to `most` elevations that are over, newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn past(&self, wanted: &Past, most: usize) -> Result<Vec<ElevationId>, StoreError> {
        if wanted.seen.is_some() && !wanted.is_narrow() {
            // Who sees much has enough of it among the newest; who sees little finds it by the indexes of that.
            let newest: Option<i64> = sqlx::query_scalar("SELECT MAX(id) FROM past_elevations WHERE id < ?1")
                .bind(wanted.before.map_or(i64::MAX, |before| number(before.0)))
                .fetch_one(&self.read)
                .await?;
            let from = newest.map_or(0, unsigned).saturating_sub(NEWEST);
            let newest = Past { from: Some(ElevationId(from)), ..wanted.clone() };
            let found = self.found(&newest, most).await?;
            if found.len() == most {
                return Ok(found);
            }
        }
        self.found(wanted, most).await
    }

    async fn found(&self, wanted: &Past, most: usize) -> Result<Vec<ElevationId>, StoreError> {
        let mut find = QueryBuilder::<Sqlite>::new("SELECT e.id FROM past_elevations e");
        wanted.conditions(&mut find, wanted.is_narrow());
        // By whatever index leaves few, which going through them in their order would not use.
        find.push(if wanted.is_narrow() { " ORDER BY +e.id" } else { " ORDER BY e.id" });
        find.push(" DESC LIMIT ").push_bind(i64::try_from(most).unwrap_or(i64::MAX));
        let found: Vec<i64> = find.build_query_scalar().fetch_all(&self.read).await?;
        Ok(found.into_iter().map(|id| ElevationId(unsigned(id))).collect())
    }

    /// How many elevations are over.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn count_past(&self, wanted: &Past) -> Result<usize, StoreError> {
        let mut count = QueryBuilder::<Sqlite>::new("SELECT COUNT(*) FROM past_elevations e");
        wanted.conditions(&mut count, wanted.is_narrow());
        let count: i64 = count.build_query_scalar().fetch_one(&self.read).await?;
        Ok(usize::try_from(count).unwrap_or(0))
    }

    /// What happened of what is over, on some days (UTC).
    ///
    /// # Errors
    /// When the database fails.
    pub async fn past_days(&self, seen: Option<Seen>, days: RangeInclusive<Date>) -> Result<Days, StoreError> {
        let [from, to] = [*days.start(), *days.end()].map(|day| micros(beginning_of(day)));
        let middle = from.midpoint(to);
        // Side by side: each goes through all that ended in its half.
        let (first, second) =
            try_join(self.past_spans(&seen, from, middle), self.past_spans(&seen, middle, i64::MAX)).await?;
        let mut asked: BTreeMap<Date, u32> = BTreeMap::new();
        let mut in_force = Vec::new();
        for (asked_at, began, ended, opened) in first.into_iter().chain(second) {
            if asked_at >= from {
                *asked.entry(day_of(time(asked_at))).or_default() += 1;
            }
            if opened == 1 {
                in_force.push((time(began), time(ended)));
            }
        }
        Ok(Days { asked, in_force })
    }

    /// When those that ended between two times were asked, began and ended, and whether they were opened.
    async fn past_spans(
        &self,
        seen: &Option<Seen>,
        from: i64,
        to: i64,
    ) -> Result<Vec<(i64, i64, i64, i64)>, StoreError> {
        let mut spans = QueryBuilder::<Sqlite>::new(
            "SELECT json_group_array(json_array(e.asked_at, e.began, e.ended, e.opened)) FROM past_elevations e WHERE e.ended >= ",
        );
        spans.push_bind(from).push(" AND e.ended < ").push_bind(to);
        if let Some(seen) = seen {
            seen.condition(&mut spans, true);
        }
        let spans: String = spans.build_query_scalar().fetch_one(&self.read).await?;
        serde_json::from_str(&spans).map_err(|error| StoreError::Ledger(error.to_string()))
    }

    /// When some people answered asks that are over, from `from` on.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn past_answers(
        &self,
        people: &BTreeSet<SubjectId>,
        from: Timestamp,
    ) -> Result<Vec<(SubjectId, Timestamp)>, StoreError> {
        let found = sqlx::query(
            "SELECT person, at FROM past_answers WHERE at >= ?1 AND person IN (SELECT value FROM json_each(?2))",
        )
        .bind(micros(from))
        .bind(list(people.iter().map(|id| id.0)))
        .fetch_all(&self.read)
        .await?;
        let line = |row: &SqliteRow| Ok((SubjectId(unsigned(row.try_get(0)?)), time(row.try_get(1)?)));
        Ok(found.iter().map(line).collect::<Result<_, sqlx::Error>>()?)
    }

    /// How long a yes took from its ask, in seconds, for the last `most` elevations that are over.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn past_yes(&self, most: u32) -> Result<Vec<i64>, StoreError> {
        Ok(sqlx::query_scalar(
            "SELECT (a.at - e.asked_at) / 1000000 FROM (SELECT id, asked_at FROM past_elevations ORDER BY id DESC LIMIT ?1) e
             JOIN past_answers a ON a.elevation = e.id WHERE a.yes",
        )
        .bind(most)
        .fetch_all(&self.read)
        .await?)
    }
}
