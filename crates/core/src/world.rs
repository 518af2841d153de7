//! The World: the whole present state in memory, and the rows it is made of.

mod accounts;
mod groups;
mod indexes;
mod looks;
mod names;
mod past;
mod table;
mod tree;

use jiff::Timestamp;
use serde::{Deserialize, Serialize, de::DeserializeOwned};

use crate::{
    Account, Alarm, AlarmId, Appointment, AppointmentId, Assurance, Calendar, Circumstance, Conversion, ConversionId,
    Delegation, DelegationId, Demand, Demanded, Drift, DriftId, Duty, DutyId, Elevation, ElevationId, Eligibility,
    EligibilityId, Fact, FileMark, Filing, FilingId, Grant, GrantId, Heard, Influence, Item, Link, Membership, Pair,
    Promise, Role, RoleId, Scope, ScopeId, Separation, Shortfall, Source, Standing, StandingId, Stop, StopId, Subject,
    SubjectId, Tally, Target, Terms, TermsId,
};

pub use past::{KEPT_FOR, Recall};
pub use table::Table;

pub(crate) use {groups::GROUP_DEPTH, table::Number};

use indexes::{Indexed as _, Indexes};
use table::Change;

/// What a membership is found by.
type MemberKey = Pair<SubjectId, SubjectId>;
/// What a right of a conversion is found by.
type ItemKey = Pair<ConversionId, StandingId>;

macro_rules! tables {
    ($($kind:ident $word:literal $table:ident: $id:ty => $row:ty, |$it:ident| $key:expr;)*) => {
        /// One row of the derived state; what a fact puts in place.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
        #[serde(rename_all = "kebab-case")]
        pub enum Row {
            $(#[doc = concat!("A row of `", $word, "`.")] #[serde(rename = $word)] $kind($row),)*
            /// Numbers that the World hands out next.
            Counters(Counters),
        }

        /// The kind of a row.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
        #[serde(rename_all = "kebab-case")]
        pub enum Kind {
            $(#[doc = concat!("`", $word, "`.")] #[serde(rename = $word)] $kind,)*
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

        /// The present state. Copying it costs next to nothing, and a copy stays as it is.
        #[derive(Debug, Clone, Default, PartialEq)]
        pub struct World {
            $(#[doc = concat!("Every row of `", $word, "`.")] pub $table: Table<$id, $row>,)*
            /// Numbers handed out next.
            pub counters: Counters,
            /// The root of the estate; none before the first fact.
            pub root: Option<ScopeId>,
            /// Time of the last fact.
            pub last_at: Option<Timestamp>,
            /// Private texts that are still known, by digest.
            texts: indexes::Texts,
            pub(crate) indexes: Indexes,
            /// Whose names look alike.
            looks: looks::Looks,
        }

        impl World {
            /// Puts a row in place.
            pub fn put(&mut self, row: Row) {
                match &row {
                    Row::Scope(scope) if scope.parent.is_none() => self.root = Some(scope.id),
                    Row::Subject(_) => self.looks = looks::Looks::default(),
                    _ => {}
                }
                match row {
                    $(Row::$kind($it) => {
                        let key = $key;
                        if let Some(before) = self.$table.get(&key) {
                            before.index(Change::Leave, &mut self.indexes, &self.texts);
                        }
                        $it.index(Change::Enter, &mut self.indexes, &self.texts);
                        self.$table.insert(key, $it);
                    })*
                    Row::Counters(counters) => self.counters = counters,
                }
            }

            /// Takes a row out.
            fn cut(&mut self, key: &Key) {
                match key.kind {
                    $(Kind::$kind => {
                        if let Some(row) = key_read::<$id>(&key.id).and_then(|id| self.$table.remove(&id)) {
                            row.index(Change::Leave, &mut self.indexes, &self.texts);
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
    Member "member" members: MemberKey => Membership, |it| Pair(it.group, it.member);
    Influence "hand" influences: String => Influence, |it| format!("{}-{}", it.by.map_or(0, |by| by.0), it.touched.0);
    Scope "scope" scopes: ScopeId => Scope, |it| it.id;
    Target "target" targets: ScopeId => Target, |it| it.scope;
    Role "role" roles: RoleId => Role, |it| it.id;
    Account "account" accounts: String => Account, |it| format!("{}-{}", it.subject.0, it.target.0);
    Duty "duty" duties: DutyId => Duty, |it| it.id;
    Standing "standing" standing: StandingId => Standing, |it| it.id;
    Eligibility "eligibility" eligibilities: EligibilityId => Eligibility, |it| it.id;
    Appointment "appointment" appointments: AppointmentId => Appointment, |it| it.id;
    Delegation "delegation" delegations: DelegationId => Delegation, |it| it.id;
    Terms "terms" terms: TermsId => Terms, |it| it.id;
    Assurance "assurance" assurances: String => Assurance, |it| it.name.clone();
    Calendar "calendar" calendars: String => Calendar, |it| it.name.clone();
    Circumstance "circumstance" circumstances: String => Circumstance, |it| it.name.clone();
    Heard "heard" heard: String => Heard, |it| it.key();
    Separation "separation" separations: String => Separation, |it| it.name.clone();
    Promise "promise" promises: String => Promise, |it| it.name.clone();
    Filing "filing" filings: FilingId => Filing, |it| it.id;
    FileMark "file-mark" file_marks: String => FileMark, |it| it.key();
    Shortfall "shortfall" shortfalls: String => Shortfall, |it| format!("{}-{}", it.assurance, it.subject.0);
    Conversion "conversion" conversions: ConversionId => Conversion, |it| it.id;
    Item "item" items: ItemKey => Item, |it| it.key();
    Drift "drift" drifts: DriftId => Drift, |it| it.id;
    Elevation "elevation" elevations: ElevationId => Elevation, |it| it.id;
    Demand "demand" demands: ElevationId => Demanded, |it| it.elevation;
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

impl World {
    /// Puts in place what a fact carries. Holds no rule: a fact brings its results along.
    pub fn apply(&mut self, fact: &Fact) {
        for key in &fact.cut {
            match key.every_member_of() {
                Some(group) => self.empty(group),
                None => self.cut(key),
            }
        }
        for row in &fact.put {
            self.put(row.clone());
        }
        self.last_at = Some(fact.at);
    }

    /// The World as it would be with a change, to try it on.
    pub(crate) fn tried(&self, put: &[Row], cut: &[Key]) -> Self {
        let mut tried = self.clone();
        cut.iter().for_each(|key| tried.cut(key));
        put.iter().for_each(|row| tried.put(row.clone()));
        tried
    }

    /// Elevations that are not over.
    pub fn active(&self) -> impl DoubleEndedIterator<Item = &Elevation> {
        self.indexes.active.iter().filter_map(|id| self.elevations.get(id))
    }

    /// What a subject asked for, as far as it is in memory; the first ask first.
    pub fn asked_by(&self, asker: SubjectId) -> impl DoubleEndedIterator<Item = &Elevation> {
        self.indexes.asked_by.of(asker).filter_map(|id| self.elevations.get(&id))
    }

    /// What an elevation demands.
    #[must_use]
    pub fn demand_of(&self, elevation: ElevationId) -> Option<&Demand> {
        self.demands.get(&elevation).map(|row| &row.demand)
    }

    /// The grants of an elevation, once opening began.
    pub fn grants_of<'w>(&'w self, elevation: &'w Elevation) -> impl DoubleEndedIterator<Item = &'w Grant> {
        elevation.grants.iter().filter_map(|id| self.grants.get(id))
    }

    /// The grant of an elevation that is of one target, as all are today.
    #[must_use]
    pub fn grant_of(&self, elevation: &Elevation) -> Option<&Grant> {
        self.grants.get(elevation.grants.first()?)
    }

    /// The elevation that a grant belongs to.
    #[must_use]
    pub fn elevation_of(&self, grant: GrantId) -> Option<(&Elevation, &Grant)> {
        let grant = self.grants.get(&grant)?;
        Some((self.elevations.get(&grant.elevation)?, grant))
    }
}
