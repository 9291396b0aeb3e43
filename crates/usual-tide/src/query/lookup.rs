//! Fields found by name, for the text forms of queries.

use crate::item::{AnyField, FieldPath, Fields};
use std::marker::PhantomData;

/// Where the text forms of filters and sorts find their fields.
///
/// ```
/// use usual_tide::{Fields, Item, Sort};
/// use usual_tide::fields::AnyField;
/// use usual_tide::query::FieldLookup;
/// # use usual_tide_pieces::with_height::Piece;
///
/// /// The fields by the names that the screen shows.
/// struct Titles;
///
/// impl FieldLookup<Piece> for Titles {
///     fn field(&self, name: &str) -> Option<AnyField<Piece>> {
///         if name == "Height" { Piece::field_named("height_mm") } else { None }
///     }
///     fn names(&self) -> Vec<String> {
///         vec!["Height".to_owned()]
///     }
/// }
/// let sort = Sort::parse_with("-Height", &Titles)?;
/// assert_eq!(sort.text(), Some("-height_mm".to_owned()));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[diagnostic::on_unimplemented(
    message = "fields of `{T}` cannot be looked up in `{Self}`",
    label = "no `FieldLookup<{T}>`",
    note = "`parse` finds the fields of a type; for records pass their `record::Schema`"
)]
pub trait FieldLookup<T> {
    /// The field with this name, dotted or a JSON Pointer.
    fn field(&self, name: &str) -> Option<AnyField<T>>;

    /// All names, for an error to suggest the nearest one.
    fn names(&self) -> Vec<String>;
}

/// The fields of a type.
pub(crate) struct OfType<T>(PhantomData<fn(T)>);

impl<T> OfType<T> {
    pub(crate) const fn new() -> Self {
        Self(PhantomData)
    }
}

impl<T: Fields> FieldLookup<T> for OfType<T> {
    fn field(&self, name: &str) -> Option<AnyField<T>> {
        let at_path = || {
            let field = T::field_at(&FieldPath::new(name.to_owned()))?;
            (!field.is_copied_only()).then_some(field)
        };
        T::field_named(name).or_else(at_path)
    }

    fn names(&self) -> Vec<String> {
        T::fields()
            .iter()
            .map(|field| field.name().to_owned())
            .collect()
    }
}

/// The name that is most like a wrong one, when one is.
pub(crate) fn nearest<T>(name: &str, fields: &impl FieldLookup<T>) -> Option<String> {
    // A part of a nested name, or of its way: `fee` and `amount` for `fee.amount`.
    let around = |other: &String| {
        let rest = other
            .strip_prefix(name)
            .map(|rest| rest.starts_with(['.', '/']));
        let front = other
            .strip_suffix(name)
            .map(|front| front.ends_with(['.', '/']));
        rest == Some(true) || front == Some(true)
    };
    if let Some(nested) = fields
        .names()
        .into_iter()
        .find(around)
        .filter(|_| !name.is_empty())
    {
        return Some(nested);
    }
    most_like(name, fields.names().iter().map(String::as_str))
}

/// The name that is most like a wrong one, when one is alike enough to be offered for it.
#[cfg(feature = "suggestions")]
pub(crate) fn most_like<'a>(
    name: &str,
    names: impl IntoIterator<Item = &'a str>,
) -> Option<String> {
    /// How alike two names must be.
    const ALIKE: f64 = 0.7;
    // Case tells names apart, and is easily taken for another.
    let name = name.to_lowercase();
    let likeness =
        |other: &str| strsim::normalized_damerau_levenshtein(&name, &other.to_lowercase());
    let names = names.into_iter();
    let nearest = names.map(|name| (likeness(name), name));
    let nearest = nearest.max_by(|one, two| one.0.total_cmp(&two.0));
    nearest
        .filter(|(alike, _)| *alike >= ALIKE)
        .map(|(_, name)| name.to_owned())
}

/// Names are not compared without the feature `suggestions`.
#[cfg(not(feature = "suggestions"))]
pub(crate) fn most_like<'a>(_: &str, _: impl IntoIterator<Item = &'a str>) -> Option<String> {
    None
}
