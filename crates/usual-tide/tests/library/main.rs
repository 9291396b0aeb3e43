//! The library through its public interface, one file for each subject.
//!
//! One binary, since each takes a while to link.

#![allow(
    clippy::unwrap_used,
    clippy::expect_used,
    clippy::panic,
    unreachable_pub
)]

mod batches;
#[cfg(feature = "record")]
mod change_json;
#[cfg(all(feature = "locale", feature = "record"))]
mod collation;
mod derive;
mod documented;
mod drafts;
mod examples;
mod feeds;
mod fields;
mod filter_text;
mod filters;
mod foreign_types;
mod given_keys;
mod groups;
mod items;
#[cfg(feature = "uuid")]
mod keys;
mod minimal;
mod places;
mod queries_as_data;
#[cfg(feature = "record")]
mod record_lists;
#[cfg(feature = "record")]
mod record_values;
#[cfg(feature = "record")]
mod records;
mod removals;
mod rules;
mod search;
#[cfg(feature = "record")]
mod section_json;
mod selection;
mod shared;
mod sqlite;
mod typed_fields;
mod view_sinks;
mod writes;

/// How many random cases a test tries: `USUAL_TIDE_CASES` sets another number, for a long run.
fn cases(usually: u32) -> u32 {
    let asked = std::env::var("USUAL_TIDE_CASES").ok();
    asked
        .and_then(|cases| cases.parse().ok())
        .unwrap_or(usually)
}
