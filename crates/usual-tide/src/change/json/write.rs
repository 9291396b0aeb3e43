//! Change sets as JSON.

use crate::change::sections::SectionRow;
use crate::change::set::{ChangeSet, RowRun};
use crate::item::{FieldValue, Fields, Item, key_of};
use serde_json::{Map, Value, json};

impl<T: Item<Key: FieldValue> + Fields> ChangeSet<T> {
    /// The set as JSON: `before`, `after`, `removed`, `inserted`, `moved`, `updated`, and `renumbered` in a
    /// list that numbers its rows. Positions are 0-based.
    ///
    /// A moved row that the set does not know ([`item_after`](Self::item_after)) is written without its key.
    /// O(rows of the set).
    ///
    /// In a grouped list every position has its `section` and `row` beside it (`from_section` and so on where
    /// there are two), and `sections` has the same four arrays over the sections, with headings and counts. Who
    /// applies the rows and then cuts them by the counts has them by section; moves by section are in
    /// [`by_section`](Self::by_section).
    ///
    /// ```
    /// use serde_json::json;
    /// use usual_tide::{Item, Place, Query, Store};
    ///
    /// #[derive(Clone, PartialEq, Debug, Item)]
    /// struct Piece { #[item(key)] id: u32, title: String }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, title): (u32, &str)| Piece { id, title: title.into() };
    /// let mut store = Store::load([(1, "Bowl"), (2, "Mug"), (3, "Jug")].map(piece))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// store.move_to(&3, Place::Start)?;
    /// store.edit(&1, |piece| piece.title = "Deep bowl".into())?;
    /// let changes = feed.read(&store)?.ok_or("no change")?;
    /// assert_eq!(changes.to_json(), json!({
    ///     "before": 3, "after": 3, "removed": [], "inserted": [],
    ///     "moved": [{"from": 2, "to": 0, "key": 3}],
    ///     "updated": [{"from": 0, "to": 1, "key": 1, "fields": ["/title"], "item": {"id": 1, "title": "Deep bowl"}}],
    /// }));
    /// # Ok(()) }
    /// ```
    pub fn to_json(&self) -> Value {
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
            if let Some(item) = self.item_after(to) {
                row["key"] = key_of(&**item);
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
                "key": key_of(&*row.after),
                "fields": fields,
                "item": row.after.to_json(),
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

fn rows<T: Item<Key: FieldValue> + Fields>(
    runs: &[RowRun<T>],
    with_items: bool,
    place: impl Fn(usize) -> Option<SectionRow>,
) -> Value {
    runs.iter()
        .flat_map(|run| (run.at..).zip(run.rows.iter()))
        .map(|(at, item)| {
            let mut row = json!({"at": at});
            if let Some(place) = place(at) {
                row["section"] = place.section.into();
                row["row"] = place.row.into();
            }
            row["key"] = key_of(&**item);
            if with_items {
                row["item"] = item.to_json();
            }
            row
        })
        .collect()
}
