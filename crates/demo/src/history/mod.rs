//! The months before: Quillhaven's people at work, told to the real writer on a clock of its own, then left for the
//! service to take up. Systems are surveyed for real, and what was converted is really taken away on them.

mod days;
mod house;
mod people;
mod scene;

use std::{
    path::Path,
    sync::{
        Arc,
        atomic::{AtomicI64, Ordering},
    },
};

use anyhow::Context as _;
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{
    Actor, Caller, Channel, Command, Connector, Digest, Proof, ProofMethod, Refusal, Report, Said, ScopeId, SubjectId,
    What,
};
use tempestas_service::{House, config::Config};
use tempestas_targets::{Place, Target};

pub use people::{Extra, crew, logins};

use crate::cluster::Cluster;

/// How far back it begins.
const DAYS: i64 = 96;

/// The real systems that the history is told about.
pub struct Systems<'a> {
    /// The cluster, and the broker's password; none where PostgreSQL is not installed.
    pub cluster: Option<(&'a Cluster, &'a str)>,
    /// Address of Brightwater, and the broker's key.
    pub brightwater: (&'a str, &'a str),
}

/// Tells the months before into an empty state directory.
///
/// # Errors
/// When a system does not answer, or the service's rules refuse what must go through.
pub async fn tell(config: &Path, systems: &Systems<'_>) -> anyhow::Result<()> {
    let config = Config::read(config).map_err(anyhow::Error::msg)?;
    let begin = Timestamp::now().checked_sub(SignedDuration::from_hours(24 * DAYS))?;
    let clock = Arc::new(AtomicI64::new(begin.as_microsecond()));
    let told = Arc::clone(&clock);
    let now = move || Timestamp::from_microsecond(told.load(Ordering::Relaxed)).unwrap_or(Timestamp::MAX);
    let house = House::open_at(config, Arc::new(now)).await?;
    let mut teller = Teller { house, clock, chance: Chance { seed: 7, drawn: 0 } };
    house::furnish(&mut teller, systems).await?;
    days::pass(&mut teller, systems).await?;
    scene::set(&mut teller).await?;
    teller.house.close().await
}

/// Chance that is the same each time.
struct Chance {
    seed: u64,
    drawn: u64,
}

impl Chance {
    /// A number below `most`.
    fn below(&mut self, most: u64) -> u64 {
        self.drawn += 1;
        let digest = Digest::of(&[&self.seed.to_be_bytes(), &self.drawn.to_be_bytes()]);
        let mut bytes = [0; 8];
        bytes.copy_from_slice(digest.0.get(..8).unwrap_or(&[0; 8]));
        u64::from_be_bytes(bytes) % most.max(1)
    }

    /// Whether something that happens so often in a hundred does.
    fn percent(&mut self, share: u64) -> bool {
        self.below(100) < share
    }

    fn of<'t, T>(&mut self, all: &'t [T]) -> Option<&'t T> {
        let most = u64::try_from(all.len()).unwrap_or(u64::MAX);
        all.get(usize::try_from(self.below(most)).unwrap_or(0))
    }
}

/// Tells commands to the house, each at its time.
struct Teller {
    house: House,
    clock: Arc<AtomicI64>,
    chance: Chance,
}

impl Teller {
    fn now(&self) -> Timestamp {
        Timestamp::from_microsecond(self.clock.load(Ordering::Relaxed)).unwrap_or(Timestamp::MAX)
    }

    fn set(&self, at: Timestamp) {
        self.clock.fetch_max(at.as_microsecond(), Ordering::Relaxed);
    }

    fn pass(&self, seconds: i64) {
        self.clock.fetch_add(seconds * 1_000_000, Ordering::Relaxed);
    }

    async fn who(&self, name: &str) -> anyhow::Result<SubjectId> {
        let world = self.house.world();
        world.subject_named(name).map(|subject| subject.id).ok_or_else(|| anyhow::anyhow!("{name} is not there"))
    }

    async fn scope(&self, path: &str) -> anyhow::Result<ScopeId> {
        let world = self.house.world();
        world.scope_at(path).map(|scope| scope.id).ok_or_else(|| anyhow::anyhow!("{path} is not there"))
    }

    /// Somebody gives a command, freshly proven.
    async fn by(&self, who: SubjectId, command: impl Into<Command>) -> Result<Vec<What>, Refusal> {
        let from = Some(Said::new(format!("10.20.{}.{}", who.0 % 7, 10 + who.0 % 200)));
        let proof = Some(Proof { at: self.now(), method: ProofMethod::TotpCode });
        let caller = Caller { actor: Actor::Subject(who), proof, from, channel: Channel::Api, keeps: None };
        self.house.submit(caller, command).await
    }

    async fn keeper(&self, report: Report) -> anyhow::Result<Vec<What>> {
        let target = report.target(&self.house.world());
        Ok(self.house.submit(target.map_or_else(Caller::service, Caller::keeper_of), report).await?)
    }

    async fn tick(&self) -> anyhow::Result<()> {
        self.house.submit(Caller::service(), Command::Tick).await?;
        Ok(())
    }

    /// Reads a system as it really is, at the time that is told.
    async fn survey(&self, scope: ScopeId, connector: &Connector, secret: &str) -> anyhow::Result<()> {
        let place = Place { connector, scope, installation: self.house.installation(), programs: &[] };
        let target = Target::with_secret(&place, secret.to_owned().into())?.context("it has a secret")?;
        let mut survey = target.survey().await?;
        survey.clock = self.now();
        self.record(scope, survey).await
    }

    async fn record(&self, target: ScopeId, survey: tempestas_core::Survey) -> anyhow::Result<()> {
        let digest = self.house.keep_survey(target, &survey).await?;
        let record = Report::Surveyed { target, digest, survey: Box::new(survey) };
        self.keeper(record).await?;
        Ok(())
    }
}
