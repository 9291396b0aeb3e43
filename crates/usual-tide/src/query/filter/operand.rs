//! Values that a condition compares: fields, literals, and what is computed from them.

#[cfg(feature = "cql2")]
use super::arithmetic::Computed;
use crate::item::{AnyField, Value};
use std::borrow::Cow;
use std::cmp::Ordering;

pub(super) enum Operand<T> {
    Literal(Value<'static>),
    Field(AnyField<T>),
    #[cfg(feature = "cql2")]
    Computed(Box<Computed<T>>),
}

impl<T> Operand<T> {
    /// Its value for an item; missing where an operand is, or where there is no result.
    pub(super) fn value<'a>(&'a self, item: &'a T) -> Value<'a> {
        match self {
            Self::Literal(Value::Text(text)) => Value::Text(Cow::Borrowed(text)),
            Self::Literal(value) => value.clone(),
            Self::Field(field) => field.value(item),
            #[cfg(feature = "cql2")]
            Self::Computed(computed) => computed.value(item),
        }
    }

    /// Compares its value for an item with another; a field as its own type compares.
    pub(super) fn compare(&self, item: &T, other: &Value<'_>) -> Option<Ordering> {
        match self {
            Self::Field(field) => field.compare(item, other),
            _ => self.value(item).compare(other),
        }
    }

    /// Adds the fields that it reads, each perhaps several times.
    pub(super) fn read_fields(&self, fields: &mut Vec<AnyField<T>>) {
        match self {
            Self::Literal(_) => {}
            Self::Field(field) => fields.push(field.clone()),
            #[cfg(feature = "cql2")]
            Self::Computed(computed) => computed.read_fields(fields),
        }
    }
}

impl<T> PartialEq for Operand<T> {
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Literal(one), Self::Literal(two)) => one == two,
            (Self::Field(one), Self::Field(two)) => one.is_same_field(two),
            #[cfg(feature = "cql2")]
            (Self::Computed(one), Self::Computed(two)) => one == two,
            _ => false,
        }
    }
}
