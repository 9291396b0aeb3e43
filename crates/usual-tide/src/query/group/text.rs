//! Groupings from text.

use super::Group;
#[cfg(feature = "calendar")]
use super::Period;
use crate::item::{Fields, Kind};
use crate::query::lookup::{FieldLookup, OfType, nearest};
use crate::query::names::name_in_quotes;
use crate::query::text_error::{QueryTextError, QueryTextProblem};
use crate::text::Collation;
#[cfg(feature = "decimals")]
use rust_decimal::Decimal;
use std::str::FromStr;

impl<T: Fields> Group<T> {
    /// Reads a grouping by a field of a type: its name, or the name, a colon, and `initial`, `day`, `week`,
    /// `month`, `quarter`, `year` or `width=N`; a `-` before it for descending. A name that would read otherwise is in
    /// double quotes, with `""` for a quote.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query};
    /// # use usual_tide_pieces::with_title_and_height::Piece;
    /// let query = Query::new().group(Group::<Piece>::parse("height_mm:width=50")?);
    /// let typo = Group::<Piece>::parse("title:inital").unwrap_err();
    /// assert_eq!(typo.column, 7);
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

impl<T: 'static> Group<T> {
    /// The same by a field that is looked up elsewhere: in the `record::Schema` of some records, say.
    ///
    /// # Errors
    ///
    /// [`QueryTextError`].
    pub fn parse_with(text: &str, fields: &impl FieldLookup<T>) -> Result<Self, QueryTextError> {
        Self::parse_collated(text, fields, &Collation::plain())
    }

    /// The same with initial letters as a locale has them, and text in its order.
    ///
    /// # Errors
    ///
    /// [`QueryTextError`].
    ///
    /// ```
    /// use usual_tide::{Group, Item};
    /// use usual_tide::text::Collation;
    /// # use usual_tide::{Fields, Sort, fields::AnyField, query::FieldLookup};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # struct Names;
    /// # impl FieldLookup<Piece> for Names {
    /// #     fn field(&self, name: &str) -> Option<AnyField<Piece>> { Piece::field_named(name) }
    /// #     fn names(&self) -> Vec<String> { vec!["id".into(), "title".into()] }
    /// # }
    /// // `Names` is a `FieldLookup`; for records it is their `Schema`.
    /// let collation = Collation::plain();
    /// let group = Group::parse_collated("title:initial", &Names, &collation)?;
    /// let sort = Sort::parse_collated("-title", &Names, &collation)?;
    /// assert_eq!(group.heading_of(&"b".into()), "b");
    /// # let _ = sort;
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn parse_collated(
        text: &str,
        fields: &impl FieldLookup<T>,
        collation: &Collation,
    ) -> Result<Self, QueryTextError> {
        let refused = |at: &str, problem: QueryTextProblem| {
            let before = &text[..at.as_ptr() as usize - text.as_ptr() as usize];
            problem.at(before.chars().count() + 1)
        };
        let whole = text.trim();
        let (descending, rest) = match whole.strip_prefix('-') {
            Some(rest) => (true, rest.trim_start()),
            None => (false, whole),
        };
        let known = |name: &str| fields.field(name);
        let (name, how) = match rest.rsplit_once(':') {
            _ if rest.starts_with('"') => {
                let closed = name_in_quotes(rest);
                let (name, after) =
                    closed.ok_or_else(|| refused(rest, QueryTextProblem::Unclosed("double")))?;
                let after = after.trim_start();
                let how = after.strip_prefix(':').map(str::trim);
                if how.is_none() && !after.is_empty() {
                    let expected = QueryTextProblem::Expected {
                        expected: "a colon".to_owned(),
                        found: format!("{after:?}"),
                    };
                    return Err(refused(after, expected));
                }
                (name, how)
            }
            // A colon can be a part of a name, too.
            Some((name, how)) if known(rest).is_none() => (name.trim().into(), Some(how.trim())),
            _ => (rest.into(), None),
        };
        if name.is_empty() {
            return Err(refused(rest, QueryTextProblem::NoName));
        }
        let name = &*name;
        let field = known(name).ok_or_else(|| {
            let problem = QueryTextProblem::UnknownField {
                name: name.to_owned(),
                nearest: nearest(name, fields),
            };
            refused(rest, problem)
        })?;
        let wrong_kind = |how: &str| {
            let kind = field.kind();
            match how {
                "day" | "week" | "month" | "quarter" | "year" => {
                    let fits = matches!(kind, Kind::Date | Kind::Timestamp);
                    (!fits).then_some("dates and timestamps")
                }
                _ => {
                    let is_width = |width: &str| width.trim().parse::<f64>().is_ok();
                    let fits = matches!(kind, Kind::Integer | Kind::Decimal | Kind::Float);
                    let asks = how.strip_prefix("width=").is_some_and(is_width);
                    (asks && !fits).then_some("numbers")
                }
            }
        };
        if field.kind() != Kind::Any
            && let Some(how) = how
            && let Some(for_what) = wrong_kind(how)
        {
            let problem = QueryTextProblem::WrongGrouping {
                name: name.to_owned(),
                kind: field.kind(),
                grouping: how.to_owned(),
                for_what,
            };
            return Err(refused(how, problem));
        }
        #[cfg(feature = "calendar")]
        let period = |period| Self::by_period(field.clone(), period);
        let group = match how {
            None => Self::by(field).collated(collation),
            Some("initial") => Self::by_initial_in(field, collation),
            #[cfg(feature = "calendar")]
            Some("day") => period(Period::Day),
            #[cfg(feature = "calendar")]
            Some("week") => period(Period::Week),
            #[cfg(feature = "calendar")]
            Some("month") => period(Period::Month),
            #[cfg(feature = "calendar")]
            Some("quarter") => period(Period::Quarter),
            #[cfg(feature = "calendar")]
            Some("year") => period(Period::Year),
            #[cfg(feature = "decimals")]
            Some(how) if how.starts_with("width=") => {
                let width = &how["width=".len()..];
                let bad = || refused(width, QueryTextProblem::BadWidth(width.to_owned()));
                let number: Decimal = width.trim().parse().map_err(|_| bad())?;
                Self::by_width(field, number).map_err(|_| bad())?
            }
            Some(how) => {
                let unknown = QueryTextProblem::UnknownGrouping(how.to_owned());
                return Err(refused(how, unknown));
            }
        };
        Ok(if descending {
            group.descending()
        } else {
            group
        })
    }
}

impl<T: Fields> FromStr for Group<T> {
    type Err = QueryTextError;

    fn from_str(text: &str) -> Result<Self, QueryTextError> {
        Self::parse(text)
    }
}
