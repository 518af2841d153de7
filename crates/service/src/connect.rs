//! A target, made ready to be called: with the secret or the authorities that open it.

use tempestas_core::{Connector, ScopeId};
use tempestas_targets::{Place, Target};

use crate::{
    app::App,
    authorities::{Signs, authorities},
    keyring::{BROKER, owner_of},
    problem::Failure,
};

/// A target, ready to be called; nothing is called yet.
pub(crate) async fn connect(app: &App, scope: ScopeId, connector: &Connector) -> Result<Target, Failure> {
    let place =
        Place { connector, scope, installation: app.installation(), programs: &app.config().described.programs };
    if connector.takes_own_key() {
        let orders = authorities(app, Signs::Orders).await?;
        return Target::host(&place, orders).ok_or_else(|| Failure::target("it is no host"));
    }
    let sealed = app.store().sealed(Some(&owner_of(scope))).await?;
    let Some(sealed) = sealed.iter().find(|sealed| sealed.name == BROKER) else {
        return Err(Failure::target("its password or key is not there; give it again with `tempestas targets set`"));
    };
    let secret = app.keyring().open_sealed(sealed)?;
    let secret = String::from_utf8_lossy(&secret).into_owned().into();
    Target::with_secret(&place, secret)
        .map_err(|error| Failure::target(error.to_string()))?
        .ok_or_else(|| Failure::target("it has no secret of its own"))
}
