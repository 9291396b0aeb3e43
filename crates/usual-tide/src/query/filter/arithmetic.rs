//! Values that the text of a condition computes from others.

use super::cql2::Sign;
use super::operand::Operand;
use crate::item::{AnyField, Value};
use crate::text::Folding;
use rust_decimal::Decimal;
use rust_decimal::prelude::ToPrimitive;
use std::borrow::Cow;

/// A value that is computed for each item.
pub(super) enum Computed<T> {
    /// The negative of a number.
    Negative(Operand<T>),
    /// Numbers joined by operators of one precedence, from the left to the right.
    Chain(Operand<T>, Vec<(Sign, Operand<T>)>),
    /// A number to the power of another.
    Power(Operand<T>, Operand<T>),
    /// Text with differences of case or accents removed.
    Folded(Folding, Operand<T>),
}

impl<T> Computed<T> {
    /// The value for an item; missing where it cannot be computed.
    pub(super) fn value(&self, item: &T) -> Value<'static> {
        match self {
            Self::Negative(operand) => {
                calculate(Sign::Minus, &Value::Integer(0), &operand.value(item))
            }
            Self::Chain(first, rest) => {
                let mut value = first.value(item).into_owned();
                for (sign, operand) in rest {
                    value = calculate(*sign, &value, &operand.value(item));
                }
                value
            }
            Self::Power(base, exponent) => raise(&base.value(item), &exponent.value(item)),
            Self::Folded(folding, operand) => match operand.value(item).as_text() {
                Some(text) => Value::Text(Cow::Owned(folding.fold(text))),
                None => Value::Missing,
            },
        }
    }

    /// Adds the fields that it reads, each perhaps several times.
    pub(super) fn read_fields(&self, fields: &mut Vec<AnyField<T>>) {
        match self {
            Self::Negative(operand) | Self::Folded(_, operand) => operand.read_fields(fields),
            Self::Chain(first, rest) => {
                first.read_fields(fields);
                rest.iter()
                    .for_each(|(_, operand)| operand.read_fields(fields));
            }
            Self::Power(base, exponent) => {
                base.read_fields(fields);
                exponent.read_fields(fields);
            }
        }
    }
}

/// Exactly as long as both are exact and the result fits, else in floating point.
impl<T> PartialEq for Computed<T> {
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Negative(one), Self::Negative(two)) => one == two,
            (Self::Chain(one, rest), Self::Chain(two, others)) => one == two && rest == others,
            (Self::Power(one, exponent), Self::Power(two, other)) => {
                one == two && exponent == other
            }
            (Self::Folded(one, inner), Self::Folded(two, other)) => one == two && inner == other,
            _ => false,
        }
    }
}

fn calculate(sign: Sign, one: &Value<'_>, two: &Value<'_>) -> Value<'static> {
    let exact = match (one, two) {
        (Value::Integer(one), Value::Integer(two)) => integers(sign, *one, *two),
        (Value::Float(_), _) | (_, Value::Float(_)) => None,
        _ => decimal(one)
            .zip(decimal(two))
            .and_then(|(one, two)| decimals(sign, one, two)),
    };
    exact.unwrap_or_else(|| match (float(one), float(two)) {
        (Some(one), Some(two)) => floats(sign, one, two),
        _ => Value::Missing,
    })
}

/// `None` when the result does not fit.
fn integers(sign: Sign, one: i128, two: i128) -> Option<Value<'static>> {
    let result = match sign {
        Sign::Plus => one.checked_add(two),
        Sign::Minus => one.checked_sub(two),
        Sign::Times => one.checked_mul(two),
        _ if two == 0 => return Some(Value::Missing),
        Sign::Remainder => one.checked_rem(two),
        Sign::WholeQuotient => one.checked_div(two),
        Sign::Over if one.checked_rem(two)? == 0 => one.checked_div(two),
        Sign::Over => {
            let exact = Decimal::try_from_i128_with_scale(one, 0).ok();
            let exact = exact.zip(Decimal::try_from_i128_with_scale(two, 0).ok());
            return exact
                .and_then(|(one, two)| one.checked_div(two))
                .map(Value::Decimal);
        }
    };
    result.map(Value::Integer)
}

fn decimals(sign: Sign, one: Decimal, two: Decimal) -> Option<Value<'static>> {
    let result = match sign {
        Sign::Plus => one.checked_add(two),
        Sign::Minus => one.checked_sub(two),
        Sign::Times => one.checked_mul(two),
        _ if two.is_zero() => return Some(Value::Missing),
        Sign::Over => one.checked_div(two),
        Sign::Remainder => one.checked_rem(two),
        Sign::WholeQuotient => one.checked_div(two).map(|quotient| quotient.trunc()),
    };
    result.map(Value::Decimal)
}

fn floats(sign: Sign, one: f64, two: f64) -> Value<'static> {
    let result = match sign {
        Sign::Plus => one + two,
        Sign::Minus => one - two,
        Sign::Times => one * two,
        _ if two == 0.0 => return Value::Missing,
        Sign::Over => one / two,
        Sign::Remainder => one % two,
        Sign::WholeQuotient => (one / two).trunc(),
    };
    Value::Float(result)
}

fn raise(base: &Value<'_>, exponent: &Value<'_>) -> Value<'static> {
    if let (Value::Integer(base), Value::Integer(exponent)) = (base, exponent)
        && let Ok(exponent) = u32::try_from(*exponent)
        && let Some(result) = base.checked_pow(exponent)
    {
        return Value::Integer(result);
    }
    match (float(base), float(exponent)) {
        (Some(base), Some(exponent)) => {
            let result = base.powf(exponent);
            if result.is_nan() {
                Value::Missing
            } else {
                Value::Float(result)
            }
        }
        _ => Value::Missing,
    }
}

fn decimal(value: &Value<'_>) -> Option<Decimal> {
    match value {
        Value::Integer(number) => Decimal::try_from_i128_with_scale(*number, 0).ok(),
        Value::Decimal(number) => Some(*number),
        _ => None,
    }
}

fn float(value: &Value<'_>) -> Option<f64> {
    match value {
        Value::Integer(number) => number.to_f64(),
        Value::Decimal(number) => number.to_f64(),
        Value::Float(number) => Some(*number),
        _ => None,
    }
}
