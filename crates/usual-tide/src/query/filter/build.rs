//! Conditions made from fields.

use super::comparison::Comparison;
use super::condition::{Condition, Node};
use super::like::Pattern;
use super::listed::Listed;
use super::operand::Operand;
use crate::item::{AnyField, Field, FieldValue, Value};

impl<T: 'static, V: FieldValue> Field<T, V> {
    /// The condition that the field has this value.
    ///
    /// ```
    /// # use usual_tide::{Item, Query};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// let waiting = Query::new().filter(Piece::FIRED.is(false));
    /// # let _: Query<Piece> = waiting;
    /// ```
    pub fn is(self, value: V) -> Condition<T> {
        AnyField::from(self).is(owned(value))
    }

    /// The condition that the field has another value; unknown where it has none.
    pub fn is_not(self, value: V) -> Condition<T> {
        AnyField::from(self).is_not(owned(value))
    }

    /// The condition that the field's value is this or greater.
    pub fn at_least(self, value: V) -> Condition<T> {
        AnyField::from(self).at_least(owned(value))
    }

    /// The condition that the field's value is this or less.
    pub fn at_most(self, value: V) -> Condition<T> {
        AnyField::from(self).at_most(owned(value))
    }

    /// The condition that the field's value is greater.
    pub fn above(self, value: V) -> Condition<T> {
        AnyField::from(self).above(owned(value))
    }

    /// The condition that the field's value is less.
    ///
    /// ```
    /// # use usual_tide::Item;
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, height_mm: Option<u32> }
    /// let piece = |height_mm| Piece { id: 1, height_mm };
    /// assert_eq!(Piece::HEIGHT_MM.below(Some(95)).test(&piece(Some(95))), Some(false));
    /// assert_eq!(Piece::HEIGHT_MM.at_most(Some(95)).test(&piece(Some(95))), Some(true));
    /// assert_eq!(Piece::HEIGHT_MM.is_not(Some(95)).test(&piece(Some(95))), Some(false));
    /// // Unknown, which a filter does not show.
    /// assert_eq!(Piece::HEIGHT_MM.below(Some(95)).test(&piece(None)), None);
    /// ```
    pub fn below(self, value: V) -> Condition<T> {
        AnyField::from(self).below(owned(value))
    }

    /// The condition that the field's value is one of these.
    ///
    /// ```
    /// # use usual_tide::Item;
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// let low = Piece::SHELF.one_of(["A1".to_owned(), "B1".to_owned()]);
    /// assert_eq!(low.test(&Piece { id: 1, shelf: "B1".into() }), Some(true));
    /// ```
    pub fn one_of(self, values: impl IntoIterator<Item = V>) -> Condition<T> {
        AnyField::from(self).one_of(values.into_iter().map(owned))
    }

    /// The condition that the field has no value.
    pub fn is_missing(self) -> Condition<T> {
        AnyField::from(self).is_missing()
    }

    /// The condition that the field's text matches a pattern as a whole: `%` matches any run of
    /// characters, `_` one character, and a backslash before these makes them ordinary.
    ///
    /// ```
    /// # use usual_tide::Item;
    /// # use usual_tide_pieces::with_title::Piece;
    /// let bowls = Piece::TITLE.like("%bowl");
    /// assert_eq!(bowls.test(&Piece { id: 1, title: "Celadon bowl".into() }), Some(true));
    /// ```
    pub fn like(self, pattern: &str) -> Condition<T> {
        AnyField::from(self).like(pattern)
    }
}

fn owned<V: FieldValue>(value: V) -> Value<'static> {
    value.value().into_owned()
}

/// The same for a field by name. A value of a kind that does not compare with the field's is unknown for every item.
///
/// ```
/// use usual_tide::{Fields, Item, Query, Store};
/// # use usual_tide_pieces::with_title_and_height::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, title, height_mm): (u32, &str, u32)| Piece { id, title: title.into(), height_mm };
/// let mut store = Store::load([(1, "Bowl", 90), (2, "Deep bowl", 140), (3, "Vase", 300)].map(piece))?;
/// // Fields that the person has picked.
/// let height = Piece::field_named("height_mm").ok_or("no such field")?;
/// let title = Piece::field_named("title").ok_or("no such field")?;
/// let low_bowls = height.clone().at_most(200).and(title.like("%owl"));
/// let list = store.bind(Query::new().filter(low_bowls).sort(height.descending()));
/// let ids: Vec<u32> = store.list(list)?.items().map(|piece| piece.id).collect();
/// assert_eq!(ids, [2, 1]);
/// # Ok(()) }
/// ```
impl<T: 'static> AnyField<T> {
    /// The condition that the field has this value.
    pub fn is(self, value: impl Into<Value<'static>>) -> Condition<T> {
        self.condition(Comparison::Equal, value.into())
    }

    /// The condition that the field has another value; unknown where it has none.
    pub fn is_not(self, value: impl Into<Value<'static>>) -> Condition<T> {
        self.condition(Comparison::NotEqual, value.into())
    }

    /// The condition that the field's value is this or greater.
    pub fn at_least(self, value: impl Into<Value<'static>>) -> Condition<T> {
        self.condition(Comparison::AtLeast, value.into())
    }

    /// The condition that the field's value is this or less.
    pub fn at_most(self, value: impl Into<Value<'static>>) -> Condition<T> {
        self.condition(Comparison::AtMost, value.into())
    }

    /// The condition that the field's value is greater.
    pub fn above(self, value: impl Into<Value<'static>>) -> Condition<T> {
        self.condition(Comparison::Greater, value.into())
    }

    /// The condition that the field's value is less.
    pub fn below(self, value: impl Into<Value<'static>>) -> Condition<T> {
        self.condition(Comparison::Less, value.into())
    }

    /// The condition that the field's value is one of these.
    pub fn one_of<V: Into<Value<'static>>>(
        self,
        values: impl IntoIterator<Item = V>,
    ) -> Condition<T> {
        let list = values
            .into_iter()
            .map(|value| Operand::Literal(value.into()));
        let list = Listed::new(list.collect());
        Condition::of(Node::In(Operand::Field(self), list))
    }

    /// The condition that the field has no value.
    pub fn is_missing(self) -> Condition<T> {
        Condition::of(Node::IsMissing(Operand::Field(self)))
    }

    /// The condition that the field's text matches a pattern as a whole, as [`Field::like`] has it.
    pub fn like(self, pattern: &str) -> Condition<T> {
        let written = Operand::Literal(Value::from(pattern.to_owned()));
        let pattern = Pattern::read(pattern, &[]);
        Condition::of(Node::Like(Operand::Field(self), pattern, written))
    }

    fn condition(self, comparison: Comparison, value: Value<'static>) -> Condition<T> {
        Condition::of(Node::field(self, comparison, value))
    }
}
