//! The page of `serve` in a browser.

mod address;
mod browser;
mod keyboard;
mod odd_names;

use crate::serving::Server;
use crate::support::{demo, write};
use browser::{ALL, ALT_DOWN, ENTER, ESCAPE, Page};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use tempfile::TempDir;

const ROWS: &str = "document.querySelectorAll('#rows .row:not([aria-hidden])')";

/// A server of a copy of the demo's pieces.
fn served() -> (TempDir, Server) {
    let folder = tempfile::tempdir().unwrap();
    let text = std::fs::read_to_string(demo("pieces.json")).unwrap();
    let path = write(&folder, "pieces.json", &text);
    let server = Server::start(&path, &[]);
    (folder, server)
}

/// An expression that is true when the status tells so many rows.
fn rows_told(text: &str) -> String {
    format!(
        "document.querySelector('#state').textContent.includes({})",
        json!(text)
    )
}

fn in_source(server: &Server, key: &str) -> Option<Value> {
    server.items().into_iter().find(|item| item["id"] == key)
}

/// Waits for what the source holds.
fn until(what: &str, mut holds: impl FnMut() -> bool) {
    let end = Instant::now() + Duration::from_secs(60);
    while !holds() {
        assert!(Instant::now() < end, "not in time: {what}");
        std::thread::sleep(Duration::from_millis(20));
    }
}

#[test]
fn a_list_is_searched_filtered_sorted_and_grouped() {
    let (_folder, server) = served();
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    page.until(&rows_told("rows 1–200 of 240"));

    page.type_into("#search", "bowl");
    page.until("document.querySelectorAll('#rows mark').length > 10");
    page.until(&format!(
        "[...{ROWS}].every((row) => /bowl/i.test(row.textContent))"
    ));
    page.replace("#search", "");
    page.until(&rows_told("rows 1–200 of 240"));

    page.replace("#filter", "heigth_mm > 200");
    page.until("document.querySelector('#filter-problem').textContent.includes('did you mean')");
    assert!(page.text("#filter-problem").contains("\n^ "));
    page.replace("#filter", "fired = FALSE AND height_mm > 200");
    page.until(&format!("{ROWS}.length > 0 && {ROWS}.length < 100"));
    assert_eq!(page.text("#filter-problem"), "");
    page.replace("#filter", "");
    page.until(&rows_told("rows 1–200 of 240"));

    let heights = format!(
        "[...{ROWS}].map((row) => Number(row.querySelector('[data-name=height_mm]').textContent))"
    );
    let sorted = |order: &str| {
        format!("{heights}.every((height, at, all) => at === 0 || all[at - 1] {order} height)")
    };
    let by_height = "#names [role=columnheader]:has(button):nth-of-type(7) button";
    let named = page.text(by_height);
    assert!(named.starts_with("height_mm"), "{named}");
    page.click(by_height);
    page.until(&sorted("<="));
    page.click(by_height);
    page.until(&sorted(">="));
    page.click(by_height);

    // A screen reader tells the heading of each cell by its place in the row.
    let has_headings = format!(
        "[...document.querySelector('#names').children].every((name) => name.role === 'columnheader') && [...{ROWS}].every((row) => row.querySelectorAll(':scope > [role=cell]').length === document.querySelector('#names').children.length)"
    );
    assert_eq!(page.value(&has_headings), true);

    page.value("document.querySelector('#group').value = 'shelf'");
    page.value("document.querySelector('#group').dispatchEvent(new Event('change'))");
    page.until("document.querySelectorAll('#rows .section h3:not([hidden])').length > 3");
    // Each heading tells the sum of its heights, which follows an edit.
    let heading = page.text("#rows .section h3");
    assert!(
        heading.contains("height_mm") && heading.ends_with("in all"),
        "{heading}"
    );
    let first = format!("/items/{}", page.keys()[0]);
    let kind = "Content-Type: application/json\r\n";
    server.ask("PATCH", &first, kind, r#"{"height_mm": 100000}"#);
    page.until("document.querySelector('#rows .section h3').textContent.includes('height_mm 10')");
    page.click("#rows .section h3 button");
    page.until("document.querySelector('#rows .section').classList.contains('closed')");
    let told = page
        .value("document.querySelector('#rows .section h3 button').getAttribute('aria-expanded')");
    assert_eq!(told, "false");
}

#[test]
fn items_are_added_edited_deleted_moved_and_it_is_undone() {
    let (_folder, server) = served();
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    let keys = page.keys();
    let first = &keys[0];
    let cell = |key: &str, name: &str| format!("#rows [aria-label=\"{key}\"] [data-name={name}]");

    // A text, a number that is none, a day, a box.
    page.click(&cell(first, "title"));
    page.press(&format!("{ALL}Blue bowl{ENTER}"));
    until("the title", || {
        in_source(&server, first).unwrap()["title"] == "Blue bowl"
    });
    page.type_into(&cell(first, "height_mm"), ENTER);
    page.press(&format!("{ALL}tall{ENTER}"));
    page.until("document.activeElement.validationMessage.includes('is not a number')");
    page.press(ESCAPE);
    page.click(&cell(first, "height_mm"));
    page.press(&format!("{ALL}321{ENTER}"));
    until("the height", || {
        in_source(&server, first).unwrap()["height_mm"] == 321
    });
    // What a column chooses among is offered; other texts can be typed.
    let offered = "[...document.activeElement.list?.options ?? []].map((option) => option.value)";
    page.click(&cell(first, "glaze"));
    let glazes = page.value(offered);
    assert!(
        glazes.as_array().unwrap().contains(&json!("celadon")),
        "{glazes}"
    );
    page.press(&format!("{ALL}salt{ENTER}"));
    until("the glaze", || {
        in_source(&server, first).unwrap()["glaze"] == "salt"
    });
    page.click(&cell(first, "title"));
    assert_eq!(page.value(offered), json!([]));
    page.press(ESCAPE);
    page.click(&cell(first, "due"));
    assert_eq!(page.value("document.activeElement.type"), "date");
    page.press(ESCAPE);
    page.click(&format!("{} input", cell(first, "fired")));
    until("the box", || {
        in_source(&server, first).unwrap()["fired"] == true
    });
    page.click("#undo");
    until("the undo", || {
        in_source(&server, first).unwrap()["fired"] == false
    });

    // Deleted, and back where it was.
    page.click(&format!("#rows [aria-label=\"{first}\"] .remove"));
    page.until(&format!(
        "{ROWS}[0].getAttribute('aria-label') === {}",
        json!(keys[1])
    ));
    assert_eq!(in_source(&server, first), None);
    page.click("#undo");
    page.until(&format!(
        "{ROWS}[0].getAttribute('aria-label') === {}",
        json!(first)
    ));

    // Moved by the keyboard, and by the mouse.
    page.type_into(&cell(first, "title"), ALT_DOWN);
    page.until(&format!(
        "{ROWS}[1].getAttribute('aria-label') === {}",
        json!(first)
    ));
    // Once the rows have slid to their places.
    page.until("document.getAnimations().length === 0");
    page.drag(
        &format!("#rows [aria-label=\"{}\"] .handle", keys[3]),
        &format!("#rows [aria-label=\"{}\"] .handle", keys[1]),
    );
    page.until(&format!(
        "{ROWS}[0].getAttribute('aria-label') === {}",
        json!(keys[3])
    ));
    until("the order", || {
        server.items()[..3]
            .iter()
            .map(|item| item["id"].as_str().unwrap())
            .eq([&keys[3], &keys[1], first])
    });

    page.click("#add");
    page.type_into("dialog input", "P-0999");
    page.press(ENTER);
    page.until(&format!(
        "{ROWS}[0].getAttribute('aria-label') === 'P-0999'"
    ));
    assert_eq!(server.items()[0]["id"], "P-0999");
}

#[test]
fn several_rows_are_selected_deleted_and_moved_together() {
    let (_folder, server) = served();
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    let keys = page.keys();
    let row = |key: &str| format!("#rows [aria-label=\"{key}\"]");
    let is_first = |key: &str| {
        let key = json!(key);
        format!("{ROWS}[0].getAttribute('aria-label') === {key}")
    };
    let order = |count: usize| -> Vec<String> {
        let items = server.items();
        let keys = items.iter().take(count).map(|item| item["id"].as_str());
        keys.map(|key| key.unwrap().to_owned()).collect()
    };
    // One, and with Shift all up to another.
    page.click(&format!("{} .select", row(&keys[1])));
    page.shift_click(&format!("{} .select", row(&keys[4])));
    assert_eq!(page.text("#chosen-count"), "4 rows are selected");
    page.click(&format!("{} .select", row(&keys[2])));
    assert_eq!(page.text("#chosen-count"), "3 rows are selected");

    // Moved together, by dragging one of them.
    page.drag(
        &format!("{} .handle", row(&keys[3])),
        &format!("{} .handle", row(&keys[0])),
    );
    page.until(&is_first(&keys[1]));
    let moved = [1, 3, 4, 0, 2].map(|at| keys[at].clone());
    until("the order", || order(5) == moved);
    page.click("#undo");
    until("the order as it was", || order(5) == keys[..5]);

    // Somebody else deletes one of them: it is not selected any more.
    let gone = format!("/items/{}", keys[3]);
    server.ask("DELETE", &gone, "", "");
    page.until("document.querySelector('#chosen-count').textContent.startsWith('2 ')");
    page.click("#delete-chosen");
    until("the rows", || in_source(&server, &keys[4]).is_none());
    page.until("document.querySelector('#chosen').hidden");
    let left = [0, 2, 5].map(|at| keys[at].clone());
    assert_eq!(order(3), left);
    page.click("#undo");
    let back = [0, 1, 2, 4, 5].map(|at| keys[at].clone());
    until("the rows again", || order(5) == back);

    page.click("#names input[type=checkbox]");
    assert_eq!(page.text("#chosen-count"), "200 rows are selected");
    page.type_into("#search", "raku");
    page.until("!document.querySelector('#chosen-count').textContent.startsWith('200')");
    let selected = page.value(
        "document.querySelectorAll('#rows .row[aria-selected=true]:not([aria-hidden])').length",
    );
    // Those that came in from outside the window are not.
    assert!(selected.as_u64().unwrap() > 0);
    let told = format!("{selected} rows are selected");
    assert_eq!(page.text("#chosen-count"), told);
    page.click("#choose-none");
    page.until("document.querySelector('#chosen').hidden");
}

#[test]
fn a_long_list_is_in_the_page_by_parts_and_stays_where_one_reads() {
    let folder = tempfile::tempdir().unwrap();
    let pieces: Vec<Value> = (0..100_000)
        .map(|number| json!({"id": number, "title": format!("Piece {number}"), "shelf": number / 1000}))
        .collect();
    let path = write(&folder, "pieces.json", &json!(pieces).to_string());
    let server = Server::start(&path, &[]);
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    page.until(&rows_told("rows 1–200 of 100000"));
    // Every row that is seen, by where it is on the screen.
    let seen = "[...document.querySelectorAll('#rows .row:not([aria-hidden])')]\
        .map((row) => [Number(row.getAttribute('aria-label')), row.getBoundingClientRect()])\
        .filter(([, place]) => place.bottom > document.querySelector('#names').getBoundingClientRect().bottom + 1 && place.top < innerHeight - 40)";
    let is_filled = format!(
        "(() => {{ const seen = {seen}; return seen.length > 12 && seen[0][1].top < 240 && seen.every(([key], at) => key === seen[0][0] + at); }})()"
    );
    // On and on, as with the wheel: there is always something to read.
    for _ in 0..20 {
        page.value("document.querySelector('#table').scrollBy(0, 900) ?? true");
        page.until(&is_filled);
    }
    let first = format!("({seen}[0] ?? [-1])[0]");
    assert!(
        page.value(&first).as_u64() > Some(400),
        "{}",
        page.value(&first)
    );
    let parts = page.value("document.querySelectorAll('#rows .row').length");
    assert!(parts.as_u64() < Some(600), "{parts}");

    // Down and up to anywhere at once, to the row that is there.
    for part in [0.9, 0.25, 0.7, 0.1] {
        page.value(&format!("document.querySelector('#table').scrollTop = {part} * document.querySelector('#table').scrollHeight"));
        page.until(&format!("Math.abs({first} - {part} * 100000) < 3"));
        page.until(&is_filled);
    }

    // To the middle at once, where a row of the page has its place among all.
    page.value("document.querySelector('#table').scrollTop = document.querySelector('#table').scrollHeight / 2");
    page.until(&is_filled);
    page.until(&format!("{first} > 40000 && {first} < 60000"));
    let middle = page.value(&first).as_u64().unwrap();
    let row = format!("document.querySelector('#rows [aria-label=\"{middle}\"]')");
    page.until(&format!(
        "Number({row}.getAttribute('aria-rowindex')) === {middle} + 2"
    ));

    // Others add and delete above, within the page and beyond it: what one reads stays.
    page.until("document.getAnimations().length === 0");
    let place = format!("{row}.getBoundingClientRect().top");
    let before = page.value(&place).as_f64().unwrap();
    let kind = "Content-Type: application/json\r\n";
    for (number, above) in [(100_001, middle - 5), (100_002, middle - 20), (100_003, 10)] {
        let body = json!({"id": number, "title": "New"}).to_string();
        let answer = server.ask("POST", &format!("/items?before={above}"), kind, &body);
        assert!(answer.starts_with("HTTP/1.1 201"), "{answer}");
    }
    page.until(&format!(
        "Number({row}.getAttribute('aria-rowindex')) === {middle} + 5"
    ));
    let after = page.value(&place).as_f64().unwrap();
    assert!(
        (before - after).abs() < 2.0,
        "{before} before, {after} after"
    );

    // Another question is answered from its first row on.
    page.value("document.querySelector('#table').scrollTop = document.querySelector('#table').scrollHeight");
    page.until("document.querySelector('#rows').textContent.includes('Piece 99999')");
    page.replace("#search", "piece 777");
    page.until(&format!("{ROWS}[0].getAttribute('aria-label') === '777'"));
    page.until("document.querySelector('#table').scrollTop === 0");
}

#[test]
fn what_is_selected_stays_so_while_one_scrolls() {
    let folder = tempfile::tempdir().unwrap();
    let pieces: Vec<Value> = (0..2_000)
        .map(|number| json!({"id": number, "title": format!("Piece {number}")}))
        .collect();
    let path = write(&folder, "pieces.json", &json!(pieces).to_string());
    let server = Server::start(&path, &[]);
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    let handle = |key: u32| format!("#rows [aria-label=\"{key}\"] .select");
    let scroll_to = |key: u32| {
        page.value(&format!("document.querySelector('#table').scrollTop = {key} / 2000 * document.querySelector('#table').scrollHeight"));
        page.until(&format!(
            "document.querySelector('{}') !== null",
            handle(key)
        ));
        page.value(&format!(
            "document.querySelector('{}').scrollIntoView({{block: 'center'}}) ?? true",
            handle(key)
        ));
    };
    let told = |text: &str| {
        let text = json!(text);
        page.until(&format!(
            "document.querySelector('#chosen-count').textContent === {text}"
        ));
    };
    let there = |keys: [u32; 2]| {
        let items = server.items();
        keys.map(|key| items.iter().position(|item| item["id"] == key))
    };
    page.until(&rows_told("rows 1–200 of 2000"));
    page.click(&handle(3));
    scroll_to(1_200);
    page.click(&handle(1_200));
    told("2 rows are selected, 1 of them further up or down");
    page.click("#delete-chosen");
    until("both are gone", || there([3, 1_200]) == [None, None]);
    page.click("#undo");
    until("both are where they were", || {
        there([3, 1_200]) == [Some(3), Some(1_200)]
    });

    // With Shift all from the one before, also those that have never been in the page; or none of them.
    let selected = |rows: usize| {
        page.until(&format!("document.querySelector('#chosen-count').textContent.startsWith('{rows} rows are selected')"));
    };
    scroll_to(4);
    page.click(&handle(4));
    scroll_to(1_800);
    page.shift_click(&handle(1_800));
    selected(1_797);
    page.shift_click(&handle(1_795));
    selected(1_791);
    page.click(&handle(1_799));
    selected(1_792);

    // Another question: what is not in its answer is not selected.
    page.type_into("#search", "piece 1799");
    told("1 row is selected");
    page.click("#choose-none");
    page.replace("#search", "");
    page.until(&rows_told("rows 1–200 of 2000"));

    // All of them, and not only those in the page.
    page.click("#names .handle input");
    told("200 rows are selected");
    assert_eq!(page.text("#choose-all"), "Select all 2000 rows");
    page.click("#choose-all");
    told("2000 rows are selected, 1800 of them further up or down");
    page.until("document.querySelector('#choose-all').hidden");
    page.click("#choose-none");

    // One of those that are out of sight has been deleted meanwhile: that is said, and the other is deleted.
    page.click(&handle(7));
    scroll_to(900);
    page.click(&handle(900));
    server.ask("DELETE", "/items/7", "", "");
    page.click("#delete-chosen");
    page.until("document.querySelector('#said').textContent !== ''");
    until("the other is gone", || there([7, 900]) == [None, None]);
}

#[test]
fn two_pages_show_what_each_other_does_and_what_was_refused() {
    let (_folder, server) = served();
    let Some(one) = Page::open(&server.address()) else {
        return;
    };
    let Some(two) = Page::open(&server.address()) else {
        return;
    };
    let key = one.keys()[2].clone();
    let title = format!("#rows [aria-label=\"{key}\"] [data-name=title]");
    let shows = |text: &str| {
        format!(
            "document.querySelector({}).textContent === {}",
            json!(title),
            json!(text)
        )
    };

    // Both type into the same cell: the last one to save has it, and both see it.
    one.click(&title);
    one.press(&format!("{ALL}Mine"));
    two.click(&title);
    two.press(&format!("{ALL}Theirs{ENTER}"));
    until("theirs", || {
        in_source(&server, &key).unwrap()["title"] == "Theirs"
    });
    // What is typed stays while the row changes below it.
    assert_eq!(one.value("document.activeElement.value"), "Mine");
    one.press(ENTER);
    until("mine", || {
        in_source(&server, &key).unwrap()["title"] == "Mine"
    });
    one.until(&shows("Mine"));
    two.until(&shows("Mine"));

    // What one wrote is not taken back once the other has written over it.
    two.click(&title);
    two.press(&format!("{ALL}Theirs again{ENTER}"));
    one.until(&shows("Theirs again"));
    one.click("#undo");
    one.until("document.querySelector('#said').textContent.includes('others changed it since')");
    assert_eq!(in_source(&server, &key).unwrap()["title"], "Theirs again");

    // One deletes what the other is about to change.
    two.value("new MutationObserver(() => (window.heard ??= []).push(document.querySelector('#said').textContent)).observe(document.querySelector('#said'), {childList: true}) ?? true");
    two.click(&title);
    two.press(&format!("{ALL}Too late"));
    one.click(&format!("#rows [aria-label=\"{key}\"] .remove"));
    two.until("(window.heard ?? []).some((said) => said.includes('Too late'))");
    assert_eq!(in_source(&server, &key), None);
    assert!(!two.keys().contains(&key));
    assert_eq!(one.keys(), two.keys());
}

#[test]
fn a_page_outlives_its_server() {
    let (folder, server) = served();
    let path = folder.path().join("pieces.json");
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    let removed = page.keys().remove(1);
    page.click(&format!("#rows [aria-label=\"{removed}\"] .remove"));
    page.until("!document.querySelector('#undo').disabled");
    let port = server.port.to_string();
    drop(server);
    page.until("document.querySelector('#state').textContent.startsWith('offline')");
    page.click("#undo");
    page.until("document.querySelector('#said').textContent.includes('cannot be undone')");
    // Meanwhile somebody changes the file.
    let text = std::fs::read_to_string(&path).unwrap();
    std::fs::write(&path, text.replace("Slipware teapot", "Lidless teapot")).unwrap();
    let server = Server::start_at(path.to_str().unwrap(), &port, &[]);
    page.until("document.querySelector('#state').textContent.startsWith('live')");
    page.until("document.querySelector('#rows').textContent.includes('Lidless teapot')");
    // What could not be undone then is undone now.
    assert_eq!(in_source(&server, &removed), None);
    page.click("#undo");
    until("the undo", || in_source(&server, &removed).is_some());
    page.until(&format!(
        "{ROWS}[1].getAttribute('aria-label') === {}",
        json!(removed)
    ));
}

#[test]
fn a_write_whose_answer_is_lost_is_done_once_and_one_tried_again_can_be_undone() {
    let (folder, server) = served();
    drop(server);
    let path = folder.path().join("pieces.json");
    let server = Server::start(path.to_str().unwrap(), &["--refuse-every", "4"]);
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    // Answers to writes are lost while `losing` is true, the writes are done.
    page.value(
        "(() => { const send = window.fetch; window.fetch = async (path, how) => { const answer = await send(path, how); if (window.losing && how?.method !== 'GET' && path.startsWith('/items')) throw new TypeError('lost'); return answer; }; return true; })()",
    );
    let lost = "document.querySelector('#said').textContent.includes('does not answer')";
    let keys = page.keys();
    let first = &keys[0];
    page.click(&format!("#rows [aria-label=\"{first}\"] .remove"));
    page.until("!document.querySelector('#undo').disabled");
    page.value("window.losing = true");
    page.click("#undo");
    page.until(lost);
    until("the item is back", || in_source(&server, first).is_some());
    page.value("!(window.losing = false)");
    page.click("#undo");
    page.until("document.querySelector('#said').textContent.startsWith('Undone')");
    assert_eq!(page.keys(), keys);

    // The same for one that is added: the dialog stays, and the second time it is as if the first had been answered.
    page.value("window.losing = true");
    page.click("#add");
    page.type_into("dialog input", "P-0998");
    page.press(ENTER);
    page.until("document.querySelector('dialog').textContent.includes('does not answer')");
    page.value("!(window.losing = false)");
    page.press(ENTER);
    page.until("!document.querySelector('dialog')");
    assert!(in_source(&server, "P-0998").is_some());

    // The next write is refused, the one after it is not: what was tried again can be undone.
    let title = format!("#rows [aria-label=\"{first}\"] [data-name=title]");
    let before = in_source(&server, first).unwrap()["title"].clone();
    page.click(&title);
    page.press(&format!("{ALL}Blue bowl{ENTER}"));
    page.until("document.querySelector('#rows .failed .why') !== null");
    page.click("#rows .failed .why button");
    until("the title", || {
        in_source(&server, first).unwrap()["title"] == "Blue bowl"
    });
    page.until("document.querySelector('#undo').title.includes('change of title')");
    page.click("#undo");
    until("the undo", || {
        in_source(&server, first).unwrap()["title"] == before
    });
}

#[test]
fn what_is_typed_stays_while_others_edit() {
    let (_folder, server) = served();
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    let keys = page.keys();
    page.click(&format!(
        "#rows [aria-label=\"{}\"] [data-name=title]",
        keys[5]
    ));
    page.press(ALL);
    // Two thousand edits a minute, as far as the disk lets the server save them.
    let begun = Instant::now();
    std::thread::scope(|scope| {
        scope.spawn(|| {
            for edit in 0..200 {
                let place = format!("/items/{}?before={}", keys[6 + edit % 40], keys[edit % 5]);
                let body = json!({"height_mm": edit + 1}).to_string();
                let kind = "Content-Type: application/json\r\n";
                let answer = server.ask("PATCH", &place, kind, &body);
                assert!(answer.starts_with("HTTP/1.1 200"), "{answer}");
                let next = Duration::from_millis(30 * edit as u64);
                std::thread::sleep(next.saturating_sub(begun.elapsed()));
            }
        });
        for letter in "A bowl that nobody moves".chars() {
            page.press(&letter.to_string());
            std::thread::sleep(Duration::from_millis(150));
        }
    });
    assert_eq!(
        page.value("document.activeElement.value"),
        "A bowl that nobody moves"
    );
    page.press(ENTER);
    until("the title", || {
        in_source(&server, &keys[5]).unwrap()["title"] == "A bowl that nobody moves"
    });
    // The page shows what the source holds, row by row.
    let held: Vec<String> = server
        .items()
        .iter()
        .take(200)
        .map(|item| item["id"].as_str().unwrap().to_owned())
        .collect();
    until("the rows", || page.keys() == held);
}

#[test]
fn what_items_hold_is_text_and_nothing_else() {
    let folder = tempfile::tempdir().unwrap();
    let evil = "<img src=x onerror=\"window.hurt=1\"><script>window.hurt=1</script>";
    let items = json!([{"id": evil, "title": evil, "<b>name</b>": evil}, {"id": "'\"></div>", "title": null}]);
    let path = write(&folder, "<b>pieces.json", &items.to_string());
    let server = Server::start(&path, &[]);
    let Some(page) = Page::open(&server.address()) else {
        return;
    };
    page.until(&rows_told("2 of 2"));
    page.value("document.querySelector('#group').value = 'title'");
    page.value("document.querySelector('#group').dispatchEvent(new Event('change'))");
    page.until("document.querySelectorAll('#rows .section h3:not([hidden])').length === 2");
    page.type_into("#search", "<img");
    page.until("document.querySelectorAll('#rows mark').length > 0");
    assert_eq!(page.value("window.hurt ?? null"), Value::Null);
    assert_eq!(
        page.value("document.querySelectorAll('main img, main script, main b').length"),
        0
    );
    assert_eq!(page.text("h1"), "<b>pieces.json");
    // Nothing was asked of another host.
    page.until("performance.getEntriesByType('resource').every((asked) => asked.name.startsWith(location.origin))");
}
