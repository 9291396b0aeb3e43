//! Change sets as JSON: written, read, as single steps, and as JSON Patch.

mod object;
mod patch;
mod problem;
mod read;
mod steps;
mod write;

pub use problem::{ChangesJsonError, ChangesJsonProblem};
