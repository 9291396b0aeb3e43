//! Running the command as a process.

// Not every test file uses all of it.
#![allow(unreachable_pub)]

use std::io::Write;
use std::process::{Command, Output, Stdio};
use tempfile::TempDir;

pub fn command(arguments: &[&str]) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_usual-tide"));
    command.args(arguments);
    command
}

pub fn run(arguments: &[&str]) -> Output {
    command(arguments).output().unwrap()
}

/// Runs it with this text on standard input.
pub fn run_with(arguments: &[&str], input: &[u8]) -> Output {
    let mut child = command(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(input).unwrap();
    child.wait_with_output().unwrap()
}

pub fn stdout(output: &Output) -> String {
    String::from_utf8(output.stdout.clone()).unwrap()
}

pub fn stderr(output: &Output) -> String {
    String::from_utf8(output.stderr.clone()).unwrap()
}

pub fn demo(file: &str) -> String {
    format!("{}/../../demo/{file}", env!("CARGO_MANIFEST_DIR"))
}

pub fn write(folder: &TempDir, name: &str, text: &str) -> String {
    let path = folder.path().join(name);
    std::fs::write(&path, text).unwrap();
    path.to_str().unwrap().to_owned()
}
