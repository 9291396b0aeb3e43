//! Change sets as JSON: written, read, as single steps, and as JSON Patch.

mod object;
mod patch;
mod read;
mod steps;
mod write;

pub use read::{ChangesJsonError, ChangesJsonProblem};
