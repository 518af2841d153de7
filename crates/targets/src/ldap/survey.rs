//! Who is a member of what, through which groups.

use std::collections::{BTreeMap, BTreeSet};

use tempestas_core::{AccountFound, Digest, Lapse, RightFound, RoleFound, Seconds, Survey, Weight};

use super::{
    Ldap,
    directory::{Group, instant},
};
use crate::TargetError;

impl Ldap {
    pub(super) async fn rights(&self) -> Result<Survey, TargetError> {
        let mut directory = self.connect().await?;
        let clock = self.clock_of(&mut directory).await?;
        let base = &self.address.base;
        let classes = "(|(objectClass=groupOfNames)(objectClass=groupOfUniqueNames)(objectClass=groupOfURLs))";
        let (groups, all_groups) = directory.search(base, classes, &Group::ATTRIBUTES).await?;
        let (people, all_people) =
            directory.search(base, "(objectClass=person)", &["authTimestamp", "pwdLastSuccess"]).await?;
        let mut groups: Vec<Group> = groups.iter().filter_map(|entry| Group::of(entry, &self.address)).collect();
        let mut names: BTreeMap<String, usize> = BTreeMap::new();
        groups.iter().for_each(|group| *names.entry(group.name.to_lowercase()).or_default() += 1);
        // Of one name in two places, each goes by its whole name.
        for group in groups.iter_mut().filter(|group| names.get(&group.name.to_lowercase()) != Some(&1)) {
            group.name.clone_from(&group.dn);
        }
        let by_dn: BTreeMap<String, &Group> = groups.iter().map(|group| (group.dn.to_lowercase(), group)).collect();
        let mut rights = Vec::new();
        for group in &groups {
            gather(group, group, &mut Vec::new(), &by_dn, &mut BTreeSet::new(), &mut rights);
        }
        let used =
            |entry: &super::Entry| entry.one("authTimestamp").or_else(|| entry.one("pwdLastSuccess")).and_then(instant);
        Ok(Survey {
            attributes: BTreeMap::new(),
            sealed: Vec::new(),
            complete: all_groups && all_people,
            clock,
            broker: self.address.user.clone(),
            parts: Vec::new(),
            roles: groups.iter().map(|group| self.role_found(group)).collect(),
            accounts: people
                .iter()
                .map(|entry| AccountFound { name: entry.dn.clone(), last_used: used(entry) })
                .collect(),
            rights,
            marked: Vec::new(),
        })
    }

    fn role_found(&self, group: &Group) -> RoleFound {
        let says = if group.gathered {
            format!(
                "the directory itself removes the membership within {} s; what an application read before, it may still believe",
                self.address.sweep
            )
        } else {
            "an ordinary group's member can't lapse: Tempestas takes it out, and can't while it is away".to_owned()
        };
        RoleFound {
            name: group.name.clone(),
            says: group.says.clone().unwrap_or_else(|| format!("is a member of {}", group.dn)),
            // A directory doesn't say what applications make of a group.
            weight: Weight::Privileged,
            permits: Digest::of_json(&(&group.dn, group.gathered)),
            lapse: Lapse {
                by_itself: group.gathered,
                within: Seconds(if group.gathered { self.address.sweep } else { 1 }),
                holder_can_undo: false,
                movable: true,
                says,
            },
        }
    }
}

/// Everybody who is in a group, directly or through others.
fn gather(
    role: &Group,
    group: &Group,
    chain: &mut Vec<String>,
    groups: &BTreeMap<String, &Group>,
    seen: &mut BTreeSet<String>,
    rights: &mut Vec<RightFound>,
) {
    // Groups may hold each other.
    if !seen.insert(group.dn.to_lowercase()) {
        return;
    }
    for member in &group.members {
        if let Some(inner) = groups.get(&member.to_lowercase()) {
            chain.push(inner.name.clone());
            gather(role, inner, chain, groups, seen, rights);
            chain.pop();
        } else {
            rights.push(RightFound {
                account: member.clone(),
                role: role.name.clone(),
                part: Vec::new(),
                // Gathered from the role downwards; told from the account upwards.
                chain: chain.iter().rev().cloned().collect(),
                handle: chain.is_empty().then(|| "member".to_owned()),
                since: None,
                last_used: None,
            });
        }
    }
}
