//! The SSH certificate authorities of this installation: one signs people, the other the account for orders.

use anyhow::Context as _;
use jiff::Timestamp;
use tempestas_api::{LoginReply, RotationStage};
use tempestas_core::{Connector, Digest, Grant, ScopeId};
use tempestas_store::{Private, Store};
use tempestas_targets::{
    GrantCall,
    linux::{Authority, Certified, Enrolment, Trusted, fingerprint, host_name, public_key},
};

use zeroize::Zeroizing;

use crate::{
    app::App,
    keyring::{self, Keyring},
    problem::Failure,
    refused::EdgeRefusal,
};

/// Most certificates that a host is told are void; the rest is refused there because its grant is not kept.
const REVOKED_MOST: usize = 10_000;

/// Which authority.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Signs {
    People,
    Orders,
}

/// Which in the row: while one follows another, hosts trust both.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Turn {
    /// Signs.
    Present,
    /// Announced to hosts; signs nothing yet.
    Next,
    /// Signs nothing any more; still trusted.
    Past,
}

impl Signs {
    const BOTH: [Self; 2] = [Self::People, Self::Orders];

    const fn name(self, turn: Turn) -> &'static str {
        match (self, turn) {
            (Self::People, Turn::Present) => "ssh-people",
            (Self::People, Turn::Next) => "ssh-people-next",
            (Self::People, Turn::Past) => "ssh-people-past",
            (Self::Orders, Turn::Present) => "ssh-orders",
            (Self::Orders, Turn::Next) => "ssh-orders-next",
            (Self::Orders, Turn::Past) => "ssh-orders-past",
        }
    }

    const fn word(self) -> &'static str {
        match self {
            Self::People => "people",
            Self::Orders => "orders",
        }
    }
}

/// Whose secrets the authorities are.
const OWNER: &str = "house";

/// Makes the authorities where there are none yet.
pub(crate) async fn make(store: &Store, keyring: &Keyring) -> anyhow::Result<()> {
    let known = store.sealed(Some(OWNER)).await?;
    for signs in Signs::BOTH {
        let name = signs.name(Turn::Present);
        if !known.iter().any(|sealed| sealed.name == name) {
            store.keep_sealed(&[keyring.seal(OWNER, name, keyring::random::<32>().as_slice())?]).await?;
        }
    }
    Ok(())
}

/// The seeds of the authorities there are, by the names they are sealed under.
struct Seeds(Vec<(String, Zeroizing<Vec<u8>>)>);

impl Seeds {
    async fn open(app: &App) -> anyhow::Result<Self> {
        let known = app.store().sealed(Some(OWNER)).await?;
        let ours = known.iter().filter(|sealed| sealed.name.starts_with("ssh-"));
        let open = ours.map(|sealed| anyhow::Ok((sealed.name.clone(), app.keyring().open_sealed(sealed)?)));
        Ok(Self(open.collect::<anyhow::Result<_>>()?))
    }

    fn seed(&self, signs: Signs, turn: Turn) -> Option<&[u8]> {
        self.0.iter().find(|(name, _)| name == signs.name(turn)).map(|(_, seed)| seed.as_slice())
    }

    fn present(&self, signs: Signs) -> anyhow::Result<&[u8]> {
        self.seed(signs, Turn::Present)
            .context("a certificate authority is not in the database; restore it from a backup")
    }

    fn rotation(&self) -> RotationStage {
        match (self.seed(Signs::Orders, Turn::Next), self.seed(Signs::Orders, Turn::Past)) {
            (Some(_), _) => RotationStage::Announced,
            (None, Some(_)) => RotationStage::Switched,
            (None, None) => RotationStage::Steady,
        }
    }

    /// Those that sign, or did, or will: what hosts trust. The one that signs first.
    fn trusted(&self, signs: Signs) -> anyhow::Result<Vec<Authority>> {
        [Turn::Present, Turn::Next, Turn::Past]
            .into_iter()
            .filter_map(|turn| self.seed(signs, turn))
            .map(|seed| {
                let seed: &[u8; 32] = seed.try_into().context("a certificate authority has not 32 bytes")?;
                Ok(Authority::from_seed(seed))
            })
            .collect()
    }
}

/// The authorities of one kind that hosts may trust, ready to sign; the one that signs first.
pub(crate) async fn authorities(app: &App, signs: Signs) -> anyhow::Result<Vec<Authority>> {
    let seeds = Seeds::open(app).await?;
    seeds.present(signs)?;
    seeds.trusted(signs)
}

/// Fingerprints of the authorities of one kind, as OpenSSH shows them; the one that signs first.
pub(crate) async fn fingerprints(app: &App, signs: Signs) -> anyhow::Result<Vec<String>> {
    lines(app, signs).await?.iter().map(|line| Ok(fingerprint(line)?)).collect()
}

/// How far a rotation is.
pub(crate) async fn rotation(app: &App) -> anyhow::Result<RotationStage> {
    Ok(Seeds::open(app).await?.rotation())
}

/// What a host has to trust at this moment, and which of its certificates are void before their end.
pub(crate) async fn trusted(app: &App, scope: ScopeId) -> anyhow::Result<Trusted> {
    let (people, orders) = (lines(app, Signs::People).await?, lines(app, Signs::Orders).await?);
    let now = Timestamp::now();
    let world = app.world();
    let void = |grant: &&Grant| grant.target == scope && !grant.wanted && grant.until > now;
    let mut revoked: Vec<u64> =
        world.grants.values().rev().filter(void).map(|grant| grant.id.0).take(REVOKED_MOST).collect();
    revoked.sort_unstable();
    Ok(Trusted { people, orders, revoked })
}

/// Names what a host has to trust.
pub(crate) fn digest(trusted: &Trusted) -> Digest {
    Digest::of_json(trusted)
}

async fn lines(app: &App, signs: Signs) -> anyhow::Result<Vec<String>> {
    let comment = format!("tempestas {} {}", app.installation(), signs.word());
    authorities(app, signs).await?.iter().map(|one| Ok(one.public_line(&comment)?)).collect()
}

/// What one step of a rotation changes: it announces a new pair, has it sign, or withdraws the past one.
pub(crate) async fn step(app: &App, from: RotationStage) -> anyhow::Result<Vec<Private>> {
    let seeds = Seeds::open(app).await?;
    let seal =
        |signs: Signs, turn: Turn, seed: &[u8]| app.keyring().seal(OWNER, signs.name(turn), seed).map(Private::Sealed);
    let forget = |name: &str| Private::Unsealed { owner: OWNER.to_owned(), name: name.to_owned() };
    let mut changes = Vec::new();
    for signs in Signs::BOTH {
        match from {
            RotationStage::Steady => {
                changes.push(seal(signs, Turn::Next, Zeroizing::new(keyring::random::<32>()).as_slice())?);
            }
            RotationStage::Announced => {
                changes.push(seal(signs, Turn::Past, seeds.present(signs)?)?);
                let next = seeds.seed(signs, Turn::Next).context("the next authority is not there")?;
                changes.push(seal(signs, Turn::Present, next)?);
                changes.push(forget(signs.name(Turn::Next)));
            }
            RotationStage::Switched => changes.push(forget(signs.name(Turn::Past))),
        }
    }
    Ok(changes)
}

/// What a host is given to be looked after: sentences, a script that places it, one that takes it away.
pub(crate) async fn enrolment(app: &App, scope: u64, user: &str) -> Result<(Vec<String>, String, String), Failure> {
    let (people, orders) = (lines(app, Signs::People).await?, lines(app, Signs::Orders).await?);
    let enrolment =
        Enrolment { installation: app.installation(), scope, service: user, people: &people, orders: &orders };
    Ok((enrolment.says(), enrolment.script(), enrolment.undo()))
}

/// Certifies the holder's own key for the time of a grant on a host.
pub(crate) async fn certify(
    app: &App,
    connector: &Connector,
    scope: u64,
    call: &GrantCall,
    key: Option<&str>,
) -> Result<LoginReply, Failure> {
    let (Connector::Linux { host, port, host_key, .. }, Some(account)) = (connector, &call.account) else {
        return Err(EdgeRefusal::NoCertificate.into());
    };
    let key = key.ok_or(EdgeRefusal::NoKey)?;
    let refused = |error: tempestas_targets::linux::CertificateError| {
        Failure::from(EdgeRefusal::BadKey { why: error.to_string() })
    };
    let says = Certified {
        principal: &format!("{account}@{}", host_name(app.installation(), scope)),
        key_id: &format!("tempestas {} g{}", app.installation(), call.grant),
        serial: call.grant,
        until: call.until,
        terminal: true,
    };
    let signing = authorities(app, Signs::People).await?;
    let certificate = signing
        .first()
        .context("there is no certificate authority")?
        .certify(&public_key(key).map_err(refused)?, &says, Timestamp::now())
        .map_err(refused)?;
    let certificate =
        certificate.to_openssh().map_err(|error| anyhow::anyhow!("a certificate can't be written: {error}"))?;
    Ok(LoginReply {
        says: format!(
            "sign in as `{account}` with your key and this certificate until {}",
            call.until.strftime("%F %T UTC")
        ),
        replaced: false,
        user: Some(account.clone()),
        password: None,
        host: Some(host.clone()),
        port: Some(*port),
        database: None,
        certificate: Some(certificate),
        host_key: Some(host_key.clone()),
        until: call.until,
    })
}
