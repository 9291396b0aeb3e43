//! The command as a process: what it prints, writes, serves and refuses.
//!
//! One binary, since each takes a while to link.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

#[cfg(unix)]
mod browse;
mod compare;
mod foreign;
mod formats;
mod hostile;
mod http;
mod lists;
mod openapi;
mod options;
mod outputs;
mod page;
mod pages;
mod scripts;
mod served;
mod serving;
mod support;
mod web;

/// How many random cases a test tries: `USUAL_TIDE_CASES` sets another number, for a long run.
fn cases(usually: u32) -> u32 {
    let asked = std::env::var("USUAL_TIDE_CASES").ok();
    asked
        .and_then(|cases| cases.parse().ok())
        .unwrap_or(usually)
}
