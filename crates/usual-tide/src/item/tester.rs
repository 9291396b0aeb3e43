//! Tests of one field against a value, compiled for the field's type.

use super::field_value::FieldValue;
use super::value::Value;
use std::cmp::Ordering;

/// A test of an item; `None` where a missing value leaves the answer unknown.
pub(crate) type Tester<T> = Box<dyn Fn(&T) -> Option<bool> + Send + Sync>;

/// Which of the three outcomes of a comparison are accepted, a bit each.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct Accepts(u8);

impl Accepts {
    pub(crate) const LESS: Self = Self(1);
    pub(crate) const EQUAL: Self = Self(2);
    pub(crate) const GREATER: Self = Self(4);
    pub(crate) const UNEQUAL: Self = Self::LESS.or(Self::GREATER);

    pub(crate) const fn or(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }

    pub(crate) fn accepts(self, order: Ordering) -> bool {
        self.0 >> (order as i8 + 1) & 1 == 1
    }

    /// The same for two texts, which are compared no further than they have to be.
    #[cfg(feature = "record")]
    pub(crate) fn accepts_text(self, one: &str, two: &str) -> bool {
        match self {
            Self::EQUAL => one == two,
            Self::UNEQUAL => one != two,
            _ => self.accepts(one.cmp(two)),
        }
    }
}

/// The test for any type.
pub(super) fn any<T: 'static, V: FieldValue>(
    get: fn(&T) -> &V,
    accepts: Accepts,
    value: Value<'static>,
) -> Tester<T> {
    match accepts {
        Accepts::EQUAL => Box::new(move |item| get(item).equals(&value)),
        Accepts::UNEQUAL => Box::new(move |item| get(item).equals(&value).map(|same| !same)),
        _ => Box::new(move |item| {
            let order = get(item).compare_to(&value)?;
            Some(accepts.accepts(order))
        }),
    }
}

/// The test for a type that is never missing and has a value of its own to compare with.
pub(super) fn ordered<T: 'static, V: Ord + Copy + Send + Sync + 'static>(
    get: fn(&T) -> &V,
    accepts: Accepts,
    value: V,
) -> Tester<T> {
    match accepts {
        Accepts::EQUAL => Box::new(move |item| Some(*get(item) == value)),
        Accepts::UNEQUAL => Box::new(move |item| Some(*get(item) != value)),
        Accepts::LESS => Box::new(move |item| Some(*get(item) < value)),
        Accepts::GREATER => Box::new(move |item| Some(*get(item) > value)),
        _ => Box::new(move |item| Some(accepts.accepts((*get(item)).cmp(&value)))),
    }
}
