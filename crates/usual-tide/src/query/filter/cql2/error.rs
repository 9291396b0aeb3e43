//! What is wrong with a filter's text, and where.

use crate::item::Kind;

/// Why a text is no filter, or none of these items: what is wrong, and at which column.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("column {column}: {problem}")]
pub struct FilterTextError {
    /// The column, counted in characters from 1.
    pub column: usize,
    /// What is wrong there.
    pub problem: FilterProblem,
}

/// What is wrong with a filter's text.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum FilterProblem {
    /// Something else was expected here.
    #[error("expected {expected}, found {found}")]
    Expected {
        /// What could stand here.
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
    /// A date or a timestamp that there is none such.
    #[error("{given:?} is not {expected}")]
    BadMoment {
        /// What it should be.
        expected: Kind,
        /// The text in quotes.
        given: String,
    },
    /// A value stands where a condition should.
    #[error("{found} is a value, not a condition: {advice}")]
    NotACondition {
        /// The value.
        found: String,
        /// What to write.
        advice: String,
    },
    /// A condition stands where a value should.
    #[error(
        "a condition stands where a value is expected: conditions do not chain, join them with AND or OR"
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
    /// Brackets and functions stand too deep in each other.
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
}

fn meant(name: &Option<String>) -> String {
    name.as_ref()
        .map(|name| format!(": did you mean {name:?}?"))
        .unwrap_or_default()
}

impl FilterProblem {
    pub(super) fn at(self, column: usize) -> FilterTextError {
        FilterTextError {
            column,
            problem: self,
        }
    }
}
