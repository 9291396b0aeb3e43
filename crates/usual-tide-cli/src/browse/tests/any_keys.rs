//! Whatever is pressed, clicked, pasted and resized: nothing breaks, and the view shows what the list has.

use super::TestScreen;
use super::random::{cases, others};
use crossterm::event::{Event, KeyCode, KeyModifiers, MouseButton, MouseEventKind};
use proptest::prelude::*;
use std::path::Path;

#[derive(Clone, Debug)]
enum Hit {
    Letter(char),
    Key(KeyCode, KeyModifiers),
    Mouse(MouseEventKind, u16, u16),
    Size(u16, u16),
    Paste(&'static str),
    /// Others change the items.
    Others(usize, usize),
}

const KEYS: [KeyCode; 15] = [
    KeyCode::Up,
    KeyCode::Down,
    KeyCode::Left,
    KeyCode::Right,
    KeyCode::PageUp,
    KeyCode::PageDown,
    KeyCode::Home,
    KeyCode::End,
    KeyCode::Enter,
    KeyCode::Esc,
    KeyCode::Tab,
    KeyCode::BackTab,
    KeyCode::Backspace,
    KeyCode::Delete,
    KeyCode::F(1),
];

const PASTED: [&str; 7] = [
    "bowl",
    "fired = TRUE",
    "title,-due",
    "120",
    "漢字 👨‍👩‍👧 e\u{301}",
    "two\nlines\tand \u{1b}[31m",
    "'",
];

fn modifiers() -> impl Strategy<Value = KeyModifiers> {
    prop_oneof![
        6 => Just(KeyModifiers::NONE),
        1 => Just(KeyModifiers::CONTROL),
        1 => Just(KeyModifiers::ALT),
        1 => Just(KeyModifiers::SHIFT),
    ]
}

fn hit() -> impl Strategy<Value = Hit> {
    let key = (prop::sample::select(&KEYS[..]), modifiers());
    let letter = (prop::char::range(' ', '~'), modifiers());
    let kind = prop_oneof![
        3 => Just(MouseEventKind::Down(MouseButton::Left)),
        3 => Just(MouseEventKind::Up(MouseButton::Left)),
        3 => Just(MouseEventKind::Drag(MouseButton::Left)),
        1 => Just(MouseEventKind::Down(MouseButton::Right)),
        1 => Just(MouseEventKind::Moved),
        1 => Just(MouseEventKind::ScrollUp),
        1 => Just(MouseEventKind::ScrollDown),
    ];
    let size = prop_oneof![(1..60u16, 1..12u16), (60..200u16, 12..50u16)];
    prop_oneof![
        8 => key.prop_map(|(code, modifiers)| Hit::Key(code, modifiers)),
        6 => prop::char::range(' ', '~').prop_map(Hit::Letter),
        2 => letter.prop_map(|(letter, modifiers)| Hit::Key(KeyCode::Char(letter), modifiers)),
        4 => (kind, 0..200u16, 0..50u16).prop_map(|(kind, x, y)| Hit::Mouse(kind, x, y)),
        1 => size.prop_map(|(width, height)| Hit::Size(width, height)),
        2 => prop::sample::select(&PASTED[..]).prop_map(Hit::Paste),
        1 => (0..10_000usize, 0..10_000usize).prop_map(|(which, other)| Hit::Others(which, other)),
    ]
}

fn perform(ui: &mut TestScreen, hit: &Hit) {
    match *hit {
        // These write a file.
        Hit::Letter('T') | Hit::Key(KeyCode::Char('T'), _) => {}
        Hit::Letter(letter) => drop(ui.press(KeyCode::Char(letter))),
        Hit::Key(code, modifiers) => drop(ui.press_with(modifiers, code)),
        Hit::Mouse(kind, column, row) => drop(ui.mouse(kind, column, row)),
        Hit::Size(width, height) => {
            ui.terminal.backend_mut().resize(width, height);
            ui.event(&Event::Resize(width, height));
        }
        Hit::Paste(text) => drop(ui.event(&Event::Paste(text.to_owned()))),
        Hit::Others(which, other) => {
            others(ui, which, other);
            ui.settle();
        }
    }
}

/// Items as no app would have them: of several shapes, with texts that are wide, long, or no text at all.
const ODD: &str = r#"{"id": 1, "title": "漢字 👨‍👩‍👧", "a,b": 2e3, "fired": true, "due": "2026-11-25"}
{"id": 20000000000000000001, "title": "", "fee": {"amount": "1.50", "x": []}, "fired": null}
{"id": -3, "title": "two\nlines\u001b[31m and a tab\t", "km/h": 120, "fired": "TRUE"}
{"id": 4}
{"id": 5, "title": "a long word, and another, and again one, until no screen has room for all of it, however wide it may be made", "a.b": false}
{"id": 6, "title": 7, "fee": 3, "due": "none", "\u202e": "e\u0301e\u0301"}
"#;

fn screen(folder: &Path, data: u8) -> TestScreen {
    let also = ["--check", "--also", r#"{"sort": "title", "search": ""}"#];
    let text = match data {
        0 => return TestScreen::new(100, 24, &also),
        1 => "",
        _ => ODD,
    };
    let file = folder.join("odd.ndjson");
    std::fs::write(&file, text).unwrap();
    TestScreen::new(100, 24, &[&also[..], &[file.to_str().unwrap()]].concat())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: cases(16), failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn whatever_is_pressed_the_view_shows_what_the_list_has(data in 0..4u8, hits in prop::collection::vec(hit(), 1..80)) {
        let folder = tempfile::tempdir().unwrap();
        let mut ui = screen(folder.path(), data);
        for hit in &hits {
            perform(&mut ui, hit);
            // Leaving is an end without an error.
            let ended = ui.app.take_end();
            prop_assert!(matches!(ended, None | Some(Ok(()))), "{ended:?}");
        }
        ui.times(6, KeyCode::Esc);
        ui.app.take_end();
        let number = ui.app.list().map(|list| list.number).unwrap_or_default();
        ui.ask(super::Request::Pause { list: number, paused: false });
        ui.ask(super::Request::Check);
        prop_assert!(ui.said().contains("the view shows what the list has"), "{}", ui.said());
    }
}
