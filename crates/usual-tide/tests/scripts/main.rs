//! Random scripts of edits against a plain model, through the public interface.
//!
//! This runs twice: as a test of its own with nodes of the size that users have, and inside the crate
//! with nodes of four.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod apart;
mod checks;
mod contradictions;
mod dragged;
mod given_keys;
mod grouped;
mod held;
mod many_feeds;
mod many_rows;
mod model;
mod orders;

mod panics;
mod prepared;
mod refiltered;
mod returning_keys;
mod rules;
mod same_keys;
mod script;
mod searched;
mod undo;
mod watched;

/// How many scripts are tried: `USUAL_TIDE_CASES` sets another number, for a long run.
fn cases(usually: u32) -> u32 {
    let asked = std::env::var("USUAL_TIDE_CASES").ok();
    asked
        .and_then(|cases| cases.parse().ok())
        .unwrap_or(usually)
}
