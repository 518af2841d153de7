//! Codes of the sample world's people. The service takes each step of a code once, so the steps that were
//! handed out are remembered, and the next one is waited for where need be.

use std::{path::Path, time::Duration};

use jiff::Timestamp;
use totp_rs::{Builder, Secret};

/// Length of a step, in seconds (RFC 6238).
const STEP: u64 = 30;

/// The first code of `secret` that wasn't handed out yet. The service takes one from a step ahead too.
///
/// # Errors
/// When the secret can't be used, or the file with the steps not be written.
pub fn next_code(directory: &Path, name: &str, secret: &str) -> anyhow::Result<String> {
    let file = directory.join(format!("step-{name}"));
    let last: u64 = std::fs::read_to_string(&file).ok().and_then(|text| text.trim().parse().ok()).unwrap_or(0);
    let step = loop {
        let now = u64::try_from(Timestamp::now().as_second())? / STEP;
        let step = now.max(last + 1);
        if step <= now + 1 {
            break step;
        }
        std::thread::sleep(Duration::from_millis(200));
    };
    std::fs::write(&file, step.to_string())?;
    code_at(secret, step * STEP)
}

/// The code at a time, in seconds since 1970.
///
/// # Errors
/// When the secret can't be used.
pub fn code_at(secret: &str, seconds: u64) -> anyhow::Result<String> {
    let secret =
        Secret::try_from_base32(secret).map_err(|error| anyhow::anyhow!("the TOTP secret can't be used: {error:?}"))?;
    let totp = Builder::new()
        .with_secret(secret)
        .with_account_name("x")
        .build()
        .map_err(|error| anyhow::anyhow!("the TOTP secret can't be used: {error}"))?;
    Ok(totp.generate(seconds).to_string())
}
