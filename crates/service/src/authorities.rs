//! The SSH certificate authorities of this installation: one signs people, the other the account for orders.

use anyhow::Context as _;
use jiff::Timestamp;
use tempestas_api::LoginReply;
use tempestas_core::Connector;
use tempestas_store::Store;
use tempestas_targets::{
    GrantCall,
    linux::{Authority, Certified, Enrolment, host_name, public_key},
};

use crate::{
    app::App,
    problem::Failure,
    vault::{self, Vault},
};

/// Which authority.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Signs {
    People,
    Orders,
}

impl Signs {
    const fn name(self) -> &'static str {
        match self {
            Self::People => "ssh-people",
            Self::Orders => "ssh-orders",
        }
    }
}

/// Makes the authorities where there are none yet.
pub(crate) async fn make(store: &Store, vault: &Vault) -> anyhow::Result<()> {
    let known = store.sealed(Some("house")).await?;
    for signs in [Signs::People, Signs::Orders] {
        if !known.iter().any(|sealed| sealed.name == signs.name()) {
            let seed = zeroize::Zeroizing::new(vault::random::<32>());
            store.keep_sealed(&[vault.seal("house", signs.name(), seed.as_slice())?]).await?;
        }
    }
    Ok(())
}

/// An authority, ready to sign.
pub(crate) async fn authority(app: &App, signs: Signs) -> anyhow::Result<Authority> {
    let known = app.store().sealed(Some("house")).await?;
    let sealed = known.iter().find(|sealed| sealed.name == signs.name());
    let sealed = sealed.context("a certificate authority is not in the database; restore it from a backup")?;
    let seed = app.vault().open_sealed(sealed)?;
    let seed: &[u8; 32] = seed.as_slice().try_into().context("a certificate authority has not 32 bytes")?;
    Ok(Authority::from_seed(seed))
}

/// What a host is given to be looked after: sentences, a script that places it, one that takes it away.
pub(crate) async fn enrolment(app: &App, scope: u64, user: &str) -> Result<(Vec<String>, String, String), Failure> {
    let line = async |signs: Signs, comment: &str| {
        anyhow::Ok(authority(app, signs).await?.public_line(&format!("tempestas {} {comment}", app.installation()))?)
    };
    let people = line(Signs::People, "people").await?;
    let orders = line(Signs::Orders, "orders").await?;
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
        return Err(Failure::invalid("no certificate opens this kind of target".to_owned()));
    };
    let key = key.ok_or_else(|| {
        Failure::invalid(
            "a host is reached with a key of your own: send the line of a public key like ~/.ssh/id_ed25519.pub with this"
                .to_owned(),
        )
    })?;
    let refused = |error: tempestas_targets::linux::CertificateError| Failure::invalid(error.to_string());
    let says = Certified {
        principal: &format!("{account}@{}", host_name(app.installation(), scope)),
        key_id: &format!("tempestas {} g{}", app.installation(), call.grant),
        serial: call.grant,
        until: call.until,
        terminal: true,
    };
    let certificate = authority(app, Signs::People)
        .await?
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
