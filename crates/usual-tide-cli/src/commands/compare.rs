//! `usual-tide compare`: two files as a change set.

use crate::args::Compare;
use crate::error::CommandError;
use crate::input;
use crate::output::Output;
use crate::output::changes::ChangeWriter;
use std::process::ExitCode;
use usual_tide::{ChangeSet, Store};

pub(crate) fn run(compare: &Compare, out: &mut Output) -> Result<ExitCode, CommandError> {
    input::standard_input_once(&[&compare.old, &compare.new])?;
    let old = input::read(&compare.old, &compare.items)?;
    let new = input::read(&compare.new, &compare.items)?;
    let query = input::query(&compare.query, old.iter().chain(&new))?;
    let mut store = Store::load(old).map_err(CommandError::not_a_list(&compare.old))?;
    let list = store.bind(query);
    let feed = store.feed(list)?;
    store
        .reload(new)
        .map_err(CommandError::not_a_list(&compare.new))?;

    let rows = store.list(list)?;
    let changes = feed.read(&store)?;
    let changes = changes.unwrap_or_else(|| ChangeSet::unchanged(rows.len()));
    let form = ChangeWriter {
        format: compare.format,
        without_moves: compare.without_moves,
        one_line: false,
    };
    form.write(&changes, &rows, out)?;
    Ok(match compare.exit_code && !changes.is_empty() {
        true => ExitCode::FAILURE,
        false => ExitCode::SUCCESS,
    })
}
