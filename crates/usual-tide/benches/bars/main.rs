//! What the library's operations cost, each as a ratio to a floor that is timed in the same run,
//! interleaved with it.
//!
//! `cargo bench -p usual-tide --features probe` runs all; `-- 100000` runs one size, and `-- edit` those whose
//! name has the word. Prints a table as Markdown.

#![allow(clippy::unwrap_used, clippy::print_stdout, missing_docs)]

mod conditions;
mod edits;
mod floor;
mod growth;
mod lists;
mod records;
mod reloads;
mod requeries;
mod row;
mod searches;
mod sections;
mod timing;
mod tree;

use timing::Report;

fn main() {
    let words: Vec<String> = std::env::args()
        .skip(1)
        .filter(|a| !a.starts_with("--"))
        .collect();
    let mut sizes: Vec<usize> = words.iter().filter_map(|word| word.parse().ok()).collect();
    if sizes.is_empty() {
        sizes = vec![10_000, 100_000, 1_000_000];
    }
    let names: Vec<String> = words
        .into_iter()
        .filter(|word| word.parse::<usize>().is_err())
        .collect();
    let mut report = Report::new(names);
    for rows in sizes {
        tree::measure(rows, &mut report);
        edits::measure(rows, &mut report);
        reloads::measure(rows, &mut report);
        lists::measure(rows, &mut report);
        conditions::measure(rows, &mut report);
        searches::measure(rows, &mut report);
        sections::measure(rows, &mut report);
        requeries::measure(rows, &mut report);
        growth::measure(rows, &mut report);
        records::measure(rows, &mut report);
    }
    report.growth("edit that moves a row, feed read");
}
