//! User code that panics leaves everything as it was.
