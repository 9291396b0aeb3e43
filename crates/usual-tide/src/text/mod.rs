//! Text as people compare it.

mod fold;
mod words;

pub use fold::Folding;
pub(crate) use fold::initial;
pub(crate) use words::Words;
