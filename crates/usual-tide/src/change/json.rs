//! Change sets as JSON.

use super::set::{ChangeSet, RowRun};
use crate::item::Item;
use crate::record::Record;
use serde_json::{Map, Value, json};

impl ChangeSet<Record> {
    /// The set as JSON: `before`, `after`, `removed`, `inserted`, `moved`, `updated`, and `renumbered` in a
    /// list that numbers its rows. Positions are 0-based.
    ///
    /// A set knows where rows moved, not which they are; `after` tells that by position in A. A row
    /// that it does not know is written without its key. O(rows that the set speaks of).
    pub fn to_json<'a>(&self, after: impl Fn(usize) -> Option<&'a Record>) -> Value {
        let mut object = Map::new();
        object.insert("before".into(), self.before.into());
        object.insert("after".into(), self.after.into());
        object.insert("removed".into(), rows(&self.removed, false));
        object.insert("inserted".into(), rows(&self.inserted, true));
        let moved = self
            .moved
            .iter()
            .flat_map(|run| (0..run.len).map(|offset| (run.from + offset, run.to + offset)));
        let moved = moved.map(|(from, to)| {
            let mut row = json!({"from": from, "to": to});
            if let Some(record) = after(to) {
                row["key"] = record.key().to_value();
            }
            row
        });
        object.insert("moved".into(), moved.collect());
        let updated = self.updated.iter().map(|row| {
            let fields = row.fields();
            let fields: Vec<&str> = fields.iter().map(|field| field.as_str()).collect();
            json!({
                "from": row.from,
                "to": row.to,
                "key": row.after.key().to_value(),
                "fields": fields,
                "item": row.after.members(),
            })
        });
        object.insert("updated".into(), updated.collect());
        if let Some(runs) = self.renumbered() {
            let runs = runs
                .iter()
                .map(|run| json!({"start": run.start, "end": run.end}));
            object.insert("renumbered".into(), runs.collect());
        }
        Value::Object(object)
    }
}

fn rows(runs: &[RowRun<Record>], with_items: bool) -> Value {
    runs.iter()
        .flat_map(|run| (run.at..).zip(run.rows.iter()))
        .map(|(at, record)| {
            let mut row = json!({"at": at, "key": record.key().to_value()});
            if with_items {
                row["item"] = Value::Object(record.members().clone());
            }
            row
        })
        .collect()
}
