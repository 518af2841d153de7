//! The story of the product, told by the real client against the real systems. A step that isn't as it should
//! be ends it.

use std::{
    net::{IpAddr, Ipv4Addr},
    path::{Path, PathBuf},
    process::{Command, Stdio},
    time::Instant,
};

use anyhow::{Context as _, bail};
use serde_json::{Value, json};

use crate::{
    codes::next_code,
    daemon::Setup,
    facts::Facts,
    processes::program,
    quillhaven::{BERTHS, BRIGHTWATER},
    run::{Demo, Past},
};

const MARA: &str = "mara.lindqvist";
const TOMAS: &str = "tomas.reyes";
const ODA: &str = "oda.brandt";
const INES: &str = "ines.kowal";

/// Somebody at a terminal.
struct Story<'d> {
    facts: &'d Facts,
    setup: &'d Setup,
    directory: &'d Path,
    client: PathBuf,
}

/// Tells the story in a world of its own.
///
/// # Errors
/// Names the step that isn't as it should be.
pub async fn tell(directory: &Path) -> anyhow::Result<()> {
    let began = Instant::now();
    let demo = Demo::start(directory, IpAddr::V4(Ipv4Addr::LOCALHOST), Past::None, |says| println!("· {says}")).await?;
    let story = Story { facts: &demo.facts, setup: &demo.setup, directory, client: program("tempestas")? };
    story.sign_in()?;
    if demo.cluster.is_some() {
        story.survey_and_convert()?;
        story.terms()?;
        let held = story.ask_and_answer()?;
        story.reach(&held)?;
        story.undo()?;
    }
    story.cloud().await?;
    story.ledger()?;
    demo.stop()?;
    println!("\n== The whole story held, in {} s.", began.elapsed().as_secs());
    Ok(())
}

impl Story<'_> {
    fn chapter(title: &str) {
        println!("\n== {title}\n");
    }

    fn command(&self, who: &str) -> Command {
        let mut command = Command::new(&self.client);
        command
            .env("TEMPESTAS_SERVER", &self.facts.address)
            .env("TEMPESTAS_HOME", self.directory.join("homes").join(who))
            .env("TZ", "UTC")
            .stdin(Stdio::null());
        command
    }

    /// Runs the client as somebody and prints what they see. Ends the story where the exit code is another, or the
    /// output doesn't say what it should.
    fn see(&self, who: &str, arguments: &[&str], code: i32, says: &[&str]) -> anyhow::Result<String> {
        let shown: Vec<String> = arguments
            .iter()
            .map(|argument| if argument.contains(' ') { format!("'{argument}'") } else { (*argument).to_owned() })
            .collect();
        println!("{}$ tempestas {}", who.split('.').next().unwrap_or(who), shown.join(" "));
        let output = self.command(who).args(arguments).output()?;
        let text = format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        println!("{text}");
        if output.status.code() != Some(code) {
            bail!("that should have ended with {code}, and ended with {:?}", output.status.code());
        }
        match says.iter().find(|wanted| !text.contains(**wanted)) {
            Some(wanted) => bail!("that should have said `{wanted}`"),
            None => Ok(text),
        }
    }

    /// The same call's JSON, without showing it.
    fn json(&self, who: &str, arguments: &[&str]) -> anyhow::Result<Value> {
        let output = self.command(who).args(arguments).arg("--json").output()?;
        serde_json::from_slice(&output.stdout)
            .with_context(|| format!("`tempestas {}` gave no JSON", arguments.join(" ")))
    }

    fn sign_in(&self) -> anyhow::Result<()> {
        Self::chapter("Four people sign in");
        for who in [MARA, TOMAS, ODA, INES] {
            let person = self.facts.person(who)?;
            let code = next_code(self.directory, who, &person.totp_secret)?;
            println!("{}$ tempestas sign-in {who} --password --code {code}", who.split('.').next().unwrap_or(who));
            let mut child = self
                .command(who)
                .args(["sign-in", who, "--password-stdin", "--code", &code])
                .stdin(Stdio::piped())
                .stdout(Stdio::piped())
                .spawn()?;
            std::io::Write::write_all(
                &mut child.stdin.take().context("the input is piped")?,
                person.password.as_bytes(),
            )?;
            let output = child.wait_with_output()?;
            print!("{}", String::from_utf8_lossy(&output.stdout));
            if !output.status.success() {
                bail!("{who} could not sign in");
            }
        }
        Ok(())
    }

    /// Reference of a standing right.
    fn standing(&self, account: &str, role: &str) -> anyhow::Result<String> {
        let all = self.json(MARA, &["standing"])?;
        all.as_array()
            .into_iter()
            .flatten()
            .find(|one| {
                one.get("account").is_some_and(|known| known == account)
                    && one.get("role").is_some_and(|known| known == role)
                    && one.get("direct").is_some_and(|direct| direct == true)
            })
            .and_then(|one| one.get("id").and_then(Value::as_str).map(str::to_owned))
            .with_context(|| format!("{account} does not hold {role}"))
    }

    fn survey_and_convert(&self) -> anyhow::Result<()> {
        Self::chapter("Who holds power all the time?");
        self.see(MARA, &["targets", "survey", BERTHS], 0, &["Surveyed"])?;
        self.see(MARA, &["targets", "survey", BRIGHTWATER], 0, &["Surveyed"])?;
        self.see(MARA, &["standing", "--role", "SUPERUSER"], 0, &["ironquay_support"])?;
        self.see(MARA, &["standing", "--at", BERTHS, "--who", TOMAS], 0, &["harbour_operator > vessel_traffic"])?;
        self.see(
            MARA,
            &["standing", "--at", "/analytics/brightwater/lake/raw"],
            0,
            &["a posting above, at /analytics/brightwater/lake"],
        )?;
        Self::chapter("Convert some of it");
        let (dormant, supplier) =
            (self.standing("old_admin", "SUPERUSER")?, self.standing("ironquay_support", "SUPERUSER")?);
        let (operator, root) =
            (self.standing("treyes", "harbour_operator")?, self.standing("mlindqvist", "SUPERUSER")?);
        let everyone: Vec<String> = ["harbour_root", "hvoss", "obrandt", "psol"]
            .iter()
            .zip(["SUPERUSER", "CREATEROLE", "harbour_dba", "harbour_dba"])
            .filter_map(|(account, role)| self.standing(account, role).ok())
            .collect();
        let mut too_many = vec!["convert", "preview", &dormant, &supplier, &root];
        too_many.extend(everyone.iter().skip(1).map(String::as_str));
        self.see(MARA, &too_many, 3, &["emergency holders", "at least 2 must stay"])?;
        self.see(
            MARA,
            &["convert", "preview", &operator, &dormant, &supplier],
            0,
            &["the attribute SUPERUSER is taken from the role `old_admin`", "Nothing was changed"],
        )?;
        self.see(
            MARA,
            &["convert", "apply", &operator, &dormant, &supplier, "--yes", "--wait"],
            0,
            &["taken, read back"],
        )?;
        self.see(MARA, &["targets", "survey", BERTHS], 0, &["Surveyed"])?;
        self.rehearsal()
    }

    fn rehearsal(&self) -> anyhow::Result<()> {
        Self::chapter("What would have happened, had the cloud been converted two months ago");
        let mut words = vec!["convert", "rehearse", "--days", "60", "--zone", "UTC"];
        let held = [
            ("night-batch", "tide-writer"),
            ("s.holm", "tide-writer"),
            ("e.tan", "tide-writer"),
            ("m.lindqvist", "everything"),
        ];
        let rights: Vec<String> =
            held.iter().map(|(account, role)| self.standing(account, role)).collect::<anyhow::Result<_>>()?;
        words.extend(rights.iter().map(String::as_str));
        self.see(MARA, &words, 0, &["BREAKS: what night-batch starts every day at 02:15 with", "Nothing was changed"])?;
        Ok(())
    }

    fn terms(&self) -> anyhow::Result<()> {
        Self::chapter("What an ask will demand, and where that comes from");
        self.see(
            MARA,
            &["terms", "show", &format!("harbour_dba@{BERTHS}"), "--asker", TOMAS],
            0,
            &["CHG-[0-9]{4,6}", "PASSED OVER"],
        )?;
        self.see(TOMAS, &["eligible"], 0, &["harbour_operator", "harbour_dba"])?;
        Ok(())
    }

    fn ask_and_answer(&self) -> anyhow::Result<String> {
        Self::chapter("Tomas asks, and what is refused says why");
        let right = format!("harbour_operator@{BERTHS}");
        self.see(TOMAS, &["ask", &right, "--preview"], 0, &["1 yes within 4 h from oda.brandt or piet.sol"])?;
        self.see(TOMAS, &["ask", &right, "--for", "9h", "--reason", "move the Halcyon Trader"], 3, &["too long"])?;
        self.see(TOMAS, &["ask", &right, "--reason", "fix"], 3, &["at least 10 letters"])?;
        self.see(TOMAS, &["ask", &format!("berth_king@{BERTHS}")], 3, &["there is no role"])?;
        self.see(
            TOMAS,
            &["ask", &format!("harbour_dba@{BERTHS}"), "--reason", "a new role for the cranes", "--ticket", "soon"],
            3,
            &["does not have the form"],
        )?;
        self.see(
            TOMAS,
            &["ask", &right, "--for", "14s", "--reason", "move the Halcyon Trader to N2"],
            0,
            &["waits for oda.brandt or piet.sol"],
        )?;
        let held = "E1001";
        self.see(TOMAS, &["answer", held, "yes"], 3, &["nobody answers their own ask"])?;
        self.see(INES, &["answer", held, "yes"], 3, &["not among those who may answer"])?;
        Self::chapter("Oda answers, and it is put on the cluster and read back");
        self.see(ODA, &["waiting"], 0, &["move the Halcyon Trader to N2"])?;
        self.see(ODA, &["answer", held, "yes"], 0, &["Answered Yes"])?;
        self.see(TOMAS, &["show", held, "--wait", "live"], 0, &["verified on its target"])?;
        Ok(held.to_owned())
    }

    /// Fetches the login as the holder does; shown with its password left out.
    fn login(&self, held: &str) -> anyhow::Result<(String, String, String)> {
        let login = self.json(TOMAS, &["reach", held])?;
        let text = |name: &str| {
            login
                .get(name)
                .and_then(Value::as_str)
                .map(str::to_owned)
                .with_context(|| format!("the login has no {name}"))
        };
        let port = login.get("port").and_then(Value::as_u64).context("the login has no port")?;
        let user = text("user")?;
        Ok((format!("host=127.0.0.1 port={port} dbname=berths user={user}"), user, text("password")?))
    }

    fn psql(connection: &str, password: &str, sql: &str, well: bool) -> anyhow::Result<()> {
        println!("tomas$ psql '{connection}' -c '{sql}'");
        let output = Command::new("psql")
            .args([connection, "-X", "-c", sql])
            .env("PGPASSWORD", password)
            .output()
            .context("psql can't be run")?;
        println!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        if output.status.success() != well {
            bail!("that should have {}", if well { "worked" } else { "been refused" });
        }
        Ok(())
    }

    fn reach(&self, held: &str) -> anyhow::Result<()> {
        Self::chapter("A login for this grant alone, with a password made when it is fetched");
        self.see(TOMAS, &["reach", held], 0, &["password"])?;
        println!("tomas$ tempestas reach {held} --json");
        let (connection, user, password) = self.login(held)?;
        println!("(a fresh password for {user}; the one above is void)\n");
        Self::psql(&connection, &password, "UPDATE berths SET vessel = $$Halcyon Trader$$ WHERE name = $$N2$$", true)?;
        Self::psql(&connection, &password, "CREATE TABLE scratch AS SELECT * FROM berths", true)?;
        println!("tomas$ psql … -c 'SELECT pg_sleep(60)' &\n");
        let busy = Command::new("psql")
            .args([&connection, "-X", "-c", "SELECT pg_sleep(60)"])
            .env("PGPASSWORD", &password)
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .spawn()?;
        Self::chapter("It lapses by the cluster's own clock; the open session ends with it");
        self.see(TOMAS, &["show", held, "--wait", "ended"], 0, &["lapsed", "table public.scratch"])?;
        let output = busy.wait_with_output()?;
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        println!("(the psql in the background)\n{said}");
        if output.status.success() || !said.contains("terminat") {
            bail!("the open session should have been ended");
        }
        Self::psql(&connection, &password, "SELECT 1", false)
    }

    fn undo(&self) -> anyhow::Result<()> {
        Self::chapter("The conversion is undone");
        let all = self.json(MARA, &["convert", "list"])?;
        let id = all.pointer("/0/id").and_then(Value::as_str).context("there is no conversion")?.to_owned();
        self.see(MARA, &["undo", &id, "--wait"], 0, &["restored, read back"])?;
        Ok(())
    }

    /// Asks Brightwater itself what an identity may do.
    async fn may(&self, key: &str, verb: &str, thing: &str, basin: &[&str], expected: bool) -> anyhow::Result<()> {
        let reply: Value = reqwest::Client::new()
            .post(format!("{}/may", self.facts.brightwater))
            .bearer_auth(key)
            .json(&json!({ "verb": verb, "thing": thing, "basin": basin }))
            .send()
            .await?
            .json()
            .await?;
        println!(
            "(Brightwater itself: may Tomas {verb} {thing} at /{}? {})\n",
            basin.join("/"),
            if reply.get("may") == Some(&Value::Bool(true)) { "yes" } else { "no" }
        );
        if reply.get("may") != Some(&Value::Bool(expected)) {
            bail!("Brightwater should have said {expected}");
        }
        Ok(())
    }

    async fn cloud(&self) -> anyhow::Result<()> {
        Self::chapter("The same for a cloud, without a yes, narrower than the eligibility");
        let state: Value =
            serde_json::from_str(&std::fs::read_to_string(self.directory.join("brightwater/seed.json"))?)?;
        let key =
            state.pointer("/identities/t.reyes/key").and_then(Value::as_str).context("t.reyes has no key")?.to_owned();
        self.see(
            MARA,
            &["eligible", "give", "night-watch", &format!("tide-writer@{BRIGHTWATER}/lake/raw")],
            0,
            &["may ask for"],
        )?;
        let right = format!("harbour-warden@{BRIGHTWATER}/reports/cranes");
        self.see(
            TOMAS,
            &["ask", &format!("harbour-warden@{BRIGHTWATER}/lake"), "--reason", "post the crane reports"],
            3,
            &["lies outside"],
        )?;
        self.may(&key, "make", "posting", &["reports", "cranes"], false).await?;
        let text = self.see(
            TOMAS,
            &["ask", &right, "--for", "10m", "--reason", "post the crane reports", "--wait"],
            0,
            &["live"],
        )?;
        let held = text
            .split_whitespace()
            .find(|word| word.strip_prefix('E').is_some_and(|number| number.chars().all(|c| c.is_ascii_digit())))
            .context("no reference was said")?
            .to_owned();
        self.may(&key, "make", "posting", &["reports", "cranes"], true).await?;
        self.may(&key, "make", "posting", &["reports", "berths"], false).await?;
        self.see(TOMAS, &["give-back", &held, "--wait"], 0, &["given-back", "no leftovers"])?;
        self.may(&key, "make", "posting", &["reports", "cranes"], false).await?;
        self.see(MARA, &["grants", "--all", "--ended"], 0, &["given-back"])?;
        Ok(())
    }

    fn ledger(&self) -> anyhow::Result<()> {
        Self::chapter("Every step is in the ledger, and a stranger can verify it");
        self.see(INES, &["ledger", "list", "--who", TOMAS, "--most", "12"], 0, &["asked"])?;
        let file = self.directory.join("ledger.jsonl");
        let (name, changed) = (file.display().to_string(), self.directory.join("changed.jsonl"));
        self.see(INES, &["ledger", "export", &name], 0, &["Wrote"])?;
        self.see(INES, &["ledger", "verify", &name], 0, &["Genuine"])?;
        let text = std::fs::read_to_string(&file)?;
        std::fs::write(
            &changed,
            text.replacen("harbour-engineers", "harbour-engineerz", 1).replacen(
                "\\\"kind\\\":\\\"asked\\\"",
                "\\\"kind\\\":\\\"askeD\\\"",
                1,
            ),
        )?;
        println!("ines$ sed s/asked/askeD/ {name} > {}", changed.display());
        self.see(INES, &["ledger", "verify", &changed.display().to_string()], 6, &["NOT GENUINE: fact"])?;
        println!("$ tempestasd rebuild --check");
        let output = self.setup.run(&["rebuild", "--check"])?;
        println!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        if !output.status.success() {
            bail!("the rebuild should have found nothing");
        }
        Ok(())
    }
}
