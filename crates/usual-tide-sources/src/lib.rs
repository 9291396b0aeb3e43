//! Where the items of a `usual-tide` store come from and go to.
//!
//! - [`files`] (feature `files`, on): JSON, NDJSON and CSV.

#[cfg(feature = "files")]
pub mod files;
pub mod link;
