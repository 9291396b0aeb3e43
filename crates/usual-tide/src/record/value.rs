//! JSON values in order.

use crate::item::JsonDecimal as Decimal;
use crate::query::{SortRank, SortValue};
use serde_json::Value;
use std::cmp::Ordering;

/// Bits that distinguish the types at the top of a prefix.
const TYPE_BITS: u32 = 3;

/// The order of types among each other.
fn type_place(value: &Value) -> u64 {
    match value {
        Value::Null => 0,
        Value::Bool(_) => 1,
        Value::Number(_) => 2,
        Value::String(_) => 3,
        Value::Array(_) => 4,
        Value::Object(_) => 5,
    }
}

/// Null counts as missing. Otherwise booleans come before numbers, numbers before text, text before
/// arrays, arrays before objects; numbers by exact value, text by code point, arrays and objects
/// by their elements in order.
impl SortValue for Value {
    const RANKED: bool = true;

    fn rank(&self) -> SortRank {
        if self.is_null() {
            SortRank::Missing
        } else {
            SortRank::Value
        }
    }

    fn prefix(&self) -> u64 {
        let within = match self {
            Self::Bool(flag) => flag.prefix(),
            // Rounding to a float keeps the order; what it makes equal is compared in full.
            Self::Number(number) => number.to_string().parse().unwrap_or(0.0_f64).prefix(),
            Self::String(text) => text.prefix(),
            _ => 0,
        };
        type_place(self) << (u64::BITS - TYPE_BITS) | within >> TYPE_BITS
    }

    fn prefix_from(&self, byte: usize) -> Option<u64> {
        match self {
            Self::String(text) => text.prefix_from(byte),
            _ => None,
        }
    }

    fn bytes_in_prefix(&self, bits: u32) -> usize {
        match self {
            // The type stands above the text's first bits.
            Self::String(text) => text.bytes_in_prefix(bits.saturating_sub(TYPE_BITS)),
            _ => 0,
        }
    }

    fn compare(&self, other: &Self) -> Ordering {
        match (self, other) {
            (Self::Bool(one), Self::Bool(two)) => one.cmp(two),
            (Self::Number(one), Self::Number(two)) => Decimal::of(one).cmp(&Decimal::of(two)),
            (Self::String(one), Self::String(two)) => one.cmp(two),
            (Self::Array(one), Self::Array(two)) => compare_all(one.iter(), two.iter()),
            (Self::Object(one), Self::Object(two)) => one
                .keys()
                .cmp(two.keys())
                .then_with(|| compare_all(one.values(), two.values())),
            _ => type_place(self).cmp(&type_place(other)),
        }
    }
}

fn compare_all<'a>(
    mut one: impl Iterator<Item = &'a Value>,
    mut two: impl Iterator<Item = &'a Value>,
) -> Ordering {
    loop {
        match (one.next(), two.next()) {
            (Some(one), Some(two)) => match one.compare(two) {
                Ordering::Equal => {}
                unequal => return unequal,
            },
            (one, two) => return one.is_some().cmp(&two.is_some()),
        }
    }
}
