//! The full-screen list without a terminal: keys go in, and the screen is read.

mod any_keys;
mod edits;
mod lists;
mod random;
mod screens;
mod told;

use super::app::App;
use super::draw::{self, Look};
use super::engine::Engine;
use super::messages::Request;
use crate::args::{Arguments, Browse, Command};
use clap::Parser;
use crossterm::event::{
    Event, KeyCode, KeyEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use ratatui::Terminal;
use ratatui::backend::TestBackend;
use ratatui::buffer::Buffer;

/// The screen and the store, one after the other.
struct TestScreen {
    app: App,
    engine: Engine,
    terminal: Terminal<TestBackend>,
}

fn options(arguments: &[&str]) -> Browse {
    let arguments = ["usual-tide", "browse"].iter().chain(arguments);
    match Arguments::try_parse_from(arguments).map(|arguments| arguments.command) {
        Ok(Command::Browse(browse)) => browse,
        other => panic!("{other:?}"),
    }
}

impl TestScreen {
    fn new(width: u16, height: u16, arguments: &[&str]) -> Self {
        let options = options(arguments);
        let engine = Engine::open(&options, || {}).unwrap();
        let title = options.source.unwrap_or_else(|| "kiln queue".to_owned());
        let mut ui = Self {
            app: App::new(title, false),
            engine,
            terminal: Terminal::new(TestBackend::new(width, height)).unwrap(),
        };
        ui.settle();
        ui
    }

    /// The demo's queue, with room for all.
    fn demo() -> Self {
        Self::new(150, 40, &[])
    }

    /// Does what was asked, and draws.
    fn settle(&mut self) {
        self.engine.look();
        self.receive();
        loop {
            let requests = self.app.take_requests();
            if requests.is_empty() {
                break;
            }
            for request in requests {
                self.ask(request);
            }
            self.draw();
        }
        self.draw();
    }

    fn ask(&mut self, request: Request) {
        self.engine.run(request);
        self.engine.look();
        self.receive();
    }

    fn receive(&mut self) {
        for news in self.engine.take_news() {
            self.app.on_news(news);
        }
    }

    fn draw(&mut self) {
        let look = Look { colours: true };
        let app = &mut self.app;
        self.terminal
            .draw(|frame| draw::draw(app, frame, look))
            .unwrap();
    }

    fn event(&mut self, event: &Event) -> &mut Self {
        self.app.on_event(event);
        self.settle();
        self
    }

    fn press_with(&mut self, modifiers: KeyModifiers, code: KeyCode) -> &mut Self {
        self.event(&Event::Key(KeyEvent::new(code, modifiers)))
    }

    fn press(&mut self, code: KeyCode) -> &mut Self {
        self.press_with(KeyModifiers::NONE, code)
    }

    fn times(&mut self, count: usize, code: KeyCode) -> &mut Self {
        for _ in 0..count {
            self.press(code);
        }
        self
    }

    /// Presses the keys of letters.
    fn keys(&mut self, text: &str) -> &mut Self {
        for letter in text.chars() {
            self.press(KeyCode::Char(letter));
        }
        self
    }

    fn enter(&mut self) -> &mut Self {
        self.press(KeyCode::Enter)
    }

    fn mouse(&mut self, kind: MouseEventKind, column: u16, row: u16) -> &mut Self {
        self.event(&Event::Mouse(MouseEvent {
            kind,
            column,
            row,
            modifiers: KeyModifiers::NONE,
        }))
    }

    fn click(&mut self, column: u16, row: u16) -> &mut Self {
        self.mouse(MouseEventKind::Down(MouseButton::Left), column, row)
            .mouse(MouseEventKind::Up(MouseButton::Left), column, row)
    }

    fn buffer(&self) -> &Buffer {
        self.terminal.backend().buffer()
    }

    /// The lines of the screen, without blanks at their ends.
    fn screen(&self) -> Vec<String> {
        let buffer = self.buffer();
        let lines = (0..buffer.area.height).map(|y| {
            let cells = (0..buffer.area.width).map(|x| buffer[(x, y)].symbol());
            cells.collect::<String>().trim_end().to_owned()
        });
        lines.collect()
    }

    fn shows(&self, text: &str) -> bool {
        self.screen().iter().any(|line| line.contains(text))
    }

    #[track_caller]
    fn assert_shows(&self, text: &str) {
        assert!(
            self.shows(text),
            "{text:?} in\n{}",
            self.screen().join("\n")
        );
    }

    #[track_caller]
    fn assert_hides(&self, text: &str) {
        assert!(
            !self.shows(text),
            "{text:?} in\n{}",
            self.screen().join("\n")
        );
    }

    /// The line that the cursor is on.
    fn current(&self) -> String {
        let lines = self.screen();
        let current = lines.iter().find(|line| line.starts_with('>'));
        let line = current.map(|line| line.split('│').next().unwrap_or_default());
        line.unwrap_or_default().trim_end().to_owned()
    }

    /// The keys of the rows, as the focused list shows them.
    fn keys_shown(&self) -> Vec<String> {
        use usual_tide::Item;
        let list = self.app.list().unwrap();
        let rows = (0..list.lines.len()).filter_map(|at| list.lines.row(at));
        rows.map(|row| row.key().to_string()).collect()
    }

    fn said(&self) -> String {
        let message = self.app.message.as_ref();
        message
            .map(|message| message.text.clone())
            .unwrap_or_default()
    }
}
