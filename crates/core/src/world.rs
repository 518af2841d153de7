//! The World: the whole present state in memory, and the rows it is made of.

mod groups;
mod looks;

use std::{
    collections::{BTreeMap, BTreeSet, HashMap},
    sync::Arc,
};

use jiff::Timestamp;
use serde::{Deserialize, Serialize, de::DeserializeOwned};

use crate::{
    Account, Alarm, AlarmId, Appointment, AppointmentId, Conversion, ConversionId, Drift, DriftId, Duty, DutyId,
    Elevation, ElevationId, Eligibility, EligibilityId, Fact, Grant, GrantId, Hand, Link, Refusal, Right, Role, RoleId,
    Scope, ScopeId, Source, Standing, StandingId, Stop, StopId, Subject, SubjectId, SubjectKind, Tally, Target, Terms,
    TermsId, Words, text::Digest,
};

pub(crate) use groups::GROUP_DEPTH;

macro_rules! tables {
    ($($kind:ident $word:literal $table:ident: $id:ty => $row:ty, |$it:ident| $key:expr;)*) => {
        /// One row of the derived state; what a fact puts in place.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
        #[serde(rename_all = "kebab-case")]
        #[expect(clippy::large_enum_variant, reason = "rows pass through; none is kept in this form")]
        pub enum Row {
            $(#[doc = concat!("A row of `", $word, "`.")] $kind($row),)*
            /// Numbers that the World hands out next.
            Counters(Counters),
        }

        /// The kind of a row.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
        #[serde(rename_all = "kebab-case")]
        pub enum Kind {
            $(#[doc = concat!("`", $word, "`.")] $kind,)*
            /// `counters`.
            Counters,
        }

        impl Kind {
            /// The kind as a word, as the store keeps it.
            #[must_use]
            pub const fn word(self) -> &'static str {
                match self { $(Self::$kind => $word,)* Self::Counters => "counters" }
            }
        }

        impl Row {
            /// The row's key.
            #[must_use]
            pub fn key(&self) -> Key {
                match self {
                    $(Self::$kind($it) => Key { kind: Kind::$kind, id: key_text(&$key) },)*
                    Self::Counters(_) => Key { kind: Kind::Counters, id: "0".to_owned() },
                }
            }
        }

        /// The present state.
        #[derive(Debug, Clone, Default, PartialEq)]
        pub struct World {
            $(#[doc = concat!("Every row of `", $word, "`.")] pub $table: BTreeMap<$id, $row>,)*
            /// Numbers handed out next.
            pub counters: Counters,
            /// The root of the estate; none before the first fact.
            pub root: Option<ScopeId>,
            /// Elevations that are not over.
            pub active: BTreeSet<ElevationId>,
            /// Eligibilities by who holds them, so that one person's are found without looking at everybody's.
            eligible: BTreeMap<SubjectId, BTreeSet<EligibilityId>>,
            /// Every group.
            groups: BTreeSet<SubjectId>,
            /// Time of the last fact.
            pub last_at: Option<Timestamp>,
            /// Private texts that are still known, by digest; shared with what is tried.
            texts: Arc<HashMap<Digest, String>>,
            /// Whose names look alike.
            looks: looks::Looks,
        }

        impl World {
            /// Puts a row in place.
            pub fn put(&mut self, row: Row) {
                match &row {
                    Row::Scope(scope) if scope.parent.is_none() => self.root = Some(scope.id),
                    Row::Elevation(elevation) if elevation.is_over() => { self.active.remove(&elevation.id); }
                    Row::Elevation(elevation) => { self.active.insert(elevation.id); }
                    Row::Eligibility(held) => { self.eligible.entry(held.subject).or_default().insert(held.id); }
                    Row::Subject(subject) => {
                        self.looks = looks::Looks::default();
                        if subject.kind == SubjectKind::Group {
                            self.groups.insert(subject.id);
                        }
                    }
                    _ => {}
                }
                match row {
                    $(Row::$kind($it) => { let key = $key; self.$table.insert(key, $it); })*
                    Row::Counters(counters) => self.counters = counters,
                }
            }

            /// Takes a row out.
            fn cut(&mut self, key: &Key) {
                if key.kind == Kind::Eligibility
                    && let Some(held) = key_read(&key.id).and_then(|id| self.eligibilities.get(&id))
                    && let Some(known) = self.eligible.get_mut(&held.subject)
                {
                    known.remove(&held.id);
                }
                match key.kind {
                    $(Kind::$kind => {
                        if let Some(id) = key_read::<$id>(&key.id) {
                            self.$table.remove(&id);
                        }
                    })*
                    Kind::Counters => {}
                }
            }

            /// Every row, for the store and for comparing.
            pub fn rows(&self) -> impl Iterator<Item = Row> + '_ {
                std::iter::once(Row::Counters(self.counters.clone()))
                    $(.chain(self.$table.values().cloned().map(Row::$kind)))*
            }
        }
    };
}

tables! {
    Subject "subject" subjects: SubjectId => Subject, |it| it.id;
    Hand "hand" hands: String => Hand, |it| format!("{}-{}", it.by.map_or(0, |by| by.0), it.touched.0);
    Scope "scope" scopes: ScopeId => Scope, |it| it.id;
    Target "target" targets: ScopeId => Target, |it| it.scope;
    Role "role" roles: RoleId => Role, |it| it.id;
    Account "account" accounts: String => Account, |it| format!("{}-{}", it.subject.0, it.target.0);
    Duty "duty" duties: DutyId => Duty, |it| it.id;
    Standing "standing" standing: StandingId => Standing, |it| it.id;
    Eligibility "eligibility" eligibilities: EligibilityId => Eligibility, |it| it.id;
    Appointment "appointment" appointments: AppointmentId => Appointment, |it| it.id;
    Terms "terms" terms: TermsId => Terms, |it| it.id;
    Conversion "conversion" conversions: ConversionId => Conversion, |it| it.id;
    Drift "drift" drifts: DriftId => Drift, |it| it.id;
    Elevation "elevation" elevations: ElevationId => Elevation, |it| it.id;
    Grant "grant" grants: GrantId => Grant, |it| it.id;
    Alarm "alarm" alarms: AlarmId => Alarm, |it| it.id;
    Stop "stop" stops: StopId => Stop, |it| it.id;
    Source "source" sources: ScopeId => Source, |it| it.target;
    Link "link" links: String => Link, |it| format!("{}-{}", it.target.0, it.key);
    Tally "tally" tallies: String => Tally, |it| it.day.clone();
}

fn key_text<T: Serialize>(id: &T) -> String {
    match serde_json::to_value(id) {
        Ok(serde_json::Value::String(text)) => text,
        Ok(value) => value.to_string(),
        Err(_) => String::new(),
    }
}

/// Reads what [`key_text`] wrote.
fn key_read<T: DeserializeOwned>(text: &str) -> Option<T> {
    let plain = || serde_json::from_value(serde_json::Value::String(text.to_owned())).ok();
    serde_json::from_str(text).ok().or_else(plain)
}

/// The kind and id of a row.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Key {
    /// Kind.
    pub kind: Kind,
    /// Id, as text.
    pub id: String,
}

/// Numbers that the World hands out next.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Counters {
    /// Next id of any kind but those below.
    pub next: u64,
    /// Next elevation's.
    pub next_elevation: u64,
    /// Present epoch; a restore begins a new one.
    pub epoch: u32,
}

impl Default for Counters {
    fn default() -> Self {
        Self { next: 1, next_elevation: 1001, epoch: 1 }
    }
}

/// Who owns which account.
pub struct Owners<'w> {
    world: &'w World,
    known: HashMap<(ScopeId, &'w str), SubjectId>,
}

impl Owners<'_> {
    /// Who owns the account that holds a standing right.
    #[must_use]
    pub fn of(&self, held: &Standing) -> Option<SubjectId> {
        self.known.get(&(held.target, self.world.texts.get(&held.account)?.as_str())).copied()
    }
}

impl World {
    /// Puts in place what a fact carries. Holds no rule: a fact brings its results along.
    pub fn apply(&mut self, fact: &Fact) {
        for key in &fact.cut {
            self.cut(key);
        }
        for row in &fact.put {
            self.put(row.clone());
        }
        self.last_at = Some(fact.at);
    }

    /// Makes a private text known.
    pub fn know(&mut self, digest: Digest, text: String) {
        Arc::make_mut(&mut self.texts).insert(digest, text);
        self.look_anew(digest);
    }

    /// The text behind a digest, or a word that it is withheld.
    #[must_use]
    pub fn text(&self, digest: Digest) -> String {
        self.texts.get(&digest).cloned().unwrap_or_else(|| "(withheld)".to_owned())
    }

    /// Whether the text behind the digest is exactly this one.
    #[must_use]
    pub fn is_text(&self, digest: Digest, text: &str) -> bool {
        self.known_text(digest) == Some(text)
    }

    /// The text behind a digest, unless it is withheld.
    pub(crate) fn known_text(&self, digest: Digest) -> Option<&str> {
        self.texts.get(&digest).map(String::as_str)
    }

    /// What words say, or that it is withheld.
    #[must_use]
    pub fn words<'w>(&'w self, words: &'w Words) -> &'w str {
        self.known_words(words).unwrap_or("(withheld)")
    }

    /// What words say, unless it is withheld.
    pub(crate) fn known_words<'w>(&'w self, words: &'w Words) -> Option<&'w str> {
        match words {
            Words::Private { digest } => self.known_text(*digest),
            Words::Clear(words) => Some(words),
        }
    }

    /// Whether words say exactly this.
    #[must_use]
    pub fn are_words(&self, words: &Words, said: &str) -> bool {
        self.known_words(words) == Some(said)
    }

    /// Whether words say the same, as far as that is known.
    #[must_use]
    pub fn are_same(&self, one: &Words, other: &Words) -> bool {
        one == other || self.known_words(one).is_some_and(|said| self.are_words(other, said))
    }

    /// What a role is called on its target.
    #[must_use]
    pub fn role_name(&self, id: RoleId) -> &str {
        self.roles.get(&id).map_or("?", |role| self.words(&role.name))
    }

    /// What a role lets one do, in plain words; empty where it isn't known.
    #[must_use]
    pub fn role_says(&self, id: RoleId) -> &str {
        self.roles.get(&id).map_or("", |role| self.words(&role.says))
    }

    /// A subject's name.
    #[must_use]
    pub fn subject_name(&self, id: SubjectId) -> String {
        self.subjects.get(&id).map_or_else(|| id.to_string(), |subject| self.text(subject.name))
    }

    /// The subject of that name.
    #[must_use]
    pub fn subject_named(&self, name: &str) -> Option<&Subject> {
        self.subjects.values().find(|subject| self.is_text(subject.name, name))
    }

    /// The World as far as terms and what they demand are worked out from it, to try a change on.
    pub(crate) fn tried(&self, put: &[Row], cut: &[Key]) -> Self {
        let mut tried = Self {
            subjects: self.subjects.clone(),
            hands: self.hands.clone(),
            scopes: self.scopes.clone(),
            targets: self.targets.clone(),
            roles: self.roles.clone(),
            duties: self.duties.clone(),
            eligibilities: self.eligibilities.clone(),
            terms: self.terms.clone(),
            root: self.root,
            eligible: self.eligible.clone(),
            groups: self.groups.clone(),
            texts: Arc::clone(&self.texts),
            ..Self::default()
        };
        cut.iter().for_each(|key| tried.cut(key));
        put.iter().for_each(|row| tried.put(row.clone()));
        tried
    }

    /// The scopes from `scope` up to the root, itself first.
    pub fn upwards(&self, scope: ScopeId) -> impl Iterator<Item = &Scope> {
        std::iter::successors(self.scopes.get(&scope), |scope| scope.parent.and_then(|parent| self.scopes.get(&parent)))
    }

    /// Whether `scope` is `of` or lies below it.
    #[must_use]
    pub fn is_within(&self, scope: ScopeId, of: ScopeId) -> bool {
        self.upwards(scope).any(|above| above.id == of)
    }

    /// How far below the root; the root's is 0.
    #[must_use]
    pub fn depth(&self, scope: ScopeId) -> usize {
        self.upwards(scope).count().saturating_sub(1)
    }

    /// A scope's path, as shown.
    #[must_use]
    pub fn path(&self, scope: ScopeId) -> String {
        let mut names: Vec<&str> =
            self.upwards(scope).filter(|scope| scope.parent.is_some()).map(|scope| scope.name.as_str()).collect();
        names.reverse();
        format!("/{}", names.join("/"))
    }

    /// The scope at a path.
    #[must_use]
    pub fn scope_at(&self, path: &str) -> Option<&Scope> {
        let mut at = self.scopes.get(&self.root?)?;
        for name in path.strip_prefix('/')?.split('/').filter(|name| !name.is_empty()) {
            at = self.child(at.id, name)?;
        }
        Some(at)
    }

    /// The scope of that name right below `parent`.
    #[must_use]
    pub fn child(&self, parent: ScopeId, name: &str) -> Option<&Scope> {
        self.scopes.values().find(|scope| scope.parent == Some(parent) && scope.name == name)
    }

    /// The target that a scope is, or is a part of.
    #[must_use]
    pub fn target_of(&self, scope: ScopeId) -> Option<&Target> {
        self.upwards(scope).find_map(|above| self.targets.get(&above.id))
    }

    /// The role of that name on a target.
    #[must_use]
    pub fn role_named(&self, target: ScopeId, name: &str) -> Option<&Role> {
        self.roles.values().find(|role| role.target == target && self.are_words(&role.name, name))
    }

    /// A right as written: `role@/path`.
    #[must_use]
    pub fn right_name(&self, right: Right) -> String {
        let role = self.role_name(right.role);
        format!("{role}@{}", self.path(right.scope))
    }

    /// Reads a right as written.
    ///
    /// # Errors
    /// Says which half isn't there, and what is.
    pub fn right_from(&self, text: &str) -> Result<Right, Refusal> {
        let Some((name, path)) = text.split_once("@/") else {
            return Err(Refusal::invalid(format!(
                "`{text}` is not a right; write it as ROLE@/PATH, like `berth_reader@/harbour/databases/berths`"
            )));
        };
        let scope = self.scope_at(&format!("/{path}")).ok_or_else(|| {
            Refusal::unknown("scope", format!("/{path}"), "`tempestas eligible` shows the scopes you may ask at")
        })?;
        let target = self.target_of(scope.id).ok_or_else(|| {
            Refusal::invalid(format!("/{path} is a folder; a right is held on a target or a part of one"))
        })?;
        let role = self.role_named(target.scope, name).filter(|role| !role.gone).ok_or_else(|| {
            Refusal::unknown("role", format!("{name}@/{path}"), "`tempestas eligible` lists what you may ask for")
        })?;
        Ok(Right { role: role.id, scope: scope.id })
    }

    /// The subject's own account on a target.
    #[must_use]
    pub fn account_of(&self, subject: SubjectId, target: ScopeId) -> Option<&Account> {
        self.accounts.get(&format!("{}-{}", subject.0, target.0))
    }

    /// Who owns an account on a target.
    #[must_use]
    pub fn holder_of(&self, target: ScopeId, account: Digest) -> Option<SubjectId> {
        let name = self.texts.get(&account)?;
        self.accounts
            .values()
            .find(|known| known.target == target && self.is_text(known.name, name))
            .map(|known| known.subject)
    }

    /// Who owns which account, for looking up many.
    #[must_use]
    pub fn owners(&self) -> Owners<'_> {
        let known = self
            .accounts
            .values()
            .filter_map(|account| Some(((account.target, self.texts.get(&account.name)?.as_str()), account.subject)));
        Owners { world: self, known: known.collect() }
    }

    /// Whether an account is the one that we ourselves work with on a target.
    #[must_use]
    pub fn is_broker(&self, target: ScopeId, account: Digest) -> bool {
        self.targets
            .get(&target)
            .and_then(|known| self.texts.get(&known.broker?))
            .is_some_and(|name| self.is_text(account, name))
    }

    /// Whether an account is a sealed emergency holder of a target.
    #[must_use]
    pub fn is_sealed(&self, target: ScopeId, account: &str) -> bool {
        self.targets.get(&target).is_some_and(|known| known.sealed.iter().any(|sealed| self.is_text(*sealed, account)))
    }

    /// The elevation that a grant belongs to.
    #[must_use]
    pub fn elevation_of(&self, grant: GrantId) -> Option<(&Elevation, &Grant)> {
        let grant = self.grants.get(&grant)?;
        Some((self.elevations.get(&grant.elevation)?, grant))
    }
}
