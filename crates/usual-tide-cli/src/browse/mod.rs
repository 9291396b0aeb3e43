//! `usual-tide browse`: a list on the full screen, with what its view is told beside it.
//!
//! Three threads share the work. One reads the terminal, one works on the store ([`engine`]), and this one answers keys
//! and draws ([`app`] and [`draw`]) from copies of the lists that change sets alone keep up to date.

mod app;
mod columns;
mod draw;
mod engine;
mod lines;
mod messages;
mod screen;
#[cfg(test)]
mod tests;
mod timing;
mod told;

use crate::args::Browse;
use crate::error::CommandError;
use crate::output::{counted, remark};
use app::App;
use crossterm::event::Event;
use draw::Look;
use engine::Engine;
use messages::{News, Request, SourceState};
use screen::Screen;
use std::collections::VecDeque;
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::time::{Duration, Instant};

/// How long a key waits for the store before the screen is drawn without what it has to say.
const ANSWER: Duration = Duration::from_millis(3);
/// How often the screen is drawn while something on it runs: a wait, a load.
const TICK: Duration = Duration::from_millis(250);
/// How long nothing is looked at, unless there is something to look at.
const LONGEST_WAIT: Duration = Duration::from_secs(3600);

/// What the screen's thread waits for.
enum ScreenEvent {
    /// The terminal's, with the time at which it was read.
    Terminal(Event, Instant),
    News(News),
    /// The terminal cannot be read any more.
    Gone(std::io::Error),
    /// The system asks the program to end.
    #[cfg_attr(not(unix), expect(dead_code, reason = "others send no signals"))]
    Stop,
    /// The store's thread has ended by itself.
    StoreGone,
}

pub(crate) fn run(options: &Browse) -> Result<(), CommandError> {
    let (ask, asked) = channel();
    let wake = ask.clone();
    let engine = Engine::open(options, move || {
        // A store whose thread has ended need not be woken.
        let _ = wake.send(Request::Wake);
    })?;
    let title = options.source.clone();
    let title = title.unwrap_or_else(|| "kiln queue (made up)".to_owned());
    let screen = Screen::enter()?;
    let (happened, happenings) = channel();
    screen::read_events(happened.clone())?;
    screen::listen_for_signals(happened.clone())?;
    let worker = start(engine, asked, happened)?;
    let look = Look {
        colours: std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty()),
    };
    let mut browsing = Browsing {
        app: App::new(title, options.check),
        screen,
        ask,
        look,
        waiting: VecDeque::new(),
        asked: 0,
        done: 0,
        held_until: None,
        keys: Vec::new(),
    };
    let ended = browsing.go_on(&happenings);
    // The store's thread sends what waits, and ends.
    let _ = browsing.ask.send(Request::Close);
    drop(browsing);
    match worker.join() {
        Ok(lost) if lost > 0 && options.hold => {
            remark(&format!(
                "{} not saved",
                counted(lost, "edit was", "edits were")
            ));
        }
        Ok(lost) if lost > 0 => remark(&format!(
            "{} not answered by the source, and may be lost",
            counted(lost, "edit was", "edits were")
        )),
        _ => {}
    }
    ended
}

fn start(
    engine: Engine,
    asked: Receiver<Request>,
    happened: Sender<ScreenEvent>,
) -> Result<std::thread::JoinHandle<usize>, CommandError> {
    let (send, news) = channel();
    let named = |name: &str| std::thread::Builder::new().name(name.to_owned());
    let forward = named("usual-tide-news").spawn(move || {
        for told in news {
            if happened.send(ScreenEvent::News(told)).is_err() {
                return;
            }
        }
        let _ = happened.send(ScreenEvent::StoreGone);
    });
    forward.map_err(CommandError::Terminal)?;
    let worker = named("usual-tide-store").spawn(move || engine.work(&asked, &send));
    worker.map_err(CommandError::Terminal)
}

/// Something of the terminal's that waits for the store.
struct Waiting {
    event: Event,
    when: Instant,
    /// Whether a frame has said that it waits.
    is_told: bool,
}

/// The screen, and what is going on.
struct Browsing {
    app: App,
    screen: Screen,
    ask: Sender<Request>,
    look: Look,
    /// What came from the terminal while keys have to wait.
    waiting: VecDeque<Waiting>,
    /// The number of the last question whether all before it is done, and that of the last answer.
    asked: u64,
    done: u64,
    /// Keys wait until this number is answered.
    held_until: Option<u64>,
    /// When the keys were pressed that no frame has answered yet.
    keys: Vec<Instant>,
}

impl Browsing {
    fn go_on(&mut self, happenings: &Receiver<ScreenEvent>) -> Result<(), CommandError> {
        loop {
            self.draw()?;
            let wait = match &self.app.store.state {
                SourceState::Loading { .. } | SourceState::Failed { .. } => TICK,
                _ => LONGEST_WAIT,
            };
            match happenings.recv_timeout(wait) {
                Ok(happening) => self.take(happening)?,
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return Ok(()),
            }
            // All that is there already is drawn in one frame, and what the store says at once with it.
            let patience = Instant::now() + ANSWER;
            loop {
                for happening in happenings.try_iter() {
                    self.take(happening)?;
                }
                if let Some(end) = self.app.take_end() {
                    return end;
                }
                let left = patience.saturating_duration_since(Instant::now());
                if self.done == self.asked || left.is_zero() {
                    break;
                }
                if let Ok(happening) = happenings.recv_timeout(left) {
                    self.take(happening)?;
                }
            }
            if let Some(end) = self.app.take_end() {
                return end;
            }
        }
    }

    fn take(&mut self, happening: ScreenEvent) -> Result<(), CommandError> {
        match happening {
            ScreenEvent::Terminal(event, when) => self.waiting.push_back(Waiting {
                event,
                when,
                is_told: false,
            }),
            ScreenEvent::News(News::Done(number)) => {
                self.done = number;
                if self.held_until.is_some_and(|until| until <= number) {
                    self.held_until = None;
                }
            }
            ScreenEvent::News(news) => self.app.on_news(news),
            ScreenEvent::Gone(why) => return Err(CommandError::Terminal(why)),
            ScreenEvent::Stop => self.app.stop(),
            ScreenEvent::StoreGone => return Err(CommandError::StoreGone),
        }
        self.handle();
        Ok(())
    }

    /// Handles what came from the terminal, as far as it need not wait.
    fn handle(&mut self) {
        while self.held_until.is_none()
            && let Some(next) = self.waiting.pop_front()
        {
            // What is done to a row is for the one that is there when the list has settled.
            if self.done < self.asked && self.app.acts_on_rows(&next.event) {
                self.held_until = Some(self.asked);
                self.waiting.push_front(next);
                return;
            }
            self.app.on_event(&next.event);
            if matches!(next.event, Event::Key(_)) {
                match (next.is_told, &mut self.app.timing) {
                    (true, Some(timing)) => timing.note_wait(next.when.elapsed()),
                    _ => self.keys.push(next.when),
                }
            }
            self.send();
        }
    }

    /// Sends what is asked of the store, and asks when it is done.
    fn send(&mut self) {
        let requests = self.app.take_requests();
        if requests.is_empty() {
            return;
        }
        self.asked += 1;
        if requests.iter().any(Request::holds_keys) {
            self.held_until = Some(self.asked);
        }
        for request in requests.into_iter().chain([Request::Done(self.asked)]) {
            // A store whose thread has ended has said why.
            let _ = self.ask.send(request);
        }
    }

    fn draw(&mut self) -> Result<(), CommandError> {
        let waits = self.waiting.iter_mut();
        let waiting = waits.filter(|next| !next.is_told && matches!(next.event, Event::Key(_)));
        self.keys.extend(waiting.map(|next| {
            next.is_told = true;
            next.when
        }));
        self.app.keys_wait = !self.waiting.is_empty();
        let (app, look) = (&mut self.app, self.look);
        self.screen.draw(|frame| draw::draw(app, frame, look))?;
        if let Some(text) = self.app.take_copied() {
            self.screen.copy(&text)?;
        }
        for pressed in self.keys.drain(..) {
            if let Some(timing) = &mut self.app.timing {
                timing.note(pressed.elapsed());
            }
        }
        // Which lines are in sight is known once they are drawn.
        self.send();
        Ok(())
    }
}
