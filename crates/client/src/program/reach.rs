//! `reach`: how to use a live elevation.

use std::path::{Path, PathBuf};

use tempestas_api::{LoginAsk, LoginReply};

use super::{cli::Cli, files, show::say};

/// Public keys that OpenSSH looks for by itself, the better first.
const KEYS: [&str; 4] = ["id_ed25519_sk.pub", "id_ed25519.pub", "id_ecdsa_sk.pub", "id_ecdsa.pub"];

pub(crate) async fn reach(cli: &Cli, id: &str, key: Option<PathBuf>) -> anyhow::Result<()> {
    let key = key.or_else(own_key);
    let public_key = key.as_deref().map(files::read).transpose()?;
    let ask = LoginAsk { public_key };
    let login = cli.fresh(async |client| client.login(id, &ask).await).await?;
    let kept = match (&login.certificate, &key) {
        (Some(certificate), Some(key)) => Some(keep(cli, id, &login, certificate, key)?),
        _ => None,
    };
    cli.print(&login, |login| shown(login, kept.as_deref()))
}

/// The first public key of one's own.
fn own_key() -> Option<PathBuf> {
    let directory = PathBuf::from(std::env::var_os("HOME")?).join(".ssh");
    KEYS.iter().map(|name| directory.join(name)).find(|path| path.exists())
}

/// Keeps certificate and host key beside the sign-in, and says the command that uses them.
fn keep(cli: &Cli, id: &str, login: &LoginReply, certificate: &str, key: &Path) -> anyhow::Result<String> {
    let (Some(user), Some(host), Some(port)) = (&login.user, &login.host, login.port) else {
        anyhow::bail!("the service sent a certificate without saying for whom");
    };
    let certificate = cli.keep_file(&format!("{id}-cert.pub"), &format!("{}\n", certificate.trim()))?;
    let host_key = login.host_key.clone().unwrap_or_default();
    let known = cli.keep_file(&format!("{id}-known-hosts"), &format!("[{host}]:{port} {}\n", host_key.trim()))?;
    let key = key.with_extension("");
    Ok(format!(
        "ssh -i {} -o CertificateFile={} -o UserKnownHostsFile={} -p {port} {user}@{host}",
        key.display(),
        certificate.display(),
        known.display()
    ))
}

fn shown(login: &LoginReply, command: Option<&str>) {
    if login.replaced {
        say!("A password was fetched for this before; that one is void from now on.");
    }
    say!("{}", login.says);
    if let Some(command) = command {
        say!("  {command}");
    }
    let (Some(user), Some(host), Some(port), Some(database)) = (&login.user, &login.host, &login.port, &login.database)
    else {
        return;
    };
    say!("  login     {user}");
    say!("  password  {}", login.password.as_deref().unwrap_or("the console showed it to whoever confirmed this"));
    say!("  psql \"host={host} port={port} dbname={database} user={user}\"");
}
