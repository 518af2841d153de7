//! What no fact may carry, and is written in the very commit of the fact that needs it: no state in between has one without the
//! other.

use jiff::Timestamp;
use sqlx::SqliteConnection;
use tempestas_core::{Digest, SubjectId};

use crate::{Passkey, Sealed, micros, number};

/// Something private that changes with a fact.
#[derive(Debug, Clone)]
pub enum Private {
    /// A sealed secret, in the place of one of the same owner and name.
    Sealed(Sealed),
    /// A sealed secret is there no more.
    Unsealed {
        /// Whose.
        owner: String,
        /// Which.
        name: String,
    },
    /// A person's password hash and sealed TOTP secret, in the place of all that they proved themselves with before.
    Credentials {
        /// Whose.
        person: SubjectId,
        /// Of the password.
        password_hash: String,
        /// Sealed.
        totp: Sealed,
    },
    /// A one-time secret to enrol with; an earlier one of the same person is void.
    Enrolment {
        /// Digest of the secret.
        secret: Digest,
        /// Whose.
        person: SubjectId,
        /// Good until then.
        expires: Timestamp,
    },
    /// A new passkey; one whose credential is known already stays as it is.
    Passkey(Passkey),
    /// A person's passkey is there no more.
    PasskeyDropped {
        /// Whose.
        person: SubjectId,
        /// Its credential.
        credential: Vec<u8>,
    },
}

impl Private {
    pub(crate) async fn write(&self, into: &mut SqliteConnection) -> Result<(), sqlx::Error> {
        match self {
            Self::Sealed(sealed) => sealed.write(into).await,
            Self::Unsealed { owner, name } => {
                let delete = sqlx::query("DELETE FROM sealed WHERE owner = ?1 AND name = ?2").bind(owner).bind(name);
                delete.execute(into).await.map(drop)
            }
            Self::Credentials { person, password_hash, totp } => {
                let person = number(person.0);
                sqlx::query("INSERT OR REPLACE INTO credentials (person, password_hash) VALUES (?1, ?2)")
                    .bind(person)
                    .bind(password_hash)
                    .execute(&mut *into)
                    .await?;
                totp.write(into).await?;
                // Sign-ins, and steps of the TOTP secret that were used, rest on credentials by name, so those are over.
                sqlx::query("DELETE FROM passkeys WHERE person = ?1").bind(person).execute(into).await.map(drop)
            }
            Self::Enrolment { secret, person, expires } => {
                let person = number(person.0);
                sqlx::query("DELETE FROM enrolments WHERE person = ?1").bind(person).execute(&mut *into).await?;
                sqlx::query("INSERT INTO enrolments (secret, person, expires) VALUES (?1, ?2, ?3)")
                    .bind(secret.0.as_slice())
                    .bind(person)
                    .bind(micros(*expires))
                    .execute(into)
                    .await
                    .map(drop)
            }
            Self::Passkey(passkey) => passkey.write(into).await,
            Self::PasskeyDropped { person, credential } => {
                sqlx::query("DELETE FROM passkeys WHERE person = ?1 AND credential = ?2")
                    .bind(number(person.0))
                    .bind(credential)
                    .execute(into)
                    .await
                    .map(drop)
            }
        }
    }
}
