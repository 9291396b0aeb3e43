//! The page by the keyboard alone.

use super::browser::{ALL, ENTER, Page};
use super::{ROWS, in_source, served, until};
use serde_json::json;

const TAB: &str = "\u{e004}";
const UP: &str = "\u{e013}";
const DOWN: &str = "\u{e015}";
const RIGHT: &str = "\u{e014}";
const DELETE: &str = "\u{e017}";

/// Waits until a cell has the focus.
fn focused(page: &Page, row: &str, name: &str) {
    page.until(&format!(
        "document.activeElement.closest('.row')?.getAttribute('aria-label') === {} &&
         document.activeElement.closest('[data-name]')?.dataset.name === {}",
        json!(row),
        json!(name)
    ));
}

#[test]
fn the_keyboard_keeps_its_place_whatever_is_drawn_anew() {
    let (_folder, server) = served();
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    let keys = page.keys();
    let kind = "Content-Type: application/json\r\n";

    // A heading sorts, and goes on having the focus.
    page.type_into("#names [data-name=title] button", ENTER);
    page.until("document.querySelector('#said').textContent === 'Sorted by title, ascending'");
    let on_heading =
        "document.activeElement.closest('[role=columnheader]')?.getAttribute('aria-sort')";
    page.until(&format!("{on_heading} === 'ascending'"));
    page.press(ENTER);
    page.until(&format!("{on_heading} === 'descending'"));
    page.press(ENTER);
    page.until(&format!("{on_heading} === 'none'"));
    page.until(&format!(
        "{ROWS}[0].getAttribute('aria-label') === {}",
        json!(keys[0])
    ));
    page.until("document.getAnimations().length === 0");

    // The arrows walk from cell to cell. What is edited keeps its place, and so does what others edit.
    let first = format!("#rows [aria-label=\"{}\"] [data-name=title]", keys[0]);
    page.type_into(&first, "");
    page.press(DOWN);
    page.press(RIGHT);
    focused(&page, &keys[1], "maker");
    page.press(ENTER);
    page.press(&format!("{ALL}Wim Adder{ENTER}"));
    until("the maker", || {
        in_source(&server, &keys[1]).unwrap()["maker"] == "Wim Adder"
    });
    focused(&page, &keys[1], "maker");
    let path = format!("/items/{}", keys[1]);
    server.ask("PATCH", &path, kind, r#"{"title": "Theirs"}"#);
    page.until(&format!(
        "document.querySelector('#rows [aria-label=\"{}\"] [data-name=title]').textContent === 'Theirs'",
        keys[1]
    ));
    focused(&page, &keys[1], "maker");
    page.press(ENTER);
    page.press(&format!("{ALL}Ilse Moss{TAB}"));
    until("the maker", || {
        in_source(&server, &keys[1]).unwrap()["maker"] == "Ilse Moss"
    });
    focused(&page, &keys[1], "clay");

    // Up from the first row is its heading, and down from there the row again.
    page.type_into(&first, UP);
    page.until("document.activeElement.closest('[role=columnheader]')?.dataset.name === 'title'");
    page.press(DOWN);
    focused(&page, &keys[0], "title");
    page.press(DOWN);
    page.press(RIGHT);
    page.press(RIGHT);
    focused(&page, &keys[1], "clay");

    // The next row has the focus when one deletes a row, and none when others do.
    page.press(DELETE);
    focused(&page, &keys[2], "clay");
    until("the removal", || in_source(&server, &keys[1]).is_none());
    server.ask("DELETE", &format!("/items/{}", keys[2]), kind, "");
    let told = format!("{} has left the list.", keys[2]);
    page.until(&format!(
        "document.querySelector('#said').textContent === {}",
        json!(told)
    ));
    page.press(DELETE);
    page.until("document.getAnimations().length === 0");
    page.until("document.activeElement.closest('.row') === null");
    assert!(in_source(&server, &keys[3]).is_some());
}
