//! Edit scripts: each edit is done or refused as a whole, and the store stays sound.

#![no_main]

use libfuzzer_sys::fuzz_target;
use usual_tide_cli::fuzzing::run_script;
use usual_tide_fuzz::{key, pieces};

fuzz_target!(|text: &str| {
    let _ = run_script(pieces(12), &key(), text);
});
