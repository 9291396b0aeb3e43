//! `usual-tide compare`: two files as a change set.

use crate::args::{ChangesFormat, Compare};
use crate::error::CommandError;
use crate::input;
use crate::output::words::Told;
use crate::output::{Output, columns};
use usual_tide::{ChangeSet, Store};

pub(crate) fn run(compare: &Compare, out: &mut Output) -> Result<(), CommandError> {
    input::standard_input_once(&[&compare.old, &compare.new])?;
    let key = input::key(&compare.key.key)?;
    let old = input::read(&compare.old, &key)?;
    let new = input::read(&compare.new, &key)?;
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
    let after = |position| rows.get(position).map(|record| &**record);
    match compare.format {
        ChangesFormat::Text => {
            let told = Told::new(&changes, &rows, columns());
            for line in told.lines() {
                out.text(&format!("{line}\n"))?;
            }
            out.text(&format!("{}\n", told.summary()))?;
            let renumbered = told.renumbered();
            renumbered.map_or(Ok(()), |line| out.text(&format!("{line}\n")))
        }
        ChangesFormat::Json => out.json(&changes.to_json(after)),
        ChangesFormat::JsonPatch => out.json(&changes.to_json_patch(after)),
        ChangesFormat::Steps => {
            let steps = match compare.without_moves {
                true => changes.steps_without_moves(),
                false => changes.steps(),
            };
            let mut steps = changes.steps_to_json(&steps, after).into_iter();
            steps.try_for_each(|step| out.json_line(&step))
        }
    }
}
