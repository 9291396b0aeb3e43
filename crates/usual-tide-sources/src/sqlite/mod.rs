//! SQLite databases: a table, or what a query yields, as a source; and a place where writes outlive the app.
//!
//! ```
//! use std::time::Duration;
//! use usual_tide::{SharedStore, Store};
//! use usual_tide_sources::link::Link;
//! use usual_tide_sources::sqlite::SqliteSource;
//!
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! # let folder = tempfile::tempdir()?;
//! # let path = folder.path().join("studio.db");
//! let database = rusqlite::Connection::open(&path)?;
//! database.execute_batch(
//!     "CREATE TABLE pieces (id TEXT PRIMARY KEY, title TEXT, fired BOOLEAN, place REAL);
//!      INSERT INTO pieces VALUES ('P-1', 'Bowl', 0, 1), ('P-2', 'Mug', 0, 2);",
//! )?;
//! let source = SqliteSource::table(&path, "pieces")?.ordered_by("place")?;
//! let store = SharedStore::new(Store::new());
//! let link = Link::start(store.clone(), source)?;
//! link.wait_until_ready(Duration::from_secs(5))?;
//! store.edit(|store| store.edit(&"P-2".into(), |piece| piece.set("fired", true.into()).unwrap()))??;
//! link.flush(Duration::from_secs(5))?;
//! let fired = "SELECT id FROM pieces WHERE fired";
//! assert_eq!(database.query_row(fired, [], |row| row.get::<_, String>(0))?, "P-2");
//! # Ok(()) }
//! ```

mod columns;
mod outbox;
mod places;
mod rows;
mod source;
mod write;

pub use columns::SqliteError;
pub use outbox::SqliteOutbox;
pub use source::{SqliteSource, tables};
