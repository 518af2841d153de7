//! Finding facts by what they are by and about, without reading all of them.

use jiff::Timestamp;
use sqlx::{QueryBuilder, Row as _, Sqlite, SqliteConnection, sqlite::SqliteRow};
use tempestas_core::{Actor, ElevationId, Fact, SubjectId};

use crate::{StoreError, ledger::Entry, micros, number, open::Store, unsigned};

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
    /// Only from then on.
    pub since: Option<Timestamp>,
    /// Only up to then.
    pub until: Option<Timestamp>,
}

/// What is entered of a fact.
pub(crate) struct Line {
    seq: u64,
    at: i64,
    kind: String,
    by: Option<i64>,
    subject: Option<i64>,
    elevation: Option<i64>,
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
            kind: fact.what.kind(),
            by,
            subject: about.subject.map(|subject| number(subject.0)),
            elevation: about.elevation.map(|elevation| number(elevation.0)),
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
            && column("elevation")? == self.elevation)
    }
}

/// Enters facts; one that is there already stays.
pub(crate) async fn enter(connection: &mut SqliteConnection, lines: &[Line]) -> Result<(), sqlx::Error> {
    for some in lines.chunks(TOGETHER) {
        let mut insert =
            QueryBuilder::<Sqlite>::new("INSERT OR IGNORE INTO entries (seq, at, kind, by, subject, elevation) ");
        insert.push_values(some, |mut row, line| {
            row.push_bind(number(line.seq))
                .push_bind(line.at)
                .push_bind(&line.kind)
                .push_bind(line.by)
                .push_bind(line.subject)
                .push_bind(line.elevation);
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

impl Store {
    /// Up to `most` facts that are wanted, newest first.
    ///
    /// # Errors
    /// When the database fails or a fact can't be read.
    pub async fn find_facts(&self, wanted: &Wanted, most: u32) -> Result<Vec<Entry>, StoreError> {
        let mut find = QueryBuilder::<Sqlite>::new(
            "SELECT f.seq, f.body FROM entries e JOIN facts f ON f.seq = e.seq WHERE e.seq < ",
        );
        find.push_bind(wanted.before.map_or(i64::MAX, number));
        if let Some(kind) = &wanted.kind {
            find.push(" AND e.kind = ").push_bind(kind);
        }
        if let Some(who) = wanted.who.map(|who| number(who.0)) {
            find.push(" AND e.seq IN (SELECT seq FROM entries WHERE by = ").push_bind(who);
            find.push(" UNION SELECT seq FROM entries WHERE subject = ").push_bind(who).push(")");
        }
        if let Some(elevation) = wanted.elevation {
            find.push(" AND e.elevation = ").push_bind(number(elevation.0));
        }
        if let Some(since) = wanted.since {
            find.push(" AND e.seq >= (SELECT MIN(seq) FROM entries WHERE at >= ").push_bind(micros(since)).push(")");
        }
        if let Some(until) = wanted.until {
            find.push(" AND e.seq <= (SELECT MAX(seq) FROM entries WHERE at <= ").push_bind(micros(until)).push(")");
        }
        find.push(" ORDER BY e.seq DESC LIMIT ").push_bind(most);
        let rows = find.build().fetch_all(&self.read).await?;
        // Facts are fat: reading many of them keeps nobody else's reply waiting.
        let read = move || rows.iter().map(Entry::of).collect();
        tokio::task::spawn_blocking(read).await.map_err(|_| StoreError::Ledger("reading facts broke off".to_owned()))?
    }
}
