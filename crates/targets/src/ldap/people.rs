//! People and groups of a directory, as a source of who there is.

use std::collections::{BTreeMap, BTreeSet};

use tempestas_core::{GroupFound, Imported, Mapping, PersonFound};

use super::{Entry, Ldap, directory::Group};
use crate::TargetError;

/// The unchanging key of an entry (RFC 4530).
const KEY: &str = "entryUUID";

impl Ldap {
    /// Reads whoever `mapping` picks. One read in part says so itself.
    pub(super) async fn persons(&self, mapping: &Mapping) -> Result<Imported, TargetError> {
        let mut directory = self.connect().await?;
        let mut wanted = vec![KEY, mapping.name.as_str(), mapping.about.as_str()];
        wanted.extend(mapping.manager.as_deref());
        let (people, all_people) = directory.search(&mapping.people, "(objectClass=person)", &wanted).await?;
        let mut attributes = Group::ATTRIBUTES.to_vec();
        attributes.push(KEY);
        let classes = "(|(objectClass=groupOfNames)(objectClass=groupOfUniqueNames))";
        let (entries, all_groups) = match &mapping.groups {
            Some(base) => directory.search(base, classes, &attributes).await?,
            None => (Vec::new(), true),
        };
        let key = |entry: &Entry| entry.one(KEY).map(str::to_owned);
        let by_dn: BTreeMap<String, String> =
            people.iter().filter_map(|entry| Some((entry.dn.to_lowercase(), key(entry)?))).collect();
        let groups: Vec<(Group, String)> =
            entries.iter().filter_map(|entry| Some((Group::of(entry, &self.address)?, key(entry)?))).collect();
        let members: BTreeMap<String, &[String]> =
            groups.iter().map(|(group, _)| (group.dn.to_lowercase(), group.members.as_slice())).collect();
        // Without its key an entry could be anybody's: then this is no whole answer.
        let keyed = by_dn.len() == people.len();
        Ok(Imported {
            complete: all_people && all_groups && keyed,
            people: people
                .iter()
                .filter_map(|entry| {
                    Some(PersonFound {
                        key: key(entry)?,
                        name: entry.one(&mapping.name)?.to_owned(),
                        about: entry.one(&mapping.about).unwrap_or_default().to_owned(),
                        account: entry.dn.clone(),
                        manager: mapping
                            .manager
                            .as_ref()
                            .and_then(|attribute| by_dn.get(&entry.one(attribute)?.to_lowercase()).cloned()),
                    })
                })
                .collect(),
            groups: groups
                .iter()
                .map(|(group, key)| GroupFound {
                    key: key.clone(),
                    name: group.name.clone(),
                    about: group.says.clone().unwrap_or_default(),
                    members: within(&group.dn.to_lowercase(), &members, &by_dn),
                })
                .collect(),
        })
    }
}

/// Keys of the people in a group, through whatever groups.
fn within(group: &str, members: &BTreeMap<String, &[String]>, people: &BTreeMap<String, String>) -> Vec<String> {
    let mut found = BTreeSet::new();
    let mut seen = BTreeSet::new();
    let mut open = vec![group.to_owned()];
    while let Some(at) = open.pop() {
        // Groups may hold each other.
        if !seen.insert(at.clone()) {
            continue;
        }
        for member in members.get(&at).into_iter().flat_map(|members| members.iter()) {
            let member = member.to_lowercase();
            match people.get(&member) {
                Some(key) => {
                    found.insert(key.clone());
                }
                None => open.push(member),
            }
        }
    }
    found.into_iter().collect()
}
