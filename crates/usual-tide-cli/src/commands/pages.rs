//! `usual-tide completions` and `usual-tide manual`: what a shell and `man` read.

use crate::args::Arguments;
use crate::error::CommandError;
use crate::output::Output;
use clap::CommandFactory;
use clap_complete::Shell;
use clap_mangen::Man;

const NAME: &str = "usual-tide";

pub(crate) fn completions(shell: Shell, out: &mut Output) -> Result<(), CommandError> {
    // Into memory first: the writer of completions panics when it cannot write.
    let mut script = Vec::new();
    clap_complete::generate(shell, &mut Arguments::command(), NAME, &mut script);
    out.text(&String::from_utf8_lossy(&script))
}

pub(crate) fn manual(command: Option<&str>, out: &mut Output) -> Result<(), CommandError> {
    let mut whole = Arguments::command();
    whole.build();
    let page = match command {
        None => whole,
        Some(name) => {
            let found = whole.find_subcommand(name).cloned();
            found.ok_or_else(|| CommandError::NoCommand {
                name: name.to_owned(),
                names: names(&whole),
            })?
        }
    };
    Man::new(page).render(out).map_err(CommandError::Write)
}

fn names(whole: &clap::Command) -> String {
    let names: Vec<&str> = whole.get_subcommands().map(|one| one.get_name()).collect();
    names.join(", ")
}
