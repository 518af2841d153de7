//! Entering what is over, with columns beside it for whoever looks for some of it.

use std::collections::{BTreeMap, BTreeSet};

use sqlx::{QueryBuilder, Row as _, Sqlite, SqliteConnection, sqlite::SqliteRow};
use tempestas_core::{Elevation, ElevationId, Grant, GrantId, Row, Verdict};

use super::{is_past, list};
use crate::{StoreError, ledger::row_body, micros, number, texts, unsigned};

/// Elevations entered by one statement.
const TOGETHER: usize = 100;

/// What is entered of an elevation beside its body.
#[derive(Debug, PartialEq, Eq)]
struct Columns {
    numbers: [i64; 10],
    state: String,
}

/// The columns of [`Columns::numbers`], in order.
const NUMBERS: [&str; 10] =
    ["id", "asker", "scope", "role", "eligibility", "asked_at", "began", "ended", "spent", "opened"];

impl Columns {
    fn of(elevation: &Elevation, grant: Option<&Grant>) -> Self {
        let (began, ended) = elevation.lasted(grant);
        let spent = grant.map_or(elevation.asked_at, Grant::spent_at);
        let ids = [elevation.id.0, elevation.asker.0, elevation.right.scope.0, elevation.right.role.0];
        let [id, asker, scope, role] = ids.map(number);
        let [asked_at, began, ended, spent] = [elevation.asked_at, began, ended, spent].map(micros);
        let eligibility = number(elevation.eligibility.0);
        let opened = i64::from(grant.is_some());
        let numbers = [id, asker, scope, role, eligibility, asked_at, began, ended, spent, opened];
        Self { numbers, state: elevation.phase.to_string() }
    }

    fn read(row: &SqliteRow) -> Result<Self, sqlx::Error> {
        let mut numbers = [0; 10];
        for (number, name) in numbers.iter_mut().zip(NUMBERS) {
            *number = row.try_get(name)?;
        }
        Ok(Self { numbers, state: row.try_get("state")? })
    }
}

fn approvers(elevation: &Elevation) -> BTreeSet<[i64; 2]> {
    elevation.everybody_asked().map(|person| [number(person.0), number(elevation.id.0)]).collect()
}

fn answers(elevation: &Elevation) -> BTreeSet<[i64; 4]> {
    let all = elevation.answers();
    let line = |answer: &tempestas_core::Answer| {
        let yes = i64::from(answer.verdict == Verdict::Yes);
        [number(elevation.id.0), number(answer.by.0), micros(answer.at), yes]
    };
    all.map(line).collect()
}

/// Enters what is over, in the place of what stood there of the same; it is no row of the present any more.
pub(crate) async fn enter(into: &mut SqliteConnection, rows: &[&Row]) -> Result<(), StoreError> {
    let (mut elevations, mut grants) = (Vec::new(), BTreeMap::new());
    for row in rows {
        match row {
            Row::Elevation(elevation) => elevations.push((elevation, row_body(row))),
            Row::Grant(grant) => drop(grants.insert(grant.id, (grant, row_body(row)))),
            _ => {}
        }
    }
    let of_elevations = elevations.iter().flat_map(|(elevation, _)| elevation.own_texts());
    let own_texts = of_elevations.chain(grants.values().flat_map(|(grant, _)| grant.own_texts())).collect();
    let before = entered_before(into, &elevations.iter().map(|(one, _)| *one).collect::<Vec<_>>(), &grants).await?;
    for some in elevations.chunks(TOGETHER) {
        let insert = format!("INSERT OR REPLACE INTO past_elevations ({}, state, body) ", NUMBERS.join(", "));
        let mut insert = QueryBuilder::<Sqlite>::new(insert);
        insert.push_values(some, |mut values, (elevation, body)| {
            let now = |id| grants.get(id).map(|(grant, _)| *grant).or_else(|| before.get(id));
            let grant = elevation.grants.first().and_then(now);
            let columns = Columns::of(elevation, grant);
            for number in columns.numbers {
                values.push_bind(number);
            }
            values.push_bind(columns.state).push_bind(body);
        });
        insert.build().execute(&mut *into).await?;
        enter_pairs(into, some.iter().map(|(elevation, _)| *elevation)).await?;
    }
    for some in grants.values().collect::<Vec<_>>().chunks(TOGETHER) {
        let mut insert = QueryBuilder::<Sqlite>::new("INSERT OR REPLACE INTO past_grants (id, elevation, body) ");
        insert.push_values(some, |mut values, (grant, body)| {
            values.push_bind(number(grant.id.0)).push_bind(number(grant.elevation.0)).push_bind(body);
        });
        insert.build().execute(&mut *into).await?;
    }
    let elevations = list(elevations.iter().map(|(elevation, _)| elevation.id.0));
    sqlx::query(
        "INSERT OR REPLACE INTO past_demands (elevation, body) SELECT CAST(id AS INTEGER), body FROM rows
         WHERE kind = 'demand' AND id IN (SELECT CAST(value AS TEXT) FROM json_each(?1))",
    )
    .bind(&elevations)
    .execute(&mut *into)
    .await?;
    let grants = list(grants.keys().map(|id| id.0));
    for (kind, ids) in [("elevation", &elevations), ("demand", &elevations), ("grant", &grants)] {
        let cut = "DELETE FROM rows WHERE kind = ?1 AND id IN (SELECT CAST(value AS TEXT) FROM json_each(?2))";
        sqlx::query(cut).bind(kind).bind(ids).execute(&mut *into).await?;
    }
    texts::set_apart(into, &own_texts).await
}

/// The grants of elevations that were entered before these: while somebody had to look at what was done.
async fn entered_before(
    into: &mut SqliteConnection,
    elevations: &[&Elevation],
    now: &BTreeMap<GrantId, (&Grant, String)>,
) -> Result<BTreeMap<GrantId, Grant>, StoreError> {
    let missing = elevations.iter().flat_map(|one| &one.grants).filter(|id| !now.contains_key(id));
    let missing: Vec<u64> = missing.map(|id| id.0).collect();
    if missing.is_empty() {
        return Ok(BTreeMap::new());
    }
    let bodies: Vec<String> =
        sqlx::query_scalar("SELECT body FROM past_grants WHERE id IN (SELECT value FROM json_each(?1))")
            .bind(list(missing))
            .fetch_all(into)
            .await?;
    let grants = bodies.iter().filter_map(|body| match serde_json::from_str(body) {
        Ok(Row::Grant(grant)) => Some((grant.id, grant)),
        _ => None,
    });
    Ok(grants.collect())
}

/// Enters who was asked about some elevations, and who answered.
async fn enter_pairs<'e>(
    into: &mut SqliteConnection,
    elevations: impl Iterator<Item = &'e Elevation> + Clone,
) -> Result<(), sqlx::Error> {
    let asked: Vec<_> = elevations.clone().flat_map(approvers).collect();
    for some in asked.chunks(TOGETHER) {
        let mut insert = QueryBuilder::<Sqlite>::new("INSERT OR IGNORE INTO past_approvers (person, elevation) ");
        insert.push_values(some, |mut values, [person, elevation]| {
            values.push_bind(*person).push_bind(*elevation);
        });
        insert.build().execute(&mut *into).await?;
    }
    let answered: Vec<_> = elevations.flat_map(answers).collect();
    for some in answered.chunks(TOGETHER) {
        let insert = "INSERT OR IGNORE INTO past_answers (elevation, person, at, yes) ";
        let mut insert = QueryBuilder::<Sqlite>::new(insert);
        insert.push_values(some, |mut values, [elevation, person, at, yes]| {
            values.push_bind(*elevation).push_bind(*person).push_bind(*at).push_bind(*yes);
        });
        insert.build().execute(&mut *into).await?;
    }
    Ok(())
}

/// Sets apart what an earlier edition left among the rows of the present.
pub(crate) async fn set_apart(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    let bodies: Vec<String> = sqlx::query_scalar("SELECT body FROM rows WHERE kind IN ('elevation', 'grant')")
        .fetch_all(&mut *connection)
        .await?;
    // One that can't be read is named where the World is loaded.
    let rows: Vec<Row> = bodies.iter().filter_map(|body| serde_json::from_str(body).ok()).filter(is_past).collect();
    if rows.is_empty() {
        return Ok(());
    }
    let mut tx = sqlx::Connection::begin(connection).await?;
    enter(&mut tx, &rows.iter().collect::<Vec<_>>()).await?;
    tx.commit().await?;
    Ok(())
}

/// Elevations that are entered as something else than they are.
pub(crate) async fn misplaced(connection: &mut SqliteConnection) -> Result<BTreeSet<ElevationId>, StoreError> {
    let mut wrong = BTreeSet::new();
    let (mut asked, mut answered) = (BTreeSet::new(), BTreeSet::new());
    let rows = "SELECT e.*, g.body AS grant_body FROM past_elevations e LEFT JOIN past_grants g ON g.elevation = e.id";
    for row in sqlx::query(rows).fetch_all(&mut *connection).await? {
        let grant: Option<String> = row.try_get("grant_body")?;
        let grant = grant.and_then(|body| serde_json::from_str(&body).ok());
        let grant = if let Some(Row::Grant(grant)) = &grant { Some(grant) } else { None };
        // One that can't be read was named already.
        let Ok(Row::Elevation(elevation)) = serde_json::from_str(&row.try_get::<String, _>("body")?) else { continue };
        if Columns::of(&elevation, grant) != Columns::read(&row)? {
            wrong.insert(elevation.id);
        }
        asked.append(&mut approvers(&elevation));
        answered.append(&mut answers(&elevation));
    }
    let mut found = BTreeSet::new();
    for row in sqlx::query("SELECT person, elevation FROM past_approvers").fetch_all(&mut *connection).await? {
        found.insert([row.try_get(0)?, row.try_get(1)?]);
    }
    let id = |number: i64| ElevationId(unsigned(number));
    wrong.extend(asked.symmetric_difference(&found).map(|[_, elevation]| id(*elevation)));
    let mut found = BTreeSet::new();
    for row in sqlx::query("SELECT elevation, person, at, yes FROM past_answers").fetch_all(connection).await? {
        found.insert([row.try_get(0)?, row.try_get(1)?, row.try_get(2)?, row.try_get(3)?]);
    }
    wrong.extend(answered.symmetric_difference(&found).map(|[elevation, ..]| id(*elevation)));
    Ok(wrong)
}
