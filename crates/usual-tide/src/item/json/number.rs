//! JSON numbers compared exactly, by their text.

use serde_json::{Number, Value};
use std::cmp::Ordering;

/// A decimal number as its text says it: no digit is lost to a float.
///
/// Its value is 0.d₁d₂d₃… times ten to the `exponent`, and d₁ is not 0.
#[derive(PartialEq, Eq, Debug)]
pub(crate) struct Decimal {
    negative: bool,
    exponent: i64,
    digits: Vec<u8>,
}

impl Decimal {
    /// Reads the text of a JSON number, which its parser has checked.
    pub(crate) fn parse(text: &str) -> Self {
        let (negative, text) = match text.strip_prefix('-') {
            Some(rest) => (true, rest),
            None => (false, text),
        };
        let (mantissa, exponent) = match text.split_once(['e', 'E']) {
            Some((mantissa, exponent)) => (mantissa, read_exponent(exponent)),
            None => (text, 0),
        };
        let (whole, fraction) = mantissa.split_once('.').unwrap_or((mantissa, ""));
        let mut digits: Vec<u8> = whole.bytes().chain(fraction.bytes()).collect();
        let zeros = digits.iter().take_while(|digit| **digit == b'0').count();
        digits.drain(..zeros);
        while digits.last() == Some(&b'0') {
            digits.pop();
        }
        if digits.is_empty() {
            return Self {
                negative: false,
                exponent: 0,
                digits,
            };
        }
        Self {
            negative,
            exponent: exponent.saturating_add(whole.len() as i64 - zeros as i64),
            digits,
        }
    }

    pub(crate) fn of(number: &Number) -> Self {
        Self::parse(&number.to_string())
    }

    /// An integer as a JSON number, whatever its size.
    pub(crate) fn value_of(integer: i128) -> Value {
        serde_json::from_str(&integer.to_string()).unwrap_or(Value::Null)
    }

    fn magnitude(&self, other: &Self) -> Ordering {
        // Zero has no digits and is below all.
        match (self.digits.is_empty(), other.digits.is_empty()) {
            (false, false) => self
                .exponent
                .cmp(&other.exponent)
                .then_with(|| self.digits.cmp(&other.digits)),
            (one, two) => two.cmp(&one),
        }
    }
}

impl Ord for Decimal {
    fn cmp(&self, other: &Self) -> Ordering {
        match (self.negative, other.negative) {
            (false, false) => self.magnitude(other),
            (true, true) => other.magnitude(self),
            (one, two) => two.cmp(&one),
        }
    }
}

impl PartialOrd for Decimal {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

/// An exponent past any that can matter counts as the largest there is.
fn read_exponent(text: &str) -> i64 {
    text.parse().unwrap_or(if text.starts_with('-') {
        i64::MIN / 2
    } else {
        i64::MAX / 2
    })
}
