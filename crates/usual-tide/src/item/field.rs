//! Typed accessors of fields.

use super::path::FieldPath;
use std::borrow::Cow;
use std::fmt;
use std::sync::Arc;

/// A named way from an item to one of its fields.
///
/// `#[derive(Item)]` gives a type one constant of this kind for every field, named after the field
/// in capitals. A query takes it where it takes a closure.
///
/// ```
/// use usual_tide::{Item, Query};
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece {
///     #[item(key)]
///     id: String,
///     height_mm: u32,
/// }
///
/// assert_eq!(Piece::HEIGHT_MM.name(), "height_mm");
/// let tallest_first = Query::new().sort(Piece::HEIGHT_MM.descending());
/// # let _: Query<Piece> = tallest_first;
/// ```
///
/// A field of a nested type is reached by putting accessors together, and used like any other:
///
/// ```
/// use usual_tide::{Fields, Item, Query};
///
/// #[derive(Clone, PartialEq, Fields)]
/// struct Fee { amount: u32, currency: String }
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece {
///     #[item(key)]
///     id: u32,
///     #[item(nested)]
///     fee: Option<Fee>,
/// }
///
/// let amount = Piece::FEE.field(Fee::AMOUNT);
/// assert_eq!(amount.name(), "fee.amount");
/// let dearest_first = Query::new().filter(amount.clone().above(0)).sort(amount.descending());
/// # let _: Query<Piece> = dearest_first;
/// ```
///
/// ```
/// # use usual_tide::Item;
/// # #[derive(Clone, PartialEq, Item)]
/// # struct Piece { #[item(key)] id: u32, shelf: Option<u8> }
/// // An accessor can say how a sort orders the field where the sort does not say it.
/// let shelf = Piece::SHELF.naturally_descending().naturally_missing_first();
/// assert!(shelf.is_naturally_descending() && shelf.is_naturally_missing_first());
/// let mut piece = Piece { id: 1, shelf: None };
/// if let Some(held) = shelf.get_mut(&mut piece) {
///     *held = Some(2);
/// }
/// assert_eq!(shelf.get(&piece), Some(&Some(2)));
/// ```
pub struct Field<T, V> {
    name: Cow<'static, str>,
    /// Where it is, where that is not the member of its name.
    path: Option<FieldPath>,
    access: Access<T, V>,
    order: NaturalOrder,
}

/// The way from an item to the field.
enum Access<T, V> {
    Direct {
        get: fn(&T) -> &V,
        get_mut: fn(&mut T) -> &mut V,
    },
    /// Through a field of a nested type.
    Nested(Arc<dyn NestedAccess<T, V>>),
}

/// The way through a part of the item, which may be missing.
trait NestedAccess<T, V>: Send + Sync {
    fn get<'a>(&self, item: &'a T) -> Option<&'a V>;
    fn get_mut<'a>(&self, item: &'a mut T) -> Option<&'a mut V>;
    /// Whether some part on the way may be missing.
    fn is_optional(&self) -> bool;
}

/// A field of a part: the accessor of the part, then that of its field.
struct Joined<T, P: Part, V> {
    outer: Field<T, P>,
    inner: Field<P::Inner, V>,
}

impl<T: 'static, P: Part, V: 'static> NestedAccess<T, V> for Joined<T, P, V> {
    fn get<'a>(&self, item: &'a T) -> Option<&'a V> {
        self.inner.get(self.outer.get(item)?.inner()?)
    }

    fn get_mut<'a>(&self, item: &'a mut T) -> Option<&'a mut V> {
        self.inner.get_mut(self.outer.get_mut(item)?.inner_mut()?)
    }

    fn is_optional(&self) -> bool {
        P::IS_OPTIONAL || self.outer.is_optional() || self.inner.is_optional()
    }
}

/// A type whose values hold a nested type with fields: the type itself, or an `Option` of it.
///
/// ```
/// use usual_tide::{Fields, fields::Part};
///
/// #[derive(Clone, PartialEq, Fields)]
/// struct Fee { amount: u32 }
///
/// let mut fee = Some(Fee { amount: 4 });
/// if let Some(inner) = fee.inner_mut() {
///     inner.amount = 5;
/// }
/// assert_eq!(fee.inner().map(|fee| fee.amount), Some(5));
/// let changed = fee.differing(&Some(Fee { amount: 6 }));
/// assert_eq!(changed[0].to_string(), "amount");
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` has no fields of its own",
    label = "not a nested type",
    note = "derive `Fields` for the type: `#[derive(Fields)]`"
)]
pub trait Part: Clone + PartialEq + Send + Sync + 'static {
    /// The nested type.
    type Inner: super::Fields + Clone;

    /// Whether it may be missing.
    const IS_OPTIONAL: bool;

    /// The nested value, when it is there.
    fn inner(&self) -> Option<&Self::Inner>;

    /// The nested value to be changed, when it is there.
    fn inner_mut(&mut self) -> Option<&mut Self::Inner>;

    /// Which fields of the nested value differ in a later version; none where the nested value came or went, or
    /// differs in what has no name.
    fn differing(&self, later: &Self) -> Vec<FieldPath> {
        match (self.inner(), later.inner()) {
            (Some(one), Some(two)) => super::Fields::differing(one, two),
            _ => Vec::new(),
        }
    }
}

impl<V: super::Fields + Clone + PartialEq + Send + Sync> Part for V {
    type Inner = V;

    const IS_OPTIONAL: bool = false;

    fn inner(&self) -> Option<&V> {
        Some(self)
    }

    fn inner_mut(&mut self) -> Option<&mut V> {
        Some(self)
    }
}

impl<V: super::Fields + Clone + PartialEq + Send + Sync> Part for Option<V> {
    type Inner = V;

    const IS_OPTIONAL: bool = true;

    fn inner(&self) -> Option<&V> {
        self.as_ref()
    }

    fn inner_mut(&mut self) -> Option<&mut V> {
        self.as_mut()
    }
}

/// How a field sorts where a sort says no more than its name.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
pub(crate) struct NaturalOrder {
    pub(crate) descending: bool,
    pub(crate) missing_first: bool,
}

impl<T, V> Field<T, V> {
    /// The accessor with this name.
    pub const fn new(name: &'static str, get: fn(&T) -> &V, get_mut: fn(&mut T) -> &mut V) -> Self {
        Self {
            name: Cow::Borrowed(name),
            path: None,
            access: Access::Direct { get, get_mut },
            order: NaturalOrder {
                descending: false,
                missing_first: false,
            },
        }
    }

    /// The same field, which sorts in descending order where a sort names it and says no direction: newest
    /// first, say. `#[item(descending)]` writes this.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    ///
    /// #[derive(Clone, PartialEq, Item)]
    /// struct Piece {
    ///     #[item(key)]
    ///     id: u32,
    ///     #[item(descending, missing_first)]
    ///     fired_on_day: Option<u32>,
    /// }
    ///
    /// let days = [Some(3), None, Some(9)];
    /// let pieces = (0..3_u32).map(|id| Piece { id, fired_on_day: days[id as usize] });
    /// let mut store = Store::load(pieces)?;
    /// let latest_first = store.bind(Query::new().sort(Piece::FIRED_ON_DAY));
    /// let ids: Vec<u32> = store.list(latest_first)?.items().map(|piece| piece.id).collect();
    /// assert_eq!(ids, [1, 2, 0]);
    /// store.list_mut(latest_first)?.change_query(|query| query.sort(Piece::FIRED_ON_DAY.ascending()));
    /// let ids: Vec<u32> = store.list(latest_first)?.items().map(|piece| piece.id).collect();
    /// assert_eq!(ids, [1, 0, 2]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub const fn naturally_descending(mut self) -> Self {
        self.order.descending = true;
        self
    }

    /// The same field, whose missing values come first where a sort does not say otherwise.
    /// `#[item(missing_first)]` writes this.
    #[must_use]
    pub const fn naturally_missing_first(mut self) -> Self {
        self.order.missing_first = true;
        self
    }

    /// Whether the field sorts in descending order where a sort says no direction.
    pub const fn is_naturally_descending(&self) -> bool {
        self.order.descending
    }

    /// Whether missing values come first where a sort does not say otherwise.
    pub const fn is_naturally_missing_first(&self) -> bool {
        self.order.missing_first
    }

    pub(crate) const fn natural_order(&self) -> NaturalOrder {
        self.order
    }

    /// The field's name, dotted where it is nested.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Where it is in an item.
    pub fn path(&self) -> FieldPath {
        match &self.path {
            Some(path) => path.clone(),
            None => FieldPath::of_member(&self.name),
        }
    }

    /// Whether it is a part of something that may be missing.
    ///
    /// ```
    /// # use usual_tide::{Fields, Item};
    /// # #[derive(Clone, PartialEq, Fields)]
    /// # struct Fee { amount: u32 }
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, #[item(nested)] fee: Option<Fee> }
    /// assert!(Piece::FEE.field(Fee::AMOUNT).is_optional());
    /// assert!(!Piece::ID.is_optional());
    /// ```
    pub fn is_optional(&self) -> bool {
        match &self.access {
            Access::Direct { .. } => false,
            Access::Nested(access) => access.is_optional(),
        }
    }

    /// The field of an item; `None` where it is a part of something that is missing.
    pub fn get<'a>(&self, item: &'a T) -> Option<&'a V> {
        match &self.access {
            Access::Direct { get, .. } => Some(get(item)),
            Access::Nested(access) => access.get(item),
        }
    }

    /// The field of an item, to be changed; `None` where it is a part of something that is missing.
    pub fn get_mut<'a>(&self, item: &'a mut T) -> Option<&'a mut V> {
        match &self.access {
            Access::Direct { get_mut, .. } => Some(get_mut(item)),
            Access::Nested(access) => access.get_mut(item),
        }
    }

    /// The accessor as a plain function, where the field is no nested one.
    pub(crate) fn getter(&self) -> Option<fn(&T) -> &V> {
        match &self.access {
            Access::Direct { get, .. } => Some(*get),
            Access::Nested(_) => None,
        }
    }

    /// A field of the type that this field holds, or holds an `Option` of. See [`Field`] for an example.
    pub fn field<W: 'static>(self, inner: Field<V::Inner, W>) -> Field<T, W>
    where
        T: 'static,
        V: Part,
    {
        let path = inner.path().under(self.path().as_pointer());
        Field {
            name: Cow::Owned(format!("{}.{}", self.name, inner.name)),
            path: Some(path),
            order: inner.order,
            access: Access::Nested(Arc::new(Joined { outer: self, inner })),
        }
    }
}

impl<T, V> Clone for Field<T, V> {
    fn clone(&self) -> Self {
        Self {
            name: self.name.clone(),
            path: self.path.clone(),
            access: match &self.access {
                Access::Direct { get, get_mut } => Access::Direct {
                    get: *get,
                    get_mut: *get_mut,
                },
                Access::Nested(access) => Access::Nested(Arc::clone(access)),
            },
            order: self.order,
        }
    }
}

impl<T, V> fmt::Debug for Field<T, V> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Field").field(&self.name).finish()
    }
}
