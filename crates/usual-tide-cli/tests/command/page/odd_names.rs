//! Fields of any name and numbers of any length, which the page shows and writes as the source has them.

use super::{ALL, ENTER, Page, ROWS, Server, rows_told, until, write};
use serde_json::{Value, json};

const PIECES: &str = r#"[
    {"id": 9007199254740993, "x, y": 3, "-z": 1, "a.b": 1, "a": {"b": 2, "c/d": 3}, "km/h": 1.50, "a:sum": 1, "w": 12345678901234567890.25},
    {"id": 9007199254740992, "x, y": 1, "-z": 2, "a.b": 2, "a": {"b": 3, "c/d": 1}, "km/h": 2.50, "a:sum": 1, "w": -0},
    {"id": 3, "x, y": 2, "-z": 3, "a.b": 3, "a": {"b": 1, "c/d": 2}, "km/h": 0.10, "a:sum": 2, "w": [1.0, 20]}
]"#;

/// Each field, and the keys in its order.
const ORDERS: [(&str, [&str; 3]); 6] = [
    ("x, y", [MIDDLE, "3", LAST]),
    ("-z", [LAST, MIDDLE, "3"]),
    ("/a.b", [LAST, MIDDLE, "3"]),
    ("a.b", ["3", LAST, MIDDLE]),
    ("/a/c~1d", [MIDDLE, "3", LAST]),
    ("km/h", ["3", LAST, MIDDLE]),
];

const LAST: &str = "9007199254740993";
const MIDDLE: &str = "9007199254740992";

#[test]
fn fields_of_any_name_and_numbers_of_any_length_are_what_the_source_has() {
    let folder = tempfile::tempdir().unwrap();
    let path = write(&folder, "pieces.json", PIECES);
    let server = Server::start(&path, &[]);
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    page.until(&rows_told("3 of 3"));
    let keys_are = |keys: &[&str]| {
        let shown = "row.getAttribute('aria-label')";
        page.until(&format!(
            "JSON.stringify([...{ROWS}].map((row) => {shown})) === {}",
            json!(json!(keys).to_string())
        ));
    };
    let cell =
        |key: &str, name: &str| format!("#rows [aria-label=\"{key}\"] [data-name=\"{name}\"]");

    for (name, keys) in ORDERS {
        let heading = format!("#names [data-name=\"{name}\"] button");
        page.click(&heading);
        keys_are(&keys);
        page.click(&heading);
        keys_are(
            &keys
                .map(|key| key)
                .iter()
                .rev()
                .copied()
                .collect::<Vec<_>>(),
        );
        page.click(&heading);
        keys_are(&[LAST, MIDDLE, "3"]);
    }
    page.value("document.querySelector('#group').value = 'a:sum'");
    page.value("document.querySelector('#group').dispatchEvent(new Event('change'))");
    page.until("document.querySelectorAll('#rows .section h3:not([hidden])').length === 2");
    assert!(
        page.text("#rows h3").contains("x, y 4 in all"),
        "{}",
        page.text("#rows h3")
    );
    // With all their digits.
    assert!(
        page.text("#rows h3").contains("km/h 4.00 in all"),
        "{}",
        page.text("#rows h3")
    );
    page.value("document.querySelector('#group').value = ''");
    page.value("document.querySelector('#group').dispatchEvent(new Event('change'))");
    page.until("document.querySelectorAll('#rows .section h3:not([hidden])').length === 0");

    for (key, name, text) in [
        (LAST, "km/h", "1.50"),
        (LAST, "w", "12345678901234567890.25"),
        (MIDDLE, "w", "-0"),
        ("3", "w", "[1.0,20]"),
    ] {
        assert_eq!(page.text(&cell(key, name)), text);
    }

    // Deleted and brought back, nothing is lost.
    let there = server.items();
    page.click(&format!("#rows [aria-label=\"{LAST}\"] .remove"));
    keys_are(&[MIDDLE, "3"]);
    page.click("#undo");
    keys_are(&[LAST, MIDDLE, "3"]);
    assert_eq!(server.items(), there);
    // Once the row that left has faded.
    page.until("document.getAnimations().length === 0");

    // Each field is written by itself, with the digits that were typed.
    let mut expected = there;
    for (name, pointer, typed) in [
        ("/a.b", "/a.b", "7.50"),
        ("a.b", "/a/b", "9007199254740993"),
        ("/a/c~1d", "/a/c~1d", "-1"),
        ("km/h", "/km~1h", "0.20"),
        ("-z", "/-z", "4"),
    ] {
        page.click(&cell(LAST, name));
        page.press(&format!("{ALL}{typed}{ENTER}"));
        *expected[0].pointer_mut(pointer).unwrap() = serde_json::from_str::<Value>(typed).unwrap();
        until(name, || server.items() == expected);
    }
}
