//! `usual-tide browse` in a terminal.

mod given_keys;
mod terminal;

use crate::serving::Server;
use crate::support::{demo, run, stderr, stdout, write};
use rusqlite::Connection;
use serde_json::Value;
use std::path::Path;
use terminal::{ALT_DOWN, Browsed, CLEAR_LINE, DOWN, END, ENTER, HOME, RIGHT, SHIFT_DOWN, TAB, UP};

const PIECES: &str = r#"[
 {"id": "P-1", "title": "Bowl", "height_mm": 90, "fired": false, "shelf": "A"},
 {"id": "P-2", "title": "Mug", "height_mm": 100, "fired": true, "shelf": "B"},
 {"id": "P-3", "title": "Café plate", "height_mm": 20, "fired": false, "shelf": "A"},
 {"id": "P-4", "title": "Vase", "height_mm": 300, "fired": false, "shelf": "B"}
]"#;

/// Everything that people do, once, on pieces like the ones above. The number of rows that are left is five.
fn everything_once(browsed: &mut Browsed) {
    browsed.shows("row 1 of 4");
    // Searched, with the words marked; the search ends.
    browsed.send("/cafe").shows("row 1 of 1").send(ENTER);
    browsed.escape().shows("row 3 of 4");
    // Filtered, with what is wrong told while it is typed.
    browsed.send("fheigt_mm > 1").shows("^ there is no field");
    browsed
        .send(CLEAR_LINE)
        .send("height_mm > 80")
        .send(ENTER)
        .shows("of 3 (4 in all)");
    browsed.send("f").send(CLEAR_LINE).send(ENTER).shows("of 4");
    // Sorted by a column, and not any more.
    browsed
        .send(RIGHT)
        .send("s")
        .shows("title▲")
        .send("s")
        .shows("title▼")
        .send("s")
        .hides("▼");
    // Grouped, collapsed, expanded, ungrouped.
    browsed.send("Gshelf").send(ENTER).shows("- A (2 rows)");
    browsed
        .send(HOME)
        .send(ENTER)
        .shows("+ A (2 rows)")
        .send(ENTER)
        .shows("- A (2 rows)");
    browsed
        .send("G")
        .send(CLEAR_LINE)
        .send(ENTER)
        .hides("A (2 rows)");
    // A field edited in place, with its own error; undone and made again by name.
    browsed
        .send(HOME)
        .send(RIGHT)
        .send(ENTER)
        .send(CLEAR_LINE)
        .send("tall")
        .send(ENTER);
    browsed.shows("height_mm: \"tall\" is not ");
    browsed
        .send(CLEAR_LINE)
        .send("95")
        .send(ENTER)
        .shows("Change height_mm of P-1");
    browsed.shows(" 95 ");
    browsed
        .send("u")
        .shows("undone: Change height_mm of P-1")
        .shows(" 90 ");
    browsed
        .send("r")
        .shows("made again: Change height_mm of P-1")
        .shows(" 95 ");
    // A flag turned.
    browsed.send(RIGHT).send(ENTER).shows("Turn fired of P-1");
    // A new row here, straight into its fields.
    browsed
        .send("aa")
        .shows("P-5")
        .send("Jug")
        .send(TAB)
        .send("150")
        .send(ENTER)
        .shows("Jug");
    browsed.shows("of 5");
    // Moved by a key.
    browsed.send(HOME).send(ALT_DOWN).shows("Move P-1");
    // Selected: a range, one more, all, none.
    browsed
        .send(HOME)
        .send(SHIFT_DOWN)
        .shows("2 selected")
        .send(DOWN)
        .send(" ")
        .shows("3 selected");
    browsed.escape().hides("selected");
    // Deleted after a question, and back again.
    browsed
        .send(END)
        .send("d")
        .shows("Delete P-4?")
        .send("n")
        .shows("nothing was deleted");
    browsed.send("dy").shows("of 4").send("u").shows("of 5");
    // The row as a whole.
    browsed.send("o").shows("shelf").escape();
    // Another list beside it, and back to one.
    browsed
        .send("l{\"sort\": \"title\"}")
        .send(ENTER)
        .shows("list 2 of 2")
        .send("L")
        .hides("list 2");
    // The view paused and stepped.
    browsed
        .send("p")
        .shows("PAUSED")
        .send(HOME)
        .send(ALT_DOWN)
        .shows("behind: n tells the next");
    browsed.send("n").send("p").hides("PAUSED");
    browsed.send("=").shows("the view shows what the list has");
    browsed.send("c").shows("1 row copied");
    browsed
        .send("?")
        .shows("Look around")
        .escape()
        .hides("Look around");
    browsed.send(UP);
}

fn leave(mut browsed: Browsed) {
    browsed.send("q");
    let (status, screen, is_alternate) = browsed.end();
    assert_eq!(status, 0, "{screen}");
    assert!(!is_alternate, "the terminal is given back");
}

#[test]
fn the_demo_needs_no_argument_and_is_in_memory() {
    let mut browsed = Browsed::start(120, 30, &["--check"]);
    browsed
        .shows("row 1 of 240")
        .shows("What the view was told");
    browsed
        .send("/bowl")
        .shows("of 17 (240 in all)")
        .send(ENTER)
        .escape()
        .shows("of 240");
    browsed
        .send(HOME)
        .send("dy")
        .shows("of 239")
        .send("u")
        .shows("of 240");
    browsed
        .send("Gdue:month")
        .send(ENTER)
        .shows("2026")
        .shows("keys answered");
    leave(browsed);
}

#[test]
fn each_edit_of_a_file_is_written_at_once() {
    let folder = tempfile::tempdir().unwrap();
    let path = write(&folder, "pieces.json", PIECES);
    let mut browsed = Browsed::start(140, 30, &[&path, "--check"]);
    everything_once(&mut browsed);
    browsed.hides("waiting");
    leave(browsed);
    assert_eq!(
        ids(&path),
        shown_titles(&["Bowl", "Jug", "Mug", "Café plate", "Vase"])
    );
}

/// The titles of a file's items.
fn ids(path: &str) -> Vec<String> {
    let items: Vec<Value> = serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap();
    let titles = items
        .iter()
        .map(|item| item["title"].as_str().unwrap().to_owned());
    titles.collect()
}

fn shown_titles(titles: &[&str]) -> Vec<String> {
    titles.iter().map(|title| (*title).to_owned()).collect()
}

#[test]
fn a_table_of_a_database_is_edited() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = Connection::open(&path).unwrap();
    database
        .execute_batch(
            "CREATE TABLE pieces (id TEXT PRIMARY KEY, title TEXT, height_mm INTEGER, fired BOOLEAN,
                 shelf TEXT, place REAL);
             INSERT INTO pieces VALUES ('P-1', 'Bowl', 90, FALSE, 'A', 1), ('P-2', 'Mug', 100, TRUE, 'B', 2),
                 ('P-3', 'Café plate', 20, FALSE, 'A', 3), ('P-4', 'Vase', 300, FALSE, 'B', 4);",
        )
        .unwrap();
    let source = format!("sqlite:{}?table=pieces&order=place", path.display());
    let mut browsed = Browsed::start(150, 30, &[&source, "--check"]);
    everything_once(&mut browsed);
    browsed.hides("waiting");
    leave(browsed);
    let mut titles = database
        .prepare("SELECT title FROM pieces ORDER BY place")
        .unwrap();
    let titles = titles.query_map([], |row| row.get::<_, String>(0)).unwrap();
    let titles: Vec<String> = titles.map(Result::unwrap).collect();
    assert_eq!(
        titles,
        shown_titles(&["Bowl", "Jug", "Mug", "Café plate", "Vase"])
    );
}

#[test]
fn what_a_server_refuses_is_told_in_its_row_and_tried_again() {
    let folder = tempfile::tempdir().unwrap();
    let path = write(&folder, "pieces.json", PIECES);
    let server = Server::start(&path, &["--refuse-every", "3"]);
    let address = server.address();
    let mut browsed = Browsed::start(150, 30, &[&address, "--check"]);
    browsed.shows("row 1 of 4");
    // The third write is refused: its row is as it was, and says why.
    for (row, text) in [(0, "One"), (1, "Two"), (2, "Three")] {
        browsed
            .send(HOME)
            .send(&DOWN.repeat(row))
            .send(if row == 0 { RIGHT } else { "" });
        browsed.send(ENTER).send(CLEAR_LINE).send(text).send(ENTER);
        browsed
            .shows(&format!("Change title of P-{}", row + 1))
            .hides("waiting");
    }
    browsed
        .shows("1 refused")
        .shows("P-3 was refused: ")
        .shows("Café plate         20");
    assert!(browsed.line("P-3").contains('!'), "{}", browsed.screen());
    browsed
        .send("t")
        .shows("another try for P-3")
        .hides("refused")
        .shows("Three              20");
    // Another that is refused is dropped.
    browsed
        .send(END)
        .send(ENTER)
        .send("!")
        .send(ENTER)
        .hides("waiting")
        .shows("Vase!");
    browsed
        .send(ENTER)
        .send("!")
        .send(ENTER)
        .shows("P-4 was refused: ");
    browsed
        .send("x")
        .shows("what was refused is dropped")
        .hides("refused:");
    leave(browsed);
    let titles: Vec<Value> = server
        .items()
        .iter()
        .map(|item| item["title"].clone())
        .collect();
    assert_eq!(titles, ["One", "Two", "Three", "Vase!"]);
}

#[test]
fn everything_is_done_on_a_server_too() {
    let folder = tempfile::tempdir().unwrap();
    let path = write(&folder, "pieces.json", PIECES);
    let server = Server::start(&path, &["--latency", "1..20"]);
    let address = server.address();
    let mut browsed = Browsed::start(150, 30, &[&address]);
    everything_once(&mut browsed);
    browsed.hides("waiting");
    leave(browsed);
    let titles: Vec<Value> = server
        .items()
        .iter()
        .map(|item| item["title"].clone())
        .collect();
    assert_eq!(titles, ["Bowl", "Jug", "Mug", "Café plate", "Vase"]);
}

#[test]
fn a_source_that_cannot_be_reached_is_told_with_the_next_try() {
    let mut browsed = Browsed::start(100, 20, &["http://127.0.0.1:9"]);
    browsed
        .shows("The items cannot be loaded.")
        .shows("ext try in ");
    leave(browsed);
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("none.json");
    let browsed = Browsed::start(100, 20, &[path.to_str().unwrap(), "--hold"]);
    let (status, screen, is_alternate) = browsed.end();
    assert!(status == 1 && !is_alternate, "{screen}");
    assert!(
        screen.contains("usual-tide: ") && screen.contains("none.json"),
        "{screen}"
    );
}

#[test]
fn a_trace_of_what_was_seen_is_one_that_verify_takes() {
    let folder = tempfile::tempdir().unwrap();
    let trace = folder.path().join("trace.ndjson");
    let mut browsed = Browsed::start(120, 30, &["--group", "clay"]);
    browsed
        .shows("of 240")
        .send(DOWN)
        .send("/mug")
        .shows("search: mug")
        .send(ENTER)
        .send(DOWN)
        .send("dy")
        .shows("Delete");
    browsed
        .send("T")
        .send(CLEAR_LINE)
        .send(trace.to_str().unwrap())
        .send(ENTER)
        .shows("a trace of ");
    leave(browsed);
    let verified = run(&["verify", trace.to_str().unwrap()]);
    assert!(
        verified.status.success(),
        "{}{}",
        stdout(&verified),
        stderr(&verified)
    );
}

#[test]
fn without_a_terminal_it_says_so() {
    let refused = run(&["browse", &demo("pieces.json")]);
    assert_eq!(refused.status.code(), Some(1));
    assert!(
        stderr(&refused).contains("browse needs a terminal"),
        "{}",
        stderr(&refused)
    );
    let refused = run(&["browse", "--hold"]);
    assert!(
        stderr(&refused).contains("--hold is for a file"),
        "{}",
        stderr(&refused)
    );
    assert!(!Path::new("trace.ndjson").exists());
}

#[test]
fn a_query_that_does_not_fit_the_items_ends_it_with_what_is_wrong() {
    let path = demo("pieces.json");
    let browsed = Browsed::start(100, 20, &[&path, "--filter", "heigth_mm > 1"]);
    let (status, screen, _) = browsed.end();
    assert_eq!(status, 1, "{screen}");
    assert!(screen.contains("did you mean \"height_mm\"?"), "{screen}");
}

#[test]
fn the_terminal_is_given_back_when_the_system_ends_it() {
    let mut browsed = Browsed::start(100, 20, &[]);
    browsed.shows("row 1 of 240");
    let process = browsed.process_id().to_string();
    let asked = std::process::Command::new("kill")
        .args(["-TERM", &process])
        .status();
    assert!(asked.unwrap().success());
    let (status, screen, is_alternate) = browsed.end();
    assert!(status == 0 && !is_alternate, "{status} {screen}");
}

#[test]
fn another_size_of_the_terminal_is_taken_at_once() {
    let mut browsed = Browsed::start(120, 30, &[]);
    browsed.shows("What the view was told");
    browsed
        .resize(60, 20)
        .hides("What the view was told")
        .shows("row 1 of 240");
    browsed.resize(120, 40).shows("What the view was told");
    leave(browsed);
}
