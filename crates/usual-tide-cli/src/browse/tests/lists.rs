//! Looking around, finding, arranging.

use super::TestScreen;
use crossterm::event::{KeyCode, KeyModifiers, MouseButton, MouseEventKind};
use ratatui::style::Modifier;

#[test]
fn search_narrows_with_every_letter_and_marks_the_words() {
    let mut ui = TestScreen::demo();
    ui.assert_shows("row 1 of 240");
    ui.keys("/bo");
    let two = ui.keys_shown().len();
    ui.keys("wl");
    let four = ui.keys_shown().len();
    assert!(four < two && two < 240, "{two} {four}");
    ui.assert_shows("search: bowl");
    let screen = ui.screen();
    let (y, line) = screen
        .iter()
        .enumerate()
        .find(|(_, line)| line.contains("Twisted bowl"))
        .unwrap();
    let x = line.split("bowl").next().unwrap().chars().count();
    let cell = &ui.buffer()[(u16::try_from(x).unwrap(), u16::try_from(y).unwrap())];
    assert!(cell.modifier.contains(Modifier::UNDERLINED), "{cell:?}");
    // Given up, all come back; kept, Esc ends the search later.
    ui.press(KeyCode::Esc);
    assert_eq!(ui.keys_shown().len(), 240);
    ui.keys("/bowl").enter().press(KeyCode::Esc);
    assert_eq!(ui.keys_shown().len(), 240);
}

#[test]
fn a_search_without_a_match_says_so() {
    let mut ui = TestScreen::demo();
    ui.keys("/zzz");
    ui.assert_shows("No row matches.");
    ui.assert_shows("no rows (240 in all)");
}

#[test]
fn a_window_shows_as_many_rows_again() {
    let mut ui = TestScreen::new(150, 40, &["--take", "10"]);
    ui.assert_shows("row 1 of 10, 240 match (240 in all)");
    ui.keys("m");
    ui.assert_shows("row 1 of 20, 240 match");
    ui.assert_shows("10 arrived; 10 of 20 rows touched");
}

#[test]
fn a_filter_is_checked_while_it_is_typed() {
    let mut ui = TestScreen::demo();
    ui.keys("fheigth_mm > 200");
    ui.assert_shows("^ there is no field \"heigth_mm\": did you mean \"height_mm\"?");
    let screen = ui.screen();
    let at = screen
        .iter()
        .position(|line| line.starts_with("filter: "))
        .unwrap();
    // The sign stands under the first letter of the name.
    assert_eq!(screen[at + 1].find('^'), screen[at].find("heigth_mm"));
    ui.enter();
    assert_eq!(
        ui.keys_shown().len(),
        240,
        "a filter that is wrong is not taken"
    );
    ui.press_with(KeyModifiers::CONTROL, KeyCode::Char('u'));
    ui.keys("height_mm > 200").enter();
    let shown = ui.keys_shown().len();
    assert!(0 < shown && shown < 240);
    ui.assert_shows("filter: height_mm > 200");
}

#[test]
fn a_column_sorts_up_and_down_and_not_at_all() {
    let mut ui = TestScreen::demo();
    let unsorted = ui.keys_shown();
    ui.keys("s");
    ui.assert_shows("id▲");
    let up = ui.keys_shown();
    assert!(up.is_sorted());
    ui.keys("s");
    ui.assert_shows("id▼");
    let mut down = ui.keys_shown();
    down.reverse();
    assert_eq!(down, up);
    ui.keys("s");
    assert_eq!(ui.keys_shown(), unsorted);
    // By a click on a heading, and by a text.
    ui.click(5, 2);
    assert_eq!(ui.keys_shown(), up);
    ui.keys("S");
    ui.press_with(KeyModifiers::CONTROL, KeyCode::Char('u'));
    ui.keys("-id").enter();
    ui.assert_shows("sort: -id");
}

#[test]
fn sections_collapse_and_their_heading_stays_on_top() {
    let mut ui = TestScreen::demo();
    ui.keys("Gclay").enter();
    ui.assert_shows("group: clay");
    ui.press(KeyCode::Home);
    let screen = ui.screen();
    assert!(screen[3].contains("- black clay ("), "{}", screen[3]);
    ui.press(KeyCode::Home).times(30, KeyCode::Down);
    ui.press(KeyCode::PageDown);
    let screen = ui.screen();
    assert!(
        screen[3].starts_with(" - "),
        "a heading stays on top: {}",
        screen[3]
    );
    ui.press(KeyCode::Home).enter();
    ui.assert_shows("+ black clay (");
    ui.keys("-");
    assert!(ui.keys_shown().is_empty());
    ui.keys("+");
    assert_eq!(ui.keys_shown().len(), 240);
    // The heading's own key takes the grouping back.
    ui.keys("G");
    ui.press_with(KeyModifiers::CONTROL, KeyCode::Char('u'));
    ui.enter();
    ui.assert_hides("black clay (");
}

#[test]
fn the_cursor_stays_on_its_row_while_the_list_changes() {
    let mut ui = TestScreen::demo();
    ui.times(7, KeyCode::Down);
    let row = ui.current().replace("> ", "");
    let id = row.trim().split(' ').next().unwrap().to_owned();
    for keys in ["s", "s", "s", "g"] {
        ui.keys(keys);
        assert!(ui.current().contains(&id), "{keys}: {}", ui.current());
    }
    // A row that is hidden for a while is current again when it comes back.
    ui.keys("g/zzz").press(KeyCode::Esc);
    assert!(ui.current().contains(&id), "{}", ui.current());
}

#[test]
fn rows_are_selected_one_by_one_in_a_range_and_all() {
    let mut ui = TestScreen::demo();
    ui.keys("  ");
    ui.assert_shows("2 selected");
    ui.press(KeyCode::Esc);
    ui.assert_hides("selected");
    for _ in 0..4 {
        ui.press_with(KeyModifiers::SHIFT, KeyCode::Down);
    }
    ui.assert_shows("5 selected");
    ui.press_with(KeyModifiers::SHIFT, KeyCode::Up);
    ui.assert_shows("4 selected");
    // A search that hides some of them keeps them selected.
    ui.keys("/zzz").enter();
    ui.assert_shows("0 selected and 4 hidden");
    ui.keys("*")
        .press(KeyCode::Esc)
        .press(KeyCode::Esc)
        .keys("*");
    ui.assert_shows("240 selected");
}

#[test]
fn two_lists_over_one_store_move_together() {
    let mut ui = TestScreen::new(170, 30, &["--also", r#"{"sort": "title"}"#]);
    ui.assert_shows("list 1 of 2");
    ui.assert_shows("sort: title");
    let second = ui.app.lists[1].lines.clone();
    // What is deleted in the one leaves the other.
    ui.keys("dy");
    assert_eq!(ui.app.lists[1].lines.len(), second.len() - 1);
    ui.press(KeyCode::Tab);
    ui.assert_shows("list 2 of 2");
    ui.keys("l").keys(r#"{"group": "shelf"}"#).enter();
    ui.assert_shows("list 3 of 3");
    ui.keys("L");
    ui.assert_shows("of 2");
    ui.keys("LL");
    assert_eq!(ui.app.lists.len(), 1);
    assert!(ui.said().contains("the only list"), "{}", ui.said());
}

#[test]
fn rows_are_dragged_among_the_shown_ones() {
    let mut ui = TestScreen::demo();
    let before = ui.keys_shown();
    let down = MouseEventKind::Down(MouseButton::Left);
    let drag = MouseEventKind::Drag(MouseButton::Left);
    let up = MouseEventKind::Up(MouseButton::Left);
    ui.mouse(down, 8, 3).mouse(drag, 8, 5).mouse(up, 8, 5);
    let after = ui.keys_shown();
    assert_eq!(
        after[..4],
        [&before[1..3], &before[..1], &before[3..4]].concat()
    );
    ui.mouse(down, 8, 5).mouse(drag, 8, 3).mouse(up, 8, 3);
    assert_eq!(ui.keys_shown(), before);
    // Under another heading the row takes what that says.
    ui.keys("Gclay")
        .enter()
        .press(KeyCode::Home)
        .press(KeyCode::Down);
    let moved = ui.keys_shown()[0].clone();
    ui.press_with(KeyModifiers::ALT, KeyCode::End);
    assert_eq!(ui.keys_shown().last(), Some(&moved));
    ui.assert_shows("Move ");
}

#[test]
fn the_mouse_wheel_and_clicks_go_to_rows() {
    let mut ui = TestScreen::demo();
    ui.click(8, 6);
    ui.assert_shows("row 4 of 240");
    ui.mouse(MouseEventKind::ScrollDown, 8, 6);
    ui.assert_shows("row 7 of 240");
    // Twice at one place edits the field there.
    ui.click(20, 6).click(20, 6);
    ui.assert_shows("Esc give it up");
    assert!(ui.said().is_empty());
}
