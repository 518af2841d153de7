//! What a host is given to be looked after, and what power that is: text for its root to read, and run.

use super::{PROGRAM, host_name};

/// What enrolling a host takes.
pub struct Enrolment<'e> {
    /// The installation.
    pub installation: &'e str,
    /// The target's scope.
    pub scope: u64,
    /// The account that orders come through.
    pub service: &'e str,
    /// Lines of the authorities for people.
    pub people: &'e [String],
    /// Lines of the authorities for the service.
    pub orders: &'e [String],
}

impl Enrolment<'_> {
    /// What power it is, and why; one sentence each.
    #[must_use]
    pub fn says(&self) -> Vec<String> {
        let (service, host) = (self.service, host_name(self.installation, self.scope));
        vec![
            format!("The account `{service}` may run one program as root, {PROGRAM}, and nothing else: root is needed to write sudo's rules and to end what runs under a grant."),
            "What that program does is bounded by /etc/tempestas/host.toml, which only the host's root writes: the longest time, the roles, the accounts that are left alone.".to_owned(),
            format!("It is reached by a certificate for `{service}@{host}` alone, good for two minutes, of an authority that signs nothing else."),
            format!("People come in by certificates for `ACCOUNT@{host}` of a second authority, and only while the account holds a grant here; root and the system's accounts never."),
            "Ways in that the host has already stay as they are.".to_owned(),
        ]
    }

    /// A script for the host's root: places everything, and nothing twice.
    #[must_use]
    pub fn script(&self) -> String {
        let host = host_name(self.installation, self.scope);
        include_str!("enrol.sh")
            .replace("@PROGRAM@", PROGRAM)
            .replace("@SERVICE@", self.service)
            .replace("@HOST@", &host)
            .replace("@INSTALLATION@", self.installation)
            .replace("@PEOPLE@", &self.people.join("\n"))
            .replace("@ORDERS@", &self.orders.join("\n"))
    }

    /// A script that takes all of it away again.
    #[must_use]
    pub fn undo(&self) -> String {
        include_str!("unenrol.sh").replace("@PROGRAM@", PROGRAM).replace("@SERVICE@", self.service)
    }
}
