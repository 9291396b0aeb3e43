//! What the `usual-tide` command does. It is a library only so that the fuzz targets reach its readers.

mod args;
#[cfg(feature = "browse")]
mod browse;
mod commands;
mod demo;
mod error;
#[cfg(fuzzing)]
pub mod fuzzing;
mod input;
mod measure;
mod merge_patch;
mod output;
mod script;
#[cfg(feature = "net")]
mod serve;
mod trace;

use args::{Arguments, Command};
use clap::Parser;
use error::CommandError;
use output::Output;
use std::process::ExitCode;

/// Does what the arguments of this process ask for.
#[doc(hidden)]
pub fn main() -> ExitCode {
    let arguments = Arguments::parse();
    arguments.check();
    let mut out = Output::standard();
    let done = run(arguments.command, &mut out);
    // What was told before something failed is told all the same.
    match (out.finish(), done) {
        (Ok(()), Ok(status)) => status,
        (Err(error), _) | (_, Err(error)) if error.is_reader_gone() => ExitCode::SUCCESS,
        (_, Err(error)) | (Err(error), _) => {
            output::complain(&error);
            ExitCode::FAILURE
        }
    }
}

fn run(command: Command, out: &mut Output) -> Result<ExitCode, CommandError> {
    let done = match command {
        Command::Compare(compare) => return commands::compare::run(&compare, out),
        Command::Verify(verify) => return commands::verify::run(&verify, out),
        Command::Demo(demo) => demo::run(&demo, out),
        Command::Show(show) => commands::show::run(&show, out),
        Command::Apply(apply) => commands::apply::run(&apply, out),
        Command::Replay(replay) => commands::replay::run(&replay, out),
        Command::Watch(watch) => commands::watch::run(&watch, out),
        #[cfg(feature = "browse")]
        Command::Browse(browse) => browse::run(&browse),
        #[cfg(feature = "net")]
        Command::Serve(serve) => serve::run(&serve, out),
        Command::Measure(measure) => measure::run(&measure, out),
        #[cfg(feature = "manual")]
        Command::Completions { shell } => commands::pages::completions(shell, out),
        #[cfg(feature = "manual")]
        Command::Manual { command } => commands::pages::manual(command.as_deref(), out),
    };
    done.map(|()| ExitCode::SUCCESS)
}
