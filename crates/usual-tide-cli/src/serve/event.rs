//! What is told of changes, one row after the other.

use serde_json::{Value, json};
use std::collections::BTreeSet;
use usual_tide::record::Record;
use usual_tide::{BoundList, ChangeSet, Item};

/// One change of one item.
#[derive(Clone, Debug)]
pub(super) struct RowEvent {
    pub(super) name: &'static str,
    pub(super) key: usual_tide::record::RecordKey,
    pub(super) data: Value,
}

/// A change set as single changes: one after the other, they make the rows after it of those before.
pub(super) fn events(changes: &ChangeSet<Record>, rows: &BoundList<'_, Record>) -> Vec<RowEvent> {
    let gone = changes.removed().iter().flat_map(|run| run.rows.iter());
    let removed = gone.map(|item| RowEvent {
        name: "remove",
        key: item.key().clone(),
        data: json!({"key": item.key().to_value()}),
    });
    let mut told: Vec<RowEvent> = removed.collect();
    let arrived = changes.inserted().iter().flat_map(|run| run.range());
    let moved = changes
        .moved()
        .iter()
        .flat_map(|run| run.to..run.to + run.len);
    let updated = changes.updated().iter().map(|row| row.to);
    // From the first to the last, each goes after a row that has its place.
    let places: BTreeSet<usize> = arrived.chain(moved).chain(updated).collect();
    told.extend(places.into_iter().filter_map(|at| put(rows, at)));
    told
}

fn put(rows: &BoundList<'_, Record>, at: usize) -> Option<RowEvent> {
    let item = rows.at(at)?;
    let key = |at: Option<usize>| {
        let item = at.and_then(|at| rows.at(at));
        item.map_or(Value::Null, |item| item.key().to_value())
    };
    Some(RowEvent {
        name: "put",
        key: item.key().clone(),
        data: json!({
            "item": item.members(),
            "after": key(at.checked_sub(1)),
            "before": key(Some(at + 1)),
        }),
    })
}
