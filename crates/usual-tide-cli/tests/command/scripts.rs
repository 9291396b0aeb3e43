//! `replay` and `verify`: edit scripts, and traces of what a view saw.

use crate::support::{demo, run, run_with, stderr, stdout, write};
use proptest::prelude::*;
use serde_json::{Value, json};

const ITEMS: &str =
    r#"[{"id": 1, "n": 1}, {"id": 2, "n": 2}, {"id": 3, "n": 3}, {"id": 4, "n": 4}]"#;

#[test]
fn the_evening_is_in_step_under_every_query() {
    let (pieces, evening) = (demo("pieces.json"), demo("evening.ndjson"));
    let also = [
        r#"{"sort": "-height_mm,title"}"#,
        r#"{"group": "due:week", "sort": "title"}"#,
        r#"{"filter": "fired = FALSE", "group": "-shelf", "take": 20}"#,
        r#"{"search": "bowl", "skip": 2, "sort": "fee.amount"}"#,
    ];
    let mut arguments = vec!["replay", &pieces, &evening, "--check", "--numbered"];
    arguments.extend(also.iter().flat_map(|query| ["--also", query]));
    let output = run(&arguments);
    assert!(output.status.success(), "{}", stderr(&output));
    assert!(stdout(&output).ends_with("41 edits; after each, 5 copies equal their lists\n"));
}

/// Each step of the JSON form is a change set from the rows of the step before.
#[test]
fn steps_as_json_chain() {
    let script = [
        json!({"op": "add", "item": {"id": 9, "n": 9}, "place": {"gap": 1}}),
        json!({"op": "edit", "key": 2, "merge": {"n": null, "note": "again"}}),
        json!({"op": "move", "keys": [3, 1], "place": {"row": 3}}),
        json!({"op": "batch", "ops": [{"op": "remove", "keys": [4]}, {"op": "add", "item": {"id": 4}}]}),
        json!({"op": "undo"}),
        json!({"op": "redo"}),
        json!({"op": "query", "filter": "id < 4"}),
        json!({"op": "move", "keys": [1], "place": {"gap": 0}, "list": 1}),
        json!({"op": "add", "item": {"id": 0}, "place": {"after": 3}, "list": 1}),
    ];
    let text: String = script.iter().map(|line| format!("{line}\n")).collect();
    let folder = tempfile::tempdir().unwrap();
    let (items, trace) = (
        write(&folder, "items.json", ITEMS),
        folder.path().join("trace.ndjson"),
    );
    let trace = trace.to_str().unwrap();
    let output = run_with(
        &["replay", &items, "-", "--format", "json", "--trace", trace],
        text.as_bytes(),
    );
    let steps: Vec<Value> = stdout(&output)
        .lines()
        .map(|line| serde_json::from_str(line).unwrap())
        .collect();
    let changes = |step: usize| &steps[step]["lists"][0]["changes"];
    assert_eq!(steps[1]["op"], "edit");
    assert_eq!(steps[1]["line"], 2);
    assert_eq!(changes(0)["inserted"][0]["at"], 1);
    assert_eq!(changes(1)["updated"][0]["fields"], json!(["/n", "/note"]));
    assert_eq!(
        changes(1)["updated"][0]["item"],
        json!({"id": 2, "note": "again"})
    );
    // 1 9 2 3 4 became 9 2 4 1 3, and no fewer than two can be lifted for that.
    assert_eq!(changes(2)["moved"].as_array().unwrap().len(), 2);
    let rows: Vec<Value> = std::fs::read_to_string(trace)
        .unwrap()
        .lines()
        .map(|line| serde_json::from_str::<Value>(line).unwrap())
        .filter_map(|line| line.get("rows").cloned())
        .collect();
    assert_eq!(rows[3], json!([9, 2, 4, 1, 3]));
    assert_eq!(rows[4], json!([9, 2, 1, 3, 4]));
    assert_eq!(rows[5], rows[3]);
    assert_eq!(rows[6], rows[4]);
    assert_eq!(
        rows[7..],
        [json!([2, 1, 3]), json!([1, 2, 3]), json!([1, 2, 3, 0])]
    );
    assert!(run(&["verify", trace]).status.success());
}

#[test]
fn what_is_wrong_with_a_script_is_told_with_its_line() {
    let folder = tempfile::tempdir().unwrap();
    let items = write(&folder, "items.json", ITEMS);
    let cases: [(&str, &str); 16] = [
        ("{\"op\": \"add\"", "line 2: column 12:"),
        ("[]", "line 2: expected an object, found an array"),
        ("{\"key\": 1}", "the member \"op\" is missing"),
        (
            "{\"op\": \"delete\"}",
            "there is no edit \"delete\"; there are add",
        ),
        (
            "{\"op\": \"edit\", \"key\": 1}",
            "the member \"merge\" is missing",
        ),
        (
            "{\"op\": \"edit\", \"key\": 1.5, \"merge\": {}}",
            "\"key\": a key is a string or an integer",
        ),
        (
            "{\"op\": \"undo\", \"times\": 2}",
            "there is no member \"times\" here",
        ),
        (
            "{\"op\": \"move\", \"keys\": [1], \"place\": \"top\"}",
            "\"top\" is no place",
        ),
        (
            "{\"op\": \"move\", \"keys\": [1], \"place\": {\"row\": 4}}",
            "position 4",
        ),
        ("{\"op\": \"remove\", \"keys\": [1, 7]}", "7"),
        (
            "{\"op\": \"edit\", \"key\": 1, \"merge\": {\"id\": 5}}",
            "key",
        ),
        ("{\"op\": \"add\", \"item\": {\"id\": 4}}", "4"),
        (
            "{\"op\": \"batch\", \"ops\": [{\"op\": \"undo\"}]}",
            "part 1 of the batch: \"undo\" is not allowed in a batch",
        ),
        (
            "{\"op\": \"batch\", \"ops\": [{\"op\": \"remove\", \"keys\": [1]}, {\"op\": \"remove\", \"keys\": [1]}]}",
            "part 2 of the batch",
        ),
        (
            "{\"op\": \"query\", \"sort\": \"m\"}",
            "--sort: column 1: there is no field \"m\"",
        ),
        (
            "{\"op\": \"query\", \"list\": 2}",
            "there is no list 2; there are 1",
        ),
    ];
    for (line, expected) in cases {
        let script = format!("{{\"op\": \"move\", \"keys\": [1], \"place\": \"end\"}}\n{line}\n");
        let output = run_with(&["replay", &items, "-"], script.as_bytes());
        assert_eq!(output.status.code(), Some(1), "{line}");
        let told = stderr(&output);
        assert!(
            told.starts_with("usual-tide: standard input, line 2: ") && told.contains(expected),
            "{line}: {told}"
        );
    }
    let also = run(&["replay", &items, &items, "--also", "{\"order\": 1}"]);
    assert_eq!(also.status.code(), Some(1));
}

#[test]
fn refused_edits_can_be_passed_over() {
    let folder = tempfile::tempdir().unwrap();
    let items = write(&folder, "items.json", ITEMS);
    let script = "{\"op\": \"undo\"}\n{\"op\": \"remove\", \"keys\": [7]}\n\n{\"op\": \"remove\", \"keys\": [1]}\n";
    let output = run_with(
        &["replay", &items, "-", "--keep-going", "--check"],
        script.as_bytes(),
    );
    assert!(output.status.success(), "{output:?}");
    let text = stdout(&output);
    assert!(text.contains("refused: there is nothing to undo"), "{text}");
    assert!(text.contains("  4  remove 1\n"), "{text}");
    assert!(
        text.ends_with("3 edits, 2 refused; after each, 1 copy equals its list\n"),
        "{text}"
    );
}

#[test]
fn the_demo_traces_have_the_causes_that_they_are_named_after() {
    let good = run(&["verify", &demo("trace-good.ndjson")]);
    assert!(
        stdout(&good).starts_with("in step: 37 change sets"),
        "{good:?}"
    );
    let causes = [
        "target-before-lift",
        "older-version",
        "without-notice",
        "duplicate-key",
        "wrong-order",
        "left-out",
    ];
    for cause in causes {
        let file = demo(&format!("trace-{cause}.ndjson"));
        let output = run(&["verify", &file, "--format", "json"]);
        assert_eq!(output.status.code(), Some(1), "{cause}");
        let report: Value = serde_json::from_str(&stdout(&output)).unwrap();
        assert_eq!(report["cause"], cause);
        let lines = std::fs::read_to_string(&file).unwrap().lines().count();
        assert_eq!(report["line"], lines, "the view parts at the last line");
        assert_eq!(stderr(&output), "", "it is told once");
        let text = stdout(&run(&["verify", &file]));
        assert!(
            text.contains("likely cause: ") && text.contains("what helps: "),
            "{text}"
        );
    }
}

#[test]
fn lines_that_are_none_are_told() {
    let cases: [(&str, &str); 7] = [
        ("", "line 1: the trace is empty"),
        (
            "{\"changes\": {\"before\": 0, \"after\": 0}}",
            "line 1: a trace begins with the rows",
        ),
        (
            "{\"rows\": [1]}\n{\"rows\": 3}",
            "line 2: \"rows\" is no array of keys",
        ),
        (
            "{\"rows\": [1]}\n{\"row\": 3}",
            "line 2: a line of a trace has either",
        ),
        (
            "{\"rows\": [1]}\n{\"changes\": {\"before\": 1}}",
            "line 2: the change set's \"after\" is no whole number",
        ),
        ("{\"rows\": [1]}\n\n{]", "line 3: column 2"),
        (
            "{\"rows\": [null]}",
            "line 1: a key is a string or an integer",
        ),
    ];
    for (trace, expected) in cases {
        let output = run_with(&["verify", "-"], trace.as_bytes());
        assert_eq!(output.status.code(), Some(1));
        assert!(stderr(&output).contains(expected), "{trace:?}: {output:?}");
    }
}

/// Change sets that do not fit have causes too.
#[test]
fn change_sets_that_do_not_fit() {
    let set = |before: usize, after: usize, part: &str, row: Value| {
        let mut set = json!({"before": before, "after": after});
        set[part] = json!([row]);
        json!({"changes": set}).to_string()
    };
    let rows = json!({"rows": [1, 2, 3]}).to_string();
    let cases = [
        // The same set twice: the second was made for the rows of line 1.
        (
            [
                set(3, 3, "moved", json!({"from": 2, "to": 0, "key": 3})),
                set(3, 3, "moved", json!({"from": 2, "to": 0, "key": 3})),
            ],
            "older-version",
        ),
        (
            [
                set(3, 4, "inserted", json!({"at": 0, "key": 4})),
                set(4, 5, "inserted", json!({"at": 0, "key": 2})),
            ],
            "duplicate-key",
        ),
        (
            [
                set(3, 2, "removed", json!({"at": 0, "key": 1})),
                set(7, 6, "removed", json!({"at": 5, "key": 9})),
            ],
            "without-notice",
        ),
    ];
    for ([one, two], cause) in cases {
        let trace = format!("{rows}\n{one}\n{two}\n");
        let output = run_with(&["verify", "-", "--format", "json"], trace.as_bytes());
        let report: Value = serde_json::from_str(&stdout(&output)).unwrap();
        assert_eq!(
            (report["line"].as_u64(), report["cause"].as_str()),
            (Some(3), Some(cause)),
            "{report}"
        );
    }
}

/// An edit of a random script.
fn op() -> impl Strategy<Value = Value> {
    let key = || 0..12_u8;
    let place = prop_oneof![
        Just(json!("start")),
        Just(json!("end")),
        (0..6_usize).prop_map(|n| json!({"gap": n})),
        (0..5_usize).prop_map(|n| json!({"row": n})),
        key().prop_map(|key| json!({"before": key})),
        key().prop_map(|key| json!({"after": key})),
    ];
    let plain = prop_oneof![
        (key(), 0..4_u8, place.clone()).prop_map(
            |(id, n, place)| json!({"op": "add", "item": {"id": id, "n": n}, "place": place})
        ),
        (key(), 0..4_u8).prop_map(|(key, n)| json!({"op": "edit", "key": key, "merge": {"n": n}})),
        key().prop_map(|key| json!({"op": "remove", "keys": [key]})),
        (prop::collection::btree_set(key(), 1..3), place)
            .prop_map(|(keys, place)| json!({"op": "move", "keys": keys, "place": place})),
    ];
    let batch = prop::collection::vec(plain.clone(), 1..4)
        .prop_map(|ops| json!({"op": "batch", "ops": ops}));
    let query = prop_oneof![
        Just(json!({"op": "query", "filter": "n > 1"})),
        Just(json!({"op": "query", "filter": null, "sort": "-n"})),
        Just(json!({"op": "query", "group": "n", "sort": null})),
        Just(json!({"op": "query", "group": null})),
    ];
    prop_oneof![
        8 => plain,
        1 => batch,
        1 => query,
        1 => Just(json!({"op": "undo"})),
        1 => Just(json!({"op": "redo"})),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(20)) })]

    /// Whatever the script, copies kept by change sets equal their lists, and the trace verifies.
    #[test]
    fn random_scripts_stay_in_step(ops in prop::collection::vec(op(), 0..25)) {
        let folder = tempfile::tempdir().unwrap();
        let items = write(&folder, "items.json", ITEMS);
        let lines: String = ops.iter().map(|op| format!("{op}\n")).collect();
        let script = write(&folder, "script.ndjson", &lines);
        let trace = folder.path().join("trace.ndjson");
        let trace = trace.to_str().unwrap();
        let also = r#"{"group": "n"}"#;
        let output = run(&[
            "replay", &items, &script, "--check", "--keep-going", "--also", also, "--trace", trace,
        ]);
        prop_assert!(output.status.success(), "{}", stderr(&output));
        let verified = run(&["verify", trace]);
        prop_assert!(verified.status.success(), "{}", stderr(&verified));
    }

    /// A view that takes one off the target of a move down is found out, wherever the move.
    #[test]
    fn a_target_counted_before_the_lift_is_recognised(len in 4..30_usize, from in 0..27_usize, further in 2..28_usize) {
        prop_assume!(from + further < len);
        let to = from + further;
        let moved = |to: usize| {
            let mut rows: Vec<usize> = (0..len).collect();
            let row = rows.remove(from);
            rows.insert(to, row);
            rows
        };
        let lines = [
            json!({"rows": (0..len).collect::<Vec<_>>()}),
            json!({"changes": {"before": len, "after": len, "moved": [{"from": from, "to": to, "key": from}]}}),
            json!({"rows": moved(to - 1)}),
        ];
        let trace: String = lines.iter().map(|line| format!("{line}\n")).collect();
        let output = run_with(&["verify", "-", "--format", "json"], trace.as_bytes());
        let report: Value = serde_json::from_str(&stdout(&output)).unwrap();
        prop_assert_eq!(&report["cause"], "target-before-lift");
        prop_assert_eq!(&report["expected"], &json!(moved(to)));
    }
}
