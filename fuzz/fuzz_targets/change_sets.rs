//! Change sets as JSON: one that is read can be applied and undone, is written as it was read, and says the same as a
//! JSON Patch. The first line has the rows, the rest the change set.

#![no_main]

use libfuzzer_sys::fuzz_target;
use serde_json::Value;
use std::sync::Arc;
use usual_tide::ChangeSet;
use usual_tide::record::{Record, RecordMaker, parse, parse_value};
use usual_tide_fuzz::key;

fuzz_target!(|text: &str| {
    let Some((rows, set)) = text.split_once('\n') else {
        return;
    };
    let (Ok(rows), Ok(json)) = (parse(rows, &key()), parse_value(set)) else {
        return;
    };
    let before: Vec<Arc<Record>> = rows.into_iter().map(Arc::new).collect();
    let maker = RecordMaker::new(&key());
    let Ok(set) = ChangeSet::from_json(&json, &before, |json| maker.read(json)) else {
        return;
    };

    let mut after = before.clone();
    set.apply(&mut after)
        .expect("a set that was read fits its rows");
    let mut back = after.clone();
    set.inverse()
        .apply(&mut back)
        .expect("its inverse fits the rows after");
    assert_eq!(back, before);

    let written = set.to_json();
    let again = ChangeSet::from_json(&written, &before, |json| maker.read(json));
    assert_eq!(again.as_ref(), Ok(&set), "{written}");

    let plain = |rows: &[Arc<Record>]| -> Value {
        rows.iter()
            .map(|row| Value::Object(row.to_members()))
            .collect()
    };
    let mut patched = plain(&before);
    let patch = set.to_json_patch();
    let patch: json_patch::Patch = serde_json::from_value(patch).expect("it is a patch");
    json_patch::patch(&mut patched, &patch).expect("the patch fits the rows");
    assert_eq!(patched, plain(&after));
});
