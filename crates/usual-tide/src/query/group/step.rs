//! Grouping by ranges of a number.

use super::by::GroupBy;
use crate::item::{AnyField, Value};
use rust_decimal::Decimal;
use rust_decimal::prelude::{FromPrimitive, ToPrimitive};

/// The step of a grouping is not above zero.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("a step must be above zero, and {step} is not")]
pub struct StepError {
    /// The step.
    pub step: Decimal,
}

pub(super) struct ByStep<T> {
    field: AnyField<T>,
    step: Decimal,
}

impl<T> ByStep<T> {
    pub(super) fn new(field: AnyField<T>, step: Decimal) -> Result<Self, StepError> {
        if step <= Decimal::ZERO {
            return Err(StepError { step });
        }
        Ok(Self { field, step })
    }

    /// Where the range of a number begins; `None` for numbers too large to tell.
    fn start(&self, number: Decimal) -> Option<Value<'static>> {
        let steps = number.checked_div(self.step)?.floor();
        let start = steps.checked_mul(self.step)?.normalize();
        // The quotient is rounded, so it can lie one step off.
        let start = if start > number {
            start.checked_sub(self.step)?
        } else if number.checked_sub(start)? >= self.step {
            start.checked_add(self.step)?
        } else {
            start
        };
        Some(Value::Decimal(start.normalize()))
    }
}

impl<T> GroupBy<T> for ByStep<T> {
    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        let number = match self.field.value(item) {
            Value::Integer(number) => {
                // Whole steps need no rounding, however large the number.
                if let (true, Some(step)) = (self.step.fract().is_zero(), self.step.to_i128()) {
                    let start = number.div_euclid(step).checked_mul(step);
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

    fn heading(&self, value: &Value<'_>) -> String {
        match value {
            Value::Decimal(start) => match start.checked_add(self.step) {
                Some(end) => format!("{start} to under {}", end.normalize()),
                None => format!("from {start}"),
            },
            _ => String::new(),
        }
    }
}
