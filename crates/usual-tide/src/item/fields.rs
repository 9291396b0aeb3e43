//! Types with named fields.

use super::any_field::AnyField;
use super::field::{Field, Part};
use super::field_access::{Unnamed, Whole, Within};
use super::path::FieldPath;

/// A type with named fields. `#[derive(Item)]` implements it along with [`Item`](crate::Item); `#[derive(Fields)]` does
/// so for a type that is a nested field of an item.
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
///
/// ```
/// # use usual_tide::{Fields, Item};
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, title: String }
///
/// let before = Piece { id: 1, title: "Bowl".into() };
/// let after = Piece { title: "Deep bowl".into(), ..before.clone() };
/// let changed = Fields::differing(&before, &after);
/// assert_eq!(changed, before.changed_fields(&after));
/// let field = Piece::field_at(&changed[0]).ok_or("no such field")?;
/// assert_eq!(field.shown(&after), "Deep bowl");
/// assert_eq!(before.key_path().map(|path| path.as_pointer().to_owned()), Some("/id".to_owned()));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` has no named fields",
    label = "no `Fields`",
    note = "derive `Item` for an item, or `Fields` for a type that is a part of one: drafts, tracked writes, searches \
            and queries as text need the names"
)]
pub trait Fields: Sized + 'static {
    /// The fields, in the order of their definition; those of nested types by dotted names.
    fn fields() -> Vec<AnyField<Self>>;

    /// The field with a name.
    fn field_named(name: &str) -> Option<AnyField<Self>> {
        Self::fields()
            .into_iter()
            .find(|field| field.name() == name)
    }

    /// The field at a path, as [`Item::changed_fields`](crate::Item::changed_fields) names it. A field that is marked
    /// `#[item(skip)]`, and a nested part as a whole, have no value here: they can be copied from one item to another.
    fn field_at(path: &FieldPath) -> Option<AnyField<Self>> {
        let fields = Self::fields().into_iter().chain(Self::parts());
        let mut fields = fields.filter(|field| field.path() == *path);
        fields.next()
    }

    /// The nested parts as wholes, which a merge copies where a part came or went, and the fields that are kept out of
    /// the named ones. The derives write this.
    #[doc(hidden)]
    fn parts() -> Vec<AnyField<Self>> {
        Vec::new()
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

impl<T: 'static, P: Part> Field<T, P> {
    /// The fields of a nested type, be it an optional part, as fields of the whole. The derives write this.
    pub fn nested(self) -> Vec<AnyField<T>> {
        let within = |inner: AnyField<P::Inner>| {
            let name = format!("{}.{}", self.name(), inner.name());
            let options = inner.options();
            let path = inner.path().under(self.path().as_pointer());
            let outer = self.clone();
            let within = AnyField::new(name, Within { outer, inner });
            within.with_options(options).at(path)
        };
        P::Inner::fields().into_iter().map(within).collect()
    }

    /// The nested type as a whole, and the parts of it.
    #[doc(hidden)]
    pub fn parts(self) -> Vec<AnyField<T>> {
        let whole = AnyField::new(self.name().to_owned(), Whole(self.clone()));
        let mut parts = vec![whole.at(self.path())];
        for inner in P::Inner::parts() {
            let name = format!("{}.{}", self.name(), inner.name());
            let path = inner.path().under(self.path().as_pointer());
            let outer = self.clone();
            parts.push(AnyField::new(name, Within { outer, inner }).at(path));
        }
        parts
    }
}

impl<T: Clone + 'static, V: 'static> Field<T, V> {
    /// A field that is kept out of the named ones, as a whole. The derives write this.
    #[doc(hidden)]
    pub fn unnamed(self) -> AnyField<T> {
        let (name, path) = (self.name().to_owned(), self.path());
        AnyField::new(name, Unnamed(self)).at(path)
    }
}
