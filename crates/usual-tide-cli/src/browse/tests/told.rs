//! What the view was told: paused, stepped, and written as a trace.

use super::Desk;
use crossterm::event::KeyCode;

#[test]
fn a_paused_view_is_told_one_change_set_after_another() {
    let mut desk = Desk::demo();
    let before = desk.keys_shown();
    desk.keys("p");
    desk.assert_shows("PAUSED");
    desk.keys(">dy");
    assert_eq!(desk.keys_shown(), before, "the view is told nothing");
    desk.assert_shows("PAUSED, 2 change sets behind");
    desk.keys("n");
    let moved = desk.keys_shown();
    assert_eq!(moved.len(), before.len());
    assert_ne!(moved, before);
    desk.keys("n");
    assert_eq!(desk.keys_shown().len(), before.len() - 1);
    desk.keys("n");
    assert_eq!(desk.said(), "the view has been told everything");
    desk.keys(">p");
    desk.assert_hides("PAUSED");
    desk.keys("=");
    assert!(
        desk.said().contains("the view shows what the list has"),
        "{}",
        desk.said()
    );
}

#[test]
fn the_pane_tells_who_left_arrived_moved_and_changed() {
    let mut desk = Desk::demo();
    let first = desk.keys_shown()[0].clone();
    desk.keys(">>");
    desk.assert_shows(&format!("Move {first}"));
    desk.assert_shows("1 moved; 1 of 240 rows touched (0.4 %)");
    desk.assert_shows("a reload would have drawn 240 rows again");
    desk.keys("/bowl").enter();
    desk.assert_shows("search bow");
    desk.keys("V");
    desk.assert_shows("What the view was told: ");
    desk.press(KeyCode::Home);
    desk.assert_shows("from number 2 to number 1");
    desk.press(KeyCode::Esc);
    desk.assert_shows("Twisted bowl");
    // Without it there is room for more columns.
    desk.assert_hides("fee.currency");
    desk.keys("v");
    desk.assert_hides("What the view was told");
    desk.assert_shows("fee.currency");
}

#[test]
fn a_trace_is_one_that_verify_takes() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("trace.ndjson");
    let mut desk = Desk::demo();
    desk.keys(">dys").keys("/bowl").enter().keys("T");
    desk.press_with(crossterm::event::KeyModifiers::CONTROL, KeyCode::Char('u'));
    desk.keys(path.to_str().unwrap()).enter();
    assert!(
        desk.said()
            .starts_with("a trace of 6 change sets was written to"),
        "{}",
        desk.said()
    );
    let text = std::fs::read_to_string(&path).unwrap();
    let lines: Vec<serde_json::Value> = text
        .lines()
        .map(|line| serde_json::from_str(line).unwrap())
        .collect();
    assert_eq!(lines.len(), 8);
    assert_eq!(lines[0]["rows"].as_array().unwrap().len(), 240);
    let last: Vec<String> = lines[7]["rows"]
        .as_array()
        .unwrap()
        .iter()
        .map(|key| key.as_str().unwrap().to_owned())
        .collect();
    assert_eq!(last, desk.keys_shown());
}
