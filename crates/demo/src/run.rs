//! The running demo: the service, Brightwater and a private PostgreSQL cluster, taken up where they were left.

use std::{
    net::IpAddr,
    path::{Path, PathBuf},
};

use anyhow::bail;

use crate::{
    cluster::{self, Cluster, free_port},
    daemon::{self, Setup},
    facts::Facts,
    history,
    processes::Running,
    quillhaven,
    seed::{self, Targets, random_word},
    systems::Systems,
};

/// The port of the service, where nobody else has it.
const PORT: u16 = 7443;
/// File that marks a directory as ours, so that beginning anew removes nothing else.
const MARK: &str = "made-by-tempestas-demo";

/// What a new world looks back on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Past {
    /// Nothing: it was founded a moment ago.
    None,
    /// Some months of people at work.
    Months,
}

/// Everything that runs. Ends with it.
pub struct Demo {
    /// The service.
    pub service: Running,
    /// How the service is set up.
    pub setup: Setup,
    /// The simulated cloud.
    pub brightwater: Running,
    /// The cluster; none where PostgreSQL is not installed.
    pub cluster: Option<Cluster>,
    /// The systems that the service was told of.
    pub systems: Systems,
    /// The facts.
    pub facts: Facts,
    /// Its directory.
    pub directory: PathBuf,
}

impl Demo {
    /// Starts everything in a directory, and fills it with Quillhaven where it is new.
    ///
    /// # Errors
    /// When anything does not start; its words are in the error.
    pub async fn start(directory: &Path, address: IpAddr, past: Past, say: impl Fn(&str)) -> anyhow::Result<Self> {
        if !address.is_loopback() {
            bail!("{address} is not loopback; the demo's secrets are on its screen, so it serves this machine alone");
        }
        make_directory(directory)?;
        match Facts::read(directory) {
            Ok(facts) => Self::take_up(directory, address, facts, say),
            Err(_) => Self::begin(directory, address, past, say).await,
        }
    }

    async fn begin(directory: &Path, address: IpAddr, past: Past, say: impl Fn(&str)) -> anyhow::Result<Self> {
        let superuser = random_word();
        let broker = random_word();
        let cluster = if cluster::binaries().is_some() {
            say("making a private PostgreSQL cluster");
            let cluster = Cluster::start(&directory.join("postgres"), free_port()?, &superuser)?;
            seed::cluster(&cluster, "SUPERUSER", &broker).await?;
            if past == Past::Months {
                cluster.connect("postgres").await?.batch_execute(&history::logins()).await?;
            }
            Some(cluster)
        } else {
            say(
                "PostgreSQL's server is not installed, so the demo goes on with Brightwater alone; `apt-get install postgresql-15` adds it",
            );
            None
        };
        say("starting the simulated cloud Brightwater");
        let key = random_word();
        let cloud = quillhaven::cloud(|name| format!("{key}-{name}"));
        let brightwater =
            daemon::brightwater(&directory.join("brightwater"), free_port()?, Some(&serde_json::to_string(&cloud)?))?;
        let port = if std::net::TcpListener::bind((address, PORT)).is_ok() { PORT } else { free_port()? };
        let setup = setup(directory, address, port);
        setup.write()?;
        let broker_key = format!("{key}-tempestas-broker");
        if past == Past::Months {
            say("telling the months before: people at work, rights converted, grants that ended");
            let systems = history::Systems {
                cluster: cluster.as_ref().map(|cluster| (cluster, broker.as_str())),
                brightwater: (&brightwater.address, &broker_key),
            };
            history::tell(&setup.config(), &systems).await?;
        }
        say("starting the service");
        let service = setup.start(&[])?;
        let targets = Targets {
            postgres: cluster.as_ref().map(|cluster| (cluster.port, broker.as_str())),
            brightwater: (&brightwater.address, &broker_key),
        };
        let secret = setup.first_secret()?;
        let (people, systems) = match past {
            Past::Months => {
                let seeded = seed::enrol_all(&service.address, &secret, directory).await?;
                seed::absences(&seeded.administrator).await?;
                seed::assurances(&seeded.administrator).await?;
                seed::calendars(&seeded.administrator).await?;
                let systems = Systems::begin(&seeded.administrator, directory, &say).await?;
                seed::label(&seeded.administrator).await?;
                seed::separations(&seeded.administrator).await?;
                seed::promises(&seeded.administrator).await?;
                seed::files(&seeded.administrator).await?;
                (seeded.people, systems)
            }
            Past::None => {
                say("filling Quillhaven: people, groups, targets, terms");
                let seeded = seed::service(&service.address, &secret, directory, &targets).await?;
                (seeded.people, Systems::default())
            }
        };
        let facts = Facts {
            address: service.address.clone(),
            config: setup.config().display().to_string(),
            brightwater: brightwater.address.clone(),
            postgres_port: cluster.as_ref().map(|cluster| cluster.port),
            postgres_password: superuser,
            people,
            systems: systems.facts(),
        };
        facts.write(directory)?;
        Ok(Self { service, setup, brightwater, cluster, systems, facts, directory: directory.to_owned() })
    }

    /// Goes on with what an earlier start left.
    fn take_up(directory: &Path, address: IpAddr, facts: Facts, say: impl Fn(&str)) -> anyhow::Result<Self> {
        say("going on with the world that is there; `make demo FRESH=1` begins anew");
        let port = |address: &str| address.rsplit(':').next().and_then(|port| port.parse().ok()).unwrap_or(0);
        let cluster = match facts.postgres_port {
            Some(port) => Some(Cluster::start(&directory.join("postgres"), port, &facts.postgres_password)?),
            None => None,
        };
        let brightwater = daemon::brightwater(&directory.join("brightwater"), port(&facts.brightwater), None)?;
        let systems = Systems::take_up(directory, &facts.systems, &say)?;
        let setup = setup(directory, address, port(&facts.address));
        let service = setup.start(&[])?;
        Ok(Self { service, setup, brightwater, cluster, systems, facts, directory: directory.to_owned() })
    }

    /// Stops everything, the service first.
    ///
    /// # Errors
    /// When something had to be killed.
    pub fn stop(mut self) -> anyhow::Result<()> {
        self.service.stop()?;
        self.brightwater.kill();
        drop(self.systems);
        self.cluster.as_ref().map_or(Ok(()), Cluster::stop)
    }
}

fn setup(directory: &Path, address: IpAddr, port: u16) -> Setup {
    Setup {
        directory: directory.to_owned(),
        address,
        port,
        first_administrator: "mara.lindqvist".to_owned(),
        more: "[surveys]\nevery = \"10m\"\nread_back = \"10s\"\n".to_owned(),
    }
}

fn make_directory(directory: &Path) -> anyhow::Result<()> {
    use std::os::unix::fs::{DirBuilderExt as _, MetadataExt as _};
    if !directory.exists() {
        // Others may pass through, for the cluster runs as another user; what is in it guards itself.
        std::fs::DirBuilder::new().recursive(true).mode(0o711).create(directory)?;
        std::fs::write(directory.join(MARK), "")?;
    }
    if std::fs::symlink_metadata(directory)?.uid() != rustix::process::geteuid().as_raw()
        || !directory.join(MARK).exists()
    {
        bail!("{} was not made by this demo for you; give another with --state", directory.display());
    }
    Ok(())
}

/// Removes what an earlier start left.
///
/// # Errors
/// When the directory isn't a demo's.
pub fn forget(directory: &Path) -> anyhow::Result<()> {
    if !directory.exists() {
        return Ok(());
    }
    make_directory(directory)?;
    std::fs::remove_dir_all(directory)?;
    Ok(())
}
