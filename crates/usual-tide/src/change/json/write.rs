//! Change sets as JSON.

use crate::change::sections::SectionRow;
use crate::change::set::{ChangeSet, RowRun};
use crate::item::Item;
use crate::record::Record;
use serde_json::{Map, Value, json};

impl ChangeSet<Record> {
    /// The set as JSON: `before`, `after`, `removed`, `inserted`, `moved`, `updated`, and `renumbered` in a
    /// list that numbers its rows. Positions are 0-based.
    ///
    /// A set knows where rows moved, not which they are; `after` tells that by position in A. A row
    /// that it does not know is written without its key. O(rows that the set speaks of).
    ///
    /// In a grouped list every position has its `section` and `row` beside it (`from_section` and so on where
    /// there are two), and `sections` has the same four arrays over the sections, with headings and counts. Who
    /// applies the rows and then cuts them by the counts has them by section; moves by section are in
    /// [`by_section`](Self::by_section).
    pub fn to_json<'a>(&self, after: impl Fn(usize) -> Option<&'a Record>) -> Value {
        let mut object = Map::new();
        object.insert("before".into(), self.before.into());
        object.insert("after".into(), self.after.into());
        let grouped = self.sections.is_some();
        let before = |at| self.section_row_before(at).filter(|_| grouped);
        let behind = |at| self.section_row_after(at).filter(|_| grouped);
        object.insert("removed".into(), rows(&self.removed, false, before));
        object.insert("inserted".into(), rows(&self.inserted, true, behind));
        let moved = self
            .moved
            .iter()
            .flat_map(|run| (0..run.len).map(|offset| (run.from + offset, run.to + offset)));
        let moved = moved.map(|(from, to)| {
            let mut row = json!({"from": from, "to": to});
            put_places(&mut row, before(from), behind(to));
            if let Some(record) = after(to) {
                row["key"] = record.key().to_value();
            }
            row
        });
        object.insert("moved".into(), moved.collect());
        let updated = self.updated.iter().map(|row| {
            let fields = row.fields();
            let fields: Vec<&str> = fields.iter().map(|field| field.as_pointer()).collect();
            let mut object = json!({
                "from": row.from,
                "to": row.to,
                "key": row.after.key().to_value(),
                "fields": fields,
                "item": row.after.members(),
            });
            put_places(&mut object, before(row.from), behind(row.to));
            object
        });
        object.insert("updated".into(), updated.collect());
        if let Some(sections) = &self.sections {
            object.insert("sections".into(), sections.to_json());
        }
        if let Some(runs) = self.renumbered() {
            let runs = runs
                .iter()
                .map(|run| json!({"start": run.start, "end": run.end}));
            object.insert("renumbered".into(), runs.collect());
        }
        Value::Object(object)
    }
}

fn put_places(row: &mut Value, from: Option<SectionRow>, to: Option<SectionRow>) {
    for (name, place) in [("from", from), ("to", to)] {
        if let Some(place) = place {
            row[format!("{name}_section")] = place.section.into();
            row[format!("{name}_row")] = place.row.into();
        }
    }
}

fn rows(
    runs: &[RowRun<Record>],
    with_items: bool,
    place: impl Fn(usize) -> Option<SectionRow>,
) -> Value {
    runs.iter()
        .flat_map(|run| (run.at..).zip(run.rows.iter()))
        .map(|(at, record)| {
            let mut row = json!({"at": at});
            if let Some(place) = place(at) {
                row["section"] = place.section.into();
                row["row"] = place.row.into();
            }
            row["key"] = record.key().to_value();
            if with_items {
                row["item"] = Value::Object(record.members().clone());
            }
            row
        })
        .collect()
}
