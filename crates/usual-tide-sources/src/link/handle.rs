//! The app's handle of a link.

use super::command::Command;
use super::control::Control;
use super::error::LinkError;
use super::kept::KeptWrites;
use super::options::LinkOptions;
use super::panics::{caught, message};
use super::sender::ChangeSender;
use super::source::Source;
use super::state::LinkState;
use super::sync::{Sender, channel, thread};
use super::worker::Worker;
use std::fmt;
use std::sync::Arc;
use std::time::{Duration, Instant};
use usual_tide::shared::{Subscription, WritesClaim};
use usual_tide::writes::Write;
use usual_tide::{Fields, Item, SharedStore};

/// Keeps one store and one source in step, on a thread of its own. See the [module](super).
///
/// Dropping it ends it without waiting; [`close`](Self::close) sends what waits first.
pub struct Link<T: Item> {
    store: SharedStore<T>,
    commands: Sender<Command<T>>,
    control: Arc<Control>,
    kept: KeptWrites<T>,
    _writes: Subscription<T>,
    _claim: WritesClaim,
}

/// What was waited for did not happen in time.
#[derive(Clone, Debug, thiserror::Error)]
#[error("not in time: {}", match .state {
    LinkState::Failed { error, .. } => error.to_string(),
    _ => format!("{} writes wait for an answer", .waiting),
})]
pub struct TimedOut {
    /// How the link stands.
    pub state: LinkState,
    /// How many writes wait for an answer.
    pub waiting: usize,
}

impl<T: Item + Fields> Link<T> {
    /// Links a store and a source, and loads the items. From now on the store's edits wait for the source's
    /// answers. A store has one link at a time.
    ///
    /// # Errors
    ///
    /// [`LinkError`].
    pub fn start(store: SharedStore<T>, source: impl Source<T>) -> Result<Self, LinkError> {
        Self::start_with(store, source, LinkOptions::default())
    }

    /// The same with options.
    ///
    /// # Errors
    ///
    /// [`LinkError`].
    pub fn start_with(
        store: SharedStore<T>,
        source: impl Source<T>,
        mut options: LinkOptions<T>,
    ) -> Result<Self, LinkError> {
        let claim = store.claim_writes()?;
        store.edit(|store| store.writes_mut().track())?;
        let kept = KeptWrites::begin(&store, options.outbox.take())?;
        let (commands, received) = channel();
        let control = Arc::new(Control::default());
        let news = ChangeSender::new(commands.clone(), Arc::clone(&control));
        let writes = store.subscribe_writes(|waiting| {
            kept.keep(&waiting);
            let (commands, kept) = (commands.clone(), kept.clone());
            move |writes: &[Arc<Write<T>>]| {
                kept.keep(writes);
                // A link that has ended sends nothing any more.
                let _ = commands.send(Command::Writes);
            }
        })?;
        let worker = Worker::new(
            store.clone(),
            Arc::clone(&control),
            options,
            kept.clone(),
            received,
        );
        let ended = Arc::clone(&control);
        thread::Builder::new()
            .name("usual-tide-link".to_owned())
            .spawn(move || {
                if let Err(panic) = caught(|| worker.run(source, news)) {
                    let panic = message(&*panic);
                    tracing::error!(panic, "the link ended by a panic");
                }
                ended.end();
            })
            .map_err(LinkError::Thread)?;
        Ok(Self {
            store,
            commands,
            control,
            kept,
            _writes: writes,
            _claim: claim,
        })
    }
}

impl<T: Item> Link<T> {
    /// How the link stands.
    pub fn state(&self) -> LinkState {
        self.control.state()
    }

    /// Tells a callback how the link stands, now and whenever that changes. It is called from the link's thread, and
    /// may read the store.
    pub fn on_state(&self, listener: impl FnMut(&LinkState) + Send + 'static) {
        self.control.listen(Box::new(listener));
    }

    /// Loads all items again, at once, or as many pages of them as were loaded: pull to refresh.
    pub fn refresh(&self) {
        self.send(Command::Refresh);
    }

    /// Loads the next page, when there is one.
    pub fn load_more(&self) {
        self.send(Command::More);
    }

    /// Waits until the items are loaded.
    ///
    /// # Errors
    ///
    /// [`TimedOut`] with the state.
    pub fn wait_until_ready(&self, most: Duration) -> Result<(), TimedOut> {
        match self.control.wait(most, LinkState::is_ready) {
            (_, true) => Ok(()),
            (state, false) => Err(self.not_in_time(state)),
        }
    }

    /// Waits until every write is answered, and forgotten by the outbox.
    ///
    /// # Errors
    ///
    /// [`TimedOut`] with the state.
    pub fn flush(&self, most: Duration) -> Result<(), TimedOut> {
        let end = Instant::now() + most;
        // The thread forgets what the app has answered.
        self.send(Command::Writes);
        loop {
            let progress = self.control.progress();
            let forgotten = self.kept.tickets().is_empty() || self.state().has_failed();
            if forgotten && self.waiting() == 0 {
                return Ok(());
            }
            let rest = end.saturating_duration_since(Instant::now());
            if rest.is_zero() || progress.ended {
                return Err(self.not_in_time(self.state()));
            }
            // What the app answers itself, the link's thread does not tell.
            self.control
                .wait_for_more(progress, rest.min(Duration::from_millis(20)));
        }
    }

    /// Ends the link, after it has sent what waits, as far as that goes in this time. Gives the writes that have no
    /// answer.
    pub fn close(self, most: Duration) -> Vec<Arc<Write<T>>> {
        let end = Instant::now() + most;
        let _ = self.flush(most);
        self.control.close();
        self.send(Command::Close);
        // A source that does not return in time is abandoned.
        self.control
            .wait_until_ended(end.saturating_duration_since(Instant::now()));
        let unanswered = self
            .store
            .read(|store| store.writes().pending().cloned().collect());
        unanswered.unwrap_or_default()
    }

    fn waiting(&self) -> usize {
        self.store
            .read(|store| store.writes().pending().count())
            .unwrap_or(0)
    }

    fn not_in_time(&self, state: LinkState) -> TimedOut {
        let waiting = self.waiting();
        TimedOut { state, waiting }
    }

    fn send(&self, command: Command<T>) {
        if self.commands.send(command).is_err() {
            tracing::debug!("the link has ended");
        }
    }
}

impl<T: Item> Drop for Link<T> {
    fn drop(&mut self) {
        self.control.close();
        self.send(Command::Close);
    }
}

impl<T: Item> fmt::Debug for Link<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Link")
            .field("state", &self.state())
            .finish_non_exhaustive()
    }
}
