//! Sorts from text.

use super::lookup::{FieldLookup, OfType, nearest};
use super::names::names_in;
use super::sort::Sort;
use super::text_error::{QueryTextError, QueryTextProblem};
use crate::item::{AnyField, Fields, Kind};
use crate::text::Collation;
use std::str::FromStr;

impl<T: Fields> Sort<T> {
    /// Reads a sort by the fields of a type: names with commas between ([`names_in`]), a `-` before each that is to
    /// descend, a `+` before each that is to ascend. Without a sign it is the direction that is natural to the
    /// field: ascending, unless the field says otherwise. So it is with missing values, which come last.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Sort};
    /// # use usual_tide_pieces::with_title_and_height::Piece;
    /// let query = Query::new().sort(Sort::<Piece>::parse("-height_mm, title")?);
    /// let typo = Sort::<Piece>::parse("-heigth_mm").unwrap_err();
    /// assert_eq!(
    ///     typo.to_string(),
    ///     "column 2: there is no field \"heigth_mm\": did you mean \"height_mm\"?",
    /// );
    /// # Ok::<(), usual_tide::query::QueryTextError>(())
    /// ```
    ///
    /// # Errors
    ///
    /// [`QueryTextError`].
    pub fn parse(text: &str) -> Result<Self, QueryTextError> {
        Self::parse_with(text, &OfType::new())
    }
}

impl<T: 'static> Sort<T> {
    /// The same by fields that are looked up elsewhere: in the `record::Schema` of some
    /// records, say.
    ///
    /// # Errors
    ///
    /// [`QueryTextError`].
    pub fn parse_with(text: &str, fields: &impl FieldLookup<T>) -> Result<Self, QueryTextError> {
        Self::read(text, fields, Self::by_field)
    }

    /// The same with fields that hold text in the order of a collation.
    ///
    /// # Errors
    ///
    /// [`QueryTextError`].
    pub fn parse_collated(
        text: &str,
        fields: &impl FieldLookup<T>,
        collation: &Collation,
    ) -> Result<Self, QueryTextError> {
        Self::read(text, fields, |field| match field.kind() {
            Kind::Text => Self::by_text(field, collation),
            _ => Self::by_field(field),
        })
    }

    fn read(
        text: &str,
        fields: &impl FieldLookup<T>,
        level: impl Fn(AnyField<T>) -> Self,
    ) -> Result<Self, QueryTextError> {
        let mut sorts = Vec::new();
        for part in names_in(text)? {
            let name = &*part.name;
            if !part.rest.is_empty() {
                let expected = QueryTextProblem::Expected {
                    expected: "a comma".to_owned(),
                    found: format!("{:?}", part.rest),
                };
                return Err(expected.at(part.column));
            }
            let field = fields.field(name).ok_or_else(|| {
                let problem = QueryTextProblem::UnknownField {
                    name: name.to_owned(),
                    nearest: nearest(name, fields),
                };
                problem.at(part.column)
            })?;
            let level = level(field);
            sorts.push(match part.sign {
                Some('-') => level.descending(),
                Some(_) => level.ascending(),
                None => level,
            });
        }
        Ok(Self::joined(&sorts))
    }
}

impl<T: Fields> FromStr for Sort<T> {
    type Err = QueryTextError;

    fn from_str(text: &str) -> Result<Self, QueryTextError> {
        Self::parse(text)
    }
}
