//! Sources of records as sources of an app's own items.
//!
//! [`FileSource`](crate::files::FileSource), [`SqliteSource`](crate::sqlite::SqliteSource) and
//! [`HttpSource`](crate::http::HttpSource) hold records, which are JSON objects. An app whose items are a type of its own says how
//! one becomes the other, by a [`Conversion`], and links its store to a [`TypedSource`]:
//!
//! ```
//! use serde::{Deserialize, Serialize};
//! use std::time::Duration;
//! use usual_tide::record::FieldName;
//! use usual_tide::{Item, SharedStore, Store};
//! use usual_tide_sources::files::FileSource;
//! use usual_tide_sources::link::Link;
//! use usual_tide_sources::typed::{Conversion, TypedSource};
//!
//! #[derive(Clone, PartialEq, Debug, Item, Serialize, Deserialize)]
//! struct Piece { #[item(key)] id: String, title: String, fired: bool }
//!
//! # let folder = tempfile::tempdir()?;
//! # let path = folder.path().join("pieces.json");
//! # std::fs::write(&path, r#"[{"id": "P-1", "title": "Bowl", "fired": false, "shelf": 4.0}]"#)?;
//! let id = FieldName::parse("id")?;
//! let source = TypedSource::new(FileSource::new(&path, &id), Conversion::serde(&id));
//! let store: SharedStore<Piece> = SharedStore::new(Store::new());
//! let link = Link::start(store.clone(), source)?;
//! link.wait_until_ready(Duration::from_secs(5))?;
//!
//! store.try_edit(|store| store.edit(&"P-1".to_owned(), |piece| piece.fired = true))?;
//! link.flush(Duration::from_secs(5))?;
//! // The file has a member that the app's type does not have: it stays.
//! let written = std::fs::read_to_string(&path)?;
//! assert!(written.contains("\"shelf\":4.0") || written.contains("\"shelf\": 4.0"));
//! # link.close(Duration::from_secs(5));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod conversion;
mod known;
mod outbox;
mod read_all;
mod source;

pub use conversion::{Conversion, ConversionError};
pub use outbox::TypedOutbox;
pub use source::TypedSource;
