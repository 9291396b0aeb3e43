//! Change sets of grouped lists as JSON, applied by hand.

use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::Arc;
use usual_tide::record::{FieldName, Record, RecordKey, Schema, parse};
use usual_tide::sections::Section;
use usual_tide::{ChangeSet, Group, Item, ListId, Place, Query, Store};

/// What a view shows: heading, count and keys of each section.
type View = Vec<(Value, Value, Vec<Value>)>;

fn view(store: &Store<Record>, list: ListId) -> View {
    let rows = store.list(list).unwrap();
    let sections = rows.sections().zip(0..).map(|(section, at)| {
        let keys = rows
            .items_in(rows.rows_in(at))
            .map(|record| record.key().to_value());
        let plain = section.to_json();
        (
            plain["heading"].clone(),
            plain["count"].clone(),
            keys.collect(),
        )
    });
    sections.collect()
}

fn number(value: &Value) -> usize {
    usize::try_from(value.as_u64().unwrap()).unwrap()
}

fn entries<'a>(set: &'a Value, name: &str) -> &'a Vec<Value> {
    set[name].as_array().unwrap()
}

/// Takes entries out, from the last to the first; then puts others in, from the first to the last.
fn apply<R: Clone>(
    rows: &mut Vec<R>,
    set: &Value,
    new: impl Fn(&Value) -> R,
    at: impl Fn(&Value) -> usize,
) {
    let before = rows.clone();
    let moved = entries(set, "moved");
    let mut out: Vec<usize> = entries(set, "removed")
        .iter()
        .map(|row| at(&row["at"]))
        .collect();
    out.extend(moved.iter().map(|row| at(&row["from"])));
    out.sort_unstable();
    for at in out.into_iter().rev() {
        rows.remove(at);
    }
    let inserted = entries(set, "inserted")
        .iter()
        .map(|row| (at(&row["at"]), new(row)));
    let back = moved
        .iter()
        .map(|row| (at(&row["to"]), before[at(&row["from"])].clone()));
    let mut into: Vec<(usize, R)> = inserted.chain(back).collect();
    into.sort_by_key(|row| row.0);
    for (at, row) in into {
        rows.insert(at, row);
    }
}

/// The flat rows by the flat set, the sections by theirs, and the rows cut by the counts.
fn apply_flat(view: &View, set: &Value) -> View {
    let mut keys: Vec<Value> = view.iter().flat_map(|section| section.2.clone()).collect();
    apply(&mut keys, set, |row| row["key"].clone(), number);
    let mut sections: Vec<(Value, Value)> = view
        .iter()
        .map(|one| (one.0.clone(), one.1.clone()))
        .collect();
    let named = |section: &Value| (section["heading"].clone(), section["count"].clone());
    apply(&mut sections, &set["sections"], named, number);
    for row in entries(&set["sections"], "updated") {
        sections[number(&row["to"])] = named(row);
    }
    let mut keys = keys.into_iter();
    let cut = |(heading, count): (Value, Value)| {
        let rows = keys.by_ref().take(number(&count)).collect();
        (heading, count, rows)
    };
    sections.into_iter().map(cut).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(100)) })]

    #[test]
    fn the_written_rule_makes_the_rows_after(edits in prop::collection::vec((0..9u8, 0..5u8, 0..5u8), 1..30)) {
        let key = FieldName::parse("id").unwrap();
        let record = |id: u8, shelf: u8| -> Record {
            let shelf = ["A1", "B2", "C3"].get(usize::from(shelf)).map_or(Value::Null, |shelf| json!(shelf));
            let members = json!({"id": id, "shelf": shelf});
            Record::new(members.as_object().unwrap().clone(), &key).unwrap()
        };
        let mut store = Store::load((0..5).map(|id| record(id, id))).unwrap();
        let schema = Schema::infer(&parse(r#"[{"id": 1, "shelf": "A1"}, {"id": 2, "shelf": null}]"#, &key).unwrap());
        // In other orders several sections change places together.
        let grouped = |order: u8| {
            let shelves = |text| Group::parse_with(text, &schema).unwrap();
            Query::new().group(match order {
                0 | 1 => shelves("shelf"),
                2 => shelves("shelf").in_order(["C3", "A1"]),
                3 => shelves("shelf").missing_first().in_order(["C3"]),
                _ => shelves("-shelf"),
            })
        };
        let list = store.bind(grouped(9));
        let feed = store.feed(list).unwrap();
        let mut shown = view(&store, list);
        for (id, shelf, what) in edits {
            let key = RecordKey::from(i64::from(id));
            match what {
                4 => store.list_mut(list).unwrap().set_query(grouped(shelf)),
                0 if store.contains(&key) => drop(store.remove(&key).unwrap()),
                1 if store.contains(&key) => drop(store.move_to(&key, Place::Start).unwrap()),
                _ if store.contains(&key) => drop(store.replace(record(id, shelf)).unwrap()),
                _ => store.add(record(id, shelf), Place::Start).unwrap(),
            }
            let Some(changes) = feed.read(&store).unwrap() else { continue };
            let rows = store.list(list).unwrap();
            let set = changes.to_json();
            for name in ["removed", "inserted"] {
                for row in entries(&set, name) {
                    let place = if name == "removed" { changes.section_row_before(number(&row["at"])) } else { changes.section_row_after(number(&row["at"])) };
                    let place = place.unwrap();
                    prop_assert_eq!((number(&row["section"]), number(&row["row"])), (place.section, place.row));
                }
            }
            let now = view(&store, list);
            prop_assert_eq!(&apply_flat(&shown, &set), &now);

            let by_section = changes.by_section().to_json(
                |place| rows.at_section_row(place).map(|record: &Arc<Record>| &**record),
                |at| rows.section_at(at).map(|section| section.key().clone()),
            );
            prop_assert_eq!(&by_section["sections"], &set["sections"]);
            for row in entries(&by_section, "moved") {
                let (from, to) = (&row["from"], &row["to"]);
                let was = &shown[number(&from["section"])].2[number(&from["row"])];
                let is = &now[number(&to["section"])].2[number(&to["row"])];
                prop_assert_eq!((was, is), (&row["key"], &row["key"]));
            }
            // In stages no more sections come, go and move than at once.
            let sections = |set: &ChangeSet<Section>| {
                let gone: usize = set.removed().iter().map(|run| run.rows.len()).sum();
                let new: usize = set.inserted().iter().map(|run| run.rows.len()).sum();
                let moved: usize = set.moved().iter().map(|run| run.len).sum();
                [gone, new, moved]
            };
            let all = changes.by_section();
            let stages = all.phases();
            let in_stages = stages.iter().map(|stage| sections(stage.sections()));
            let in_stages = in_stages.fold([0; 3], |sum, stage| [0, 1, 2].map(|at| sum[at] + stage[at]));
            prop_assert_eq!(in_stages, sections(all.sections()));
            shown = now;
        }
    }
}
