//! `usual-tide apply`: a change set put into effect.

use crate::args::{Apply, FileFormatName};
use crate::error::CommandError;
use crate::input::{self, Origin};
use crate::output::Output;
use json_patch::{PatchErrorKind, PatchOperation};
use serde_json::Value;
use std::collections::HashSet;
use std::sync::Arc;
use usual_tide::record::{FieldName, Record, RecordMaker, parse_value};
use usual_tide::{ChangeSet, Item, Store};
use usual_tide_sources::files::{self, CsvLayout, FileFormat};
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
        Value::Array(_) => patched(&changes, &key, &rows).map_err(refused)?,
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
            let layout = CsvLayout::separated_by(apply.items.delimiter.unwrap_or(b','));
            let layout = match rows.is_empty() {
                // Without a row nothing else would say what the file is.
                true => {
                    layout.with_columns([input::key_of(&apply.file, &apply.items)?.to_string()])
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

/// A patch may copy, and copy what it copied: so many values are the most that may come of it.
const MOST_VALUES: usize = 10_000_000;

/// Puts a patch into effect, operation by operation, within bounds.
fn patch_within_bounds(rows: &mut Value, patch: &[PatchOperation]) -> Result<(), String> {
    let mut values = count(rows);
    for (at, operation) in patch.iter().enumerate() {
        let told = |why: String| format!("operation {at} (counted from 0): {why}");
        if let PatchOperation::Copy(copy) = operation {
            let copied = rows.pointer(copy.from.as_str());
            if copied.is_some_and(|value| depth(value) + copy.path.tokens().count() > MOST_DEPTH) {
                return Err(told(format!(
                    "it would nest deeper than {MOST_DEPTH} levels"
                )));
            }
            values += copied.map_or(0, count);
            if values > MOST_VALUES {
                return Err(told(format!(
                    "more than {MOST_VALUES} values would come of it"
                )));
            }
        }
        let one = std::slice::from_ref(operation);
        json_patch::patch(rows, one).map_err(|why| {
            let path = operation.path();
            told(match why.kind {
                PatchErrorKind::TestFailed => {
                    format!("the test of {path} fails: another value is there")
                }
                PatchErrorKind::CannotMoveInsideItself => {
                    format!("{path} is within the value that is to be moved there")
                }
                PatchErrorKind::InvalidFromPointer => {
                    "there is nothing at the place that it takes a value from".to_owned()
                }
                _ => format!("there is no place {path} among the rows"),
            })
        })?;
    }
    Ok(())
}

/// Levels of the array of rows, at most.
const MOST_DEPTH: usize = 110;

fn count(value: &Value) -> usize {
    1 + match value {
        Value::Array(values) => values.iter().map(count).sum::<usize>(),
        Value::Object(members) => members.values().map(count).sum(),
        _ => 0,
    }
}

fn depth(value: &Value) -> usize {
    match value {
        Value::Array(values) => 1 + values.iter().map(depth).max().unwrap_or(0),
        Value::Object(members) => 1 + members.values().map(depth).max().unwrap_or(0),
        _ => 0,
    }
}

/// The rows after a JSON Patch, if every part of it fits and rows with keys come out.
fn patched(
    patch: &Value,
    key: &FieldName,
    rows: &[Arc<Record>],
) -> Result<Vec<Arc<Record>>, String> {
    let patch: Vec<PatchOperation> = operations(patch)?;
    let plain = rows.iter().map(|row| Value::Object(row.to_members()));
    let mut plain: Value = plain.collect();
    patch_within_bounds(&mut plain, &patch)?;
    let Value::Array(elements) = plain else {
        return Err("it leaves something else than an array of rows".to_owned());
    };
    let mut rows = Vec::with_capacity(elements.len());
    let mut keys = HashSet::new();
    for (index, element) in elements.into_iter().enumerate() {
        let Value::Object(members) = element else {
            return Err(format!(
                "it leaves something else than an object at position {index}"
            ));
        };
        let row = Record::new(members, key)
            .map_err(|why| format!("it leaves no item at position {index}: {why}"))?;
        if !keys.insert(row.key().clone()) {
            return Err(format!(
                "it leaves the key {:?} at position {index} and before",
                row.key()
            ));
        }
        rows.push(Arc::new(row));
    }
    Ok(rows)
}

/// The operations of a patch; what is none is told with its place.
fn operations(patch: &Value) -> Result<Vec<PatchOperation>, String> {
    let operations = patch.as_array().into_iter().flatten().enumerate();
    let operations = operations.map(|(at, operation)| {
        let read = serde_json::from_value(operation.clone());
        read.map_err(|_| {
            format!(
                "operation {at} (counted from 0) is none of JSON Patch (RFC 6902): an object with \
                 \"op\" (add, remove, replace, move, copy or test), \"path\", and \"value\" or \"from\" is"
            )
        })
    });
    operations.collect()
}
