//! Looking around, finding, arranging.

use super::Desk;
use crossterm::event::{KeyCode, KeyModifiers, MouseButton, MouseEventKind};
use ratatui::style::Modifier;

#[test]
fn search_narrows_with_every_letter_and_marks_the_words() {
    let mut desk = Desk::demo();
    desk.assert_shows("row 1 of 240");
    desk.keys("/bo");
    let two = desk.keys_shown().len();
    desk.keys("wl");
    let four = desk.keys_shown().len();
    assert!(four < two && two < 240, "{two} {four}");
    desk.assert_shows("search: bowl");
    let screen = desk.screen();
    let (y, line) = screen
        .iter()
        .enumerate()
        .find(|(_, line)| line.contains("Twisted bowl"))
        .unwrap();
    let x = line.split("bowl").next().unwrap().chars().count();
    let cell = &desk.buffer()[(u16::try_from(x).unwrap(), u16::try_from(y).unwrap())];
    assert!(cell.modifier.contains(Modifier::UNDERLINED), "{cell:?}");
    // Given up, all come back; kept, Esc ends the search later.
    desk.press(KeyCode::Esc);
    assert_eq!(desk.keys_shown().len(), 240);
    desk.keys("/bowl").enter().press(KeyCode::Esc);
    assert_eq!(desk.keys_shown().len(), 240);
}

#[test]
fn a_search_without_a_match_says_so() {
    let mut desk = Desk::demo();
    desk.keys("/zzz");
    desk.assert_shows("No row matches.");
    desk.assert_shows("no rows (240 in all)");
}

#[test]
fn a_window_shows_as_many_rows_again() {
    let mut desk = Desk::new(150, 40, &["--take", "10"]);
    desk.assert_shows("row 1 of 10, 240 match (240 in all)");
    desk.keys("m");
    desk.assert_shows("row 1 of 20, 240 match");
    desk.assert_shows("10 arrived; 10 of 20 rows touched");
}

#[test]
fn a_filter_is_checked_while_it_is_typed() {
    let mut desk = Desk::demo();
    desk.keys("fheigth_mm > 200");
    desk.assert_shows("^ there is no field \"heigth_mm\": did you mean \"height_mm\"?");
    let screen = desk.screen();
    let at = screen
        .iter()
        .position(|line| line.starts_with("filter: "))
        .unwrap();
    // The sign stands under the first letter of the name.
    assert_eq!(screen[at + 1].find('^'), screen[at].find("heigth_mm"));
    desk.enter();
    assert_eq!(
        desk.keys_shown().len(),
        240,
        "a filter that is wrong is not taken"
    );
    desk.press_with(KeyModifiers::CONTROL, KeyCode::Char('u'));
    desk.keys("height_mm > 200").enter();
    let shown = desk.keys_shown().len();
    assert!(0 < shown && shown < 240);
    desk.assert_shows("filter: height_mm > 200");
}

#[test]
fn a_column_sorts_up_and_down_and_not_at_all() {
    let mut desk = Desk::demo();
    let unsorted = desk.keys_shown();
    desk.keys("s");
    desk.assert_shows("id▲");
    let up = desk.keys_shown();
    assert!(up.is_sorted());
    desk.keys("s");
    desk.assert_shows("id▼");
    let mut down = desk.keys_shown();
    down.reverse();
    assert_eq!(down, up);
    desk.keys("s");
    assert_eq!(desk.keys_shown(), unsorted);
    // By a click on a heading, and by a text.
    desk.click(5, 2);
    assert_eq!(desk.keys_shown(), up);
    desk.keys("S");
    desk.press_with(KeyModifiers::CONTROL, KeyCode::Char('u'));
    desk.keys("-id").enter();
    desk.assert_shows("sort: -id");
}

#[test]
fn sections_collapse_and_their_heading_stays_on_top() {
    let mut desk = Desk::demo();
    desk.keys("Gclay").enter();
    desk.assert_shows("group: clay");
    desk.press(KeyCode::Home);
    let screen = desk.screen();
    assert!(screen[3].contains("- black clay ("), "{}", screen[3]);
    desk.press(KeyCode::Home).times(30, KeyCode::Down);
    desk.press(KeyCode::PageDown);
    let screen = desk.screen();
    assert!(
        screen[3].starts_with(" - "),
        "a heading stays on top: {}",
        screen[3]
    );
    desk.press(KeyCode::Home).enter();
    desk.assert_shows("+ black clay (");
    desk.keys("-");
    assert!(desk.keys_shown().is_empty());
    desk.keys("+");
    assert_eq!(desk.keys_shown().len(), 240);
    // The heading's own key takes the grouping back.
    desk.keys("G");
    desk.press_with(KeyModifiers::CONTROL, KeyCode::Char('u'));
    desk.enter();
    desk.assert_hides("black clay (");
}

#[test]
fn the_cursor_stays_on_its_row_while_the_list_changes() {
    let mut desk = Desk::demo();
    desk.times(7, KeyCode::Down);
    let row = desk.current().replace("> ", "");
    let id = row.trim().split(' ').next().unwrap().to_owned();
    for keys in ["s", "s", "s", "g"] {
        desk.keys(keys);
        assert!(desk.current().contains(&id), "{keys}: {}", desk.current());
    }
    // A row that is hidden for a while is current again when it comes back.
    desk.keys("g/zzz").press(KeyCode::Esc);
    assert!(desk.current().contains(&id), "{}", desk.current());
}

#[test]
fn rows_are_selected_one_by_one_in_a_range_and_all() {
    let mut desk = Desk::demo();
    desk.keys("  ");
    desk.assert_shows("2 selected");
    desk.press(KeyCode::Esc);
    desk.assert_hides("selected");
    for _ in 0..4 {
        desk.press_with(KeyModifiers::SHIFT, KeyCode::Down);
    }
    desk.assert_shows("5 selected");
    desk.press_with(KeyModifiers::SHIFT, KeyCode::Up);
    desk.assert_shows("4 selected");
    // A search that hides some of them keeps them selected.
    desk.keys("/zzz").enter();
    desk.assert_shows("0 selected and 4 hidden");
    desk.keys("*")
        .press(KeyCode::Esc)
        .press(KeyCode::Esc)
        .keys("*");
    desk.assert_shows("240 selected");
}

#[test]
fn two_lists_over_one_store_move_together() {
    let mut desk = Desk::new(170, 30, &["--also", r#"{"sort": "title"}"#]);
    desk.assert_shows("list 1 of 2");
    desk.assert_shows("sort: title");
    let second = desk.app.lists[1].lines.clone();
    // What is deleted in the one leaves the other.
    desk.keys("dy");
    assert_eq!(desk.app.lists[1].lines.len(), second.len() - 1);
    desk.press(KeyCode::Tab);
    desk.assert_shows("list 2 of 2");
    desk.keys("l").keys(r#"{"group": "shelf"}"#).enter();
    desk.assert_shows("list 3 of 3");
    desk.keys("L");
    desk.assert_shows("of 2");
    desk.keys("LL");
    assert_eq!(desk.app.lists.len(), 1);
    assert!(desk.said().contains("the only list"), "{}", desk.said());
}

#[test]
fn rows_are_dragged_among_the_shown_ones() {
    let mut desk = Desk::demo();
    let before = desk.keys_shown();
    let down = MouseEventKind::Down(MouseButton::Left);
    let drag = MouseEventKind::Drag(MouseButton::Left);
    let up = MouseEventKind::Up(MouseButton::Left);
    desk.mouse(down, 8, 3).mouse(drag, 8, 5).mouse(up, 8, 5);
    let after = desk.keys_shown();
    assert_eq!(
        after[..4],
        [&before[1..3], &before[..1], &before[3..4]].concat()
    );
    desk.mouse(down, 8, 5).mouse(drag, 8, 3).mouse(up, 8, 3);
    assert_eq!(desk.keys_shown(), before);
    // Under another heading the row takes what that says.
    desk.keys("Gclay")
        .enter()
        .press(KeyCode::Home)
        .press(KeyCode::Down);
    let moved = desk.keys_shown()[0].clone();
    desk.press_with(KeyModifiers::ALT, KeyCode::End);
    assert_eq!(desk.keys_shown().last(), Some(&moved));
    desk.assert_shows("Move ");
}

#[test]
fn the_mouse_wheel_and_clicks_go_to_rows() {
    let mut desk = Desk::demo();
    desk.click(8, 6);
    desk.assert_shows("row 4 of 240");
    desk.mouse(MouseEventKind::ScrollDown, 8, 6);
    desk.assert_shows("row 7 of 240");
    // Twice at one place edits the field there.
    desk.click(20, 6).click(20, 6);
    desk.assert_shows("Esc give it up");
    assert!(desk.said().is_empty());
}
