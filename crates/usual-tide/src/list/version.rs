//! Versions of a list.

/// How often a list had changed when something was read from it.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct Version(pub(super) u64);
