//! A house of any size, built through the real writer on a clock of its own.

use std::{
    path::{Path, PathBuf},
    sync::{
        Arc,
        atomic::{AtomicI64, Ordering},
    },
};

use anyhow::Context as _;
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{
    Act, Actor, AnswerInput, Approval, Approver, Ask, Brings, Caller, Channel, Command, Connector, Digest,
    ElevationCommand, ElevationId, EligibilityCommand, EstateCommand, GrantId, Lapse, Longest, PartFound,
    PeopleCommand, Proof, ProofMaxAge, ProofMethod, Refusal, Report, Right, RightFound, RoleFound, Said, ScopeId,
    Seconds, Settings, StageTerms, SubjectId, SubjectKind, Survey, Terms, TermsCommand, Verdict, Weight, What,
    demand_for,
};
use tempestas_demo::daemon::Setup;
use tempestas_service::{House, config::Config};

/// How many commands are given at a time, so that they share commits as those of many callers do.
const TOGETHER: usize = 64;

/// Somebody who signed in, of whom nothing is asked but to be noted.
pub(crate) fn somebody() -> Caller {
    Caller { actor: Actor::Subject(SubjectId(2)), ..Caller::machine() }
}

/// A house, and who works in it.
pub(crate) struct Big {
    pub(crate) house: Arc<House>,
    pub(crate) clock: Arc<AtomicI64>,
    pub(crate) setup: Setup,
    pub(crate) mara: SubjectId,
    pub(crate) approver: SubjectId,
    pub(crate) people: Vec<SubjectId>,
    pub(crate) target: ScopeId,
    pub(crate) right: Right,
    _directory: tempfile::TempDir,
}

pub(crate) fn setup(directory: &Path) -> Setup {
    Setup {
        directory: directory.to_owned(),
        address: std::net::IpAddr::V4(std::net::Ipv4Addr::LOCALHOST),
        port: 0,
        first_administrator: "mara.lindqvist".to_owned(),
        more: "[surveys]\nevery = \"24h\"\nread_back = \"24h\"\n".to_owned(),
    }
}

impl Big {
    /// Builds a house of so many people, with so many standing rights on one target.
    pub(crate) async fn build(people: usize, rights: usize, brightwater: &str) -> anyhow::Result<Self> {
        let directory = tempfile::tempdir()?;
        let setup = setup(&directory.path().join("house"));
        setup.write()?;
        let config: PathBuf = setup.config();
        let start = Timestamp::now().checked_sub(SignedDuration::from_hours(24 * 60))?;
        let clock = Arc::new(AtomicI64::new(start.as_microsecond()));
        let told = Arc::clone(&clock);
        let now = move || Timestamp::from_microsecond(told.load(Ordering::Relaxed)).unwrap_or(Timestamp::MAX);
        let house = House::open_at(Config::read(&config).map_err(anyhow::Error::msg)?, Arc::new(now)).await?;
        let mara = house.world().subject_named("mara.lindqvist").context("founded")?.id;
        let mut big = Self {
            house: Arc::new(house),
            clock,
            setup,
            mara,
            approver: mara,
            people: Vec::new(),
            target: ScopeId(0),
            right: Right { role: tempestas_core::RoleId(0), scope: ScopeId(0) },
            _directory: directory,
        };
        big.add_people(people).await?;
        big.add_target(rights, brightwater).await?;
        big.pass(SignedDuration::from_hours(48));
        Ok(big)
    }

    pub(crate) fn now(&self) -> Timestamp {
        Timestamp::from_microsecond(self.clock.load(Ordering::Relaxed)).unwrap_or(Timestamp::MAX)
    }

    pub(crate) fn pass(&self, span: SignedDuration) {
        let micros = i64::try_from(span.as_micros()).unwrap_or(0);
        self.clock.fetch_add(micros, Ordering::Relaxed);
    }

    pub(crate) fn caller(&self, who: SubjectId) -> Caller {
        Caller {
            actor: Actor::Subject(who),
            proof: Some(Proof { at: self.now(), method: ProofMethod::TotpCode }),
            from: Some(Said::new("127.0.0.1")),
            channel: Channel::Api,
            keeps: None,
        }
    }

    /// Gives many commands as many callers would: some at a time.
    pub(crate) async fn together(
        &self,
        who: SubjectId,
        commands: impl IntoIterator<Item = impl Into<Command>>,
    ) -> anyhow::Result<Vec<Vec<What>>> {
        let commands: Vec<Command> = commands.into_iter().map(Into::into).collect();
        let mut done = Vec::with_capacity(commands.len());
        for some in commands.chunks(TOGETHER) {
            let mut under_way = Vec::new();
            for command in some {
                let (house, caller, command) = (Arc::clone(&self.house), self.caller(who), command.clone());
                under_way.push(tokio::spawn(async move { house.submit(caller, command).await }));
            }
            for one in under_way {
                done.push(one.await??);
            }
        }
        Ok(done)
    }

    async fn add_people(&mut self, count: usize) -> anyhow::Result<()> {
        let new = |n: usize| PeopleCommand::AddSubject {
            kind: SubjectKind::Person,
            name: Said::new(format!("person.{n}")),
            about: Said::new(format!("Person {n} of the port")),
            second_of: None,
        };
        let done = self.together(self.mara, (0..count.max(2)).map(new)).await?;
        self.people = done
            .iter()
            .flatten()
            .filter_map(|what| match what {
                What::SubjectAdded { subject } => Some(*subject),
                _ => None,
            })
            .collect();
        self.approver = *self.people.last().context("somebody was added")?;
        Ok(())
    }

    async fn add_target(&mut self, rights: usize, brightwater: &str) -> anyhow::Result<()> {
        let root = self.house.world().root.context("founded")?;
        let connector = Connector::Brightwater { url: brightwater.to_owned() };
        let new = EstateCommand::AddTarget {
            parent: root,
            name: "cloud".to_owned(),
            connector,
            emergency_least: 1,
            alarm_after: Seconds(60),
        };
        let whats = self.together(self.mara, [new]).await?;
        let made = whats.iter().flatten().find_map(|what| match what {
            What::TargetAdded { scope } => Some(*scope),
            _ => None,
        });
        self.target = made.context("a target was added")?;
        self.house.keep_target_secret(self.target, "of no use").await?;
        let survey = survey(self.now(), rights, self.people.len());
        let digest = self.house.keep_survey(self.target, &survey).await?;
        let record = Report::Surveyed { target: self.target, digest, survey: Box::new(survey) };
        self.house.submit(Caller::keeper_of(self.target), record).await?;
        let accounts = self.people.iter().enumerate().map(|(n, subject)| PeopleCommand::SetAccount {
            subject: *subject,
            target: self.target,
            account: Said::new(format!("account-{n}")),
        });
        self.together(self.mara, accounts).await?;
        self.right = self.house.world().right_from("writer@/cloud")?;
        let settings = Settings {
            longest: Some(Longest(Seconds::hours(8))),
            assurance: Some(ProofMaxAge(Seconds::hours(8))),
            approval: Some(Approval::from(StageTerms {
                approvers: vec![Approver::Subject { id: self.approver }],
                yes: 1,
                no: 1,
                within: Seconds::hours(4),
                ..StageTerms::default()
            })),
            ..Settings::default()
        };
        let terms = Terms::new(root, Act::Elevate, settings);
        self.together(self.mara, [TermsCommand::Set { terms }]).await?;
        let eligible = self.people.iter().take(5000).map(|subject| EligibilityCommand::Give {
            subject: *subject,
            right: self.right,
            from: None,
            until: None,
            reason: None,
        });
        self.together(self.mara, eligible).await?;
        Ok(())
    }

    /// Somebody asks for the right.
    pub(crate) async fn ask(&self, who: SubjectId, seconds: u32) -> anyhow::Result<ElevationId> {
        let shown = {
            let world = self.house.world();
            Digest::of_json(&demand_for(&world, who, self.right, self.now())?)
        };
        let command = ElevationCommand::Ask(Ask {
            right: self.right,
            duration: Some(Seconds(seconds)),
            start: None,
            glass: false,
            brings: Brings::reason("a reason that is long enough"),
            shown,
        });
        let whats = self.house.submit(self.caller(who), command).await?;
        let asked = whats.iter().find_map(|what| match what {
            What::Asked { elevation, .. } => Some(*elevation),
            _ => None,
        });
        asked.context("an ask was made")
    }

    /// The approver says yes.
    pub(crate) async fn yes(&self, elevation: ElevationId) -> Result<Vec<What>, Refusal> {
        let shown = self.house.world().elevations.get(&elevation).map_or_else(|| Digest::of(&[]), |one| one.digest);
        let answer =
            ElevationCommand::Answer(AnswerInput { elevation, verdict: Verdict::Yes, less: None, reason: None, shown });
        self.house.submit(self.caller(self.approver), answer).await
    }

    /// The right is in force: asked, answered, seen there.
    pub(crate) async fn open(&self, who: SubjectId, seconds: u32) -> anyhow::Result<(ElevationId, GrantId)> {
        let id = self.ask(who, seconds).await?;
        self.yes(id).await?;
        let grant = self
            .house
            .world()
            .elevations
            .get(&id)
            .and_then(|one| one.grants.first().copied())
            .context("it was opened")?;
        self.house.submit(Caller::keeper_of(self.target), Report::GrantSeen { grant, there: true }).await?;
        Ok((id, grant))
    }

    /// One from its ask to its read-back end: five durable commands.
    pub(crate) async fn lifecycle(&self, n: usize) -> anyhow::Result<()> {
        let who = *self.people.get(n % (self.people.len() - 1)).context("somebody")?;
        let (elevation, grant) = self.open(who, 3600).await?;
        self.house.submit(self.caller(who), ElevationCommand::GiveBack { elevation }).await?;
        self.house.submit(Caller::keeper_of(self.target), Report::GrantGone { grant, leftovers: Vec::new() }).await?;
        Ok(())
    }

    /// Closes the house, so that a process of its own can take it up.
    pub(crate) async fn close(self) -> anyhow::Result<(Setup, tempfile::TempDir)> {
        let Self { house, setup, _directory, .. } = self;
        Arc::into_inner(house).context("nobody else works in the house any more")?.close().await?;
        Ok((setup, _directory))
    }
}

/// A survey with so many rights, spread over so many accounts and some parts.
pub(crate) fn survey(clock: Timestamp, rights: usize, accounts: usize) -> Survey {
    let lapse = Lapse {
        by_itself: true,
        within: Seconds(1),
        holder_can_undo: false,
        movable: true,
        says: "it ends by itself".to_owned(),
    };
    let roles = [("writer", Weight::Privileged), ("reader", Weight::Ordinary), ("everything", Weight::Critical)];
    let parts: Vec<Vec<String>> = (0..40).map(|n| vec![format!("part-{n}")]).collect();
    let right = |n: usize| RightFound {
        account: format!("account-{}", n % accounts.max(1)),
        role: if n.is_multiple_of(50) { "everything" } else { "reader" }.to_owned(),
        part: parts.get(n / accounts.max(1) % parts.len()).cloned().unwrap_or_default(),
        chain: Vec::new(),
        handle: Some(format!("po-{n}")),
        since: None,
        last_used: None,
    };
    Survey {
        attributes: Default::default(),
        sealed: Vec::new(),
        complete: true,
        clock,
        broker: "broker".to_owned(),
        parts: parts.iter().map(|path| PartFound { path: path.clone() }).collect(),
        roles: roles
            .iter()
            .map(|(name, weight)| RoleFound {
                name: (*name).to_owned(),
                says: "does what it says".to_owned(),
                weight: *weight,
                permits: Digest::of(&[name.as_bytes()]),
                lapse: lapse.clone(),
            })
            .collect(),
        accounts: Vec::new(),
        rights: (0..rights).map(right).collect(),
        marked: Vec::new(),
    }
}
