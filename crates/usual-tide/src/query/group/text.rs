//! Groupings from text.

use super::{Group, Period};
use crate::item::{Fields, Kind};
use crate::query::lookup::{FieldLookup, OfType, nearest};
use crate::text::Collation;
use rust_decimal::Decimal;

/// Why a text is no grouping.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("{text:?}, column {column}: {problem}")]
pub struct GroupTextError {
    /// The whole text.
    pub text: String,
    /// Where that begins which is wrong, in characters from 1.
    pub column: usize,
    /// What is wrong with it.
    pub problem: GroupProblem,
}

/// What is wrong with a grouping's text.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum GroupProblem {
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
    /// Behind the colon stands what is no way to group.
    #[error(
        "{0:?} is no way to group: there are initial, day, week, month, quarter, year and step=N"
    )]
    UnknownWay(String),
    /// The field holds values of a kind that this way to group is not for: there would be no sections.
    #[error("{name:?} holds {kind}, and {way} is for {for_what}")]
    WrongKind {
        /// The field.
        name: String,
        /// What it holds.
        kind: Kind,
        /// The way to group.
        way: String,
        /// What that is for.
        for_what: &'static str,
    },
    /// The step is no number above zero.
    #[error("{0:?} is no step: a number above zero is, as in step=50")]
    BadStep(String),
}

impl<T: Fields> Group<T> {
    /// Reads a grouping by a field of a type: its name, or the name, a colon, and `initial`, `day`, `week`,
    /// `month`, `quarter`, `year` or `step=N`; a `-` before it for descending.
    ///
    /// ```
    /// use usual_tide::{Group, Item, Query};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, title: String, height_mm: u32 }
    /// let query = Query::new().group(Group::<Piece>::parse("height_mm:step=50")?);
    /// let typo = Group::<Piece>::parse("title:inital").unwrap_err();
    /// assert_eq!(typo.column, 7);
    /// # Ok::<(), usual_tide::GroupTextError>(())
    /// ```
    ///
    /// # Errors
    ///
    /// [`GroupTextError`].
    pub fn parse(text: &str) -> Result<Self, GroupTextError> {
        Self::parse_with(text, &OfType::new())
    }
}

impl<T: 'static> Group<T> {
    /// The same by a field that is looked up elsewhere: in the `record::Schema` of some records, say.
    ///
    /// # Errors
    ///
    /// [`GroupTextError`].
    pub fn parse_with(text: &str, fields: &impl FieldLookup<T>) -> Result<Self, GroupTextError> {
        Self::parse_collated(text, fields, &Collation::plain())
    }

    /// The same with initial letters as a locale has them, and text in its order.
    ///
    /// # Errors
    ///
    /// [`GroupTextError`].
    pub fn parse_collated(
        text: &str,
        fields: &impl FieldLookup<T>,
        collation: &Collation,
    ) -> Result<Self, GroupTextError> {
        let refused = |at: &str, problem| GroupTextError {
            text: text.to_owned(),
            column: text[..at.as_ptr() as usize - text.as_ptr() as usize]
                .chars()
                .count()
                + 1,
            problem,
        };
        let whole = text.trim();
        let (descending, rest) = match whole.strip_prefix('-') {
            Some(rest) => (true, rest.trim_start()),
            None => (false, whole),
        };
        let known = |name: &str| fields.field(name);
        // A colon can be a part of a name, too.
        let (name, way) = match rest.rsplit_once(':') {
            Some((name, way)) if known(rest).is_none() => (name.trim(), Some(way.trim())),
            _ => (rest, None),
        };
        if name.is_empty() {
            return Err(refused(name, GroupProblem::NoName));
        }
        let field = known(name).ok_or_else(|| {
            let nearest = nearest(name, fields);
            let name_given = name.to_owned();
            refused(
                name,
                GroupProblem::UnknownField {
                    name: name_given,
                    nearest,
                },
            )
        })?;
        let wrong_kind = |way: &str| {
            let kind = field.kind();
            match way {
                "day" | "week" | "month" | "quarter" | "year" => {
                    let fits = matches!(kind, Kind::Date | Kind::Timestamp);
                    (!fits).then_some("dates and timestamps")
                }
                _ => {
                    let is_step = |step: &str| step.trim().parse::<Decimal>().is_ok();
                    let fits = matches!(kind, Kind::Integer | Kind::Decimal | Kind::Float);
                    let asks = way.strip_prefix("step=").is_some_and(is_step);
                    (asks && !fits).then_some("numbers")
                }
            }
        };
        if field.kind() != Kind::Any
            && let Some(way) = way
            && let Some(for_what) = wrong_kind(way)
        {
            let problem = GroupProblem::WrongKind {
                name: name.to_owned(),
                kind: field.kind(),
                way: way.to_owned(),
                for_what,
            };
            return Err(refused(way, problem));
        }
        let period = |period| Self::by_period(field.clone(), period);
        let group = match way {
            None => Self::by(field).collated(collation),
            Some("initial") => Self::by_initial_in(field, collation),
            Some("day") => period(Period::Day),
            Some("week") => period(Period::Week),
            Some("month") => period(Period::Month),
            Some("quarter") => period(Period::Quarter),
            Some("year") => period(Period::Year),
            Some(way) => {
                let Some(step) = way.strip_prefix("step=") else {
                    return Err(refused(way, GroupProblem::UnknownWay(way.to_owned())));
                };
                let bad = || refused(step, GroupProblem::BadStep(step.to_owned()));
                let number: Decimal = step.trim().parse().map_err(|_| bad())?;
                Self::by_step(field, number).map_err(|_| bad())?
            }
        };
        Ok(if descending {
            group.descending()
        } else {
            group
        })
    }
}
