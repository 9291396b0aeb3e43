//! Comma-separated values (RFC 4180).
//!
//! A value that is not in quotes is a number or a flag where all such values of its column are, else text; an
//! empty one is null. A value in quotes is text. Where the name of a column is in quotes without need, its values
//! are too, and quotes say nothing. What is written is read back as it was, or refused.

mod layout;
mod quotes;
mod read;
mod write;

pub use layout::CsvLayout;
pub(super) use read::parse;
pub use write::NotStorable;
pub(super) use write::{write, write_table};
