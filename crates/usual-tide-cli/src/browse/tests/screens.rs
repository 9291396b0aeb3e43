//! How the screen looks where there is little room, no colour, and nothing to show.

use super::TestScreen;
use crate::browse::app::App;
use crate::browse::draw::{self, Look};
use crate::browse::messages::{News, SourceState, StoreNews};
use crossterm::event::KeyCode;
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::style::Color;
use std::time::{Duration, Instant};

#[test]
fn a_narrow_terminal_shows_the_list_and_the_told_one_after_the_other() {
    let mut ui = TestScreen::new(60, 20, &[]);
    ui.assert_shows("P-0411  Twisted bowl");
    ui.assert_hides("What the view was told");
    ui.keys(">v");
    ui.assert_shows("What the view was told: 1 change set");
    ui.assert_hides("Raku bowl");
    ui.keys("v");
    ui.assert_shows("Twisted bowl");
    // All columns can be reached, and the key stays.
    for column in ["maker", "height_mm", "received", "note"] {
        let at = ui
            .app
            .columns
            .0
            .iter()
            .position(|one| one.title == column)
            .unwrap();
        ui.times(20, KeyCode::Left).times(at, KeyCode::Right);
        ui.assert_shows(column);
        ui.assert_shows("P-0411");
    }
}

#[test]
fn every_size_is_drawn() {
    for (width, height) in [
        (1, 1),
        (10, 3),
        (20, 5),
        (39, 9),
        (60, 20),
        (80, 24),
        (110, 30),
        (200, 60),
    ] {
        let mut ui = TestScreen::new(
            width,
            height,
            &["--also", r#"{"group": "clay"}"#, "--numbered"],
        );
        for keys in ["?", "?", "o", "o", "V", "V", "fx", "\u{1b}", "d", "n", "l"] {
            for letter in keys.chars() {
                match letter {
                    '\u{1b}' => ui.press(KeyCode::Esc),
                    letter => ui.press(KeyCode::Char(letter)),
                };
            }
        }
    }
}

#[test]
fn the_help_tells_every_key() {
    let mut ui = TestScreen::new(100, 24, &[]);
    ui.keys("?");
    ui.assert_shows("Look around");
    ui.press(KeyCode::End);
    ui.assert_shows("Leave");
    ui.assert_shows("In the margin:");
}

#[test]
fn the_whole_row_is_opened() {
    let mut ui = TestScreen::new(80, 24, &[]);
    ui.keys("o");
    for column in ["title", "maker", "fee.amount", "received", "note"] {
        ui.assert_shows(column);
    }
    ui.press(KeyCode::Esc);
    ui.assert_hides("fee.amount");
}

#[test]
fn wide_letters_keep_the_columns_straight() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("wide.json");
    let text = r#"[{"id": 1, "title": "陶器の鉢", "n": 5}, {"id": 2, "title": "Mug", "n": 12}]"#;
    std::fs::write(&path, text).unwrap();
    let ui = TestScreen::new(60, 20, &[path.to_str().unwrap(), "--hold"]);
    let buffer = ui.buffer();
    let column = |y: u16, symbol: &str| (0..60).find(|x| buffer[(*x, y)].symbol() == symbol);
    // Numbers end in one column.
    assert_eq!(
        column(3, "5"),
        column(4, "2").map(|_| column(4, "1").unwrap() + 1)
    );
}

fn drawn(app: &mut App, colours: bool) -> (String, bool) {
    let mut terminal = Terminal::new(TestBackend::new(90, 20)).unwrap();
    terminal
        .draw(|frame| draw::draw(app, frame, Look { colours }))
        .unwrap();
    let buffer = terminal.backend().buffer();
    let text = buffer.content.iter().map(|cell| cell.symbol()).collect();
    let coloured = buffer
        .content
        .iter()
        .any(|cell| cell.fg != Color::Reset || cell.bg != Color::Reset);
    (text, coloured)
}

#[test]
fn loading_failing_and_empty_are_told_apart() {
    let mut app = App::new("studio.db".to_owned(), false);
    let store = |state| StoreNews {
        state,
        ..StoreNews::default()
    };
    app.on_news(News::Store(store(SourceState::Loading {
        done: 45,
        total: Some(100),
    })));
    assert!(drawn(&mut app, true).0.contains("Loading, 45 %"));
    app.on_news(News::Store(store(SourceState::Failed {
        why: "studio.db: no such file".to_owned(),
        next_try: Some(Instant::now() + Duration::from_secs(4)),
    })));
    let (text, _) = drawn(&mut app, true);
    assert!(
        text.contains("cannot be loaded") && text.contains("no such file"),
        "{text}"
    );
    assert!(text.contains("Next try in 4 s"), "{text}");
    app.on_news(News::Store(store(SourceState::Ready { more: false })));
    assert!(drawn(&mut app, true).0.contains("There are no items yet."));
}

#[test]
fn nothing_is_coloured_where_that_is_not_wanted() {
    let mut ui = TestScreen::demo();
    ui.keys(">d");
    let (_, coloured) = drawn(&mut ui.app, true);
    assert!(coloured);
    let (_, coloured) = drawn(&mut ui.app, false);
    assert!(!coloured);
}
