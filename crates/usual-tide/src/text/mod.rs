//! Text as people compare it.

mod fold;

pub use fold::Folding;
