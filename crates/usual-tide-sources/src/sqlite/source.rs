//! A database as a source.

use super::columns::{self, SqliteError};
use super::rows::Rows;
use super::write::{apply, is_elsewhere, refusal, row_and_place};
use crate::faults::before_statement;
use crate::link::{Answer, Change, ChangeSender, Loaded, Loading, Source, SourceError};
use rusqlite::{Connection, ErrorCode, OpenFlags, TransactionBehavior};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use usual_tide::record::{FieldName, Record};
use usual_tide::writes::Write;

/// A table of a SQLite database, or what a query yields, as a source. See the [module](super).
///
/// Columns are fields; dotted names go into objects. `BOOLEAN` columns hold flags, `JSON` columns any JSON, all
/// others numbers and text. Several writes are one transaction, and a write that changes a field which another program
/// has changed meanwhile is refused. What other connections commit is noticed.
///
/// ```
/// use std::time::Duration;
/// use usual_tide::{SharedStore, Store};
/// use usual_tide_sources::link::Link;
/// use usual_tide_sources::sqlite::{SqliteSource, tables};
/// # let folder = tempfile::tempdir()?;
/// # let path = folder.path().join("studio.db");
/// # let database = rusqlite::Connection::open(&path)?;
/// # database.execute_batch("CREATE TABLE pieces (id TEXT PRIMARY KEY, title TEXT, place REAL);
/// #     INSERT INTO pieces VALUES ('P-2', 'Mug', 2), ('P-1', 'Bowl', 1);")?;
///
/// assert_eq!(tables(&path)?, ["pieces"]);
/// let source = SqliteSource::table_with_key(&path, "pieces", "id")?
///     .ordered_by("place")?
///     .poll_every(Duration::from_millis(50));
/// let store = SharedStore::new(Store::new());
/// let link = Link::start(store.clone(), source)?;
/// link.wait_until_ready(Duration::from_secs(5))?;
/// let titles = store.read(|store| {
///     store.items().filter_map(|piece| piece.get("title")?.as_text().map(str::to_owned)).collect::<Vec<_>>()
/// })?;
/// assert_eq!(titles, ["Bowl", "Mug"]);
/// # link.close(Duration::from_secs(5));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct SqliteSource {
    path: PathBuf,
    database: Arc<Mutex<Opened>>,
    key: FieldName,
    poll: Duration,
    news: Option<ChangeSender<Record>>,
}

/// A database that is open.
struct Opened {
    connection: Connection,
    /// Which file it is: another one may be put in its place.
    file: Option<u64>,
    access: OpenFlags,
    rows: Rows,
}

impl Opened {
    /// Opens the database that is at the path now, where that is another one. Tells whether it was.
    fn follow(&mut self, path: &Path) -> Result<bool, SqliteError> {
        let now = file_number(path);
        if now.is_none() || now == self.file {
            return Ok(false);
        }
        self.connection = connect(path, self.access)?;
        self.file = now;
        self.rows.forget_schema();
        tracing::info!(path = %path.display(), "another database is in its place");
        Ok(true)
    }

    /// All rows, in one state of the database; nothing where the loading is to end.
    fn load(
        &mut self,
        progress: impl FnMut(usize) -> bool,
    ) -> Result<Option<Vec<Record>>, SqliteError> {
        let reading = self.connection.transaction()?;
        self.rows.follow_schema(&reading)?;
        self.rows.load(&reading, progress)
    }
}

/// Identifies the file itself, since another may get its name.
#[cfg(unix)]
fn file_number(path: &Path) -> Option<u64> {
    let about = std::fs::metadata(path).ok()?;
    Some(std::os::unix::fs::MetadataExt::ino(&about))
}

#[cfg(not(unix))]
fn file_number(_: &Path) -> Option<u64> {
    None
}

impl SqliteSource {
    /// A table, whose primary key is the key. Its rows are in the order in which they were added, unless
    /// [`ordered_by`](Self::ordered_by) says otherwise.
    ///
    /// # Errors
    ///
    /// [`SqliteError`].
    pub fn table(path: impl Into<PathBuf>, table: &str) -> Result<Self, SqliteError> {
        let (path, database) = open(path)?;
        let rows = Rows::of_table(&database, table, None)?;
        Ok(Self::new(path, database, rows))
    }

    /// A table with this column as the key. `rowid` stands for the numbers that SQLite gives the rows of most tables; in
    /// a table without an `INTEGER PRIMARY KEY`, `VACUUM` may change them.
    ///
    /// # Errors
    ///
    /// [`SqliteError`].
    pub fn table_with_key(
        path: impl Into<PathBuf>,
        table: &str,
        key: &str,
    ) -> Result<Self, SqliteError> {
        let (path, database) = open(path)?;
        let rows = Rows::of_table(&database, table, Some(key))?;
        Ok(Self::new(path, database, rows))
    }

    /// What a query yields, with this column as the key. It can be read and not written to.
    ///
    /// # Errors
    ///
    /// [`SqliteError`].
    pub fn query(path: impl Into<PathBuf>, query: &str, key: &str) -> Result<Self, SqliteError> {
        let path = path.into();
        let database = connect(&path, OpenFlags::SQLITE_OPEN_READ_ONLY)?;
        let rows = Rows::of_query(&database, query, key)?;
        Ok(Self::new(path, database, rows))
    }

    /// The rows of a table in the order of this column's numbers: what is moved gets a number between those of its
    /// neighbours. Where the column holds texts, or is the key, a move is refused. O(log n) for each row that is added or moved where the table has an index on the column, O(n) without one.
    ///
    /// # Errors
    ///
    /// [`SqliteError::NoColumn`].
    pub fn ordered_by(self, column: &str) -> Result<Self, SqliteError> {
        lock(&self.database).rows.ordered_by(column)?;
        Ok(self)
    }

    /// Looks for commits of other connections this often; five times a second unless said otherwise.
    #[must_use]
    pub fn poll_every(mut self, poll: Duration) -> Self {
        self.poll = poll;
        self
    }

    /// The field that is the key.
    pub fn key(&self) -> &FieldName {
        &self.key
    }

    fn new(path: PathBuf, database: Connection, rows: Rows) -> Self {
        let key = rows.key.field.clone();
        let access = match rows.table {
            Some(_) => OpenFlags::SQLITE_OPEN_READ_WRITE,
            None => OpenFlags::SQLITE_OPEN_READ_ONLY,
        };
        Self {
            database: Arc::new(Mutex::new(Opened {
                connection: database,
                file: file_number(&path),
                access,
                rows,
            })),
            path,
            key,
            poll: Duration::from_millis(200),
            news: None,
        }
    }

    fn failed(&self, why: SqliteError) -> SourceError {
        let name = self.path.display().to_string();
        match why {
            SqliteError::Database(why) => SourceError::unreachable(name, why),
            why => SourceError::unusable(name, why),
        }
    }
}

/// The names of the tables and views of a database.
///
/// # Errors
///
/// [`SqliteError::Database`].
pub fn tables(path: impl AsRef<Path>) -> Result<Vec<String>, SqliteError> {
    let database = connect(path.as_ref(), OpenFlags::SQLITE_OPEN_READ_ONLY)?;
    Ok(columns::tables_of(&database)?)
}

fn open(path: impl Into<PathBuf>) -> Result<(PathBuf, Connection), SqliteError> {
    let path = path.into();
    let database = connect(&path, OpenFlags::SQLITE_OPEN_READ_WRITE)?;
    Ok((path, database))
}

/// Opens a database that is there; one that another program writes to is waited for. Where it may only be
/// read, it is opened for that.
fn connect(path: &Path, access: OpenFlags) -> Result<Connection, SqliteError> {
    let database = Connection::open_with_flags(path, access | OpenFlags::SQLITE_OPEN_NO_MUTEX)?;
    database.busy_timeout(Duration::from_secs(2))?;
    Ok(database)
}

/// A holder that panicked left a sound connection, so a poisoned lock is as good.
fn lock(database: &Mutex<Opened>) -> MutexGuard<'_, Opened> {
    database.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Source<Record> for SqliteSource {
    fn load(&mut self, loading: &mut Loading<'_>) -> Result<Loaded<Record>, SourceError> {
        let progress = |rows| loading.progress(rows as u64, None).is_ok();
        let mut database = lock(&self.database);
        let followed = database.follow(&self.path);
        let loaded = followed.and_then(|_| database.load(progress));
        drop(database);
        match loaded.map_err(|why| self.failed(why))? {
            Some(items) => Ok(Loaded::all(items)),
            None => Err(SourceError::Closing),
        }
    }

    fn write(&mut self, write: &Write<Record>) -> Result<Answer<Record>, SourceError> {
        let mut answers = Vec::with_capacity(1);
        self.write_many(&[Arc::new(write.clone())], &mut answers)?;
        let none = || SourceError::unusable(self.path.display().to_string(), "there is no answer");
        answers.pop().ok_or_else(none)
    }

    fn write_many(
        &mut self,
        writes: &[Arc<Write<Record>>],
        answers: &mut Vec<Answer<Record>>,
    ) -> Result<(), SourceError> {
        let mut database = lock(&self.database);
        let followed = database.follow(&self.path);
        let mut told = Told::default();
        let done = followed.and_then(|another| {
            told.others_changed = another;
            let Opened {
                connection, rows, ..
            } = &mut *database;
            write_all(rows, connection, writes, answers, &mut told)
        });
        drop(database);
        match &self.news {
            Some(news) if told.others_changed => news.stale(),
            Some(news) if !told.elsewhere.is_empty() => news.changed(told.elsewhere, None),
            _ => {}
        }
        done.map_err(|why| self.failed(why))
    }

    fn watch(&mut self, news: ChangeSender<Record>) {
        let (database, poll) = (Arc::clone(&self.database), self.poll);
        self.news = Some(news.clone());
        // What is committed from here on is either loaded or noticed.
        let known = data_version(&lock(&database).connection).ok();
        let path = self.path.clone();
        let watching = std::thread::Builder::new()
            .name("usual-tide-sqlite".to_owned())
            .spawn(move || watch(&path, &database, known, poll, &news));
        if let Err(error) = watching {
            tracing::error!(%error, "commits of other connections will not be noticed");
        }
    }
}

/// What the app's lists are to be told of beside the answers.
#[derive(Default)]
struct Told {
    /// Whether rows have changed that no write is about.
    others_changed: bool,
    /// A new row that stands elsewhere than where it was asked for.
    elsewhere: Vec<Change<Record>>,
}

impl Told {
    fn add(&mut self, other: Self) {
        self.elsewhere.extend(other.elsewhere);
        // The places of several would have to be told in the order of the table.
        self.others_changed |= other.others_changed || self.elsewhere.len() > 1;
    }
}

/// All writes in one transaction; one that is refused leaves the others. Gives their answers as far as they came, and tells the rest.
fn write_all(
    rows: &mut Rows,
    database: &mut Connection,
    writes: &[Arc<Write<Record>>],
    answers: &mut Vec<Answer<Record>>,
    told: &mut Told,
) -> Result<(), SqliteError> {
    if let Some((done, more)) = write_together(rows, database, writes)? {
        answers.extend(done);
        told.add(more);
        return Ok(());
    }
    // One of them made the database roll everything back, so that each gets a transaction of its own.
    for write in writes {
        match write_together(rows, database, std::slice::from_ref(write))? {
            Some((done, more)) => {
                answers.extend(done);
                told.add(more);
            }
            None => {
                let reason = "a rule of the database has rolled the write back";
                answers.push(Answer::refused(reason));
            }
        }
    }
    Ok(())
}

/// The answers to some writes, and what is to be told beside them.
type Done = (Vec<Answer<Record>>, Told);

/// Writes in one transaction; nothing when the database has ended it by itself.
fn write_together(
    rows: &mut Rows,
    database: &mut Connection,
    writes: &[Arc<Write<Record>>],
) -> Result<Option<Done>, SqliteError> {
    before_statement()?;
    let all = match database.transaction_with_behavior(TransactionBehavior::Immediate) {
        Ok(all) => all,
        Err(why) => {
            // A database that can only be read will not be another one when it is tried again.
            let refused = refusal(&why).ok_or(why)?;
            let answers = vec![Answer::refused(refused); writes.len()];
            return Ok(Some((answers, Told::default())));
        }
    };
    rows.follow_schema(&all)?;
    let mut answers = Vec::with_capacity(writes.len());
    let mut told = Told::default();
    let mut elsewhere = Vec::new();
    for write in writes {
        before_statement()?;
        all.execute_batch("SAVEPOINT one_write")?;
        let carried = apply(rows, &all, write)?;
        if all.is_autocommit() {
            // Nothing of the transaction is left.
            return Ok(None);
        }
        before_statement()?;
        match carried.answer {
            // What was done before the refusal is taken back.
            Answer::Refused { .. } => {
                all.execute_batch("ROLLBACK TO one_write; RELEASE one_write")?;
            }
            _ => {
                all.execute_batch("RELEASE one_write")?;
                told.others_changed |= carried.others;
                if is_elsewhere(rows, &all, write)? {
                    elsewhere.push(&write.key);
                }
            }
        }
        answers.push(carried.answer);
    }
    match *elsewhere {
        [] => {}
        // As it is after all of these writes.
        [key] => told.elsewhere.extend(row_and_place(rows, &all, key)?),
        _ => told.others_changed = true,
    }
    before_statement()?;
    match all.commit() {
        Ok(()) => Ok(Some((answers, told))),
        // A rule that is checked at the end, a foreign key say.
        Err(why) => {
            let refused = refusal(&why).ok_or(why)?;
            match writes.len() {
                1 => Ok(Some((vec![Answer::refused(refused)], Told::default()))),
                _ => Ok(None),
            }
        }
    }
}

/// Tells when another connection has committed: own commits leave this connection's number as it is.
fn watch(
    path: &Path,
    database: &Mutex<Opened>,
    mut known: Option<i64>,
    poll: Duration,
    news: &ChangeSender<Record>,
) {
    loop {
        let opened = lock(database);
        let is_another = file_number(path).is_some_and(|file| Some(file) != opened.file);
        let version = data_version(&opened.connection);
        drop(opened);
        if is_another {
            // It is opened by the next load.
            news.stale();
            known = None;
        } else {
            match version {
                Ok(version) => {
                    if known.is_some_and(|known| known != version) {
                        news.stale();
                    }
                    known = Some(version);
                }
                Err(rusqlite::Error::SqliteFailure(why, _))
                    if why.code == ErrorCode::DatabaseBusy => {}
                Err(error) => tracing::warn!(%error, "cannot see whether the database has changed"),
            }
        }
        if news.wait_until_closed(poll) {
            break;
        }
    }
}

fn data_version(database: &Connection) -> rusqlite::Result<i64> {
    database.query_row("PRAGMA data_version", [], |row| row.get(0))
}

impl std::fmt::Debug for SqliteSource {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("SqliteSource")
            .field("path", &self.path)
            .field("key", &self.key)
            .finish_non_exhaustive()
    }
}
