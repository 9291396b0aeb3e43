//! Dynamic items.
