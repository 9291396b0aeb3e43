//! The steps of a change set as JSON.

use crate::change::set::ChangeSet;
use crate::change::steps::Step;
use crate::item::Item;
use crate::record::Record;
use serde_json::{Map, Value, json};
use std::collections::HashMap;

impl ChangeSet<Record> {
    /// Some steps of this set as JSON objects, in their order: `step` is `remove`, `move`, `insert` or `update`,
    /// with positions as in [`Step`], the `keys` of the rows, and the `items` of those that arrive or change.
    ///
    /// A set knows where rows moved, not which they are; `after` tells that by position in A. A row that it
    /// does not know has null for a key. O(k log k) in the rows that the set speaks of.
    ///
    /// ```
    /// use serde_json::json;
    /// use usual_tide::{Query, Store, record};
    ///
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let pieces = record::parse(r#"[{"id": "P-1"}, {"id": "P-2"}]"#, &record::FieldName::parse("id")?)?;
    /// let mut store = Store::load(pieces)?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// store.remove(&"P-1".into())?;
    /// let changes = feed.read(&store)?.unwrap();
    /// let rows = store.list(list)?;
    /// let steps = changes.steps_to_json(&changes.steps(), |at| rows.get(at).map(|row| &**row));
    /// assert_eq!(steps, [json!({"step": "remove", "at": 0, "count": 1, "keys": ["P-1"]})]);
    /// # Ok(()) }
    /// ```
    pub fn steps_to_json<'a>(
        &self,
        steps: &[Step],
        after: impl Fn(usize) -> Option<&'a Record>,
    ) -> Vec<Value> {
        let arriving = self.arriving();
        let lost = self.keys_of_leaving(&after);
        let moves = self.moves();
        let mut moved = moves.iter().map(|(_, to)| *to);
        let item = |at: usize| arriving.get(&at).copied().or_else(|| after(at));
        let key = |record: Option<&Record>| record.map_or(Value::Null, |row| row.key().to_value());
        let step = |step: &Step| match *step {
            Step::Remove { at, count } => {
                let lost = |at| lost.get(&at).cloned().unwrap_or(Value::Null);
                let keys: Value = (at..at + count).map(lost).collect();
                json!({"step": "remove", "at": at, "count": count, "keys": keys})
            }
            Step::Move { from, to } => {
                let key = key(moved.next().and_then(&item));
                json!({"step": "move", "from": from, "to": to, "keys": [key]})
            }
            Step::Insert { at, count } => with_rows("insert", at, count, item),
            Step::Update { at, count } => with_rows("update", at, count, item),
        };
        steps.iter().map(step).collect()
    }

    /// The positions of the moved rows in B and in A, in the order of A.
    pub(super) fn moves(&self) -> Vec<(usize, usize)> {
        let rows = self.moved.iter();
        rows.flat_map(|run| (0..run.len).map(|row| (run.from + row, run.to + row)))
            .collect()
    }

    /// The items that the set itself has of rows in A, by position.
    fn arriving(&self) -> HashMap<usize, &Record> {
        let inserted = self.inserted.iter();
        let inserted = inserted.flat_map(|run| run.range().zip(run.rows.iter().map(|row| &**row)));
        let updated = self.updated.iter().map(|row| (row.to, &*row.after));
        inserted.chain(updated).collect()
    }

    /// The keys of the rows that leave their places, by position in B.
    fn keys_of_leaving<'a>(
        &self,
        after: impl Fn(usize) -> Option<&'a Record>,
    ) -> HashMap<usize, Value> {
        let removed = self.removed.iter();
        let removed = removed.flat_map(|run| {
            let keys = run.rows.iter().map(|row| row.key().to_value());
            run.range().zip(keys)
        });
        let moves = self.moves().into_iter();
        let moved = moves.filter_map(|(from, to)| Some((from, after(to)?.key().to_value())));
        removed.chain(moved).collect()
    }
}

fn with_rows<'a>(
    name: &str,
    at: usize,
    count: usize,
    item: impl Fn(usize) -> Option<&'a Record>,
) -> Value {
    let rows = || (at..at + count).map(&item);
    let members = |row: &Record| Value::Object(Map::clone(row.members()));
    json!({
        "step": name,
        "at": at,
        "count": count,
        "keys": rows().map(|row| row.map(|row| row.key().to_value())).collect::<Vec<_>>(),
        "items": rows().map(|row| row.map(members)).collect::<Vec<_>>(),
    })
}
