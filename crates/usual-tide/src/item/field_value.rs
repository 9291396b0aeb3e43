//! Types that a field can have.

use super::choice::Choice;
use super::input::InputError;
use super::tester::{self, Accepts, Tester};
use super::value::{Kind, Value};
use std::cmp::Ordering;

/// A type that a field can have: read as a typed [`Value`], shown as text, written back from a value or
/// from what a person typed.
///
/// It is there for text, numbers, flags, dates (`jiff::civil::Date`), timestamps (`jiff::Timestamp`, `std::time::SystemTime`),
/// decimals (`rust_decimal::Decimal`), and for `Option`, `Vec` and arrays of these. A type of another crate needs none of it:
/// `#[item(text)]` and `#[item(through = Type)]` say how a field of such a type is read. For a type of your own write it:
///
/// ```
/// use usual_tide::FieldValue;
/// use usual_tide::fields::{InputError, Kind, Value};
///
/// #[derive(Clone, PartialEq)]
/// enum Firing { Bisque, Glaze }
///
/// impl FieldValue for Firing {
///     const KIND: Kind = Kind::Text;
///
///     fn value(&self) -> Value<'_> {
///         Value::from(match self { Self::Bisque => "bisque", Self::Glaze => "glaze" })
///     }
///
///     fn from_value(value: Value<'_>) -> Result<Self, InputError> {
///         match value.as_text() {
///             Some("bisque") => Ok(Self::Bisque),
///             Some("glaze") => Ok(Self::Glaze),
///             _ => Err(InputError::Other("a firing is bisque or glaze".into())),
///         }
///     }
/// }
/// assert!(Firing::read("glaze")? == Firing::Glaze);
/// assert!(Firing::read("salt").is_err());
/// # Ok::<(), InputError>(())
/// ```
///
/// ```
/// # use usual_tide::FieldValue;
/// # use usual_tide::fields::Value;
/// use std::cmp::Ordering;
///
/// // Numbers of different types compare by their value; a number and a text do not compare.
/// assert_eq!(95_u32.compare_to(&Value::from(100)), Some(Ordering::Less));
/// assert_eq!(95_u32.equals(&Value::from("95")), None);
/// let owned: Value<'static> = String::from("Bowl").value().into_owned();
/// assert_eq!(owned.as_text(), Some("Bowl"));
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` cannot be the type of a field",
    label = "no `FieldValue`",
    note = "implement `FieldValue` for a type of your own; mark the field `#[item(nested)]` when its type derives \
            `Fields`, `#[item(text)]` when it has `Display` and `FromStr`, `#[item(through = Type)]` to have it read \
            and written as another type, or `#[item(skip)]` to keep it out of filters, rules and forms"
)]
pub trait FieldValue: Clone + Send + Sync + 'static {
    /// The kind of value it is when it is not missing.
    const KIND: Kind;

    /// The value, borrowed where it can be.
    fn value(&self) -> Value<'_>;

    /// The type from a value.
    ///
    /// # Errors
    ///
    /// [`InputError`] when it is of another kind or out of range.
    fn from_value(value: Value<'_>) -> Result<Self, InputError>;

    /// The choices that there are, where the type is one of several.
    fn choices() -> &'static [Choice] {
        &[]
    }

    /// Compares with a value, as [`Value::compare`] does; meant to be overridden where that can be done
    /// without making a value of it.
    fn compare_to(&self, value: &Value<'_>) -> Option<Ordering> {
        self.value().compare(value)
    }

    /// Whether it equals a value; `None` where the two cannot be compared.
    fn equals(&self, value: &Value<'_>) -> Option<bool> {
        self.compare_to(value).map(Ordering::is_eq)
    }

    /// A test of such a field, for conditions. Nobody need write one.
    #[doc(hidden)]
    fn tester<T: 'static>(
        get: fn(&T) -> &Self,
        accepts: Accepts,
        value: Value<'static>,
    ) -> Tester<T> {
        tester::any(get, accepts, value)
    }

    /// The text that a view shows.
    fn shown(&self) -> String {
        self.value().to_string()
    }

    /// The text that a form begins with, which [`read`](Self::read) must understand.
    fn typed(&self) -> String {
        self.value().to_string()
    }

    /// The type from what a person typed.
    ///
    /// # Errors
    ///
    /// [`InputError`] with a text for the form.
    fn read(text: &str) -> Result<Self, InputError> {
        Self::from_value(Self::KIND.read(text)?)
    }
}
