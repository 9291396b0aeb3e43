//! Values compared with each other.

use super::value::Value;
#[cfg(feature = "calendar")]
use jiff::{Timestamp, civil::Date, tz::TimeZone};
#[cfg(feature = "decimals")]
use rust_decimal::{Decimal, prelude::ToPrimitive};
use std::cmp::Ordering;

impl Value<'_> {
    /// Compares two values of kinds that can be compared: numbers with numbers by their exact value, text
    /// by code point, dates, timestamps by instant, a date with a timestamp by its day in UTC, flags. `None` when one is missing or not a number, or
    /// when the kinds cannot be compared.
    ///
    /// ```
    /// use std::cmp::Ordering;
    /// use usual_tide::fields::Value;
    ///
    /// assert_eq!(Value::from(2_u8).compare(&Value::from(2.5)), Some(Ordering::Less));
    /// assert_eq!(Value::from("2").compare(&Value::from(2_u8)), None);
    /// ```
    pub fn compare(&self, other: &Value<'_>) -> Option<Ordering> {
        match (self, other) {
            (Self::Integer(one), Value::Integer(two)) => Some(one.cmp(two)),
            (Self::Float(one), Value::Float(two)) => one.partial_cmp(two),
            #[cfg(feature = "decimals")]
            (Self::Decimal(one), Value::Decimal(two)) => Some(one.cmp(two)),
            #[cfg(feature = "decimals")]
            (Self::Integer(one), Value::Decimal(two)) => Some(integer_to_decimal(*one, *two)),
            #[cfg(feature = "decimals")]
            (Self::Decimal(one), Value::Integer(two)) => {
                Some(integer_to_decimal(*two, *one).reverse())
            }
            (Self::Float(one), two) => float_to_number(*one, two),
            (one, Value::Float(two)) => float_to_number(*two, one).map(Ordering::reverse),
            (Self::Text(one), Value::Text(two)) => Some(one.cmp(two)),
            (Self::Choice(one), Value::Choice(two)) => Some(one.order().cmp(&two.order())),
            (Self::Bool(one), Value::Bool(two)) => Some(one.cmp(two)),
            #[cfg(feature = "calendar")]
            (Self::Date(one), Value::Date(two)) => Some(one.cmp(two)),
            #[cfg(feature = "calendar")]
            (Self::Timestamp(one), Value::Timestamp(two)) => Some(one.cmp(two)),
            #[cfg(feature = "calendar")]
            (Self::Date(one), Value::Timestamp(two)) => Some(one.cmp(&day_of(*two))),
            #[cfg(feature = "calendar")]
            (Self::Timestamp(one), Value::Date(two)) => Some(day_of(*one).cmp(two)),
            _ => None,
        }
    }
}

#[cfg(feature = "calendar")]
fn day_of(moment: Timestamp) -> Date {
    moment.to_zoned(TimeZone::UTC).date()
}

#[cfg(feature = "decimals")]
fn integer_to_decimal(integer: i128, decimal: Decimal) -> Ordering {
    match Decimal::try_from_i128_with_scale(integer, 0) {
        Ok(integer) => integer.cmp(&decimal),
        // Too large for any decimal: its sign decides.
        Err(_) => integer.cmp(&0),
    }
}

fn float_to_number(float: f64, number: &Value<'_>) -> Option<Ordering> {
    let rounded = match number {
        Value::Integer(integer) => *integer as f64,
        #[cfg(feature = "decimals")]
        Value::Decimal(decimal) => decimal.to_f64()?,
        _ => return None,
    };
    let by_float = float.partial_cmp(&rounded)?;
    if by_float.is_ne() {
        return Some(by_float);
    }
    // Rounding made them equal: the float's exact value decides.
    let exact = match number {
        Value::Integer(integer) => {
            // A float this large is whole, and one below 2^127 converts without loss.
            if float >= 2_f64.powi(127) {
                return Some(Ordering::Greater);
            }
            (float as i128).cmp(integer)
        }
        #[cfg(feature = "decimals")]
        Value::Decimal(decimal) => Decimal::from_f64_retain(float)?.cmp(decimal),
        _ => Ordering::Equal,
    };
    Some(exact)
}
