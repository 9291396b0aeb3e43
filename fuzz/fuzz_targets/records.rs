//! Records: their members are those of the JSON, a merge patch makes one of the other, and merging keeps both sides.
//! Each line is a record.

#![no_main]

use libfuzzer_sys::fuzz_target;
use serde_json::Value;
use usual_tide::fields::merge;
use usual_tide::query::FieldLookup;
use usual_tide::record::{Record, RecordMaker, Schema, parse_line, parse_value};
use usual_tide::{Item, Sort, Store};
use usual_tide_fuzz::key;
use usual_tide_sources::http::merge_patch;

fuzz_target!(|text: &str| {
    let maker = RecordMaker::new(&key());
    let mut records = Vec::new();
    for (line, number) in text.lines().take(8).zip(1..) {
        let Ok(Some(record)) = parse_line(line, number, &maker) else {
            continue;
        };
        let json = parse_value(line).expect("a record is JSON");
        assert_eq!(Value::Object(record.to_members()), json);
        let again = maker.read(&json).expect("a record's JSON is a record");
        assert_eq!(again, record);
        records.push(record);
    }
    for pair in records.windows(2) {
        patched(&pair[0], &pair[1]);
    }
    if let [base, mine, theirs, ..] = &records[..] {
        merged(base, mine, theirs);
    }
    sorted(records);
});

fn patched(before: &Record, after: &Record) {
    let (before, after) = (before.to_members(), after.to_members());
    if let Some(patch) = merge_patch(&before, &after) {
        let mut patched = Value::Object(before);
        json_patch::merge(&mut patched, &Value::Object(patch.clone()));
        assert_eq!(patched, Value::Object(after), "{patch:?}");
    }
}

fn merged(base: &Record, mine: &Record, theirs: &Record) {
    let with_key = |record: &Record| {
        let mut members = record.to_members();
        members.insert("id".to_owned(), base.key().to_value());
        Record::new(members, &key()).expect("it has a key")
    };
    let (mine, theirs) = (with_key(mine), with_key(theirs));
    let one = merge(base, &mine, base);
    assert_eq!((one.item, one.colliding.len()), (mine.clone(), 0));
    let other = merge(base, base, &theirs);
    assert_eq!((other.item, other.colliding.len()), (theirs.clone(), 0));
    let same = merge(base, &mine, &mine);
    assert_eq!((same.item, same.colliding.len()), (mine, 0));
}

/// Lists sort by whatever the members hold.
fn sorted(records: Vec<Record>) {
    let Ok(mut store) = Store::load(records) else {
        return;
    };
    let schema = Schema::infer(store.items().map(|record| &**record));
    let names: Vec<String> = schema.fields().map(|(name, _)| name.to_owned()).collect();
    for name in names.iter().take(6) {
        let Some(field) = schema.field(name) else {
            continue;
        };
        let list = store.bind(usual_tide::Query::new().sort(Sort::by_field(field)));
        assert_eq!(
            store.list(list).expect("it is bound").items().count(),
            store.len()
        );
    }
    store.check().expect("the store is sound");
}
