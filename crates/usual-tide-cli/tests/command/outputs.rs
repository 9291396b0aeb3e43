//! Where the command writes: files of all kinds, standard output, databases; and what it refuses to write.

use crate::support::{command, demo, run, run_with, stderr, stdout, write};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use unicode_width::UnicodeWidthStr;

const ROWS: &str = "[{\"id\": 1, \"title\": \"Bowl\"}, {\"id\": 2, \"title\": \"Jug\"}]";
const PATCH: &str = "[{\"op\": \"replace\", \"path\": \"/1/title\", \"value\": \"Vase\"}]";

struct Folder {
    folder: tempfile::TempDir,
    rows: String,
    patch: String,
}

impl Folder {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        Self {
            rows: write(&folder, "rows.json", ROWS),
            patch: write(&folder, "patch.json", PATCH),
            folder,
        }
    }

    fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    fn apply(&self, output: &Path) -> std::process::Output {
        run(&[
            "apply",
            &self.rows,
            &self.patch,
            "-o",
            output.to_str().unwrap(),
        ])
    }
}

#[cfg(unix)]
fn is_written(path: &Path) -> bool {
    use std::fs;
    fs::read_to_string(path).unwrap().contains("\"Vase\"")
}

#[cfg(unix)]
#[test]
fn files_of_all_kinds_are_written_as_what_they_are() {
    use std::fs;
    use std::os::unix::fs::{MetadataExt, PermissionsExt, chown, symlink};
    let folder = Folder::new();
    // A pipe is written into.
    let pipe = folder.path("pipe");
    let made = std::process::Command::new("mkfifo").arg(&pipe).status();
    assert!(made.unwrap().success());
    let reading = {
        let pipe = pipe.clone();
        std::thread::spawn(move || fs::read_to_string(pipe).unwrap())
    };
    assert!(folder.apply(&pipe).status.success());
    assert!(reading.join().unwrap().contains("\"Vase\""));
    // A device is written to and is one afterwards.
    assert!(folder.apply(Path::new("/dev/null")).status.success());
    assert!(!fs::metadata("/dev/null").unwrap().is_file());
    // Links are written through, whether there is a file behind them or not.
    let (link, behind) = (folder.path("link.json"), folder.path("behind.json"));
    symlink("behind.json", &link).unwrap();
    for _ in 0..2 {
        assert!(folder.apply(&link).status.success());
        assert!(is_written(&behind));
        assert!(fs::symlink_metadata(&link).unwrap().is_symlink());
    }
    // Permissions and the owner stay, and a file that may not be written to is refused.
    let kept = folder.path("kept.json");
    fs::write(&kept, "[]").unwrap();
    fs::set_permissions(&kept, fs::Permissions::from_mode(0o640)).unwrap();
    let is_root = fs::metadata("/proc/self").is_ok_and(|about| about.uid() == 0);
    if is_root {
        chown(&kept, Some(12), Some(34)).unwrap();
    }
    assert!(folder.apply(&kept).status.success());
    let about = fs::metadata(&kept).unwrap();
    assert_eq!(about.mode() & 0o777, 0o640);
    assert!(!is_root || (about.uid(), about.gid()) == (12, 34));
    fs::set_permissions(&kept, fs::Permissions::from_mode(0o444)).unwrap();
    fs::write(
        folder.path("rows.json"),
        "[{\"id\": 1, \"title\": \"x\"}, {\"id\": 2}]",
    )
    .unwrap();
    let refused = folder.apply(&kept);
    assert_eq!(refused.status.code(), Some(1), "{refused:?}");
    assert!(is_written(&kept));
    // Nothing is left beside them.
    let names = fs::read_dir(folder.folder.path()).unwrap().flatten();
    let hidden = names.filter(|entry| entry.file_name().to_string_lossy().starts_with('.'));
    assert_eq!(hidden.count(), 0);
}

#[test]
fn a_dash_is_standard_output() {
    let folder = Folder::new();
    let output = folder.apply(Path::new("-"));
    assert!(stdout(&output).contains("\"Vase\"") && !Path::new("-").exists());
}

#[test]
fn csv_that_could_not_be_read_again_is_not_written() {
    let folder = Folder::new();
    let mixed = "[{\"id\": 1, \"fee\": 5}, {\"id\": 2, \"fee\": {\"amount\": 4}}]";
    let rows = write(&folder.folder, "mixed.json", mixed);
    let nothing = write(&folder.folder, "nothing.json", "[]");
    let out = folder.path("out.csv");
    let output = run(&["apply", &rows, &nothing, "-o", out.to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(1), "{output:?}");
    assert!(
        stderr(&output)
            .contains("item 1 (counted from 0): CSV cannot hold the member \"fee.amount\"")
    );
    assert!(!out.exists());
    // All rows are removed, and the file can be read all the same.
    let all = "[{\"op\": \"remove\", \"path\": \"/1\"}, {\"op\": \"remove\", \"path\": \"/0\"}]";
    let all = write(&folder.folder, "all.json", all);
    let removed = run(&["apply", &folder.rows, &all, "-o", out.to_str().unwrap()]);
    assert!(removed.status.success(), "{removed:?}");
    assert!(run(&["show", out.to_str().unwrap()]).status.success());
}

#[test]
fn change_sets_are_checked_to_the_last_member_and_patches_have_bounds() {
    let folder = Folder::new();
    let set = |more: Value| {
        let mut set = json!({"before": 2, "after": 2, "updated":
            [{"from": 0, "to": 0, "key": 1, "fields": ["/title"], "item": {"id": 1, "title": "Pot"}}]});
        for (name, value) in more.as_object().unwrap() {
            set[name] = value.clone();
        }
        write(&folder.folder, "set.json", &set.to_string())
    };
    assert!(
        run(&[
            "apply",
            &folder.rows,
            &set(json!({"renumbered": [{"start": 1, "end": 2}]}))
        ])
        .status
        .success()
    );
    let fields = json!({"updated": [{"from": 0, "to": 0, "key": 1, "fields": ["/glaze"], "item": {"id": 1, "title": "Pot"}}]});
    let cases = [
        (fields, "at /updated/0/fields"),
        (
            json!({"renumbered": [{"start": 1, "end": 9}]}),
            "at /renumbered/0/end",
        ),
        (
            json!({"renumbered": [{"start": 1, "end": 1}]}),
            "at /renumbered/0/end",
        ),
        (json!({"renumbered": 3}), "at /renumbered"),
    ];
    for (more, place) in cases {
        let output = run(&["apply", &folder.rows, &set(more)]);
        assert_eq!(output.status.code(), Some(1));
        assert!(stderr(&output).contains(place), "{output:?}");
    }
    // Copies of copies would fill any memory, or nest without end.
    let there = json!({"op": "copy", "from": "/0", "path": "/1/a"});
    let back = json!({"op": "copy", "from": "/1", "path": "/0/a"});
    let mut doubling = Vec::new();
    for _ in 0..40 {
        doubling.extend([there.clone(), back.clone()]);
        let more = |at: usize| json!({"op": "copy", "from": format!("/{at}/a"), "path": format!("/{at}/b")});
        doubling.extend([more(0), more(1)]);
    }
    let patch = Value::from(doubling).to_string();
    let patch = write(&folder.folder, "doubling.json", &patch);
    let output = run(&["apply", &folder.rows, &patch]);
    assert_eq!(output.status.code(), Some(1));
    assert!(
        stderr(&output).contains("values would come of it"),
        "{output:?}"
    );
    let deep = json!({"op": "copy", "from": "/0", "path": "/0/title"});
    let patch = write(
        &folder.folder,
        "deep.json",
        &Value::from(vec![deep; 200]).to_string(),
    );
    let output = run(&["apply", &folder.rows, &patch]);
    assert_eq!(output.status.code(), Some(1));
    assert!(stderr(&output).contains("nest deeper"), "{output:?}");
    let none = write(
        &folder.folder,
        "none.json",
        "[{\"op\": \"remove\", \"path\": \"/7\"}]",
    );
    assert!(
        stderr(&run(&["apply", &folder.rows, &none]))
            .contains("operation 0 (counted from 0): there is no place /7")
    );
}

#[test]
fn a_table_is_asked_for_each_change() {
    let folder = Folder::new();
    let path = folder.path("studio.db");
    let database = rusqlite::Connection::open(&path).unwrap();
    let sql =
        "CREATE TABLE pieces (nr INTEGER PRIMARY KEY, title TEXT CHECK (title <> ''), place REAL);
               INSERT INTO pieces VALUES (1, 'Bowl', 1), (2, 'Jug', 2), (3, 'Mug', 3);";
    database.execute_batch(sql).unwrap();
    let bare = format!("sqlite:{}", path.display());
    let listed = run(&["show", &bare]);
    assert_eq!(listed.status.code(), Some(1));
    assert!(stderr(&listed).contains("there are: pieces"), "{listed:?}");
    // The primary key is the key.
    let table = format!("{bare}?table=pieces&order=place");
    let rows = stdout(&run(&["show", &table, "--format", "json"]));
    let patch = "[{\"op\": \"remove\", \"path\": \"/0\"}, {\"op\": \"move\", \"from\": \"/1\", \"path\": \"/0\"},
                  {\"op\": \"replace\", \"path\": \"/1/title\", \"value\": \"Vase\"}]";
    let patch = write(&folder.folder, "some.json", patch);
    let applied = run(&["apply", &table, &patch, "-o", &table]);
    assert!(applied.status.success(), "{applied:?}");
    let now: Value =
        serde_json::from_str(&stdout(&run(&["show", &table, "--format", "json"]))).unwrap();
    let told: Vec<(i64, &str)> = now
        .as_array()
        .unwrap()
        .iter()
        .map(|item| {
            (
                item["nr"].as_i64().unwrap(),
                item["title"].as_str().unwrap(),
            )
        })
        .collect();
    assert_eq!(told, [(3, "Mug"), (2, "Vase")], "{rows}");
    let bad = write(
        &folder.folder,
        "bad.json",
        "[{\"op\": \"replace\", \"path\": \"/0/title\", \"value\": \"\"}]",
    );
    let refused = run(&["apply", &table, &bad, "-o", &table]);
    assert_eq!(refused.status.code(), Some(1));
    assert!(
        stderr(&refused).contains("1 of 1 changes were refused")
            && stderr(&refused).contains("CHECK"),
        "{refused:?}"
    );

    // A table without an order puts a new row where it will, which is told where that is elsewhere.
    let by_number = format!("{bare}?table=pieces");
    let mut numbers = Vec::new();
    for (place, number, why) in [
        ("-", 11, ""),
        ("0", 1, ""),
        ("0", 12, "12 stands elsewhere"),
    ] {
        let add = json!([{"op": "add", "path": format!("/{place}"), "value": {"nr": number, "title": "Pot"}}]);
        let add = write(&folder.folder, "add.json", &add.to_string());
        let added = run(&["apply", &by_number, &add, "-o", &by_number]);
        assert_eq!(added.status.success(), why.is_empty(), "{added:?}");
        assert!(stderr(&added).contains(why), "{added:?}");
        let shown = stdout(&run(&[
            "show",
            &by_number,
            "--columns",
            "nr",
            "--format",
            "csv",
        ]));
        numbers = shown.lines().map(str::to_owned).collect();
    }
    assert_eq!(numbers, ["nr", "1", "2", "3", "11", "12"]);
}

#[test]
fn data_is_written_to_the_byte_and_control_characters_are_shown_as_such() {
    let text = "id,t\n1,\"a\u{1b}[31mb\u{202e}c\n2\"\n";
    let csv = run_with(&["show", "-", "--format", "csv"], text.as_bytes());
    assert_eq!(stdout(&csv), text);
    let table = run_with(&["show", "-"], text.as_bytes());
    assert!(
        stdout(&table).contains("a\\u{1b}[31mb\\u{202e}c\\n2"),
        "{table:?}"
    );
    // So are names.
    let text = "id,a\u{1b}[31mb\n1,2\n";
    let shown = "a\\u{1b}[31mb";
    let grouped = ["show", "-", "--group", "id", "--totals", "a\u{1b}[31mb:sum"];
    for arguments in [
        &["show", "-"][..],
        &grouped,
        &["show", "-", "--columns", "b"],
    ] {
        let told = run_with(arguments, text.as_bytes());
        assert!((stdout(&told) + &stderr(&told)).contains(shown), "{told:?}");
    }
    let folder = tempfile::tempdir().unwrap();
    let before = write(&folder, "before.csv", text);
    let after = write(&folder, "after.csv", &text.replace('2', "3"));
    let compared = run(&["compare", &before, &after]);
    assert!(
        stdout(&compared).contains(&format!("{shown}: 2 → 3")),
        "{compared:?}"
    );
    let semicolons = run_with(
        &["show", "-", "--delimiter", ";", "--format", "json"],
        b"id;a\n1;2,5\n",
    );
    assert!(
        stdout(&semicolons).contains("\"a\":\"2,5\""),
        "{semicolons:?}"
    );
}

#[test]
fn a_comparison_says_by_its_status_whether_anything_differs() {
    let folder = Folder::new();
    let other = folder.path("other.json");
    assert!(folder.apply(&other).status.success());
    let other = other.to_str().unwrap();
    let status = |arguments: &[&str]| run(arguments).status.code();
    assert_eq!(status(&["compare", &folder.rows, other]), Some(0));
    assert_eq!(
        status(&["compare", &folder.rows, other, "--exit-code"]),
        Some(1)
    );
    assert_eq!(
        status(&["compare", &folder.rows, &folder.rows, "--exit-code"]),
        Some(0)
    );
}

#[test]
fn a_wait_without_end_ends_when_there_is_enough() {
    let folder = Folder::new();
    let longest = u64::MAX.to_string();
    let watched = run(&[
        "watch",
        &folder.rows,
        "--changes",
        "0",
        "--seconds",
        &longest,
        "--timeout",
        "30",
    ]);
    assert!(watched.status.success(), "{watched:?}");
}

#[test]
fn the_demo_within_the_command_is_the_one_beside_it() {
    let within = include_str!("../../src/demo/pieces.json");
    let beside = std::fs::read_to_string(demo("pieces.json")).unwrap();
    assert!(within == beside, "run tools/make_demo_data.py");
}

#[test]
fn texts_fit_a_terminal_from_40_columns_on_and_pipes_are_not_cut() {
    let (pieces, later) = (demo("pieces.json"), demo("pieces-later.json"));
    let (script, trace) = (
        demo("evening.ndjson"),
        demo("trace-target-before-lift.ndjson"),
    );
    let commands: [&[&str]; 7] = [
        &["demo"],
        &[
            "show",
            &pieces,
            "--group",
            "due:week",
            "--totals",
            "height_mm:sum",
        ],
        &["show", &pieces, "--take", "3"],
        &["compare", &pieces, &later],
        &["replay", &pieces, &script],
        &["verify", &trace],
        &["measure", "--rows", "100", "--rounds", "1"],
    ];
    for arguments in commands {
        for columns in [40, 57, 80] {
            let output = command(arguments)
                .env("USUAL_TIDE_COLUMNS", columns.to_string())
                .output()
                .unwrap();
            let text = stdout(&output);
            let widest = text.lines().max_by_key(|line| line.width()).unwrap();
            assert!(
                widest.width() <= columns,
                "{arguments:?} {columns}: {widest:?}"
            );
        }
        if arguments[0] != "demo" {
            let piped = command(arguments).env("COLUMNS", "40").output().unwrap();
            assert!(!stdout(&piped).contains('…'), "{arguments:?}");
        }
    }
}

#[test]
fn a_json_patch_leaves_the_text_of_other_numbers_alone() {
    let folder = Folder::new();
    let rows = write(
        &folder.folder,
        "numbers.ndjson",
        "{\"id\": 1, \"a\": 2e3, \"b\": [1E5, 1.50]}\n{\"id\": 2, \"a\": 1.0, \"b\": {\"c\": 1E+2, \"d\": 4}}\n",
    );
    let patch = write(
        &folder.folder,
        "patch.json",
        "[{\"op\": \"remove\", \"path\": \"/1/b/d\"}, {\"op\": \"add\", \"path\": \"/1/e\", \"value\": 7}]",
    );
    let output = run(&["apply", &rows, &patch]);
    assert_eq!(
        stdout(&output),
        "{\"id\":1,\"a\":2e3,\"b\":[1E5,1.50]}\n{\"id\":2,\"a\":1.0,\"b\":{\"c\":1E+2},\"e\":7}\n"
    );
    // What is asked for is written as it was asked, though the value is the same.
    let patch = write(
        &folder.folder,
        "patch.json",
        "[{\"op\": \"replace\", \"path\": \"/1/a\", \"value\": 1}]",
    );
    let output = run(&["apply", &rows, &patch]);
    assert!(stdout(&output).contains("{\"id\":2,\"a\":1,"), "{output:?}");
}
