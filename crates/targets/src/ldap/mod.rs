//! A directory served over LDAP (RFC 4511): membership of groups.
//!
//! Where the server keeps entries with a time to live (RFC 2589), a grant is a group of one member that the server
//! itself removes, and a role is a group whose members are gathered from those. A single member of an ordinary group
//! can't lapse: that ends by us.

mod directory;
mod people;
mod survey;

use std::time::Duration;

use async_trait::async_trait;
use jiff::{SignedDuration, Timestamp};
use secrecy::SecretString;
use tempestas_core::{Imported, Mapping, Marked, Survey};

use crate::{GrantCall, LeftoverFound, ReadBack, StandingCall, TargetError, system::System};
use directory::{Directory, Entry, instant};

/// How long an ended grant is remembered, so that a late order is refused: the least that every server must allow.
const REMEMBERED: i64 = 86_400;
/// How much before its end an entry may lapse: a time to live is in whole seconds, and runs from when it is set.
const IN_TIME: SignedDuration = SignedDuration::from_secs(2);
/// What a membership that was there before is noted as.
const THERE_BEFORE: &str = "there-before";

/// How a directory is reached, and what of it is ours to write.
#[derive(Debug, Clone)]
pub(crate) struct Address {
    /// `ldap://…` on loopback, `ldaps://…` elsewhere.
    pub(crate) url: String,
    /// Whom we sign in as, as a distinguished name.
    pub(crate) user: String,
    /// Where people and groups are.
    pub(crate) base: String,
    /// Where what we make for grants lies.
    pub(crate) grants: String,
    /// How often the server sweeps entries whose time is over, in seconds, as its administrator set it.
    pub(crate) sweep: u32,
}

/// A directory.
pub(crate) struct Ldap {
    address: Address,
    secret: SecretString,
    mark: String,
}

impl Ldap {
    pub(crate) fn new(address: Address, secret: SecretString, installation: &str) -> Self {
        Self { address, secret, mark: format!("tempestas/{installation}/") }
    }

    async fn connect(&self) -> Result<Directory, TargetError> {
        Directory::connect(&self.address, &self.secret).await
    }

    fn grant_dn(&self, name: &str) -> String {
        format!("cn={},{}", ldap3::dn_escape(name), self.address.grants)
    }

    fn ended_dn(&self, name: &str) -> String {
        self.grant_dn(&format!("ended-{name}"))
    }

    /// A directory tells its time only by when something was written; so something is.
    async fn clock_of(&self, directory: &mut Directory) -> Result<Timestamp, TargetError> {
        let dn = self.grant_dn("tempestas-clock");
        let said = format!("{}clock {}", self.mark, Timestamp::now().as_microsecond());
        if !directory.replace(&dn, "description", &said).await? {
            directory
                .add(&dn, &[("objectClass", &["device"]), ("cn", &["tempestas-clock"]), ("description", &[&said])])
                .await?;
        }
        let entry = directory.entry(&dn, &["modifyTimestamp"]).await?;
        entry
            .and_then(|entry| instant(entry.one("modifyTimestamp")?))
            .ok_or_else(|| TargetError::Refused("it doesn't tell when an entry was changed".to_owned()))
    }

    /// Whether another grant put the same account into the same ordinary group; then the membership is that one's now.
    async fn covered(
        &self,
        directory: &mut Directory,
        own: &str,
        account: &str,
        role: &str,
    ) -> Result<bool, TargetError> {
        let filter = format!(
            "(&(objectClass=groupOfNames)(businessCategory={})(member={}))",
            ldap3::ldap_escape(role),
            ldap3::ldap_escape(account)
        );
        let others = directory.below(&self.address.grants, &filter, &["o"]).await?;
        let Some(other) = others.iter().find(|entry| !entry.dn.eq_ignore_ascii_case(own)) else { return Ok(false) };
        directory.replace(&other.dn, "o", "added").await?;
        Ok(true)
    }
}

#[async_trait]
impl System for Ldap {
    async fn survey(&self) -> Result<Survey, TargetError> {
        self.rights().await
    }

    async fn people(&self, mapping: &Mapping) -> Result<Option<Imported>, TargetError> {
        self.persons(mapping).await.map(Some)
    }

    async fn clock(&self) -> Result<Timestamp, TargetError> {
        let mut directory = self.connect().await?;
        self.clock_of(&mut directory).await
    }

    async fn check(&self) -> Result<Vec<String>, TargetError> {
        let mut directory = self.connect().await?;
        let mut missing = Vec::new();
        if directory.entry(&self.address.grants, &["1.1"]).await?.is_none() {
            missing.push(format!("`{}` is not there: add it, and let our account write below it", self.address.grants));
            return Ok(missing);
        }
        self.clock_of(&mut directory).await?;
        if !directory.lets_entries_lapse(&self.address.base).await? {
            missing.push(
                "it keeps no entries with a time to live (the overlay dds): every grant ends by us alone".to_owned(),
            );
            return Ok(missing);
        }
        // Not what is configured, but what happens: one entry is left to lapse.
        let dn = self.grant_dn("tempestas-sweep");
        let said = format!("{}sweep", self.mark);
        directory
            .add(
                &dn,
                &[
                    ("objectClass", &["device", "dynamicObject"]),
                    ("cn", &["tempestas-sweep"]),
                    ("description", &[&said]),
                ],
            )
            .await?;
        directory.refresh(&dn, 1).await?;
        let begun = tokio::time::Instant::now();
        let within = Duration::from_secs(u64::from(self.address.sweep) + 2);
        while directory.entry(&dn, &["1.1"]).await?.is_some() {
            if begun.elapsed() > within {
                directory.delete(&dn).await?;
                missing.push(format!(
                    "an entry was still there {} s after its time: set dds-interval to {} s or less, or say here how long it is",
                    within.as_secs(),
                    self.address.sweep
                ));
                break;
            }
            tokio::time::sleep(Duration::from_millis(200)).await;
        }
        Ok(missing)
    }

    async fn give(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let mut directory = self.connect().await?;
        if directory.entry(&self.ended_dn(&call.name), &["1.1"]).await?.is_some() {
            return Err(TargetError::Late);
        }
        let dn = self.grant_dn(&call.name);
        let account =
            call.account.as_deref().ok_or_else(|| TargetError::Refused("it needs an account there".to_owned()))?;
        let known = directory.entry(&dn, &["o", "description"]).await?;
        if known.as_ref().is_some_and(|known| attempt(known) >= call.attempt) {
            return Err(TargetError::Late);
        }
        let left = call.until.duration_since(self.clock_of(&mut directory).await?).as_secs();
        if left < 1 {
            return Err(TargetError::Refused("its end is past".to_owned()));
        }
        let role = directory.role(&self.address, &call.role).await?;
        let role = role.ok_or_else(|| TargetError::Refused("the group is not there".to_owned()))?;
        let ours = known.is_some_and(|known| known.one("o") == Some("added"));
        let before = !role.gathered && !ours && role.members.iter().any(|member| member.eq_ignore_ascii_case(account));
        let mark = format!("{}g{}", self.mark, call.grant);
        let tried = format!("attempt {}", call.attempt);
        let kind: &[&str] = if role.gathered { &["groupOfNames", "dynamicObject"] } else { &["groupOfNames"] };
        let how = match (role.gathered, before) {
            (true, _) => "gathered",
            (false, true) => THERE_BEFORE,
            (false, false) => "added",
        };
        directory.delete(&dn).await?;
        directory
            .add(
                &dn,
                &[
                    ("objectClass", kind),
                    ("cn", &[&call.name]),
                    ("businessCategory", &[&call.role]),
                    ("member", &[account]),
                    ("o", &[how]),
                    ("description", &[&mark, &tried]),
                ],
            )
            .await?;
        if role.gathered {
            // Until this the entry has the server's default time, which is short.
            let lives = directory.refresh(&dn, left).await?;
            if lives > left {
                directory.delete(&dn).await?;
                return Err(TargetError::Refused("it would keep the entry past its end: see dds-min-ttl".to_owned()));
            }
        } else if !before {
            directory.join(&role.dn, role.attribute, account).await?;
        }
        self.holds(call).await
    }

    /// Of an ordinary group's member the directory keeps no end: it stays until it is taken out.
    async fn prolong(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let before = self.holds(call).await?;
        let mut directory = self.connect().await?;
        let dn = self.grant_dn(&call.name);
        if !before.there || directory.entry(&self.ended_dn(&call.name), &["1.1"]).await?.is_some() {
            return Err(TargetError::Late);
        }
        let ends = async |directory: &mut Directory| {
            let entry = directory.entry(&dn, &["entryExpireTimestamp"]).await?;
            Ok::<_, TargetError>(entry.and_then(|entry| instant(entry.one("entryExpireTimestamp")?)))
        };
        if ends(&mut directory).await?.is_none_or(|ends| ends >= call.until - IN_TIME) {
            return Ok(before);
        }
        let left = call.until.duration_since(self.clock_of(&mut directory).await?).as_secs();
        directory.refresh(&dn, left).await?;
        let clock = self.clock_of(&mut directory).await?;
        let moved = ends(&mut directory).await?.is_some_and(|ends| ends <= call.until && ends >= call.until - IN_TIME);
        Ok(ReadBack { there: moved, clock })
    }

    async fn take(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let mut directory = self.connect().await?;
        // First what refuses a late order, then what it would bring back.
        let ended = self.ended_dn(&call.name);
        let name = format!("ended-{}", call.name);
        let mark = format!("{}ended", self.mark);
        let dynamic = directory.lets_entries_lapse(&self.address.base).await?;
        let kind: &[&str] = if dynamic { &["device", "dynamicObject"] } else { &["device"] };
        directory.add(&ended, &[("objectClass", kind), ("cn", &[&name]), ("description", &[&mark])]).await?;
        if dynamic {
            directory.refresh(&ended, REMEMBERED).await?;
        }
        let dn = self.grant_dn(&call.name);
        if let Some(kept) = directory.entry(&dn, &["member", "o", "businessCategory"]).await? {
            if kept.one("o") == Some("added")
                && let (Some(account), Some(role)) = (kept.one("member"), kept.one("businessCategory"))
                && !self.covered(&mut directory, &dn, account, role).await?
                && let Some(role) = directory.role(&self.address, role).await?
            {
                directory.leave(&role.dn, role.attribute, account).await?;
            }
            directory.delete(&dn).await?;
        }
        self.holds(call).await
    }

    async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let mut directory = self.connect().await?;
        let clock = self.clock_of(&mut directory).await?;
        let dn = self.grant_dn(&call.name);
        let Some(kept) = directory.entry(&dn, &["member", "o", "businessCategory", "entryExpireTimestamp"]).await?
        else {
            return Ok(ReadBack { there: false, clock });
        };
        let account = call.account.as_deref().unwrap_or_default();
        let same = kept.one("businessCategory") == Some(&call.role)
            && kept.one("member").is_some_and(|member| member.eq_ignore_ascii_case(account));
        // By when it ends, not by whether it is there: between its end and the next sweep it still is.
        let lives = match kept.one("entryExpireTimestamp").and_then(instant) {
            Some(ends) => ends > clock && ends <= call.until,
            None => match directory.role(&self.address, &call.role).await? {
                Some(role) => role.members.iter().any(|member| member.eq_ignore_ascii_case(account)),
                None => false,
            },
        };
        Ok(ReadBack { there: same && lives, clock })
    }

    async fn leftovers(&self, call: &GrantCall) -> Result<Vec<LeftoverFound>, TargetError> {
        let mut directory = self.connect().await?;
        let Some(account) = call.account.as_deref() else { return Ok(Vec::new()) };
        let (who, since) = (ldap3::ldap_escape(account), call.opened_at.strftime("%Y%m%d%H%M%SZ").to_string());
        let mut found = Vec::new();
        for (by, at, verb) in
            [("creatorsName", "createTimestamp", "made"), ("modifiersName", "modifyTimestamp", "changed")]
        {
            let filter = format!("(&({by}={who})({at}>={since}))");
            for entry in directory.below(&self.address.base, &filter, &[at]).await? {
                if verb == "changed" && found.iter().any(|one: &LeftoverFound| one.what.contains(&entry.dn)) {
                    continue;
                }
                found.push(LeftoverFound {
                    what: format!("the entry {} was {verb} while elevated", entry.dn),
                    when: entry.one(at).and_then(instant),
                    ended: false,
                    alarming: false,
                });
            }
        }
        Ok(found)
    }

    async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        let mut directory = self.connect().await?;
        let all = directory.below(&self.address.grants, "(objectClass=groupOfNames)", &["cn", "description"]).await?;
        let prefix = format!("{}g", self.mark);
        Ok(all
            .iter()
            .filter_map(|entry| {
                let number =
                    entry.all("description").iter().find_map(|said| said.strip_prefix(&prefix)?.parse().ok())?;
                Some(Marked { grant: number, name: entry.one("cn")?.to_owned() })
            })
            .collect())
    }

    async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        let mut directory = self.connect().await?;
        let role = directory.role(&self.address, &call.role).await?;
        Ok(role.is_some_and(|role| role.members.iter().any(|member| member.eq_ignore_ascii_case(&call.account))))
    }

    async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        let mut directory = self.connect().await?;
        let Some(role) = directory.role(&self.address, &call.role).await? else { return Ok(()) };
        if role.members.len() == 1 && role.members.iter().any(|member| member.eq_ignore_ascii_case(&call.account)) {
            return Err(TargetError::Refused(
                "it is the last member, and such a group must have one; add a member that can't sign in first"
                    .to_owned(),
            ));
        }
        directory.leave(&role.dn, role.attribute, &call.account).await
    }

    async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        let mut directory = self.connect().await?;
        let role = directory.role(&self.address, &call.role).await?;
        let role = role.ok_or_else(|| TargetError::Refused("the group is not there any more".to_owned()))?;
        directory.join(&role.dn, role.attribute, &call.account).await
    }
}

fn attempt(entry: &Entry) -> i64 {
    let said = entry.all("description").iter().find_map(|said| said.strip_prefix("attempt ")?.parse().ok());
    said.unwrap_or(i64::MIN)
}
