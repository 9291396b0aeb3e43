//! Text as people compare it.

mod column;
mod fold;
mod words;

pub(crate) use column::{ByteColumn, END};
pub use fold::Folding;
pub(crate) use fold::{initial, searched};
pub(crate) use words::{Finders, Words};
