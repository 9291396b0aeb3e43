//! `show` and `apply`: what they read and write, by other readers of the formats.

use crate::support::{command, demo, run, run_with, stderr, stdout, write};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::io::{BufRead, BufReader};

fn rows(text: &str) -> Vec<Value> {
    serde_json::from_str(text).unwrap()
}

/// What a CSV reader other than the command's own settings sees: names, then rows of text.
fn csv_rows(text: &str) -> Vec<Vec<String>> {
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .from_reader(text.as_bytes());
    let records = reader
        .records()
        .map(|row| row.unwrap().iter().map(str::to_owned).collect());
    records.collect()
}

#[test]
fn the_formats_hold_the_same_rows() {
    let file = demo("pieces.json");
    let shown = |format: &str| {
        let options = [
            "--filter",
            "shelf = 'A1'",
            "--sort",
            "-height_mm,title",
            "--format",
            format,
        ];
        let output = run(&[&["show", &file][..], &options].concat());
        assert!(output.status.success(), "{output:?}");
        stdout(&output)
    };
    let json = rows(&shown("json"));
    assert_eq!(json.len(), 34);
    let lines: Vec<Value> = shown("ndjson")
        .lines()
        .map(|line| serde_json::from_str(line).unwrap())
        .collect();
    assert_eq!(lines, json);
    let table = csv_rows(&shown("csv"));
    assert_eq!(table[0][..3], ["id", "title", "maker"]);
    let amount = table[0]
        .iter()
        .position(|name| name == "fee.amount")
        .unwrap();
    assert_eq!(table.len(), 35);
    for (cells, row) in table[1..].iter().zip(&json) {
        assert_eq!(cells[1], row["title"].as_str().unwrap());
        assert_eq!(cells[amount], row["fee"]["amount"].as_str().unwrap());
    }
}

#[test]
fn a_window_and_chosen_columns() {
    let file = demo("pieces.json");
    let whole = rows(&stdout(&run(&["show", &file, "--format", "json"])));
    let options = [
        "--skip",
        "3",
        "--take",
        "2",
        "--columns",
        "fee.amount, id,/fee/currency",
    ];
    let output = run(&[&["show", &file, "--format", "json"][..], &options].concat());
    let picked = rows(&stdout(&output));
    let expected: Vec<Value> = whole[3..5]
        .iter()
        .map(|row| json!({"fee.amount": row["fee"]["amount"], "id": row["id"], "/fee/currency": row["fee"]["currency"]}))
        .collect();
    assert_eq!(picked, expected);
    let table = run(&[&["show", &file][..], &options].concat());
    assert!(stdout(&table).starts_with("fee.amount  id      /fee/currency\n"));
    assert!(stdout(&table).ends_with("2 rows; the rest of the file was not read\n"));
    let sorted = [&["show", &file, "--sort", "id"][..], &options].concat();
    assert!(stdout(&run(&sorted)).ends_with("2 rows of 240\n"));
    let typo = run(&["show", &file, "--columns", "titel"]);
    assert_eq!(typo.status.code(), Some(1));
    assert!(stderr(&typo).contains(
        "--columns: there is no field \"titel\"; did you mean \"title\"? (the fields are id, title"
    ));
}

/// Chosen columns are made narrower before one is left out, wide letters and marks stay whole.
#[test]
fn chosen_columns_fit_a_narrow_terminal() {
    let text = json!([
        {"id": 1, "a": "釉薬の茶碗と湯呑み", "b": "e\u{301}".repeat(30)},
        {"id": 2, "a": "👩\u{200d}🎨 a painter's bowl", "b": "short"},
    ]);
    for width in [12, 20, 33] {
        let arguments = ["show", "-", "--columns", "a,b"];
        let mut child = command(&arguments)
            .env("USUAL_TIDE_COLUMNS", width.to_string())
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        std::io::Write::write_all(
            &mut child.stdin.take().unwrap(),
            text.to_string().as_bytes(),
        )
        .unwrap();
        let output = stdout(&child.wait_with_output().unwrap());
        let lines: Vec<&str> = output.lines().collect();
        for line in &lines[..3] {
            assert!(
                unicode_width::UnicodeWidthStr::width(*line) <= width,
                "{width}: {line}"
            );
        }
        assert!(!output.contains("not shown"), "{output}");
        assert!(
            !lines.iter().any(|line| line.contains("e…")),
            "a letter lost its mark: {output}"
        );
    }
}

#[test]
fn headings_tell_totals() {
    let options = [
        "--group",
        "shelf",
        "--totals",
        "height_mm:sum, fee.amount:maximum",
    ];
    let file = demo("pieces.json");
    let text = stdout(&run(&[&["show", &file][..], &options].concat()));
    let on_a1: Vec<Value> = rows(&stdout(&run(&[
        "show",
        &file,
        "--filter",
        "shelf = 'A1'",
        "--format",
        "json",
    ])));
    let sum: u64 = on_a1
        .iter()
        .map(|row| row["height_mm"].as_u64().unwrap())
        .sum();
    let heading = text.lines().find(|line| line.starts_with("A1 (")).unwrap();
    assert!(
        heading.starts_with(&format!(
            "A1 (34 rows, sum of height_mm {sum}, maximum of fee.amount "
        )),
        "{heading}"
    );
    let wrong = run(&["show", &file, "--group", "shelf", "--totals", "height_mm"]);
    assert_eq!(wrong.status.code(), Some(2));
    assert!(stderr(&wrong).contains("\"height_mm\" is no field with `:sum`"));
    assert_eq!(
        run(&["show", &file, "--totals", "height_mm:sum"])
            .status
            .code(),
        Some(2)
    );
}

#[test]
fn csv_that_is_not_right_is_refused_with_its_line() {
    let folder = tempfile::tempdir().unwrap();
    let cases: [(&str, &str); 10] = [
        ("id,title\n1,Bowl\n2\n", "line 3: 1 value under 2 names"),
        (
            "id,title\n1,\"Bowl\nwide\"\n2,Mug,3\n",
            "line 4: 3 values under 2 names",
        ),
        (
            "id,,,title\n",
            "line 1, field 3: there is another column \"\"",
        ),
        ("id,a..b\n", "line 1, field 2: a field name is empty"),
        (
            "id,fee,fee.amount\n",
            "line 1, field 3: \"fee.amount\" is in the way",
        ),
        ("id,id\n", "line 1, field 2: there is another column \"id\""),
        ("id,title\n,Bowl\n", "line 2: its field \"id\" is no key"),
        (
            "title\nBowl\n",
            "line 1: there is no column \"id\", which is to be the key, but \"title\" (--key names another)",
        ),
        (
            "id;title\n1;Bowl\n",
            "perhaps ';' is what separates the values (--delimiter)",
        ),
        (
            "id\n1\n1\n",
            "a key belongs to more than one item: 1 at 0, 1",
        ),
    ];
    for (text, expected) in cases {
        let file = write(&folder, "bad.csv", text);
        let output = run(&["show", &file]);
        assert_eq!(output.status.code(), Some(1));
        assert!(stderr(&output).contains(expected), "{text:?}: {output:?}");
        assert!(stderr(&output).contains("bad.csv"), "{output:?}");
    }
    let json = write(&folder, "rows.csv", "[{\"id\": 1}]\n[3, 4]");
    let told = stderr(&run(&["show", &json]));
    assert!(
        told.contains("(by its name it is CSV, and it looks like JSON)"),
        "{told}"
    );
    let csv = write(&folder, "rows.json", "id,title\n1,Bowl\n");
    let told = stderr(&run(&["compare", &csv, &csv]));
    assert!(
        told.contains(
            "line 1, column 1: a value is expected here (by its name it is JSON, and it looks like CSV)"
        ),
        "{told}"
    );
    let empty = write(&folder, "none.csv", "");
    assert!(stderr(&run(&["show", &empty])).contains("there are no field names"));
}

#[test]
fn csv_values_have_the_types_of_their_columns() {
    let text = "\u{feff}id,code,n,flag,fee.amount,note\r\nP-1,007,1.50,true,7.00,\r\nP-2,12,-3,false,,\"two\nlines, \"\"q\"\"\"\r\n";
    let output = run_with(&["show", "-", "--format", "json"], text.as_bytes());
    let expected = r#"[
{"id":"P-1","code":"007","n":1.50,"flag":true,"fee":{"amount":7.00},"note":null},
{"id":"P-2","code":"12","n":-3,"flag":false,"fee":{"amount":null},"note":"two\nlines, \"q\""}
]
"#;
    assert_eq!(stdout(&output), expected);
}

#[test]
fn members_keep_their_order_when_another_is_removed() {
    let folder = tempfile::tempdir().unwrap();
    let items = write(
        &folder,
        "items.json",
        r#"[{"id": 1, "a": 1, "b": {"x": 1, "y": 2, "z": 3}, "c": 3, "d": 4}]"#,
    );
    let patch = r#"[{"op": "remove", "path": "/0/a"}, {"op": "remove", "path": "/0/b/x"},
        {"op": "move", "from": "/0/b/y", "path": "/0/y"}, {"op": "move", "from": "/0/c", "path": "/0/e"}]"#;
    let applied = run_with(&["apply", &items, "-"], patch.as_bytes());
    let expected = "[\n{\"id\":1,\"b\":{\"z\":3},\"d\":4,\"y\":2,\"e\":3}\n]\n";
    assert_eq!(stdout(&applied), expected, "{applied:?}");
    let edit = r#"{"op": "edit", "key": 1, "merge": {"a": null, "b": {"x": null}, "e": 5}}"#;
    let replayed = run_with(
        &["replay", &items, "-", "--format", "json"],
        edit.as_bytes(),
    );
    let expected = r#"{"id":1,"b":{"y":2,"z":3},"c":3,"d":4,"e":5}"#;
    assert!(stdout(&replayed).contains(expected), "{replayed:?}");
}

#[test]
fn apply_gives_the_rows_after() {
    let (old, new) = (demo("pieces.json"), demo("pieces-later.json"));
    let after = rows(&std::fs::read_to_string(&new).unwrap());
    for format in ["json", "json-patch"] {
        let changes = run(&["compare", &old, &new, "--format", format]).stdout;
        let applied = run_with(&["apply", &old, "-"], &changes);
        assert_eq!(rows(&stdout(&applied)), after, "{format}");
        // For other rows it is refused as a whole.
        let refused = run_with(&["apply", &new, "-"], &changes);
        assert_eq!(refused.status.code(), Some(1), "{format}");
        assert_eq!(stdout(&refused), "");
        assert!(
            stderr(&refused).starts_with("usual-tide: standard input: "),
            "{refused:?}"
        );
    }
}

#[test]
fn apply_replaces_its_output_as_a_whole() {
    #[cfg(unix)]
    use std::os::unix::fs::PermissionsExt;
    let folder = tempfile::tempdir().unwrap();
    let file = write(
        &folder,
        "rows.ndjson",
        "{\"id\": 1, \"n\": 1.50}\n{\"id\": 2}\n",
    );
    #[cfg(unix)]
    std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o640)).unwrap();
    let good = r#"{"before": 2, "after": 1, "removed": [{"at": 1, "key": 2}]}"#;
    let output = run_with(&["apply", &file, "-", "-o", &file], good.as_bytes());
    assert!(output.status.success(), "{output:?}");
    assert_eq!(
        std::fs::read_to_string(&file).unwrap(),
        "{\"id\":1,\"n\":1.50}\n"
    );
    #[cfg(unix)]
    assert_eq!(
        std::fs::metadata(&file).unwrap().permissions().mode() & 0o777,
        0o640
    );

    for bad in [
        good,
        "[{\"op\": \"remove\", \"path\": \"/7\"}]",
        "[{\"op\": \"replace\", \"path\": \"\", \"value\": 3}]",
        "[{\"op\": \"copy\", \"from\": \"/0\", \"path\": \"/0\"}]",
        "[{\"op\": \"vanish\"}]",
        "7",
        "{",
    ] {
        let output = run_with(&["apply", &file, "-", "-o", &file], bad.as_bytes());
        assert_eq!(output.status.code(), Some(1), "{bad}");
        assert_eq!(
            std::fs::read_to_string(&file).unwrap(),
            "{\"id\":1,\"n\":1.50}\n"
        );
    }
    let nowhere = format!("{}/none/rows.csv", folder.path().display());
    let output = run_with(&["apply", &file, "-", "-o", &nowhere], b"[]");
    assert!(
        stderr(&output).contains("cannot be written, and is as it was"),
        "{output:?}"
    );
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(20)) })]

    /// Texts of any kind come through CSV unharmed, as far as CSV tells them apart.
    #[test]
    fn csv_is_read_back_the_same(texts in prop::collection::vec("\\PC{0,12}|[,\"\r\n x]{0,6}", 1..12)) {
        let items: Vec<Value> = texts.iter().enumerate()
            // A letter keeps the column text, and apart from what is empty.
            .map(|(id, text)| json!({"id": id, "text": format!("t{text}"), "in": {"ner": text.len()}}))
            .collect();
        let csv = run_with(&["show", "-", "--format", "csv"], json!(items).to_string().as_bytes());
        let table = csv_rows(&stdout(&csv));
        for (cells, item) in table[1..].iter().zip(&items) {
            prop_assert_eq!(&cells[1], item["text"].as_str().unwrap());
        }
        let folder = tempfile::tempdir().unwrap();
        let file = write(&folder, "rows.csv", &stdout(&csv));
        let back = run(&["show", &file, "--format", "json"]);
        prop_assert_eq!(rows(&stdout(&back)), items);
    }
}

/// Every command takes a hundred thousand rows, and a reader that goes away is no error.
#[test]
fn large_files_and_readers_that_go_away() {
    let folder = tempfile::tempdir().unwrap();
    let csv = |name: &str, rows: u32| {
        let lines = (0..rows).map(|id| format!("{id},Piece {},{}\n", id % 977, id % 7 == 0));
        let text = format!("id,title,fired\n{}", lines.collect::<String>());
        write(&folder, name, &text)
    };
    // Several times as much as a pipe holds.
    let file = csv("long.csv", 20_000);
    for format in ["table", "json", "ndjson", "csv"] {
        let mut show = std::process::Command::new(env!("CARGO_BIN_EXE_usual-tide"))
            .args(["show", &file, "--sort", "title", "--format", format])
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        // Whoever reads it goes away after two lines.
        let lines = BufReader::new(show.stdout.take().unwrap()).lines();
        assert_eq!(lines.take(2).map(Result::unwrap).count(), 2);
        let output = show.wait_with_output().unwrap();
        assert_eq!(stderr(&output), "", "{format}");
    }
    let file = csv("large.csv", 100_000);
    let script = write(
        &folder,
        "script.ndjson",
        "{\"op\": \"remove\", \"keys\": [7]}\n{\"op\": \"query\", \"filter\": \"fired = TRUE\"}\n",
    );
    let output = run(&["replay", &file, &script, "--check"]);
    assert!(output.status.success(), "{output:?}");
    assert!(
        stdout(&output).contains("85714 left; 85714 of 99999 rows touched"),
        "{}",
        stdout(&output).lines().last().unwrap()
    );
}
