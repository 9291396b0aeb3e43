//! Grouping by ranges of a number.

use super::by::{GroupBy, GroupIdentity};
use crate::item::{AnyField, Value};
use rust_decimal::Decimal;
use rust_decimal::prelude::{FromPrimitive, ToPrimitive};

/// The width of a grouping is not above zero.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("a width must be above zero, and {width} is not")]
pub struct WidthError {
    /// The width.
    pub width: Decimal,
}

pub(super) struct ByWidth<T> {
    field: AnyField<T>,
    width: Decimal,
}

impl<T> ByWidth<T> {
    pub(super) fn new(field: AnyField<T>, width: Decimal) -> Result<Self, WidthError> {
        if width <= Decimal::ZERO {
            return Err(WidthError { width });
        }
        Ok(Self { field, width })
    }

    /// Where the range of a number begins; `None` for numbers that are too large.
    fn start(&self, number: Decimal) -> Option<Value<'static>> {
        let count = number.checked_div(self.width)?.floor();
        let start = count.checked_mul(self.width)?.normalize();
        // The quotient is rounded, so it can be one range off.
        let start = if start > number {
            start.checked_sub(self.width)?
        } else if number.checked_sub(start)? >= self.width {
            start.checked_add(self.width)?
        } else {
            start
        };
        Some(Value::Decimal(start.normalize()))
    }
}

impl<T> GroupBy<T> for ByWidth<T> {
    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        let number = match self.field.value(item) {
            Value::Integer(number) => {
                // Whole widths need no rounding, however large the number.
                if let (true, Some(width)) = (self.width.fract().is_zero(), self.width.to_i128()) {
                    let start = number.div_euclid(width).checked_mul(width);
                    let start = start.and_then(Decimal::from_i128);
                    return start.map_or(Value::Missing, |start| Value::Decimal(start.normalize()));
                }
                Decimal::from_i128(number)
            }
            Value::Decimal(number) => Some(number),
            Value::Float(number) => Decimal::from_f64(number),
            _ => None,
        };
        let start = number.and_then(|number| self.start(number));
        start.unwrap_or(Value::Missing)
    }

    fn identity(&self) -> Option<GroupIdentity> {
        GroupIdentity::of(
            &self.field,
            format!("width={}", self.width.normalize()),
            true,
        )
    }

    fn heading(&self, value: &Value<'_>) -> String {
        match value {
            Value::Decimal(start) => match start.checked_add(self.width) {
                Some(end) => format!("{start} to under {}", end.normalize()),
                None => format!("from {start}"),
            },
            _ => String::new(),
        }
    }
}
