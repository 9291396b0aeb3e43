//! Totals of sections, kept as rows come and go.

use super::sum::Sum;
use crate::item::{AnyField, Value};
use crate::query::any_value::total_order;
#[cfg(feature = "decimals")]
use rust_decimal::Decimal;
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

/// A total of a field over the rows of a section. Missing values do not count, and
/// text that is a decimal number counts as one.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum Total {
    /// All numbers added: exactly, or as a float where floats are among them or no exact value can hold the sum
    /// (more than 28 digits with decimals, more than an `i128` without).
    Sum,
    /// The least value.
    Minimum,
    /// The greatest value.
    Maximum,
    /// The sum over the count of numbers, to 28 digits.
    Mean,
}

impl fmt::Display for Total {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Sum => "sum",
            Self::Minimum => "minimum",
            Self::Maximum => "maximum",
            Self::Mean => "mean",
        })
    }
}

/// A total that a grouping asks for.
pub(super) struct TotalOf<T> {
    pub(super) total: Total,
    pub(super) field: AnyField<T>,
}

/// What one item adds to each total.
pub(crate) type Tallied = Vec<Value<'static>>;

impl<T> TotalOf<T> {
    pub(super) fn new(total: Total, field: AnyField<T>) -> Self {
        Self { total, field }
    }

    pub(super) fn of(&self, item: &T) -> Value<'static> {
        match self.field.value(item) {
            #[cfg(feature = "decimals")]
            Value::Text(text) => match text.trim().parse::<Decimal>() {
                Ok(number) => Value::Decimal(number),
                Err(_) => Value::Text(text).into_owned(),
            },
            value => value.into_owned(),
        }
    }
}

impl<T> PartialEq for TotalOf<T> {
    fn eq(&self, other: &Self) -> bool {
        self.total == other.total && self.field.is_same_field(&other.field)
    }
}

impl<T> Clone for TotalOf<T> {
    fn clone(&self) -> Self {
        Self {
            total: self.total,
            field: self.field.clone(),
        }
    }
}

/// The totals of one section as they are so far.
#[derive(Clone, Debug)]
pub(crate) struct Tally(Vec<Running>);

#[derive(Clone, Debug)]
enum Running {
    Sum(Sum),
    Mean(Sum),
    Minimum(Spread),
    Maximum(Spread),
}

/// How often each value is there.
type Spread = BTreeMap<Ordered, usize>;

impl Tally {
    pub(super) fn new(totals: impl Iterator<Item = Total>) -> Self {
        let running = totals.map(|total| match total {
            Total::Sum => Running::Sum(Sum::default()),
            Total::Mean => Running::Mean(Sum::default()),
            Total::Minimum => Running::Minimum(Spread::new()),
            Total::Maximum => Running::Maximum(Spread::new()),
        });
        Self(running.collect())
    }

    /// Puts in what an item adds, or takes it out again. O(log n).
    pub(crate) fn change(&mut self, values: &Tallied, put_in: bool) {
        for (running, value) in self.0.iter_mut().zip(values) {
            match running {
                Running::Sum(sum) | Running::Mean(sum) => sum.change(value, put_in),
                Running::Minimum(spread) | Running::Maximum(spread) => {
                    change_spread(spread, value, put_in);
                }
            }
        }
    }

    /// The totals now.
    pub(crate) fn totals(&self) -> Arc<[Value<'static>]> {
        let totals = self.0.iter().map(|running| match running {
            Running::Sum(sum) => sum.total(),
            Running::Mean(sum) => sum.mean(),
            Running::Minimum(spread) => value_of(spread.first_key_value()),
            Running::Maximum(spread) => value_of(spread.last_key_value()),
        });
        totals.collect()
    }
}

fn value_of(entry: Option<(&Ordered, &usize)>) -> Value<'static> {
    entry.map_or(Value::Missing, |(value, _)| value.0.clone())
}

fn change_spread(spread: &mut Spread, value: &Value<'static>, put_in: bool) {
    let is_nan = matches!(value, Value::Float(number) if number.is_nan());
    if value.is_missing() || is_nan {
        return;
    }
    let value = Ordered(value.clone());
    if put_in {
        *spread.entry(value).or_default() += 1;
    } else if let Some(count) = spread.get_mut(&value) {
        *count -= 1;
        if *count == 0 {
            spread.remove(&value);
        }
    }
}

/// A value in the order of values. Equal numbers that are written in different ways (2 and 2.00) are different
/// values here, so that a total is always written as one of the numbers is.
#[derive(Clone, Debug)]
struct Ordered(Value<'static>);

impl Ord for Ordered {
    fn cmp(&self, other: &Self) -> Ordering {
        total_order(&self.0, &other.0).then_with(|| form(&self.0).cmp(&form(&other.0)))
    }
}

/// The way in which a number is written, beside its value.
fn form(value: &Value<'_>) -> (u8, u32) {
    match value {
        #[cfg(feature = "decimals")]
        Value::Decimal(number) => (1, number.scale()),
        Value::Float(number) => (2, u32::from(number.is_sign_negative())),
        _ => (0, 0),
    }
}

/// Whether two values add the same to every total.
pub(super) fn same_tallied(one: &Value<'_>, two: &Value<'_>) -> bool {
    total_order(one, two).is_eq() && form(one) == form(two)
}

impl PartialOrd for Ordered {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl PartialEq for Ordered {
    fn eq(&self, other: &Self) -> bool {
        self.cmp(other).is_eq()
    }
}

impl Eq for Ordered {}
