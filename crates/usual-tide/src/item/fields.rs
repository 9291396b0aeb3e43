//! Types with named fields.

use super::any_field::AnyField;
use super::field::Field;
use super::field_access::Within;
use super::path::FieldPath;

/// A type with named fields. `#[derive(Item)]` implements it along with [`Item`](crate::Item); `#[derive(Fields)]` does
/// so for a type that stands in an item as a nested field.
///
/// ```
/// use usual_tide::{Fields, Item};
///
/// #[derive(Clone, PartialEq, Fields)]
/// struct Fee { amount: String, currency: String }
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, #[item(nested)] fee: Fee }
///
/// let names: Vec<String> = Piece::fields().iter().map(|field| field.name().to_owned()).collect();
/// assert_eq!(names, ["id", "fee.amount", "fee.currency"]);
/// ```
pub trait Fields: Sized + 'static {
    /// The fields, in the order of their definition; those of nested types by dotted names.
    fn fields() -> Vec<AnyField<Self>>;

    /// The field with a name.
    fn field_named(name: &str) -> Option<AnyField<Self>> {
        Self::fields()
            .into_iter()
            .find(|field| field.name() == name)
    }

    /// The field at a path, as [`Item::changed_fields`](crate::Item::changed_fields) names it.
    fn field_at(path: &FieldPath) -> Option<AnyField<Self>> {
        Self::fields()
            .into_iter()
            .find(|field| field.path() == *path)
    }

    /// Which fields differ in a later version.
    fn differing(&self, later: &Self) -> Vec<FieldPath>;

    /// The whole as a JSON object: field by field, nested ones in objects, unless it brings a form of its own
    /// (`#[item(json = function)]`, with a function that gives a `serde_json::Value`).
    ///
    /// ```
    /// use serde_json::json;
    /// use usual_tide::{Fields, Item};
    ///
    /// #[derive(Clone, PartialEq, Item)]
    /// struct Piece { #[item(key)] id: u32, title: String, shelf: Option<String> }
    ///
    /// let piece = Piece { id: 7, title: "Bowl".into(), shelf: None };
    /// assert_eq!(piece.to_json(), json!({"id": 7, "title": "Bowl", "shelf": null}));
    /// ```
    #[cfg(feature = "record")]
    fn to_json(&self) -> serde_json::Value {
        super::json::fields_to_json(&Self::fields(), self)
    }
}

impl<T: 'static, V: Fields + Clone> Field<T, V> {
    /// The fields of a nested type as fields of the whole.
    pub fn nested(self) -> Vec<AnyField<T>> {
        let within = |inner: AnyField<V>| {
            let name = format!("{}.{}", self.name(), inner.name());
            let options = inner.options();
            let path = inner.path();
            let path = path.under(FieldPath::of_member(self.name()).as_pointer());
            let within = AnyField::new(name, Within { outer: self, inner });
            within.with_options(options).at(path)
        };
        V::fields().into_iter().map(within).collect()
    }
}
