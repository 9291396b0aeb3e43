//! Filters as text: CQL2 (OGC 21-065r2).

mod ast;
mod check;
mod grammar;
mod lexer;
mod written;

pub(super) use ast::Sign;

use super::condition::Condition;
use crate::item::Fields;
use crate::query::lookup::{FieldLookup, OfType};
use crate::query::text_error::QueryTextError;
use std::fmt;
use std::str::FromStr;

/// A filter as text, in the Common Query Language CQL2 (OGC 21-065r2).
///
/// Offered are the classes Basic CQL2, Advanced Comparison, Case-insensitive, Accent-insensitive,
/// Arithmetic and Property-Property: comparisons, `AND`, `OR`, `NOT`, `LIKE`, `BETWEEN`, `IN`, `IS NULL`,
/// `CASEI(...)`, `ACCENTI(...)`, `+ - * / % div ^`, `DATE('...')` and `TIMESTAMP('...')`. A missing field and
/// null are the same; what a missing value leaves unknown is not selected. Printed, it is text that parses
/// to the same.
///
/// ```
/// use usual_tide::{Item, Query};
/// use usual_tide::query::FilterText;
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, title: String, height_mm: u32, fired: bool }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let text: FilterText = "fired = FALSE and CASEI(title) LIKE CASEI('%BOWL%')".parse()?;
/// assert_eq!(text.to_string(), "fired = FALSE AND CASEI(title) LIKE CASEI('%BOWL%')");
/// let query = Query::new().filter(text.check::<Piece>()?);
/// # let _: Query<Piece> = query;
///
/// let typo: FilterText = "heigth_mm > 100".parse()?;
/// let refused = typo.check::<Piece>().unwrap_err();
/// assert_eq!(refused.to_string(), "column 1: there is no field \"heigth_mm\": did you mean \"height_mm\"?");
/// # Ok(()) }
/// ```
///
/// Extensions: the bounds of `BETWEEN` can be text and dates; a date is compared with a timestamp by the
/// timestamp's day in UTC.
#[derive(Clone, PartialEq, Debug)]
pub struct FilterText(ast::Test);

impl FilterText {
    /// The condition that the text is for items of a type, by the fields of the type.
    ///
    /// # Errors
    ///
    /// [`QueryTextError`]: an unknown field, or kinds that cannot be compared.
    pub fn check<T: Fields>(&self) -> Result<Condition<T>, QueryTextError> {
        check::check(&self.0, &OfType::new())
    }

    /// The condition that the text is, by fields that are looked up elsewhere: in the
    /// `record::Schema` of some records, say.
    ///
    /// # Errors
    ///
    /// Those of [`check`](Self::check).
    pub fn check_with<T: 'static>(
        &self,
        fields: &impl FieldLookup<T>,
    ) -> Result<Condition<T>, QueryTextError> {
        check::check(&self.0, fields)
    }
}

impl<T: Fields> Condition<T> {
    /// Reads a condition from CQL2 text by the fields of a type: [`FilterText`] says what it can be.
    ///
    /// ```
    /// use usual_tide::{Condition, Item, Query};
    /// # use usual_tide_pieces::with_height::Piece;
    /// let query = Query::new().filter(Condition::<Piece>::parse("height_mm > 100")?);
    /// let typo = Condition::<Piece>::parse("heigth_mm > 100").unwrap_err();
    /// assert_eq!(typo.to_string(), "column 1: there is no field \"heigth_mm\": did you mean \"height_mm\"?");
    /// # let _ = query;
    /// # Ok::<(), usual_tide::query::QueryTextError>(())
    /// ```
    ///
    /// # Errors
    ///
    /// [`QueryTextError`].
    pub fn parse(text: &str) -> Result<Self, QueryTextError> {
        text.parse::<FilterText>()?.check()
    }
}

impl<T: 'static> Condition<T> {
    /// The same by fields that are looked up elsewhere: in the `record::Schema` of some records, say.
    ///
    /// # Errors
    ///
    /// [`QueryTextError`].
    pub fn parse_with(text: &str, fields: &impl FieldLookup<T>) -> Result<Self, QueryTextError> {
        text.parse::<FilterText>()?.check_with(fields)
    }
}

impl<T: Fields> FromStr for Condition<T> {
    type Err = QueryTextError;

    fn from_str(text: &str) -> Result<Self, QueryTextError> {
        Self::parse(text)
    }
}

impl FromStr for FilterText {
    type Err = QueryTextError;

    fn from_str(text: &str) -> Result<Self, QueryTextError> {
        grammar::parse(text).map(Self)
    }
}

impl fmt::Display for FilterText {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.fmt(f)
    }
}

impl<T> Condition<T> {
    /// The condition as CQL2 text that parses to the same ([`parse`](Self::parse)): for settings. `None` where it says
    /// more than the text can: closures, and lists as values.
    ///
    /// ```
    /// use usual_tide::{Condition, Item};
    /// # use usual_tide_pieces::with_title_and_height::Piece;
    /// let tall = Piece::HEIGHT_MM.at_least(200).and(!Piece::TITLE.like("%lid"));
    /// let text = tall.text().ok_or("no text")?;
    /// assert_eq!(text, "height_mm >= 200 AND NOT title LIKE '%lid'");
    /// assert_eq!(Condition::<Piece>::parse(&text)?, tall);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn text(&self) -> Option<String> {
        Some(written::test(self.node())?.to_string())
    }
}
