//! Conditions made from typed fields.

use super::comparison::Comparison;
use super::condition::{Condition, Node};
use super::like::Pattern;
use super::operand::Operand;
use crate::item::{AnyField, Field, FieldValue, Value};

impl<T: 'static, V: FieldValue> Field<T, V> {
    /// The condition that the field has this value.
    ///
    /// ```
    /// # use usual_tide::{Item, Query};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, fired: bool }
    /// let waiting = Query::new().filter(Piece::FIRED.is(false));
    /// # let _: Query<Piece> = waiting;
    /// ```
    pub fn is(self, value: V) -> Condition<T> {
        self.compare(Comparison::Equal, value)
    }

    /// The condition that the field has another value; unknown where it has none.
    pub fn is_not(self, value: V) -> Condition<T> {
        self.compare(Comparison::NotEqual, value)
    }

    /// The condition that the field's value is this or greater.
    pub fn at_least(self, value: V) -> Condition<T> {
        self.compare(Comparison::AtLeast, value)
    }

    /// The condition that the field's value is this or less.
    pub fn at_most(self, value: V) -> Condition<T> {
        self.compare(Comparison::AtMost, value)
    }

    /// The condition that the field's value is greater.
    pub fn above(self, value: V) -> Condition<T> {
        self.compare(Comparison::Greater, value)
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
        self.compare(Comparison::Less, value)
    }

    /// The condition that the field's value is one of these.
    ///
    /// ```
    /// # use usual_tide::Item;
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, shelf: String }
    /// let low = Piece::SHELF.one_of(["A1".to_owned(), "B1".to_owned()]);
    /// assert_eq!(low.test(&Piece { id: 1, shelf: "B1".into() }), Some(true));
    /// ```
    pub fn one_of(self, values: impl IntoIterator<Item = V>) -> Condition<T> {
        let literal = |value: V| Operand::Literal(value.value().into_owned());
        let list = values.into_iter().map(literal).collect();
        Condition::of(Node::In(Operand::Field(self.into()), list))
    }

    /// The condition that the field has no value.
    pub fn is_missing(self) -> Condition<T> {
        Condition::of(Node::IsMissing(Operand::Field(self.into())))
    }

    /// The condition that the field's text matches a pattern as a whole: `%` stands for any run of
    /// characters, `_` for one, and a backslash before them for themselves.
    ///
    /// ```
    /// # use usual_tide::Item;
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, title: String }
    /// let bowls = Piece::TITLE.like("%bowl");
    /// assert_eq!(bowls.test(&Piece { id: 1, title: "Celadon bowl".into() }), Some(true));
    /// ```
    pub fn like(self, pattern: &str) -> Condition<T> {
        let written = Operand::Literal(Value::from(pattern.to_owned()));
        let pattern = Pattern::read(pattern, &[]);
        Condition::of(Node::Like(Operand::Field(self.into()), pattern, written))
    }

    fn compare(self, comparison: Comparison, value: V) -> Condition<T> {
        let value: Value<'static> = value.value().into_owned();
        Condition::of(Node::field(AnyField::from(self), comparison, value))
    }
}
