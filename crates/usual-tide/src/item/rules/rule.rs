//! The rules of a store.

use super::failed::{BrokenRule, FailedField};
use crate::item::{AnyField, Item, Value};
use crate::text::Folding;
use std::fmt;
use std::fmt::Debug;
use std::ops::{Bound, RangeBounds};
use std::sync::Arc;
use unicode_segmentation::UnicodeSegmentation;

/// What an item must hold to be accepted, field by field.
///
/// A store checks its rules on every add and edit, and a draft as it goes; the error lists every
/// field that failed. What comes from the source is not checked: it is there already; nor is what an undo
/// gives back. A missing
/// value breaks no rule but [`required`](Self::required).
///
/// ```
/// use usual_tide::{EditError, Item, Place, Rules, Store};
/// use usual_tide::text::Folding;
///
/// #[derive(Clone, PartialEq, Debug, Item)]
/// struct Piece { #[item(key)] id: u32, title: String, height_mm: u32 }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let mut store = Store::load([Piece { id: 1, title: "Café mug".into(), height_mm: 90 }])?;
/// store.set_rules(
///     Rules::new()
///         .trim(Piece::TITLE)
///         .required(Piece::TITLE)
///         .unique(Piece::TITLE, Folding::CaseAndAccents)
///         .range(Piece::HEIGHT_MM, 10..=900),
/// )?;
///
/// let refused = store.add(Piece { id: 2, title: " cafe MUG ".into(), height_mm: 2000 }, Place::End);
/// let Err(EditError::Invalid { failed, .. }) = refused else { return Err("accepted".into()) };
/// let lines: Vec<String> = failed.iter().map(|field| format!("{}: {field}", field.field)).collect();
/// assert_eq!(lines, [
///     "title: another entry has the same",
///     "height_mm: 2000 is out of range: it must be 10 to 900",
/// ]);
/// # Ok(()) }
/// ```
///
/// ```
/// # use usual_tide::{Item, Place, Rules, Store};
/// # #[derive(Clone, PartialEq, Debug, Item)]
/// # struct Piece { #[item(key)] id: u32, title: String, fired: bool, kiln: Option<u8> }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |id, title: &str, fired| Piece { id, title: title.into(), fired, kiln: None };
/// let rules = Rules::new().length(Piece::TITLE, 1..=12).check_item(|piece: &Piece| {
///     if piece.fired && piece.kiln.is_none() { Err("a fired piece has a kiln") } else { Ok(()) }
/// });
/// let mut store = Store::load([piece(1, "Bowl", true)])?;
/// store.set_rules(rules)?;
/// // What was there before the rules stays, and can be found.
/// assert_eq!(store.broken_rules().count(), 1);
/// let Err(error) = store.add(piece(2, "A plate with a wide rim", true), Place::End) else {
///     return Err("it is too long".into());
/// };
/// assert_eq!(error.failed_fields().len(), 2);
/// // The same for a form, before anything is added.
/// assert!(store.failures(&piece(3, "Mug", false)).is_empty());
/// # Ok(()) }
/// ```
pub struct Rules<T> {
    trimmed: Vec<AnyField<T>>,
    rules: Vec<Rule<T>>,
}

struct Rule<T> {
    /// None where the rule is about the whole item.
    field: Option<AnyField<T>>,
    check: Check<T>,
    message: Option<Arc<str>>,
}

/// A check that the app wrote: its message, or that all is well.
type Closure<T> = Arc<dyn Fn(&T) -> Result<(), String> + Send + Sync>;

enum Check<T> {
    Required,
    Unique(Folding),
    Range(Bound<Value<'static>>, Bound<Value<'static>>),
    Length(Bound<usize>, Bound<usize>),
    Closure(Closure<T>),
}

impl<T> Rules<T> {
    /// No rules.
    pub fn new() -> Self {
        Self {
            trimmed: Vec::new(),
            rules: Vec::new(),
        }
    }

    /// White space around the field's text is taken off before anything is checked or stored.
    #[must_use]
    pub fn trim(mut self, field: impl Into<AnyField<T>>) -> Self {
        self.trimmed.push(field.into());
        self
    }

    /// The field must hold something: no missing value, no text of white space alone.
    #[must_use]
    pub fn required(self, field: impl Into<AnyField<T>>) -> Self {
        self.rule(Some(field.into()), Check::Required)
    }

    /// No other item may hold the same, after folding. White space around a
    /// text does not count, and blank text is no value. O(1) expected for each check: the values are
    /// indexed.
    #[must_use]
    pub fn unique(self, field: impl Into<AnyField<T>>, folding: Folding) -> Self {
        self.rule(Some(field.into()), Check::Unique(folding))
    }

    /// The value must be in a range.
    ///
    /// ```
    /// # use usual_tide::{Item, Rules};
    /// # use usual_tide_pieces::with_height::Piece;
    /// let rules = Rules::new().range(Piece::HEIGHT_MM, 1..).message("a piece has a height");
    /// # let _: Rules<Piece> = rules;
    /// ```
    #[must_use]
    pub fn range<V: Clone + Into<Value<'static>>>(
        self,
        field: impl Into<AnyField<T>>,
        range: impl RangeBounds<V>,
    ) -> Self {
        let start = range.start_bound().cloned().map(Into::into);
        let end = range.end_bound().cloned().map(Into::into);
        self.rule(Some(field.into()), Check::Range(start, end))
    }

    /// The text must have this many characters, as a person counts them (grapheme clusters, UAX #29).
    #[must_use]
    pub fn length(
        self,
        field: impl Into<AnyField<T>>,
        characters: impl RangeBounds<usize>,
    ) -> Self {
        let start = characters.start_bound().cloned();
        let end = characters.end_bound().cloned();
        self.rule(Some(field.into()), Check::Length(start, end))
    }

    /// A check of your own: `Err` with the message for the form. It sees the whole item, so that one
    /// field can be held against another.
    #[must_use]
    pub fn check<M: Into<String>>(
        self,
        field: impl Into<AnyField<T>>,
        check: impl Fn(&T) -> Result<(), M> + Send + Sync + 'static,
    ) -> Self {
        let own = move |item: &T| check(item).map_err(Into::into);
        self.rule(Some(field.into()), Check::Closure(Arc::new(own)))
    }

    /// A check of the whole item, which is no field's fault.
    #[must_use]
    pub fn check_item<M: Into<String>>(
        self,
        check: impl Fn(&T) -> Result<(), M> + Send + Sync + 'static,
    ) -> Self {
        let own = move |item: &T| check(item).map_err(Into::into);
        self.rule(None, Check::Closure(Arc::new(own)))
    }

    /// The message of the last rule, in place of the built-in one.
    #[must_use]
    pub fn message(mut self, message: &str) -> Self {
        if let Some(rule) = self.rules.last_mut() {
            rule.message = Some(message.into());
        }
        self
    }

    fn rule(mut self, field: Option<AnyField<T>>, check: Check<T>) -> Self {
        self.rules.push(Rule {
            field,
            check,
            message: None,
        });
        self
    }
}

impl<T: Item> Rules<T> {
    /// Takes white space off the fields where that is asked for.
    pub(crate) fn normalize(&self, item: &mut T) {
        for field in &self.trimmed {
            let trimmed = match field.value(item) {
                Value::Text(text) if text.trim().len() < text.len() => text.trim().to_owned(),
                _ => continue,
            };
            // A field that cannot be written stays as it is; the other rules see it so.
            if let Err(why) = field.set(item, Value::from(trimmed)) {
                tracing::debug!(field = field.name(), %why, "not trimmed");
            }
        }
    }

    /// Every field that fails; of a field without a value only that. `holder` finds another item that holds a value already,
    /// by the number of the unique rule and the value.
    pub(crate) fn failures(
        &self,
        item: &T,
        holder: impl Fn(usize, &str) -> Option<T::Key>,
    ) -> Vec<FailedField<T::Key>> {
        let mut failed: Vec<FailedField<T::Key>> = Vec::new();
        let mut uniques = 0;
        for rule in &self.rules {
            let number = uniques;
            uniques += usize::from(matches!(rule.check, Check::Unique(_)));
            let name = rule.field.as_ref().map_or("", AnyField::name);
            let missing = |failed: &FailedField<T::Key>| {
                failed.field == name && failed.broken == BrokenRule::Required
            };
            if failed.iter().any(missing) {
                continue;
            }
            let found = rule.broken(item, |value| holder(number, value));
            if let Some((broken, own)) = found {
                let message = rule.message.as_deref().map(str::to_owned).or(own);
                failed.push(FailedField {
                    field: name.to_owned(),
                    broken,
                    message,
                });
            }
        }
        failed
    }

    pub(crate) fn unique_rules(&self) -> usize {
        let unique = |rule: &&Rule<T>| matches!(rule.check, Check::Unique(_));
        self.rules.iter().filter(unique).count()
    }

    /// What the unique rules compare: one value for each rule, none where it is missing.
    pub(crate) fn unique_values(&self, item: &T) -> Vec<Option<String>> {
        let folded = |rule: &Rule<T>| match (&rule.check, &rule.field) {
            (Check::Unique(folding), Some(field)) => Some(unique_value(field, *folding, item)),
            _ => None,
        };
        self.rules.iter().filter_map(folded).collect()
    }
}

/// The text by which a unique rule compares values: its kind comes first, so that `"1"` is not `1`.
fn unique_value<T>(field: &AnyField<T>, folding: Folding, item: &T) -> Option<String> {
    match field.value(item) {
        value if value.is_blank() => None,
        Value::Text(text) => Some(format!("t{}", folding.fold(text.trim()))),
        #[cfg(feature = "decimals")]
        Value::Decimal(number) => Some(format!("v{}", number.normalize())),
        other => Some(format!("v{other}")),
    }
}

impl<T> Rule<T> {
    /// What is wrong, and the message that the app's own check gave.
    fn broken<K>(
        &self,
        item: &T,
        holder: impl FnOnce(&str) -> Option<K>,
    ) -> Option<(BrokenRule<K>, Option<String>)> {
        let Some(field) = &self.field else {
            return self.refused(item);
        };
        let value = field.value(item);
        let broken = match &self.check {
            Check::Closure(_) => return self.refused(item),
            Check::Required => value.is_blank().then_some(BrokenRule::Required),
            Check::Unique(folding) => {
                let by = holder(&unique_value(field, *folding, item)?)?;
                Some(BrokenRule::Taken { by })
            }
            Check::Range(start, end) => within(&value, start, end),
            Check::Length(start, end) => of_length(&value, *start, *end),
        };
        Some((broken?, None))
    }

    fn refused<K>(&self, item: &T) -> Option<(BrokenRule<K>, Option<String>)> {
        let Check::Closure(check) = &self.check else {
            return None;
        };
        let message = check(item).err()?;
        Some((BrokenRule::Refused, Some(message)))
    }
}

fn within<K>(
    value: &Value<'_>,
    start: &Bound<Value<'static>>,
    end: &Bound<Value<'static>>,
) -> Option<BrokenRule<K>> {
    if value.is_missing() {
        return None;
    }
    // What cannot be compared is not in the range.
    let above = match start {
        Bound::Included(start) => value.compare(start).is_some_and(|order| order.is_ge()),
        Bound::Excluded(start) => value.compare(start).is_some_and(|order| order.is_gt()),
        Bound::Unbounded => true,
    };
    let below = match end {
        Bound::Included(end) => value.compare(end).is_some_and(|order| order.is_le()),
        Bound::Excluded(end) => value.compare(end).is_some_and(|order| order.is_lt()),
        Bound::Unbounded => true,
    };
    (!(above && below)).then(|| BrokenRule::OutOfRange {
        given: value.to_string(),
        range: range_text(start, end),
    })
}

fn of_length<K>(
    value: &Value<'_>,
    start: Bound<usize>,
    end: Bound<usize>,
) -> Option<BrokenRule<K>> {
    let given = value.as_text()?.graphemes(true).count();
    (!(start, end).contains(&given)).then(|| BrokenRule::BadLength {
        given,
        short: match start {
            Bound::Included(start) => given < start,
            Bound::Excluded(start) => given <= start,
            Bound::Unbounded => false,
        },
        range: range_text(&start, &end),
    })
}

fn range_text<V: fmt::Display>(start: &Bound<V>, end: &Bound<V>) -> String {
    let least = match start {
        Bound::Included(start) => Some(start.to_string()),
        Bound::Excluded(start) => Some(format!("more than {start}")),
        Bound::Unbounded => None,
    };
    match (least, end) {
        (Some(least), Bound::Included(end)) => format!("{least} to {end}"),
        (Some(least), Bound::Excluded(end)) => format!("{least} to less than {end}"),
        (Some(least), Bound::Unbounded) => match start {
            Bound::Excluded(_) => least,
            _ => format!("at least {least}"),
        },
        (None, Bound::Included(end)) => format!("at most {end}"),
        (None, Bound::Excluded(end)) => format!("less than {end}"),
        (None, Bound::Unbounded) => "anything".to_owned(),
    }
}

impl<T> Default for Rules<T> {
    fn default() -> Self {
        Self::new()
    }
}

impl<T> Debug for Rules<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let names = |rule: &Rule<T>| rule.field.as_ref().map(|field| field.name().to_owned());
        f.debug_struct("Rules")
            .field("trimmed", &self.trimmed)
            .field("rules", &self.rules.iter().map(names).collect::<Vec<_>>())
            .finish()
    }
}
