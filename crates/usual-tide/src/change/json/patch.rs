//! Change sets as JSON Patch (RFC 6902).

use crate::change::set::{ChangeSet, Updated};
use crate::change::steps::Step;
use crate::record::Record;
use serde_json::{Value, json};

impl ChangeSet<Record> {
    /// The set as a JSON Patch (RFC 6902) of the array of rows: what any program that knows the standard can
    /// apply.
    ///
    /// Before a row is taken out, moved or changed a `test` makes sure that it is the row that is meant, so
    /// that a patch for other rows is refused as a whole. `after` tells which row is at a position in A; a
    /// moved row that it does not know is moved without a test. O(k log k) in the rows that the set speaks of.
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
    /// let rows = store.list(list)?;
    /// let patch = changes.to_json_patch(|at| rows.get(at).map(|row| &**row));
    /// assert_eq!(patch, json!([
    ///     {"op": "test", "path": "/1/id", "value": "P-2"},
    ///     {"op": "remove", "path": "/1"},
    /// ]));
    /// # Ok(()) }
    /// ```
    pub fn to_json_patch<'a>(&self, after: impl Fn(usize) -> Option<&'a Record>) -> Value {
        let mut patch = Vec::new();
        let moves = self.moves();
        let mut moves = moves.iter();
        let mut inserted = self.inserted.iter();
        for step in self.steps() {
            match step {
                // Each takes its row from where it stands then: from the last to the first.
                Step::Remove { at, count } => {
                    for row in (at..at + count).rev() {
                        patch.extend(self.removed_at(row).map(|record| test(row, record)));
                        patch.push(json!({"op": "remove", "path": format!("/{row}")}));
                    }
                }
                Step::Move { from, to } => {
                    let record = moves.next().and_then(|(_, at)| self.before_or(*at, &after));
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
                            json!({"op": "add", "path": format!("/{at}"), "value": row.members()}),
                        );
                    }
                }
                // These need both items of a row, and follow below.
                Step::Update { .. } => {}
            }
        }
        for row in &self.updated {
            patch.push(test(row.to, &row.before));
            patch.extend(
                row.fields()
                    .iter()
                    .filter_map(|field| member(row, field.as_pointer())),
            );
        }
        Value::Array(patch)
    }

    /// The item of a row that left, by its position in B.
    fn removed_at(&self, position: usize) -> Option<&Record> {
        let run = self
            .removed
            .partition_point(|run| run.range().end <= position);
        let run = self.removed.get(run)?;
        let row = run.rows.at(position.checked_sub(run.at)?)?;
        Some(row)
    }

    /// A kept row as it was in B where it is another now, else as it is.
    fn before_or<'s, 'a: 's>(
        &'s self,
        to: usize,
        after: impl Fn(usize) -> Option<&'a Record>,
    ) -> Option<&'s Record> {
        let changed = self.updated.binary_search_by_key(&to, |row| row.to);
        let changed = changed.ok().and_then(|index| self.updated.get(index));
        changed.map(|row| &*row.before).or_else(|| after(to))
    }
}

/// Makes sure which row is at a position.
fn test(position: usize, record: &Record) -> Value {
    let path = format!("/{position}{}", record.key_pointer());
    // As the data has it: other programs may tell `-0` from `0`.
    json!({"op": "test", "path": path, "value": record.key_value()})
}

/// What gives a row's member its later value.
fn member(row: &Updated<Record>, field: &str) -> Option<Value> {
    let path = format!("/{}{field}", row.to);
    match (row.before.get(field), row.after.get(field)) {
        (Some(_), Some(value)) => Some(json!({"op": "replace", "path": path, "value": value})),
        (None, Some(value)) => Some(json!({"op": "add", "path": path, "value": value})),
        (Some(_), None) => Some(json!({"op": "remove", "path": path})),
        (None, None) => None,
    }
}
