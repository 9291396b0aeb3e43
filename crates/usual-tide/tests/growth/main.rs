//! What operations cost as their surroundings grow: counted, not timed, so that a busy machine changes nothing.
//!
//! Counted are the bytes that are allocated and what is asked of keys. Each operation is done beside a few things and
//! beside many; what it costs then may have grown by a logarithm, not with their number.

#![allow(clippy::unwrap_used, clippy::print_stdout)]

mod beside;
#[cfg(feature = "record")]
mod records;

use beside::{ASKED, BESIDE, piece, store};
use stats_alloc::{INSTRUMENTED_SYSTEM, Region, StatsAlloc};
use std::alloc::System;
use std::sync::{Mutex, PoisonError};
use usual_tide::Place;

#[global_allocator]
static ALLOCATED: &StatsAlloc<System> = &INSTRUMENTED_SYSTEM;

/// Held by the test that runs: all of the process is counted.
static ALONE: Mutex<()> = Mutex::new(());

const FEW: u32 = 400;
const MANY: u32 = 6_400;

/// Costs may grow so much from few to many: 16 times as many, of which the logarithm is 1.5 times as large.
const GROWTH: f64 = 2.5;

/// Allocated words and questions to keys, for one of so many operations.
fn count(operations: u32, work: &mut dyn FnMut()) -> f64 {
    let region = Region::new(ALLOCATED);
    let before = ASKED.get();
    work();
    let change = region.change();
    // What a vector grows by is paid for by what was put into it before.
    let bytes = change.bytes_allocated as f64 - (change.bytes_reallocated as f64).max(0.0);
    (bytes / 8.0 + (ASKED.get() - before) as f64) / f64::from(operations)
}

#[test]
fn no_operation_costs_more_in_proportion_to_what_is_beside_it() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let mut too_much = Vec::new();
    for (name, operation) in BESIDE {
        // What is set up once is set up.
        operation(FEW, &count);
        let (few, many) = (operation(FEW, &count), operation(MANY, &count));
        println!("{name:70} {few:10.1} {many:10.1}");
        if many > GROWTH * few + 20.0 {
            too_much.push(format!(
                "{name}: {few:.1} beside {FEW}, {many:.1} beside {MANY}"
            ));
        }
    }
    assert!(too_much.is_empty(), "{}", too_much.join("\n"));
}

#[test]
fn no_addition_reads_the_keys_of_all_others() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    // The table of keys becomes too small twice.
    let mut store = store(7_000);
    let reads = (7_000..15_000).map(|id| {
        let before = ASKED.get();
        store.add(piece(id), Place::End).unwrap();
        ASKED.get() - before
    });
    let dearest = reads.max().unwrap();
    assert!(dearest < 64, "{dearest} keys were read");
}
