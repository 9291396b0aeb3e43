//! Typed accessors of fields.

use std::fmt;

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
pub struct Field<T, V> {
    name: &'static str,
    get: fn(&T) -> &V,
    get_mut: fn(&mut T) -> &mut V,
    order: NaturalOrder,
}

/// How a field sorts where a sort says no more than its name.
#[derive(Clone, Copy, Default)]
pub(crate) struct NaturalOrder {
    pub(crate) descending: bool,
    pub(crate) missing_first: bool,
}

impl<T, V> Field<T, V> {
    /// The accessor with this name.
    pub const fn new(name: &'static str, get: fn(&T) -> &V, get_mut: fn(&mut T) -> &mut V) -> Self {
        Self {
            name,
            get,
            get_mut,
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

    /// The field's name.
    pub const fn name(&self) -> &'static str {
        self.name
    }

    /// The field of an item.
    pub fn get<'a>(&self, item: &'a T) -> &'a V {
        (self.get)(item)
    }

    /// The field of an item, to be changed.
    pub fn get_mut<'a>(&self, item: &'a mut T) -> &'a mut V {
        (self.get_mut)(item)
    }

    /// The accessor as a plain function.
    pub const fn getter(&self) -> fn(&T) -> &V {
        self.get
    }
}

impl<T, V> Clone for Field<T, V> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T, V> Copy for Field<T, V> {}

impl<T, V> fmt::Debug for Field<T, V> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("Field").field(&self.name).finish()
    }
}
