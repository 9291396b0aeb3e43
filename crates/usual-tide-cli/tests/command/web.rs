//! The module for web views, on change sets that the library makes, by Node's test runner.

use fastrand::Rng;
use serde_json::{Value, json};
use std::fmt::Write as _;
use std::path::Path;
use std::process::Command;
use usual_tide::record::{FieldName, Record, parse};
use usual_tide::{Feed, Group, ListId, Place, Query, Sort, Store};

fn piece(rng: &mut Rng, id: u32) -> Record {
    let shelf = ["A", "B", "C", "D"][rng.usize(..4)];
    let title = ["Bowl", "Mug", "Vase", "Jug"][rng.usize(..4)];
    let text = format!(
        r#"[{{"id": {id}, "title": "{title}", "shelf": "{shelf}", "n": {}}}]"#,
        rng.u8(..)
    );
    parse(&text, &FieldName::parse("id").unwrap())
        .unwrap()
        .remove(0)
}

/// One to four edits, and now and then another query.
fn edit(rng: &mut Rng, store: &mut Store<Record>, list: ListId) {
    for _ in 0..rng.usize(1..5) {
        let keys: Vec<_> = store
            .items()
            .map(|item| usual_tide::Item::key(&**item).clone())
            .collect();
        let some = |rng: &mut Rng| keys[rng.usize(..keys.len())].clone();
        match rng.u8(..8) {
            0 | 1 if store.len() < 12 => {
                let id = rng.u32(..1000);
                // A key that is there already is refused.
                let _ = store.add(piece(rng, id), Place::Start);
            }
            2 if store.len() > 3 => drop(store.remove(&some(rng)).unwrap()),
            3 => drop(store.move_to(&some(rng), Place::End).unwrap()),
            4 if rng.u8(..4) == 0 => {
                let sort = ["title", "-n", "shelf,n", "id"][rng.usize(..4)];
                let sort = Sort::parse(sort).unwrap();
                store
                    .list_mut(list)
                    .unwrap()
                    .change_query(|query| query.sort(sort));
            }
            5 if rng.u8(..4) == 0 => {
                let group = ["shelf", "title:initial", "title"][rng.usize(..3)];
                let group = Group::parse(group).unwrap();
                store
                    .list_mut(list)
                    .unwrap()
                    .change_query(|query| query.group(group));
            }
            _ => {
                let key = some(rng);
                let shelf = ["A", "B", "C", "D"][rng.usize(..4)];
                store
                    .edit(&key, |item| item.set("shelf", shelf.into()).unwrap())
                    .unwrap();
            }
        }
    }
}

fn rows(store: &Store<Record>, list: ListId) -> Value {
    let rows = store.list(list).unwrap();
    rows.items()
        .map(|item| Value::Object(item.to_members()))
        .collect()
}

fn sections(store: &Store<Record>, list: ListId) -> Value {
    let rows = store.list(list).unwrap();
    let sections = rows.sections().zip(0..).map(|(section, at)| {
        let items = rows
            .items_in(rows.rows_in(at))
            .map(|item| Value::Object(item.to_members()));
        let mut section = section.to_json();
        section["rows"] = items.collect();
        section
    });
    sections.collect()
}

/// A change set, with what was before it and what is after it.
fn case(
    rng: &mut Rng,
    store: &mut Store<Record>,
    list: ListId,
    feed: &Feed<Record>,
) -> Option<Value> {
    let (before, sections_before) = (rows(store, list), sections(store, list));
    edit(rng, store, list);
    let changes = feed.read(store).unwrap()?;
    let bound = store.list(list).unwrap();
    let by_section = changes.by_section().to_json(
        |at| bound.at_section_row(at).map(|row| &**row),
        |at| bound.section_at(at).map(|section| section.key().clone()),
    );
    Some(json!({
        "before": before,
        "changes": changes.to_json(),
        "after": rows(store, list),
        "sectionsBefore": sections_before,
        "bySection": by_section,
        "sectionsAfter": sections(store, list),
    }))
}

/// Runs a file of tests by Node; `None` where that is not installed.
#[expect(clippy::print_stdout, reason = "a test that was skipped says so")]
fn node(file: &str, change_sets: Option<&Path>) -> Option<String> {
    if Command::new("node").arg("--version").output().is_err() {
        println!("skipped: Node is not installed, and nothing else runs {file}");
        return None;
    }
    let mut command = Command::new("node");
    command.args(["--test", "--test-reporter", "tap"]);
    command.arg(format!("{}/web/tests/{file}", env!("CARGO_MANIFEST_DIR")));
    if let Some(path) = change_sets {
        command.env("CHANGE_SETS", path);
    }
    let tested = command.output().unwrap();
    let told = String::from_utf8_lossy(&tested.stdout).into_owned();
    assert!(
        tested.status.success(),
        "{}",
        told.chars().take(6000).collect::<String>()
    );
    Some(told)
}

#[test]
fn what_the_page_is_made_of_works() {
    if let Some(told) = node("page.test.js", None) {
        assert!(told.contains("# pass 12"), "{told}");
    }
}

#[test]
fn the_module_puts_change_sets_into_effect() {
    let mut rng = Rng::with_seed(7);
    let pieces = (0..8).map(|id| piece(&mut Rng::with_seed(u64::from(id)), id));
    let mut store = Store::load(pieces).unwrap();
    let list = store.bind(Query::new().group(Group::parse("shelf").unwrap()));
    let feed = store.feed(list).unwrap();
    let mut lines = String::new();
    let cases = std::iter::from_fn(|| Some(case(&mut rng, &mut store, list, &feed)));
    for case in cases.flatten().take(crate::cases(1_000) as usize) {
        writeln!(lines, "{case}").unwrap();
    }
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("change-sets.ndjson");
    std::fs::write(&path, lines).unwrap();
    if let Some(told) = node("change-set.test.js", Some(&path)) {
        assert!(told.contains("# pass 8"), "{told}");
    }
}
