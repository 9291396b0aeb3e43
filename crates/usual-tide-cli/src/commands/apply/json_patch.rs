//! JSON Patch (RFC 6902) of an array of rows.

use crate::merge_patch::keeping_numbers;
use json_patch::jsonptr::Pointer;
use json_patch::{PatchErrorKind, PatchOperation};
use serde_json::Value;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use usual_tide::Item;
use usual_tide::record::{FieldName, Record, RecordKey};

/// The rows after a JSON Patch, if every part of it fits and rows with keys come out.
pub(super) fn patched(
    operations: &[Value],
    key: &FieldName,
    rows: &[Arc<Record>],
) -> Result<Vec<Arc<Record>>, String> {
    let patch = read(operations)?;
    let plain = rows.iter().map(|row| Value::Object(row.to_members()));
    let mut plain: Value = plain.collect();
    patch_within_bounds(&mut plain, &patch)?;
    let Value::Array(elements) = plain else {
        return Err("it leaves something else than an array of rows".to_owned());
    };
    let earlier: HashMap<&RecordKey, &Arc<Record>> =
        rows.iter().map(|row| (row.key(), row)).collect();
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
        rows.push(match earlier.get(row.key()) {
            Some(earlier) => Arc::new(keeping_numbers(earlier, row)),
            None => Arc::new(row),
        });
    }
    Ok(rows)
}

/// The operations of a patch; what is none is told with its place.
fn read(operations: &[Value]) -> Result<Vec<PatchOperation>, String> {
    let operations = operations.iter().enumerate().map(|(at, operation)| {
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
        match operation {
            PatchOperation::Remove(remove) => put_last(rows, &remove.path),
            PatchOperation::Move(moved) => put_last(rows, &moved.from),
            _ => (),
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

/// Puts a member behind the others of its object: there it can be taken away without `patch` putting another in its place.
fn put_last(rows: &mut Value, member: &Pointer) {
    let Some((object, name)) = member.split_back() else {
        return;
    };
    let name = name.decoded();
    if let Some(Value::Object(members)) = rows.pointer_mut(object.as_str())
        && let Some(value) = members.shift_remove(name.as_ref())
    {
        members.insert(name.into_owned(), value);
    }
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
