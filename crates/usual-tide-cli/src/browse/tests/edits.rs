//! Editing, adding, deleting, moving, undoing.

use super::TestScreen;
use crate::browse::messages::Request;
use crossterm::event::{Event, KeyCode, KeyModifiers};
use std::path::Path;

fn clear(ui: &mut TestScreen) -> &mut TestScreen {
    ui.press_with(KeyModifiers::CONTROL, KeyCode::Char('u'))
}

fn column(ui: &TestScreen, title: &str) -> usize {
    let mut columns = ui.app.columns.0.iter();
    columns.position(|column| column.title == title).unwrap()
}

fn go_to_column<'a>(ui: &'a mut TestScreen, title: &str) -> &'a mut TestScreen {
    let at = column(ui, title);
    ui.times(30, KeyCode::Left).times(at, KeyCode::Right)
}

#[test]
fn a_field_is_edited_where_it_stands() {
    let mut ui = TestScreen::demo();
    go_to_column(&mut ui, "title").enter();
    clear(&mut ui).keys("Tall mug").enter();
    assert!(ui.current().contains("Tall mug"), "{}", ui.current());
    assert!(ui.said().starts_with("Change title of P-"), "{}", ui.said());
    ui.assert_shows("1 changed; 1 of 240 rows touched");
    ui.press_with(KeyModifiers::CONTROL, KeyCode::Char('z'));
    assert!(
        ui.said().starts_with("undone: Change title of P-"),
        "{}",
        ui.said()
    );
    assert!(!ui.current().contains("Tall mug"));
    ui.keys("r");
    assert!(ui.current().contains("Tall mug"));
}

#[test]
fn the_key_is_not_edited_but_the_field_beside_it() {
    let mut ui = TestScreen::demo();
    ui.enter();
    clear(&mut ui)
        .keys("Bowl")
        .press(KeyCode::BackTab)
        .keys("x")
        .enter();
    ui.assert_shows("id: it is the key, which cannot be changed");
    ui.press(KeyCode::Backspace).enter();
    let list = ui.app.list().unwrap();
    assert_eq!(list.row().unwrap().get("title").unwrap(), "Bowl");
}

#[test]
fn values_are_typed_and_the_field_says_what_is_wrong() {
    let mut ui = TestScreen::demo();
    go_to_column(&mut ui, "height_mm").enter();
    clear(&mut ui).keys("12o").enter();
    ui.assert_shows("height_mm: \"12o\" is not ");
    // Still in it; it goes on to the next field only when it can be read.
    ui.press(KeyCode::Tab);
    ui.assert_shows("height_mm: \"12o\" is not ");
    ui.press(KeyCode::Backspace).keys("0").press(KeyCode::Tab);
    ui.assert_hides("is not ");
    ui.enter();
    let list = ui.app.list().unwrap();
    assert_eq!(list.row().unwrap().get("height_mm").unwrap(), 120);
    // A date is a date.
    go_to_column(&mut ui, "due").enter();
    clear(&mut ui).keys("5 March").enter();
    ui.assert_shows("is not a date such as 2026-03-05");
    ui.press(KeyCode::Esc);
    ui.assert_hides("is not a date");
}

#[test]
fn a_flag_is_turned_by_one_key_for_all_that_are_selected() {
    let mut ui = TestScreen::demo();
    go_to_column(&mut ui, "fired");
    let fired = |ui: &TestScreen| -> Vec<bool> {
        let list = ui.app.list().unwrap();
        let rows = (0..4).filter_map(|at| list.lines.row(at));
        rows.map(|row| row.get("fired").unwrap().as_bool().unwrap())
            .collect()
    };
    let before = fired(&ui);
    ui.keys("  ").enter();
    let after = fired(&ui);
    let turned: Vec<bool> = before
        .iter()
        .zip(&after)
        .map(|(one, two)| one != two)
        .collect();
    assert_eq!(turned, [true, true, false, false]);
    ui.keys("u");
    assert_eq!(fired(&ui), before);
}

#[test]
fn a_row_is_added_here_at_the_start_and_at_the_end() {
    let mut ui = TestScreen::demo();
    let before = ui.keys_shown();
    ui.press(KeyCode::Down).keys("aa");
    ui.assert_shows("+ P-0641");
    ui.keys("Mug").enter();
    assert_eq!(ui.keys_shown()[2], "P-0641");
    ui.keys("as").keys("Vase").enter();
    assert_eq!(ui.keys_shown()[0], "P-0642");
    ui.keys("ae").keys("Jug").enter();
    assert_eq!(ui.keys_shown().last().unwrap(), "P-0643");
    assert!(ui.current().contains("Jug"), "{}", ui.current());
    // One that is given up leaves nothing behind.
    ui.keys("aaBowl").press(KeyCode::Esc);
    assert_eq!(ui.keys_shown().len(), before.len() + 3);
    ui.keys("uuu");
    assert_eq!(ui.keys_shown(), before);
}

#[test]
fn deleting_asks_in_the_row_and_can_be_undone() {
    let mut ui = TestScreen::demo();
    let before = ui.keys_shown();
    ui.press(KeyCode::Down).keys("d");
    ui.assert_shows(&format!("Delete {}?", before[1]));
    ui.keys("n");
    assert_eq!(ui.said(), "nothing was deleted");
    ui.keys("dy");
    assert_eq!(ui.keys_shown()[1], before[2]);
    ui.keys("u");
    assert_eq!(ui.keys_shown(), before);
    ui.keys("*d");
    ui.assert_shows("Delete the 240 selected rows?");
    ui.keys("y");
    ui.assert_shows("There are no items yet.");
    ui.keys("u");
    assert_eq!(ui.keys_shown(), before);
}

#[test]
fn rows_are_moved_by_keys_and_not_in_a_sorted_list() {
    let mut ui = TestScreen::demo();
    let before = ui.keys_shown();
    ui.press_with(KeyModifiers::ALT, KeyCode::Down);
    assert_eq!(ui.keys_shown()[..2], [before[1].clone(), before[0].clone()]);
    ui.keys("<");
    assert_eq!(ui.keys_shown(), before);
    ui.keys("  >");
    assert_eq!(
        ui.keys_shown()[..3],
        [before[2].clone(), before[0].clone(), before[1].clone()]
    );
    ui.press_with(KeyModifiers::ALT, KeyCode::End);
    assert_eq!(ui.keys_shown()[238..], before[..2]);
    ui.keys("s>");
    assert!(ui.said().contains("sorted"), "{}", ui.said());
}

#[test]
fn rows_are_copied_as_json() {
    let mut ui = TestScreen::demo();
    ui.keys("c");
    let copied = ui.app.take_copied().unwrap();
    let record: serde_json::Value = serde_json::from_str(&copied).unwrap();
    assert_eq!(record["id"], ui.keys_shown()[0].as_str());
    ui.keys("/bowl").enter().keys("C");
    let copied = ui.app.take_copied().unwrap();
    assert_eq!(copied.lines().count(), ui.keys_shown().len());
}

#[test]
fn text_is_pasted_on_one_line() {
    let mut ui = TestScreen::demo();
    go_to_column(&mut ui, "title").enter();
    clear(&mut ui);
    ui.event(&Event::Paste("A mug\nof clay\n".to_owned()))
        .enter();
    assert!(ui.current().contains("A mug of clay"), "{}", ui.current());
}

/// What others do to the items, by the number of the first row.
fn others(ui: &mut TestScreen, change: impl Fn(&mut serde_json::Value)) {
    let list = ui.app.list().unwrap();
    let rows = (0..list.lines.len()).filter_map(|at| list.lines.row(at));
    let mut rows: Vec<serde_json::Value> = rows
        .map(|row| serde_json::Value::Object(row.to_members()))
        .collect();
    change(&mut rows[0]);
    rows.retain(|row| !row.is_null());
    ui.engine.reload_for_test(rows);
    ui.settle();
}

#[test]
fn where_two_edits_collide_each_field_is_chosen() {
    let mut ui = TestScreen::demo();
    go_to_column(&mut ui, "title").enter();
    clear(&mut ui).keys("Mine").press(KeyCode::Tab);
    clear(&mut ui).keys("Me");
    others(&mut ui, |row| {
        row["title"] = "Theirs".into();
        row["maker"] = "Them".into();
        row["shelf"] = "Z9".into();
    });
    ui.enter();
    ui.assert_shows("was changed while you edited it");
    ui.assert_shows("> mine    Mine");
    ui.assert_shows("  theirs  Theirs");
    // The second of them is theirs.
    ui.press(KeyCode::Down).press(KeyCode::Right);
    ui.assert_shows("> theirs  Them");
    ui.enter();
    let list = ui.app.list().unwrap();
    let row = list.row().unwrap();
    let value = |name: &str| row.get(name).unwrap().to_json();
    assert_eq!(
        [value("title"), value("maker"), value("shelf")],
        ["Mine", "Them", "Z9"]
    );
}

#[test]
fn the_edit_of_a_row_that_was_removed_can_be_added_again() {
    let mut ui = TestScreen::demo();
    let key = ui.keys_shown()[0].clone();
    go_to_column(&mut ui, "title").enter();
    clear(&mut ui).keys("Mine");
    others(&mut ui, |row| *row = serde_json::Value::Null);
    ui.enter();
    ui.assert_shows(&format!("{key} was removed while you edited it"));
    ui.keys("y");
    assert_eq!(ui.keys_shown().last(), Some(&key));
    assert_eq!(ui.said(), format!("Add {key} again"));
}

fn file(folder: &Path) -> String {
    let path = folder.join("pieces.json");
    let text = r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Mug"}]"#;
    std::fs::write(&path, text).unwrap();
    path.to_str().unwrap().to_owned()
}

#[test]
fn edits_of_a_held_file_are_written_when_they_are_saved() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(folder.path());
    let mut ui = TestScreen::new(100, 20, &[&path, "--hold"]);
    ui.press(KeyCode::Right).enter().keys("!").enter();
    ui.keys("aemug").enter();
    ui.assert_shows("edits not saved");
    ui.assert_shows("~   1");
    assert!(std::fs::read_to_string(&path).unwrap().contains("\"Bowl\""));
    // Leaving asks, and saving lets go.
    ui.keys("q");
    ui.assert_shows("not saved.  w: save first");
    ui.keys("w");
    assert!(ui.said().starts_with("saved: "), "{}", ui.said());
    ui.assert_hides("not saved");
    let saved = std::fs::read_to_string(&path).unwrap();
    assert!(
        saved.contains("\"Bowl!\"") && saved.contains("\"mug\""),
        "{saved}"
    );
    ui.keys("q");
    assert!(matches!(ui.app.take_end(), Some(Ok(()))));
}

#[test]
fn what_another_program_writes_to_a_held_file_stays() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(folder.path());
    let mut ui = TestScreen::new(100, 20, &[&path, "--hold"]);
    ui.press(KeyCode::Right).enter().keys("!").enter();
    let text =
        r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Mug"}, {"id": 3, "title": "Jug"}]"#;
    std::fs::write(&path, text).unwrap();
    ui.keys("w");
    let saved = std::fs::read_to_string(&path).unwrap();
    assert!(
        saved.contains("\"Bowl!\"") && saved.contains("\"Jug\""),
        "{saved}"
    );
}

#[test]
fn a_held_file_that_cannot_be_read_again_is_tried_until_it_can() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(folder.path());
    let mut ui = TestScreen::new(100, 20, &[&path, "--hold"]);
    let wait_for = |ui: &mut TestScreen, text: &str| {
        let begun = std::time::Instant::now();
        while !ui.shows(text) {
            ui.settle();
            let waited = begun.elapsed();
            assert!(waited.as_secs() < 40, "{}", ui.screen().join("\n"));
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
    };
    std::fs::write(
        &path,
        r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Mu"#,
    )
    .unwrap();
    wait_for(&mut ui, "FAILED, next try in 1 s");
    ui.assert_shows("Mug");
    std::fs::write(
        &path,
        r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Mugs"}, {"id": 3}]"#,
    )
    .unwrap();
    wait_for(&mut ui, "row 1 of 3");
    ui.assert_hides("FAILED");
}

#[test]
fn questions_that_cannot_be_answered_are_told() {
    let mut ui = TestScreen::demo();
    for (keys, said) in [
        ("w", "in memory"),
        ("t", "no edit of"),
        ("n", "not paused"),
        ("u", "nothing can be undone"),
        ("r", "nothing can be made again"),
    ] {
        ui.keys(keys);
        assert!(ui.said().contains(said), "{keys}: {}", ui.said());
        assert!(ui.app.message.as_ref().unwrap().is_problem);
    }
    ui.ask(Request::Refresh);
    assert!(ui.said().contains("in memory"), "{}", ui.said());
}
