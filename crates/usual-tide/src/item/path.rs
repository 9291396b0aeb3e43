//! Names of fields.

use std::borrow::Cow;
use std::fmt;

/// Where a field stands in an item, as a JSON Pointer (RFC 6901): `/title`, `/fee/amount`.
///
/// ```
/// use usual_tide::FieldPath;
///
/// let path = FieldPath::new("/fee/amount");
/// assert_eq!(path.as_str(), "/fee/amount");
/// assert_eq!(path.to_string(), "/fee/amount");
/// ```
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct FieldPath(Cow<'static, str>);

impl FieldPath {
    /// The path with this pointer text, which is taken as it is.
    pub fn new(pointer: impl Into<Cow<'static, str>>) -> Self {
        Self(pointer.into())
    }

    /// The pointer text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for FieldPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}
