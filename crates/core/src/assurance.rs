//! How sure one must be of a person, under a name: which proofs of themselves are accepted, how fresh, and from where. Rules say
//! which of them they want, and so a change of one holds wherever it is named.

use std::{collections::BTreeSet, net::IpAddr};

use ipnet::IpNet;
use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use strum::VariantArray as _;

use crate::{
    Act, AssuranceRefusal, Assured, Caller, CallerRefusal, Digest, Effective, Proof, ProofMethod, Refusal, Right,
    ScopeId, Seconds, SubjectId, World, effective_at, effective_terms, later,
};

/// Whoever changes who may do what, or answers, does so with a proof of the moment. Rules may only want a fresher one.
pub(crate) const FOR_A_STEP: Seconds = Seconds::minutes(15);
/// How old a proof may be that any of them accepts: of the same working day.
const OLDEST: Seconds = Seconds::hours(12);
/// Most networks of one.
const NETWORKS_MOST: usize = 64;

/// How sure one must be of a person, under a name of the house's own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Assurance {
    /// Its name, by which rules want it.
    pub name: String,
    /// Proofs that are accepted.
    pub accepts: BTreeSet<ProofMethod>,
    /// How old the last one may be.
    pub within: Seconds,
    /// Networks that it must come from; any where none is named.
    #[serde(default, skip_serializing_if = "BTreeSet::is_empty")]
    pub networks: BTreeSet<IpNet>,
    /// The group whose members are let through without it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bypass: Option<SubjectId>,
    /// The group with which it is tried out: it holds for nobody else yet.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pilot: Option<SubjectId>,
    /// Whether it refuses nothing yet, and only notes what it would have refused.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub watch_only: bool,
    /// Who set it last.
    #[serde(default)]
    pub set_by: Option<SubjectId>,
    /// When.
    #[serde(default)]
    pub set_at: Option<Timestamp>,
}

/// What somebody lacked of an assurance.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Lack {
    /// Their last proof is of a kind that it doesn't accept, or there is none.
    Method,
    /// It is too old.
    Age,
    /// They come from elsewhere.
    Network,
}

impl Lack {
    /// In words, after "lacking".
    #[must_use]
    pub const fn words(self) -> &'static str {
        match self {
            Self::Method => "a proof that it accepts",
            Self::Age => "a proof that is fresh enough",
            Self::Network => "a network that it accepts",
        }
    }
}

/// What one that only watches would have refused somebody.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shortfall {
    /// The assurance.
    pub assurance: String,
    /// Whom.
    pub subject: SubjectId,
    /// What they lacked last.
    pub lack: Lack,
    /// How often.
    pub times: u32,
    /// When last.
    pub last_at: Timestamp,
}

impl Assurance {
    /// Checks one before it is taken in.
    ///
    /// # Errors
    /// Says what can't be, and what could.
    pub fn check(&self) -> Result<(), Refusal> {
        if self.accepts.is_empty() {
            return Err(AssuranceRefusal::AcceptsNothing.into());
        }
        if self.within.0 == 0 || self.within > OLDEST {
            return Err(AssuranceRefusal::BadAge { most: OLDEST }.into());
        }
        if self.networks.len() > NETWORKS_MOST {
            return Err(AssuranceRefusal::TooManyNetworks { most: NETWORKS_MOST }.into());
        }
        match self.networks.iter().find(|network| network.trunc() != **network) {
            Some(network) => {
                Err(AssuranceRefusal::NotANetwork { said: network.to_string(), meant: network.trunc().to_string() }
                    .into())
            }
            None => Ok(()),
        }
    }

    /// Whether it holds for somebody: not for those who are let through without it, and while it is tried out, only for those
    /// with whom.
    #[must_use]
    pub fn holds_for(&self, world: &World, person: SubjectId) -> bool {
        let is_in = |group: SubjectId| world.belongs_to(person, group);
        !self.bypass.is_some_and(is_in) && self.pilot.is_none_or(is_in)
    }

    /// What a caller lacks of it, if anything.
    #[must_use]
    pub fn lacking(&self, caller: &Caller, now: Timestamp) -> Option<Lack> {
        let Some(proof) = caller.proof.filter(|proof| self.accepts.contains(&proof.method)) else {
            return Some(Lack::Method);
        };
        if later(proof.at, self.within) < now {
            return Some(Lack::Age);
        }
        (!self.accepts_from(caller)).then_some(Lack::Network)
    }

    /// Whether a caller comes from where it wants.
    fn accepts_from(&self, caller: &Caller) -> bool {
        let address = caller.from.as_ref().and_then(|from| from.0.parse::<IpAddr>().ok());
        let is_in = |address: IpAddr| self.networks.iter().any(|network| network.contains(&address.to_canonical()));
        self.networks.is_empty() || address.is_some_and(is_in)
    }

    /// Whether it lets somebody through whom it would have held up before.
    #[must_use]
    pub fn demands_less_than(&self, before: &Self) -> bool {
        let covered = |network: &IpNet| before.networks.iter().any(|known| known.contains(network));
        let wider = match (self.networks.is_empty(), before.networks.is_empty()) {
            (_, true) => false,
            (true, false) => true,
            (false, false) => !self.networks.iter().all(covered),
        };
        !self.accepts.is_subset(&before.accepts)
            || self.within > before.within
            || wider
            || (self.bypass.is_some() && self.bypass != before.bypass)
            || (self.pilot.is_some() && self.pilot != before.pilot)
            || (self.watch_only && !before.watch_only)
    }

    /// What it takes, in words.
    #[must_use]
    pub fn takes(&self) -> String {
        let proof = format!("{} no older than {}", ProofMethod::any_of(&self.accepts), self.within);
        if self.networks.is_empty() { proof } else { format!("{proof}, from {}", self.networks_named()) }
    }

    /// The same, and of whom it takes that.
    #[must_use]
    pub fn words(&self, world: &World) -> String {
        let mut words = self.takes();
        if let Some(pilot) = self.pilot {
            words.push_str(&format!("; only of {} as yet", world.subject_name(pilot)));
        }
        if let Some(bypass) = self.bypass {
            words.push_str(&format!("; not of {}", world.subject_name(bypass)));
        }
        if self.watch_only {
            words.push_str("; only watched as yet");
        }
        words
    }

    fn networks_named(&self) -> String {
        let networks: Vec<String> = self.networks.iter().map(IpNet::to_string).collect();
        networks.join(" or ")
    }

    /// It as it stands, which a change of it carries.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }

    /// How somebody is refused who lacks something of it.
    fn refusal(&self, lack: Lack, caller: &Caller) -> Refusal {
        match lack {
            Lack::Method | Lack::Age => Refusal::StepUp {
                max_age: self.within,
                last: caller.proof,
                accepts: self.accepts.clone(),
                assurance: Some(self.name.clone()),
            },
            Lack::Network => CallerRefusal::FromElsewhere {
                assurance: self.name.clone(),
                networks: self.networks_named(),
                from: caller.from.as_ref().map_or_else(|| "nowhere that is known".to_owned(), |from| from.0.clone()),
            }
            .into(),
        }
    }
}

/// Those that are accepted, as they are told: none is named where any will do.
fn named(accepts: BTreeSet<ProofMethod>) -> BTreeSet<ProofMethod> {
    if accepts.len() == ProofMethod::VARIANTS.len() { BTreeSet::new() } else { accepts }
}

/// How sure it is that whoever acts is who they are, as terms want it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Surety {
    /// How old their last proof may be.
    pub max_age: Seconds,
    /// Which proofs are accepted.
    pub accepts: BTreeSet<ProofMethod>,
    /// Assurances that they must meet besides.
    pub assured: Assured,
}

impl Surety {
    /// Any proof no older than this.
    #[must_use]
    pub fn within(max_age: Seconds) -> Self {
        Self { max_age, accepts: ProofMethod::VARIANTS.iter().copied().collect(), assured: Assured::default() }
    }

    /// By one way alone.
    #[must_use]
    pub fn by(self, method: ProofMethod) -> Self {
        Self { accepts: BTreeSet::from([method]), ..self }
    }

    /// What an act on a right takes.
    #[must_use]
    pub fn to_act(world: &World, act: Act, right: Right, person: SubjectId) -> Self {
        Self::of(&effective_terms(world, act, right, person))
    }

    /// What administering a place takes.
    #[must_use]
    pub fn to_administer(world: &World, scope: ScopeId, person: SubjectId) -> Self {
        Self::of(&effective_at(world, Act::Administer, scope, person))
    }

    /// What terms want.
    #[must_use]
    pub fn of(terms: &Effective) -> Self {
        Self { assured: terms.assured.clone(), ..Self::within(terms.assurance.0) }
    }

    /// The stricter of two in each respect.
    #[must_use]
    pub fn and(mut self, other: Self) -> Self {
        self.assured.0.extend(other.assured.0);
        let accepts = &self.accepts & &other.accepts;
        Self { max_age: self.max_age.min(other.max_age), accepts, ..self }
    }

    /// The assurances that refuse who doesn't meet them.
    fn meant<'w>(&self, world: &'w World) -> impl Iterator<Item = &'w Assurance> {
        let wanted = self.assured.0.iter().filter_map(|name| world.assurances.get(name));
        wanted.filter(|one| !one.watch_only)
    }

    /// The names of those.
    #[must_use]
    pub fn names<'w>(&self, world: &'w World) -> Vec<&'w str> {
        self.meant(world).map(|one| one.name.as_str()).collect()
    }

    /// All that it takes, in words, as one who has to bring it reads it.
    #[must_use]
    pub fn words(&self, world: &World) -> String {
        let (max_age, accepts) = self.proof(world);
        let mut words = format!("a proof of yourself ({}) no older than {max_age}", ProofMethod::any_of(&accepts));
        for one in self.meant(world).filter(|one| !one.networks.is_empty()) {
            words.push_str(&format!(", from {}", one.networks_named()));
        }
        match self.names(world).as_slice() {
            [] => words,
            [one] => format!("{words} (as {one} wants it)"),
            names => format!("{words} (as {} want it)", names.join(" and ")),
        }
    }

    /// How old the last proof may be, and which are accepted (any where none is named), with what only watches left out.
    #[must_use]
    pub fn proof(&self, world: &World) -> (Seconds, BTreeSet<ProofMethod>) {
        let (mut max_age, mut accepts) = (self.max_age, self.accepts.clone());
        for one in self.meant(world) {
            max_age = max_age.min(one.within);
            accepts = &accepts & &one.accepts;
        }
        (max_age, named(accepts))
    }

    /// Refuses where no proof of the caller's would do, for where they come from.
    ///
    /// # Errors
    /// Says from where it would.
    pub fn ensure_from_here(&self, world: &World, caller: &Caller) -> Result<(), Refusal> {
        let elsewhere = self.meant(world).find(|one| !one.accepts_from(caller));
        elsewhere.map_or(Ok(()), |one| Err(one.refusal(Lack::Network, caller)))
    }

    /// What is lacking of the assurances by those that only watch, each with its name. An error where another isn't met.
    pub(crate) fn lacking(
        &self,
        world: &World,
        caller: &Caller,
        now: Timestamp,
    ) -> Result<Vec<(String, Lack)>, Refusal> {
        let is_accepted = |proof: &Proof| self.accepts.contains(&proof.method);
        if caller.proof.filter(is_accepted).is_none_or(|proof| later(proof.at, self.max_age) < now) {
            let (max_age, last, accepts) = (self.max_age, caller.proof, named(self.accepts.clone()));
            return Err(Refusal::StepUp { max_age, last, accepts, assurance: None });
        }
        let mut watched = Vec::new();
        for name in &self.assured.0 {
            let Some(assurance) = world.assurances.get(name) else {
                return Err(AssuranceRefusal::Gone { name: name.clone() }.into());
            };
            // Terms name it for whom it held when they were worked out; it may be another's by now.
            let holds = caller.subject().is_none_or(|person| assurance.holds_for(world, person));
            match assurance.lacking(caller, now).filter(|_| holds) {
                Some(lack) if assurance.watch_only => watched.push((name.clone(), lack)),
                Some(lack) => return Err(assurance.refusal(lack, caller)),
                None => {}
            }
        }
        Ok(watched)
    }
}

impl World {
    /// Rules that want an assurance.
    pub fn terms_wanting<'w>(&'w self, assurance: &'w str) -> impl Iterator<Item = &'w crate::Terms> {
        self.terms
            .values()
            .filter(move |rule| rule.settings.assured.as_ref().is_some_and(|it| it.0.contains(assurance)))
    }

    /// What an assurance that only watches would have refused, by person.
    pub fn shortfalls_of<'w>(&'w self, assurance: &'w str) -> impl Iterator<Item = &'w Shortfall> {
        self.shortfalls.values().filter(move |shortfall| shortfall.assurance == assurance)
    }
}
