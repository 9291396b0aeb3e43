//! Servers as sources: HTTP with JSON, and Server-Sent Events for what others change.
//!
//! `docs/http.md` says what the server must speak; `usual-tide serve` is one.

mod client;
mod events;
#[cfg(fuzzing)]
mod fuzzing;
mod options;
mod patch;
mod source;
mod stream;
mod versions;

#[cfg(fuzzing)]
pub use fuzzing::read_stream;
pub use options::HttpOptions;
pub use patch::merge_patch;
pub use source::HttpSource;
