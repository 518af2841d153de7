//! Whom this host lets in by certificate: the authorities of Tempestas, two of each while one follows another, and the
//! certificates that are void before their time.

use std::path::Path;

use super::{
    Failed, Host,
    grants::{replace, run_program},
};
use crate::protocol::{Outcome, Trusted};

/// Most authorities of one kind: one, and the one that follows it.
const AUTHORITIES_MOST: usize = 2;
/// Most numbers of certificates that are void.
const REVOKED_MOST: usize = 10_000;

impl Host {
    /// Trusts exactly these from now on. A host whose root said otherwise in `host.toml` changes nothing.
    pub(crate) fn trust(&self, trusted: &Trusted) -> Result<Outcome, Failed> {
        for lines in [&trusted.people, &trusted.orders] {
            if lines.is_empty() || lines.len() > AUTHORITIES_MOST || !lines.iter().all(|line| is_authority(line)) {
                return Err(Failed("what it should trust is no list of one or two authorities".to_owned()));
            }
        }
        if trusted.revoked.len() > REVOKED_MOST {
            return Err(Failed(format!("more than {REVOKED_MOST} certificates would be void at once")));
        }
        let (people, orders) = (lines_of(&trusted.people), lines_of(&trusted.orders));
        let changes = |name: &str, text: &str| self.text(&self.at(name)).unwrap_or_default() != text;
        let differs =
            changes("/etc/tempestas/people_ca.pub", &people) || changes("/etc/tempestas/orders_ca.pub", &orders);
        if differs && !self.bounds.follow_authorities {
            return Err(Failed(
                "host.toml doesn't let orders change whom this host trusts; run what `tempestas targets enrolment` prints on it"
                    .to_owned(),
            ));
        }
        // What is void comes first: nothing that was taken back is let in by a new authority in between.
        self.revoke(&trusted.people, &trusted.revoked)?;
        if differs {
            replace(&self.at("/etc/tempestas/people_ca.pub"), people.as_bytes(), 0o644)?;
            replace(&self.at("/etc/tempestas/orders_ca.pub"), orders.as_bytes(), 0o644)?;
        }
        Ok(Outcome::Done)
    }

    /// Makes certificates void by their numbers, whichever of the authorities signed them.
    fn revoke(&self, people: &[String], revoked: &[u64]) -> Result<(), Failed> {
        let list = self.at("/etc/tempestas/revoked");
        if revoked.is_empty() {
            return replace(&list, b"", 0o644);
        }
        let (authority, numbers, made) = (
            self.at("/etc/tempestas/.authority"),
            self.at("/etc/tempestas/.numbers"),
            self.at("/etc/tempestas/.revoked"),
        );
        let said: String = revoked.iter().map(|number| format!("serial: {number}\n")).collect();
        replace(&numbers, said.as_bytes(), 0o600)?;
        let shown = |path: &Path| path.display().to_string();
        for (n, line) in people.iter().enumerate() {
            replace(&authority, format!("{line}\n").as_bytes(), 0o600)?;
            let mut arguments = vec!["-q".to_owned(), "-k".to_owned(), "-f".to_owned(), shown(&made)];
            if n > 0 {
                arguments.push("-u".to_owned());
            }
            arguments.extend(["-s".to_owned(), shown(&authority), shown(&numbers)]);
            run_program("ssh-keygen", &arguments.iter().map(String::as_str).collect::<Vec<_>>())?;
        }
        let text = std::fs::read(&made)?;
        for passing in [&authority, &numbers, &made] {
            std::fs::remove_file(passing)?;
        }
        replace(&list, &text, 0o644)
    }
}

fn lines_of(lines: &[String]) -> String {
    lines.iter().map(|line| format!("{line}\n")).collect()
}

/// One line of `TrustedUserCAKeys`: an Ed25519 key and a word about it.
fn is_authority(line: &str) -> bool {
    let mut words = line.split(' ');
    let is_key = words.next() == Some("ssh-ed25519")
        && words.next().is_some_and(|key| {
            (40..=120).contains(&key.len()) && key.bytes().all(|b| b.is_ascii_alphanumeric() || b"+/=".contains(&b))
        });
    is_key && line.len() <= 300 && line.bytes().all(|byte| (b' '..=b'~').contains(&byte))
}

#[cfg(test)]
mod tests {
    use super::is_authority;

    #[test]
    fn only_one_line_with_one_key_is_an_authority() {
        let key = "AAAAC3NzaC1lZDI1NTE5AAAAIF7kTQ3KwqAxv9QWcqf6C3wKkq9zv0m4c1q0v0Qm3h3k";
        for (line, is) in [
            (format!("ssh-ed25519 {key} tempestas people"), true),
            (format!("ssh-ed25519 {key}"), true),
            (format!("ssh-ed25519 {key}\nssh-ed25519 {key}"), false),
            (format!("cert-authority ssh-ed25519 {key}"), false),
            (format!("ssh-rsa {key}"), false),
            ("ssh-ed25519 short".to_owned(), false),
            (String::new(), false),
        ] {
            assert_eq!(is_authority(&line), is, "{line:?}");
        }
    }
}
