//! Sorts from text.

use super::lookup::{FieldLookup, OfType, nearest};
use super::sort::Sort;
use crate::item::{AnyField, Fields, Kind};
use crate::text::Collation;

/// Why a text is no sort.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("{text:?}, column {column}: {problem}")]
pub struct SortTextError {
    /// The whole text.
    pub text: String,
    /// Where the field begins that is wrong, in characters from 1.
    pub column: usize,
    /// What is wrong with it.
    pub problem: SortProblem,
}

/// What is wrong with a sort's text.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SortProblem {
    /// There is no name.
    #[error("a field name is missing")]
    NoName,
    /// No field has this name.
    #[error("there is no field {name:?}{}", .nearest.as_ref().map(|name| format!(": did you mean {name:?}?")).unwrap_or_default())]
    UnknownField {
        /// The name.
        name: String,
        /// The name that is most like it.
        nearest: Option<String>,
    },
}

impl<T: Fields> Sort<T> {
    /// Reads a sort by the fields of a type: names with commas between, a `-` before each that is to
    /// descend, a `+` before each that is to ascend. Without a sign it is the direction that is natural to the
    /// field: ascending, unless the field says otherwise. So it is with missing values, which come last.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Sort};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, title: String, height_mm: u32 }
    /// let query = Query::new().sort(Sort::<Piece>::parse("-height_mm, title")?);
    /// let typo = Sort::<Piece>::parse("-heigth_mm").unwrap_err();
    /// assert_eq!(
    ///     typo.to_string(),
    ///     "\"-heigth_mm\", column 2: there is no field \"heigth_mm\": did you mean \"height_mm\"?",
    /// );
    /// # Ok::<(), usual_tide::SortTextError>(())
    /// ```
    ///
    /// # Errors
    ///
    /// [`SortTextError`].
    pub fn parse(text: &str) -> Result<Self, SortTextError> {
        Self::parse_with(text, &OfType::new())
    }
}

impl<T: 'static> Sort<T> {
    /// The same by fields that are looked up elsewhere: in the `record::Schema` of some
    /// records, say.
    ///
    /// # Errors
    ///
    /// [`SortTextError`].
    pub fn parse_with(text: &str, fields: &impl FieldLookup<T>) -> Result<Self, SortTextError> {
        Self::read(text, fields, Self::by_field)
    }

    /// The same with fields that hold text in the order of a collation.
    ///
    /// # Errors
    ///
    /// [`SortTextError`].
    pub fn parse_collated(
        text: &str,
        fields: &impl FieldLookup<T>,
        collation: &Collation,
    ) -> Result<Self, SortTextError> {
        Self::read(text, fields, |field| match field.kind() {
            Kind::Text => Self::by_text(field, collation),
            _ => Self::by_field(field),
        })
    }

    fn read(
        text: &str,
        fields: &impl FieldLookup<T>,
        level: impl Fn(AnyField<T>) -> Self,
    ) -> Result<Self, SortTextError> {
        let mut whole: Option<Self> = None;
        let mut column = 1;
        for part in text.split(',') {
            let blanks = part.chars().take_while(|c| c.is_whitespace()).count();
            let trimmed = part.trim();
            let (descending, name) = match trimmed.split_at_checked(1) {
                Some(("-", name)) => (Some(true), name),
                Some(("+", name)) => (Some(false), name),
                _ => (None, trimmed),
            };
            let at = column + blanks + usize::from(descending.is_some());
            let refused = |problem| SortTextError {
                text: text.to_owned(),
                column: at,
                problem,
            };
            let name = name.trim();
            if name.is_empty() {
                return Err(refused(SortProblem::NoName));
            }
            let field = fields.field(name).ok_or_else(|| {
                refused(SortProblem::UnknownField {
                    name: name.to_owned(),
                    nearest: nearest(name, fields),
                })
            })?;
            let level = level(field);
            let level = match descending {
                Some(true) => level.descending(),
                Some(false) => level.ascending(),
                None => level,
            };
            whole = Some(match whole {
                Some(before) => before.then(level),
                None => level,
            });
            column += part.chars().count() + 1;
        }
        // `split` gives at least one part, and a part without a name was an error.
        whole.ok_or(SortTextError {
            text: text.to_owned(),
            column: 1,
            problem: SortProblem::NoName,
        })
    }
}
