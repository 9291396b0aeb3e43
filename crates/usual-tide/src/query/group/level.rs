//! The order of sections, as the first level of a sort.

use super::{Group, Parts};
use crate::item::SectionKey;
use crate::item::Value;
use crate::query::sort_key::SortKey;
use crate::query::value::{SortRank, SortValue};
use crate::sorts::{order_by, order_by_prefix};
use crate::text::Collation;
use std::cmp::Ordering;

impl<T> Parts<T> {
    /// The place in the given order; values without one come after.
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

    /// What mostly decides the order of sections without a collation.
    fn prefix(&self, key: &SectionKey) -> (u64, u64) {
        if !self.given.is_empty() {
            return (0, 0);
        }
        let value = key.value().unwrap_or(&Value::Missing);
        let prefix = value_of(value).map_or(0, |value| self.by.prefix(value));
        let directed = if self.descending { !prefix } else { prefix };
        (self.rank_place(value), directed)
    }

    fn compare(&self, one: &Value<'_>, two: &Value<'_>) -> Ordering {
        self.compare_collated(one, two, || self.collated(one, two))
    }

    /// The order of texts by the collation, where there is one.
    fn collated(&self, one: &Value<'_>, two: &Value<'_>) -> Ordering {
        match (&self.collation, one, two) {
            (Some(collation), Value::Text(one), Value::Text(two)) => collation.compare(one, two),
            _ => Ordering::Equal,
        }
    }

    /// The same, where the order by the collation is found in another way.
    fn compare_collated(
        &self,
        one: &Value<'_>,
        two: &Value<'_>,
        collated: impl FnOnce() -> Ordering,
    ) -> Ordering {
        let (first, second) = (self.rank_place(one), self.rank_place(two));
        let values = || {
            if value_of(one).is_none() || value_of(two).is_none() {
                return Ordering::Equal;
            }
            let values = collated().then_with(|| self.by.compare(one, two));
            if self.descending {
                values.reverse()
            } else {
                values
            }
        };
        first.cmp(&second).then_with(values)
    }
}

/// What the texts among section keys are sorted by.
fn collation_keys(keys: &[&SectionKey], collation: &Collation) -> Vec<Option<Vec<u8>>> {
    let key = |key: &&SectionKey| match key.value() {
        Some(Value::Text(text)) => Some(collation.key(text)),
        _ => None,
    };
    keys.iter().map(key).collect()
}

/// The value, unless it is one of those that stand together.
fn value_of<'a, 'b>(value: &'b Value<'a>) -> Option<&'b Value<'a>> {
    (value.rank() == SortRank::Value).then_some(value)
}

impl<T> Group<T> {
    /// The indices of section keys in the order of the sections. The key of a text in its collation is written once, not at
    /// every comparison.
    pub(crate) fn order_of_sections(&self, keys: &[&SectionKey]) -> Vec<usize> {
        let Some(collation) = &self.parts.collation else {
            let mut prefixes = Vec::with_capacity(keys.len());
            for key in keys {
                prefixes.push(self.parts.prefix(key));
            }
            return order_by_prefix(&prefixes, &|one, two| self.compare(keys[one], keys[two]));
        };
        let texts = collation_keys(keys, collation);
        order_by(keys.len(), &mut |one, two| {
            self.compare_with(keys[one], keys[two], || match (&texts[one], &texts[two]) {
                (Some(one), Some(two)) => one.cmp(two),
                _ => Ordering::Equal,
            })
        })
    }

    /// The order of sections.
    pub(crate) fn compare(&self, one: &SectionKey, two: &SectionKey) -> Ordering {
        self.compare_with(one, two, || match (one.value(), two.value()) {
            (Some(one), Some(two)) => self.parts.collated(one, two),
            _ => Ordering::Equal,
        })
    }

    /// The same, where the order by the collation is found in another way.
    fn compare_with(
        &self,
        one: &SectionKey,
        two: &SectionKey,
        collated: impl FnOnce() -> Ordering,
    ) -> Ordering {
        let parts = &self.parts;
        let given = if parts.given.is_empty() {
            Ordering::Equal
        } else {
            parts.given_place(one).cmp(&parts.given_place(two))
        };
        let value = |key: &SectionKey| key.value().cloned().unwrap_or(Value::Missing);
        given.then_with(|| match (one.value(), two.value()) {
            (Some(one), Some(two)) => parts.compare_collated(one, two, collated),
            _ => parts.compare_collated(&value(one), &value(two), collated),
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
        0
    }

    fn rank(&self, _: &T) -> SortRank {
        SortRank::Value
    }

    fn prefix(&self, _: &T) -> u64 {
        // Rows are searched within their section, where it would say nothing.
        0
    }

    fn prefix_from(&self, _: &T, _: usize) -> Option<u64> {
        None
    }

    fn bytes_in_prefix(&self, _: &T, _: u32) -> usize {
        0
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
