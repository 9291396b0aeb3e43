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
}

impl<T, V> Field<T, V> {
    /// The accessor with this name.
    pub const fn new(name: &'static str, get: fn(&T) -> &V, get_mut: fn(&mut T) -> &mut V) -> Self {
        Self { name, get, get_mut }
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
