//! Fathom: separate sites of a house; sheets of lines that allow or forbid, pinned to identities and teams. Nothing there
//! carries an end, so every grant ends by us, and says so.

use std::collections::BTreeMap;

use async_trait::async_trait;
use jiff::Timestamp;
use reqwest::Method;
use secrecy::SecretString;
use serde::{Deserialize, Serialize};
use serde_json::json;
use tempestas_core::{
    AccountFound, Activity, Digest, Lapse, Marked, PartFound, RightFound, RoleFound, Seconds, Survey, Trail, Weight,
};

use crate::{GrantCall, LeftoverFound, ReadBack, StandingCall, TargetError, http::Api, system::System};

/// A house in Fathom.
pub(crate) struct Fathom {
    api: Api,
    mark: String,
}

#[derive(Deserialize)]
struct Me {
    name: String,
    time: Timestamp,
}

#[derive(Deserialize)]
struct Site {
    name: String,
}

#[derive(Deserialize)]
struct Sheet {
    name: String,
    says: String,
    lines: Vec<Line>,
}

#[derive(Deserialize, Serialize)]
struct Line {
    may: bool,
    verb: String,
    thing: String,
}

#[derive(Deserialize)]
struct Done {
    at: Timestamp,
    identity: String,
    verb: String,
    thing: String,
    site: String,
    allowed: bool,
}

impl Line {
    /// Whether it speaks of a verb and a thing; `*` stands for anything.
    fn covers(&self, verb: &str, thing: &str) -> bool {
        let fits = |pattern: &str, text: &str| match pattern.split_once('*') {
            None => pattern == text,
            Some((before, after)) => {
                text.len() >= before.len() + after.len() && text.starts_with(before) && text.ends_with(after)
            }
        };
        fits(&self.verb, verb) && fits(&self.thing, thing)
    }
}

#[derive(Deserialize)]
struct Identity {
    name: String,
    last_seen: Option<Timestamp>,
    keys: Vec<Key>,
}

#[derive(Deserialize)]
struct Key {
    name: String,
    made: Timestamp,
}

#[derive(Deserialize)]
struct Team {
    name: String,
    members: Vec<String>,
}

#[derive(Deserialize)]
struct Pin {
    name: String,
    sheet: String,
    to: String,
    site: String,
    note: String,
    since: Timestamp,
    made_by: String,
}

impl Sheet {
    /// Whether it allows anything at all; one that only forbids is no power.
    fn allows(&self) -> bool {
        self.lines.iter().any(|line| line.may)
    }

    fn found(self) -> RoleFound {
        let may = || self.lines.iter().filter(|line| line.may);
        // Whoever pins sheets can give themselves anything.
        let everything = may().any(|line| {
            (line.verb == "*" || line.verb == "pin") && (line.thing.contains('*') || line.thing == "sheet")
        });
        let weight = if everything {
            Weight::Critical
        } else if may().all(|line| ["read", "list"].contains(&line.verb.as_str())) {
            Weight::Ordinary
        } else {
            Weight::Privileged
        };
        RoleFound {
            permits: Digest::of_json(&self.lines),
            name: self.name,
            says: self.says,
            weight,
            lapse: Lapse {
                by_itself: false,
                within: Seconds(1),
                holder_can_undo: everything,
                movable: true,
                says: "Fathom keeps no ends: Tempestas takes it away, and can't while it is away; keys made meanwhile go on working".to_owned(),
            },
        }
    }
}

impl Fathom {
    pub(crate) fn new(url: &str, key: SecretString, installation: &str) -> Result<Self, TargetError> {
        Ok(Self { api: Api::new(url, key)?, mark: format!("tempestas/{installation}/") })
    }

    async fn me(&self) -> Result<Me, TargetError> {
        Api::read(self.api.call(Method::GET, "/me")).await
    }

    fn is_ours(&self, pin: &Pin) -> bool {
        pin.note.starts_with(&self.mark)
    }

    /// Pins of an account, by what they are: after an undo one has another name.
    async fn standing(&self, call: &StandingCall) -> Result<Vec<Pin>, TargetError> {
        let mut pins = self.api.whole::<Pin>("/pins").await?;
        pins.retain(|pin| {
            pin.to == call.account && pin.sheet == call.role && call.part == [pin.site.as_str()] && !self.is_ours(pin)
        });
        Ok(pins)
    }
}

#[async_trait]
impl System for Fathom {
    async fn clock(&self) -> Result<Timestamp, TargetError> {
        Ok(self.me().await?.time)
    }

    async fn activity(&self, from: Timestamp) -> Result<Option<Trail>, TargetError> {
        let sheets = self.api.whole::<Sheet>("/sheets").await?;
        let done = self.api.whole::<Done>(&format!("/trail?since={from}")).await?;
        let permits =
            |sheet: &Sheet, one: &Done| sheet.lines.iter().any(|line| line.may && line.covers(&one.verb, &one.thing));
        let uses = done.into_iter().filter(|one| one.allowed).map(|one| Activity {
            attested: true,
            roles: sheets.iter().filter(|sheet| permits(sheet, &one)).map(|sheet| sheet.name.clone()).collect(),
            at: one.at,
            what: format!("{} {}", one.verb, one.thing),
            account: one.identity,
            part: vec![one.site],
        });
        Ok(Some(Trail { uses: uses.collect(), unread: 0 }))
    }

    async fn survey(&self) -> Result<Survey, TargetError> {
        let me = self.me().await?;
        let (sites, all_sites) = self.api.list::<Site>("/sites").await?;
        let (mut sheets, all_sheets) = self.api.list::<Sheet>("/sheets").await?;
        let (identities, all_identities) = self.api.list::<Identity>("/identities").await?;
        let (teams, all_teams) = self.api.list::<Team>("/teams").await?;
        let (pins, all_pins) = self.api.list::<Pin>("/pins").await?;
        sheets.retain(Sheet::allows);
        let teams: BTreeMap<String, Vec<String>> =
            teams.into_iter().map(|team| (format!("team/{}", team.name), team.members)).collect();
        let mut rights = Vec::new();
        let allows = |pin: &&Pin| sheets.iter().any(|sheet| sheet.name == pin.sheet);
        for pin in pins.iter().filter(|pin| !self.is_ours(pin)).filter(allows) {
            let right = |account: &str, chain: Vec<String>, handle: Option<String>| RightFound {
                account: account.to_owned(),
                role: pin.sheet.clone(),
                part: vec![pin.site.clone()],
                chain,
                handle,
                since: Some(pin.since),
                last_used: None,
            };
            match teams.get(&pin.to) {
                Some(members) => rights.extend(members.iter().map(|member| right(member, vec![pin.to.clone()], None))),
                None => rights.push(right(&pin.to, Vec::new(), Some(pin.name.clone()))),
            }
        }
        Ok(Survey {
            attributes: BTreeMap::new(),
            sealed: Vec::new(),
            complete: all_sites && all_sheets && all_identities && all_teams && all_pins,
            clock: me.time,
            broker: me.name,
            parts: sites.into_iter().map(|site| PartFound { path: vec![site.name] }).collect(),
            roles: sheets.into_iter().map(Sheet::found).collect(),
            accounts: identities
                .into_iter()
                .map(|identity| AccountFound { name: identity.name, last_used: identity.last_seen })
                .collect(),
            rights,
            marked: Vec::new(),
        })
    }

    async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        let pins = self.api.whole::<Pin>("/pins").await?;
        let number = |pin: &Pin| pin.note.strip_prefix(&self.mark)?.strip_prefix('g')?.parse().ok();
        let ours = pins.iter().filter(|pin| self.is_ours(pin));
        Ok(ours.map(|pin| Marked { grant: number(pin).unwrap_or(0), name: pin.name.clone() }).collect())
    }

    async fn give(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let [site] = call.part.as_slice() else {
            return Err(TargetError::Refused("a right there is at one site; ask for it at one".to_owned()));
        };
        let body = json!({
            "sheet": call.role,
            "to": call.account,
            "site": site,
            "note": format!("{}g{}", self.mark, call.grant),
            "order": call.attempt,
        });
        Api::send(self.api.call(Method::PUT, &format!("/pins/{}", call.name)).json(&body)).await?;
        self.holds(call).await
    }

    /// It keeps no ends: what is there goes on until it is taken away.
    async fn prolong(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.holds(call).await
    }

    /// A name that was taken out never comes back, also one that never was.
    async fn take(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        Api::send(self.api.call(Method::DELETE, &format!("/pins/{}", call.name))).await?;
        self.holds(call).await
    }

    async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let clock = self.clock().await?;
        let pins = self.api.whole::<Pin>("/pins").await?;
        let there = pins.iter().any(|pin| {
            pin.name == call.name
                && Some(&pin.to) == call.account.as_ref()
                && pin.sheet == call.role
                && call.part == [pin.site.as_str()]
        });
        Ok(ReadBack { there, clock })
    }

    /// Keys and pins that the holder made meanwhile. Their keys are ended: they work as the holder does.
    async fn leftovers(&self, call: &GrantCall) -> Result<Vec<LeftoverFound>, TargetError> {
        let Some(account) = &call.account else { return Ok(Vec::new()) };
        let mut found = Vec::new();
        for identity in self.api.whole::<Identity>("/identities").await?.iter().filter(|one| one.name == *account) {
            for key in identity.keys.iter().filter(|key| key.made >= call.opened_at) {
                let path = format!("/keys/{}/{}", identity.name, key.name);
                Api::send(self.api.call(Method::DELETE, &path)).await?;
                let what = format!("the program key {} made while elevated", key.name);
                found.push(LeftoverFound { what, when: Some(key.made), ended: true, alarming: false });
            }
        }
        for pin in self.api.whole::<Pin>("/pins").await? {
            if pin.made_by == *account && pin.since >= call.opened_at && !self.is_ours(&pin) {
                let what = format!("the sheet {} pinned to {} at {} while elevated", pin.sheet, pin.to, pin.site);
                found.push(LeftoverFound { what, when: Some(pin.since), ended: false, alarming: false });
            }
        }
        Ok(found)
    }

    async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        Ok(!self.standing(call).await?.is_empty())
    }

    async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        for pin in self.standing(call).await? {
            Api::send(self.api.call(Method::DELETE, &format!("/pins/{}", pin.name))).await?;
        }
        Ok(())
    }

    async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        let site = call.part.first();
        let body = json!({ "sheet": call.role, "to": call.account, "site": site, "note": "put back" });
        // By a name of its own for each time, so that it may be repeated.
        let name = Digest::of_json(&(&call.handle, &call.account, self.clock().await?)).to_string();
        Api::send(self.api.call(Method::PUT, &format!("/pins/back-{}", name.get(..24).unwrap_or(&name))).json(&body))
            .await?;
        Ok(())
    }
}
