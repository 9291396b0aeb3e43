//! The `usual-tide` command: explore data, see what a change set would be, and find out why a view went out of
//! step.

mod args;
mod commands;
mod demo;
mod error;
mod input;
mod measure;
mod output;
mod script;
mod serve;
mod trace;

use args::{Arguments, Command};
use clap::Parser;
use error::CommandError;
use output::Output;
use std::process::ExitCode;

fn main() -> ExitCode {
    let command = Arguments::parse().command;
    let mut out = Output::standard();
    let done = run(command, &mut out);
    // What was told before something failed is told all the same.
    match done.and(out.finish()) {
        Err(error) if !error.is_reader_gone() => {
            output::complain(&error);
            ExitCode::FAILURE
        }
        _ => ExitCode::SUCCESS,
    }
}

fn run(command: Command, out: &mut Output) -> Result<(), CommandError> {
    match command {
        Command::Demo => demo::run(out),
        Command::Show(show) => commands::show::run(&show, out),
        Command::Compare(compare) => commands::compare::run(&compare, out),
        Command::Apply(apply) => commands::apply::run(&apply, out),
        Command::Replay(replay) => commands::replay::run(&replay, out),
        Command::Verify(verify) => commands::verify::run(&verify, out),
        Command::Watch(watch) => commands::watch::run(&watch, out),
        Command::Serve(serve) => serve::run(&serve, out),
        Command::Measure(measure) => measure::run(&measure, out),
        Command::Completions { shell } => commands::pages::completions(shell, out),
        Command::Manual { command } => commands::pages::manual(command.as_deref(), out),
    }
}
