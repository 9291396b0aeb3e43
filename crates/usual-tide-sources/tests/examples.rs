//! The examples run and say what they are meant to say.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use std::env::consts::EXE_SUFFIX;
use std::path::Path;
use std::process::Command;

/// What an example says, beside what is written beside it.
#[track_caller]
fn says(name: &str) {
    let test = std::env::current_exe().unwrap();
    let folder = test.parent().and_then(Path::parent).unwrap();
    let output = Command::new(folder.join(format!("examples/{name}{EXE_SUFFIX}")))
        .output()
        .unwrap();
    assert!(output.status.success(), "{output:?}");
    let written = Path::new(env!("CARGO_MANIFEST_DIR")).join("examples/output");
    let written = std::fs::read_to_string(written.join(format!("{name}.txt"))).unwrap();
    assert_eq!(String::from_utf8_lossy(&output.stdout), written);
}

#[test]
fn two_views_follow_a_source_of_ones_own() {
    says("own_source");
}

#[cfg(feature = "sqlite")]
#[test]
fn two_processes_edit_one_queue() {
    says("shared_queue");
}

#[cfg(feature = "files")]
#[test]
fn a_large_file_is_loaded_with_a_bar() {
    says("load_with_progress");
}
