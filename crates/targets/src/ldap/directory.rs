//! One connection to a directory, with the few things that are asked of it.

use std::{
    collections::{HashMap, HashSet},
    time::Duration,
};

use jiff::{Timestamp, civil::DateTime, tz::TimeZone};
use ldap3::{
    LdapConnAsync, LdapConnSettings, LdapError, LdapResult, Mod, Scope, SearchEntry,
    adapters::{Adapter, EntriesOnly, PagedResults},
    asn1::{ASNTag as _, Integer, OctetString, Sequence, Tag, TagClass, write},
    exop::Exop,
};
use secrecy::{ExposeSecret as _, SecretString};

use super::Address;
use crate::TargetError;

/// Refresh of an entry with a time to live (RFC 2589).
const REFRESH: &str = "1.3.6.1.4.1.1466.101.119.1";
/// Entries of a page; servers commonly give no more at once.
const PAGE: i32 = 400;

/// Result codes (RFC 4511, 4.1.9) that are no failure where they are expected.
pub(super) const NO_SUCH_OBJECT: u32 = 32;
/// Limits of size, by whom they were set.
const LIMITS: [u32; 2] = [4, 11];
const NO_SUCH_VALUE: u32 = 16;
const VALUE_THERE: u32 = 20;
const ENTRY_THERE: u32 = 68;

/// A signed-in connection.
pub(super) struct Directory {
    ldap: ldap3::Ldap,
}

/// An entry, by the attributes that were asked for.
#[derive(Debug, Clone)]
pub(super) struct Entry {
    pub(super) dn: String,
    attributes: HashMap<String, Vec<String>>,
}

impl Entry {
    /// The first value of an attribute; their names are the same in any case.
    pub(super) fn one(&self, attribute: &str) -> Option<&str> {
        self.all(attribute).first().map(String::as_str)
    }

    pub(super) fn all(&self, attribute: &str) -> &[String] {
        let known = self.attributes.iter().find(|(name, _)| name.eq_ignore_ascii_case(attribute));
        known.map_or(&[], |(_, values)| values)
    }

    pub(super) fn is(&self, class: &str) -> bool {
        self.all("objectClass").iter().any(|known| known.eq_ignore_ascii_case(class))
    }
}

/// A group that can be given.
#[derive(Debug, Clone)]
pub(super) struct Group {
    pub(super) dn: String,
    pub(super) name: String,
    /// The attribute that names its members.
    pub(super) attribute: &'static str,
    pub(super) members: Vec<String>,
    /// Whether its members are gathered from grants that lapse.
    pub(super) gathered: bool,
    pub(super) says: Option<String>,
}

fn broken(_: LdapError) -> TargetError {
    TargetError::Unreachable("the connection broke off".to_owned())
}

/// What a result says; the server's own words may name accounts, its code says enough.
fn refused(code: u32) -> TargetError {
    match code {
        49 => TargetError::Refused("it doesn't take our name and password".to_owned()),
        50 => TargetError::Refused("our account may not do this there".to_owned()),
        51 | 52 => TargetError::Limited,
        code => TargetError::Refused(format!("LDAP result code {code}")),
    }
}

/// Well, or one of the codes that are no failure here; whether it was well.
pub(super) fn found_or(result: &LdapResult, fine: &[u32]) -> Result<bool, TargetError> {
    match result.rc {
        0 => Ok(true),
        code if fine.contains(&code) => Ok(false),
        code => Err(refused(code)),
    }
}

/// A time as directories write it, `20261123155450Z`.
pub(super) fn instant(text: &str) -> Option<Timestamp> {
    let digits = text.split(['.', 'Z']).next()?;
    let time = DateTime::strptime("%Y%m%d%H%M%S", digits).ok()?;
    Some(time.to_zoned(TimeZone::UTC).ok()?.timestamp())
}

fn set<'v>(values: &[&'v str]) -> HashSet<&'v str> {
    values.iter().copied().collect()
}

impl Directory {
    pub(super) async fn connect(address: &Address, secret: &SecretString) -> Result<Self, TargetError> {
        let settings = LdapConnSettings::new().set_conn_timeout(Duration::from_secs(3));
        let (connection, mut ldap) = LdapConnAsync::with_settings(settings, &address.url)
            .await
            .map_err(|_| TargetError::Unreachable("no connection".to_owned()))?;
        tokio::spawn(async move {
            if let Err(error) = connection.drive().await {
                tracing::debug!(%error, "a connection to a directory ended");
            }
        });
        let bound = ldap.simple_bind(&address.user, secret.expose_secret()).await.map_err(broken)?;
        found_or(&bound, &[])?;
        Ok(Self { ldap })
    }

    /// One entry; none where there is none.
    pub(super) async fn entry(&mut self, dn: &str, attributes: &[&str]) -> Result<Option<Entry>, TargetError> {
        let found = self.ldap.search(dn, Scope::Base, "(objectClass=*)", attributes.to_vec()).await.map_err(broken)?;
        if !found_or(&found.1, &[NO_SUCH_OBJECT])? {
            return Ok(None);
        }
        Ok(found.0.into_iter().next().map(read))
    }

    /// Everything below that fits, and whether it came whole.
    pub(super) async fn search(
        &mut self,
        base: &str,
        filter: &str,
        attributes: &[&str],
    ) -> Result<(Vec<Entry>, bool), TargetError> {
        let attributes: Vec<String> = attributes.iter().map(|name| (*name).to_owned()).collect();
        let adapters: Vec<Box<dyn Adapter<'_, String, Vec<String>>>> =
            vec![Box::new(EntriesOnly::new()), Box::new(PagedResults::new(PAGE))];
        let mut stream = self
            .ldap
            .streaming_search_with(adapters, base, Scope::Subtree, filter, attributes)
            .await
            .map_err(broken)?;
        let mut entries = Vec::new();
        while let Some(entry) = stream.next().await.map_err(broken)? {
            entries.push(read(entry));
        }
        let whole = found_or(&stream.finish().await, &[LIMITS.as_slice(), &[NO_SUCH_OBJECT]].concat())?;
        Ok((entries, whole))
    }

    /// The same, where a part is of no use.
    pub(super) async fn below(
        &mut self,
        base: &str,
        filter: &str,
        attributes: &[&str],
    ) -> Result<Vec<Entry>, TargetError> {
        match self.search(base, filter, attributes).await? {
            (entries, true) => Ok(entries),
            (_, false) => Err(TargetError::Refused("it answered only in part".to_owned())),
        }
    }

    /// Adds an entry; one that is there already stays as it is.
    pub(super) async fn add(&mut self, dn: &str, attributes: &[(&str, &[&str])]) -> Result<(), TargetError> {
        let attributes = attributes.iter().map(|(name, values)| (*name, set(values))).collect();
        let added = self.ldap.add(dn, attributes).await.map_err(broken)?;
        found_or(&added, &[ENTRY_THERE]).map(|_| ())
    }

    /// Removes an entry, where it is there.
    pub(super) async fn delete(&mut self, dn: &str) -> Result<(), TargetError> {
        let deleted = self.ldap.delete(dn).await.map_err(broken)?;
        found_or(&deleted, &[NO_SUCH_OBJECT]).map(|_| ())
    }

    /// Sets an attribute; whether the entry is there.
    pub(super) async fn replace(&mut self, dn: &str, attribute: &str, value: &str) -> Result<bool, TargetError> {
        let changed = self.ldap.modify(dn, vec![Mod::Replace(attribute, set(&[value]))]).await.map_err(broken)?;
        found_or(&changed, &[NO_SUCH_OBJECT])
    }

    /// Puts an account into a group, where it isn't in it.
    pub(super) async fn join(&mut self, group: &str, attribute: &str, account: &str) -> Result<(), TargetError> {
        let joined = self.ldap.modify(group, vec![Mod::Add(attribute, set(&[account]))]).await.map_err(broken)?;
        found_or(&joined, &[VALUE_THERE]).map(|_| ())
    }

    /// Takes an account out of a group, where it is in it.
    pub(super) async fn leave(&mut self, group: &str, attribute: &str, account: &str) -> Result<(), TargetError> {
        let left = self.ldap.modify(group, vec![Mod::Delete(attribute, set(&[account]))]).await.map_err(broken)?;
        found_or(&left, &[NO_SUCH_VALUE, NO_SUCH_OBJECT]).map(|_| ())
    }

    /// Gives an entry so many seconds to live; says how many it got.
    pub(super) async fn refresh(&mut self, dn: &str, seconds: i64) -> Result<i64, TargetError> {
        let name = OctetString { id: 0, class: TagClass::Context, inner: dn.as_bytes().to_vec() };
        let ttl = Integer { id: 1, class: TagClass::Context, inner: seconds };
        let request = Sequence { inner: vec![Tag::OctetString(name), Tag::Integer(ttl)], ..Sequence::default() };
        let mut value = bytes::BytesMut::new();
        write::encode_into(&mut value, Tag::Sequence(request).into_structure())
            .map_err(|_| TargetError::Refused("the request".to_owned()))?;
        let exop = Exop { name: Some(REFRESH.to_owned()), val: Some(value.to_vec()) };
        let reply = self.ldap.extended(exop).await.map_err(broken)?;
        found_or(&reply.1, &[])?;
        // A sequence of one integer, under the tag [1].
        let value = reply.0.val.unwrap_or_default();
        let digits = value.get(4..).unwrap_or_default();
        Ok(digits.iter().fold(0, |sum, byte| (sum << 8) | i64::from(*byte)))
    }

    /// Whether the server keeps entries with a time to live here.
    pub(super) async fn lets_entries_lapse(&mut self, base: &str) -> Result<bool, TargetError> {
        let root = self.entry("", &["dynamicSubtrees"]).await?;
        let base = base.to_lowercase();
        Ok(root.is_some_and(|root| root.all("dynamicSubtrees").iter().any(|tree| base.ends_with(&tree.to_lowercase()))))
    }

    /// A group by the name of its role.
    pub(super) async fn role(&mut self, address: &Address, name: &str) -> Result<Option<Group>, TargetError> {
        // As the survey names them: by a common name that is no other's and no distinguished name, else by the whole name.
        if name.contains('=') {
            let found = self.entry(name, &Group::ATTRIBUTES).await?;
            let group = found.and_then(|entry| Group::of(&entry, address));
            return Ok(group.filter(|group| group.dn.eq_ignore_ascii_case(name)));
        }
        let filter = format!(
            "(&(cn={})(|(objectClass=groupOfNames)(objectClass=groupOfUniqueNames)(objectClass=groupOfURLs)))",
            ldap3::ldap_escape(name)
        );
        let found = self.below(&address.base, &filter, &Group::ATTRIBUTES).await?;
        let groups: Vec<Group> = found.iter().filter_map(|entry| Group::of(entry, address)).collect();
        let mut named = groups.iter().filter(|group| group.name.eq_ignore_ascii_case(name));
        match (named.next(), named.next()) {
            (Some(_), Some(_)) => Err(TargetError::Refused(
                "two groups go by that name there, and nobody said which is meant; survey it again".to_owned(),
            )),
            (one, _) => Ok(one.cloned()),
        }
    }
}

impl Group {
    pub(super) const ATTRIBUTES: [&'static str; 6] =
        ["objectClass", "cn", "member", "uniqueMember", "memberURL", "description"];

    /// An entry as a group; none for what we made ourselves.
    pub(super) fn of(entry: &Entry, address: &Address) -> Option<Self> {
        let grants = address.grants.to_lowercase();
        if entry.dn.to_lowercase().ends_with(&grants) {
            return None;
        }
        // Whoever may write a group's name could give it another group's as a second one, or one that reads as a whole name.
        let name = match entry.all("cn") {
            [name] if !name.contains('=') => name.clone(),
            [_, ..] => entry.dn.clone(),
            [] => return None,
        };
        let gathers = format!("ldap:///{grants}?member?one?(businesscategory={})", name.to_lowercase());
        let gathered = entry.all("memberURL").iter().any(|url| url.to_lowercase() == gathers);
        let attribute = if entry.is("groupOfUniqueNames") { "uniqueMember" } else { "member" };
        let members = if entry.is("groupOfURLs") { Vec::new() } else { entry.all(attribute).to_vec() };
        if entry.is("groupOfURLs") && !gathered {
            // Its members follow from a search of the server's own; nothing can be added to it.
            return None;
        }
        let says = entry.one("description").map(str::to_owned);
        Some(Self { dn: entry.dn.clone(), name, attribute, members, gathered, says })
    }
}

fn read(entry: ldap3::ResultEntry) -> Entry {
    let entry = SearchEntry::construct(entry);
    Entry { dn: entry.dn, attributes: entry.attrs }
}
