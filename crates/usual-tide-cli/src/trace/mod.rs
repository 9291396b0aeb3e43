//! Traces: what a view showed and what change sets said, line by line; where the two part, and why.

mod cause;
mod changes;
mod follow;
mod misapplied;
mod read;
mod rows;

pub(crate) use follow::{Divergence, InStep, follow};
