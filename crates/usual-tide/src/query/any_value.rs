//! The order of field values, whatever their types.

use super::sort_key::{KeyIdentity, KeyOrder, SortKey};
use super::value::{SortRank, SortValue};
use crate::item::{AnyField, Value};
#[cfg(feature = "calendar")]
use jiff::{Timestamp, civil::Date};
#[cfg(feature = "decimals")]
use rust_decimal::{Decimal, prelude::ToPrimitive};
use std::cmp::Ordering;

/// Bits that distinguish the kinds at the top of a prefix.
const KIND_BITS: u32 = 3;

fn kind_place(value: &Value<'_>) -> u64 {
    match value {
        Value::Missing => 0,
        Value::Bool(_) => 1,
        Value::Integer(_) | Value::Float(_) => 2,
        #[cfg(feature = "decimals")]
        Value::Decimal(_) => 2,
        Value::Text(_) => 3,
        #[cfg(feature = "calendar")]
        Value::Date(_) => 4,
        #[cfg(feature = "calendar")]
        Value::Timestamp(_) => 5,
        Value::List(_) => 6,
        Value::Choice(_) => 7,
    }
}

/// A total order over values of all kinds: flags (false first), numbers by their exact value, text by code
/// point, days, moments, lists by their elements in order.
impl SortValue for Value<'_> {
    const RANKED: bool = true;

    fn rank(&self) -> SortRank {
        match self {
            Self::Missing => SortRank::Missing,
            Self::Float(number) => number.rank(),
            _ => SortRank::Value,
        }
    }

    fn prefix(&self) -> u64 {
        let within = match self {
            Self::Bool(flag) => flag.prefix(),
            // Rounding keeps the order; what it makes equal is compared in full.
            Self::Integer(number) => (*number as f64).prefix(),
            #[cfg(feature = "decimals")]
            Self::Decimal(number) => number.prefix(),
            Self::Float(number) => number.prefix(),
            Self::Text(text) => text.prefix(),
            Self::Choice(choice) => choice.order().prefix(),
            #[cfg(feature = "calendar")]
            Self::Date(date) => date.prefix(),
            #[cfg(feature = "calendar")]
            Self::Timestamp(moment) => moment.prefix(),
            Self::Missing | Self::List(_) => 0,
        };
        kind_place(self) << (u64::BITS - KIND_BITS) | within >> KIND_BITS
    }

    fn prefix_from(&self, byte: usize) -> Option<u64> {
        match self {
            Self::Text(text) => text.prefix_from(byte),
            // Its rank says all; among texts it is not to keep their bytes from being asked for.
            Self::Missing => Some(0),
            _ => None,
        }
    }

    fn bytes_in_prefix(&self, bits: u32) -> usize {
        match self {
            // The kind stands above the text's first bits.
            Self::Text(text) => text.bytes_in_prefix(bits.saturating_sub(KIND_BITS)),
            _ => 0,
        }
    }

    fn compare(&self, other: &Self) -> Ordering {
        if let (Self::List(one), Self::List(two)) = (self, other) {
            let first = one.iter().zip(two).map(|(one, two)| total_order(one, two));
            let first = first.into_iter().find(|order| order.is_ne());
            return first.unwrap_or_else(|| one.len().cmp(&two.len()));
        }
        let kinds = kind_place(self).cmp(&kind_place(other));
        kinds.then_with(|| Value::compare(self, other).unwrap_or(Ordering::Equal))
    }
}

/// With missing values and those that are no number last, as in a list of rows.
pub(super) fn total_order(one: &Value<'_>, two: &Value<'_>) -> Ordering {
    one.rank()
        .cmp(&two.rank())
        .then_with(|| SortValue::compare(one, two))
}

#[cfg(feature = "calendar")]
impl SortValue for Date {
    const DECIDING_BITS: u32 = i32::BITS;

    fn prefix(&self) -> u64 {
        // Month and day take nine bits.
        let day = i32::from(self.month()) << 5 | i32::from(self.day());
        (i32::from(self.year()) << 9 | day).prefix()
    }

    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}

#[cfg(feature = "calendar")]
impl SortValue for Timestamp {
    fn prefix(&self) -> u64 {
        // Seconds of all timestamps that there are take 40 bits, and nanoseconds 30, of which 24 fit.
        let seconds = self.as_second() - Self::MIN.as_second();
        let part = i64::from(self.subsec_nanosecond().max(0)) >> 6;
        (seconds as u64) << 24 | part as u64
    }

    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}

#[cfg(feature = "decimals")]
impl SortValue for Decimal {
    fn prefix(&self) -> u64 {
        self.to_f64().unwrap_or_default().prefix()
    }

    fn compare(&self, other: &Self) -> Ordering {
        self.cmp(other)
    }
}

/// A field by name as the key of a sort.
impl<T> SortKey<T> for AnyField<T> {
    fn ranked(&self) -> bool {
        Value::RANKED
    }

    fn deciding_bits(&self) -> u32 {
        Value::DECIDING_BITS
    }

    fn rank(&self, item: &T) -> SortRank {
        self.value(item).rank()
    }

    fn prefix(&self, item: &T) -> u64 {
        self.value(item).prefix()
    }

    fn prefix_from(&self, item: &T, byte: usize) -> Option<u64> {
        self.value(item).prefix_from(byte)
    }

    fn bytes_in_prefix(&self, item: &T, bits: u32) -> usize {
        self.value(item).bytes_in_prefix(bits)
    }

    fn bytes_past_prefix(&self, item: &T, bits: u32) -> Option<u64> {
        let value = self.value(item);
        value.prefix_from(value.bytes_in_prefix(bits))
    }

    fn compare(&self, one: &T, two: &T) -> Ordering {
        SortValue::compare(&self.value(one), &self.value(two))
    }

    fn ranked_prefix(&self, item: &T) -> (SortRank, u64) {
        let value = self.value(item);
        (value.rank(), value.prefix())
    }

    fn compare_ranked(&self, one: &T, two: &T) -> Result<Ordering, (SortRank, SortRank)> {
        let (one, two) = (self.value(one), self.value(two));
        match (one.rank(), two.rank()) {
            (SortRank::Value, SortRank::Value) => Ok(SortValue::compare(&one, &two)),
            ranks => Err(ranks),
        }
    }

    fn identity(&self) -> Option<KeyIdentity> {
        self.is_named().then(|| KeyIdentity {
            field: self.name().to_owned(),
            by: KeyOrder::Value,
            natural: self.natural_order(),
        })
    }
}
