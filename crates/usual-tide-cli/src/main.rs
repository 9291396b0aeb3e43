//! The `usual-tide` command: explore data, see what a change set would be, and find out why a view went out of
//! step.

use std::process::ExitCode;

fn main() -> ExitCode {
    usual_tide_cli::main()
}
