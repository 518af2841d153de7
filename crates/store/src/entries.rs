//! Finding facts by what they are by and about, without reading all of them.

use jiff::Timestamp;
use sqlx::{QueryBuilder, Row as _, Sqlite, SqliteConnection, sqlite::SqliteRow};
use tempestas_core::{Actor, ElevationId, Fact, SubjectId};

use crate::{Seen, StoreError, ledger::Entry, micros, number, open::Store, past::list, unsigned};

/// Facts entered by one statement.
const TOGETHER: usize = 500;

/// Which facts.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Wanted {
    /// Only those before this number.
    pub before: Option<u64>,
    /// Only of this kind.
    pub kind: Option<String>,
    /// Only by, or about, this person, group or program.
    pub who: Option<SubjectId>,
    /// Only about this elevation.
    pub elevation: Option<ElevationId>,
    /// Only what somebody may see.
    pub seen: Option<SeenFacts>,
    /// Only from then on.
    pub since: Option<Timestamp>,
    /// Only up to then.
    pub until: Option<Timestamp>,
}

/// What somebody may see of the record: what they did themselves, what is about elevations that they see, and about scopes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SeenFacts {
    /// Who, and where; of elevations that are over that tells which.
    pub seen: Seen,
    /// Those that are not over.
    pub active: Vec<ElevationId>,
}

/// What is entered of a fact.
pub(crate) struct Line {
    seq: u64,
    at: i64,
    kind: String,
    by: Option<i64>,
    subject: Option<i64>,
    elevation: Option<i64>,
    scope: Option<i64>,
}

impl Line {
    pub(crate) fn of(seq: u64, fact: &Fact) -> Self {
        let about = fact.what.about();
        let by = match fact.by {
            Actor::Subject(by) => Some(number(by.0)),
            _ => None,
        };
        Self {
            seq,
            at: micros(fact.at),
            kind: fact.what.kind().to_owned(),
            by,
            subject: about.subject.map(|subject| number(subject.0)),
            elevation: about.elevation.map(|elevation| number(elevation.0)),
            scope: about.scope.map(|scope| number(scope.0)),
        }
    }

    /// Whether the columns of a row are this; none of them are where it was not entered.
    pub(crate) fn is_entered(&self, row: &SqliteRow) -> Result<bool, sqlx::Error> {
        let column = |name: &str| row.try_get::<Option<i64>, _>(name);
        let kind: Option<String> = row.try_get("kind")?;
        Ok(kind.as_ref() == Some(&self.kind)
            && column("at")? == Some(self.at)
            && column("by")? == self.by
            && column("subject")? == self.subject
            && column("elevation")? == self.elevation
            && column("scope")? == self.scope)
    }
}

/// Enters facts; one that is there already stays.
pub(crate) async fn enter(connection: &mut SqliteConnection, lines: &[Line]) -> Result<(), sqlx::Error> {
    for some in lines.chunks(TOGETHER) {
        let mut insert = QueryBuilder::<Sqlite>::new(
            "INSERT OR IGNORE INTO entries (seq, at, kind, by, subject, elevation, scope) ",
        );
        insert.push_values(some, |mut row, line| {
            row.push_bind(number(line.seq))
                .push_bind(line.at)
                .push_bind(&line.kind)
                .push_bind(line.by)
                .push_bind(line.subject)
                .push_bind(line.elevation)
                .push_bind(line.scope);
        });
        insert.build().execute(&mut *connection).await?;
    }
    Ok(())
}

/// Enters the facts that an earlier edition wrote without.
pub(crate) async fn catch_up(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    loop {
        let rows = sqlx::query(
            "SELECT seq, body FROM facts WHERE seq > COALESCE((SELECT MAX(seq) FROM entries), -1) ORDER BY seq LIMIT 2000",
        )
        .fetch_all(&mut *connection)
        .await?;
        if rows.is_empty() {
            return Ok(());
        }
        let line = |row: SqliteRow| -> Result<Line, StoreError> {
            let (seq, body): (i64, Vec<u8>) = (row.try_get(0)?, row.try_get(1)?);
            Ok(Line::of(unsigned(seq), &Fact::from_bytes(&body).map_err(StoreError::Ledger)?))
        };
        let lines = rows.into_iter().map(line).collect::<Result<Vec<_>, _>>()?;
        enter(connection, &lines).await?;
    }
}

impl Wanted {
    /// What narrows the facts down by an index, each way by itself: a fact is wanted that comes by any of them.
    fn ways(&self) -> Vec<Way> {
        match (self.who, self.elevation, &self.seen) {
            (Some(who), ..) => vec![Way::By(who), Way::About(who)],
            (None, Some(elevation), _) => vec![Way::Of(elevation)],
            (None, None, Some(seen)) => {
                vec![Way::By(seen.seen.person), Way::Scopes(seen.clone()), Way::Elevations(seen.clone())]
            }
            (None, None, None) => vec![Way::All],
        }
    }

    fn conditions(&self, sql: &mut QueryBuilder<Sqlite>) {
        sql.push(" AND e.seq < ").push_bind(self.before.map_or(i64::MAX, number));
        if let Some(kind) = &self.kind {
            sql.push(" AND e.kind = ").push_bind(kind.clone());
        }
        if let Some(elevation) = self.elevation {
            sql.push(" AND e.elevation = ").push_bind(number(elevation.0));
        }
        if let Some(since) = self.since {
            sql.push(" AND e.seq >= (SELECT MIN(seq) FROM entries WHERE at >= ").push_bind(micros(since)).push(")");
        }
        if let Some(until) = self.until {
            sql.push(" AND e.seq <= (SELECT MAX(seq) FROM entries WHERE at <= ").push_bind(micros(until)).push(")");
        }
    }
}

/// An index by which facts are found.
enum Way {
    All,
    By(SubjectId),
    About(SubjectId),
    Of(ElevationId),
    Scopes(SeenFacts),
    Elevations(SeenFacts),
}

impl Way {
    fn condition(&self, sql: &mut QueryBuilder<Sqlite>) {
        match self {
            Self::All => drop(sql.push("TRUE")),
            Self::By(who) => drop(sql.push("e.by = ").push_bind(number(who.0))),
            Self::About(who) => drop(sql.push("e.subject = ").push_bind(number(who.0))),
            Self::Of(elevation) => drop(sql.push("e.elevation = ").push_bind(number(elevation.0))),
            Self::Scopes(seen) => {
                sql.push("e.scope IN (SELECT value FROM json_each(");
                sql.push_bind(list(seen.seen.scopes.iter().map(|id| id.0))).push("))");
            }
            Self::Elevations(seen) => {
                sql.push("e.elevation IN (SELECT value FROM json_each(");
                sql.push_bind(list(seen.active.iter().map(|id| id.0))).push(") UNION ALL ");
                seen.seen.elevations(sql);
                sql.push(")");
            }
        }
    }
}

impl Store {
    /// Up to `most` facts that are wanted, newest first.
    ///
    /// # Errors
    /// When the database fails or a fact can't be read.
    pub async fn find_facts(&self, wanted: &Wanted, most: u32) -> Result<Vec<Entry>, StoreError> {
        let mut find = QueryBuilder::<Sqlite>::new("SELECT f.seq, f.body FROM facts f WHERE f.seq IN (");
        for (n, way) in wanted.ways().iter().enumerate() {
            // As many by each way as are wanted in all, so that nobody's long history is gathered to show the end of it.
            find.push(if n == 0 { "SELECT seq FROM (" } else { " UNION SELECT seq FROM (" });
            find.push("SELECT e.seq FROM entries e WHERE ");
            way.condition(&mut find);
            wanted.conditions(&mut find);
            find.push(" ORDER BY e.seq DESC LIMIT ").push_bind(most).push(")");
        }
        find.push(") ORDER BY f.seq DESC LIMIT ").push_bind(most);
        let rows = find.build().fetch_all(&self.read).await?;
        // Facts are fat: reading many of them keeps nobody else's reply waiting.
        let read = move || rows.iter().map(Entry::of).collect();
        tokio::task::spawn_blocking(read).await.map_err(|_| StoreError::Ledger("reading facts broke off".to_owned()))?
    }
}
