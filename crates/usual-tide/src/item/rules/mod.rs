//! What an item must hold to be accepted.

mod failed;
mod rule;

pub(crate) use failed::describe;
pub use failed::{BrokenRule, FailedField};
pub use rule::Rules;
