//! Kinds of systems that an administrator describes in a file: commands, SQL or HTTP calls for surveying, giving,
//! taking and reading back.

pub(crate) mod call;
pub(crate) mod form;

use std::{collections::BTreeMap, time::Duration};

use async_trait::async_trait;
use jiff::Timestamp;
use secrecy::SecretString;
use serde_json::Value;
use tempestas_core::{AccountFound, Digest, Lapse, Marked, RightFound, RoleFound, Seconds, Survey};

use crate::{GrantCall, ReadBack, StandingCall, TargetError, system::System};
use call::Caller;
pub use call::Program;
use form::{Step, Values, filled};

pub use form::{Form, FormError};

/// A system as described.
pub(crate) struct Described {
    form: Form,
    caller: Caller,
    mark: String,
}

/// One item of what the system lists.
struct Item {
    account: String,
    role: String,
    handle: String,
    until: Option<Timestamp>,
    since: Option<Timestamp>,
    mark: Option<String>,
}

fn text(value: &Value, pointer: &str) -> Option<String> {
    match value.pointer(pointer)? {
        Value::String(text) => Some(text.clone()),
        Value::Number(number) => Some(number.to_string()),
        _ => None,
    }
}

fn instant(value: &Value, pointer: Option<&String>) -> Option<Timestamp> {
    text(value, pointer?)?.parse().ok()
}

impl Described {
    pub(crate) fn new(
        form: Form,
        secret: SecretString,
        programs: &[Program],
        installation: &str,
    ) -> Result<Self, TargetError> {
        let http = reqwest::Client::builder()
            .connect_timeout(Duration::from_secs(3))
            .timeout(Duration::from_secs(10))
            .no_proxy()
            .redirect(reqwest::redirect::Policy::none())
            .build()
            .map_err(|_| TargetError::Unreachable("no client for HTTP".to_owned()))?;
        let caller = Caller { http, secret, programs: programs.to_vec() };
        Ok(Self { form, caller, mark: format!("tempestas/{installation}/") })
    }

    /// What it lists, and whether that is all.
    async fn items(&self) -> Result<(Vec<Item>, bool), TargetError> {
        let listing = &self.form.survey;
        let said = self.caller.make(&self.form, &listing.call, &[], &[]).await?;
        let list = said.value.pointer(&listing.list).and_then(Value::as_array);
        let list =
            list.ok_or_else(|| TargetError::Refused("it lists nothing where its description says".to_owned()))?;
        let items: Vec<Item> = list
            .iter()
            .filter_map(|one| {
                Some(Item {
                    account: text(one, &listing.account)?,
                    role: text(one, &listing.role)?,
                    handle: text(one, &listing.handle)?,
                    until: instant(one, listing.until.as_ref()),
                    since: instant(one, listing.since.as_ref()),
                    mark: listing.mark.as_ref().and_then(|pointer| text(one, pointer)),
                })
            })
            .collect();
        let expected = match &listing.count {
            Some(pointer) => text(&said.value, pointer).and_then(|count| count.parse().ok()),
            None => Some(list.len()),
        };
        // An item that can't be read is as bad as one that is missing.
        let whole = items.len() == list.len() && expected == Some(list.len());
        Ok((items, whole))
    }

    fn is_ours(&self, item: &Item) -> bool {
        item.mark.as_ref().is_some_and(|mark| mark.starts_with(&self.mark))
    }

    async fn for_grant(&self, step: &Step, call: &GrantCall, also: &[i32]) -> Result<call::Said, TargetError> {
        let (grant, attempt) = (call.grant.to_string(), call.attempt.to_string());
        let (mark, until) = (format!("{}g{grant}", self.mark), call.until.to_string());
        let values: &Values<'_> = &[
            ("account", call.account.as_deref().unwrap_or_default()),
            ("attempt", &attempt),
            ("grant", &grant),
            ("handle", &call.name),
            ("mark", &mark),
            ("name", &call.name),
            ("role", &call.role),
            ("until", &until),
        ];
        self.caller.make(&self.form, step, values, also).await
    }

    fn role_found(&self, name: &str, role: &form::RoleSaid) -> RoleFound {
        let says = match role.within {
            Some(seconds) => format!(
                "the system itself ends it within {seconds} s, as its description says; what is kept past it isn't looked for"
            ),
            None => "Tempestas ends it, and can't while it is away; what is kept past it isn't looked for".to_owned(),
        };
        RoleFound {
            name: name.to_owned(),
            says: role.says.clone(),
            weight: role.weight,
            permits: Digest::of_json(&BTreeMap::from([(name, &role.says)])),
            lapse: Lapse {
                by_itself: role.within.is_some(),
                within: Seconds(role.within.unwrap_or(1)),
                holder_can_undo: false,
                movable: self.form.prolong.is_some(),
                says,
            },
        }
    }

    /// Has something done, unless it ended before, and reads it back.
    async fn order(&self, step: &Step, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let said = self.for_grant(step, call, &step.late).await?;
        if step.late.contains(&said.code) {
            return Err(TargetError::Late);
        }
        self.holds(call).await
    }

    async fn for_standing(&self, step: Option<&Step>, call: &StandingCall) -> Result<(), TargetError> {
        let step = step.ok_or_else(|| TargetError::Refused("its description doesn't say how".to_owned()))?;
        let values: &Values<'_> = &[("account", &call.account), ("handle", &call.handle), ("role", &call.role)];
        self.caller.make(&self.form, step, values, &[]).await.map(|_| ())
    }
}

#[async_trait]
impl System for Described {
    async fn check(&self) -> Result<Vec<String>, TargetError> {
        if self.survey().await?.complete {
            return Ok(Vec::new());
        }
        Ok(vec!["what it lists isn't whole, or names a role that its description doesn't have".to_owned()])
    }

    async fn clock(&self) -> Result<Timestamp, TargetError> {
        let Some(clock) = &self.form.clock else { return Ok(Timestamp::now()) };
        let said = self.caller.make(&self.form, &clock.call, &[], &[]).await?;
        instant(&said.value, Some(&clock.time)).ok_or_else(|| TargetError::Refused("it tells no time".to_owned()))
    }

    async fn survey(&self) -> Result<Survey, TargetError> {
        let clock = self.clock().await?;
        let (items, complete) = self.items().await?;
        let mut accounts: Vec<String> = items.iter().map(|item| item.account.clone()).collect();
        accounts.sort();
        accounts.dedup();
        let known = |item: &&Item| self.form.roles.contains_key(&item.role);
        let all_known = items.iter().all(|item| known(&item));
        Ok(Survey {
            // A role that the description doesn't know could be anything.
            attributes: BTreeMap::new(),
            sealed: Vec::new(),
            complete: complete && all_known,
            clock,
            broker: "tempestas".to_owned(),
            parts: Vec::new(),
            roles: self.form.roles.iter().map(|(name, role)| self.role_found(name, role)).collect(),
            accounts: accounts.into_iter().map(|name| AccountFound { name, last_used: None }).collect(),
            rights: items
                .iter()
                .filter(known)
                .filter(|item| !self.is_ours(item) && item.until.is_none())
                .map(|item| RightFound {
                    account: item.account.clone(),
                    role: item.role.clone(),
                    part: Vec::new(),
                    chain: Vec::new(),
                    handle: self.form.take_standing.is_some().then(|| item.handle.clone()),
                    since: item.since,
                    last_used: None,
                })
                .collect(),
            marked: Vec::new(),
        })
    }

    async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        let (items, whole) = self.items().await?;
        if !whole {
            return Err(TargetError::Refused("it answered only in part".to_owned()));
        }
        let number = |item: &Item| item.mark.as_ref()?.strip_prefix(&self.mark)?.strip_prefix('g')?.parse().ok();
        let ours = items.iter().filter(|item| self.is_ours(item));
        Ok(ours.map(|item| Marked { grant: number(item).unwrap_or(0), name: item.handle.clone() }).collect())
    }

    async fn give(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.order(&self.form.give, call).await
    }

    async fn prolong(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let prolong = self.form.prolong.as_ref();
        let prolong = prolong.ok_or_else(|| TargetError::Refused("its description doesn't say how".to_owned()))?;
        let back = self.order(prolong, call).await?;
        if !back.there || self.form.survey.until.is_none() {
            return Ok(back);
        }
        // What is there may be there with its end of before; what it lists says.
        let (items, _) = self.items().await?;
        let there = items.iter().any(|item| item.handle == call.name && item.until == Some(call.until));
        Ok(ReadBack { there, ..back })
    }

    async fn take(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.for_grant(&self.form.take, call, &[]).await?;
        self.holds(call).await
    }

    async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let clock = self.clock().await?;
        let holds = &self.form.holds;
        let said = self.for_grant(&holds.call, call, &holds.absent).await?;
        if holds.absent.contains(&said.code) {
            return Ok(ReadBack { there: false, clock });
        }
        let until = call.until.to_string();
        let values: &Values<'_> = &[
            ("account", call.account.as_deref().unwrap_or_default()),
            ("handle", &call.name),
            ("name", &call.name),
            ("role", &call.role),
            ("until", &until),
        ];
        let fits = |one: &Value| {
            holds.there.iter().all(|(pointer, expected)| text(one, pointer) == Some(filled(expected, values)))
        };
        // Rows of a statement come as a list.
        let there = match &said.value {
            Value::Array(all) => all.iter().any(fits),
            one => fits(one),
        };
        Ok(ReadBack { there, clock })
    }

    async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        let (items, whole) = self.items().await?;
        let there = items.iter().any(|item| {
            item.account == call.account && item.role == call.role && item.until.is_none() && !self.is_ours(item)
        });
        if there || whole { Ok(there) } else { Err(TargetError::Refused("it answered only in part".to_owned())) }
    }

    async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        self.for_standing(self.form.take_standing.as_ref(), call).await
    }

    async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        self.for_standing(self.form.restore_standing.as_ref(), call).await
    }
}
