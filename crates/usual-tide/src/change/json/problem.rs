//! What can be wrong with a change set in JSON.

use crate::item::{KeyError, RecordKey};

/// Why JSON is no change set for some rows, and where in it that shows.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("at {}: {problem}", if .pointer.is_empty() { "the top" } else { .pointer })]
pub struct ChangesJsonError {
    /// The place in the JSON, as a JSON Pointer (RFC 6901): `/removed/2/at`.
    pub pointer: String,
    /// What is wrong there.
    pub problem: ChangesJsonProblem,
}

/// What is wrong with a change set in JSON.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ChangesJsonProblem {
    /// It is JSON of another kind.
    #[error("expected {expected}, found {found}")]
    Kind {
        /// What belongs there.
        expected: &'static str,
        /// What is there.
        found: &'static str,
    },
    /// A member is missing.
    #[error("the member {name:?} is missing")]
    Missing {
        /// Its name.
        name: &'static str,
    },
    /// A member does not belong to a change set.
    #[error("a change set has no member {name:?}")]
    Unknown {
        /// Its name.
        name: String,
    },
    /// It starts from another number of rows.
    #[error("the change set starts from {expected} rows, and there are {found}")]
    WrongLength {
        /// The rows that it starts from.
        expected: usize,
        /// The rows that there are.
        found: usize,
    },
    /// What leaves and arrives does not add up.
    #[error("{before} rows less {removed} removed and with {inserted} inserted are not {after}")]
    WrongSum {
        /// Rows before.
        before: usize,
        /// Rows removed.
        removed: usize,
        /// Rows inserted.
        inserted: usize,
        /// Rows that it says are there after.
        after: usize,
    },
    /// There is no such row.
    #[error("position {position} is out of range: there are {rows} rows, positions 0 to {}", .rows.saturating_sub(1))]
    OutOfRange {
        /// The position.
        position: usize,
        /// The rows there are.
        rows: usize,
    },
    /// The entries of an array are not in order.
    #[error("position {position} comes after {previous}: the entries of an array ascend")]
    NotAscending {
        /// The position.
        position: usize,
        /// The one before it.
        previous: usize,
    },
    /// The fields that are said to differ are others than those that do.
    #[error("the fields {found:?} are said to differ, and these do: {expected:?}")]
    WrongFields {
        /// Those that differ.
        expected: Vec<String>,
        /// Those that are said to.
        found: Vec<String>,
    },
    /// Rows are said to have another number that are new, moved, or have the same number.
    #[error("the row at {position} is said to have another number, and is new or moved")]
    WrongNumber {
        /// Its position after.
        position: usize,
    },
    /// A run of rows ends before it begins.
    #[error("a run from {start} to {end} has no row: its end is the position after its last row")]
    EmptyRun {
        /// Where it begins.
        start: usize,
        /// Where it ends.
        end: usize,
    },
    /// Two entries are about one row.
    #[error("position {position} is taken by an entry before this one")]
    TakenTwice {
        /// The position.
        position: usize,
    },
    /// A row is another than the one that is meant.
    #[error("expected {expected:?} at position {position}, and {found:?} is there")]
    WrongRow {
        /// Its position before.
        position: usize,
        /// The key that the change set names.
        expected: RecordKey,
        /// The key of the row.
        found: RecordKey,
    },
    /// A kept row ends elsewhere than it says.
    #[error("the row at {to} {}, not from position {expected}", .found.map_or("is new".to_owned(), |from| format!("comes from position {from}")))]
    WrongOrigin {
        /// Its position after.
        to: usize,
        /// Where it is said to come from.
        expected: usize,
        /// Where it comes from; `None` for a new row.
        found: Option<usize>,
    },
    /// An item has another key than its entry.
    #[error("the item's key is {found:?}, and the entry's is {expected:?}")]
    WrongItem {
        /// The entry's key.
        expected: RecordKey,
        /// The item's key.
        found: RecordKey,
    },
    /// A key would be there twice.
    #[error("the key {key:?} is there already")]
    DuplicateKey {
        /// The key.
        key: RecordKey,
    },
    /// A value is no key.
    #[error(transparent)]
    Key(#[from] KeyError),
    /// A value is no item.
    #[error("{0}")]
    Item(String),
}
