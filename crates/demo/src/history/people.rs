//! The port's people beyond those with a part: a couple of hundred, in departments, some with logins that grew over
//! the years.

use super::Chance;

const FIRST: [&str; 40] = [
    "adil", "anja", "arne", "asta", "bela", "carla", "celine", "dario", "dilek", "edda", "emre", "enzo", "fenna",
    "filip", "greta", "hanne", "ilias", "imke", "ivo", "jana", "joris", "katja", "lasse", "lina", "malte", "marta",
    "milan", "nele", "noor", "olav", "petra", "pim", "ragna", "sanne", "selim", "tilde", "ulla", "vera", "wim", "zora",
];
const LAST: [&str; 25] = [
    "abel", "berger", "cruz", "dahl", "eklund", "ferrer", "grau", "haas", "iversen", "jansen", "kaya", "lund",
    "mertens", "novak", "olsen", "prinz", "riedel", "sato", "thorn", "ural", "vidal", "weiss", "yilmaz", "zander",
    "holt",
];

/// Name, what it is for, how many work there, and the database role that its people came to hold.
pub(super) const DEPARTMENTS: [(&str, &str, usize, Option<&str>); 12] = [
    ("berth-office", "sells and books berths", 18, Some("berth_writer")),
    ("pilots", "bring vessels in", 22, Some("vessel_reader")),
    ("crane-crew-north", "work the northern cranes", 20, Some("crane_reader")),
    ("crane-crew-south", "work the southern cranes", 20, None),
    ("gatehouse", "lets lorries in and out", 16, None),
    ("customs-desk", "clears cargo", 14, Some("customs_reader")),
    ("night-operations", "runs the port after dusk", 10, Some("harbour_operator")),
    ("it-operations", "keeps hosts and networks up", 12, Some("harbour_operator")),
    ("data-office", "answers questions with figures", 10, Some("reporting")),
    ("finance", "bills what was done", 14, Some("reporting")),
    ("safety", "keeps people alive", 12, None),
    ("passenger-terminal", "welcomes those who travel", 16, None),
];

/// Somebody of the port.
#[derive(Debug, Clone)]
pub struct Extra {
    /// Name to sign in by.
    pub name: String,
    /// Full name and department.
    pub about: String,
    /// Department.
    pub group: &'static str,
    /// Database login, and the role that it holds; none for those who need none.
    pub login: Option<(String, &'static str)>,
}

fn capital(name: &str) -> String {
    let mut letters = name.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

/// Everybody, the same each time.
#[must_use]
pub fn crew() -> Vec<Extra> {
    let mut chance = Chance { seed: 11, drawn: 0 };
    let mut all: Vec<Extra> = Vec::new();
    for (group, _, count, role) in DEPARTMENTS {
        let mut here = 0;
        while here < count {
            let (Some(first), Some(last)) = (chance.of(&FIRST), chance.of(&LAST)) else { return all };
            let name = format!("{first}.{last}");
            if all.iter().any(|known| known.name == name) {
                continue;
            }
            let letter = first.chars().next().unwrap_or('x');
            let login = format!("{letter}{last}");
            let taken = all.iter().any(|known| known.login.as_ref().is_some_and(|(taken, _)| *taken == login));
            let login = role.filter(|_| !taken && here % 2 == 0).map(|role| (login, role));
            let about = format!("{} {}, {group}", capital(first), capital(last));
            all.push(Extra { name, about, group, login });
            here += 1;
        }
    }
    all
}

/// Their logins and the roles that they were given over the years, as SQL.
#[must_use]
pub fn logins() -> String {
    let statements = crew().into_iter().filter_map(|one| one.login);
    statements.map(|(login, role)| format!("CREATE ROLE {login} LOGIN; GRANT {role} TO {login};\n")).collect()
}
