//! The full-screen list without a terminal.
