//! What is wrong with the text of a query, and where.

use crate::item::Kind;

/// Why a text is no filter, sort or grouping, or none for these items: what is wrong, and at which column.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("column {column}: {problem}")]
pub struct QueryTextError {
    /// The column, counted in characters from 1.
    pub column: usize,
    /// What is wrong there.
    pub problem: QueryTextProblem,
}

/// What is wrong with the text of a filter, a sort or a grouping.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum QueryTextProblem {
    /// Something else was expected here.
    #[error("expected {expected}, found {found}")]
    Expected {
        /// What could be here.
        expected: String,
        /// What does.
        found: String,
    },
    /// A quote is not closed.
    #[error("the {0} quote that opens here is not closed")]
    Unclosed(&'static str),
    /// A character that nothing begins with.
    #[error("{0:?} has no meaning in a filter")]
    Stray(char),
    /// A number that cannot be read.
    #[error("{0:?} is not a number")]
    BadNumber(String),
    /// There is no such date or timestamp.
    #[error("{given:?} is not {expected}")]
    BadMoment {
        /// What it should be.
        expected: Kind,
        /// The text in quotes.
        given: String,
    },
    /// There is a value where a condition should be.
    #[error("{found} is a value, not a condition: {advice}")]
    NotACondition {
        /// The value.
        found: String,
        /// What to write.
        advice: String,
    },
    /// There is a condition where a value should be.
    #[error(
        "there is a condition where a value is expected: conditions do not chain, join them with AND or OR"
    )]
    NotAValue,
    /// A part of CQL2 that is not offered, or no part of it.
    #[error("{what}: {advice}")]
    Unsupported {
        /// What was found.
        what: String,
        /// What to write instead.
        advice: String,
    },
    /// Brackets and functions are nested too deeply.
    #[error("nested more than {0} deep")]
    TooDeep(usize),
    /// No field has this name.
    #[error("there is no field {name:?}{}", meant(.nearest))]
    UnknownField {
        /// The name.
        name: String,
        /// The name that is most like it.
        nearest: Option<String>,
    },
    /// Two kinds of values that cannot be compared.
    #[error("{left} cannot be compared with {right}")]
    CannotCompare {
        /// The kind on the left.
        left: Kind,
        /// The kind on the right.
        right: Kind,
    },
    /// A value of another kind is needed here.
    #[error("{needed} is needed here, and this is {found}")]
    WrongKind {
        /// What is needed.
        needed: Kind,
        /// What it is.
        found: Kind,
    },
    /// A field's name is missing.
    #[error("a field name is missing")]
    NoName,
    /// There is no such kind of grouping (the part after the colon).
    #[error("{0:?} is no grouping: there are initial, day, week, month, quarter, year and width=N")]
    UnknownGrouping(String),
    /// The field holds values of a kind that this grouping is not for: there would be no sections.
    #[error("{name:?} holds {kind}, and {grouping} is for {for_what}")]
    WrongGrouping {
        /// The field.
        name: String,
        /// What it holds.
        kind: Kind,
        /// The grouping.
        grouping: String,
        /// What that is for.
        for_what: &'static str,
    },
    /// The width of a grouping is no number above zero.
    #[error("{0:?} is no width: a number above zero is, as in width=50")]
    BadWidth(String),
}

fn meant(name: &Option<String>) -> String {
    name.as_ref()
        .map(|name| format!(": did you mean {name:?}?"))
        .unwrap_or_default()
}

impl QueryTextProblem {
    pub(crate) fn at(self, column: usize) -> QueryTextError {
        QueryTextError {
            column,
            problem: self,
        }
    }
}
