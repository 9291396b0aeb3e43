//! Grouping by the first letter.

use super::by::{GroupBy, GroupIdentity, shown};
use crate::item::{AnyField, Value};
use crate::query::value::SortValue;
use crate::text::Collation;
use std::cmp::Ordering;

/// The heading of what begins with a digit.
const DIGITS: &str = "0\u{2013}9";

/// The heading of what begins with neither letter nor digit.
const REST: &str = "\u{2026}";

pub(super) struct ByInitial<T> {
    field: AnyField<T>,
    collation: Collation,
}

impl<T> ByInitial<T> {
    pub(super) fn new(field: AnyField<T>, collation: Collation) -> Self {
        Self { field, collation }
    }
}

fn class(value: &Value<'_>) -> u64 {
    match value.as_text() {
        Some(DIGITS) => 1,
        Some(REST) | None => 2,
        Some(_) => 0,
    }
}

impl<T> GroupBy<T> for ByInitial<T> {
    fn value<'a>(&self, item: &'a T) -> Value<'a> {
        let shown = shown(&self.field, item);
        let text = shown.as_text().unwrap_or_default().trim_start();
        let Some(first) = text.chars().next() else {
            return Value::Missing;
        };
        if first.is_numeric() {
            return Value::from(DIGITS);
        }
        match self.collation.initial(text) {
            Some(letter) => Value::from(letter),
            None => Value::from(REST),
        }
    }

    fn identity(&self) -> Option<GroupIdentity> {
        let collation = self.collation.identity();
        let identity = GroupIdentity::of(&self.field, "initial", true)?;
        Some(GroupIdentity {
            field: identity.field,
            by: match collation == Collation::plain().identity() {
                true => identity.by,
                false => format!("initial in {collation}"),
            },
            has_text: true,
        })
    }

    fn prefix(&self, _: &Value<'_>) -> u64 {
        0
    }

    fn compare(&self, one: &Value<'_>, two: &Value<'_>) -> Ordering {
        let classes = class(one).cmp(&class(two));
        classes.then_with(|| {
            let letters = one.as_text().zip(two.as_text());
            let by_locale = letters.map(|(one, two)| self.collation.compare(one, two));
            by_locale
                .unwrap_or(Ordering::Equal)
                .then_with(|| SortValue::compare(one, two))
        })
    }
}
