//! Text in the order of a collation, as the key of a sort.

use super::columns::{ColumnName, ColumnOf};
use super::sort::Sort;
use super::sort_key::{KeyIdentity, KeyOrder, SortKey};
use super::value::SortRank;
use crate::item::{AnyField, Value};
use crate::text::Collation;
use std::borrow::Cow;
use std::cmp::Ordering;
use std::sync::Arc;

/// Stands before the key of a text, so that it is not empty as that of a missing one.
const PRESENT: u8 = 1;

impl<T: 'static> Sort<T> {
    /// Ascending by the text of a field in the order of a collation.
    ///
    /// The key of each item's text is computed once and kept beside the items, so that rows are compared by
    /// bytes (not where the field is made by a closure).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Sort, Store};
    /// use usual_tide::text::Collation;
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let titles = ["Vase 10", "émail bowl", "Vase 9", "Ember jar"];
    /// let mut store = Store::load((0..4).map(|id| Piece { id, title: titles[id as usize].into() }))?;
    /// let order = Collation::for_locale("fr")?.numeric();
    /// let list = store.bind(Query::new().sort(Sort::by_text(Piece::TITLE, &order)));
    /// let ids: Vec<u32> = store.list(list)?.items().map(|piece| piece.id).collect();
    /// assert_eq!(ids, [1, 3, 2, 0]);
    /// # Ok(()) }
    /// ```
    pub fn by_text(field: impl Into<AnyField<T>>, collation: &Collation) -> Self {
        let field = field.into();
        let order = field.natural_order();
        let collated = Collated(Arc::new(CollatedText {
            name: ColumnName::Collated(field.name().to_owned(), collation.identity()),
            field,
            collation: collation.clone(),
        }));
        Self::single(collated, order)
    }
}

struct Collated<T>(Arc<CollatedText<T>>);

/// A field's text and its order.
struct CollatedText<T> {
    field: AnyField<T>,
    collation: Collation,
    name: ColumnName,
}

impl<T> CollatedText<T> {
    fn text<'a>(&self, item: &'a T) -> Option<Cow<'a, str>> {
        match self.field.value(item) {
            Value::Missing => None,
            Value::Text(text) => Some(text),
            _ => Some(Cow::Owned(self.field.shown(item))),
        }
    }
}

/// Eight bytes of a key from a place on, as a number.
pub(super) fn eight_bytes(key: &[u8], from: usize) -> u64 {
    let mut bytes = [0; 8];
    let rest = key.get(from..).unwrap_or_default();
    let len = rest.len().min(8);
    bytes[..len].copy_from_slice(&rest[..len]);
    u64::from_be_bytes(bytes)
}

/// The key of a text within the bytes that are kept of an item; `None` for a missing one.
pub(super) fn key_within(kept: &[u8]) -> Option<&[u8]> {
    kept.get(1..)
}

impl<T: 'static> SortKey<T> for Collated<T> {
    fn ranked(&self) -> bool {
        true
    }

    fn deciding_bits(&self) -> u32 {
        0
    }

    fn rank(&self, item: &T) -> SortRank {
        match self.0.field.value(item) {
            Value::Missing => SortRank::Missing,
            _ => SortRank::Value,
        }
    }

    fn prefix(&self, item: &T) -> u64 {
        self.prefix_from(item, 0).unwrap_or(0)
    }

    fn prefix_from(&self, item: &T, byte: usize) -> Option<u64> {
        let text = self.0.text(item)?;
        Some(eight_bytes(&self.0.collation.key(&text), byte))
    }

    fn bytes_in_prefix(&self, _: &T, bits: u32) -> usize {
        (bits / u8::BITS) as usize
    }

    fn compare(&self, one: &T, two: &T) -> Ordering {
        match (self.0.text(one), self.0.text(two)) {
            (Some(one), Some(two)) => self.0.collation.compare(&one, &two),
            // Their ranks differ.
            _ => Ordering::Equal,
        }
    }

    fn identity(&self) -> Option<KeyIdentity> {
        let field = &self.0.field;
        field.is_named().then(|| KeyIdentity {
            field: field.name().to_owned(),
            by: KeyOrder::Collated(self.0.collation.identity()),
            natural: field.natural_order(),
        })
    }

    fn column(&self) -> Option<Arc<dyn ColumnOf<T>>> {
        let named = self.0.field.is_named();
        named.then(|| Arc::clone(&self.0) as _)
    }
}

impl<T: 'static> ColumnOf<T> for CollatedText<T> {
    fn write(&self, item: &T, into: &mut Vec<u8>) -> bool {
        if let Some(text) = self.text(item) {
            into.push(PRESENT);
            self.collation.write_key(&text, into);
        }
        true
    }

    fn name(&self) -> &ColumnName {
        &self.name
    }
}
