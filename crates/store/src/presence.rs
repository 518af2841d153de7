//! How a person is present: passkeys, programs that wait to be let in, and what those drafted.

use jiff::Timestamp;
use sqlx::{Row as _, SqliteConnection, sqlite::SqliteRow};
use tempestas_core::{Digest, LookedAt, SubjectId};

use crate::{StoreError, micros, number, open::Store, time, unsigned};

/// Status of a draft that is being carried out; it stays so where the service ended meanwhile, and is not repeated.
const CLAIMED: u16 = 1;

/// A person's passkey.
#[derive(Debug, Clone)]
pub struct Passkey {
    /// Credential id.
    pub credential: Vec<u8>,
    /// Whose.
    pub person: SubjectId,
    /// As its person calls it.
    pub name: String,
    /// Public key and counters, as the WebAuthn library writes them.
    pub body: String,
    /// Since when.
    pub added_at: Timestamp,
    /// Last use.
    pub used_at: Option<Timestamp>,
}

/// A program that waits to be let in (RFC 8628).
#[derive(Debug, Clone)]
pub struct DeviceAsk {
    /// What the person types.
    pub code: String,
    /// The program, as it calls itself.
    pub program: String,
    /// The host it runs on, as it says.
    pub host: String,
    /// The network address it came from.
    pub address: String,
    /// Since when.
    pub asked_at: Timestamp,
    /// Good until then.
    pub expires: Timestamp,
    /// When it last asked whether it was let in.
    pub polled_at: Timestamp,
    /// Who let it in.
    pub person: Option<SubjectId>,
    /// Whether somebody refused it.
    pub refused: bool,
}

/// A request drafted by a device's sign-in.
#[derive(Debug, Clone)]
pub struct Draft {
    /// Its number.
    pub id: i64,
    /// Whose.
    pub person: SubjectId,
    /// HTTP method.
    pub method: String,
    /// Path.
    pub path: String,
    /// JSON body; empty where there is none.
    pub body: String,
    /// What its sender looked at, where it changes something in place.
    pub looked_at: Option<LookedAt>,
    /// When it was drafted.
    pub drawn_at: Timestamp,
    /// Status and body of the reply, once it was confirmed; status 0 where it was dropped.
    pub reply: Option<(u16, String)>,
}

fn passkey(row: &SqliteRow) -> Result<Passkey, sqlx::Error> {
    Ok(Passkey {
        credential: row.try_get("credential")?,
        person: SubjectId(unsigned(row.try_get("person")?)),
        name: row.try_get("name")?,
        body: row.try_get("body")?,
        added_at: time(row.try_get("added_at")?),
        used_at: row.try_get::<Option<i64>, _>("used_at")?.map(time),
    })
}

fn device_ask(row: &SqliteRow) -> Result<DeviceAsk, sqlx::Error> {
    Ok(DeviceAsk {
        code: row.try_get("code")?,
        program: row.try_get("program")?,
        host: row.try_get("host")?,
        address: row.try_get("address")?,
        asked_at: time(row.try_get("asked_at")?),
        expires: time(row.try_get("expires")?),
        polled_at: time(row.try_get("polled_at")?),
        person: row.try_get::<Option<i64>, _>("person")?.map(|person| SubjectId(unsigned(person))),
        refused: row.try_get::<i64, _>("refused")? != 0,
    })
}

fn draft(row: &SqliteRow) -> Result<Draft, sqlx::Error> {
    let status: Option<i64> = row.try_get("status")?;
    let reply: Option<String> = row.try_get("reply")?;
    let looked_at = match row.try_get::<Option<String>, _>("looked_at")?.as_deref() {
        None => None,
        Some("*") => Some(LookedAt::Nothing),
        Some(hex) => Some(LookedAt::This(Digest::from_hex(hex).map_err(|error| sqlx::Error::Decode(error.into()))?)),
    };
    Ok(Draft {
        looked_at,
        id: row.try_get("id")?,
        person: SubjectId(unsigned(row.try_get("person")?)),
        method: row.try_get("method")?,
        path: row.try_get("path")?,
        body: row.try_get("body")?,
        drawn_at: time(row.try_get("drawn_at")?),
        reply: status.map(|status| (u16::try_from(status).unwrap_or(500), reply.unwrap_or_default())),
    })
}

impl Passkey {
    pub(crate) async fn write(&self, into: &mut SqliteConnection) -> Result<(), sqlx::Error> {
        sqlx::query(
            "INSERT OR IGNORE INTO passkeys (credential, person, name, body, added_at) VALUES (?1, ?2, ?3, ?4, ?5)",
        )
        .bind(&self.credential)
        .bind(number(self.person.0))
        .bind(&self.name)
        .bind(&self.body)
        .bind(micros(self.added_at))
        .execute(into)
        .await
        .map(drop)
    }
}

impl Store {
    /// A person's passkeys, oldest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn passkeys(&self, person: SubjectId) -> Result<Vec<Passkey>, StoreError> {
        let rows = sqlx::query("SELECT * FROM passkeys WHERE person = ?1 ORDER BY added_at")
            .bind(number(person.0))
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(passkey).collect::<Result<_, _>>()?)
    }

    /// The passkey of a credential.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn passkey(&self, credential: &[u8]) -> Result<Option<Passkey>, StoreError> {
        let row = sqlx::query("SELECT * FROM passkeys WHERE credential = ?1")
            .bind(credential)
            .fetch_optional(&self.read)
            .await?;
        Ok(row.as_ref().map(passkey).transpose()?)
    }

    /// Notes a passkey's use, with the counters it came back with.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn use_passkey(&self, credential: &[u8], body: &str, now: Timestamp) -> Result<(), StoreError> {
        let mut write = self.write.lock().await;
        sqlx::query("UPDATE passkeys SET body = ?2, used_at = ?3 WHERE credential = ?1")
            .bind(credential)
            .bind(body)
            .bind(micros(now))
            .execute(&mut *write)
            .await?;
        Ok(())
    }

    /// Keeps a program's wish to be let in. False where its code is taken.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_device_ask(&self, device: Digest, ask: &DeviceAsk) -> Result<bool, StoreError> {
        let mut write = self.write.lock().await;
        let kept = sqlx::query("INSERT OR IGNORE INTO device_asks (device, code, program, host, address, asked_at, expires, polled_at) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)")
            .bind(device.0.as_slice())
            .bind(&ask.code)
            .bind(&ask.program)
            .bind(&ask.host)
            .bind(&ask.address)
            .bind(micros(ask.asked_at))
            .bind(micros(ask.expires))
            .bind(micros(ask.polled_at))
            .execute(&mut *write)
            .await?;
        Ok(kept.rows_affected() == 1)
    }

    /// The addresses of programs whose codes are still good, one for each code.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn device_askers(&self, now: Timestamp) -> Result<Vec<String>, StoreError> {
        let good = "SELECT address FROM device_asks WHERE expires > ?1";
        Ok(sqlx::query_scalar(good).bind(micros(now)).fetch_all(&self.read).await?)
    }

    /// The program that waits with this code.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn device_ask(&self, code: &str) -> Result<Option<DeviceAsk>, StoreError> {
        let row =
            sqlx::query("SELECT * FROM device_asks WHERE code = ?1").bind(code).fetch_optional(&self.read).await?;
        Ok(row.as_ref().map(device_ask).transpose()?)
    }

    /// Lets a program in, or refuses it. False where somebody settled it before.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn settle_device_ask(&self, code: &str, person: Option<SubjectId>) -> Result<bool, StoreError> {
        let mut write = self.write.lock().await;
        let done = sqlx::query(
            "UPDATE device_asks SET person = ?2, refused = ?3 WHERE code = ?1 AND person IS NULL AND refused = 0",
        )
        .bind(code)
        .bind(person.map(|person| number(person.0)))
        .bind(i64::from(person.is_none()))
        .execute(&mut *write)
        .await?;
        Ok(done.rows_affected() == 1)
    }

    /// A program asks how it stands; what it was before is returned. Once let in or refused, it is forgotten.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn poll_device_ask(&self, device: Digest, now: Timestamp) -> Result<Option<DeviceAsk>, StoreError> {
        let mut write = self.write.lock().await;
        let row = sqlx::query("SELECT * FROM device_asks WHERE device = ?1")
            .bind(device.0.as_slice())
            .fetch_optional(&mut *write)
            .await?;
        let Some(ask) = row.as_ref().map(device_ask).transpose()? else { return Ok(None) };
        let sql = if ask.person.is_some() || ask.refused {
            "DELETE FROM device_asks WHERE device = ?1 AND ?2 = ?2"
        } else {
            "UPDATE device_asks SET polled_at = ?2 WHERE device = ?1"
        };
        sqlx::query(sql).bind(device.0.as_slice()).bind(micros(now)).execute(&mut *write).await?;
        Ok(Some(ask))
    }

    /// Keeps a draft. Returns its number.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_draft(
        &self,
        person: SubjectId,
        method: &str,
        path: &str,
        body: &str,
        looked_at: Option<LookedAt>,
        now: Timestamp,
    ) -> Result<i64, StoreError> {
        let looked_at = looked_at.map(|looked_at| match looked_at {
            LookedAt::This(digest) => digest.to_string(),
            LookedAt::Nothing => "*".to_owned(),
        });
        let mut write = self.write.lock().await;
        let keep =
            "INSERT INTO drafts (person, method, path, body, drawn_at, looked_at) VALUES (?1, ?2, ?3, ?4, ?5, ?6)";
        let done = sqlx::query(keep)
            .bind(number(person.0))
            .bind(method)
            .bind(path)
            .bind(body)
            .bind(micros(now))
            .bind(looked_at)
            .execute(&mut *write)
            .await?;
        Ok(done.last_insert_rowid())
    }

    /// A person's drafts, newest first.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn drafts(&self, person: SubjectId) -> Result<Vec<Draft>, StoreError> {
        let rows = sqlx::query("SELECT * FROM drafts WHERE person = ?1 ORDER BY id DESC")
            .bind(number(person.0))
            .fetch_all(&self.read)
            .await?;
        Ok(rows.iter().map(draft).collect::<Result<_, _>>()?)
    }

    /// Claims an open draft, so that it is carried out once however often it is confirmed at the same moment. False
    /// where it isn't open.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn claim_draft(&self, id: i64) -> Result<bool, StoreError> {
        self.settle_draft(id, CLAIMED, "").await
    }

    /// Ends a claim: with the reply, or open again where it was refused.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn end_claim(&self, id: i64, reply: Option<(u16, &str)>) -> Result<(), StoreError> {
        let mut write = self.write.lock().await;
        sqlx::query("UPDATE drafts SET status = ?2, reply = ?3 WHERE id = ?1 AND status = ?4")
            .bind(id)
            .bind(reply.map(|(status, _)| i64::from(status)))
            .bind(reply.map(|(_, text)| text))
            .bind(i64::from(CLAIMED))
            .execute(&mut *write)
            .await?;
        Ok(())
    }

    /// Settles a draft with its reply, or with status 0 where it is dropped. False where that was done before.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn settle_draft(&self, id: i64, status: u16, reply: &str) -> Result<bool, StoreError> {
        let mut write = self.write.lock().await;
        let done = sqlx::query("UPDATE drafts SET status = ?2, reply = ?3 WHERE id = ?1 AND status IS NULL")
            .bind(id)
            .bind(i64::from(status))
            .bind(reply)
            .execute(&mut *write)
            .await?;
        Ok(done.rows_affected() == 1)
    }
}
