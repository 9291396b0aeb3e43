//! `usual-tide compare --format json` against an independent reading of the change set's meaning.

use crate::support::{demo, run, stdout, write};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::{HashMap, HashSet};

/// Puts a change set into effect by its written rule, on plain JSON.
fn applied(set: &Value, before: &[Value]) -> Vec<Value> {
    let at = |row: &Value, name: &str| row[name].as_u64().unwrap() as usize;
    let rows = |name: &str| set[name].as_array().unwrap().iter();
    assert_eq!(set["before"], before.len());
    let mut arriving: Vec<(usize, Value)> = Vec::new();
    let mut out: HashSet<usize> = rows("removed").map(|row| at(row, "at")).collect();
    for row in rows("moved") {
        assert_eq!(before[at(row, "from")]["id"], row["key"]);
        assert!(out.insert(at(row, "from")));
        arriving.push((at(row, "to"), before[at(row, "from")].clone()));
    }
    for row in rows("removed") {
        assert_eq!(before[at(row, "at")]["id"], row["key"]);
    }
    for row in rows("inserted") {
        assert_eq!(row["item"]["id"], row["key"]);
        arriving.push((at(row, "at"), row["item"].clone()));
    }
    let still = (0..before.len()).filter(|position| !out.contains(position));
    let mut after: Vec<Value> = still.map(|position| before[position].clone()).collect();
    arriving.sort_by_key(|row| row.0);
    for (position, item) in arriving {
        after.insert(position, item);
    }
    for row in rows("updated") {
        assert_eq!(before[at(row, "from")]["id"], row["key"]);
        assert_eq!(after[at(row, "to")]["id"], row["key"]);
        let fields: Vec<&str> = row["fields"]
            .as_array()
            .unwrap()
            .iter()
            .map(|f| f.as_str().unwrap())
            .collect();
        assert_eq!(fields, differing(&before[at(row, "from")], &row["item"]));
        after[at(row, "to")] = row["item"].clone();
    }
    assert_eq!(set["after"], after.len());
    after
}

/// Top-level members that differ; the tests' items are flat but for `fee`.
fn differing(one: &Value, two: &Value) -> Vec<String> {
    let mut names = Vec::new();
    for (name, value) in one.as_object().unwrap() {
        match (value, two.get(name)) {
            (Value::Object(inner), Some(Value::Object(other))) => {
                for (member, value) in inner {
                    if other.get(member) != Some(value) {
                        names.push(format!("/{name}/{member}"));
                    }
                }
            }
            (value, other) if other != Some(value) => names.push(format!("/{name}")),
            _ => {}
        }
    }
    names
}

/// The length of the longest increasing subsequence, by patience.
fn longest(sequence: &[usize]) -> usize {
    let mut ends: Vec<usize> = Vec::new();
    for value in sequence {
        let at = ends.partition_point(|end| end < value);
        if at == ends.len() {
            ends.push(*value);
        } else {
            ends[at] = *value;
        }
    }
    ends.len()
}

fn check(old: &str, new: &str, before: &[Value], after: &[Value]) {
    check_with(&[], old, new, before, after);
}

fn check_with(options: &[&str], old: &str, new: &str, before: &[Value], after: &[Value]) {
    let output = run(&[&["compare", old, new, "--format", "json"], options].concat());
    assert!(output.status.success(), "{output:?}");
    let set: Value = serde_json::from_str(&stdout(&output)).unwrap();
    assert_eq!(applied(&set, before), after);
    let places: HashMap<String, usize> = before
        .iter()
        .enumerate()
        .map(|(at, row)| (row["id"].to_string(), at))
        .collect();
    let kept: Vec<usize> = after
        .iter()
        .filter_map(|row| places.get(&row["id"].to_string()).copied())
        .collect();
    assert_eq!(
        set["moved"].as_array().unwrap().len(),
        kept.len() - longest(&kept)
    );
    let updated: HashSet<String> = set["updated"]
        .as_array()
        .unwrap()
        .iter()
        .map(|row| row["key"].to_string())
        .collect();
    for row in after {
        let differs = places
            .get(&row["id"].to_string())
            .is_some_and(|at| before[*at] != *row);
        assert_eq!(updated.contains(&row["id"].to_string()), differs);
    }
}

fn items(text: &str) -> Vec<Value> {
    serde_json::from_str(text).unwrap()
}

#[test]
fn the_demo_files_compare_by_the_rule() {
    let (old, new) = (demo("pieces.json"), demo("pieces-later.json"));
    let read = |file: &str| items(&std::fs::read_to_string(file).unwrap());
    check(&old, &new, &read(&old), &read(&new));
    check(&new, &old, &read(&new), &read(&old));
    check(&old, &old, &read(&old), &read(&old));
}

fn rows(seeds: &[(u8, u8)]) -> Vec<Value> {
    let mut seen = HashSet::new();
    seeds
        .iter()
        .filter(|(key, _)| seen.insert(*key))
        .map(|(key, version)| {
            let key = if key % 2 == 0 {
                json!(key)
            } else {
                json!(format!("P-{key}"))
            };
            json!({"id": key, "n": version % 3, "fee": {"amount": version % 2}})
        })
        .collect()
}

/// A query, as options and as a plain evaluation of its own.
#[derive(Clone, Debug)]
struct Asked {
    filter: bool,
    search: bool,
    sort: u8,
    group: u8,
    skip: usize,
    take: Option<usize>,
}

impl Asked {
    fn options(&self) -> Vec<String> {
        let mut options: Vec<&str> = Vec::new();
        if self.filter {
            options.extend(["--filter", "n > 0"]);
        }
        if self.search {
            options.extend(["--search", "p 1"]);
        }
        match self.sort {
            1 => options.extend(["--sort", "-n"]),
            2 => options.extend(["--sort", "fee.amount,-n"]),
            _ => {}
        }
        match self.group {
            1 => options.extend(["--group", "n"]),
            2 => options.extend(["--group", "-fee.amount"]),
            _ => {}
        }
        let mut options: Vec<String> = options.into_iter().map(str::to_owned).collect();
        options.extend(["--skip".to_owned(), self.skip.to_string()]);
        if let Some(rows) = self.take {
            options.extend(["--take".to_owned(), rows.to_string()]);
        }
        options
    }

    fn rows(&self, items: &[Value]) -> Vec<Value> {
        let n = |row: &Value| row["n"].as_i64().unwrap();
        let amount = |row: &Value| row["fee"]["amount"].as_i64().unwrap();
        // Keys that are text hold "P-"; the other word is a part of some.
        let found = |row: &Value| row["id"].as_str().is_some_and(|id| id.contains('1'));
        let mut rows = items.to_vec();
        rows.retain(|row| !self.filter || n(row) > 0);
        rows.retain(|row| !self.search || found(row));
        match self.sort {
            1 => rows.sort_by_key(|row| -n(row)),
            2 => rows.sort_by_key(|row| (amount(row), -n(row))),
            _ => {}
        }
        match self.group {
            1 => rows.sort_by_key(n),
            2 => rows.sort_by_key(|row| -amount(row)),
            _ => {}
        }
        let rows = rows.into_iter().skip(self.skip);
        rows.take(self.take.unwrap_or(usize::MAX)).collect()
    }
}

fn asked() -> impl Strategy<Value = Asked> {
    let take = prop::option::of(0..30_usize);
    let parts = (
        any::<bool>(),
        any::<bool>(),
        0..3_u8,
        0..3_u8,
        0..4_usize,
        take,
    );
    parts.prop_map(|(filter, search, sort, group, skip, take)| Asked {
        filter,
        search,
        sort,
        group,
        skip,
        take,
    })
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(30)) })]

    #[test]
    fn random_files_compare_by_the_rule(
        one in prop::collection::vec((0..40u8, any::<u8>()), 0..40),
        two in prop::collection::vec((0..40u8, any::<u8>()), 0..40),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let (before, after) = (rows(&one), rows(&two));
        let old = write(&folder, "old.json", &json!(before).to_string());
        // NDJSON for the other, which must read the same.
        let lines: Vec<String> = after.iter().map(Value::to_string).collect();
        let new = write(&folder, "new.ndjson", &lines.join("\n"));
        check(&old, &new, &before, &after);
    }

    /// Under any query it is the change between what a plain evaluation of the query shows of each file.
    #[test]
    fn random_files_compare_by_the_rule_under_a_query(
        one in prop::collection::vec((0..40u8, any::<u8>()), 1..40),
        two in prop::collection::vec((0..40u8, any::<u8>()), 1..40),
        asked in asked(),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let (before, after) = (rows(&one), rows(&two));
        // A search needs a text to look into.
        prop_assume!(before.iter().chain(&after).any(|row| row["id"].is_string()));
        let old = write(&folder, "old.json", &json!(before).to_string());
        let new = write(&folder, "new.json", &json!(after).to_string());
        let options = asked.options();
        let options: Vec<&str> = options.iter().map(String::as_str).collect();
        check_with(&options, &old, &new, &asked.rows(&before), &asked.rows(&after));
    }
}

#[test]
fn a_hundred_thousand_rows_compare_by_the_rule() {
    let folder = tempfile::tempdir().unwrap();
    let count = 100_000_u32;
    let before: Vec<Value> = (0..count)
        .map(|key| json!({"id": key, "n": key % 7}))
        .collect();
    // Some go, some come, some change, and a scattered tenth is put elsewhere.
    let mut after: Vec<(u32, Value)> = before
        .iter()
        .zip(0..count)
        .filter(|(_, key)| key % 50 != 3)
        .map(|(row, key)| {
            let place = if key % 10 == 4 {
                key.wrapping_mul(2_654_435_761) % count
            } else {
                key
            };
            let n = if key % 33 == 0 { 9 } else { key % 7 };
            let mut row = row.clone();
            row["n"] = n.into();
            (place, row)
        })
        .collect();
    after.extend((0..2_000).map(|new| (new * 41, json!({"id": format!("N-{new}"), "n": 1}))));
    after.sort_by_key(|row| row.0);
    let after: Vec<Value> = after.into_iter().map(|row| row.1).collect();
    let old = write(&folder, "old.json", &json!(before).to_string());
    let new = write(&folder, "new.json", &json!(after).to_string());
    let output = run(&["compare", &old, &new, "--format", "json"]);
    let set: Value = serde_json::from_str(&stdout(&output)).unwrap();
    let kept: Vec<usize> = after
        .iter()
        .filter_map(|row| row["id"].as_u64())
        .map(|key| key as usize)
        .collect();
    assert_eq!(
        set["moved"].as_array().unwrap().len(),
        kept.len() - longest(&kept)
    );
    assert_eq!(set["inserted"].as_array().unwrap().len(), 2_000);
    assert_eq!(set["removed"].as_array().unwrap().len(), 2_000);
    assert!(applied(&set, &before) == after);
}

#[test]
fn a_sorted_comparison_speaks_of_sorted_rows() {
    let (old, new) = (demo("pieces.json"), demo("pieces-later.json"));
    let shown = |file: &str| {
        let output = run(&[
            "show",
            file,
            "--sort",
            "-height_mm,fee.amount",
            "--format",
            "json",
        ]);
        items(&stdout(&output))
    };
    let output = run(&[
        "compare",
        &old,
        &new,
        "--sort",
        "-height_mm,/fee/amount",
        "--format",
        "json",
    ]);
    let set: Value = serde_json::from_str(&stdout(&output)).unwrap();
    assert_eq!(applied(&set, &shown(&old)), shown(&new));
}

#[test]
fn rows_that_show_another_number_are_counted() {
    let folder = tempfile::tempdir().unwrap();
    let old = write(&folder, "old.json", r#"[{"id": 1}, {"id": 2}, {"id": 3}]"#);
    let new = write(&folder, "new.json", r#"[{"id": 2}, {"id": 3}]"#);
    let text = stdout(&run(&["compare", &old, &new, "--numbered"]));
    assert!(
        text.ends_with("(33.3 %)\n2 rows did not move and have another number, since rows came or went above them\n"),
        "{text}"
    );
}

#[test]
fn numbers_and_member_order_compare_by_value() {
    let folder = tempfile::tempdir().unwrap();
    let old = write(
        &folder,
        "old.json",
        r#"[{"id": 1, "n": 1, "big": 9007199254740993, "s": null}]"#,
    );
    let same = write(
        &folder,
        "same.json",
        r#"[{"n": 1.0, "s": null, "big": 9.007199254740993e15, "id": 1}]"#,
    );
    let other = write(
        &folder,
        "other.json",
        r#"[{"id": 1, "n": 1, "big": 9007199254740992}]"#,
    );
    assert_eq!(
        stdout(&run(&["compare", &old, &same])),
        "nothing changed; 0 of 1 row touched (0.0 %)\n"
    );
    let output = run(&["compare", &old, &other, "--format", "json"]);
    let set: Value = serde_json::from_str(&stdout(&output)).unwrap();
    assert_eq!(set["updated"][0]["fields"], json!(["/big", "/s"]));
    assert!(stdout(&output).contains("9007199254740992"));
}
