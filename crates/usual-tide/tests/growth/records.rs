//! What records weigh beside their text.

use super::{ALLOCATED, ALONE, FEW, GROWTH, MANY, count};
use stats_alloc::Region;
use std::sync::{Arc, PoisonError};
use usual_tide::record::{FieldName, Record, RecordMaker, parse};
use usual_tide::{ChangeSet, Place, Query, Store};

const RECORDS: usize = 4_000;

/// Members of a record, out of so many names.
const NAMES: usize = 400;

fn check(lines: impl Iterator<Item = String>, most: f64) {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let text: String = lines.map(|line| line + "\n").collect();
    let key = FieldName::parse("id").unwrap();
    let region = Region::new(ALLOCATED);
    let records: Vec<_> = parse(&text, &key).unwrap().into_iter().collect();
    let change = region.change();
    assert_eq!(records.len(), RECORDS);
    let kept = change.bytes_allocated as f64 - change.bytes_deallocated as f64;
    let ratio = kept / text.len() as f64;
    assert!(
        ratio < most,
        "{ratio:.2} bytes a byte of text, of {most} at the most"
    );
}

#[test]
fn records_of_one_shape_weigh_little_more_than_their_text() {
    let line = |id: usize| {
        format!(
            r#"{{"id":{id},"title":"Bowl {id}","glaze":"ash","height_mm":95,"fee":{{"amount":"4.50","currency":"XTS"}},"fired":true,"note":"a wide rim, and a foot that is cut by hand"}}"#
        )
    };
    check((0..RECORDS).map(line), 1.3);
}

#[test]
fn records_that_have_a_shape_each_keep_their_names_and_little_else() {
    // Few have the same members in the same order.
    let line = |id: usize| {
        let members = (0..2 + id % 9).map(|at| {
            let name = (id * 7_919 + at * at * 31 + at * 131) % NAMES;
            format!(r#","name_{name}_{at}":{}"#, id % 1_000)
        });
        format!(r#"{{"id":{id}{}}}"#, members.collect::<String>())
    };
    check((0..RECORDS).map(line), 4.0);
}

/// What it takes to read a change set of one row of a list of `rows` from JSON.
fn cost_of_reading(rows: u32, edit: impl Fn(&mut Store<Record>)) -> f64 {
    let key = FieldName::parse("id").unwrap();
    let text: String = (0..rows)
        .map(|id| format!("{{\"id\":{id},\"n\":1}}\n"))
        .collect();
    let mut store = Store::load(parse(&text, &key).unwrap()).unwrap();
    let list = store.bind(Query::new());
    let before: Vec<Arc<Record>> = store.list(list).unwrap().items().cloned().collect();
    let feed = store.feed(list).unwrap();
    edit(&mut store);
    let json = feed.read(&store).unwrap().unwrap().to_json();
    let maker = RecordMaker::new(&key);
    count(1, &mut || {
        ChangeSet::from_json(&json, &before, |json| maker.read(json)).unwrap();
    })
}

#[test]
fn a_change_set_is_read_without_a_copy_of_the_list() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let edits: [fn(&mut Store<Record>); 4] = [
        |store| drop(store.edit(&7.into(), |record| drop(record.set("n", 2.into())))),
        |store| drop(store.remove(&7.into())),
        |store| drop(store.move_to(&7.into(), Place::End)),
        |store| {
            let added = parse("{\"id\":\"new\"}", &FieldName::parse("id").unwrap()).unwrap();
            store.add_many(added, Place::Row(3)).unwrap();
        },
    ];
    for (edit, name) in edits.iter().zip(["edit", "removal", "move", "addition"]) {
        cost_of_reading(FEW, edit);
        let (few, many) = (cost_of_reading(FEW, edit), cost_of_reading(MANY, edit));
        assert!(
            many <= GROWTH * few,
            "{name}: {few:.1} of {FEW}, {many:.1} of {MANY}"
        );
    }
}
