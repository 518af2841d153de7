//! A real OpenLDAP server: groups within groups, memberships that lapse, answers that aren't whole.

use std::collections::HashSet;

use jiff::{SignedDuration, Timestamp};
use ldap3::{LdapConnAsync, Scope, SearchEntry};
use tempestas_api::{NewAccount, NewSource, NewTarget, StandingFilter, WhichTarget};
use tempestas_core::{LookedAt, Mapping, ScopeId};
use tempestas_demo::{
    cluster::free_port,
    directory::{BASE, BROKER, Directory, Plan as Server, person},
    seed,
};
use tempestas_targets::{GrantCall, Place, StandingCall, Target, TargetError};

use crate::{
    extensions::{extend, settled},
    house::{House, MARA, Plan, TOMAS, eventually},
    targets::given_twice_and_late,
};

const PASSWORD: &str = "made-up-for-tests";

/// A directory, and the target that it is.
fn customs(directory: &tempfile::TempDir, plan: &Server) -> (Directory, Target) {
    let server = Directory::start(directory.path(), free_port().unwrap(), PASSWORD, plan).unwrap();
    let connector = server.connector(plan.sweep);
    let place = Place { connector: &connector, scope: ScopeId(7), installation: "a-test", programs: &[] };
    let target = Target::with_secret(&place, PASSWORD.to_owned().into()).unwrap().unwrap();
    (server, target)
}

fn call(name: &str, role: &str, attempt: i64, seconds: i64) -> GrantCall {
    let now = Timestamp::now();
    GrantCall {
        grant: 7,
        attempt,
        name: name.to_owned(),
        role: role.to_owned(),
        part: Vec::new(),
        account: Some(person("tomas.reyes")),
        opened_at: now,
        until: now + SignedDuration::from_secs(seconds),
    }
}

/// The members of a group as an application reads them.
async fn members(server: &Directory, group: &str) -> Vec<String> {
    let (connection, mut ldap) = LdapConnAsync::new(&format!("ldap://127.0.0.1:{}", server.port)).await.unwrap();
    ldap3::drive!(connection);
    ldap.simple_bind(BROKER, PASSWORD).await.unwrap().success().unwrap();
    let dn = format!("cn={group},ou=groups,{BASE}");
    let (found, _) = ldap.search(&dn, Scope::Base, "(objectClass=*)", vec!["member"]).await.unwrap().success().unwrap();
    let entry = SearchEntry::construct(found.into_iter().next().unwrap());
    entry.attrs.get("member").cloned().unwrap_or_default()
}

#[tokio::test(flavor = "multi_thread")]
async fn giving_twice_has_one_effect_in_a_directory_and_a_late_order_none() {
    let directory = tempfile::tempdir().unwrap();
    let (server, target) = customs(&directory, &Server::default());
    assert_eq!(target.check().await.unwrap(), Vec::<String>::new());
    for (name, role) in [("tpgathered", "seal-breakers"), ("tpadded", "tariff-tables")] {
        given_twice_and_late(&target, |attempt| call(name, role, attempt, 600)).await;
        assert!(!members(&server, role).await.contains(&person("tomas.reyes")), "{role}");
    }
    // Beside a membership that was there, and beside another grant, each ends alone.
    let there = person("lene.madsen");
    let beside = GrantCall { account: Some(there.clone()), ..call("tpbeside", "declarations", 1, 600) };
    target.give(&beside).await.unwrap();
    target.take(&beside).await.unwrap();
    assert!(members(&server, "declarations").await.contains(&there), "the standing membership went with the grant");
    let (one, two) = (call("tpone", "declarations", 1, 600), call("tptwo", "declarations", 1, 600));
    target.give(&one).await.unwrap();
    target.give(&two).await.unwrap();
    target.take(&one).await.unwrap();
    assert!(target.holds(&two).await.unwrap().there, "the second grant went with the first");
    target.take(&two).await.unwrap();
    assert!(!members(&server, "declarations").await.contains(&person("tomas.reyes")));
    assert_eq!(
        target.give(&call("tplong", "none-such", 1, 600)).await,
        Err(TargetError::Refused("the group is not there".to_owned()))
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_group_that_takes_anothers_name_is_given_to_nobody_in_its_place() {
    let directory = tempfile::tempdir().unwrap();
    let (server, target) = customs(&directory, &Server::default());
    let mut ldap = administrator(&server).await;
    let one = |text: &str| HashSet::from([text.to_owned()]);
    let group = |name: &str| {
        let own = vec![("objectClass".to_owned(), one("groupOfNames")), ("cn".to_owned(), one(name))];
        own.into_iter().chain([("member".to_owned(), one(&person("lene.madsen")))]).collect::<Vec<_>>()
    };
    let at = |name: &str| format!("cn={name},ou=groups,{BASE}");
    let is_in = async |group: &str| members(&server, group).await.contains(&person("tomas.reyes"));

    // One with another's name as a second one: what is given goes where the survey saw that name alone.
    let second = vec![ldap3::Mod::Add("cn", HashSet::from(["tariff-tables"]))];
    ldap.modify(&at("declarations"), second).await.unwrap().success().unwrap();
    let given = call("tpsecond", "tariff-tables", 1, 600);
    target.give(&given).await.unwrap();
    assert!(target.holds(&given).await.unwrap().there && is_in("tariff-tables").await && !is_in("declarations").await);
    target.take(&given).await.unwrap();

    // One whose name reads as another's whole name: that other is what is given, or nothing.
    let whole = at("tariff-tables");
    let poses = format!("cn={},ou=groups,{BASE}", whole.replace('=', "\\3d").replace(',', "\\2c"));
    ldap.add(&poses, group(&whole)).await.unwrap().success().unwrap();
    let given = call("tpwhole", &whole, 1, 600);
    target.give(&given).await.unwrap();
    assert!(is_in("tariff-tables").await);
    let (found, _) =
        ldap.search(&poses, Scope::Base, "(objectClass=*)", vec!["member"]).await.unwrap().success().unwrap();
    let entry = SearchEntry::construct(found.into_iter().next().unwrap());
    assert_eq!(entry.attrs["member"], [person("lene.madsen")]);
    target.take(&given).await.unwrap();

    // Two of one name: nobody said which is meant.
    ldap.add(
        &format!("ou=more,{BASE}"),
        vec![("objectClass".to_owned(), one("organizationalUnit")), ("ou".to_owned(), one("more"))],
    )
    .await
    .unwrap()
    .success()
    .unwrap();
    ldap.add(&format!("cn=seal-breakers,ou=more,{BASE}"), group("seal-breakers")).await.unwrap().success().unwrap();
    let refused = target.give(&call("tptwice", "seal-breakers", 1, 600)).await.unwrap_err();
    assert!(matches!(&refused, TargetError::Refused(says) if says.contains("two groups")), "{refused:?}");
    let survey = target.survey().await.unwrap();
    let named = |name: &str| survey.roles.iter().filter(|role| role.name == name).count();
    assert_eq!((named("seal-breakers"), named(&at("seal-breakers"))), (0, 1), "the survey names both by the whole");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_survey_follows_groups_within_groups_and_a_part_of_an_answer_is_known_as_one() {
    let directory = tempfile::tempdir().unwrap();
    let (server, target) = customs(&directory, &Server::default());
    let survey = target.survey().await.unwrap();
    assert!(survey.complete);
    let held = |uid: &str, role: &str| {
        let right = survey.rights.iter().find(|right| right.account == person(uid) && right.role == role);
        right.unwrap_or_else(|| panic!("{uid} is not seen in {role}")).chain.clone()
    };
    assert_eq!(held("lene.madsen", "declarations"), Vec::<String>::new());
    assert_eq!(held("yusuf.adler", "declarations"), ["night-desk"]);
    assert_eq!(held("signe.holm", "declarations"), ["harbour-watch", "night-desk"], "what she is in comes first");
    assert_eq!(held("jonas.weir", "harbour-watch"), ["night-desk"], "the two hold each other");
    let lapses = |role: &str| survey.roles.iter().find(|known| known.name == role).unwrap().lapse.by_itself;
    assert!(lapses("seal-breakers") && !lapses("tariff-tables"));
    let standing = |uid: &str, role: &str| StandingCall {
        account: person(uid),
        role: role.to_owned(),
        part: Vec::new(),
        handle: "member".to_owned(),
    };
    let taken = standing("elif.tan", "declarations");
    target.take_standing(&taken).await.unwrap();
    assert!(!target.holds_standing(&taken).await.unwrap());
    target.restore_standing(&taken).await.unwrap();
    assert!(target.holds_standing(&taken).await.unwrap());
    let last = target.take_standing(&standing("piet.sol", "tariff-tables")).await.unwrap_err();
    assert!(last.to_string().contains("the last member"), "{last}");
    drop(server);

    let limited = Server { size_limit: Some(3), ..Server::default() };
    let (_server, target) = customs(&directory, &limited);
    assert!(!target.survey().await.unwrap().complete, "three of many entries pass for all of them");
    let slow = Server { sweep: 30, ..Server::default() };
    drop(_server);
    let server = Directory::start(directory.path(), free_port().unwrap(), PASSWORD, &slow).unwrap();
    let connector = server.connector(1);
    let place = Place { connector: &connector, scope: ScopeId(7), installation: "a-test", programs: &[] };
    let target = Target::with_secret(&place, PASSWORD.to_owned().into()).unwrap().unwrap();
    let missing = target.check().await.unwrap();
    assert!(missing.iter().any(|one| one.contains("set dds-interval")), "{missing:?}");
}

/// A house that looks after a directory.
struct Customs {
    house: House,
    server: Directory,
    path: String,
    _directory: tempfile::TempDir,
}

impl Customs {
    async fn new() -> Self {
        let house = House::new(Plan::cloud_only()).await;
        let directory = tempfile::tempdir().unwrap();
        let server = Directory::start(directory.path(), free_port().unwrap(), PASSWORD, &Server::default()).unwrap();
        let mara = house.client(MARA);
        let new = NewTarget {
            parent: "/harbour".to_owned(),
            name: "customs".to_owned(),
            connector: server.connector(1),
            secret: PASSWORD.to_owned(),
            emergency_least: 0,
            alarm_after: 30,
        };
        let path = mara.add_target(&new).await.unwrap().path;
        let which = WhichTarget { target: path.clone() };
        assert_eq!(mara.check_target(&which).await.unwrap().missing, Vec::<String>::new());
        seed::wait_for_survey(mara, &path).await.unwrap();
        Self { house, server, path, _directory: directory }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn with_the_service_dead_the_directory_drops_the_member_and_what_was_made_meanwhile_is_found() {
    let Customs { mut house, server, path, .. } = Customs::new().await;
    let mara = house.client(MARA);
    let seen = mara.standing(&StandingFilter::default()).await.unwrap();
    assert!(seen.iter().any(|one| one.scope == path && one.account == person("signe.holm") && one.chain.len() == 2));
    let account = NewAccount { target: path.clone(), account: person("tomas.reyes") };
    mara.set_account(TOMAS, LookedAt::Nothing, &account).await.unwrap();
    let rule = format!("scope = \"{path}\"\n[settings]\napproval = {{ is = \"none\" }}\n");
    mara.add_terms(&toml::from_str(&rule).unwrap()).await.unwrap();
    let right = format!("seal-breakers@{path}");
    house.eligible(TOMAS, &right).await;
    let asked = house.ask(TOMAS, &right, 5).await.unwrap();
    let until = house.live(&asked.id).await.elevation.grant.unwrap().until;
    assert_eq!(members(&server, "seal-breakers").await, [person("tomas.reyes")]);
    // While elevated, he changes something of his own that could bring him back.
    let (connection, mut ldap) = LdapConnAsync::new(&format!("ldap://127.0.0.1:{}", server.port)).await.unwrap();
    ldap3::drive!(connection);
    ldap.simple_bind(&person("tomas.reyes"), "made-up").await.unwrap().success().unwrap();
    let change = ldap3::Mod::Replace("description", std::collections::HashSet::from(["kept"]));
    ldap.modify(&person("tomas.reyes"), vec![change]).await.unwrap().success().unwrap();
    extend(&house, TOMAS, &asked.id, 4).await.unwrap();
    let until = settled(&house, &asked.id).await.max(until + SignedDuration::from_secs(4));
    house.service.kill();
    eventually("the directory drops the member", async || members(&server, "seal-breakers").await.is_empty()).await;
    let late = Timestamp::now().duration_since(until);
    assert!(
        late > SignedDuration::from_secs(-1) && late < SignedDuration::from_secs(4),
        "dropped {late} after its end"
    );
    println!("the directory dropped the member {} ms after the grant's end, with the service dead", late.as_millis());
    house.start_again(&[]);
    let over = house.over(&asked.id).await;
    assert_eq!(over.elevation.state, "lapsed");
    let found = over.elevation.grant.unwrap().leftovers.unwrap();
    let own = format!("the entry {} was changed while elevated", person("tomas.reyes"));
    assert!(found.iter().any(|one| one.what == own), "{found:?}");
}

/// As the directory's own administrator.
async fn administrator(server: &Directory) -> ldap3::Ldap {
    let (connection, mut ldap) = LdapConnAsync::new(&format!("ldap://127.0.0.1:{}", server.port)).await.unwrap();
    ldap3::drive!(connection);
    ldap.simple_bind(BROKER, PASSWORD).await.unwrap().success().unwrap();
    ldap
}

#[tokio::test(flavor = "multi_thread")]
async fn people_come_from_a_directory_and_an_empty_or_shrunken_answer_lets_nobody_go() {
    let Customs { house, server, path, .. } = Customs::new().await;
    let mara = house.client(MARA);
    let mut ldap = administrator(&server).await;
    let officer = |n: usize| person(&format!("officer{n}"));
    let one = |text: &str| std::collections::HashSet::from([text.to_owned()]);
    for n in 0..6 {
        let mut entry = vec![
            ("objectClass".to_owned(), one("inetOrgPerson")),
            ("uid".to_owned(), one(&format!("officer{n}"))),
            ("cn".to_owned(), one(&format!("Officer {n}"))),
            ("sn".to_owned(), one("Officer")),
        ];
        if n > 0 {
            entry.push(("manager".to_owned(), one(&officer(0))));
        }
        ldap.add(&officer(n), entry).await.unwrap().success().unwrap();
    }
    let quay = format!("cn=quay-officers,ou=groups,{BASE}");
    let members = (0..3).map(officer).collect();
    let entry = vec![
        ("objectClass".to_owned(), one("groupOfNames")),
        ("cn".to_owned(), one("quay-officers")),
        ("member".to_owned(), members),
    ];
    ldap.add(&quay, entry).await.unwrap().success().unwrap();
    // Whose account an administrator has named is that person; of equal names nothing is guessed.
    mara.set_account(TOMAS, LookedAt::Nothing, &NewAccount { target: path.clone(), account: person("tomas.reyes") })
        .await
        .unwrap();
    let source = |people: &str| NewSource {
        target: path.clone(),
        mapping: Mapping {
            people: format!("{people}{BASE}"),
            groups: Some(format!("ou=groups,{BASE}")),
            name: "uid".to_owned(),
            about: "cn".to_owned(),
            manager: Some("manager".to_owned()),
        },
    };
    let seen = mara.set_source(&source("ou=people,")).await.unwrap();
    assert_eq!((seen.people, seen.suspended), (8, 0), "six officers, Tomas, and one whom nobody had added: {seen:?}");
    assert!(seen.unusable > 0, "others of the same names are people of the house already");
    let named = async |name: &str| mara.people().await.unwrap().into_iter().find(|one| one.name == name).unwrap();
    assert_eq!(named("officer1").await.about, "Officer 1");
    let accounts = named("officer1").await.accounts;
    assert_eq!(accounts.iter().map(|own| (&own.account, &own.target)).collect::<Vec<_>>(), [(&officer(1), &path)]);
    assert_eq!(named("officer1").await.manager.as_deref(), Some("officer0"));
    assert_eq!(named("quay-officers").await.members, ["officer0", "officer1", "officer2"]);

    let changed = ldap3::Mod::Replace("cn".to_owned(), one("First Officer"));
    ldap.modify(&officer(1), vec![changed]).await.unwrap().success().unwrap();
    ldap.modify(&quay, vec![ldap3::Mod::Delete("member".to_owned(), one(&officer(2)))])
        .await
        .unwrap()
        .success()
        .unwrap();
    ldap.delete(&officer(5)).await.unwrap().success().unwrap();
    let which = WhichTarget { target: path.clone() };
    let after = mara.read_source(&which).await.unwrap();
    assert_eq!((after.held, after.suspended), (false, 1), "{after:?}");
    assert_eq!(named("officer1").await.about, "First Officer");
    assert_eq!(named("quay-officers").await.members, ["officer0", "officer1"]);
    assert!(named("officer5").await.suspended, "who left may do nothing any more");

    // Most of them gone at once, and then all: nobody is let go until somebody looked.
    for n in 1..5 {
        ldap.delete(&officer(n)).await.unwrap().success().unwrap();
    }
    let shrunken = mara.read_source(&which).await.unwrap();
    assert_eq!((shrunken.held, shrunken.suspended), (true, 1), "{shrunken:?}");
    let open = async || {
        let all = mara.alarms().await.unwrap();
        all.into_iter().find(|one| one.kind == "import-held" && one.settled.is_none())
    };
    assert!(open().await.unwrap().says.contains("too many would be gone"));
    let empty = mara.set_source(&source("ou=grants,")).await.unwrap();
    assert_eq!((empty.held, empty.suspended), (true, 1), "an empty directory changes nobody");
    let elsewhere =
        NewSource { mapping: Mapping { people: "dc=elsewhere".to_owned(), ..source("").mapping }, ..source("") };
    let refused = mara.set_source(&elsewhere).await.unwrap_err().to_string();
    assert!(refused.contains("does not lie below"), "{refused}");
    mara.set_source(&source("ou=people,")).await.unwrap();
    house.client(TOMAS).accept_import(&which).await.unwrap_err();
    let accepted = mara.accept_import(&which).await.unwrap();
    assert_eq!((accepted.held, accepted.suspended), (false, 5), "{accepted:?}");
    assert!(open().await.is_none());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_directory_that_answers_empty_changes_nobodys_rights_and_it_is_said_why() {
    let Customs { house, server, path, .. } = Customs::new().await;
    let mara = house.client(MARA);
    let which = WhichTarget { target: path.clone() };
    let here = || StandingFilter { at: Some(path.clone()), ..StandingFilter::default() };
    mara.survey(&which).await.unwrap();
    let known = mara.standing(&here()).await.unwrap();
    let mut ldap = administrator(&server).await;
    let groups = format!("ou=groups,{BASE}");
    let (entries, _) =
        ldap.search(&groups, ldap3::Scope::OneLevel, "(objectClass=*)", ["1.1"]).await.unwrap().success().unwrap();
    assert!(!known.is_empty() && !entries.is_empty());
    for entry in entries {
        ldap.delete(&ldap3::SearchEntry::construct(entry).dn).await.unwrap().success().unwrap();
    }
    let held = mara.survey(&which).await.unwrap().held.unwrap();
    assert!(held.contains("no standing right at all"), "{held}");
    assert_eq!(mara.standing(&here()).await.unwrap().len(), known.len());
    let alarm = mara.alarms().await.unwrap().into_iter().find(|one| one.kind == "survey-held").unwrap();
    assert!(alarm.settled.is_none() && alarm.says.contains(&path), "{}", alarm.says);
    mara.accept_survey(&which).await.unwrap();
    assert!(mara.standing(&here()).await.unwrap().is_empty(), "a person looked, and took it in");
    let settled = mara.alarms().await.unwrap().into_iter().find(|one| one.kind == "survey-held").unwrap().settled;
    assert!(settled.is_some());
}
