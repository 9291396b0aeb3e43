//! Where the items of a `usual-tide` store come from and go to.
//!
//! - [`link`]: a store and a source kept in step, whatever the source is.
//! - [`files`] (feature `files`, on): JSON, NDJSON and CSV.
//! - [`http`] (feature `http`): servers that speak HTTP, JSON and Server-Sent Events.
//! - [`sqlite`] (feature `sqlite`): tables and queries of SQLite databases.
//! - [`typed`]: any of these for items of an app's own type.

// Which feature a thing needs stands beside it.
#![cfg_attr(docsrs, feature(doc_cfg))]

#[cfg(any(feature = "files", feature = "sqlite"))]
mod faults;
#[cfg(feature = "files")]
pub mod files;
#[cfg(feature = "http")]
pub mod http;
pub mod link;
#[cfg(any(feature = "files", feature = "sqlite"))]
mod members;
#[cfg(any(feature = "files", feature = "http", feature = "sqlite"))]
mod merge;
#[cfg(feature = "sqlite")]
pub mod sqlite;
pub mod typed;

/// What the package says of itself.
#[cfg(all(doctest, feature = "files"))]
#[doc = include_str!("../README.md")]
struct Readme;

/// The page on sources, run as documentation tests.
#[cfg(all(doctest, feature = "files", feature = "sqlite", feature = "http"))]
#[doc = include_str!("../../../docs/sources.md")]
struct Page;
