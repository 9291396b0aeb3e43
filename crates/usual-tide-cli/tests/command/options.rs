//! The command as a process: what it prints, and how it refuses.

use crate::support::{command, demo, run, run_with, stderr, stdout, write};
use serde_json::Value;
use std::process::Command;
use unicode_width::UnicodeWidthStr;

/// One clear line on standard error, exit status 1, nothing on standard output.
fn assert_refused(arguments: &[&str], expected: &[&str]) {
    let output = run(arguments);
    assert_eq!(output.status.code(), Some(1), "{output:?}");
    assert_eq!(stdout(&output), "");
    let message = stderr(&output);
    assert_eq!(message.lines().count(), 1, "{message}");
    for part in expected {
        assert!(message.contains(part), "{part:?} is not in {message}");
    }
}

#[test]
fn bad_files_are_refused_with_one_line() {
    let folder = tempfile::tempdir().unwrap();
    let cases: &[(&str, &[&str])] = &[
        (
            "[{\"id\": 1},\n {\"id\": }]",
            &["line 2, column 9", "a value is expected"],
        ),
        (
            "[{\"id\": 1}",
            &["line 1, column 10", "the text ends within a list"],
        ),
        ("", &["line 1, column 1"]),
        (
            "{\n \"id\": 1,\n \"n\": 2\n}",
            &["expected an array of objects, found an object"],
        ),
        (
            "\"text\"",
            &["expected an array of objects, found a string"],
        ),
        (
            "[{\"id\": 1}, 7]",
            &["element 1 (counted from 0): expected an object, found a number"],
        ),
        (
            "[{\"id\": 1}, {\"n\": 7}]",
            &["element 1 (counted from 0): it has no field \"id\""],
        ),
        (
            "[{\"id\": [1]}]",
            &["element 0", "a key is a string or an integer", "an array"],
        ),
        ("[{\"id\": 1.5}]", &["element 0", "the number 1.5"]),
        ("[{\"id\": null}]", &["element 0", "null"]),
        (
            "[{\"id\": 1}, {\"id\": \"1\"}, {\"id\": 1}, {\"id\": \"b\"}, {\"id\": \"b\"}, {\"id\": 1}]",
            &[
                "2 keys belong to more than one item",
                "1 at 0, 2, 5",
                "\"b\" at 3, 4",
            ],
        ),
        ("{\"id\": 1}\n{\"id\": 2}\n{\"id\"\n", &["line 3, column"]),
    ];
    let good = demo("pieces.json");
    for (text, expected) in cases {
        let bad = write(&folder, "bad.json", text);
        let with_file = [expected, &["bad.json"][..]].concat();
        assert_refused(&["show", &bad], &with_file);
        assert_refused(&["compare", &bad, &good], &with_file);
        assert_refused(&["compare", &good, &bad, "--format", "json"], &with_file);
    }
    let none = "no/such/file.json";
    let why = std::fs::read(none).unwrap_err().to_string();
    assert_refused(&["show", none], &[none, &why]);
    let folder_name = folder.path().to_str().unwrap();
    assert_refused(&["show", folder_name], &["directory"]);
}

#[test]
fn text_that_is_not_utf_8_is_refused_with_its_place() {
    let output = run_with(&["show", "-"], b"[{\"id\": 1},\n {\"id\": \"\xff\"}]");
    assert_eq!(output.status.code(), Some(1));
    assert!(
        stderr(&output).contains("standard input: not UTF-8"),
        "{output:?}"
    );
    assert!(
        stderr(&output).contains("offset 21 (line 2, column 10)"),
        "{output:?}"
    );
}

#[test]
fn bad_options_are_refused() {
    let file = demo("pieces.json");
    assert_refused(
        &["show", &file, "--sort", "hieght_mm"],
        &["hieght_mm", "height_mm"],
    );
    assert_refused(
        &["show", &file, "--sort", "fee"],
        &["did you mean \"fee.amount\"?"],
    );
    assert_refused(
        &["show", &file, "--columns", "currency"],
        &["--columns", "did you mean \"fee.currency\"?"],
    );
    assert_refused(
        &["show", &file, "--group", "title:week"],
        &["--group", "\"title\" holds text", "for dates"],
    );
    let totals = ["--group", "shelf", "--totals", "title:sum"];
    let sums = [&["show", &file][..], &totals].concat();
    assert_refused(&sums, &["--totals", "\"title\" holds text", "sum"]);
    assert_refused(
        &["show", &file, "--filter", "hieght_mm > 3"],
        &["--filter: column 1", "did you mean \"height_mm\"?"],
    );
    assert_refused(
        &["compare", &file, &file, "--filter", "title > 3"],
        &["column 9", "text cannot be compared with a number"],
    );
    assert_refused(&["show", &file, "--key", "maker"], &["more than one item"]);
    assert_refused(&["compare", "-", "-"], &["standard input"]);
    for usage in [
        &["show"][..],
        &["show", &file, "--format", "xml"],
        &["sing"],
        &[],
        // What can be judged without the data, whether that can be read or not.
        &["show", "none", "--sort", "title,"],
        &["show", "none", "--filter", "a ="],
        &["show", "none", "--filter", "fired"],
        &["show", "none", "--group", "a", "--totals", "x:avg"],
        &["show", "none", "--locale", "x!"],
        &["show", "none", "--locale", ""],
        &["show", "none", "--key", ""],
        &["show", "none", "--columns", "a,,b"],
        &["show", "none", "--delimiter", "ab"],
        &["compare", "a", "b", "--without-moves"],
        &["apply", "a", "b", "-o", "c.csv", "--format", "json"],
        &["serve", "a", "--listen", "nowhere"],
    ] {
        let output = run(usage);
        assert_eq!(output.status.code(), Some(2), "{usage:?}");
        assert_eq!(stdout(&output), "");
    }
}

#[test]
fn deep_and_hostile_files_get_an_error() {
    let folder = tempfile::tempdir().unwrap();
    let deep = write(&folder, "deep.json", &"[".repeat(100_000));
    assert_refused(&["show", &deep], &["nest too deep"]);
    let huge = write(
        &folder,
        "huge.json",
        &format!("[{{\"id\": {}}}]", "9".repeat(5_000)),
    );
    assert_refused(&["show", &huge], &["too large"]);
    let exponent = write(
        &folder,
        "exponent.json",
        r#"[{"id": 1, "n": 1e999999999999}, {"id": 2, "n": -1e-99999999999}]"#,
    );
    let output = run(&["show", &exponent, "--sort", "n", "--format", "json"]);
    let rows: Value = serde_json::from_str(&stdout(&output)).unwrap();
    assert_eq!(rows[0]["id"], 2);
}

#[test]
fn show_sorts_with_missing_values_last_in_either_direction() {
    let text = r#"[{"id": 1, "n": 10}, {"id": 2}, {"id": 3, "n": 9.5}, {"id": 4, "n": null}, {"id": 5, "n": 1e1}]"#;
    let ids = |sort: &str| -> Vec<u64> {
        let output = run_with(
            &["show", "-", "--sort", sort, "--format", "json"],
            text.as_bytes(),
        );
        let rows: Value = serde_json::from_str(&stdout(&output)).unwrap();
        rows.as_array()
            .unwrap()
            .iter()
            .map(|row| row["id"].as_u64().unwrap())
            .collect()
    };
    assert_eq!(ids("n"), [3, 1, 5, 2, 4]);
    assert_eq!(ids("-n"), [1, 5, 3, 2, 4]);
    assert_eq!(ids("n,-id"), [3, 5, 1, 4, 2]);
}

#[test]
fn show_prints_a_table_that_fits_and_is_aligned() {
    let pieces = demo("pieces.json");
    let arguments = ["show", &pieces, "--sort", "maker", "--numbered"];
    let in_columns = |columns: &str| {
        let output = command(&arguments)
            .env("USUAL_TIDE_COLUMNS", columns)
            .output()
            .unwrap();
        let text = stdout(&output);
        assert!(!text.contains('\u{1b}'), "colour in a pipe");
        text
    };
    let widest = |text: &str| text.lines().map(UnicodeWidthStr::width).max();
    for columns in [1, 7, 20, 40, 100] {
        let text = in_columns(&columns.to_string());
        assert!(widest(&text) <= Some(columns), "{text}");
        // A heading and the rows, a line each; then what is left out, on as many lines as that takes.
        let foot: Vec<&str> = text.lines().skip(241).collect();
        let foot = foot.concat().replace(' ', "");
        assert!(foot.starts_with("240rows;notshown:"), "{foot}");
    }
    let hundred = in_columns("100");
    assert!(hundred.starts_with("no.  id"));
    assert_eq!(hundred.lines().count(), 242);
    // Where nobody says how wide it is, nothing is left out and nothing cut.
    let all = in_columns("");
    assert!(all.ends_with("\n240 rows\n") && !all.contains('…'));
}

#[test]
fn a_filter_shows_what_it_says() {
    let filter = "fired = FALSE AND glaze IS NULL AND due < DATE('2026-03-08')";
    let output = run(&[
        "show",
        &demo("pieces.json"),
        "--filter",
        filter,
        "--format",
        "json",
    ]);
    let rows: serde_json::Value = serde_json::from_str(&stdout(&output)).unwrap();
    let rows = rows.as_array().unwrap();
    assert!((1..240).contains(&rows.len()));
    for row in rows {
        assert_eq!(
            (&row["fired"], row["glaze"].is_null()),
            (&false.into(), true)
        );
        assert!(row["due"].as_str().unwrap() < "2026-03-08");
    }
    // No items have no fields: any name will do.
    let folder = tempfile::tempdir().unwrap();
    let none = write(&folder, "none.json", "[]");
    let output = run(&["show", &none, "--filter", "fired = TRUE", "--sort", "-due"]);
    assert!(output.status.success(), "{output:?}");
}

#[test]
fn a_search_finds_words_whatever_their_case_and_accents_and_marks_them() {
    let arguments = ["show", &demo("pieces.json"), "--search", "CAFE strumpf"];
    let plain = stdout(&run(&arguments));
    let rows: Vec<&str> = plain
        .lines()
        .skip(1)
        .filter(|line| line.starts_with("P-"))
        .collect();
    assert!(!rows.is_empty());
    assert!(
        rows.iter()
            .all(|row| row.contains("Café") && row.contains("Strümpfel"))
    );
    let coloured = command(&arguments)
        .env("CLICOLOR_FORCE", "1")
        .output()
        .unwrap();
    assert!(stdout(&coloured).contains("\u{1b}[1m\u{1b}[4mCafé\u{1b}[0m"));
}

#[test]
fn sections_have_headings_with_counts_in_the_order_of_the_locale() {
    let pieces = demo("pieces.json");
    let text = stdout(&run(&[
        "show",
        &pieces,
        "--group",
        "maker:initial",
        "--locale",
        "sv",
    ]));
    let headings: Vec<&str> = text
        .lines()
        .filter(|line| line.ends_with("rows)") || line.ends_with("row)"))
        .collect();
    assert_eq!(headings.first(), Some(&"A (25 rows)"));
    // In Swedish, Ö and what is sorted with it come last.
    assert_eq!(headings.last(), Some(&"Ö (17 rows)"));

    let json = run(&["show", &pieces, "--group", "-due:week", "--format", "json"]);
    let sections: Value = serde_json::from_str(&stdout(&json)).unwrap();
    let sections = sections.as_array().unwrap();
    let counted: usize = sections
        .iter()
        .map(|section| section["rows"].as_array().unwrap().len())
        .sum();
    assert_eq!(counted, 240);
    assert!(
        sections
            .iter()
            .all(|section| section["count"] == section["rows"].as_array().unwrap().len())
    );
    let headings: Vec<&str> = sections
        .iter()
        .map(|section| section["heading"].as_str().unwrap())
        .collect();
    assert!(headings.is_sorted_by(|one, two| one > two), "{headings:?}");
    assert_eq!(sections[0]["key"], "2026-03-23");
}

#[test]
fn a_comparison_of_grouped_rows_speaks_of_sections() {
    let (old, new) = (demo("pieces.json"), demo("pieces-later.json"));
    let text = stdout(&run(&["compare", &old, &new, "--group", "glaze"]));
    assert!(
        text.contains("changed   section celadon  27 rows → 32 rows"),
        "{text}"
    );
    let json = stdout(&run(&[
        "compare", &old, &new, "--group", "glaze", "--format", "json",
    ]));
    let set: Value = serde_json::from_str(&json).unwrap();
    assert_eq!(set["sections"]["updated"][0]["key"], "celadon");
    assert_eq!(set["removed"][0]["section"], 1);
    assert_refused(
        &["show", &old, "--group", "due:weak"],
        &["--group", "column 5", "weak"],
    );
}

#[test]
fn the_demo_ends_in_step() {
    let output = run(&["demo"]);
    assert!(output.status.success());
    let text = stdout(&output);
    assert!(text.contains("The view shows the same 241 rows as the list"));
    assert_eq!(text.matches("rows touched").count(), 12);
    assert!(!text.contains('\u{1b}'), "colour in a pipe");
    let widest = text.lines().map(|line| line.chars().count()).max();
    assert!(widest <= Some(100), "{widest:?} columns");
}

#[test]
fn scenes_of_the_demo_are_printed_alone_as_they_are_in_the_whole() {
    let whole = stdout(&run(&["demo"]));
    let part = stdout(&run(&["demo", "--scenes", "6-7"]));
    assert!(part.starts_with("6. "), "{part}");
    assert!(part.contains("\n7. ") && !part.contains("\n8. "));
    assert!(whole.contains(part.trim_end()));
    let end = stdout(&run(&["demo", "--scenes", "13"]));
    assert!(whole.ends_with(&end));
    for (scenes, why) in [
        ("0", "numbered from 1 to 13"),
        ("9-14", "\"14\""),
        ("7-6", "before"),
    ] {
        let refused = run(&["demo", "--scenes", scenes]);
        assert_eq!(refused.status.code(), Some(2));
        let told = String::from_utf8(refused.stderr).unwrap();
        assert!(told.contains("--scenes") && told.contains(why), "{told}");
    }
}

#[test]
fn colour_can_be_forced_and_forbidden() {
    let forced = command(&["demo"])
        .env("CLICOLOR_FORCE", "1")
        .output()
        .unwrap();
    assert!(stdout(&forced).contains('\u{1b}'));
    let forbidden = command(&["demo"])
        .env("CLICOLOR_FORCE", "0")
        .env("NO_COLOR", "1")
        .output()
        .unwrap();
    assert!(!stdout(&forbidden).contains('\u{1b}'));
}

#[test]
fn a_reader_that_goes_away_is_no_error() {
    use std::io::{BufRead, BufReader};
    use std::process::Stdio;
    let folder = tempfile::tempdir().unwrap();
    let rows: Vec<String> = (0..50_000).map(|id| format!("{{\"id\": {id}}}")).collect();
    let file = write(&folder, "many.ndjson", &rows.join("\n"));
    let mut child = command(&["show", &file, "--format", "json"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut first = String::new();
    BufReader::new(child.stdout.take().unwrap())
        .read_line(&mut first)
        .unwrap();
    assert_eq!(first, "[\n");
    let output = child.wait_with_output().unwrap();
    assert!(output.status.success(), "{output:?}");
    assert_eq!(stderr(&output), "");
}

const COMMANDS: [&str; 9] = [
    "demo",
    "show",
    "compare",
    "apply",
    "replay",
    "verify",
    "measure",
    "completions",
    "manual",
];

#[test]
fn help_and_version_are_there_for_each_command() {
    for name in COMMANDS {
        let output = run(&[name, "--help"]);
        assert!(output.status.success());
        assert!(stdout(&output).contains("Usage: usual-tide"), "{name}");
    }
    let all = stdout(&run(&["--help"]));
    assert!(COMMANDS.iter().all(|name| all.contains(name)), "{all}");
    assert!(stdout(&run(&["--version"])).starts_with("usual-tide 0."));
}

#[test]
#[cfg_attr(windows, ignore = "the examples are written for another shell")]
fn the_examples_in_the_help_work_as_printed() {
    // Where they may write, with the command on the path.
    let folder = tempfile::tempdir().unwrap();
    #[cfg(unix)]
    std::os::unix::fs::symlink(demo(""), folder.path().join("demo")).unwrap();
    let command = std::path::Path::new(env!("CARGO_BIN_EXE_usual-tide"));
    let path = std::env::var("PATH").unwrap();
    let path = format!("{}:{path}", command.parent().unwrap().display());
    for name in COMMANDS.iter().filter(|name| **name != "demo") {
        let help = command_help(name);
        let (_, examples) = help.split_once("Examples:").unwrap();
        let examples = examples.replace("\\\n", "");
        let lines = examples.lines().map(str::trim);
        let lines: Vec<&str> = lines
            .filter(|line| line.starts_with("usual-tide "))
            .collect();
        assert!(!lines.is_empty(), "{name} has no examples");
        for line in lines {
            let output = Command::new("sh")
                .args(["-c", line])
                .env("PATH", &path)
                .current_dir(folder.path())
                .output()
                .unwrap();
            // A trace that is not in step is one that `verify` says no to.
            let expected = i32::from(line.contains("target-before-lift"));
            assert_eq!(output.status.code(), Some(expected), "{line}: {output:?}");
        }
    }
    assert!(folder.path().join("cost.svg").exists());
}

/// The help as a terminal shows it that is not wide.
fn command_help(name: &str) -> String {
    let output = command(&[name, "--help"]).env("COLUMNS", "80").output();
    stdout(&output.unwrap())
}

#[test]
fn text_of_a_comparison_reads_like_a_person_would_tell_it() {
    let folder = tempfile::tempdir().unwrap();
    let old = r#"[{"id": 1, "title": "Bowl", "n": 1}, {"id": 2, "title": "Mug"}, {"id": 3, "title": "Jug"},
        {"id": 4, "title": "Tile"}]"#;
    let new = r#"[{"id": 5, "title": "Vase"}, {"id": 4, "title": "Tile"}, {"id": 1, "title": "Bowl", "n": null},
        {"id": 3, "title": "Jug"}]"#;
    let (old, new) = (
        write(&folder, "old.json", old),
        write(&folder, "new.json", new),
    );
    let text = stdout(&run(&["compare", &old, &new]));
    let lines: Vec<String> = text
        .lines()
        .map(|line| line.split_whitespace().collect::<Vec<_>>().join(" "))
        .collect();
    assert_eq!(
        lines,
        [
            "left 2 Mug was number 2",
            "arrived 5 Vase is number 1",
            "moved 4 Tile from number 4 to number 2",
            "changed 1 Bowl n: 1 → nothing",
            "1 left, 1 arrived, 1 moved, 1 changed; 4 of 5 rows touched (80.0 %)",
        ]
    );
}

#[test]
fn fields_whose_names_have_commas_signs_and_colons_are_named_in_quotes() {
    let folder = tempfile::tempdir().unwrap();
    let csv = "id,\"x, y\",-z,\"say \"\"no\"\"\",a:sum\n1,2,b,p,1\n2,5,a,q,1\n3,4,c,r,2\n";
    let path = write(&folder, "pieces.csv", csv);
    let shown = |options: &[&str]| {
        let output = run(&[&["show", &path], options].concat());
        assert!(output.status.success(), "{}", stderr(&output));
        stdout(&output)
    };
    let columns = "id,\"x, y\",-z,\"say \"\"no\"\"\"";
    let sorted = shown(&[
        "--columns",
        columns,
        "--sort",
        "-\"x, y\"",
        "--format",
        "csv",
    ]);
    assert_eq!(
        sorted,
        "id,\"x, y\",-z,\"say \"\"no\"\"\"\n2,5,a,q\n3,4,c,r\n1,2,b,p\n"
    );
    let sorted = shown(&["--columns", "id", "--sort", "\"-z\"", "--format", "csv"]);
    assert_eq!(sorted, "id\n2\n1\n3\n");
    let totals = "\"x, y\":sum,a:sum:maximum";
    let grouped = shown(&["--group", "-\"a:sum\"", "--totals", totals]);
    let headings: Vec<&str> = grouped.lines().filter(|line| line.contains("(")).collect();
    assert_eq!(
        headings,
        [
            "2 (1 row, sum of x, y 4, maximum of a:sum 2)",
            "1 (2 rows, sum of x, y 7, maximum of a:sum 1)"
        ]
    );

    for (option, text, why) in [
        (
            "--columns",
            "id,\"x, y",
            "column 4: the double quote that opens here is not closed",
        ),
        ("--columns", "id,,a", "column 4: a field name is missing"),
        ("--totals", "\"x, y\"", "\"x, y\" is no field with `:sum`"),
    ] {
        let output = run(&["show", &path, "--group", "id", option, text]);
        assert!(stderr(&output).contains(why), "{}", stderr(&output));
    }
}
