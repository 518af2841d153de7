//! Who is signed in, and how.

use jiff::Timestamp;
use sqlx::{Row as _, sqlite::SqliteRow};
use tempestas_core::{Digest, Proof, ProofMethod, SubjectId};

use crate::{StoreError, micros, number, open::Store, sealed::named, time, unsigned};

/// A person's proven presence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SignIn {
    /// Its number.
    pub id: i64,
    /// Whose.
    pub person: SubjectId,
    /// From where.
    pub address: String,
    /// Since when.
    pub began_at: Timestamp,
    /// Last use.
    pub used_at: Timestamp,
    /// The last proof in it.
    pub proof: Option<Proof>,
    /// What kind of presence it is.
    pub kind: SignInKind,
    /// What names the credentials that it rests on: with others in their place it is over.
    pub under: Digest,
}

impl SignIn {
    /// Whose it is, and what it rests on.
    #[must_use]
    pub const fn proven(&self) -> Proven {
        Proven { person: self.person, under: self.under }
    }
}

/// Somebody who proved who they are, and what names the credentials that they did it with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Proven {
    /// Who.
    pub person: SubjectId,
    /// What names the credentials.
    pub under: Digest,
}

impl Proven {
    /// Somebody who gave the password of this hash.
    #[must_use]
    pub fn by(person: SubjectId, password_hash: &str) -> Self {
        Self { person, under: named(password_hash) }
    }
}

/// What kind of presence a sign-in is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SignInKind {
    /// A program that was given name, password and code.
    Token,
    /// The console, by cookie.
    Browser,
    /// A program let in by a code that its person typed into the console: it reads, and drafts.
    Device,
}

impl SignInKind {
    /// As the table keeps it.
    #[must_use]
    pub const fn word(self) -> &'static str {
        match self {
            Self::Token => "token",
            Self::Browser => "browser",
            Self::Device => "device",
        }
    }
}

/// What names credentials, from a row; what is none names no credentials.
pub(crate) fn under(bytes: Vec<u8>) -> Digest {
    bytes.try_into().map_or(Digest([0; 32]), Digest)
}

/// The last proof; none where how it was given is not known here.
fn proof(row: &SqliteRow) -> Result<Option<Proof>, sqlx::Error> {
    let (at, by): (Option<i64>, Option<String>) = (row.try_get("proven_at")?, row.try_get("proven_by")?);
    Ok(at.zip(by).and_then(|(at, by)| Some(Proof { at: time(at), method: by.parse().ok()? })))
}

fn sign_in(row: &SqliteRow) -> Result<SignIn, sqlx::Error> {
    Ok(SignIn {
        id: row.try_get("id")?,
        person: SubjectId(unsigned(row.try_get("person")?)),
        address: row.try_get("address")?,
        began_at: time(row.try_get("began_at")?),
        used_at: time(row.try_get("used_at")?),
        proof: proof(row)?,
        kind: match row.try_get::<String, _>("kind")?.as_str() {
            "token" => SignInKind::Token,
            "browser" => SignInKind::Browser,
            // Whatever is not known may do the least.
            _ => SignInKind::Device,
        },
        under: under(row.try_get("under")?),
    })
}

impl Store {
    /// Begins a sign-in, proven at that moment by some method; one of a device never is.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn begin_sign_in(
        &self,
        token: Digest,
        proven: Proven,
        address: &str,
        now: Timestamp,
        kind: SignInKind,
        method: Option<ProofMethod>,
    ) -> Result<i64, StoreError> {
        let mut write = self.passing.write.lock().await;
        let done = sqlx::query("INSERT INTO sign_ins (token, person, address, began_at, used_at, proven_at, kind, under, proven_by) VALUES (?1, ?2, ?3, ?4, ?4, ?5, ?6, ?7, ?8)")
            .bind(token.0.as_slice())
            .bind(number(proven.person.0))
            .bind(address)
            .bind(micros(now))
            .bind(method.map(|_| micros(now)))
            .bind(kind.word())
            .bind(proven.under.0.to_vec())
            .bind(method.map(<&str>::from))
            .execute(&mut *write)
            .await?;
        Ok(done.last_insert_rowid())
    }

    /// The sign-in that a token stands for, where the credentials are still those that it rests on.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sign_in(&self, token: Digest) -> Result<Option<SignIn>, StoreError> {
        let row = sqlx::query("SELECT * FROM sign_ins WHERE token = ?1")
            .bind(token.0.as_slice())
            .fetch_optional(&self.passing.read)
            .await?;
        let Some(found) = row.as_ref().map(sign_in).transpose()? else { return Ok(None) };
        let present = self.present_credentials(found.person).await?;
        Ok(Some(found).filter(|found| present == Some(found.under)))
    }

    /// Notes that a sign-in was used, or proven anew by some method.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn use_sign_in(&self, id: i64, now: Timestamp, method: Option<ProofMethod>) -> Result<(), StoreError> {
        let mut write = self.passing.write.lock().await;
        sqlx::query(
            "UPDATE sign_ins SET used_at = ?2, proven_at = CASE WHEN ?3 IS NULL THEN proven_at ELSE ?2 END,
             proven_by = COALESCE(?3, proven_by) WHERE id = ?1",
        )
        .bind(id)
        .bind(micros(now))
        .bind(method.map(<&str>::from))
        .execute(&mut *write)
        .await?;
        Ok(())
    }

    /// A person's sign-ins, newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn sign_ins(&self, person: SubjectId) -> Result<Vec<SignIn>, StoreError> {
        let rows = sqlx::query("SELECT * FROM sign_ins WHERE person = ?1 ORDER BY began_at DESC")
            .bind(number(person.0))
            .fetch_all(&self.passing.read)
            .await?;
        let mut found = rows.iter().map(sign_in).collect::<Result<Vec<_>, _>>()?;
        let present = self.present_credentials(person).await?;
        found.retain(|one| present == Some(one.under));
        Ok(found)
    }

    /// Ends a person's sign-in, or all of them. Returns how many there were.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn end_sign_ins(&self, person: SubjectId, id: Option<i64>) -> Result<u64, StoreError> {
        let mut write = self.passing.write.lock().await;
        let done = sqlx::query("DELETE FROM sign_ins WHERE person = ?1 AND (?2 IS NULL OR id = ?2)")
            .bind(number(person.0))
            .bind(id)
            .execute(&mut *write)
            .await?;
        Ok(done.rows_affected())
    }
}
