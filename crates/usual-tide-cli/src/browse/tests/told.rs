//! What the view was told: paused, stepped, and written as a trace.

use super::TestScreen;
use crossterm::event::KeyCode;

#[test]
fn a_paused_view_is_told_one_change_set_after_another() {
    let mut ui = TestScreen::demo();
    let before = ui.keys_shown();
    ui.keys("p");
    ui.assert_shows("PAUSED");
    ui.keys(">dy");
    assert_eq!(ui.keys_shown(), before, "the view is told nothing");
    ui.assert_shows("PAUSED, 2 change sets behind");
    ui.keys("n");
    let moved = ui.keys_shown();
    assert_eq!(moved.len(), before.len());
    assert_ne!(moved, before);
    ui.keys("n");
    assert_eq!(ui.keys_shown().len(), before.len() - 1);
    ui.keys("n");
    assert_eq!(ui.said(), "the view has been told everything");
    ui.keys(">p");
    ui.assert_hides("PAUSED");
    ui.keys("=");
    assert!(
        ui.said().contains("the view shows what the list has"),
        "{}",
        ui.said()
    );
}

#[test]
fn the_pane_tells_who_left_arrived_moved_and_changed() {
    let mut ui = TestScreen::demo();
    let first = ui.keys_shown()[0].clone();
    ui.keys(">>");
    ui.assert_shows(&format!("Move {first}"));
    ui.assert_shows("1 moved; 1 of 240 rows touched (0.4 %)");
    ui.assert_shows("a reload would have drawn 240 rows again");
    ui.keys("/bowl").enter();
    ui.assert_shows("search bow");
    ui.keys("V");
    ui.assert_shows("What the view was told: ");
    ui.press(KeyCode::Home);
    ui.assert_shows("from number 2 to number 1");
    ui.press(KeyCode::Esc);
    ui.assert_shows("Twisted bowl");
    // Without it there is room for more columns.
    ui.assert_hides("fee.currency");
    ui.keys("v");
    ui.assert_hides("What the view was told");
    ui.assert_shows("fee.currency");
}

#[test]
fn a_trace_is_one_that_verify_takes() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("trace.ndjson");
    let mut ui = TestScreen::demo();
    ui.keys(">dys").keys("/bowl").enter().keys("T");
    ui.press_with(crossterm::event::KeyModifiers::CONTROL, KeyCode::Char('u'));
    ui.keys(path.to_str().unwrap()).enter();
    assert!(
        ui.said()
            .starts_with("a trace of 6 change sets was written to"),
        "{}",
        ui.said()
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
    assert_eq!(last, ui.keys_shown());

    // An earlier trace is replaced, and no other file.
    let write = |ui: &mut TestScreen, path: &std::path::Path| {
        ui.keys("T");
        ui.press_with(crossterm::event::KeyModifiers::CONTROL, KeyCode::Char('u'));
        ui.keys(path.to_str().unwrap()).enter();
        ui.said()
    };
    assert!(write(&mut ui, &path).starts_with("a trace of 6 change sets was written to"));
    let items = folder.path().join("pieces.json");
    std::fs::write(&items, "[]").unwrap();
    let said = write(&mut ui, &items);
    assert!(
        said.contains("what is there is no trace; give another name"),
        "{said}"
    );
    assert_eq!(std::fs::read_to_string(&items).unwrap(), "[]");
}
