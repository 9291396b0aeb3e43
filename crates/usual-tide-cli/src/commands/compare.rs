//! `usual-tide compare`: two files as a change set.

use crate::args::{Compare, Format};
use crate::error::CommandError;
use crate::{input, output, words};
use usual_tide::{ChangeSet, Store};

pub(crate) fn run(compare: &Compare) -> Result<String, CommandError> {
    if compare.old == "-" && compare.new == "-" {
        return Err(CommandError::InputTwice);
    }
    let old = input::read(&compare.old, &compare.query.key)?;
    let new = input::read(&compare.new, &compare.query.key)?;
    let query = input::query(&compare.query, &[&old, &new])?;
    let bad_items = |file: &str| {
        let file = input::shown(file);
        move |why| CommandError::Items { file, why }
    };
    let mut store = Store::load(old).map_err(bad_items(&compare.old))?;
    let list = store.bind(query);
    let feed = store.feed(list)?;
    store.reload(new).map_err(bad_items(&compare.new))?;

    let rows = store.list(list)?;
    let changes = feed.read(&store)?;
    let changes = changes.unwrap_or_else(|| ChangeSet::unchanged(rows.len()));
    let after = |position| rows.get(position).map(|record| &**record);
    match compare.format {
        Format::Json => super::pretty(&changes.to_json(after)),
        Format::Text => {
            let mut lines = words::lines(&changes, after, output::columns());
            lines.extend(
                changes
                    .sections()
                    .into_iter()
                    .flat_map(words::section_lines),
            );
            lines.push(words::summary(&changes));
            Ok(lines.join("\n") + "\n")
        }
    }
}
