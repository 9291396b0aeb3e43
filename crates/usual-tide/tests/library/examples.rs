//! The examples run and say what they are meant to say.

use std::env::consts::EXE_SUFFIX;
use std::path::{Path, PathBuf};
use std::process::Command;

/// Where cargo has put the examples when it built this test.
fn built(name: &str) -> PathBuf {
    let test = std::env::current_exe().unwrap();
    let folder = test.parent().and_then(Path::parent).unwrap();
    folder.join(format!("examples/{name}{EXE_SUFFIX}"))
}

fn sources() -> Vec<PathBuf> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("examples");
    let entries = folder
        .read_dir()
        .unwrap()
        .map(|entry| entry.unwrap().path());
    let mut sources: Vec<PathBuf> = entries
        .filter(|path| path.extension().is_some_and(|end| end == "rs"))
        .collect();
    sources.sort();
    sources
}

#[test]
fn each_says_what_is_written_beside_it() {
    for source in sources() {
        let name = source.file_stem().unwrap().to_str().unwrap();
        let program = built(name);
        assert!(
            program.exists(),
            "{name} is not built: run `cargo test`, or `cargo build --examples` before"
        );
        let output = Command::new(program).output().unwrap();
        assert!(output.status.success(), "{name}: {output:?}");
        let expected = source.with_file_name("output").join(format!("{name}.txt"));
        let expected = std::fs::read_to_string(expected).unwrap_or_default();
        assert_eq!(String::from_utf8_lossy(&output.stdout), expected, "{name}");
    }
}

#[test]
fn each_is_short() {
    for source in sources() {
        let lines = std::fs::read_to_string(&source).unwrap().lines().count();
        assert!(lines < 80, "{} has {lines} lines", source.display());
    }
}
