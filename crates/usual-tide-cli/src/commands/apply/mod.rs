//! `usual-tide apply`: a change set put into effect.

#[cfg(feature = "patch")]
mod json_patch;

use crate::args::{Apply, FileFormatName};
use crate::error::CommandError;
use crate::input::{self, Origin};
use crate::output::Output;
use serde_json::Value;
use std::collections::HashSet;
use std::sync::Arc;
use usual_tide::record::{Record, RecordKey, RecordMaker, parse_value};
use usual_tide::{ChangeSet, Item, Store};
use usual_tide_sources::files::{self, CsvLayout, FileFormat, ReadOptions};
use usual_tide_sources::link::{Answer, DirectSource, SourceError};

pub(crate) fn run(apply: &Apply, out: &mut Output) -> Result<(), CommandError> {
    input::standard_input_once(&[&apply.file, &apply.changes])?;
    let key = input::key_of(&apply.file, &apply.items)?;
    let items = input::read(&apply.file, &apply.items)?;
    let text = input::text(&apply.changes)?;
    let refused = |why: String| CommandError::Changes {
        file: input::shown(&apply.changes),
        why,
    };
    let changes = parse_value(&text).map_err(|why| refused(why.to_string()))?;
    // A store takes no keys that are there twice, and tells which are.
    let store = Store::load(items).map_err(CommandError::not_a_list(&apply.file))?;
    let mut rows: Vec<Arc<Record>> = store.items().cloned().collect();
    let rows = match changes {
        #[cfg(feature = "patch")]
        Value::Array(operations) => {
            json_patch::patched(&operations, &key, &rows).map_err(refused)?
        }
        #[cfg(not(feature = "patch"))]
        Value::Array(_) => return Err(refused(input::built_without("patch"))),
        changes => {
            let maker = RecordMaker::new(&key);
            let changes = ChangeSet::from_json(&changes, &rows, |json| maker.read(json));
            let changes = changes.map_err(|why| refused(why.to_string()))?;
            changes.apply(&mut rows)?;
            rows
        }
    };
    write(apply, &rows, out)
}

/// Writes the rows where they are to go.
fn write(apply: &Apply, rows: &[Arc<Record>], out: &mut Output) -> Result<(), CommandError> {
    let items = || rows.iter().map(|row| row.members());
    let named = |path: &str| {
        let asked = apply.format.map(FileFormatName::format);
        asked.or(FileFormat::of_path(path))
    };
    let origin = apply.output.as_deref().map(Origin::of).transpose()?;
    match origin {
        None | Some(Origin::Input) => {
            let format = named(&apply.file).unwrap_or(FileFormat::Json);
            files::write(out, format, items()).map_err(CommandError::output)
        }
        Some(Origin::File(path)) => {
            let format = named(&path).unwrap_or(FileFormat::Json);
            let usual = ReadOptions::of_path(&path).delimiter;
            let layout = CsvLayout::separated_by(apply.items.delimiter.unwrap_or(usual));
            let layout = match rows.is_empty() {
                // Without a row nothing else would say what the file is.
                true => {
                    let key = input::key_of(&apply.file, &apply.items)?;
                    layout.with_columns([key.members().join(".")])
                }
                false => layout,
            };
            let saved =
                files::replace_file(&path, |out| files::write_as(out, format, &layout, items()));
            saved.map_err(|why| CommandError::Save { file: path, why })
        }
        Some(origin) => {
            let target = apply.output.as_deref().unwrap_or_default();
            send(apply, target, &origin, rows)
        }
    }
}

/// Asks a database or a server for what makes its items these rows, change by change.
fn send(
    apply: &Apply,
    target: &str,
    origin: &Origin,
    rows: &[Arc<Record>],
) -> Result<(), CommandError> {
    let failed = |why: SourceError| CommandError::origin(target, why.to_string());
    let mut source = DirectSource::new(origin.source(&apply.items)?.0);
    let there = source.load().map_err(failed)?.items;
    let mut store = Store::load(there).map_err(CommandError::not_a_list(target))?;
    store.writes_mut().track();
    // In a batch it is asked for item by item.
    store.batch(|store| {
        let items = rows.iter().map(|row| Record::clone(row));
        store.reload(items).map(drop)
    })?;
    let writes: Vec<_> = store.writes().pending().cloned().collect();
    let answers = source.write_many(&writes).map_err(failed)?;
    let mut refused = writes.iter().zip(&answers).filter_map(|(write, answer)| {
        let why = match answer {
            Answer::Refused { reason, .. } => reason.clone(),
            _ => return None,
        };
        Some((write.key.clone(), why))
    });
    match refused.next() {
        // It may not keep places.
        None if source.has_changed() => {
            let there = source.load().map_err(failed)?.items;
            match first_elsewhere(rows, &there) {
                None => Ok(()),
                Some(key) => Err(CommandError::Elsewhere {
                    source_text: target.to_owned(),
                    key: key.clone(),
                }),
            }
        }
        None => Ok(()),
        Some((key, why)) => Err(CommandError::Refused {
            source_text: target.to_owned(),
            refused: 1 + refused.count(),
            writes: writes.len(),
            key,
            why,
        }),
    }
}

/// The first of these rows that stands elsewhere among those that are there; others may have come and gone since.
fn first_elsewhere<'a>(rows: &'a [Arc<Record>], there: &[Record]) -> Option<&'a RecordKey> {
    let asked: HashSet<&RecordKey> = rows.iter().map(|row| row.key()).collect();
    let stand: Vec<&RecordKey> = there
        .iter()
        .map(Item::key)
        .filter(|key| asked.contains(key))
        .collect();
    let known: HashSet<&RecordKey> = stand.iter().copied().collect();
    let rows = rows
        .iter()
        .map(|row| row.key())
        .filter(|key| known.contains(key));
    rows.zip(stand)
        .find(|(asked, is)| asked != is)
        .map(|(asked, _)| asked)
}
