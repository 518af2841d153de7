//! Linux hosts: orders over SSH to the one program that a service account may run there.

mod authority;
mod enrol;

use std::{
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::Duration,
};

use async_trait::async_trait;
use jiff::{SignedDuration, Timestamp};
use russh::{
    ChannelMsg,
    client::{self, Handler},
    keys::{PublicKey, PublicKeyOrCertificate, ssh_key::HashAlg},
};
use tempestas_core::{
    AccountFound, Activity, Digest, Lapse, Marked, RightFound, RoleFound, Seconds, Survey, Trail, Weight,
};
use tempestas_host::protocol::{self, Order, Outcome, REPLY_MOST, Reply, Request};

use crate::{GrantCall, LeftoverFound, ReadBack, StandingCall, TargetError, system::System};

pub use authority::{Authority, CertificateError, Certified, public_key};
pub use enrol::Enrolment;
pub use tempestas_host::protocol::Trusted;

/// Where the program lies on a host.
pub const PROGRAM: &str = "/usr/local/libexec/tempestas-host";
/// How long the certificate for one connection is good.
const CONNECTION_LASTS: SignedDuration = SignedDuration::from_mins(2);

/// The name of a host in certificates: no other host of this or another installation has it.
#[must_use]
pub fn host_name(installation: &str, scope: u64) -> String {
    format!("t{scope}-{installation}")
}

/// How a Linux host is reached.
pub struct Address {
    /// Host name or address.
    pub host: String,
    /// TCP port of sshd.
    pub port: u16,
    /// The account that orders come through.
    pub user: String,
    /// The host's own public key, as pinned at enrolment.
    pub host_key: String,
}

/// A Linux host.
pub(crate) struct Linux {
    address: Address,
    /// Authorities that sign orders, the one to be tried first first.
    orders: Vec<Authority>,
    installation: String,
    name: String,
}

/// Lets in no other host than the pinned one.
struct Pinned {
    key: PublicKey,
    differs: Arc<AtomicBool>,
}

impl Handler for Pinned {
    type Error = russh::Error;

    async fn check_server_key(&mut self, key: &PublicKeyOrCertificate) -> Result<bool, Self::Error> {
        let same = key.public_key().key_data() == self.key.key_data();
        self.differs.store(!same, Ordering::Relaxed);
        Ok(same)
    }
}

fn broke_off(_: russh::Error) -> TargetError {
    TargetError::Unreachable("the connection broke off".to_owned())
}

impl Linux {
    pub(crate) fn new(address: Address, orders: Vec<Authority>, installation: &str, scope: u64) -> Self {
        let name = host_name(installation, scope);
        Self { address, orders, installation: installation.to_owned(), name }
    }

    /// Sends one order, on a connection and with a certificate of its own.
    async fn order(&self, order: Order) -> Result<(Outcome, Timestamp), TargetError> {
        self.order_on(&self.connect().await?, order).await
    }

    async fn order_on(
        &self,
        session: &client::Handle<Pinned>,
        order: Order,
    ) -> Result<(Outcome, Timestamp), TargetError> {
        let request = Request {
            version: order.since(),
            installation: self.installation.clone(),
            target: self.name.clone(),
            ordered_at: Timestamp::now(),
            order,
        };
        let request = serde_json::to_vec(&request).map_err(|_| TargetError::Refused("the order".to_owned()))?;
        let text = exchange(session, request).await?;
        let reply: Reply = serde_json::from_slice(&text)
            .map_err(|_| TargetError::Refused("what it answered is no reply of this protocol".to_owned()))?;
        match reply.outcome {
            Outcome::Refused(why) => Err(TargetError::Refused(why)),
            Outcome::Late => Err(TargetError::Late),
            outcome => Ok((outcome, reply.clock)),
        }
    }

    async fn connect(&self) -> Result<client::Handle<Pinned>, TargetError> {
        let key = public_key(&self.address.host_key)
            .map_err(|_| TargetError::Refused("the host key that is pinned for it can't be read".to_owned()))?;
        let differs = Arc::new(AtomicBool::new(false));
        let pinned = Pinned { key, differs: Arc::clone(&differs) };
        let config = client::Config {
            inactivity_timeout: Some(Duration::from_secs(20)),
            nodelay: true,
            ..client::Config::default()
        };
        let at = (self.address.host.as_str(), self.address.port);
        let connected =
            tokio::time::timeout(Duration::from_secs(5), client::connect(Arc::new(config), at, pinned)).await;
        let mut session = match connected {
            Ok(Ok(session)) => session,
            Ok(Err(_)) if differs.load(Ordering::Relaxed) => {
                return Err(TargetError::Refused(
                    "its host key is not the one that was pinned at enrolment; find out why before anything else"
                        .to_owned(),
                ));
            }
            _ => return Err(TargetError::Unreachable("no connection".to_owned())),
        };
        let now = Timestamp::now();
        let says = Certified {
            principal: &format!("{}@{}", self.address.user, self.name),
            key_id: "tempestas orders",
            serial: 0,
            until: now + CONNECTION_LASTS,
            terminal: false,
        };
        for orders in &self.orders {
            let own = authority::passing_key();
            let certificate = orders
                .certify(own.public_key(), &says, now)
                .map_err(|error| TargetError::Refused(error.to_string()))?;
            let let_in = session
                .authenticate_openssh_cert(&self.address.user, Arc::new(own), certificate)
                .await
                .map_err(broke_off)?;
            if let_in.success() {
                return Ok(session);
            }
        }
        Err(TargetError::Refused(
            "it doesn't let the service account in; run what `tempestas targets enrolment` prints on it, as root"
                .to_owned(),
        ))
    }

    /// Has something done and reads the grant back, on one connection.
    async fn read_back(&self, order: Order, call: &GrantCall) -> Result<ReadBack, TargetError> {
        let session = self.connect().await?;
        match self.order_on(&session, order).await? {
            (Outcome::Done, _) => self.holds_on(&session, call).await,
            _ => Err(otherwise()),
        }
    }

    async fn holds_on(&self, session: &client::Handle<Pinned>, call: &GrantCall) -> Result<ReadBack, TargetError> {
        match self.order_on(session, Order::Holds { grant: grant(call) }).await? {
            (Outcome::There(there), clock) => Ok(ReadBack { there, clock }),
            _ => Err(otherwise()),
        }
    }

    async fn done(&self, order: Order) -> Result<(), TargetError> {
        match self.order(order).await? {
            (Outcome::Done, _) => Ok(()),
            _ => Err(otherwise()),
        }
    }
}

#[async_trait]
impl System for Linux {
    async fn clock(&self) -> Result<Timestamp, TargetError> {
        Ok(self.order(Order::Check).await?.1)
    }

    /// What is missing on the host, each with what to do.
    async fn check(&self) -> Result<Vec<String>, TargetError> {
        match self.order(Order::Check).await? {
            (Outcome::Checked(missing), _) => Ok(missing),
            _ => Err(otherwise()),
        }
    }

    async fn survey(&self) -> Result<Survey, TargetError> {
        let (Outcome::Surveyed(found), clock) = self.order(Order::Survey).await? else { return Err(otherwise()) };
        let (keeps_time, moves_ends) = (found.keeps_time, found.moves_ends);
        Ok(Survey {
            attributes: found.attributes,
            sealed: found.sealed,
            complete: found.complete,
            clock,
            broker: found.broker,
            parts: Vec::new(),
            roles: found.roles.into_iter().map(|role| role_found(role, keeps_time, moves_ends)).collect(),
            accounts: found
                .accounts
                .into_iter()
                .map(|account| AccountFound { name: account.name, last_used: account.last_used })
                .collect(),
            rights: found
                .rights
                .into_iter()
                .map(|held| RightFound {
                    account: held.account,
                    role: held.role,
                    part: Vec::new(),
                    chain: held.chain,
                    handle: held.handle,
                    since: held.since,
                    last_used: None,
                })
                .collect(),
            marked: Vec::new(),
        })
    }

    async fn activity(&self, from: Timestamp) -> Result<Option<Trail>, TargetError> {
        let log = match self.order(Order::Activity { from }).await?.0 {
            Outcome::Log(log) => log,
            // A program of an earlier edition, whose lines anybody could have written.
            Outcome::Activity(done) => protocol::Log { done, unread: 0 },
            _ => return Err(otherwise()),
        };
        let uses = log
            .done
            .into_iter()
            .map(|one| Activity {
                at: one.at,
                account: one.account,
                roles: one.roles,
                part: Vec::new(),
                what: one.what,
                attested: one.attested,
            })
            .collect();
        Ok(Some(Trail { uses, unread: log.unread }))
    }

    async fn marked(&self) -> Result<Vec<Marked>, TargetError> {
        match self.order(Order::Marked).await? {
            (Outcome::Marked(all), _) => Ok(all.into_iter().map(|(grant, name)| Marked { grant, name }).collect()),
            _ => Err(otherwise()),
        }
    }

    async fn give(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.read_back(Order::Give { grant: grant(call) }, call).await
    }

    async fn prolong(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        match self.order(Order::Prolong { grant: grant(call) }).await? {
            (Outcome::There(there), clock) => Ok(ReadBack { there, clock }),
            _ => Err(otherwise()),
        }
    }

    async fn take(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.read_back(Order::Take { grant: grant(call) }, call).await
    }

    async fn holds(&self, call: &GrantCall) -> Result<ReadBack, TargetError> {
        self.holds_on(&self.connect().await?, call).await
    }

    async fn leftovers(&self, call: &GrantCall) -> Result<Vec<LeftoverFound>, TargetError> {
        let (Outcome::Leftovers(found), _) = self.order(Order::Leftovers { grant: grant(call) }).await? else {
            return Err(otherwise());
        };
        Ok(found
            .into_iter()
            .map(|one| LeftoverFound { what: one.what, when: one.when, ended: one.ended, alarming: one.alarming })
            .collect())
    }

    async fn holds_standing(&self, call: &StandingCall) -> Result<bool, TargetError> {
        match self.order(Order::HoldsStanding { standing: standing(call) }).await? {
            (Outcome::There(there), _) => Ok(there),
            _ => Err(otherwise()),
        }
    }

    async fn take_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        self.done(Order::TakeStanding { standing: standing(call) }).await
    }

    async fn restore_standing(&self, call: &StandingCall) -> Result<(), TargetError> {
        self.done(Order::RestoreStanding { standing: standing(call) }).await
    }

    async fn patch(&self, call: &StandingCall) -> Result<Option<String>, TargetError> {
        match self.order(Order::Patch { standing: standing(call) }).await? {
            (Outcome::Patch(patch), _) => Ok(patch),
            _ => Err(otherwise()),
        }
    }

    fn is_host(&self) -> bool {
        true
    }

    async fn trust(&self, trusted: &Trusted) -> Result<(), TargetError> {
        self.done(Order::Trust { trusted: trusted.clone() }).await
    }
}

/// Hands the program on a host a request, and gives what it says.
async fn exchange(session: &client::Handle<Pinned>, request: Vec<u8>) -> Result<Vec<u8>, TargetError> {
    let mut channel = session.channel_open_session().await.map_err(broke_off)?;
    // The host runs its own command, whatever is asked for.
    channel.exec(true, "tempestas-host").await.map_err(broke_off)?;
    channel.data(request.as_slice()).await.map_err(broke_off)?;
    channel.eof().await.map_err(broke_off)?;
    let mut reply = Vec::new();
    while let Some(message) = channel.wait().await {
        if let ChannelMsg::Data { data } = message {
            reply.extend_from_slice(&data);
            if reply.len() as u64 > REPLY_MOST {
                return Err(TargetError::Refused("its reply has no end".to_owned()));
            }
        }
    }
    if reply.is_empty() {
        return Err(TargetError::Refused("the program on it said nothing; it may not be there".to_owned()));
    }
    Ok(reply)
}

fn otherwise() -> TargetError {
    TargetError::Refused("it answered something else than was asked".to_owned())
}

fn grant(call: &GrantCall) -> protocol::Grant {
    protocol::Grant {
        number: call.grant,
        attempt: call.attempt,
        name: call.name.clone(),
        account: call.account.clone().unwrap_or_default(),
        role: call.role.clone(),
        opened_at: call.opened_at,
        until: call.until,
    }
}

fn standing(call: &StandingCall) -> protocol::Standing {
    protocol::Standing { account: call.account.clone(), role: call.role.clone(), handle: call.handle.clone() }
}

fn role_found(role: protocol::Role, keeps_time: bool, moves_ends: bool) -> RoleFound {
    let weight = match (role.becomes_root, role.privileged) {
        (true, _) => Weight::Critical,
        (false, true) => Weight::Privileged,
        (false, false) => Weight::Ordinary,
    };
    let group = role.name.starts_with("group:");
    let mut says = if group {
        "the host itself ends the membership, and what was started with it, within 1 s".to_owned()
    } else {
        "sudo itself refuses it, and the host ends what still runs within 1 s".to_owned()
    };
    if group && !keeps_time {
        says.push_str("; should the host restart meanwhile, as soon as Tempestas reaches it again");
    }
    if role.becomes_root {
        says.push_str("; but whoever is root can undo that while it lasts, and keep other ways in");
    }
    if !role.offered {
        says = "host.toml on the host doesn't let this be given for a time".to_owned();
    }
    RoleFound {
        permits: Digest::of_json(&role.permits),
        name: role.name,
        says: role.says,
        weight,
        lapse: Lapse {
            by_itself: role.offered && (keeps_time || !group),
            within: Seconds(1),
            holder_can_undo: role.becomes_root,
            movable: role.offered && moves_ends,
            says,
        },
    }
}

/// The fingerprint of a host key, as OpenSSH shows it.
///
/// # Errors
/// When it is no public key.
pub fn fingerprint(line: &str) -> Result<String, CertificateError> {
    Ok(public_key(line)?.fingerprint(HashAlg::Sha256).to_string())
}
