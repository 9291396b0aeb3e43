//! The link's thread: loads items, sends pending writes, and applies the changes that the source reports.

use super::apply::apply;
use super::command::{Change, Command};
use super::control::Control;
use super::error::{LinkError, SourceError};
use super::options::LinkOptions;
use super::outbox::Outbox;
use super::sender::ChangeSender;
use super::source::{Answer, Loaded, Loading, Source};
use super::state::LinkState;
use std::collections::HashMap;
use std::sync::mpsc::{Receiver, RecvTimeoutError};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use usual_tide::edits::OnDuplicate;
use usual_tide::shared::SharedError;
use usual_tide::writes::{Ticket, TicketError, Write};
use usual_tide::{EditError, Item, Place, SharedStore, Store};

pub(super) struct Worker<T: Item> {
    store: SharedStore<T>,
    control: Arc<Control>,
    options: LinkOptions<T>,
    kept: SharedOutbox<T>,
    commands: Receiver<Command<T>>,
    /// The source's version that the store is at.
    version: Option<u64>,
    /// Writes that are done in a version which the store has not reached.
    done: Vec<SentWrite>,
    to_load: bool,
    more_wanted: bool,
    more: bool,
    failures: u32,
    next_try: Option<Instant>,
}

struct SentWrite {
    ticket: Ticket,
    version: u64,
    since: Instant,
}

impl<T: Item> Worker<T> {
    pub(super) fn new(
        store: SharedStore<T>,
        control: Arc<Control>,
        options: LinkOptions<T>,
        kept: SharedOutbox<T>,
        commands: Receiver<Command<T>>,
    ) -> Self {
        Self {
            store,
            control,
            options,
            kept,
            commands,
            version: None,
            done: Vec::new(),
            to_load: true,
            more_wanted: false,
            more: false,
            failures: 0,
            next_try: None,
        }
    }

    pub(super) fn run(mut self, mut source: impl Source<T>, news: ChangeSender<T>) {
        source.watch(news);
        loop {
            if self.next_try.is_none_or(|next| next <= Instant::now()) {
                self.try_to_work(&mut source);
            }
            let command = match self.commands.recv_timeout(self.wait()) {
                Ok(command) => Some(command),
                Err(RecvTimeoutError::Timeout) => None,
                Err(RecvTimeoutError::Disconnected) => return,
            };
            let rest: Vec<Command<T>> = self.commands.try_iter().collect();
            for command in command.into_iter().chain(rest) {
                self.obey(command);
            }
            if self.control.is_closing() {
                return;
            }
        }
    }

    /// How long there is nothing to do unless a command comes.
    fn wait(&self) -> Duration {
        let now = Instant::now();
        if let Some(next) = self.next_try {
            return next.saturating_duration_since(now);
        }
        let late =
            |done: &SentWrite| (done.since + self.options.patience).saturating_duration_since(now);
        self.done
            .iter()
            .map(late)
            .min()
            .unwrap_or(Duration::from_secs(3600))
    }

    fn obey(&mut self, command: Command<T>) {
        match command {
            Command::Writes | Command::Close => {}
            Command::Refresh => {
                self.to_load = true;
                self.next_try = None;
            }
            Command::More => self.more_wanted = true,
            Command::Stale => self.to_load = true,
            Command::Changed(changes, version) => self.change(changes, version),
        }
    }

    /// Applies changes of the source, unless they are known or all items are about to be loaded.
    fn change(&mut self, changes: Vec<Change<T>>, version: Option<u64>) {
        let known = version.is_some() && version <= self.version;
        if known || self.to_load {
            return;
        }
        let next = self.version.map(|version| version + 1);
        if version.is_some() && version != next {
            tracing::info!(?version, ?next, "a version is missing; loading all");
            self.to_load = true;
            return;
        }
        let partly_loaded = self.more;
        match self.confirm_done(version, |store| apply(store, changes, partly_loaded)) {
            Ok(()) => self.version = version.or(self.version),
            Err(error) => {
                tracing::warn!(%error, "a change of the source does not fit; loading all");
                self.to_load = true;
            }
        }
    }

    fn try_to_work(&mut self, source: &mut impl Source<T>) {
        match self.work(source) {
            Ok(()) => {
                self.failures = 0;
                self.next_try = None;
                let ready = LinkState::Ready { more: self.more };
                if !self.control.state().is_ready() {
                    self.control.set(ready);
                }
            }
            Err(SourceError::Closing) => {}
            Err(error) => {
                self.failures += 1;
                let wait = self.options.retry.wait(self.failures);
                tracing::info!(%error, ?wait, "the source failed");
                self.next_try = Some(Instant::now() + wait);
                self.control.failed(error, wait);
            }
        }
    }

    fn work(&mut self, source: &mut impl Source<T>) -> Result<(), SourceError> {
        let late = |done: &SentWrite| done.since.elapsed() >= self.options.patience;
        if self.done.iter().any(late) {
            self.to_load = true;
        }
        if self.to_load {
            self.control.loading(0, None);
            let loaded = source.load(&mut Loading::new(&self.control))?;
            self.take_over(loaded)?;
        }
        if std::mem::take(&mut self.more_wanted) && self.more {
            self.control.loading(0, None);
            let loaded = source.load_more(&mut Loading::new(&self.control))?;
            self.append(loaded)?;
        }
        self.send(source)
    }

    fn take_over(&mut self, loaded: Loaded<T>) -> Result<(), SourceError> {
        let Loaded {
            items,
            version,
            more,
        } = loaded;
        self.confirm_done(version, |store| store.reload(items).map(drop))?;
        // A source that does not say what the version holds of the writes has been asked after them.
        self.version = version;
        self.more = more;
        self.to_load = false;
        Ok(())
    }

    fn append(&mut self, loaded: Loaded<T>) -> Result<(), SourceError> {
        let Loaded { items, more, .. } = loaded;
        let add =
            |store: &mut Store<T>| store.add_many_with(items, Place::End, OnDuplicate::KeepLast);
        self.in_store(|store| store.from_source(add))?
            .map_err(unusable)?;
        self.more = more;
        Ok(())
    }

    /// Makes edits that bring the store to a version, and confirms the writes that are done in it.
    fn confirm_done(
        &mut self,
        version: Option<u64>,
        edits: impl FnOnce(&mut Store<T>) -> Result<(), EditError<T::Key>>,
    ) -> Result<(), SourceError> {
        let reached = |done: &SentWrite| version.is_none_or(|version| done.version <= version);
        let tickets: Vec<Ticket> = self
            .done
            .iter()
            .filter(|done| reached(done))
            .map(|done| done.ticket)
            .collect();
        let outcome = self.in_store(|store| {
            // One that was answered in another way since is not confirmed again.
            let still = |ticket: &Ticket| {
                store
                    .writes()
                    .pending()
                    .any(|write| write.ticket == *ticket)
            };
            let tickets: Vec<Ticket> = tickets.iter().copied().filter(still).collect();
            store.writes_mut().confirm_by(&tickets, edits)
        })?;
        outcome
            .map_err(|why| SourceError::unusable("the store", why))?
            .map_err(unusable)?;
        self.done.retain(|done| !tickets.contains(&done.ticket));
        for ticket in tickets {
            self.kept.forget(ticket);
        }
        Ok(())
    }

    /// Sends the writes that wait, the oldest first.
    fn send(&mut self, source: &mut impl Source<T>) -> Result<(), SourceError> {
        loop {
            let most = self.options.writes_at_once.max(1);
            let sent =
                |write: &Arc<Write<T>>| self.done.iter().any(|done| done.ticket == write.ticket);
            let writes: Vec<Arc<Write<T>>> = self.in_store(|store| {
                store
                    .writes()
                    .pending()
                    .filter(|write| !sent(write))
                    .take(most)
                    .cloned()
                    .collect()
            })?;
            if writes.is_empty() {
                return Ok(());
            }
            let mut answers = Vec::with_capacity(writes.len());
            let outcome = source.write_many(&writes, &mut answers);
            tracing::debug!(writes = writes.len(), answers = answers.len(), "sent");
            let progress = !answers.is_empty();
            for (write, answer) in writes.iter().zip(answers) {
                self.take_answer(write, answer)?;
            }
            outcome?;
            if !progress {
                let why = "it gave neither answers nor an error";
                return Err(SourceError::unusable("the source", why));
            }
            if self.control.is_closing() {
                return Err(SourceError::Closing);
            }
        }
    }

    fn take_answer(&mut self, write: &Write<T>, answer: Answer<T>) -> Result<(), SourceError> {
        let ticket = write.ticket;
        if let Answer::SavedIn(version) = answer {
            self.done.push(SentWrite {
                ticket,
                version,
                since: Instant::now(),
            });
            if Some(version) <= self.version {
                return self.confirm_done(self.version, |_| Ok(()));
            }
            return Ok(());
        }
        let told = self.in_store(|store| match answer {
            Answer::Saved | Answer::SavedIn(_) => {
                store.writes_mut().confirm(ticket).map(|()| Vec::new())
            }
            Answer::SavedAs(item) => store
                .writes_mut()
                .confirm_as(ticket, item)
                .map(|()| Vec::new()),
            Answer::Refused {
                reason,
                current: None,
            } => store.writes_mut().refuse(ticket, reason),
            Answer::Refused {
                reason,
                current: Some(current),
            } => store.writes_mut().refuse_with(ticket, reason, current),
        })?;
        match told {
            // Edits of an item that was not added are answered along with it.
            Ok(others) => others.into_iter().for_each(|other| self.kept.forget(other)),
            // It went with another that was refused.
            Err(TicketError::Unknown(_)) => {}
            Err(why) => return Err(SourceError::unusable("the store", why)),
        }
        self.kept.forget(ticket);
        Ok(())
    }

    fn in_store<R>(&self, edit: impl FnOnce(&mut Store<T>) -> R) -> Result<R, SourceError> {
        self.store
            .edit(edit)
            .map_err(|why: SharedError| SourceError::unusable("the store", why))
    }
}

fn unusable<K: std::fmt::Debug + Send + Sync + 'static>(why: EditError<K>) -> SourceError {
    SourceError::unusable("what the source holds", why.to_string())
}

/// The writes that outlive the app.
pub(super) struct SharedOutbox<T: Item>(Arc<Mutex<OutboxState<T>>>);

struct OutboxState<T: Item> {
    outbox: Option<Box<dyn Outbox<T>>>,
    numbers: HashMap<Ticket, u64>,
}

impl<T: Item> SharedOutbox<T> {
    /// Submits what the last run left.
    pub(super) fn begin(
        store: &SharedStore<T>,
        mut outbox: Option<Box<dyn Outbox<T>>>,
    ) -> Result<Self, LinkError> {
        let mut numbers = HashMap::new();
        let kept = outbox.as_mut().map(|outbox| outbox.kept()).transpose()?;
        for (number, write) in kept.unwrap_or_default() {
            if let Ok(ticket) = store.edit(|store| store.writes_mut().restore(write))? {
                numbers.insert(ticket, number);
            }
        }
        Ok(Self(Arc::new(Mutex::new(OutboxState { outbox, numbers }))))
    }

    pub(super) fn keep(&self, writes: &[Arc<Write<T>>]) {
        let mut keeping = self.lock();
        let OutboxState {
            outbox: Some(outbox),
            numbers,
        } = &mut *keeping
        else {
            return;
        };
        match outbox.keep(writes) {
            Ok(kept) => numbers.extend(writes.iter().map(|write| write.ticket).zip(kept)),
            Err(error) => tracing::error!(%error, "writes are not kept, and wait in memory"),
        }
    }

    fn forget(&self, ticket: Ticket) {
        let mut keeping = self.lock();
        let OutboxState {
            outbox: Some(outbox),
            numbers,
        } = &mut *keeping
        else {
            return;
        };
        if let Some(number) = numbers.remove(&ticket)
            && let Err(error) = outbox.forget(number)
        {
            tracing::error!(%error, "an answered write stays and is sent again by the next run");
        }
    }

    fn lock(&self) -> MutexGuard<'_, OutboxState<T>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl<T: Item> Clone for SharedOutbox<T> {
    fn clone(&self) -> Self {
        Self(Arc::clone(&self.0))
    }
}
