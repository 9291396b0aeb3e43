//! The command in a terminal of its own, whose screen is read as a person would.

use crate::serving::LONG;
use portable_pty::{Child, CommandBuilder, MasterPty, PtySize, native_pty_system};
use std::io::{Read, Write};
use std::num::NonZeroU16;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// Keys as a terminal sends them.
pub(crate) const ENTER: &str = "\r";
pub(crate) const ESC: &str = "\u{1b}";
pub(crate) const TAB: &str = "\t";
pub(crate) const UP: &str = "\u{1b}[A";
pub(crate) const DOWN: &str = "\u{1b}[B";
pub(crate) const RIGHT: &str = "\u{1b}[C";
pub(crate) const END: &str = "\u{1b}[F";
pub(crate) const HOME: &str = "\u{1b}[H";
pub(crate) const CLEAR_LINE: &str = "\u{15}";
pub(crate) const SHIFT_DOWN: &str = "\u{1b}[1;2B";
pub(crate) const ALT_DOWN: &str = "\u{1b}[1;3B";

/// A terminal with `usual-tide browse` in it.
pub(crate) struct Browsed {
    screen: Arc<Mutex<vt100::Parser>>,
    keyboard: Box<dyn Write + Send>,
    process: Box<dyn Child + Send + Sync>,
    terminal: Box<dyn MasterPty + Send>,
}

impl Browsed {
    pub(crate) fn start(columns: u16, rows: u16, arguments: &[&str]) -> Self {
        let size = PtySize {
            rows,
            cols: columns,
            pixel_width: 0,
            pixel_height: 0,
        };
        let terminal = native_pty_system().openpty(size).unwrap();
        let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_usual-tide"));
        command.arg("browse");
        command.args(arguments);
        command.env("TERM", "xterm-256color");
        command.env_remove("NO_COLOR");
        let process = terminal.slave.spawn_command(command).unwrap();
        drop(terminal.slave);
        let screen = Arc::new(Mutex::new(vt100::Parser::new(
            size_of(rows),
            size_of(columns),
            0,
        )));
        let mut output = terminal.master.try_clone_reader().unwrap();
        let keyboard = terminal.master.take_writer().unwrap();
        let drawn = Arc::clone(&screen);
        std::thread::spawn(move || {
            let mut bytes = [0; 4096];
            while let Ok(count @ 1..) = output.read(&mut bytes) {
                drawn.lock().unwrap().process(&bytes[..count]);
            }
        });
        Self {
            screen,
            keyboard,
            process,
            terminal: terminal.master,
        }
    }

    /// Sends keys as they are.
    pub(crate) fn send(&mut self, keys: &str) -> &mut Self {
        self.keyboard.write_all(keys.as_bytes()).unwrap();
        self.keyboard.flush().unwrap();
        self
    }

    /// An escape by itself, which a terminal tells from the beginning of another key by the time.
    pub(crate) fn escape(&mut self) -> &mut Self {
        self.send(ESC);
        std::thread::sleep(Duration::from_millis(60));
        self
    }

    pub(crate) fn screen(&self) -> String {
        self.screen.lock().unwrap().screen().contents()
    }

    /// The first line of the screen with this text.
    pub(crate) fn line(&self, text: &str) -> String {
        let screen = self.screen();
        let line = screen.lines().find(|line| line.contains(text));
        line.unwrap_or_else(|| panic!("{text:?} in\n{screen}"))
            .to_owned()
    }

    /// Waits until the screen is as it should be.
    #[track_caller]
    pub(crate) fn wait(&mut self, what: &str, is_so: impl Fn(&str) -> bool) -> &mut Self {
        let end = Instant::now() + LONG;
        while !is_so(&self.screen()) {
            assert!(Instant::now() < end, "no {what} in\n{}", self.screen());
            std::thread::sleep(Duration::from_millis(10));
        }
        self
    }

    #[track_caller]
    pub(crate) fn shows(&mut self, text: &str) -> &mut Self {
        self.wait(text, |screen| screen.contains(text))
    }

    #[track_caller]
    pub(crate) fn hides(&mut self, text: &str) -> &mut Self {
        self.wait(&format!("screen without {text}"), |screen| {
            !screen.contains(text)
        })
    }

    pub(crate) fn process_id(&self) -> u32 {
        self.process.process_id().unwrap()
    }

    pub(crate) fn resize(&mut self, columns: u16, rows: u16) -> &mut Self {
        let mut screen = self.screen.lock().unwrap();
        screen
            .screen_mut()
            .set_size(size_of(rows), size_of(columns));
        drop(screen);
        let size = PtySize {
            rows,
            cols: columns,
            pixel_width: 0,
            pixel_height: 0,
        };
        self.terminal.resize(size).unwrap();
        self
    }

    /// Waits for the end; gives the exit status and what the terminal shows then.
    pub(crate) fn end(mut self) -> (u32, String, bool) {
        let end = Instant::now() + LONG;
        let status = loop {
            if let Some(status) = self.process.try_wait().unwrap() {
                break status.exit_code();
            }
            assert!(Instant::now() < end, "it goes on:\n{}", self.screen());
            std::thread::sleep(Duration::from_millis(10));
        };
        // What it said last is still on its way.
        std::thread::sleep(Duration::from_millis(100));
        let screen = self.screen.lock().unwrap();
        let screen = screen.screen();
        (status, screen.contents(), screen.alternate_screen())
    }
}

impl Drop for Browsed {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

fn size_of(cells: u16) -> NonZeroU16 {
    NonZeroU16::new(cells).unwrap()
}
