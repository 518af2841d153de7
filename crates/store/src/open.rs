//! Opening the store: lock, backup, migrations, loading the World.

use std::{
    collections::BTreeSet,
    fs::{File, TryLockError},
    os::unix::fs::{DirBuilderExt as _, PermissionsExt as _},
    path::{Path, PathBuf},
};

use jiff::Timestamp;
use sqlx::{
    ConnectOptions, Connection, Row as _, SqliteConnection, SqlitePool,
    sqlite::{SqliteConnectOptions, SqliteJournalMode, SqlitePoolOptions, SqliteSynchronous},
};
use tempestas_core::{
    Digest, Fact, KEPT_FOR, Row, World, digests_in,
    ledger::{Tree, leaf_hash},
};
use tokio::sync::Mutex;

use crate::{StoreError, number, passing, past, schema, texts, unsigned, upcast};

/// Facts at the end whose bytes are looked at before anything is served: all since the checkpoint of the last full block.
const TAIL: i64 = 2048;

/// The open store.
pub struct Store {
    pub(crate) write: Mutex<SqliteConnection>,
    pub(crate) read: SqlitePool,
    pub(crate) observed: Beside,
    pub(crate) passing: Beside,
    /// SQLite's count of other connections' writes, as we last saw it.
    pub(crate) data_version: std::sync::atomic::AtomicI64,
    _lock: File,
}

/// A file beside the ledger's: whoever reads it waits for nobody.
pub(crate) struct Beside {
    pub(crate) write: Mutex<SqliteConnection>,
    pub(crate) read: SqlitePool,
}

impl Beside {
    pub(crate) async fn new(path: &Path, write: SqliteConnection) -> Result<Self, sqlx::Error> {
        Ok(Self { write: Mutex::new(write), read: readers(path).await? })
    }
}

/// What was in the store when it was opened.
pub struct Loaded {
    /// The store.
    pub store: Store,
    /// The present state, from its rows.
    pub world: World,
    /// The ledger's tree.
    pub tree: Tree,
}

/// A table's file within the state directory.
pub(crate) fn database(directory: &Path) -> PathBuf {
    directory.join("tempestas.sqlite")
}

pub(crate) fn observations(directory: &Path) -> PathBuf {
    directory.join("observed.sqlite")
}

/// Connections that only read a file.
async fn readers(path: &Path) -> Result<SqlitePool, sqlx::Error> {
    SqlitePoolOptions::new().max_connections(4).connect_with(options(path).read_only(true)).await
}

pub(crate) fn options(path: &Path) -> SqliteConnectOptions {
    SqliteConnectOptions::new()
        .filename(path)
        .create_if_missing(true)
        .journal_mode(SqliteJournalMode::Wal)
        .synchronous(SqliteSynchronous::Full)
        .foreign_keys(true)
        .busy_timeout(std::time::Duration::from_secs(5))
        .disable_statement_logging()
}

impl Store {
    /// Opens the store in a directory, alone, and loads the World from its rows.
    ///
    /// # Errors
    /// When another instance runs, a newer program wrote it, or what is there can't be right.
    pub async fn open(directory: &Path) -> Result<Loaded, StoreError> {
        let lock = lock(directory)?;
        let path = database(directory);
        let mut write = options(&path).connect().await?;
        migrate(&mut write, directory).await?;
        let mut observed = options(&observations(directory)).connect().await?;
        sqlx::query(
            "CREATE TABLE IF NOT EXISTS surveys (digest BLOB PRIMARY KEY, target INTEGER NOT NULL, at INTEGER NOT NULL, body TEXT NOT NULL) STRICT",
        )
        .execute(&mut observed)
        .await?;
        crate::activity::prepare(&mut observed).await?;
        crate::cursors::prepare(&mut observed).await?;
        let passing = passing::open(&directory.join("passing.sqlite"), &mut write).await?;
        let observed = Beside::new(&observations(directory), observed).await?;
        let read = readers(&path).await?;
        let data_version: i64 = sqlx::query_scalar("PRAGMA data_version").fetch_one(&mut write).await?;
        verify_tail(&mut write).await?;
        crate::entries::catch_up(&mut write).await?;
        upcast::rows(&mut write).await?;
        past::set_apart(&mut write).await?;
        let world = load_world(&mut write).await?;
        let tree = load_tree(&mut write).await?;
        let store =
            Self { write: Mutex::new(write), read, observed, passing, data_version: data_version.into(), _lock: lock };
        Ok(Loaded { store, world, tree })
    }

    /// Writes a consistent copy of the whole store, while it is in use, into a directory that is not there yet.
    ///
    /// # Errors
    /// When the directory is there or can't be written.
    pub async fn backup(directory: &Path, into: &Path) -> Result<(), StoreError> {
        let file = |source| StoreError::File { path: into.to_owned(), source };
        std::fs::DirBuilder::new().mode(0o700).create(into).map_err(file)?;
        let copied = copied(directory, into).await;
        if copied.is_err() {
            // Half a backup would pass for one.
            let _ = std::fs::remove_dir_all(into);
        }
        copied
    }
}

async fn copied(directory: &Path, into: &Path) -> Result<(), StoreError> {
    for (from, to) in [(database(directory), database(into)), (observations(directory), observations(into))] {
        let mut connection = options(&from).create_if_missing(false).connect().await?;
        vacuum_into(&mut connection, &to).await?;
        connection.close().await?;
    }
    Ok(())
}

async fn vacuum_into(connection: &mut SqliteConnection, to: &Path) -> Result<(), StoreError> {
    sqlx::query("VACUUM INTO ?1").bind(to.to_string_lossy().into_owned()).execute(connection).await?;
    Ok(())
}

/// A copy that is there whole or not at all: what a full disk left of one is no backup.
async fn whole_copy(connection: &mut SqliteConnection, to: &Path) -> Result<(), StoreError> {
    let half = to.with_extension("half");
    let file = |source| StoreError::File { path: half.clone(), source };
    for left in [half.clone(), half.with_extension("half-journal")] {
        match std::fs::remove_file(&left) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => return Err(file(error)),
            _ => {}
        }
    }
    if let Err(failed) = vacuum_into(connection, &half).await {
        // Another try may find room; what is left of this one would only take it.
        let _ = std::fs::remove_file(&half);
        let _ = std::fs::remove_file(half.with_extension("half-journal"));
        return Err(failed);
    }
    std::fs::rename(&half, to).map_err(file)
}

/// Makes a directory that only its owner may look into, or keeps others out of one that is there.
fn make_private(directory: &Path) -> std::io::Result<()> {
    std::fs::DirBuilder::new().recursive(true).mode(0o700).create(directory)?;
    std::fs::set_permissions(directory, std::fs::Permissions::from_mode(0o700))
}

/// Takes the lock of a state directory, so that nobody else works in it.
///
/// # Errors
/// When another instance has it.
pub fn lock(directory: &Path) -> Result<File, StoreError> {
    let path = directory.join("lock");
    let wrong = |source| StoreError::File { path: path.clone(), source };
    make_private(directory).map_err(|source| StoreError::File { path: directory.to_owned(), source })?;
    let file = File::options().create(true).truncate(false).write(true).open(&path).map_err(wrong)?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => Err(StoreError::Locked(directory.to_owned())),
        Err(TryLockError::Error(source)) => Err(wrong(source)),
    }
}

/// Brings the schema up to date, with a backup before anything is changed.
async fn migrate(write: &mut SqliteConnection, directory: &Path) -> Result<(), StoreError> {
    let schema = schema::ledger();
    let known = schema.iter().map(|migration| migration.version).max().unwrap_or(0);
    if has_table(write, "_sqlx_migrations").await? {
        let found: i64 =
            sqlx::query_scalar("SELECT COALESCE(MAX(version), 0) FROM _sqlx_migrations").fetch_one(&mut *write).await?;
        if found > known {
            return Err(StoreError::Newer { found, known });
        }
        if found < known {
            let copy = directory.join(format!("before-schema-{known}.sqlite"));
            if !copy.exists() {
                whole_copy(write, &copy).await?;
            }
        }
    }
    schema.run(write).await?;
    Ok(())
}

/// The World from its rows: the present, what was over lately, and the texts that these name.
async fn load_world(connection: &mut SqliteConnection) -> Result<World, StoreError> {
    let mut world = World::default();
    // A few large replies instead of very many small ones, each of which costs as much as reading many rows; and in the order
    // of keys, in which rows are entered soonest.
    let bodies: Vec<String> = sqlx::query_scalar("SELECT group_concat(body, char(10)) FROM rows GROUP BY kind")
        .fetch_all(&mut *connection)
        .await?;
    let Some((rows, named)) = parsed(&bodies) else { return Err(unreadable(connection).await?) };
    drop(bodies);
    // What an alarm names is in memory, however long ago it was over, and what is a part of what is there.
    let (alarms, rows): (Vec<Row>, Vec<Row>) = rows.into_iter().partition(|row| matches!(row, Row::Alarm(_)));
    alarms.into_iter().for_each(|row| world.put(row));
    let last: Option<Vec<u8>> =
        sqlx::query_scalar("SELECT body FROM facts ORDER BY seq DESC LIMIT 1").fetch_optional(&mut *connection).await?;
    if let Some(body) = last {
        let fact = Fact::from_bytes(&body).map_err(StoreError::Ledger)?;
        world.last_at = Some(fact.at);
    }
    let since = world.last_at.and_then(|last| last.checked_sub(KEPT_FOR).ok()).unwrap_or(Timestamp::MIN);
    let parts = rows.iter().flat_map(|row| match row {
        Row::Elevation(elevation) => elevation.grants.as_slice(),
        _ => &[],
    });
    let named_grants = world.alarmed_grants().chain(parts.copied()).collect();
    let bodies = past::kept_in_memory(connection, named_grants, since).await?;
    let Some((past, mut of_past)) = parsed(&bodies) else { return Err(unreadable(connection).await?) };
    of_past.retain(|text| !named.contains(text));
    // First, since a row is entered by what its names say.
    world.recall(Vec::new(), texts::of_present(connection, &named).await?);
    rows.into_iter().for_each(|row| world.put(row));
    world.recall(past, texts::wherever(connection, &of_past).await?);
    Ok(world)
}

/// Every row, and every digest in them, parsed on all processors; none where one can't be.
fn parsed(bodies: &[String]) -> Option<(Vec<Row>, BTreeSet<Digest>)> {
    let workers = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let lines: Vec<&str> = bodies.iter().flat_map(|lines| lines.lines()).collect();
    let each = lines.len().div_ceil(workers).max(1);
    std::thread::scope(|scope| {
        let parse = |some: &[&str]| -> Option<(Vec<Row>, BTreeSet<Digest>)> {
            let rows = some.iter().map(|body| serde_json::from_str(body).ok());
            Some((rows.collect::<Option<_>>()?, some.iter().flat_map(|line| digests_in(line)).collect()))
        };
        let working: Vec<_> = lines.chunks(each).map(|some| scope.spawn(move || parse(some))).collect();
        let (mut rows, mut named) = (Vec::new(), BTreeSet::new());
        for one in working {
            let (some, mut of_some) = one.join().ok()??;
            rows.extend(some);
            named.append(&mut of_some);
        }
        Some((rows, named))
    })
}

/// Names the row that can't be read.
async fn unreadable(connection: &mut SqliteConnection) -> Result<StoreError, StoreError> {
    for row in sqlx::query(past::EVERY_ROW).fetch_all(&mut *connection).await? {
        let (kind, id, body): (String, String, String) = (row.try_get(0)?, row.try_get(1)?, row.try_get(2)?);
        if let Err(error) = serde_json::from_str::<Row>(&body) {
            return Ok(StoreError::Row { kind, id, why: error.to_string() });
        }
    }
    Ok(StoreError::Ledger("a row could not be read, and then could".to_owned()))
}

/// Resumes the tree from the stored blocks and the leaves behind them, and holds it against the last checkpoint.
async fn load_tree(connection: &mut SqliteConnection) -> Result<Tree, StoreError> {
    let mut tree = Tree::default();
    for root in
        sqlx::query_scalar::<_, Vec<u8>>("SELECT root FROM blocks ORDER BY number").fetch_all(&mut *connection).await?
    {
        tree.push_block(digest_of(root)?);
    }
    for leaf in sqlx::query_scalar::<_, Vec<u8>>("SELECT leaf FROM facts WHERE seq >= ?1 ORDER BY seq")
        .bind(number(tree.size()))
        .fetch_all(&mut *connection)
        .await?
    {
        tree.push(digest_of(leaf)?);
    }
    let count: i64 =
        sqlx::query_scalar("SELECT COALESCE(MAX(seq) + 1, 0) FROM facts").fetch_one(&mut *connection).await?;
    let last = sqlx::query("SELECT size, root FROM checkpoints ORDER BY size DESC LIMIT 1")
        .fetch_optional(&mut *connection)
        .await?;
    let (size, root) = match last {
        Some(row) => (unsigned(row.try_get(0)?), Some(digest_of(row.try_get(1)?)?)),
        None => (0, None),
    };
    if unsigned(count) != size || tree.size() != size {
        return Err(StoreError::Ledger(format!("{count} facts are there, the checkpoint covers {size}")));
    }
    if root.is_some_and(|root| root != tree.root()) {
        return Err(StoreError::Ledger("its tree has another root".to_owned()));
    }
    Ok(tree)
}

/// The last facts are those that their hashes say: what was changed lately is refused at once, and the rest is looked at while
/// the service runs.
async fn verify_tail(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    let rows = sqlx::query("SELECT seq, body, leaf FROM facts ORDER BY seq DESC LIMIT ?1")
        .bind(TAIL)
        .fetch_all(&mut *connection)
        .await?;
    for row in rows {
        let (seq, body): (i64, Vec<u8>) = (row.try_get(0)?, row.try_get(1)?);
        if leaf_hash(&body) != digest_of(row.try_get(2)?)? {
            return Err(StoreError::Ledger(format!(
                "fact {seq} was changed; `tempestasd rebuild --check` says what else differs, and `tempestasd restore` puts a backup in its place"
            )));
        }
    }
    Ok(())
}

/// Whether there is such a table: an edition before this one may have had none.
pub(crate) async fn has_table(connection: &mut SqliteConnection, name: &str) -> Result<bool, sqlx::Error> {
    let found: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM sqlite_master WHERE type = 'table' AND name = ?1")
        .bind(name)
        .fetch_one(connection)
        .await?;
    Ok(found > 0)
}

/// A digest from a row.
pub(crate) fn digest_of(bytes: Vec<u8>) -> Result<Digest, StoreError> {
    bytes.try_into().map(Digest).map_err(|_| StoreError::Ledger("a digest has not 32 bytes".to_owned()))
}

/// A read-only connection to a store's file, for looking at it from outside.
pub(crate) async fn reader(path: &Path) -> Result<SqliteConnection, StoreError> {
    Ok(SqliteConnectOptions::new().filename(path).read_only(true).disable_statement_logging().connect().await?)
}

impl Store {
    /// Fails where another connection wrote to the database since we last looked.
    pub(crate) async fn ensure_alone(&self, write: &mut SqliteConnection) -> Result<(), StoreError> {
        let seen: i64 = sqlx::query_scalar("PRAGMA data_version").fetch_one(write).await?;
        if seen == self.data_version.load(std::sync::atomic::Ordering::Relaxed) {
            return Ok(());
        }
        Err(StoreError::ForeignWriter)
    }
}
