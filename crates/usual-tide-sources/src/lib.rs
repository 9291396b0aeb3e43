//! Where the items of a `usual-tide` store come from and go to.
//!
//! - [`link`]: a store and a source kept in step, whatever the source is.
//! - [`files`] (feature `files`, on): JSON, NDJSON and CSV.
//! - [`sqlite`] (feature `sqlite`): tables and queries of SQLite databases.

#[cfg(feature = "files")]
pub mod files;
pub mod link;
#[cfg(any(feature = "files", feature = "sqlite"))]
mod members;
#[cfg(any(feature = "files", feature = "sqlite"))]
mod merge;
#[cfg(feature = "sqlite")]
pub mod sqlite;
