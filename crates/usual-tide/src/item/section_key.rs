//! The values that rows are grouped by, as keys of sections.

use super::value::Value;
#[cfg(feature = "suggestions")]
use crate::text::WordStarts;
use std::fmt;
use std::hash::{Hash, Hasher};
#[cfg(feature = "suggestions")]
use std::sync::OnceLock;

/// What a section's rows have in common: the value that they are grouped by.
///
/// The rows of a list without grouping are one section, which has no value.
///
/// ```
/// use usual_tide::fields::Value;
/// use usual_tide::sections::SectionKey;
///
/// let key = SectionKey::from("Kuro");
/// assert_eq!(key.value(), Some(&Value::from("Kuro")));
/// assert_eq!(key.to_string(), "Kuro");
/// ```
#[derive(Clone, Debug)]
pub struct SectionKey(Option<Value<'static>>);

impl SectionKey {
    /// The key of the one section of a list without grouping.
    pub const WHOLE: Self = Self(None);

    /// The value; none for the one section of a list without grouping.
    pub fn value(&self) -> Option<&Value<'static>> {
        self.0.as_ref()
    }
}

impl<V: Into<Value<'static>>> From<V> for SectionKey {
    fn from(value: V) -> Self {
        Self(Some(value.into()))
    }
}

impl fmt::Display for SectionKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.as_ref().map_or(Ok(()), |value| value.fmt(f))
    }
}

/// Keys are the same when the values are, to the bit: a float that is no number is the same as itself.
impl PartialEq for SectionKey {
    fn eq(&self, other: &Self) -> bool {
        match (&self.0, &other.0) {
            (None, None) => true,
            (Some(one), Some(two)) => same(one, two),
            _ => false,
        }
    }
}

impl Eq for SectionKey {}

/// A value that rows are grouped by, lent, to be looked up in a table.
pub(crate) struct GroupValue<'a>(pub(crate) Value<'a>);

impl PartialEq for GroupValue<'_> {
    fn eq(&self, other: &Self) -> bool {
        same(&self.0, &other.0)
    }
}

impl Eq for GroupValue<'_> {}

impl Hash for GroupValue<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        hash_value(&self.0, state);
    }
}

fn same(one: &Value<'_>, two: &Value<'_>) -> bool {
    match (one, two) {
        (Value::Float(one), Value::Float(two)) => bits(*one) == bits(*two),
        (Value::List(one), Value::List(two)) => {
            one.len() == two.len() && one.iter().zip(two).all(|(one, two)| same(one, two))
        }
        _ => one == two,
    }
}

/// Both zeros are one, and all that are no number.
fn bits(number: f64) -> u64 {
    if number.is_nan() {
        f64::NAN.to_bits()
    } else {
        (number + 0.0).to_bits()
    }
}

impl Hash for SectionKey {
    fn hash<H: Hasher>(&self, state: &mut H) {
        if let Some(value) = &self.0 {
            hash_value(value, state);
        }
    }
}

fn hash_value<H: Hasher>(value: &Value<'_>, state: &mut H) {
    std::mem::discriminant(value).hash(state);
    match value {
        Value::Missing => {}
        Value::Bool(flag) => flag.hash(state),
        Value::Integer(number) => number.hash(state),
        #[cfg(feature = "decimals")]
        Value::Decimal(number) => number.hash(state),
        Value::Float(number) => bits(*number).hash(state),
        Value::Text(text) => text.hash(state),
        Value::Choice(choice) => choice.hash(state),
        #[cfg(feature = "calendar")]
        Value::Date(date) => date.hash(state),
        #[cfg(feature = "calendar")]
        Value::Timestamp(moment) => moment.hash(state),
        Value::List(values) => values.iter().for_each(|value| hash_value(value, state)),
    }
}

/// What stays the same of a section as long as it is there.
#[derive(Debug)]
pub(crate) struct SectionName {
    pub(crate) key: SectionKey,
    pub(crate) heading: String,
    /// The heading as it is searched, from the first time on.
    #[cfg(feature = "suggestions")]
    searched: OnceLock<WordStarts>,
}

impl SectionName {
    pub(crate) fn new(key: SectionKey, heading: String) -> Self {
        Self {
            key,
            heading,
            #[cfg(feature = "suggestions")]
            searched: OnceLock::new(),
        }
    }

    #[cfg(feature = "suggestions")]
    pub(crate) fn searched(&self) -> &WordStarts {
        self.searched.get_or_init(|| WordStarts::of(&self.heading))
    }
}

impl PartialEq for SectionName {
    fn eq(&self, other: &Self) -> bool {
        self.key == other.key && self.heading == other.heading
    }
}
