//! Why a view went out of step.

use usual_tide::record::RecordKey;

/// The likely cause. Lines are those of the trace.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Cause {
    /// The target of a move was taken as counted before the row was taken out.
    TargetBeforeLift,
    /// Positions were those of rows as they were at an older line.
    OlderVersion {
        /// That line.
        line: usize,
    },
    /// A change set was never put into effect.
    LeftOut {
        /// Its line.
        line: usize,
    },
    /// Rows changed, and no change set told of it.
    WithoutNotice,
    /// A key is there twice.
    DuplicateKey {
        /// The key.
        key: RecordKey,
    },
    /// Single steps were applied in another order than theirs.
    WrongOrder {
        /// In which.
        order: &'static str,
    },
    /// None of the known ones.
    Unknown,
}

impl Cause {
    /// A word for programs.
    pub(crate) fn name(&self) -> &'static str {
        match self {
            Self::TargetBeforeLift => "target-before-lift",
            Self::OlderVersion { .. } => "older-version",
            Self::LeftOut { .. } => "left-out",
            Self::WithoutNotice => "without-notice",
            Self::DuplicateKey { .. } => "duplicate-key",
            Self::WrongOrder { .. } => "wrong-order",
            Self::Unknown => "unknown",
        }
    }

    /// What happened, as far as the trace tells.
    pub(crate) fn text(&self) -> String {
        match self {
            Self::TargetBeforeLift => {
                "the target of a move was taken as counted before the row was lifted; it is where the row stands \
                 afterwards"
                    .to_owned()
            }
            Self::OlderVersion { line } => {
                format!("the positions were taken for those of the rows as they were at line {line}")
            }
            Self::LeftOut { line } => {
                format!("the change set of line {line} was never put into effect")
            }
            Self::WithoutNotice => "rows were changed, and no change set says so".to_owned(),
            Self::DuplicateKey { key } => format!("the key {key:?} is there twice"),
            Self::WrongOrder { order } => format!("the steps were applied in another order: {order}"),
            Self::Unknown => "none of the usual ones".to_owned(),
        }
    }

    /// What to do about it.
    pub(crate) fn remedy(&self) -> &'static str {
        match self {
            Self::TargetBeforeLift => {
                "take the row out first, then put it in at `to` as it is; a drag that reports the gap between rows \
                 is `Place::Gap`"
            }
            Self::OlderVersion { .. } => {
                "apply each change set before the next is read, and let a handler keep the key it was made for, or \
                 a position with its version, never a bare position"
            }
            Self::LeftOut { .. } => "apply every change set that the feed yields, in its order",
            Self::WithoutNotice => {
                "make every edit through the store, so that no list misses it; read the feed after it"
            }
            Self::DuplicateKey { .. } => {
                "make keys that cannot collide, never from a clock or from the text, and insert a row only where a \
                 change set says so"
            }
            Self::WrongOrder { .. } => {
                "apply the steps one by one in the order in which they come: each position holds at its own moment"
            }
            Self::Unknown => {
                "compare the rows that the view shows with the list's around this line"
            }
        }
    }
}
