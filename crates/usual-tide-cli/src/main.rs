//! The `usual-tide` command: explore data, and see what a change set would be.

mod args;
mod cells;
mod commands;
mod demo;
mod error;
mod input;
mod output;
mod words;

use args::{Arguments, Command};
use clap::Parser;
use error::CommandError;
use std::process::ExitCode;

fn main() -> ExitCode {
    let outcome = run(Arguments::parse()).and_then(|text| output::write(&text));
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            output::complain(&error);
            ExitCode::FAILURE
        }
    }
}

/// Runs a command; gives its whole output, so that nothing is printed when it fails.
fn run(arguments: Arguments) -> Result<String, CommandError> {
    match arguments.command {
        Command::Demo => demo::run(),
        Command::Show(show) => commands::show::run(&show),
        Command::Compare(compare) => commands::compare::run(&compare),
    }
}
