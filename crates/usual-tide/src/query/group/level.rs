//! The order of sections, as the first level of a sort.

use super::{Group, Parts};
use crate::item::SectionKey;
use crate::item::Value;
use crate::query::sort_key::SortKey;
use crate::query::value::{SortRank, SortValue};
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

    fn compare(&self, one: &Value<'_>, two: &Value<'_>) -> Ordering {
        let (first, second) = (self.rank_place(one), self.rank_place(two));
        let values = || {
            if value_of(one).is_none() || value_of(two).is_none() {
                return Ordering::Equal;
            }
            let by_locale = match (&self.collation, one, two) {
                (Some(collation), Value::Text(one), Value::Text(two)) => {
                    Some(collation.compare(one, two))
                }
                _ => None,
            };
            let by_locale = by_locale.unwrap_or(Ordering::Equal);
            let values = by_locale.then_with(|| self.by.compare(one, two));
            if self.descending {
                values.reverse()
            } else {
                values
            }
        };
        first.cmp(&second).then_with(values)
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
        let given = if self.parts.given.is_empty() {
            Ordering::Equal
        } else {
            let given = |key| self.parts.given_place(key);
            given(one).cmp(&given(two))
        };
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

    fn compare(&self, one: &T, two: &T) -> Ordering {
        let parts = &self.group.parts;
        if parts.given.is_empty() {
            return parts.compare(&parts.by.value(one), &parts.by.value(two));
        }
        self.group
            .compare(&self.group.key(one), &self.group.key(two))
    }
}
