//! Servers as sources: HTTP with JSON, and Server-Sent Events for what others change.
//!
//! `docs/http.md` says what the server must speak; `usual-tide serve` is one.

mod client;
mod events;
mod options;
mod patch;
mod source;
mod stream;
mod versions;

pub use options::HttpOptions;
pub use patch::merge_patch;
pub use source::HttpSource;
