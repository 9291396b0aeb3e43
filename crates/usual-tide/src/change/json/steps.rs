//! The steps of a change set as JSON.

use crate::change::set::ChangeSet;
use crate::change::steps::Step;
use crate::item::{FieldValue, Fields, Item, key_of};
use serde_json::{Value, json};
use std::collections::HashMap;

impl<T: Item<Key: FieldValue> + Fields> ChangeSet<T> {
    /// Some steps of this set as JSON objects, in their order: `step` is `remove`, `move`, `insert` or `update`,
    /// with positions as in [`Step`], the `keys` of the rows, and the `items` of those that arrive or change.
    ///
    /// A moved row that the set does not know ([`item_after`](Self::item_after)) has null for a key. O(k log k) in
    /// the rows of the set.
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
    /// let steps = changes.steps_to_json(&changes.steps());
    /// assert_eq!(steps, [json!({"step": "remove", "at": 0, "count": 1, "keys": ["P-1"]})]);
    /// # Ok(()) }
    /// ```
    pub fn steps_to_json(&self, steps: &[Step]) -> Vec<Value> {
        let lost = self.keys_of_leaving();
        let moves = self.moves();
        let mut moved = moves.iter().map(|(_, to)| *to);
        let item = |at: usize| self.item_after(at).map(|item| &**item);
        let key = |item: Option<&T>| item.map_or(Value::Null, key_of);
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

    /// The keys of the rows that leave their places, by position in B.
    fn keys_of_leaving(&self) -> HashMap<usize, Value> {
        let removed = self.removed.iter();
        let removed = removed.flat_map(|run| {
            let keys = run.rows.iter().map(|row| key_of(&**row));
            run.range().zip(keys)
        });
        let moves = self.moves().into_iter();
        let moved = moves.filter_map(|(from, to)| Some((from, key_of(&**self.item_after(to)?))));
        removed.chain(moved).collect()
    }
}

fn with_rows<'a, T: Item<Key: FieldValue> + Fields + 'a>(
    name: &str,
    at: usize,
    count: usize,
    item: impl Fn(usize) -> Option<&'a T>,
) -> Value {
    let rows = || (at..at + count).map(&item);
    json!({
        "step": name,
        "at": at,
        "count": count,
        "keys": rows().map(|row| row.map(key_of)).collect::<Vec<_>>(),
        "items": rows().map(|row| row.map(T::to_json)).collect::<Vec<_>>(),
    })
}
