//! Sections, and change sets by section, as JSON.

use super::by_section::{SectionChanges, SectionRun};
use super::section::{Section, SectionRow};
use super::sectioning::Sectioning;
use crate::change::set::{ChangeSet, RowRun};
use crate::item::SectionKey;
use crate::item::{FieldValue, Fields, Item, json_of, key_of};
use serde_json::{Map, Value, json};

impl SectionKey {
    /// The value as JSON: numbers exactly, days and moments as text, a missing value as null. `None` for the one
    /// section of a list without grouping.
    pub fn to_json(&self) -> Option<Value> {
        self.value().map(json_of)
    }
}

impl Section {
    /// The section as JSON: `key`, `heading`, `count`, and `totals` and `collapsed` where they say something.
    pub fn to_json(&self) -> Value {
        let mut object = Map::new();
        if let Some(key) = self.key().to_json() {
            object.insert("key".into(), key);
        }
        object.insert("heading".into(), self.heading().into());
        object.insert("count".into(), self.count().into());
        if !self.totals().is_empty() {
            let totals = self.totals().iter().map(json_of);
            object.insert("totals".into(), totals.collect());
        }
        if self.is_collapsed() {
            object.insert("collapsed".into(), true.into());
        }
        Value::Object(object)
    }
}

impl Sectioning {
    pub(crate) fn to_json(&self) -> Value {
        sections(self.changes(), |at| {
            let (_, placed) = self.after().get(at)?;
            placed.section.key().to_json()
        })
    }
}

fn sections(changes: &ChangeSet<Section>, key_after: impl Fn(usize) -> Option<Value>) -> Value {
    let runs = |runs: &[RowRun<Section>]| -> Value {
        let each = runs.iter().flat_map(|run| (run.at..).zip(run.rows.iter()));
        each.map(|(at, section)| with(json!({"at": at}), section.to_json()))
            .collect()
    };
    let moved = changes.moved().iter();
    let moved = moved.flat_map(|run| (0..run.len).map(|row| (run.from + row, run.to + row)));
    let moved = moved.map(|(from, to)| {
        let mut row = json!({"from": from, "to": to});
        if let Some(key) = key_after(to) {
            row["key"] = key;
        }
        row
    });
    let updated = changes.updated().iter().map(|row| {
        let fields = row.fields();
        let fields: Vec<&str> = fields.iter().map(|field| field.as_pointer()).collect();
        let place = json!({"from": row.from, "to": row.to, "fields": fields});
        with(place, row.after.to_json())
    });
    json!({
        "before": changes.len_before(),
        "after": changes.len_after(),
        "removed": runs(changes.removed()),
        "inserted": runs(changes.inserted()),
        "moved": moved.collect::<Value>(),
        "updated": updated.collect::<Value>(),
    })
}

fn with(mut object: Value, other: Value) -> Value {
    if let (Value::Object(object), Value::Object(other)) = (&mut object, other) {
        object.extend(other);
    }
    object
}

fn place(at: SectionRow) -> Value {
    json!({"section": at.section, "row": at.row})
}

impl<T: Item<Key: FieldValue> + Fields> SectionChanges<T> {
    /// The set as JSON: `sections`, `removed`, `inserted`, `moved` and `updated`; every position is a `section`
    /// and a `row`. `after` gives the row at a position in A, and `section_after` the section.
    pub fn to_json<'a>(
        &self,
        after: impl Fn(SectionRow) -> Option<&'a T>,
        section_after: impl Fn(usize) -> Option<SectionKey>,
    ) -> Value
    where
        T: 'a,
    {
        let runs = |runs: &[SectionRun<T>], with_items: bool| -> Value {
            let each = runs.iter().flat_map(|run| {
                let rows = run.rows.iter().zip(run.at.row..);
                rows.map(|(item, row)| (SectionRow { row, ..run.at }, item))
            });
            let each = each.map(|(at, item)| {
                let mut row = json!({"at": place(at), "key": key_of(&**item)});
                if with_items {
                    row["item"] = item.to_json();
                }
                row
            });
            each.collect()
        };
        let moved = self.moved().iter().flat_map(|run| {
            (0..run.len).map(|row| {
                let shifted = |at: SectionRow| SectionRow {
                    row: at.row + row,
                    ..at
                };
                (shifted(run.from), shifted(run.to))
            })
        });
        let moved = moved.map(|(from, to)| {
            let mut row = json!({"from": place(from), "to": place(to)});
            if let Some(item) = after(to) {
                row["key"] = key_of(item);
            }
            row
        });
        let updated = self.updated().iter().map(|row| {
            let fields = row.fields();
            let fields: Vec<&str> = fields.iter().map(|field| field.as_pointer()).collect();
            json!({
                "from": place(row.from),
                "to": place(row.to),
                "key": key_of(&*row.after),
                "fields": fields,
                "item": row.after.to_json(),
            })
        });
        json!({
            "sections": sections(self.sections(), |at| section_after(at)?.to_json()),
            "removed": runs(self.removed(), false),
            "inserted": runs(self.inserted(), true),
            "moved": moved.collect::<Value>(),
            "updated": updated.collect::<Value>(),
        })
    }
}
