//! Standing rights taken away and put back: precisely that line, that name in it, that member, that key.

use std::path::PathBuf;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use super::{
    Failed, Host, STATE,
    accounts::{Account, is_login},
    grants::{replace, run_program},
    sudoers::{Line, Named, Rule, lines_of, with_line},
};
use crate::protocol::{Outcome, Standing};

/// What was taken out of a file, to be put back word for word.
#[derive(Debug, PartialEq, Eq, Serialize, Deserialize)]
struct Taken {
    file: PathBuf,
    was: String,
    became: String,
    /// When; of what an older edition took, the file says.
    at: Option<Timestamp>,
}

/// A line of `authorized_keys`.
pub(crate) struct Key {
    pub(crate) digest: String,
    /// What it calls itself.
    pub(crate) name: String,
    line: Line,
}

impl Key {
    /// The key itself, without its kind, options and comment.
    pub(crate) fn blob(&self) -> Option<&str> {
        self.line.text.split_whitespace().find(|word| word.starts_with("AAAA"))
    }
}

/// How a rule comes to name an account.
enum Written {
    /// In its own list of users, written so.
    Directly(String),
    /// Through an alias, by this name.
    ByAlias(String),
}

impl Written {
    /// The line without that account; nothing where nobody would be left.
    fn taken_out_of(&self, line: &Line) -> Option<String> {
        match self {
            Self::Directly(name) => line.without(name),
            // The alias may serve other rules, so this one makes an exception of its member.
            Self::ByAlias(name) => line.except(name),
        }
    }
}

impl Line {
    /// The same with an exception at the end of its list of users.
    fn except(&self, user: &str) -> Option<String> {
        let (_, end) = *self.user_spans().last()?;
        Some(format!("{}, !{user}{}", self.text.get(..end)?, self.text.get(end..)?))
    }

    /// Where each name of its list of users begins and ends.
    fn user_spans(&self) -> Vec<(usize, usize)> {
        let bytes = self.text.as_bytes();
        let blank = |at: usize| bytes.get(at).is_some_and(|byte| byte.is_ascii_whitespace() || *byte == b'\\');
        let mut spans = Vec::new();
        let mut at = 0;
        loop {
            while blank(at) {
                at += 1;
            }
            let begin = at;
            while let Some(byte) = bytes.get(at) {
                match byte {
                    b'"' => {
                        at += 1 + bytes.get(at + 1..).and_then(|rest| rest.iter().position(|b| *b == b'"')).unwrap_or(0)
                    }
                    b'\\' if bytes.get(at + 1) != Some(&b'\n') => at += 1,
                    b',' | b'\\' => break,
                    byte if byte.is_ascii_whitespace() => break,
                    _ => {}
                }
                at += 1;
            }
            if at > begin {
                spans.push((begin, at));
            }
            while blank(at) {
                at += 1;
            }
            if bytes.get(at) != Some(&b',') {
                return spans;
            }
            at += 1;
        }
    }

    /// The names of its list of users, as they are written there.
    pub(crate) fn users(&self) -> Vec<&str> {
        self.user_spans().into_iter().filter_map(|(begin, end)| self.text.get(begin..end)).collect()
    }

    /// The same without one of its users; nothing where nobody else would be left.
    fn without(&self, user: &str) -> Option<String> {
        let spans = self.user_spans();
        let at = spans.iter().position(|(begin, end)| self.text.get(*begin..*end) == Some(user))?;
        if spans.len() < 2 {
            return None;
        }
        // With the comma that stands before it, or after it where it is the first.
        let (begin, end) =
            if at == 0 { (spans.first()?.0, spans.get(1)?.0) } else { (spans.get(at - 1)?.1, spans.get(at)?.1) };
        Some(format!("{}{}", self.text.get(..begin)?, self.text.get(end..)?))
    }
}

impl Host {
    pub(crate) fn keys_of(&self, account: &Account) -> Result<Vec<Key>, Failed> {
        let file = self.at(&account.home).join(".ssh/authorized_keys");
        let Ok(text) = self.text(&file) else { return Ok(Vec::new()) };
        let lines = lines_of(&file, &text);
        Ok(lines
            .into_iter()
            .filter(|line| !line.text.trim().is_empty() && !line.text.trim_start().starts_with('#'))
            .map(|line| {
                let digest = line.digest();
                let comment: Vec<&str> =
                    line.text.split_whitespace().skip_while(|word| !word.starts_with("AAAA")).skip(1).collect();
                let short = digest.get(..6).unwrap_or_default().to_owned();
                let name = if comment.is_empty() {
                    format!("key {short}")
                } else {
                    format!("key {short} {}", comment.join(" "))
                };
                Key { digest, name, line }
            })
            .collect())
    }

    fn key(&self, handle: &str) -> Result<Option<Key>, Failed> {
        for account in self.accounts()?.iter().filter(|account| account.uid == 0) {
            if let Some(key) = self.keys_of(account)?.into_iter().find(|key| key.digest == handle) {
                return Ok(Some(key));
            }
        }
        Ok(None)
    }

    /// The rule that gives an account a role by naming it, in its list of users or in an alias, and how it does. A later
    /// exception takes out what came before it.
    fn rule_naming(&self, standing: &Standing) -> Result<Option<(Rule, Written)>, Failed> {
        let uid = self.account(&standing.account)?.map(|account| account.uid);
        for rule in self.rules()? {
            let written = rule
                .who
                .iter()
                .filter_map(|(named, excepted)| match named {
                    Named::User(name) if *name == standing.account => Some((name.clone(), *excepted)),
                    Named::Uid(id) if Some(*id) == uid => Some((format!("#{id}"), *excepted)),
                    _ => None,
                })
                .next_back();
            let ours = rule.line.file.file_name().is_some_and(|name| name.to_string_lossy().starts_with("tempestas-"));
            if let Some((written, false)) = written.filter(|_| !ours)
                && self.role_of(&rule).name == standing.role
            {
                let is_direct = rule.line.users().contains(&written.as_str());
                let written = if is_direct { Written::Directly(written) } else { Written::ByAlias(written) };
                return Ok(Some((rule, written)));
            }
        }
        Ok(None)
    }

    /// What would have to change where a right is written, for whoever keeps that file elsewhere: as `patch` reads it.
    pub(crate) fn patch(&self, standing: &Standing) -> Result<Outcome, Failed> {
        let told = match standing.handle.split_once(':') {
            Some(("sudoers", _)) => self.rule_naming(standing)?.map(|(rule, written)| {
                let became = written.taken_out_of(&rule.line).unwrap_or_default();
                (rule.line, became)
            }),
            Some(("key", digest)) => self.key(digest)?.map(|key| (key.line, String::new())),
            _ => None,
        };
        Ok(Outcome::Patch(told.map(|(line, became)| {
            let file = self.shown(&line.file);
            let text = self.text(&line.file).unwrap_or_default();
            let at = lines_of(&line.file, &text)
                .iter()
                .take_while(|known| known.text != line.text)
                .map(|known| known.text.lines().count())
                .sum::<usize>()
                + 1;
            let side = |sign: char, text: &str| text.lines().map(|line| format!("{sign}{line}\n")).collect::<String>();
            let (old, new) = (line.text.lines().count(), became.lines().count());
            format!(
                "--- {file}\n+++ {file}\n@@ -{at},{old} +{},{new} @@\n{}{}",
                if new == 0 { at - 1 } else { at },
                side('-', &line.text),
                side('+', &became)
            )
        })))
    }

    pub(crate) fn holds_standing(&self, standing: &Standing) -> Result<bool, Failed> {
        match standing.handle.split_once(':') {
            Some(("sudoers", _)) => Ok(self.rule_naming(standing)?.is_some()),
            Some(("member", group)) => {
                let groups = self.groups()?;
                Ok(groups.iter().any(|known| known.name == group && known.members.contains(&standing.account)))
            }
            Some(("key", digest)) => Ok(self.key(digest)?.is_some()),
            _ => Err(Failed("the right can't be taken away by itself".to_owned())),
        }
    }

    /// Refuses where something would be taken from a sealed holder or from the service: by whatever name it is called, and
    /// whichever account's key it is said to be.
    fn spare(&self, standing: &Standing) -> Result<(), Failed> {
        let accounts = self.accounts()?;
        let is_spared =
            |name: &str| name == self.bounds.service || self.bounds.sealed.iter().any(|sealed| sealed == name);
        let spared: Vec<&Account> = accounts.iter().filter(|account| is_spared(&account.name)).collect();
        let refused = || Err(Failed("the account is sealed in host.toml, or the service's own".to_owned()));
        if let Some(("key", digest)) = standing.handle.split_once(':') {
            let Some(key) = self.key(digest)? else { return Ok(()) };
            let is_theirs = |account: &&&Account| key.line.file.starts_with(self.at(&account.home));
            return if spared.iter().any(|account| is_theirs(&account)) { refused() } else { Ok(()) };
        }
        let uid = self.account(&standing.account)?.map(|account| account.uid);
        if is_spared(&standing.account) || spared.iter().any(|account| Some(account.uid) == uid) {
            return refused();
        }
        Ok(())
    }

    pub(crate) fn take_standing(&self, standing: &Standing) -> Result<Outcome, Failed> {
        self.spare(standing)?;
        match standing.handle.split_once(':') {
            Some(("sudoers", _)) => {
                // Each line that names it so; a second one would keep the right.
                while let Some((rule, written)) = self.rule_naming(standing)? {
                    let became = written.taken_out_of(&rule.line).unwrap_or_default();
                    self.note_taken(standing, &rule.line, &became)?;
                    self.change_line(&rule.line, &became)?;
                }
            }
            Some(("member", group)) if is_login(group) && is_login(&standing.account) => {
                if self.holds_standing(standing)? {
                    // Only what was taken here is ever put back here.
                    let line = Line { file: self.at("/etc/group"), text: group.to_owned() };
                    self.note_taken(standing, &line, "")?;
                    run_program("gpasswd", &["-d", &standing.account, group])?;
                }
            }
            Some(("key", digest)) => {
                if let Some(key) = self.key(digest)? {
                    self.note_taken(standing, &key.line, "")?;
                    let text = self.text(&key.line.file)?;
                    let left = with_line(&text, &key.line.text, "").unwrap_or(text);
                    replace(&key.line.file, left.as_bytes(), 0o600)?;
                }
            }
            _ => return Err(Failed("the right can't be taken away by itself".to_owned())),
        }
        Ok(Outcome::Done)
    }

    fn taken_at(&self, standing: &Standing) -> PathBuf {
        let text = format!("{}\n{}\n{}", standing.account, standing.role, standing.handle);
        let digest = ring::digest::digest(&ring::digest::SHA256, text.as_bytes());
        let name: String = digest.as_ref().iter().take(16).map(|byte| format!("{byte:02x}")).collect();
        self.at(STATE).join("taken").join(name)
    }

    fn taken(&self, standing: &Standing) -> Vec<Taken> {
        std::fs::read(self.taken_at(standing))
            .ok()
            .and_then(|text| serde_json::from_slice(&text).ok())
            .unwrap_or_default()
    }

    fn note_taken(&self, standing: &Standing, line: &Line, became: &str) -> Result<(), Failed> {
        let mut taken = self.taken(standing);
        let one = Taken {
            file: line.file.clone(),
            was: line.text.clone(),
            became: became.to_owned(),
            at: Some(Timestamp::now()),
        };
        if taken.iter().any(|known| (&known.file, &known.was, &known.became) == (&one.file, &one.was, &one.became)) {
            // Taking it was tried before.
            return Ok(());
        }
        taken.push(one);
        let text = serde_json::to_vec(&taken).map_err(|error| Failed(error.to_string()))?;
        let path = self.taken_at(standing);
        path.parent().map_or(Ok(()), std::fs::create_dir_all)?;
        replace(&path, &text, 0o600)
    }

    /// What was taken long ago is history: whoever stole an authority could bring all of it back at once.
    fn ensure_undo_is_in_time(&self, standing: &Standing, taken: &[Taken]) -> Result<(), Failed> {
        let written = std::fs::metadata(self.taken_at(standing)).and_then(|meta| meta.modified()).ok();
        let written = written.and_then(|at| Timestamp::try_from(at).ok());
        let first = taken.iter().map(|one| one.at.or(written)).min().flatten().unwrap_or(Timestamp::MIN);
        let within = self.bounds.undo_within;
        if Timestamp::now().duration_since(first) > within {
            return Err(Failed(format!(
                "it was taken longer ago than the {within:#} of `undo_within` in host.toml; put it back by hand"
            )));
        }
        Ok(())
    }

    pub(crate) fn restore_standing(&self, standing: &Standing) -> Result<Outcome, Failed> {
        let taken = self.taken(standing);
        if taken.is_empty() {
            return Err(Failed("nothing of the kind was taken here; put it back by hand".to_owned()));
        }
        self.ensure_undo_is_in_time(standing, &taken)?;
        if let Some(("member", group)) = standing.handle.split_once(':') {
            if !self.holds_standing(standing)? {
                run_program("gpasswd", &["-a", &standing.account, group])?;
            }
            std::fs::remove_file(self.taken_at(standing))?;
            return Ok(Outcome::Done);
        }
        for one in taken.iter().rev() {
            let text = self.text(&one.file).unwrap_or_default();
            let back = with_line(&text, &one.became, &one.was).unwrap_or_else(|| {
                let gap = if text.is_empty() || text.ends_with('\n') { "" } else { "\n" };
                format!("{text}{gap}{}", one.was)
            });
            if standing.handle.starts_with("key:") {
                replace(&one.file, back.as_bytes(), 0o600)?;
            } else {
                self.write_sudoers(&one.file, &back)?;
            }
        }
        std::fs::remove_file(self.taken_at(standing))?;
        Ok(Outcome::Done)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn line(text: &str) -> Line {
        Line { file: PathBuf::from("/etc/sudoers"), text: text.to_owned() }
    }

    #[test]
    fn one_name_is_taken_out_of_a_list_and_nothing_else_changes() {
        for (text, user, left) in [
            ("a, b ALL=(ALL) ALL\n", "a", Some("b ALL=(ALL) ALL\n")),
            ("a,b ALL=(ALL) ALL\n", "b", Some("a ALL=(ALL) ALL\n")),
            ("a , #1004 , c ALL = ALL\n", "#1004", Some("a , c ALL = ALL\n")),
            ("a, \\\n  b ALL=ALL\n", "b", Some("a ALL=ALL\n")),
            ("\"first last\", b ALL=ALL\n", "b", Some("\"first last\" ALL=ALL\n")),
            ("%wheel, !b, a ALL=ALL\n", "a", Some("%wheel, !b ALL=ALL\n")),
            ("a ALL=(ALL) ALL\n", "a", None),
            ("ab ALL=(ALL) ALL\n", "a", None),
            ("b ALL=(ALL) a, /bin/a\n", "a", None),
        ] {
            assert_eq!(line(text).without(user).as_deref(), left, "`{user}` out of {text:?}");
        }
    }

    #[test]
    fn a_member_of_an_alias_becomes_an_exception_of_that_line_alone() {
        for (text, left) in [
            ("NIGHT ALL = (root) /sbin/reboot\n", "NIGHT, !b ALL = (root) /sbin/reboot\n"),
            ("a, NIGHT \\\n ALL = ALL\n", "a, NIGHT, !b \\\n ALL = ALL\n"),
        ] {
            assert_eq!(line(text).except("b").as_deref(), Some(left));
        }
    }

    #[test]
    fn a_file_falls_into_lines_with_what_continues_them_and_is_whole_again() {
        let text = "# head\na ALL=ALL\nb, \\\n  c ALL=\\\n /bin/true\n\n#1000 ALL=ALL";
        let lines = lines_of(&PathBuf::from("/etc/sudoers"), text);
        assert_eq!(lines.len(), 5);
        assert_eq!(lines.iter().map(|line| line.text.as_str()).collect::<String>(), text);
        assert_eq!(lines.get(2).map(Line::users), Some(vec!["b", "c"]));
    }

    #[test]
    fn a_line_that_only_ends_like_another_is_left_alone() {
        let text = "eva ALL=(ALL) ALL\na ALL=(ALL) ALL\n";
        assert_eq!(with_line(text, "a ALL=(ALL) ALL\n", "").as_deref(), Some("eva ALL=(ALL) ALL\n"));
        assert_eq!(with_line("eva ALL=(ALL) ALL\n", "a ALL=(ALL) ALL\n", ""), None);
    }

    proptest::proptest! {
        #[test]
        fn any_line_can_be_read_and_loses_only_what_it_names(text in "[a-z#%!,\\\\\"=() \n]{0,60}") {
            let line = line(&text);
            for user in line.users() {
                if let Some(left) = line.without(user) {
                    proptest::prop_assert!(left.len() < text.len());
                }
            }
        }
    }
}
