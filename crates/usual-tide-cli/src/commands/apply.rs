//! `usual-tide apply`: a change set put into effect.

use crate::args::{Apply, FileFormatName};
use crate::error::CommandError;
use crate::input;
use crate::output::Output;
use serde_json::Value;
use std::collections::HashSet;
use std::path::Path;
use std::sync::Arc;
use usual_tide::record::{FieldName, Record};
use usual_tide::{ChangeSet, Item, Store};
use usual_tide_sources::files::{self, FileFormat};

pub(crate) fn run(apply: &Apply, out: &mut Output) -> Result<(), CommandError> {
    input::standard_input_once(&[&apply.file, &apply.changes])?;
    let key = input::key(&apply.key.key)?;
    let items = input::read(&apply.file, &key)?;
    let text = input::text(&apply.changes)?;
    let refused = |why: String| CommandError::Changes {
        file: input::shown(&apply.changes),
        why,
    };
    let changes: Value = serde_json::from_str(&text).map_err(|why| refused(why.to_string()))?;
    // A store takes no keys that are there twice, and tells which are.
    let store = Store::load(items).map_err(CommandError::not_a_list(&apply.file))?;
    let mut rows: Vec<Arc<Record>> = store.items().cloned().collect();
    let rows = match changes {
        Value::Array(_) => patched(changes, &key, &rows).map_err(refused)?,
        changes => {
            let changes = ChangeSet::from_json(&changes, &key, &rows);
            let changes = changes.map_err(|why| refused(why.to_string()))?;
            changes.apply(&mut rows)?;
            rows
        }
    };

    let items = || rows.iter().map(|row| row.members());
    match &apply.output {
        Some(path) => {
            let format = format(apply, path);
            let saved = files::replace_file(path, |out| files::write(out, format, items()));
            saved.map_err(|why| CommandError::Save {
                file: path.display().to_string(),
                why,
            })
        }
        None => {
            let format = format(apply, Path::new(&apply.file));
            files::write(out, format, items()).map_err(CommandError::Write)
        }
    }
}

/// The format that was asked for, else that of a file's name.
fn format(apply: &Apply, path: &Path) -> FileFormat {
    match apply.format {
        Some(FileFormatName::Json) => FileFormat::Json,
        Some(FileFormatName::Ndjson) => FileFormat::Ndjson,
        Some(FileFormatName::Csv) => FileFormat::Csv,
        None => FileFormat::of_path(path).unwrap_or(FileFormat::Json),
    }
}

/// The rows after a JSON Patch, if every part of it fits and rows with keys come out.
fn patched(
    patch: Value,
    key: &FieldName,
    rows: &[Arc<Record>],
) -> Result<Vec<Arc<Record>>, String> {
    let patch: json_patch::Patch = serde_json::from_value(patch)
        .map_err(|why| format!("an array is a JSON Patch (RFC 6902), and this is none: {why}"))?;
    let plain = rows.iter().map(|row| Value::Object(row.members().clone()));
    let mut plain: Value = plain.collect();
    json_patch::patch(&mut plain, &patch).map_err(|why| why.to_string())?;
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
