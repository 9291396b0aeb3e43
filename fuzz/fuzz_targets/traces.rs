//! Traces that an app recorded.

#![no_main]

use libfuzzer_sys::fuzz_target;
use usual_tide_cli::fuzzing::follow_trace;

fuzz_target!(|text: &str| {
    let _ = follow_trace(text);
});
