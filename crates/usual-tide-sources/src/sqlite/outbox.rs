//! Unsent writes in a database.

use crate::faults::before_statement;
use crate::link::{Outbox, OutboxError};
use rusqlite::{Connection, ErrorCode};
use serde_json::{Map, Value, json};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;
use usual_tide::record::{FieldName, Record, RecordKey, RecordMaker};
use usual_tide::writes::{Neighbours, Show, Write};

/// Writes that wait for an answer, in a SQLite database: those that one run of the app could not send, the next
/// one sends.
///
/// Each is on the disk when [`keep`](Outbox::keep) returns. One run at a time holds the file; a second one gets an
/// error. The table `unsent` has a `number` and the write as JSON:
/// `key`, `before`, `after`, `place` with `after` and `before`, and `show`.
///
/// A write that this version of the app cannot read keeps a link from starting. The error has its number, by which the app can
/// [`forget`](Outbox::forget) it, and its text.
///
/// ```
/// use usual_tide::record::FieldName;
/// use usual_tide_sources::link::{LinkOptions, Outbox};
/// use usual_tide_sources::sqlite::SqliteOutbox;
/// # let folder = tempfile::tempdir()?;
/// # let path = folder.path().join("outbox.db");
///
/// let mut outbox = SqliteOutbox::open(&path, &FieldName::parse("id")?)?;
/// // What an earlier run did not send; the link sends it first.
/// assert!(outbox.kept()?.is_empty());
/// let options = LinkOptions::default().outbox(outbox);
/// # let _ = options;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct SqliteOutbox {
    database: Connection,
    path: PathBuf,
    maker: RecordMaker,
}

impl SqliteOutbox {
    /// Opens the database at a path, or makes it. `key` is the field that is the items' key.
    ///
    /// # Errors
    ///
    /// [`OutboxError`].
    pub fn open(path: impl AsRef<Path>, key: &FieldName) -> Result<Self, OutboxError> {
        let path = path.as_ref();
        let open = || -> rusqlite::Result<Connection> {
            before_statement()?;
            let database = Connection::open(path)?;
            // As long as a run that ends may take.
            database.busy_timeout(Duration::from_secs(2))?;
            // Two runs at a time would both send what waits: the first holds the file until it ends.
            database.execute_batch(
                "PRAGMA locking_mode = EXCLUSIVE; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL;
                 BEGIN EXCLUSIVE;
                 CREATE TABLE IF NOT EXISTS unsent (
                     number INTEGER PRIMARY KEY AUTOINCREMENT, write TEXT NOT NULL
                 );
                 COMMIT;",
            )?;
            Ok(database)
        };
        let database = open().map_err(|why| {
            let what = match why.sqlite_error_code() {
                Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => {
                    "are in use by another run, which is to be ended first or to have a file of its own"
                }
                _ => "cannot be opened",
            };
            failed(path, what, why)
        })?;
        Ok(Self {
            database,
            path: path.to_owned(),
            maker: RecordMaker::new(key),
        })
    }
}

fn failed(
    path: &Path,
    what: &str,
    why: impl Into<Box<dyn std::error::Error + Send + Sync>>,
) -> OutboxError {
    OutboxError {
        what: format!("the unsent writes in {} {what}", path.display()),
        why: why.into(),
        number: None,
    }
}

fn failed_with(
    path: &Path,
    number: u64,
    what: &str,
    why: impl Into<Box<dyn std::error::Error + Send + Sync>>,
) -> OutboxError {
    let number = Some(number);
    OutboxError {
        number,
        ..failed(path, what, why)
    }
}

impl Outbox<Record> for SqliteOutbox {
    fn kept(&mut self) -> Result<Vec<(u64, Write<Record>)>, OutboxError> {
        let read = || -> rusqlite::Result<Vec<(u64, String)>> {
            before_statement()?;
            let sql = "SELECT number, write FROM unsent ORDER BY number";
            let mut statement = self.database.prepare(sql)?;
            let rows = statement.query_map([], |row| Ok((row.get(0)?, row.get(1)?)))?;
            rows.collect()
        };
        let rows = read().map_err(|why| failed(&self.path, "cannot be read", why))?;
        let writes = rows.into_iter().map(|(number, text)| {
            let write = from_json(&text, &self.maker);
            let why = || {
                let what = format!("cannot be read: number {number}");
                failed_with(&self.path, number, &what, format!("not a write: {text}"))
            };
            Ok((number, write.ok_or_else(why)?))
        });
        writes.collect()
    }

    fn keep(&mut self, writes: &[Arc<Write<Record>>]) -> Result<Vec<u64>, OutboxError> {
        let mut keep = || -> rusqlite::Result<Vec<u64>> {
            before_statement()?;
            let all = self.database.transaction()?;
            let mut insert =
                all.prepare_cached("INSERT INTO unsent (write) VALUES (?) RETURNING number")?;
            let texts = writes.iter().map(|write| to_json(write).to_string());
            let numbers = texts.map(|text| {
                before_statement()?;
                insert.query_row([text], |row| row.get(0))
            });
            let numbers = numbers.collect::<Result<_, _>>()?;
            drop(insert);
            before_statement()?;
            all.commit()?;
            Ok(numbers)
        };
        keep().map_err(|why| failed(&self.path, "cannot take another", why))
    }

    fn forget(&mut self, number: u64) -> Result<(), OutboxError> {
        let sql = "DELETE FROM unsent WHERE number = ?";
        let done = before_statement()
            .and_then(|()| self.database.prepare_cached(sql))
            .and_then(|mut one| one.execute([number]));
        let what = format!("cannot forget number {number}, which was answered");
        done.map(drop)
            .map_err(|why| failed_with(&self.path, number, &what, why))
    }
}

/// A write as JSON.
fn to_json(write: &Write<Record>) -> Value {
    let item = |item: &Option<Arc<Record>>| match item {
        Some(item) => Value::Object(item.to_members()),
        None => Value::Null,
    };
    let key = |key: &Option<RecordKey>| key.as_ref().map_or(Value::Null, RecordKey::to_value);
    let place = write
        .place
        .as_ref()
        .map(|place| json!({"after": key(&place.after), "before": key(&place.before)}));
    json!({
        "key": write.key.to_value(),
        "before": item(&write.before),
        "after": item(&write.after),
        "place": place,
        "show": match write.show { Show::AtOnce => "at once", Show::WhenConfirmed => "when confirmed" },
    })
}

fn from_json(text: &str, maker: &RecordMaker) -> Option<Write<Record>> {
    let mut members: Map<String, Value> = serde_json::from_str(text).ok()?;
    let item = |value: Option<Value>| match value {
        Some(Value::Object(members)) => Some(Some(Arc::new(maker.record(members).ok()?))),
        Some(Value::Null) => Some(None),
        _ => None,
    };
    let key = |value: Option<&Value>| match value {
        None | Some(Value::Null) => Some(None),
        Some(value) => Some(Some(RecordKey::from_value(value).ok()?)),
    };
    let before = item(members.remove("before"))?;
    let after = item(members.remove("after"))?;
    let place = match members.get("place")? {
        Value::Object(place) => Some(Neighbours {
            after: key(place.get("after"))?,
            before: key(place.get("before"))?,
        }),
        _ => None,
    };
    let show = match members.get("show")?.as_str()? {
        "at once" => Show::AtOnce,
        _ => Show::WhenConfirmed,
    };
    let key = key(members.get("key"))??;
    Some(Write::new(key, before, after, place, show))
}
