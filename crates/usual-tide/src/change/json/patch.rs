//! Change sets as JSON Patch (RFC 6902).

use crate::change::set::ChangeSet;
use crate::change::steps::Step;
use crate::item::{FieldPath, FieldValue, Fields, Item, key_of};
use serde_json::{Value, json};

impl<T: Item<Key: FieldValue> + Fields> ChangeSet<T> {
    /// The set as a JSON Patch (RFC 6902) of the array of rows: what any program that knows the standard can
    /// apply.
    ///
    /// Before a row is taken out, moved or changed a `test` makes sure that it is the row that is meant, so
    /// that a patch for other rows is refused as a whole. A moved row that the set does not know
    /// ([`item_after`](Self::item_after)) is moved without a test. O(k log k) in the rows of the set.
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
    /// store.remove(&"P-2".into())?;
    /// let changes = feed.read(&store)?.unwrap();
    /// let patch = changes.to_json_patch();
    /// assert_eq!(patch, json!([
    ///     {"op": "test", "path": "/1/id", "value": "P-2"},
    ///     {"op": "remove", "path": "/1"},
    /// ]));
    /// # Ok(()) }
    /// ```
    pub fn to_json_patch(&self) -> Value {
        let mut patch = Vec::new();
        let moves = self.moves();
        let mut moves = moves.iter();
        let mut inserted = self.inserted.iter();
        for step in self.steps() {
            match step {
                // Each takes its row from where it is then: from the last to the first.
                Step::Remove { at, count } => {
                    for row in (at..at + count).rev() {
                        patch.extend(self.removed_at(row).map(|record| test(row, record)));
                        patch.push(json!({"op": "remove", "path": format!("/{row}")}));
                    }
                }
                Step::Move { from, to } => {
                    let record = moves.next().and_then(|(_, at)| self.moved_before(*at));
                    patch.extend(record.map(|record| test(from, record)));
                    let (from, path) = (format!("/{from}"), format!("/{to}"));
                    patch.push(json!({"op": "move", "from": from, "path": path}));
                }
                Step::Insert { .. } => {
                    let run = inserted.next();
                    for (at, row) in run
                        .into_iter()
                        .flat_map(|run| run.range().zip(run.rows.iter()))
                    {
                        patch.push(
                            json!({"op": "add", "path": format!("/{at}"), "value": row.to_json()}),
                        );
                    }
                }
                // These need both items of a row, and follow below.
                Step::Update { .. } => {}
            }
        }
        for row in &self.updated {
            patch.push(test(row.to, &*row.before));
            let items = (row.before.to_json(), row.after.to_json());
            let items = (&items.0, &items.1);
            let fields = row.fields();
            let members = fields.iter().map(FieldPath::as_pointer);
            patch.extend(members.filter_map(|field| member(items, row.to, field)));
            if fields.is_empty() {
                // What differs has no name: the whole row is replaced.
                let path = format!("/{}", row.to);
                patch.push(json!({"op": "replace", "path": path, "value": items.1}));
            }
        }
        Value::Array(patch)
    }

    /// The item of a row that left, by its position in B.
    fn removed_at(&self, position: usize) -> Option<&T> {
        let run = self
            .removed
            .partition_point(|run| run.range().end <= position);
        let run = self.removed.get(run)?;
        let row = run.rows.at(position.checked_sub(run.at)?)?;
        Some(row)
    }

    /// A moved row as it was in B, by its position in A.
    fn moved_before(&self, to: usize) -> Option<&T> {
        let changed = self.updated.binary_search_by_key(&to, |row| row.to);
        match changed {
            Ok(index) => Some(&*self.updated[index].before),
            Err(_) => self.item_after(to).map(|item| &**item),
        }
    }
}

/// Makes sure which row is at a position.
fn test<T: Item<Key: FieldValue> + Fields>(position: usize, item: &T) -> Value {
    let key = item.key_path();
    let pointer = key.as_ref().map_or("", FieldPath::as_pointer);
    let whole = item.to_json();
    // As the data has it: to other programs `-0` and `0` may be different. Without a known place it is the whole row.
    let value = whole.pointer(pointer).cloned();
    let value = value.unwrap_or_else(|| key_of(item));
    json!({"op": "test", "path": format!("/{position}{pointer}"), "value": value})
}

/// What gives a row's member its later value.
fn member((before, after): (&Value, &Value), to: usize, field: &str) -> Option<Value> {
    let path = format!("/{to}{field}");
    match (before.pointer(field), after.pointer(field)) {
        (Some(_), Some(value)) => Some(json!({"op": "replace", "path": path, "value": value})),
        (None, Some(value)) => Some(json!({"op": "add", "path": path, "value": value})),
        (Some(_), None) => Some(json!({"op": "remove", "path": path})),
        (None, None) => None,
    }
}
