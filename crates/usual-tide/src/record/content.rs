//! What members hold, read where it stands.

use super::block::{Tag, Values};
use super::name::FieldName;
use super::shape::{FieldPosition, MemberNames, Step};
use crate::item::{JsonDecimal as Decimal, Value as FieldContent, number_of};
use serde_json::{Map, Number, Value as Json};
use std::fmt;
use std::sync::Arc;

/// What a member of a record holds, borrowed from the record.
///
/// Two are equal as values are: numbers by their exact value, objects whatever the order of their members. Shown, it
/// is JSON text.
///
/// ```
/// use usual_tide::record::{FieldName, MemberValue, parse};
///
/// let text = r#"[{"id": 7, "title": "Bowl", "fee": {"amount": 4.50}, "glazes": ["ash", null]}]"#;
/// let piece = parse(text, &FieldName::parse("id")?)?.remove(0);
/// assert_eq!(piece.get("title"), Some(MemberValue::Text("Bowl")));
/// // Numbers are as they were written.
/// assert_eq!(piece.get("fee.amount"), Some(MemberValue::Number("4.50")));
/// let Some(MemberValue::List(glazes)) = piece.get("glazes") else { return Err("no list".into()) };
/// assert_eq!(glazes.iter().next().and_then(|glaze| glaze.as_text()), Some("ash"));
/// assert_eq!(piece.get("fee").unwrap().to_string(), r#"{"amount":4.50}"#);
/// assert!(glazes.get(1).is_some_and(|glaze| glaze.is_null()));
///
/// // As another type, where it is that.
/// let (id, amount) = (piece.get("id").unwrap(), piece.get("fee.amount").unwrap());
/// assert_eq!((id.as_i64(), id.as_bool()), (Some(7), None));
/// assert_eq!((amount.as_number(), amount.as_f64()), (Some("4.50"), Some(4.5)));
/// assert_eq!(piece.get("glazes").and_then(|value| value.as_list()).map(|list| list.len()), Some(2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Copy, Debug)]
pub enum MemberValue<'a> {
    /// Null.
    Null,
    /// True or false.
    Bool(bool),
    /// A number, as it was written.
    Number(&'a str),
    /// Text.
    Text(&'a str),
    /// A list.
    List(List<'a>),
    /// An object.
    Object(Object<'a>),
}

/// A list in a record.
#[derive(Clone, Copy)]
pub struct List<'a> {
    pub(super) values: Values<'a>,
}

/// The members of a record, or of an object in one, in their order.
///
/// ```
/// use usual_tide::record::{FieldName, parse};
///
/// let piece = parse(r#"[{"id": 7, "title": "Bowl"}]"#, &FieldName::parse("id")?)?.remove(0);
/// let members = piece.members();
/// assert_eq!(members.len(), 2);
/// assert_eq!(members.names().collect::<Vec<_>>(), ["id", "title"]);
/// assert_eq!(members.get("title").unwrap(), "Bowl");
/// assert_eq!(members.to_string(), r#"{"id":7,"title":"Bowl"}"#);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Clone, Copy)]
pub struct Object<'a>(Members<'a>);

#[derive(Clone, Copy)]
enum Members<'a> {
    /// Their names are those of a shape.
    Shaped(ShapedMembers<'a>),
    /// Names and values by turns.
    Listed(Values<'a>),
}

#[derive(Clone, Copy)]
struct ShapedMembers<'a> {
    names: &'a MemberNames,
    /// The steps of these members.
    from: usize,
    end: usize,
    values: Values<'a>,
    shared: &'a [Arc<str>],
}

impl<'a> MemberValue<'a> {
    #[inline]
    pub(super) fn of((tag, text): (Tag, &'a str), shared: &'a [Arc<str>]) -> Self {
        match tag {
            Tag::Text => Self::Text(text),
            Tag::Number => Self::Number(text),
            Tag::Null => Self::Null,
            Tag::False => Self::Bool(false),
            Tag::True => Self::Bool(true),
            Tag::Shared => Self::Text(shared_text(text, shared).map_or("", |text| text)),
            Tag::List => Self::List(List {
                values: Values::of_list(text),
            }),
            Tag::Object => Self::Object(Object(Members::Listed(Values::of_list(text)))),
        }
    }

    /// The text, when it is text.
    pub fn as_text(&self) -> Option<&'a str> {
        match self {
            Self::Text(text) => Some(text),
            _ => None,
        }
    }

    /// The number as it was written, when it is one.
    pub fn as_number(&self) -> Option<&'a str> {
        match self {
            Self::Number(text) => Some(text),
            _ => None,
        }
    }

    /// The number, when it is a whole one that fits, written without a fraction or an exponent.
    pub fn as_i64(&self) -> Option<i64> {
        self.as_number()?.parse().ok()
    }

    /// The number, as near as a float is to it, when it is one.
    pub fn as_f64(&self) -> Option<f64> {
        self.as_number()?.parse().ok()
    }

    /// Whether it is true, when it is true or false.
    pub fn as_bool(&self) -> Option<bool> {
        match self {
            Self::Bool(flag) => Some(*flag),
            _ => None,
        }
    }

    /// The list, when it is one.
    pub fn as_list(&self) -> Option<List<'a>> {
        match self {
            Self::List(list) => Some(*list),
            _ => None,
        }
    }

    /// The object, when it is one.
    pub fn as_object(&self) -> Option<Object<'a>> {
        match self {
            Self::Object(object) => Some(*object),
            _ => None,
        }
    }

    /// Whether it is null.
    pub fn is_null(&self) -> bool {
        matches!(self, Self::Null)
    }

    /// The same as a JSON value. O(its size).
    pub fn to_json(&self) -> Json {
        match self {
            Self::Null => Json::Null,
            Self::Bool(flag) => Json::Bool(*flag),
            Self::Number(text) => number_to_json(text),
            Self::Text(text) => Json::from(*text),
            Self::List(list) => list.iter().map(|value| value.to_json()).collect(),
            Self::Object(object) => Json::Object(object.to_json()),
        }
    }

    /// Whether it has no more levels of objects and lists than this.
    pub(super) fn nests_at_most(&self, levels: usize) -> bool {
        let mut inner: Box<dyn Iterator<Item = MemberValue<'_>>> = match self {
            Self::List(list) => Box::new(list.iter()),
            Self::Object(object) => Box::new(object.iter().map(|(_, value)| value)),
            _ => return true,
        };
        levels > 0 && inner.all(|value| value.nests_at_most(levels - 1))
    }

    /// The value as a field holds it; numbers as exactly as can be.
    pub(crate) fn content(self) -> FieldContent<'a> {
        match self {
            Self::Null => FieldContent::Missing,
            Self::Bool(flag) => FieldContent::Bool(flag),
            Self::Text(text) => FieldContent::from(text),
            Self::Number(text) => number_of(text),
            Self::List(list) => FieldContent::List(list.iter().map(Self::content).collect()),
            Self::Object(_) => FieldContent::from(self.to_string()),
        }
    }
}

/// A number as JSON keeps it; as text where the parser refuses it.
fn number_to_json(text: &str) -> Json {
    match text.parse::<Number>() {
        Ok(number) => Json::Number(number),
        Err(_) => Json::from(text),
    }
}

/// The long text at a place among those that a record shares.
fn shared_text<'a>(place: &str, shared: &'a [Arc<str>]) -> Option<&'a Arc<str>> {
    shared.get(place.parse::<usize>().ok()?)
}

impl<'a> List<'a> {
    /// How many values it has.
    pub fn len(&self) -> usize {
        self.values.len()
    }

    /// Whether it has none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The value at a place. O(1).
    pub fn get(&self, at: usize) -> Option<MemberValue<'a>> {
        Some(MemberValue::of(self.values.get(at)?, &[]))
    }

    /// The values in their order.
    pub fn iter(self) -> impl Iterator<Item = MemberValue<'a>> {
        self.values.iter().map(|value| MemberValue::of(value, &[]))
    }
}

impl<'a> Object<'a> {
    pub(super) fn whole(
        names: &'a MemberNames,
        values: Values<'a>,
        shared: &'a [Arc<str>],
    ) -> Self {
        Self(Members::Shaped(ShapedMembers {
            names,
            from: 0,
            end: names.len(),
            values,
            shared,
        }))
    }

    /// How many members it has. O(members).
    pub fn len(&self) -> usize {
        self.names().count()
    }

    /// Whether it has none.
    pub fn is_empty(&self) -> bool {
        self.names().next().is_none()
    }

    /// The names of the members.
    pub fn names(self) -> impl Iterator<Item = &'a str> {
        self.iter().map(|(name, _)| name)
    }

    /// The member with exactly this name. O(members), O(1) in objects with many.
    pub fn get(&self, name: &str) -> Option<MemberValue<'a>> {
        match self.0 {
            Members::Shaped(members) => {
                let position = members.names.member((members.from, members.end), name)?;
                members.at(position)
            }
            Members::Listed(_) => self
                .iter()
                .find_map(|(other, value)| (other == name).then_some(value)),
        }
    }

    /// The field of this name: the member of exactly that name, or what is at the end of the dotted way.
    pub fn field(&self, name: &FieldName) -> Option<MemberValue<'a>> {
        if let Some(value) = name.whole().and_then(|name| self.get(name)) {
            return Some(value);
        }
        let (first, rest) = name.members().split_first()?;
        let inner = |value: MemberValue<'a>, step: &String| value.as_object()?.get(step);
        rest.iter().try_fold(self.get(first)?, inner)
    }

    /// The members with what they hold, in their order.
    pub fn iter(self) -> impl Iterator<Item = (&'a str, MemberValue<'a>)> {
        let mut at = match self.0 {
            Members::Shaped(members) => members.from,
            Members::Listed(_) => 0,
        };
        std::iter::from_fn(move || match self.0 {
            Members::Shaped(members) => {
                let names = members.names;
                let name = (at < members.end).then(|| names.name(at))?;
                let value = members.at(names.position_at(at)?)?;
                at = names.after(at);
                Some((name, value))
            }
            Members::Listed(values) => {
                let (_, name) = values.get(at)?;
                let value = MemberValue::of(values.get(at + 1)?, &[]);
                at += 2;
                Some((name, value))
            }
        })
    }

    /// The same as JSON. O(its size).
    pub fn to_json(&self) -> Map<String, Json> {
        self.iter()
            .map(|(name, value)| (name.to_owned(), value.to_json()))
            .collect()
    }

    /// The names and values of the members of two objects whose members have the same names in the same order,
    /// objects entered where they stand.
    pub(super) fn side_by_side<'b>(&self, other: &Object<'b>) -> Option<SideBySide<'a, 'b>> {
        match (self.0, other.0) {
            (Members::Shaped(one), Members::Shaped(two))
                if std::ptr::eq(one.names, two.names) && one.from == two.from =>
            {
                Some(SideBySide { one, two })
            }
            _ => None,
        }
    }
}

/// Two objects of one shape.
pub(super) struct SideBySide<'a, 'b> {
    one: ShapedMembers<'a>,
    two: ShapedMembers<'b>,
}

impl<'a, 'b> SideBySide<'a, 'b> {
    /// Whether all is the same, to the letter.
    pub(super) fn is_same_text(&self) -> bool {
        self.one.values == self.two.values && self.one.shared == self.two.shared
    }

    /// Whether all is the same, as values are.
    fn is_same(&self) -> bool {
        if self.is_same_text() {
            return true;
        }
        let (one, two) = (self.one, self.two);
        if one.end - one.from < one.names.len() {
            let mut values = self.differing().filter_map(|(_, values)| values);
            return values.all(|(one, two)| one == two);
        }
        // All values count, whatever their names.
        let mut differing = one.values.differing(two.values).map(FieldPosition::Value);
        differing.all(|position| one.at(position) == two.at(position))
    }

    /// The steps of the members that are no objects and are not the same to the letter, with both values; and where
    /// objects begin and end.
    pub(super) fn differing(
        &self,
    ) -> impl Iterator<Item = (Step<'a>, Option<(MemberValue<'a>, MemberValue<'b>)>)> {
        let (one, two) = (self.one, self.two);
        let steps = (one.from..one.end).filter_map(move |at| one.names.step(at));
        steps.filter_map(move |step| match step {
            Step::Value { value, .. } => {
                let (old, new) = (one.values.get(value)?, two.values.get(value)?);
                if old == new && old.0 != Tag::Shared {
                    return None;
                }
                let values = (
                    MemberValue::of(old, one.shared),
                    MemberValue::of(new, two.shared),
                );
                Some((step, Some(values)))
            }
            _ => Some((step, None)),
        })
    }
}

impl<'a> ShapedMembers<'a> {
    fn at(self, position: FieldPosition) -> Option<MemberValue<'a>> {
        match position {
            FieldPosition::Value(at) => Some(MemberValue::of(self.values.get(at)?, self.shared)),
            FieldPosition::Object { from, end } => {
                let members = Self { from, end, ..self };
                Some(MemberValue::Object(Object(Members::Shaped(members))))
            }
        }
    }
}

impl<'a> Object<'a> {
    /// What is at a position of its shape.
    pub(super) fn at(&self, position: FieldPosition) -> Option<MemberValue<'a>> {
        match self.0 {
            Members::Shaped(members) => members.at(position),
            Members::Listed(_) => None,
        }
    }
}

/// Whether two values are the same: member order is nothing, numbers count by their exact value, an absent member is
/// not null.
impl PartialEq for MemberValue<'_> {
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Null, Self::Null) => true,
            (Self::Bool(one), Self::Bool(two)) => one == two,
            (Self::Number(one), Self::Number(two)) => is_same_number(one, two),
            (Self::Text(one), Self::Text(two)) => one == two,
            (Self::List(one), Self::List(two)) => one == two,
            (Self::Object(one), Self::Object(two)) => one == two,
            _ => false,
        }
    }
}

fn is_same_number(one: &str, two: &str) -> bool {
    let is_whole = |text: &str| {
        let digits = text.strip_prefix('-').unwrap_or(text);
        digits.bytes().all(|byte| byte.is_ascii_digit())
    };
    // JSON writes a whole number in one way, but for zero, unless it has an exponent.
    one == two
        || !(is_whole(one) && is_whole(two) && one != "-0" && two != "-0")
            && Decimal::parse(one) == Decimal::parse(two)
}

impl PartialEq for List<'_> {
    fn eq(&self, other: &Self) -> bool {
        self.values == other.values
            || self.len() == other.len()
                && self.iter().zip(other.iter()).all(|(one, two)| one == two)
    }
}

impl PartialEq for Object<'_> {
    fn eq(&self, other: &Self) -> bool {
        if let Some(both) = self.side_by_side(other) {
            return both.is_same();
        }
        let lookup = Lookup::of(*other);
        let mut members = 0;
        let all = self.iter().all(|(name, value)| {
            members += 1;
            lookup.get(name).is_some_and(|other| value == other)
        });
        all && members == other.len()
    }
}

/// The members of an object by name, so that many are found in O(1) each.
pub(super) enum Lookup<'a> {
    Few(Object<'a>),
    Many(hashbrown::HashMap<&'a str, MemberValue<'a>>),
}

impl<'a> Lookup<'a> {
    pub(super) fn of(object: Object<'a>) -> Self {
        match object.0 {
            Members::Listed(values) if values.len() > 32 => Self::Many(object.iter().collect()),
            _ => Self::Few(object),
        }
    }

    pub(super) fn get(&self, name: &str) -> Option<MemberValue<'a>> {
        match self {
            Self::Few(object) => object.get(name),
            Self::Many(members) => members.get(name).copied(),
        }
    }
}

impl PartialEq<str> for MemberValue<'_> {
    fn eq(&self, other: &str) -> bool {
        self.as_text() == Some(other)
    }
}

impl PartialEq<&str> for MemberValue<'_> {
    fn eq(&self, other: &&str) -> bool {
        self == *other
    }
}

impl PartialEq<i64> for MemberValue<'_> {
    fn eq(&self, other: &i64) -> bool {
        self.as_number()
            .is_some_and(|number| is_same_number(number, &other.to_string()))
    }
}

impl PartialEq<Json> for MemberValue<'_> {
    fn eq(&self, other: &Json) -> bool {
        match (self, other) {
            (Self::Null, Json::Null) => true,
            (Self::Bool(one), Json::Bool(two)) => one == two,
            (Self::Number(one), Json::Number(two)) => {
                Decimal::parse(one) == Decimal::parse(&two.to_string())
            }
            (Self::Text(one), Json::String(two)) => one == two,
            (Self::List(one), Json::Array(two)) => {
                one.len() == two.len() && one.iter().zip(two).all(|(one, two)| one == *two)
            }
            (Self::Object(one), Json::Object(two)) => {
                one.len() == two.len()
                    && one
                        .iter()
                        .all(|(name, value)| two.get(name).is_some_and(|other| value == *other))
            }
            _ => false,
        }
    }
}

/// As JSON text.
impl fmt::Display for MemberValue<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            // Whoever made it without a record may have made it of any text.
            Self::Number(text) => f.write_str(text),
            other => f.write_str(&serde_json::to_string(other).map_err(|_| fmt::Error)?),
        }
    }
}

/// As JSON text.
impl fmt::Display for Object<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        MemberValue::Object(*self).fmt(f)
    }
}

impl fmt::Debug for Object<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_map().entries(self.iter()).finish()
    }
}

impl fmt::Debug for List<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(self.iter()).finish()
    }
}
