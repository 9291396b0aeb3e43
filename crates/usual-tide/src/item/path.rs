//! Names of fields.

use std::borrow::Cow;
use std::fmt;

/// Where a field is in an item, as a JSON Pointer (RFC 6901): `/title`, `/fee/amount`.
///
/// ```
/// use usual_tide::fields::FieldPath;
///
/// let path = FieldPath::new("/fee/amount");
/// assert_eq!(path.as_pointer(), "/fee/amount");
/// assert_eq!(path.to_string(), "fee.amount");
/// ```
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct FieldPath(Cow<'static, str>);

impl FieldPath {
    /// The path with this pointer text, which is taken as it is.
    pub fn new(pointer: impl Into<Cow<'static, str>>) -> Self {
        Self(pointer.into())
    }

    /// The path of the member with a name, whatever characters it has.
    ///
    /// ```
    /// use usual_tide::fields::FieldPath;
    ///
    /// assert_eq!(FieldPath::of_member("km/h").as_pointer(), "/km~1h");
    /// ```
    pub fn of_member(name: &str) -> Self {
        Self::of_members([name])
    }

    /// The path through members with these names, from the outermost on.
    ///
    /// ```
    /// use usual_tide::fields::FieldPath;
    ///
    /// let path = FieldPath::of_members(["fee", "km/h"]);
    /// assert_eq!(path.as_pointer(), "/fee/km~1h");
    /// assert_eq!(path.members().collect::<Vec<_>>(), ["fee", "km/h"]);
    /// ```
    pub fn of_members<N: AsRef<str>>(names: impl IntoIterator<Item = N>) -> Self {
        let members = names
            .into_iter()
            .map(|name| format!("/{}", escape(name.as_ref())));
        Self::new(members.collect::<String>())
    }

    /// The path that a dotted name means where no member has a dot in its own name.
    pub(crate) fn of_name(name: &str) -> Self {
        Self::of_members(name.split('.'))
    }

    /// The names of the members on the way, from the outermost on. A path that is no pointer is one member.
    pub fn members(&self) -> impl Iterator<Item = String> {
        let members = self.0.strip_prefix('/').unwrap_or(&self.0).split('/');
        members.map(|member| unescape(member).unwrap_or_else(|| member.to_owned()))
    }

    /// The same path from one level further out.
    ///
    /// ```
    /// use usual_tide::fields::FieldPath;
    ///
    /// assert_eq!(FieldPath::new("/amount").under("/fee").as_pointer(), "/fee/amount");
    /// ```
    pub fn under(&self, outer: &str) -> Self {
        Self::new(format!("{outer}{}", self.0))
    }

    /// Whether the two are the same field, or one is a part of the other.
    ///
    /// ```
    /// use usual_tide::fields::FieldPath;
    ///
    /// assert!(FieldPath::new("/fee").overlaps(&FieldPath::new("/fee/amount")));
    /// assert!(!FieldPath::new("/fee").overlaps(&FieldPath::new("/feet")));
    /// ```
    pub fn overlaps(&self, other: &Self) -> bool {
        let (short, long) = if self.0.len() <= other.0.len() {
            (&self.0, &other.0)
        } else {
            (&other.0, &self.0)
        };
        long.strip_prefix(&**short)
            .is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
    }

    /// The pointer text.
    pub fn as_pointer(&self) -> &str {
        &self.0
    }
}

/// As a name with dots, as forms and messages show it; as a [pointer](FieldPath::as_pointer) where what is in a member's own name
/// would read otherwise.
///
/// ```
/// use usual_tide::fields::FieldPath;
///
/// let shown = ["/fee/amount", "/km~1h", "/fee/km~1h", "/a.b"].map(|pointer| FieldPath::new(pointer).to_string());
/// assert_eq!(shown, ["fee.amount", "km/h", "/fee/km~1h", "/a.b"]);
/// ```
impl fmt::Display for FieldPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let members: Vec<String> = self.members().collect();
        let plain = |name: &String| !name.is_empty() && !name.contains(['.', '/', '~']);
        match &*members {
            [one] if !one.is_empty() && !one.starts_with('/') && !one.contains('.') => {
                f.write_str(one)
            }
            way if way.iter().all(plain) => f.write_str(&way.join(".")),
            _ => f.write_str(&self.0),
        }
    }
}

/// A member's name as a part of a pointer (RFC 6901, section 3).
pub(crate) fn escape(name: &str) -> String {
    name.replace('~', "~0").replace('/', "~1")
}

/// The name that a part of a pointer means; `None` where a `~` is followed by something else than 0 or 1.
pub(crate) fn unescape(step: &str) -> Option<String> {
    let mut parts = step.split('~');
    let mut text = parts.next()?.to_owned();
    for part in parts {
        let (escaped, rest) = match part.split_at_checked(1)? {
            ("0", rest) => ('~', rest),
            ("1", rest) => ('/', rest),
            _ => return None,
        };
        text.push(escaped);
        text.push_str(rest);
    }
    Some(text)
}
