//! Programs that wait to be let in (RFC 8628).

use jiff::Timestamp;
use sqlx::{Row as _, sqlite::SqliteRow};
use tempestas_core::{Digest, SubjectId};

use crate::{Proven, StoreError, micros, number, open::Store, sign_ins::under, time, unsigned};

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
    pub let_in_by: Option<Proven>,
    /// Whether somebody refused it.
    pub refused: bool,
}

fn device_ask(row: &SqliteRow) -> Result<DeviceAsk, sqlx::Error> {
    let named: Option<Vec<u8>> = row.try_get("under")?;
    Ok(DeviceAsk {
        code: row.try_get("code")?,
        program: row.try_get("program")?,
        host: row.try_get("host")?,
        address: row.try_get("address")?,
        asked_at: time(row.try_get("asked_at")?),
        expires: time(row.try_get("expires")?),
        polled_at: time(row.try_get("polled_at")?),
        let_in_by: row
            .try_get::<Option<i64>, _>("person")?
            .map(|person| Proven { person: SubjectId(unsigned(person)), under: under(named.unwrap_or_default()) }),
        refused: row.try_get::<i64, _>("refused")? != 0,
    })
}

impl Store {
    /// Keeps a program's wish to be let in. False where its code is taken.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn keep_device_ask(&self, device: Digest, ask: &DeviceAsk) -> Result<bool, StoreError> {
        let mut write = self.passing.write.lock().await;
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
        Ok(sqlx::query_scalar(good).bind(micros(now)).fetch_all(&self.passing.read).await?)
    }

    /// The program that waits with this code.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn device_ask(&self, code: &str) -> Result<Option<DeviceAsk>, StoreError> {
        let row = sqlx::query("SELECT * FROM device_asks WHERE code = ?1")
            .bind(code)
            .fetch_optional(&self.passing.read)
            .await?;
        Ok(row.as_ref().map(device_ask).transpose()?)
    }

    /// Lets a program in, or refuses it. False where somebody settled it before.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn settle_device_ask(&self, code: &str, by: Option<Proven>) -> Result<bool, StoreError> {
        let mut write = self.passing.write.lock().await;
        let done = sqlx::query(
            "UPDATE device_asks SET person = ?2, refused = ?3, under = ?4 WHERE code = ?1 AND person IS NULL AND refused = 0",
        )
        .bind(code)
        .bind(by.map(|by| number(by.person.0)))
        .bind(i64::from(by.is_none()))
        .bind(by.map(|by| by.under.0.to_vec()))
        .execute(&mut *write)
        .await?;
        Ok(done.rows_affected() == 1)
    }

    /// A program asks how it stands; what it was before is returned. Once let in or refused, it is forgotten.
    ///
    /// # Errors
    /// When the database fails.
    pub async fn poll_device_ask(&self, device: Digest, now: Timestamp) -> Result<Option<DeviceAsk>, StoreError> {
        let mut write = self.passing.write.lock().await;
        let row = sqlx::query("SELECT * FROM device_asks WHERE device = ?1")
            .bind(device.0.as_slice())
            .fetch_optional(&mut *write)
            .await?;
        let Some(ask) = row.as_ref().map(device_ask).transpose()? else { return Ok(None) };
        let sql = if ask.let_in_by.is_some() || ask.refused {
            "DELETE FROM device_asks WHERE device = ?1 AND ?2 = ?2"
        } else {
            "UPDATE device_asks SET polled_at = ?2 WHERE device = ?1"
        };
        sqlx::query(sql).bind(device.0.as_slice()).bind(micros(now)).execute(&mut *write).await?;
        Ok(Some(ask))
    }
}
