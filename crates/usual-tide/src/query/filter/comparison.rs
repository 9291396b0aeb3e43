//! How two values compare.

use crate::item::Accepts;
use std::cmp::Ordering;

/// How two values compare.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Comparison {
    Equal,
    NotEqual,
    Less,
    AtMost,
    Greater,
    AtLeast,
}

impl Comparison {
    pub(super) fn accepts(self) -> Accepts {
        match self {
            Self::Equal => Accepts::EQUAL,
            Self::NotEqual => Accepts::UNEQUAL,
            Self::Less => Accepts::LESS,
            Self::AtMost => Accepts::LESS.or(Accepts::EQUAL),
            Self::Greater => Accepts::GREATER,
            Self::AtLeast => Accepts::GREATER.or(Accepts::EQUAL),
        }
    }

    pub(super) fn holds(self, order: Ordering) -> bool {
        self.accepts().accepts(order)
    }
}
