//! The rules of sudo: each as it stands in its file, and what it means once aliases, groups and includes are resolved.

use std::{
    collections::BTreeMap,
    io::Write as _,
    path::{Path, PathBuf},
    process::{Command, Stdio},
};

use serde_json::Value;

use super::{Failed, Host, grants::replace};

/// Files that may include each other before it is taken for a loop.
const INCLUDES_MOST: usize = 128;

/// A line of a sudoers file, with the lines that continue it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Line {
    pub(crate) file: PathBuf,
    /// As it stands there, line breaks and all.
    pub(crate) text: String,
}

impl Line {
    fn logical(&self) -> String {
        self.text.replace("\\\n", " ").trim().to_owned()
    }

    fn is_setting(&self) -> bool {
        let text = self.logical();
        ["Defaults", "User_Alias", "Runas_Alias", "Host_Alias", "Cmnd_Alias", "Cmd_Alias"]
            .iter()
            .any(|word| text.starts_with(word))
    }

    fn is_comment(&self) -> bool {
        let text = self.logical();
        // `#1000 ALL=…` is a rule by uid.
        text.is_empty()
            || (text.starts_with('#') && !text.get(1..2).is_some_and(|next| next.bytes().all(|b| b.is_ascii_digit())))
    }

    /// The host's name for it: of what stands there, not of where.
    pub(crate) fn digest(&self) -> String {
        let digest = ring::digest::digest(&ring::digest::SHA256, self.text.as_bytes());
        digest.as_ref().iter().take(10).map(|byte| format!("{byte:02x}")).collect()
    }
}

/// Who a rule names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Named {
    User(String),
    Uid(u32),
    Group(String),
    Gid(u32),
    Netgroup(String),
    Everybody,
}

/// What a line means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Rule {
    pub(crate) line: Line,
    /// Who, each with whether it is an exception.
    pub(crate) who: Vec<(Named, bool)>,
    /// What it allows on this host; `ALL` for everything.
    pub(crate) commands: Vec<String>,
    /// Whether root is among those whom it may run them as.
    pub(crate) as_root: bool,
}

/// Splits a file into its lines, each with what continues it.
pub(crate) fn lines_of(file: &Path, text: &str) -> Vec<Line> {
    let mut lines = Vec::new();
    let mut open = String::new();
    for line in text.split_inclusive('\n') {
        open.push_str(line);
        if !line.trim_end_matches('\n').ends_with('\\') {
            lines.push(Line { file: file.to_owned(), text: std::mem::take(&mut open) });
        }
    }
    if !open.is_empty() {
        lines.push(Line { file: file.to_owned(), text: open });
    }
    lines
}

/// A file's text with one of its lines changed; none where no line is that one. A line that only ends like it is another.
pub(crate) fn with_line(text: &str, line: &str, to: &str) -> Option<String> {
    let lines = lines_of(Path::new(""), text);
    let at = lines.iter().position(|known| known.text == line)?;
    Some(lines.iter().enumerate().map(|(n, known)| if n == at { to } else { known.text.as_str() }).collect())
}

/// A name that no person has, for telling apart in the program's reply which line is meant.
fn mark(n: usize) -> String {
    format!("tempestas-line-{n}")
}

impl Host {
    /// All lines of `/etc/sudoers` and what it includes, in order, without comments.
    fn sudoers_lines(&self) -> Result<Vec<Line>, Failed> {
        let mut lines = Vec::new();
        let mut read = 0;
        self.read_sudoers(&self.at("/etc/sudoers"), &mut lines, &mut read)?;
        Ok(lines)
    }

    fn read_sudoers(&self, file: &Path, lines: &mut Vec<Line>, read: &mut usize) -> Result<(), Failed> {
        *read += 1;
        if *read > INCLUDES_MOST {
            return Err(Failed("sudoers files include each other without end".to_owned()));
        }
        let text = self.text(file)?;
        for line in lines_of(file, &text) {
            let logical = line.logical();
            let directive = logical.strip_prefix(['@', '#']).unwrap_or_default().to_owned();
            if let Some(path) = directive.strip_prefix("includedir ") {
                for file in self.included(path.trim())? {
                    self.read_sudoers(&file, lines, read)?;
                }
            } else if let Some(path) = directive.strip_prefix("include ") {
                self.read_sudoers(&self.at(&self.relative(path.trim())), lines, read)?;
            } else if !line.is_comment() {
                lines.push(line);
            }
        }
        Ok(())
    }

    fn relative(&self, path: &str) -> String {
        if path.starts_with('/') { path.to_owned() } else { format!("/etc/{path}") }
    }

    /// Files of a directory as sudo takes them: in order, without those with a dot or a tilde at the end.
    fn included(&self, directory: &str) -> Result<Vec<PathBuf>, Failed> {
        let Ok(entries) = std::fs::read_dir(self.at(&self.relative(directory))) else { return Ok(Vec::new()) };
        let mut files: Vec<PathBuf> =
            entries.flatten().map(|entry| entry.path()).filter(|path| path.is_file()).collect();
        files.retain(|path| {
            path.file_name().is_some_and(|name| {
                let name = name.to_string_lossy();
                !name.contains('.') && !name.ends_with('~')
            })
        });
        files.sort();
        Ok(files)
    }

    /// Every rule, resolved by sudo's own program for that.
    pub(crate) fn rules(&self) -> Result<Vec<Rule>, Failed> {
        let lines = self.sudoers_lines()?;
        let rules: Vec<&Line> = lines.iter().filter(|line| !line.is_setting()).collect();
        let mut text: String = lines.iter().filter(|line| line.is_setting()).map(|line| whole(&line.text)).collect();
        for (n, line) in rules.iter().enumerate() {
            text.push_str(&format!("{} ALL = /nothing\n{}", mark(n), whole(&line.text)));
        }
        let resolved = resolve(&text)?;
        let host = self.name();
        let mut found = Vec::new();
        let mut current = None;
        for spec in resolved.get("User_Specs").and_then(Value::as_array).into_iter().flatten() {
            let who = named(spec.get("User_List"));
            if let [(Named::User(name), false)] = who.as_slice()
                && let Some(n) = name.strip_prefix("tempestas-line-").and_then(|n| n.parse::<usize>().ok())
            {
                current = Some(n);
                continue;
            }
            let Some(line) = current.and_then(|n| rules.get(n)) else { continue };
            if !on_this_host(spec.get("Host_List"), &host) {
                continue;
            }
            let (commands, as_root) = commands_of(spec.get("Cmnd_Specs"));
            found.push(Rule { line: (*line).clone(), who, commands, as_root });
        }
        Ok(found)
    }

    fn name(&self) -> String {
        self.text(&self.at("/etc/hostname")).map(|name| name.trim().to_owned()).unwrap_or_default()
    }

    /// Changes one line of a sudoers file; the file as a whole must still be one that sudo takes.
    pub(crate) fn change_line(&self, line: &Line, to: &str) -> Result<(), Failed> {
        let text = self.text(&line.file)?;
        let changed = with_line(&text, &line.text, to);
        let changed = changed.ok_or_else(|| Failed("the line is not there any more".to_owned()))?;
        self.write_sudoers(&line.file, &changed)
    }

    /// Writes a sudoers file, once sudo itself has nothing against it.
    pub(crate) fn write_sudoers(&self, file: &Path, text: &str) -> Result<(), Failed> {
        let name = file.file_name().and_then(|name| name.to_str()).unwrap_or_default();
        let unread = file.with_file_name(format!(".{name}.checked"));
        replace(&unread, text.as_bytes(), 0o440)?;
        let checked = super::grants::run_program("visudo", &["-c", "-q", "-f", &unread.to_string_lossy()]);
        if let Err(failed) = checked {
            std::fs::remove_file(&unread)?;
            return Err(failed);
        }
        std::fs::rename(&unread, file)?;
        Ok(())
    }
}

fn whole(text: &str) -> String {
    if text.ends_with('\n') { text.to_owned() } else { format!("{text}\n") }
}

fn resolve(text: &str) -> Result<Value, Failed> {
    let mut program = Command::new("cvtsudoers")
        .args(["-e", "-f", "json"])
        .env_clear()
        .env("PATH", "/usr/sbin:/usr/bin:/sbin:/bin")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .map_err(|error| Failed(format!("`cvtsudoers` can't be run: {error}; it comes with sudo")))?;
    let mut stdin = program.stdin.take().ok_or_else(|| Failed("no way to write to `cvtsudoers`".to_owned()))?;
    let text = text.to_owned();
    let writer = std::thread::spawn(move || stdin.write_all(text.as_bytes()));
    let output = program.wait_with_output()?;
    writer.join().map_err(|_| Failed("`cvtsudoers` took no rules".to_owned()))??;
    if !output.status.success() {
        return Err(Failed("sudo can't read its own rules; `visudo -c` on the host says where".to_owned()));
    }
    serde_json::from_slice(&output.stdout).map_err(|error| Failed(format!("`cvtsudoers` answered otherwise: {error}")))
}

fn named(list: Option<&Value>) -> Vec<(Named, bool)> {
    list.and_then(Value::as_array)
        .into_iter()
        .flatten()
        .filter_map(|one| {
            let text = |key: &str| one.get(key).and_then(Value::as_str).map(str::to_owned);
            let number = |key: &str| one.get(key).and_then(Value::as_u64).and_then(|id| u32::try_from(id).ok());
            let negated = one.get("negated").and_then(Value::as_bool).unwrap_or(false);
            let named = text("username")
                .map(|name| if name == "ALL" { Named::Everybody } else { Named::User(name) })
                .or_else(|| number("userid").map(Named::Uid))
                .or_else(|| text("usergroup").or_else(|| text("nonunixgroup")).map(Named::Group))
                .or_else(|| number("usergid").or_else(|| number("nonunixgid")).map(Named::Gid))
                .or_else(|| text("netgroup").map(Named::Netgroup))?;
            Some((named, negated))
        })
        .collect()
}

/// Whether a rule is for this host. What can't be told from here counts as for it.
fn on_this_host(list: Option<&Value>, host: &str) -> bool {
    let mut fits = false;
    for one in list.and_then(Value::as_array).into_iter().flatten() {
        let negated = one.get("negated").and_then(Value::as_bool).unwrap_or(false);
        let matches = match one.get("hostname").and_then(Value::as_str) {
            Some("ALL") | None => true,
            Some(name) => name == host || name.split('.').next() == Some(host) || name.contains(['*', '?', '[']),
        };
        if matches {
            fits = !negated;
        }
    }
    fits
}

fn commands_of(specs: Option<&Value>) -> (Vec<String>, bool) {
    let mut commands: BTreeMap<String, bool> = BTreeMap::new();
    let mut as_root = false;
    for spec in specs.and_then(Value::as_array).into_iter().flatten() {
        let runs_as = spec.get("runasusers").and_then(Value::as_array);
        as_root |= runs_as.is_none_or(|users| {
            users.iter().any(|user| {
                matches!(user.get("username").and_then(Value::as_str), Some("ALL" | "root"))
                    || user.get("userid").and_then(Value::as_u64) == Some(0)
            })
        });
        for one in spec.get("Commands").and_then(Value::as_array).into_iter().flatten() {
            let negated = one.get("negated").and_then(Value::as_bool).unwrap_or(false);
            if let Some(command) = one.get("command").and_then(Value::as_str) {
                commands.insert(command.to_owned(), negated);
            }
        }
    }
    let shown = |(command, negated): (String, bool)| if negated { format!("!{command}") } else { command };
    (commands.into_iter().map(shown).collect(), as_root)
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::{super::testing, *};

    fn host(files: &[(&str, &str)]) -> (tempfile::TempDir, Host) {
        testing::host(&files.iter().map(|(path, text)| (*path, *text, 0o440)).collect::<Vec<_>>())
    }

    fn texts(host: &Host) -> Vec<String> {
        host.sudoers_lines().expect("lines").into_iter().map(|line| line.text).collect()
    }

    #[test]
    fn what_is_included_stands_where_it_is_included_in_the_order_that_sudo_takes() {
        let (_root, host) = host(&[
            (
                "etc/sudoers",
                "# rules\nDefaults env_reset\na ALL=ALL\n@includedir /etc/sudoers.d\nz ALL=ALL\n#include more\n",
            ),
            ("etc/sudoers.d/20-b", "c ALL=ALL\n"),
            ("etc/sudoers.d/10-a", "b ALL=ALL\n\n"),
            ("etc/sudoers.d/30.off", "off ALL=ALL\n"),
            ("etc/sudoers.d/40~", "old ALL=ALL\n"),
            ("etc/more", "y ALL=ALL"),
        ]);
        let expected =
            ["Defaults env_reset\n", "a ALL=ALL\n", "b ALL=ALL\n", "c ALL=ALL\n", "z ALL=ALL\n", "y ALL=ALL"];
        assert_eq!(texts(&host), expected);
    }

    #[test]
    fn a_rule_by_uid_is_no_comment() {
        let (_root, host) = host(&[("etc/sudoers", "#1000 ALL=ALL\n# 1000 ALL=ALL\n#a ALL=ALL\n")]);
        assert_eq!(texts(&host), ["#1000 ALL=ALL\n"]);
    }

    #[test]
    fn files_that_include_each_other_are_refused_instead_of_read_for_ever() {
        let (_root, host) = host(&[("etc/sudoers", "@include /etc/other\n"), ("etc/other", "@include /etc/sudoers\n")]);
        let refused = host.sudoers_lines().expect_err("a loop");
        assert_eq!(refused.to_string(), "sudoers files include each other without end");
    }

    #[test]
    fn a_directory_that_is_not_there_includes_nothing_and_a_file_that_is_not_is_said() {
        let (_root, host) = host(&[("etc/sudoers", "@includedir /etc/nothing\na ALL=ALL\n")]);
        assert_eq!(texts(&host), ["a ALL=ALL\n"]);
        let (_root, host) = self::host(&[("etc/sudoers", "@include /etc/nothing\n")]);
        assert!(host.sudoers_lines().is_err());
    }

    #[test]
    fn a_line_is_named_by_what_stands_there_and_not_by_where() {
        let line = |file: &str, text: &str| Line { file: PathBuf::from(file), text: text.to_owned() };
        let one = line("/etc/sudoers", "a ALL=ALL\n").digest();
        assert_eq!(one, line("/etc/sudoers.d/a", "a ALL=ALL\n").digest());
        assert_ne!(one, line("/etc/sudoers", "a ALL=ALL").digest());
        assert_eq!(one.len(), 20);
    }

    #[test]
    fn whoever_a_rule_names_is_read_with_its_exceptions() {
        let list = json!([
            { "username": "tomas" }, { "username": "ALL" }, { "userid": 1001 }, { "usergroup": "adm", "negated": true },
            { "nonunixgroup": "pier" }, { "usergid": 4 }, { "netgroup": "night" }, { "something": "else" },
        ]);
        let who = named(Some(&list));
        let expected = [
            (Named::User("tomas".to_owned()), false),
            (Named::Everybody, false),
            (Named::Uid(1001), false),
            (Named::Group("adm".to_owned()), true),
            (Named::Group("pier".to_owned()), false),
            (Named::Gid(4), false),
            (Named::Netgroup("night".to_owned()), false),
        ];
        assert_eq!(who, expected);
        assert_eq!(named(None), []);
    }

    #[test]
    fn a_rule_is_for_this_host_unless_it_plainly_is_not() {
        for (list, fits) in [
            (json!([{ "hostname": "ALL" }]), true),
            (json!([{ "hostname": "pier7" }]), true),
            (json!([{ "hostname": "pier7.port.example" }]), true),
            (json!([{ "hostname": "pier*" }]), true),
            (json!([{ "networkaddr": "192.0.2.0/24" }]), true),
            (json!([{ "hostname": "crane1" }]), false),
            (json!([{ "hostname": "ALL" }, { "hostname": "pier7", "negated": true }]), false),
            (json!([{ "hostname": "pier7", "negated": true }, { "hostname": "ALL" }]), true),
            (json!([]), false),
        ] {
            assert_eq!(on_this_host(Some(&list), "pier7"), fits, "{list}");
        }
    }

    #[test]
    fn commands_are_told_with_their_exceptions_and_as_whom_they_run() {
        let spec = |runs_as: Value, commands: Value| json!([{ "runasusers": runs_as, "Commands": commands }]);
        let all = json!([{ "command": "ALL" }, { "command": "/bin/su", "negated": true }]);
        for (runs_as, as_root) in [
            (json!([{ "username": "root" }]), true),
            (json!([{ "username": "ALL" }]), true),
            (json!([{ "userid": 0 }]), true),
            (json!([{ "username": "berth" }]), false),
        ] {
            let (commands, root) = commands_of(Some(&spec(runs_as.clone(), all.clone())));
            assert_eq!(commands, ["!/bin/su", "ALL"]);
            assert_eq!(root, as_root, "{runs_as}");
        }
        let nobody_said = json!([{ "Commands": [{ "command": "/bin/true" }] }]);
        assert_eq!(commands_of(Some(&nobody_said)), (vec!["/bin/true".to_owned()], true), "sudo means root then");
        assert_eq!(commands_of(None), (Vec::new(), false));
    }
}
