//! The client as one call of it goes: talking to the service as somebody: signing in, and giving a fresh code in place where one is needed.

use std::{
    io::{BufRead as _, IsTerminal as _, Write as _},
    time::Duration,
};

use anyhow::{Context as _, bail};
use jiff::Timestamp;
use serde::{Serialize, de::DeserializeOwned};
use tempestas_api::{
    DEVICE_GRANT, DeviceRequest, DeviceTokenRequest, Done, Drafted, EnrolRequest, ProofRequest, SignInRequest,
    SinceQuery,
};
use tempestas_client::{Client, ClientError, Connection};
use tempestas_core::ledger::{SignedCheckpoint, Verifier, verify_consistency};

use super::{
    args::Common,
    files,
    home::{Home, KeptCheckpoint, KeptSignIn},
    show::{self, say, tell},
};

/// How long a draft is waited for at a terminal.
const CONFIRM: Duration = Duration::from_secs(10 * 60);
/// How often it is looked at.
const LOOK_AGAIN: Duration = Duration::from_secs(1);
/// Where only a passkey will do.
const NO_PASSKEY_HERE: &str = "a terminal has no passkey: do this in the console, or have this terminal let in there (`tempestas sign-in` without a name), and what you do here is then confirmed there";
/// The service, where nothing else was said.
const SERVER: &str = "http://127.0.0.1:7443";

/// What a sign-in comes to, without its token.
#[derive(Serialize)]
struct SignedInNow {
    name: String,
    ends: Timestamp,
    /// Of the ledger, by its checkpoint.
    facts: u64,
}

pub(crate) struct Cli {
    client: Client,
    home: Home,
    server: String,
    json: bool,
    code: Option<String>,
}

impl Cli {
    pub(crate) fn new(common: &Common) -> anyhow::Result<Self> {
        let home = Home::new(common.home.as_deref())?;
        let kept = home.sign_in()?;
        let server = common
            .server
            .clone()
            .or_else(|| kept.as_ref().map(|kept| kept.server.clone()))
            .unwrap_or_else(|| SERVER.to_owned());
        // A token goes only to the service that gave it.
        let token = kept.filter(|kept| kept.server == server).map(|kept| kept.token.into());
        let connection = Connection { server: server.clone(), authority: common.authority.clone() };
        let client = Client::new(&connection, token)?;
        // A program gets what there is; in JSON nothing steers a terminal.
        let client = if common.json { client } else { client.for_people(show::zone()) };
        Ok(Self { client, home, server, json: common.json, code: common.code.clone() })
    }

    /// Keeps a file beside the sign-in.
    pub(crate) fn keep_file(&self, name: &str, text: &str) -> anyhow::Result<std::path::PathBuf> {
        self.home.keep_file(name, text)
    }

    /// The client, for calls that need no fresh code.
    pub(crate) fn client(&self) -> &Client {
        &self.client
    }

    /// Prints the reply: as JSON for programs, else by `people`. All that is printed of a reply comes through here.
    pub(crate) fn print<T: Serialize>(&self, reply: &T, people: impl FnOnce(&T)) -> anyhow::Result<()> {
        if self.json {
            say!("{}", show::json(reply)?);
        } else {
            people(reply);
        }
        Ok(())
    }

    /// Says that something is done, of which there is nothing more to say.
    pub(crate) fn done(&self, says: &str) -> anyhow::Result<()> {
        self.print(&Done {}, |_| say!("{says}"))
    }

    pub(crate) fn is_json(&self) -> bool {
        self.json
    }

    /// Makes a call; where a fresh code is needed, asks for it in place and goes on.
    pub(crate) async fn fresh<T, F>(&self, call: impl Fn(Client) -> F) -> anyhow::Result<T>
    where
        F: Future<Output = Result<T, ClientError>>,
        T: DeserializeOwned,
    {
        match call(self.client.clone()).await {
            Err(ClientError::Drafted(drafted)) if !self.json && std::io::stdout().is_terminal() => {
                self.confirmed(&drafted).await
            }
            Err(refused) if refused.code() == Some("step-up") => {
                if !refused.is_mended_by_a_code() {
                    return Err(anyhow::Error::new(refused).context(NO_PASSKEY_HERE));
                }
                let code = match &self.code {
                    Some(code) => code.clone(),
                    None if std::io::stdin().is_terminal() => {
                        tell!("{refused}.");
                        ask("Code: ")?
                    }
                    None => return Err(anyhow::Error::new(refused).context("give one with --code")),
                };
                self.client.prove(&ProofRequest { code }).await?;
                Ok(call(self.client.clone()).await?)
            }
            other => Ok(other?),
        }
    }

    /// Waits until a draft was confirmed in the console, and returns the reply that came of it.
    async fn confirmed<T: DeserializeOwned>(&self, drafted: &Drafted) -> anyhow::Result<T> {
        tell!("Nothing is done yet: look at it and confirm it at {}", drafted.address);
        let until = tokio::time::Instant::now() + CONFIRM;
        while tokio::time::Instant::now() < until {
            let seen = self.client.draft(&drafted.draft.to_string()).await?;
            match (seen.state.as_str(), seen.reply) {
                ("confirmed", Some(reply)) => return Ok(serde_json::from_value(reply)?),
                ("dropped", _) => bail!("draft {} was dropped in the console", drafted.draft),
                _ => tokio::time::sleep(LOOK_AGAIN).await,
            }
        }
        Err(ClientError::Drafted(drafted.clone()).into())
    }

    /// Asks whether to go on; yes where nobody can be asked, or `yes` was said.
    pub(crate) fn sure(&self, question: &str, yes: bool) -> anyhow::Result<()> {
        if yes || self.json || !std::io::stdin().is_terminal() {
            return Ok(());
        }
        match ask(&format!("{question} [y/N] "))?.as_str() {
            "y" | "Y" | "yes" => Ok(()),
            _ => bail!("left as it was"),
        }
    }

    /// Shows an address and a code, and waits until somebody let this program in there (RFC 8628).
    pub(crate) async fn sign_in_by_code(&self) -> anyhow::Result<()> {
        self.home.ensure_writable()?;
        let host = rustix::system::uname().nodename().to_string_lossy().into_owned();
        let client_id = "tempestas".to_owned();
        let request = DeviceRequest { client_id: client_id.clone(), host: Some(host) };
        let asked = self.client.ask_device(&request).await?;
        let tell = format!(
            "Open   {}\nType   {}\nIt is good for {} min. Waiting …",
            asked.verification_uri,
            asked.user_code,
            asked.expires_in / 60
        );
        // Of a program's output the reply is all.
        if self.json {
            tell!("{tell}")
        } else {
            say!("{tell}")
        }
        let mut interval = Duration::from_secs(u64::from(asked.interval));
        let request =
            DeviceTokenRequest { grant_type: DEVICE_GRANT.to_owned(), device_code: asked.device_code, client_id };
        loop {
            tokio::time::sleep(interval).await;
            let refusal = match self.client.device_token(&request).await? {
                Ok(let_in) => return self.signed_in(let_in.name, let_in.access_token, let_in.ends).await,
                Err(refusal) => refusal,
            };
            match refusal.error.as_str() {
                "authorization_pending" => {}
                "slow_down" => interval += Duration::from_secs(5),
                "expired_token" => bail!("the code ran out; run `tempestas sign-in` again"),
                _ => bail!("{}", refusal.error_description),
            }
        }
    }

    async fn signed_in(&self, name: String, token: String, ends: Timestamp) -> anyhow::Result<()> {
        let kept = KeptSignIn { server: self.server.clone(), name: name.clone(), token: token.clone() };
        if let Err(unkept) = self.home.keep_sign_in(&kept) {
            // What can't be kept can't be used: it is not to stay open.
            let _ = self.client.with_token(token).sign_out().await;
            return Err(unkept);
        }
        let seen = check_checkpoint(&self.client.with_token(token), &self.home).await?;
        let facts = seen.0.checkpoint.size;
        self.print(&SignedInNow { name, ends, facts }, |SignedInNow { name, ends, facts }| {
            let until = show::when(*ends);
            say!("Signed in as {name} until {until}. The ledger's checkpoint: {facts} facts, {}.", seen.1);
        })
    }

    pub(crate) async fn sign_in(&self, name: &str, password_stdin: bool) -> anyhow::Result<()> {
        self.home.ensure_writable()?;
        let password = password("Password: ", password_stdin)?;
        let code = match &self.code {
            Some(code) => code.clone(),
            None if std::io::stdin().is_terminal() => ask("Code: ")?,
            None => bail!("a TOTP code is needed: --code"),
        };
        let reply = self.client.sign_in(&SignInRequest { name: name.to_owned(), password, code }).await?;
        self.signed_in(reply.name, reply.token, reply.ends).await
    }

    pub(crate) async fn sign_out(&self) -> anyhow::Result<()> {
        let ended = self.client.sign_out().await;
        self.home.forget_sign_in();
        ended?;
        self.done("Signed out.")
    }

    pub(crate) async fn enrol(
        &self,
        secret_file: Option<&std::path::Path>,
        password_stdin: bool,
    ) -> anyhow::Result<()> {
        let secret = match secret_file {
            Some(path) => files::read(path)?,
            None => typed("Enrolment secret: ", "--secret-file")?,
        };
        let password = password("New password, 12 letters or more: ", password_stdin)?;
        let reply = self.client.enrol(&EnrolRequest { secret: secret.trim().to_owned(), password }).await?;
        self.print(&reply, |reply| {
            say!("Enrolled {}. Put this into your authenticator now; it is not shown again:", reply.name);
            say!("  secret  {}", reply.totp_secret);
            say!("  address {}", reply.totp_url);
            if std::io::stdout().is_terminal() {
                show::raw(format!("\n{}\n", show::qr(&reply.totp_qr)).as_bytes());
            }
        })
    }

    /// The ledger's public key, as it was seen here.
    pub(crate) fn verifier(&self) -> anyhow::Result<Verifier> {
        Ok(self.home.checkpoint()?.context("no checkpoint was seen here yet; sign in first")?.open()?.0)
    }

    /// Checks that the present checkpoint goes on from the last one seen here, and keeps it.
    pub(crate) async fn checkpoint(&self) -> anyhow::Result<(SignedCheckpoint, &'static str)> {
        check_checkpoint(&self.client, &self.home).await
    }
}

async fn check_checkpoint(client: &Client, home: &Home) -> anyhow::Result<(SignedCheckpoint, &'static str)> {
    let kept = home.checkpoint()?.as_ref().map(KeptCheckpoint::open).transpose()?;
    let reply = client.checkpoint(&SinceQuery::default()).await?;
    let verifier = Verifier::from_line(&reply.public_key).map_err(anyhow::Error::msg)?;
    let now = verifier.open(&reply.checkpoint).map_err(anyhow::Error::msg)?;
    let word = match kept {
        None => "seen here for the first time",
        Some((known, _)) if known != verifier => bail!(
            "this service's ledger has another key than the one seen here before ({} then, {} now); if that is as it should be, remove checkpoint.json from this client's directory",
            known.to_line(),
            verifier.to_line()
        ),
        Some((_, seen)) if now.checkpoint.epoch > seen.checkpoint.epoch => {
            let (epoch, lost) = (now.checkpoint.epoch, seen.checkpoint.size);
            tell!(
                "A backup was restored since: epoch {epoch} began. Of the {lost} facts seen here before, the last ones may be lost."
            );
            "the first of its epoch seen here"
        }
        Some((_, seen)) => {
            let old = &seen.checkpoint;
            let reply = client.checkpoint(&SinceQuery { since: Some(old.size) }).await?;
            let new = verifier.open(&reply.checkpoint).map_err(anyhow::Error::msg)?.checkpoint;
            if !verify_consistency(old.size, old.root, new.size, new.root, &reply.proof) {
                bail!(
                    "the ledger does not go on from the {} facts seen here before: its history was rewritten",
                    old.size
                );
            }
            "goes on from the one seen here before"
        }
    };
    home.keep_checkpoint(&KeptCheckpoint { public_key: reply.public_key, note: reply.checkpoint })?;
    Ok((now, word))
}

fn ask(question: &str) -> anyhow::Result<String> {
    eprint!("{question}");
    std::io::stderr().flush()?;
    let mut line = String::new();
    std::io::stdin().lock().read_line(&mut line)?;
    Ok(line.trim().to_owned())
}

fn password(question: &str, stdin: bool) -> anyhow::Result<String> {
    if stdin {
        let mut line = String::new();
        std::io::stdin().lock().read_line(&mut line)?;
        return Ok(line.trim_end_matches(['\r', '\n']).to_owned());
    }
    typed(question, "--password-stdin")
}

/// Something typed unseen at the terminal; where there is none, says what to give `instead`.
fn typed(question: &str, instead: &str) -> anyhow::Result<String> {
    rpassword::prompt_password(question)
        .with_context(|| format!("there is no terminal here to type it at; give it by `{instead}`"))
}
