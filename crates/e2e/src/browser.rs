//! Headless Chromium, driven as a person would: by labels and words, waiting for what they wait for.

use std::{
    io::{BufRead as _, BufReader},
    os::unix::process::CommandExt as _,
    process::{Child, Command, Stdio},
    time::Duration,
};

use anyhow::{Context as _, bail};
use rustix::process::{Pid, Signal, kill_process_group};
use serde_json::{Value, json};
use tempestas_demo::{codes::next_code, facts::Person};
use thirtyfour::{
    By, ChromiumLikeCapabilities as _, DesiredCapabilities, Key, WebDriver, WebElement,
    extensions::query::ElementQueryable as _,
};

/// Longest that anything on a page may take.
const SOON: Duration = Duration::from_secs(20);
/// How often a page is looked at.
const LOOK: Duration = Duration::from_millis(60);

/// What is noted before any script of the page runs: errors, and what the content security policy stopped.
const NOTE: &str = "
    window.wrongs = [];
    addEventListener('error', (event) => window.wrongs.push('error: ' + event.message));
    addEventListener('unhandledrejection', (event) => window.wrongs.push('rejection: ' + event.reason));
    addEventListener('securitypolicyviolation', (event) => window.wrongs.push('policy: ' + event.violatedDirective + ' ' + event.blockedURI));
";

/// How often a driver looks for a free port.
const TRIES: u32 = 4;

/// The driver's process, in a group of its own, which ends with it.
struct Driver {
    child: Child,
    port: u16,
}

impl Driver {
    fn start() -> anyhow::Result<Self> {
        // It takes one number for IPv4 and for IPv6, and ends where another driver has the second of them already.
        (1..TRIES).find_map(|_| Self::try_start().ok()).map_or_else(Self::try_start, Ok)
    }

    fn try_start() -> anyhow::Result<Self> {
        let mut child = Command::new("chromedriver")
            .arg("--port=0")
            .process_group(0)
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .context("chromedriver can't be started; `tools/packages` installs it")?;
        let output = BufReader::new(child.stdout.take().context("the output is piped")?);
        for line in output.lines() {
            if let Some((_, port)) = line?.split_once("started successfully on port ") {
                let port = port.trim_end_matches('.').trim().parse()?;
                return Ok(Self { child, port });
            }
        }
        bail!("chromedriver ended before it said its port")
    }
}

impl Drop for Driver {
    fn drop(&mut self) {
        if let Some(group) = i32::try_from(self.child.id()).ok().and_then(Pid::from_raw) {
            let _ = kill_process_group(group, Signal::KILL);
        }
        let _ = self.child.wait();
    }
}

/// A browser of somebody's own.
pub struct Browser {
    /// For what isn't below.
    pub web: WebDriver,
    /// Address of the service, by name: passkeys want one.
    pub origin: String,
    // Last, so that they go after the session.
    _driver: Driver,
    _profile: tempfile::TempDir,
}

impl Browser {
    /// Opens one for a service at an address.
    pub async fn open(address: &str) -> anyhow::Result<Self> {
        let _ = rustls::crypto::ring::default_provider().install_default();
        let driver = Driver::start()?;
        let profile = tempfile::tempdir()?;
        let mut wanted = DesiredCapabilities::chrome();
        for flag in [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-dev-shm-usage",
            "--force-color-profile=srgb",
            // What fades in is measured as it will be.
            "--force-prefers-reduced-motion",
            "--lang=en-GB",
        ] {
            wanted.add_arg(flag)?;
        }
        wanted.add_arg(&format!("--user-data-dir={}", profile.path().display()))?;
        let web = WebDriver::new(format!("http://127.0.0.1:{}", driver.port), wanted).await?;
        let origin = address.replace("127.0.0.1", "localhost");
        // A script that looks at a whole page takes longer than the 30 s of WebDriver where much else goes on.
        web.set_script_timeout(6 * SOON).await?;
        let browser = Self { web, origin, _driver: driver, _profile: profile };
        browser.command("Page.addScriptToEvaluateOnNewDocument", json!({ "source": NOTE })).await?;
        browser.size(1280, 800).await?;
        Ok(browser)
    }

    /// A command of the DevTools protocol.
    pub async fn command(&self, name: &str, parameters: Value) -> anyhow::Result<Value> {
        Ok(self.web.cdp().send_raw(name, parameters).await?)
    }

    /// Sets the exact size of the page.
    pub async fn size(&self, width: u32, height: u32) -> anyhow::Result<()> {
        let size = json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600 });
        self.command("Emulation.setDeviceMetricsOverride", size).await?;
        Ok(())
    }

    /// Light or dark.
    pub async fn theme(&self, theme: &str) -> anyhow::Result<()> {
        let media = json!({ "features": [{ "name": "prefers-color-scheme", "value": theme }] });
        self.command("Emulation.setEmulatedMedia", media).await?;
        Ok(())
    }

    /// Goes to a page, and waits until it has its first sentence.
    pub async fn page(&self, path: &str) -> anyhow::Result<()> {
        self.web.goto(format!("{}{path}", self.origin)).await?;
        self.web.query(By::Css("h1")).wait(SOON, LOOK).first().await?;
        Ok(())
    }

    /// The first element that an XPath names, once it is there and shown.
    pub async fn at(&self, xpath: &str) -> anyhow::Result<WebElement> {
        self.web
            .query(By::XPath(xpath))
            .wait(SOON, LOOK)
            .and_displayed()
            .first()
            .await
            .with_context(|| format!("{xpath} is not on the page"))
    }

    /// A button or link by its words.
    pub async fn press(&self, words: &str) -> anyhow::Result<()> {
        let xpath = format!(
            "//*[self::button or self::a or @role='menuitem' or @role='option'][contains(normalize-space(.), \"{words}\") or @aria-label=\"{words}\"]"
        );
        let until = tokio::time::Instant::now() + SOON;
        // A page that is fetching anew may put another element in its place meanwhile.
        loop {
            let pressed =
                match self.web.query(By::XPath(&xpath)).wait(SOON, LOOK).and_displayed().and_enabled().first().await {
                    Ok(element) => element.click().await,
                    Err(error) => Err(error),
                };
            match pressed {
                Ok(()) => return Ok(()),
                Err(error) if tokio::time::Instant::now() > until => {
                    bail!("`{words}` can't be pressed: {error}; the page says: {}", self.text().await?)
                }
                Err(_) => tokio::time::sleep(LOOK).await,
            }
        }
    }

    /// A field by its label.
    pub async fn field(&self, label: &str) -> anyhow::Result<WebElement> {
        self.at(&format!("//label[contains(normalize-space(.), \"{label}\")]/following::*[self::input or self::textarea or self::select][1]")).await
    }

    /// Writes into a field, in place of what was there.
    pub async fn write(&self, label: &str, text: &str) -> anyhow::Result<()> {
        let field = self.field(label).await?;
        field.send_keys(Key::Control + "a").await?;
        field.send_keys(text).await?;
        Ok(())
    }

    /// Chooses an option of a list by its words.
    pub async fn choose(&self, label: &str, option: &str) -> anyhow::Result<()> {
        let field = self.field(label).await?;
        let option = field.find(By::XPath(format!(".//option[contains(., \"{option}\")]"))).await?;
        option.click().await?;
        Ok(())
    }

    /// Everything that the page says at present.
    pub async fn text(&self) -> anyhow::Result<String> {
        Ok(self.web.find(By::Css("body")).await?.text().await?)
    }

    /// Waits until the page says something.
    pub async fn says(&self, words: &str) -> anyhow::Result<()> {
        self.until(words, |text| text.contains(words)).await
    }

    /// Waits until the page's words fit.
    pub async fn until(&self, what: &str, fits: impl Fn(&str) -> bool) -> anyhow::Result<()> {
        let until = tokio::time::Instant::now() + SOON;
        loop {
            let text = self.text().await.unwrap_or_default();
            if fits(&text) {
                return Ok(());
            }
            if tokio::time::Instant::now() > until {
                bail!("the page does not come to say `{what}`; it says:\n{text}");
            }
            tokio::time::sleep(LOOK).await;
        }
    }

    /// Keys, to whatever has the focus.
    pub async fn keys(&self, keys: &str) -> anyhow::Result<()> {
        self.web.active_element().await?.send_keys(keys).await?;
        Ok(())
    }

    /// Signs somebody in with password and code.
    pub async fn sign_in(&self, person: &Person, directory: &std::path::Path) -> anyhow::Result<()> {
        self.web.goto(&self.origin).await?;
        self.fill_sign_in(person, directory).await?;
        self.at("//main[@id='page']//h1").await?;
        Ok(())
    }

    /// Fills in the sign-in that is on the page, and sends it.
    pub async fn fill_sign_in(&self, person: &Person, directory: &std::path::Path) -> anyhow::Result<()> {
        self.write("Name", &person.name).await?;
        self.write("Password", &person.password).await?;
        let code = tokio::task::block_in_place(|| next_code(directory, &person.name, &person.totp_secret))?;
        self.write("Code from your authenticator", &code).await?;
        self.press("Sign in").await
    }

    /// Runs a script in the page, and returns what it returns.
    pub async fn script(&self, script: &str) -> anyhow::Result<Value> {
        Ok(self.web.execute(script, Vec::new()).await?.json().clone())
    }

    /// Waits, ten seconds at most, until nothing is being fetched any more.
    ///
    /// # Errors
    /// The browser's.
    pub async fn settled(&self) -> anyhow::Result<()> {
        let until = tokio::time::Instant::now() + Duration::from_secs(10);
        let fetching = "return document.querySelectorAll('[role=status][aria-label^=Fetching]').length";
        while self.script(fetching).await? != 0 && tokio::time::Instant::now() < until {
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        Ok(())
    }

    /// Errors and broken policies so far, and requests that left the origin.
    pub async fn wrongs(&self) -> anyhow::Result<Vec<String>> {
        let strange = "return [...window.wrongs, ...performance.getEntriesByType('resource').map((one) => one.name).filter((name) => !name.startsWith(location.origin) && !name.startsWith('data:'))]";
        Ok(serde_json::from_value(self.script(strange).await?)?)
    }

    /// What axe finds on the page, each in one line.
    pub async fn axe(&self) -> anyhow::Result<Vec<String>> {
        let levels = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"];
        self.axe_of(json!({ "type": "tag", "values": levels })).await
    }

    /// What another theme can change alone: texts that don't stand out from what is behind them, each in one line.
    pub async fn contrast(&self) -> anyhow::Result<Vec<String>> {
        self.axe_of(json!({ "type": "rule", "values": ["color-contrast"] })).await
    }

    async fn axe_of(&self, run_only: Value) -> anyhow::Result<Vec<String>> {
        if self.script("return typeof axe").await? == "undefined" {
            let axe = concat!(env!("CARGO_MANIFEST_DIR"), "/../../console/node_modules/axe-core/axe.min.js");
            let source = std::fs::read_to_string(axe).context("axe is not there; `make console` fetches it")?;
            self.web.execute(source, Vec::new()).await?;
        }
        let run = "
            const [runOnly, done] = arguments;
            axe.run(document, { resultTypes: ['violations'], runOnly })
                .then((found) => done(found.violations.map((one) => one.id + ': ' + one.help + ' at ' + one.nodes.slice(0, 3).map((node) => node.html.slice(0, 160)).join(' | '))))
                .catch((error) => done(['axe failed: ' + error]));";
        Ok(serde_json::from_value(self.web.execute_async(run, vec![run_only]).await?.json().clone())?)
    }

    /// A picture of what is in view.
    pub async fn picture(&self, path: &std::path::Path) -> anyhow::Result<()> {
        // Nothing moves any more, and everything that was asked for is there.
        self.script("document.getAnimations().forEach((one) => { try { one.finish() } catch { one.cancel() } })")
            .await?;
        let png = self.web.screenshot_as_png().await?;
        std::fs::write(path, png)?;
        Ok(())
    }
}
