//! Items: the app's values, and how the library knows one from another.

mod any_field;
mod arena;
mod choice;
mod compare;
mod converted;
#[cfg(feature = "calendar")]
mod dates;
mod field;
mod field_access;
mod field_types;
mod field_value;
mod fields;
mod generate;
mod given_keys;
mod input;
#[cfg(feature = "record")]
mod json;
mod keys;
mod left_keys;
mod merge;
mod path;
mod rules;
mod section_key;
mod slot_set;
mod tester;
mod value;

pub use any_field::AnyField;
pub(crate) use arena::{Arena, Snapshot};
pub use choice::Choice;
#[cfg(any(feature = "cql2", feature = "record"))]
pub(crate) use dates::read_date;
#[cfg(feature = "record")]
pub(crate) use dates::read_timestamp;
pub(crate) use field::NaturalOrder;
pub use field::{Field, Part};
#[cfg(feature = "record")]
pub(crate) use field_access::{FieldAccess, test_by_comparison};
pub use field_value::FieldValue;
pub use fields::Fields;
pub use generate::KeyCounter;
#[cfg(feature = "uuid")]
pub use generate::uuid_key;
pub(crate) use given_keys::GivenKeys;
pub use input::InputError;
#[cfg(feature = "record")]
pub(crate) use json::{JsonDecimal, json_key, json_of, key_of, number_of, short_integer};
#[cfg(feature = "record")]
pub use json::{KeyError, RecordKey};
pub(crate) use keys::KeyTable;
pub(crate) use left_keys::LeftKeys;
pub(crate) use merge::copy_fields;
pub use merge::{Merged, merge};
pub use path::FieldPath;
#[cfg(feature = "record")]
pub(crate) use path::{escape, unescape};
pub(crate) use rules::describe;
pub use rules::{BrokenRule, FailedField, Rules};
pub use section_key::SectionKey;
pub(crate) use section_key::{GroupValue, SectionName};
pub(crate) use tester::{Accepts, Tester};
pub use value::{Kind, Value};

use std::fmt::Debug;
use std::hash::Hash;

/// A value that a [`Store`](crate::Store) can hold: it has a key, and it can be compared.
///
/// Two items with the same key are two versions of one item; `==` says whether they differ in
/// anything that a view could show. An edit that leaves an item equal is no change. An item that does not equal itself, since it
/// holds a float that is not a number, has changed each time somebody looks: make such a field an `Option`.
///
/// `#[derive(Item)]` writes the implementation from a field marked `#[item(key)]`.
///
/// ```
/// use usual_tide::Item;
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece {
///     #[item(key)]
///     id: String,
///     title: String,
/// }
///
/// let piece = Piece { id: "P-0412".into(), title: "Celadon bowl".into() };
/// assert_eq!(piece.key(), "P-0412");
/// ```
#[diagnostic::on_unimplemented(
    message = "a store cannot hold `{Self}`",
    label = "no `Item`",
    note = "derive it and mark the field that never changes: `#[derive(Clone, PartialEq, Item)]`, `#[item(key)]`"
)]
pub trait Item: Clone + PartialEq + Send + Sync + 'static {
    /// The type of the key: what stays the same through every edit of an item.
    type Key: Clone + Eq + Hash + Debug + Send + Sync + 'static;

    /// The item's key. It must not change while the item stays the same thing.
    fn key(&self) -> &Self::Key;

    /// Which fields differ in a later version of this item, in the order of their definition.
    ///
    /// A view redraws these. The derived implementation compares field by field; the
    /// default says nothing.
    fn changed_fields(&self, later: &Self) -> Vec<FieldPath> {
        let _ = later;
        Vec::new()
    }

    /// Where the key is among the fields, as a JSON Patch tests it; the derived implementation knows.
    fn key_path(&self) -> Option<FieldPath> {
        None
    }
}
