//! The order of sections, as the first level of a sort.

use super::{Group, Parts};
use crate::change::SectionKey;
use crate::item::Value;
use crate::query::sort_key::SortKey;
use crate::query::value::{SortRank, SortValue};
use std::cmp::Ordering;

/// Bits for the place of a value whose order is given.
const GIVEN_BITS: u32 = 16;

/// Bits that tell values from missing ones.
const RANK_BITS: u32 = 2;

impl<T> Parts<T> {
    /// The place in the given order; values without one come behind.
    fn given_place(&self, key: &SectionKey) -> u32 {
        self.given.get(key).copied().unwrap_or(u32::MAX)
    }

    fn rank_place(&self, value: &Value<'_>) -> u64 {
        match value.rank() {
            SortRank::Missing if self.missing_first => 0,
            SortRank::Value => 1,
            SortRank::NotANumber => 2,
            SortRank::Missing => 3,
        }
    }

    fn compare(&self, one: &Value<'_>, two: &Value<'_>) -> Ordering {
        let (first, second) = (self.rank_place(one), self.rank_place(two));
        let values = || {
            if value_of(one).is_none() || value_of(two).is_none() {
                return Ordering::Equal;
            }
            let values = self.by.compare(one, two);
            if self.descending {
                values.reverse()
            } else {
                values
            }
        };
        first.cmp(&second).then_with(values)
    }

    fn prefix(&self, value: &Value<'_>) -> u64 {
        let rank = self.rank_place(value) << (u64::BITS - RANK_BITS);
        let within = value_of(value).map_or(0, |value| {
            let prefix = self.by.prefix(value);
            if self.descending { !prefix } else { prefix }
        });
        rank | within >> RANK_BITS
    }
}

/// The value, unless it is one of those that stand together.
fn value_of<'a, 'b>(value: &'b Value<'a>) -> Option<&'b Value<'a>> {
    (value.rank() == SortRank::Value).then_some(value)
}

impl<T> Group<T> {
    /// The order of sections.
    pub(crate) fn compare(&self, one: &SectionKey, two: &SectionKey) -> Ordering {
        let value = |key: &SectionKey| key.value().cloned().unwrap_or(Value::Missing);
        let given = |key| self.parts.given_place(key);
        let given = given(one).cmp(&given(two));
        given.then_with(|| match (one.value(), two.value()) {
            (Some(one), Some(two)) => self.parts.compare(one, two),
            _ => self.parts.compare(&value(one), &value(two)),
        })
    }
}

/// Where an item's section stands among the sections, as a key of a sort.
pub(in crate::query) struct GroupLevel<T> {
    group: Group<T>,
}

impl<T> GroupLevel<T> {
    pub(super) fn new(group: Group<T>) -> Self {
        Self { group }
    }
}

impl<T> SortKey<T> for GroupLevel<T> {
    fn ranked(&self) -> bool {
        // Missing values have their place within the prefix.
        false
    }

    fn deciding_bits(&self) -> u32 {
        let parts = &self.group.parts;
        match parts.by.deciding_bits() {
            bits if bits > 0 && parts.given.is_empty() => RANK_BITS + bits,
            _ => 0,
        }
    }

    fn rank(&self, _: &T) -> SortRank {
        SortRank::Value
    }

    fn prefix(&self, item: &T) -> u64 {
        let parts = &self.group.parts;
        let value = parts.by.value(item);
        let prefix = parts.prefix(&value);
        if parts.given.is_empty() {
            return prefix;
        }
        let place = parts.given_place(&SectionKey::from(value.into_owned()));
        let place = u64::from(place.min((1 << GIVEN_BITS) - 1));
        place << (u64::BITS - GIVEN_BITS) | prefix >> GIVEN_BITS
    }

    fn prefix_from(&self, _: &T, _: usize) -> Option<u64> {
        None
    }

    fn compare(&self, one: &T, two: &T) -> Ordering {
        let parts = &self.group.parts;
        if parts.given.is_empty() {
            return parts.compare(&parts.by.value(one), &parts.by.value(two));
        }
        self.group
            .compare(&self.group.key(one), &self.group.key(two))
    }
}
