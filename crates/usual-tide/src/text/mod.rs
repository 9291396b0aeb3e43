//! Text as people compare it.

mod collation;
mod column;
mod fold;
mod places;
mod starts;
mod words;

pub use collation::{CaseFirst, Collation, LocaleError};
pub(crate) use column::{ByteColumn, END, Full};
pub use fold::Folding;
pub(crate) use fold::{initial, searched};
#[cfg(feature = "suggestions")]
pub(crate) use starts::WordStarts;
pub(crate) use words::{Finders, Words};
