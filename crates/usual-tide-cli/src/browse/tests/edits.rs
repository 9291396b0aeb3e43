//! Editing, adding, deleting, moving, undoing.

use super::Desk;
use crate::browse::messages::Request;
use crossterm::event::{Event, KeyCode, KeyModifiers};
use std::path::Path;

fn clear(desk: &mut Desk) -> &mut Desk {
    desk.press_with(KeyModifiers::CONTROL, KeyCode::Char('u'))
}

fn column(desk: &Desk, title: &str) -> usize {
    let mut columns = desk.app.columns.0.iter();
    columns.position(|column| column.title == title).unwrap()
}

fn go_to_column<'a>(desk: &'a mut Desk, title: &str) -> &'a mut Desk {
    let at = column(desk, title);
    desk.times(30, KeyCode::Left).times(at, KeyCode::Right)
}

#[test]
fn a_field_is_edited_where_it_stands() {
    let mut desk = Desk::demo();
    go_to_column(&mut desk, "title").enter();
    clear(&mut desk).keys("Tall mug").enter();
    assert!(desk.current().contains("Tall mug"), "{}", desk.current());
    assert!(
        desk.said().starts_with("Change title of P-"),
        "{}",
        desk.said()
    );
    desk.assert_shows("1 changed; 1 of 240 rows touched");
    desk.press_with(KeyModifiers::CONTROL, KeyCode::Char('z'));
    assert!(
        desk.said().starts_with("undone: Change title of P-"),
        "{}",
        desk.said()
    );
    assert!(!desk.current().contains("Tall mug"));
    desk.keys("r");
    assert!(desk.current().contains("Tall mug"));
}

#[test]
fn the_key_is_not_edited_but_the_field_beside_it() {
    let mut desk = Desk::demo();
    desk.enter();
    clear(&mut desk)
        .keys("Bowl")
        .press(KeyCode::BackTab)
        .keys("x")
        .enter();
    desk.assert_shows("id: it is the key, which cannot be changed");
    desk.press(KeyCode::Backspace).enter();
    let list = desk.app.list().unwrap();
    assert_eq!(list.row().unwrap().get("title").unwrap(), "Bowl");
}

#[test]
fn values_are_typed_and_the_field_says_what_is_wrong() {
    let mut desk = Desk::demo();
    go_to_column(&mut desk, "height_mm").enter();
    clear(&mut desk).keys("12o").enter();
    desk.assert_shows("height_mm: \"12o\" is not ");
    // Still in it; it goes on to the next field only when it can be read.
    desk.press(KeyCode::Tab);
    desk.assert_shows("height_mm: \"12o\" is not ");
    desk.press(KeyCode::Backspace).keys("0").press(KeyCode::Tab);
    desk.assert_hides("is not ");
    desk.enter();
    let list = desk.app.list().unwrap();
    assert_eq!(list.row().unwrap().get("height_mm").unwrap(), 120);
    // A date is a date.
    go_to_column(&mut desk, "due").enter();
    clear(&mut desk).keys("5 March").enter();
    desk.assert_shows("is not a date such as 2026-03-05");
    desk.press(KeyCode::Esc);
    desk.assert_hides("is not a date");
}

#[test]
fn a_flag_is_turned_by_one_key_for_all_that_are_selected() {
    let mut desk = Desk::demo();
    go_to_column(&mut desk, "fired");
    let fired = |desk: &Desk| -> Vec<bool> {
        let list = desk.app.list().unwrap();
        let rows = (0..4).filter_map(|at| list.lines.row(at));
        rows.map(|row| row.get("fired").unwrap().as_bool().unwrap())
            .collect()
    };
    let before = fired(&desk);
    desk.keys("  ").enter();
    let after = fired(&desk);
    let turned: Vec<bool> = before
        .iter()
        .zip(&after)
        .map(|(one, two)| one != two)
        .collect();
    assert_eq!(turned, [true, true, false, false]);
    desk.keys("u");
    assert_eq!(fired(&desk), before);
}

#[test]
fn a_row_is_added_here_at_the_start_and_at_the_end() {
    let mut desk = Desk::demo();
    let before = desk.keys_shown();
    desk.press(KeyCode::Down).keys("aa");
    desk.assert_shows("+ P-0641");
    desk.keys("Mug").enter();
    assert_eq!(desk.keys_shown()[2], "P-0641");
    desk.keys("as").keys("Vase").enter();
    assert_eq!(desk.keys_shown()[0], "P-0642");
    desk.keys("ae").keys("Jug").enter();
    assert_eq!(desk.keys_shown().last().unwrap(), "P-0643");
    assert!(desk.current().contains("Jug"), "{}", desk.current());
    // One that is given up leaves nothing behind.
    desk.keys("aaBowl").press(KeyCode::Esc);
    assert_eq!(desk.keys_shown().len(), before.len() + 3);
    desk.keys("uuu");
    assert_eq!(desk.keys_shown(), before);
}

#[test]
fn deleting_asks_in_the_row_and_can_be_undone() {
    let mut desk = Desk::demo();
    let before = desk.keys_shown();
    desk.press(KeyCode::Down).keys("d");
    desk.assert_shows(&format!("Delete {}?", before[1]));
    desk.keys("n");
    assert_eq!(desk.said(), "nothing was deleted");
    desk.keys("dy");
    assert_eq!(desk.keys_shown()[1], before[2]);
    desk.keys("u");
    assert_eq!(desk.keys_shown(), before);
    desk.keys("*d");
    desk.assert_shows("Delete the 240 selected rows?");
    desk.keys("y");
    desk.assert_shows("There are no items yet.");
    desk.keys("u");
    assert_eq!(desk.keys_shown(), before);
}

#[test]
fn rows_are_moved_by_keys_and_not_in_a_sorted_list() {
    let mut desk = Desk::demo();
    let before = desk.keys_shown();
    desk.press_with(KeyModifiers::ALT, KeyCode::Down);
    assert_eq!(
        desk.keys_shown()[..2],
        [before[1].clone(), before[0].clone()]
    );
    desk.keys("<");
    assert_eq!(desk.keys_shown(), before);
    desk.keys("  >");
    assert_eq!(
        desk.keys_shown()[..3],
        [before[2].clone(), before[0].clone(), before[1].clone()]
    );
    desk.press_with(KeyModifiers::ALT, KeyCode::End);
    assert_eq!(desk.keys_shown()[238..], before[..2]);
    desk.keys("s>");
    assert!(desk.said().contains("sorted"), "{}", desk.said());
}

#[test]
fn rows_are_copied_as_json() {
    let mut desk = Desk::demo();
    desk.keys("c");
    let copied = desk.app.take_copied().unwrap();
    let record: serde_json::Value = serde_json::from_str(&copied).unwrap();
    assert_eq!(record["id"], desk.keys_shown()[0].as_str());
    desk.keys("/bowl").enter().keys("C");
    let copied = desk.app.take_copied().unwrap();
    assert_eq!(copied.lines().count(), desk.keys_shown().len());
}

#[test]
fn text_is_pasted_on_one_line() {
    let mut desk = Desk::demo();
    go_to_column(&mut desk, "title").enter();
    clear(&mut desk);
    desk.event(&Event::Paste("A mug\nof clay\n".to_owned()))
        .enter();
    assert!(
        desk.current().contains("A mug of clay"),
        "{}",
        desk.current()
    );
}

/// What others do to the items, by the number of the first row.
fn others(desk: &mut Desk, change: impl Fn(&mut serde_json::Value)) {
    let list = desk.app.list().unwrap();
    let rows = (0..list.lines.len()).filter_map(|at| list.lines.row(at));
    let mut rows: Vec<serde_json::Value> = rows
        .map(|row| serde_json::Value::Object(row.to_members()))
        .collect();
    change(&mut rows[0]);
    rows.retain(|row| !row.is_null());
    desk.engine.reload_for_test(rows);
    desk.settle();
}

#[test]
fn where_two_edits_collide_each_field_is_chosen() {
    let mut desk = Desk::demo();
    go_to_column(&mut desk, "title").enter();
    clear(&mut desk).keys("Mine").press(KeyCode::Tab);
    clear(&mut desk).keys("Me");
    others(&mut desk, |row| {
        row["title"] = "Theirs".into();
        row["maker"] = "Them".into();
        row["shelf"] = "Z9".into();
    });
    desk.enter();
    desk.assert_shows("was changed while you edited it");
    desk.assert_shows("> mine    Mine");
    desk.assert_shows("  theirs  Theirs");
    // The second of them is theirs.
    desk.press(KeyCode::Down).press(KeyCode::Right);
    desk.assert_shows("> theirs  Them");
    desk.enter();
    let list = desk.app.list().unwrap();
    let row = list.row().unwrap();
    let value = |name: &str| row.get(name).unwrap().to_json();
    assert_eq!(
        [value("title"), value("maker"), value("shelf")],
        ["Mine", "Them", "Z9"]
    );
}

#[test]
fn the_edit_of_a_row_that_was_removed_can_be_added_again() {
    let mut desk = Desk::demo();
    let key = desk.keys_shown()[0].clone();
    go_to_column(&mut desk, "title").enter();
    clear(&mut desk).keys("Mine");
    others(&mut desk, |row| *row = serde_json::Value::Null);
    desk.enter();
    desk.assert_shows(&format!("{key} was removed while you edited it"));
    desk.keys("y");
    assert_eq!(desk.keys_shown().last(), Some(&key));
    assert_eq!(desk.said(), format!("Add {key} again"));
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
    let mut desk = Desk::new(100, 20, &[&path, "--hold"]);
    desk.press(KeyCode::Right).enter().keys("!").enter();
    desk.keys("aemug").enter();
    desk.assert_shows("edits not saved");
    desk.assert_shows("~   1");
    assert!(std::fs::read_to_string(&path).unwrap().contains("\"Bowl\""));
    // Leaving asks, and saving lets go.
    desk.keys("q");
    desk.assert_shows("not saved.  w: save first");
    desk.keys("w");
    assert!(desk.said().starts_with("saved: "), "{}", desk.said());
    desk.assert_hides("not saved");
    let saved = std::fs::read_to_string(&path).unwrap();
    assert!(
        saved.contains("\"Bowl!\"") && saved.contains("\"mug\""),
        "{saved}"
    );
    desk.keys("q");
    assert!(matches!(desk.app.take_end(), Some(Ok(()))));
}

#[test]
fn what_another_program_writes_to_a_held_file_stays() {
    let folder = tempfile::tempdir().unwrap();
    let path = file(folder.path());
    let mut desk = Desk::new(100, 20, &[&path, "--hold"]);
    desk.press(KeyCode::Right).enter().keys("!").enter();
    let text =
        r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Mug"}, {"id": 3, "title": "Jug"}]"#;
    std::fs::write(&path, text).unwrap();
    desk.keys("w");
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
    let mut desk = Desk::new(100, 20, &[&path, "--hold"]);
    let wait_for = |desk: &mut Desk, text: &str| {
        let begun = std::time::Instant::now();
        while !desk.shows(text) {
            desk.settle();
            let waited = begun.elapsed();
            assert!(waited.as_secs() < 40, "{}", desk.screen().join("\n"));
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
    };
    std::fs::write(
        &path,
        r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Mu"#,
    )
    .unwrap();
    wait_for(&mut desk, "FAILED, next try in 1 s");
    desk.assert_shows("Mug");
    std::fs::write(
        &path,
        r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Mugs"}, {"id": 3}]"#,
    )
    .unwrap();
    wait_for(&mut desk, "row 1 of 3");
    desk.assert_hides("FAILED");
}

#[test]
fn questions_that_cannot_be_answered_are_told() {
    let mut desk = Desk::demo();
    for (keys, said) in [
        ("w", "in memory"),
        ("t", "no edit of"),
        ("n", "not paused"),
        ("u", "nothing can be undone"),
        ("r", "nothing can be made again"),
    ] {
        desk.keys(keys);
        assert!(desk.said().contains(said), "{keys}: {}", desk.said());
        assert!(desk.app.message.as_ref().unwrap().is_problem);
    }
    desk.ask(Request::Refresh);
    assert!(desk.said().contains("in memory"), "{}", desk.said());
}
