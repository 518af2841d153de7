//! Brightwater: a tree of basins; a posting puts an identity in a role at a basin, reaches downwards, and may
//! carry an end that the cloud enforces itself. Tokens minted meanwhile can outlive a posting.

use std::collections::BTreeSet;

use async_trait::async_trait;
use jiff::Timestamp;
use reqwest::Method;
use secrecy::SecretString;
use serde::Deserialize;
use serde_json::json;
use tempestas_core::{
    AccountFound, Activity, Digest, Lapse, Marked, PartFound, RightFound, RoleFound, Seconds, Survey, Trail, Weight,
};

use crate::{GrantCall, LeftoverFound, ReadBack, StandingCall, TargetError, http::Api, system::System};

/// Longest life of a token there, by which it can outlive a posting.
const TOKEN_LIFE: Seconds = Seconds::minutes(30);

/// A Brightwater cloud.
pub(crate) struct Brightwater {
    api: Api,
    mark: String,
}

#[derive(Deserialize)]
struct Basin {
    path: Vec<String>,
}

#[derive(Deserialize)]
struct RoleThere {
    name: String,
    says: String,
    permissions: Vec<String>,
}

#[derive(Deserialize)]
struct Identity {
    name: String,
    last_seen: Option<Timestamp>,
}

#[derive(Deserialize)]
struct Posting {
    key: String,
    identity: String,
    role: String,
    basin: Vec<String>,
    since: Timestamp,
    ends: Option<Timestamp>,
    note: String,
    made_by: String,
    last_used: Option<Timestamp>,
}

#[derive(Deserialize)]
struct Token {
    id: String,
    minted: Timestamp,
    ends: Timestamp,
    under: Vec<String>,
}

#[derive(Deserialize)]
struct Function {
    name: String,
    basin: Vec<String>,
    runs_as: String,
    made_by: String,
    since: Timestamp,
}

#[derive(Deserialize)]
struct Done {
    at: Timestamp,
    identity: String,
    permission: String,
    basin: Vec<String>,
    allowed: bool,
}

#[derive(Deserialize)]
struct Me {
    name: String,
    time: Timestamp,
}

impl Brightwater {
    pub(crate) fn new(url: &str, key: SecretString, installation: &str) -> Result<Self, TargetError> {
        Ok(Self { api: Api::new(url, key)?, mark: format!("tempestas/{installation}/") })
    }

    /// When a grant ends, where it is in force and ends in time; with the clock there.
    async fn ends(&self, call: &GrantCall) -> Result<(Option<Timestamp>, Timestamp), TargetError> {
        let clock = self.clock().await?;
        let postings = self.api.whole::<Posting>("/postings").await?;
        let posting = postings.into_iter().find(|posting| {
            posting.key == call.name
                && Some(&posting.identity) == call.account.as_ref()
                && posting.role == call.role
                && posting.basin == call.part
        });
        let ends = posting.and_then(|posting| posting.ends).filter(|ends| *ends > clock && *ends <= call.until);
        Ok((ends, clock))
    }

    fn marks(&self, postings: &[Posting]) -> Vec<Marked> {
        let grant = |posting: &Posting| posting.note.strip_prefix(&self.mark)?.strip_prefix('g')?.parse().ok();
        postings
            .iter()
            .map(|posting| Marked { grant: grant(posting).unwrap_or(0), name: posting.key.clone() })
            .collect()
    }
}

#[async_trait]
impl System for Brightwater {
    async fn clock(&self) -> Result<Timestamp, TargetError> {
        Ok(Api::read::<Me>(self.api.call(Method::GET, "/me")).await?.time)
    }

    async fn survey(&self) -> Result<Survey, TargetError> {
        let me: Me = Api::read(self.api.call(Method::GET, "/me")).await?;
        let (basins, all_basins) = self.api.list::<Basin>("/basins").await?;
        let (roles, all_roles) = self.api.list::<RoleThere>("/roles").await?;
        let (identities, all_identities) = self.api.list::<Identity>("/identities").await?;
        let (postings, all_postings) = self.api.list::<Posting>("/postings").await?;
        let (ours, others): (Vec<Posting>, Vec<Posting>) =
            postings.into_iter().partition(|posting| posting.note.starts_with(&self.mark));
        Ok(Survey {
            attributes: std::collections::BTreeMap::new(),
            sealed: Vec::new(),
            complete: all_basins && all_roles && all_identities && all_postings,
            clock: me.time,
            broker: me.name,
            parts: basins.into_iter().map(|basin| PartFound { path: basin.path }).collect(),
            roles: roles.into_iter().map(role_found).collect(),
            accounts: identities
                .into_iter()
                .map(|identity| AccountFound { name: identity.name, last_used: identity.last_seen })
                .collect(),
            rights: others
                .into_iter()
                .filter(|posting| posting.ends.is_none_or(|ends| ends > me.time))
                .map(|posting| RightFound {
                    account: posting.identity,
                    role: posting.role,
                    part: posting.basin,
                    chain: Vec::new(),
                    handle: Some(posting.key),
                    since: Some(posting.since),
                    last_used: posting.last_used,
                })
                .collect(),
            marked: self.marks(&ours),
        })
    }

    async fn activity(&self, from: Timestamp) -> Result<Option<Trail>, TargetError> {
        let roles = self.api.whole::<RoleThere>("/roles").await?;
        let done = self.api.whole::<Done>(&format!("/trail?since={from}")).await?;
        let permits = |role: &RoleThere, permission: &str| {
            role.permissions.iter().any(|known| known == permission || known == "do everything")
        };
        let uses = done.into_iter().filter(|one| one.allowed).map(|one| Activity {
            attested: true,
            roles: roles.iter().filter(|role| permits(role, &one.permission)).map(|role| role.name.clone()).collect(),
            at: one.at,
            account: one.identity,
            part: one.basin,
            what: one.permission,
        });
        Ok(Some(Trail { uses: uses.collect(), unread: 0 }))
    }

    async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        let mut postings = self.api.whole::<Posting>("/postings").await?;
        postings.retain(|posting| posting.note.starts_with(&self.mark));
        Ok(self.marks(&postings))
    }

    async fn give(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let body = json!({
            "identity": call.account,
            "role": call.role,
            "basin": call.part,
            "ends": call.until,
            "note": format!("{}g{}", self.mark, call.grant),
            "order": call.attempt,
        });
        Api::send(self.api.call(Method::PUT, &format!("/postings/{}", call.name)).json(&body)).await?;
        self.holds(call).await
    }

    async fn prolong(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        if self.ends(call).await?.0.is_none() {
            return Err(TargetError::Late);
        }
        self.give(call).await?;
        let (ends, clock) = self.ends(call).await?;
        Ok(ReadBack { there: ends == Some(call.until), clock })
    }

    /// Withdrawing a key that was never used keeps it from ever being used.
    async fn take(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        for token in self.api.whole::<Token>("/tokens").await? {
            if token.under.contains(&call.name) {
                Api::send(self.api.call(Method::DELETE, &format!("/tokens/{}", token.id))).await?;
            }
        }
        Api::send(self.api.call(Method::DELETE, &format!("/postings/{}", call.name))).await?;
        self.holds(call).await
    }

    async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let (ends, clock) = self.ends(call).await?;
        Ok(ReadBack { there: ends.is_some(), clock })
    }

    async fn leftovers(&self, call: &GrantCall) -> Result<Vec<LeftoverFound>, TargetError> {
        let mut found = Vec::new();
        let path = "/tokens?withdrawn=true";
        for token in self.api.whole::<Token>(path).await? {
            if token.under.contains(&call.name) {
                found.push(LeftoverFound {
                    what: format!("a token minted while elevated, good until {}", token.ends),
                    when: Some(token.minted),
                    ended: true,
                    alarming: false,
                });
            }
        }
        for posting in self.api.whole::<Posting>("/postings").await? {
            let theirs = Some(&posting.made_by) == call.account.as_ref();
            if theirs && posting.since >= call.opened_at && !posting.note.starts_with(&self.mark) {
                found.push(LeftoverFound {
                    what: format!(
                        "the posting {} made while elevated: {} as {} at /{}",
                        posting.key,
                        posting.identity,
                        posting.role,
                        posting.basin.join("/")
                    ),
                    when: Some(posting.since),
                    ended: false,
                    alarming: false,
                });
            }
        }
        for function in self.api.whole::<Function>("/functions").await? {
            if Some(&function.made_by) == call.account.as_ref() && function.since >= call.opened_at {
                found.push(LeftoverFound {
                    what: format!(
                        "the function {} at /{} made while elevated, which runs as {}",
                        function.name,
                        function.basin.join("/"),
                        function.runs_as
                    ),
                    when: Some(function.since),
                    ended: false,
                    alarming: false,
                });
            }
        }
        Ok(found)
    }

    async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        let postings = self.api.whole::<Posting>("/postings").await?;
        Ok(postings.iter().any(|posting| {
            posting.identity == call.account
                && posting.role == call.role
                && posting.basin == call.part
                && !posting.note.starts_with(&self.mark)
        }))
    }

    async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        // By what it is and not by key alone: after an undo it has another key.
        let postings = self.api.whole::<Posting>("/postings").await?;
        let mut keys: BTreeSet<String> = postings
            .into_iter()
            .filter(|posting| {
                posting.identity == call.account && posting.role == call.role && posting.basin == call.part
            })
            .filter(|posting| !posting.note.starts_with(&self.mark))
            .map(|posting| posting.key)
            .collect();
        keys.retain(|key| !key.is_empty());
        for key in keys {
            Api::send(self.api.call(Method::DELETE, &format!("/postings/{key}"))).await?;
        }
        Ok(())
    }

    async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        let body = json!({ "identity": call.account, "role": call.role, "basin": call.part, "note": "put back" });
        // By a key of its own, so that it may be repeated.
        let key = format!("po-back-{}", Digest::of_json(&(&call.handle, &call.account, self.clock().await?)));
        Api::send(self.api.call(Method::PUT, &format!("/postings/{}", key.get(..40).unwrap_or(&key))).json(&body))
            .await?;
        Ok(())
    }
}

fn role_found(role: RoleThere) -> RoleFound {
    let makes_postings =
        role.permissions.iter().any(|permission| permission == "make posting" || permission == "do everything");
    let only_reads =
        role.permissions.iter().all(|permission| permission.starts_with("read ") || permission.starts_with("list "));
    let weight = match (makes_postings, only_reads) {
        (true, _) => Weight::Critical,
        (false, true) => Weight::Ordinary,
        (false, false) => Weight::Privileged,
    };
    let tokens = format!("tokens minted meanwhile could outlive it by {TOKEN_LIFE} if Tempestas were away");
    let says = if makes_postings {
        format!("Brightwater ends it by itself within 1 s, but its holder can make further postings, and {tokens}")
    } else {
        format!("Brightwater ends it by itself within 1 s; {tokens}")
    };
    RoleFound {
        permits: Digest::of_json(&role.permissions),
        name: role.name,
        says: role.says,
        weight,
        lapse: Lapse { by_itself: true, within: Seconds(1), holder_can_undo: makes_postings, movable: true, says },
    }
}
