//! The terminal: taken over, drawn on, and given back as it was, however it ends.

use super::ScreenEvent;
use crate::error::CommandError;
use crossterm::clipboard::CopyToClipboard;
use crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture,
};
use crossterm::terminal::{
    EnterAlternateScreen, LeaveAlternateScreen, disable_raw_mode, enable_raw_mode,
};
use crossterm::{cursor, execute};
use ratatui::backend::CrosstermBackend;
use ratatui::{Frame, Terminal};
use std::io::{self, BufWriter, IsTerminal, Stdout, stdout};
use std::sync::mpsc::Sender;
use std::time::Instant;

/// The full screen; given back when it is dropped.
pub(super) struct Screen {
    terminal: Terminal<CrosstermBackend<BufWriter<Stdout>>>,
}

impl Screen {
    /// Takes the terminal over.
    pub(super) fn enter() -> Result<Self, CommandError> {
        if !stdout().is_terminal() {
            let why =
                "browse needs a terminal; `usual-tide show` and `usual-tide watch` can be piped";
            return Err(CommandError::Terminal(io::Error::other(why)));
        }
        give_back_on_panic();
        enable_raw_mode().map_err(CommandError::Terminal)?;
        // From here on it is given back by being dropped.
        let backend = CrosstermBackend::new(BufWriter::with_capacity(1 << 16, stdout()));
        let screen = Terminal::new(backend).map(|terminal| Self { terminal });
        let taken = execute!(
            stdout(),
            EnterAlternateScreen,
            EnableMouseCapture,
            EnableBracketedPaste
        );
        match (screen, taken) {
            (Ok(screen), Ok(())) => Ok(screen),
            (Err(why), _) | (_, Err(why)) => {
                give_back();
                Err(CommandError::Terminal(why))
            }
        }
    }

    pub(super) fn draw(&mut self, draw: impl FnOnce(&mut Frame<'_>)) -> Result<(), CommandError> {
        let drawn = self.terminal.draw(draw);
        drawn.map(drop).map_err(CommandError::Terminal)
    }

    /// Puts text into the terminal's clipboard, where it has one.
    pub(super) fn copy(&mut self, text: &str) -> Result<(), CommandError> {
        let copied = execute!(stdout(), CopyToClipboard::to_clipboard_from(text));
        copied.map_err(CommandError::Terminal)
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        give_back();
    }
}

/// Leaves the terminal as it was.
fn give_back() {
    // When the terminal is gone there is nothing to give back.
    let _ = execute!(
        stdout(),
        DisableBracketedPaste,
        DisableMouseCapture,
        LeaveAlternateScreen,
        cursor::Show
    );
    let _ = disable_raw_mode();
}

/// A panic's message would be lost with the screen that it is written on.
fn give_back_on_panic() {
    let before = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        give_back();
        before(panic);
    }));
}

/// Reads the terminal's events on a thread of its own, which ends with the program.
pub(super) fn read_events(send: Sender<ScreenEvent>) -> Result<(), CommandError> {
    let reader = std::thread::Builder::new().name("usual-tide-keys".to_owned());
    let started = reader.spawn(move || {
        loop {
            let happening = match crossterm::event::read() {
                Ok(event) => ScreenEvent::Terminal(event, Instant::now()),
                Err(why) => ScreenEvent::Gone(why),
            };
            let is_gone = matches!(happening, ScreenEvent::Gone(_));
            if send.send(happening).is_err() || is_gone {
                break;
            }
        }
    });
    started.map(drop).map_err(CommandError::Terminal)
}

/// Tells the screen when the system asks the program to end, so that the terminal is given back first.
#[cfg(unix)]
pub(super) fn listen_for_signals(send: Sender<ScreenEvent>) -> Result<(), CommandError> {
    use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
    let signals = signal_hook::iterator::Signals::new([SIGHUP, SIGINT, SIGTERM]);
    let mut signals = signals.map_err(CommandError::Terminal)?;
    let listener = std::thread::Builder::new().name("usual-tide-signals".to_owned());
    let started = listener.spawn(move || {
        for _ in &mut signals {
            if send.send(ScreenEvent::Stop).is_err() {
                break;
            }
        }
    });
    started.map(drop).map_err(CommandError::Terminal)
}

#[cfg(not(unix))]
pub(super) fn listen_for_signals(_: Sender<ScreenEvent>) -> Result<(), CommandError> {
    Ok(())
}
