//! Items that are JSON objects: for tools, and for data whose shape is not known beforehand.
//!
//! ```
//! use usual_tide::{Place, Query, Store, record};
//!
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! let text = r#"[{"id": "P-1", "title": "Bowl", "fee": {"amount": "4.50"}}, {"id": "P-2"}]"#;
//! let key = record::FieldName::parse("id")?;
//! let mut store = Store::load(record::parse(text, &key)?)?;
//! let list = store.bind(Query::new());
//! let feed = store.feed(list)?;
//!
//! store.edit(&"P-1".into(), |piece| piece.set("/fee/amount", "5.00".into()).expect("a field"))?;
//!
//! let changes = feed.read(&store)?.unwrap();
//! assert_eq!(
//!     changes.to_json()["updated"][0]["fields"],
//!     serde_json::json!(["/fee/amount"]),
//! );
//! # Ok(()) }
//! ```
//!
//! What is read from text is written as it was, numbers to the last digit and members in their order, whatever
//! features `serde_json` is built with. As [`Json`] values, numbers that no float holds and the order of members are kept
//! where its features `arbitrary_precision` and `preserve_order` are on; this crate does not switch them on.

mod block;
mod build;
mod columns;
mod content;
mod differ;
mod field;
mod item;
mod name;
mod parse;
mod read;
mod schema;
mod serialize;
mod shape;
mod shapes;
mod value;

pub use crate::item::{KeyError, RecordKey};
pub use columns::{ColumnValue, Columns};
pub use content::{List, MemberValue, Object};
pub use item::{Record, RecordError, SetError};
pub use name::{FieldName, FieldNameError};
pub use parse::{
    ParseError, RecordMaker, Shape, parse, parse_as, parse_line, parse_value, refuse_reserved,
};
pub use schema::{Schema, UnknownField};
/// A JSON value, as it is in the public interface.
pub use serde_json::Value as Json;
