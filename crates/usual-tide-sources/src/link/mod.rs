//! Links: one store and one source, kept in step in the background.
//!
//! An app edits its [`SharedStore`]; each edit shows at once, and the link sends it and hands the source's answer
//! back. What changes at the source goes underneath the edits that wait. A source is whatever implements
//! [`Source`]:
//!
//! ```
//! use std::sync::Arc;
//! use std::time::Duration;
//! use usual_tide::{Item, SharedStore, Store};
//! use usual_tide::writes::{Write, WriteState};
//! use usual_tide_sources::link::{Answer, Link, Loaded, Loading, Source, SourceError};
//!
//! #[derive(Clone, PartialEq, Debug, Item)]
//! struct Piece { #[item(key)] id: u32, shelf: u8 }
//!
//! /// Pieces in memory; the top shelf is full.
//! struct Studio(Vec<Piece>);
//!
//! impl Source<Piece> for Studio {
//!     fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
//!         Ok(Loaded::all(self.0.clone()))
//!     }
//!
//!     fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
//!         if write.after.as_ref().is_some_and(|piece| piece.shelf > 3) {
//!             return Ok(Answer::refused("the top shelf is full"));
//!         }
//!         self.0.retain(|piece| piece.id != write.key);
//!         self.0.extend(write.after.as_deref().cloned());
//!         Ok(Answer::Saved)
//!     }
//! }
//!
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! let store = SharedStore::new(Store::new());
//! let link = Link::start(store.clone(), Studio(vec![Piece { id: 1, shelf: 0 }]))?;
//! link.wait_until_ready(Duration::from_secs(5))?;
//!
//! store.edit(|store| store.edit(&1, |piece| piece.shelf = 4))??;
//! link.flush(Duration::from_secs(5))?;
//! assert_eq!(store.read(|store| store.get(&1).map(|piece| piece.shelf))?, Some(0));
//! assert_eq!(store.read(|store| store.writes().state(&1))?, WriteState::Failed);
//! assert!(link.close(Duration::from_secs(5)).is_empty());
//! # Ok(()) }
//! ```

mod apply;
mod command;
mod control;
mod direct;
mod error;
mod handle;
mod kept;
mod options;
mod outbox;
mod panics;
mod retry;
mod sender;
mod source;
mod state;
mod sync;
mod worker;

pub use command::Change;
pub use direct::DirectSource;
pub use error::{LinkError, SourceError};
pub use handle::{Link, TimedOut};
pub use options::LinkOptions;
pub use outbox::{Outbox, OutboxError};
pub use retry::Retry;
pub use sender::ChangeSender;
pub use source::{Answer, Loaded, Loading, Source};
pub use state::LinkState;

#[cfg(doc)]
use usual_tide::SharedStore;
