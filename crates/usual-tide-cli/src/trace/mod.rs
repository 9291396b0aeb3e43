//! Traces: what a view showed and what change sets said, line by line; where the two part, and why.

mod cause;
mod follow;
mod read;
mod rows;
mod told;
mod wrong;

pub(crate) use follow::{Ended, Parting, follow};
