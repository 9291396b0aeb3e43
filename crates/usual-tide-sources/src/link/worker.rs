//! The link's thread: loads items, sends pending writes, and applies the changes that the source reports.

use super::apply::apply;
use super::command::{Change, Command};
use super::control::Control;
use super::error::SourceError;
use super::kept::KeptWrites;
use super::options::LinkOptions;
use super::panics::{caught, message, of_source};
use super::sender::ChangeSender;
use super::source::{Answer, Loaded, Loading, Source};
use super::state::LinkState;
use super::sync::{Receiver, RecvTimeoutError, receive};
use std::collections::{BTreeMap, BTreeSet, HashSet};
use std::sync::Arc;
use std::time::{Duration, Instant};
use usual_tide::edits::OnDuplicate;
use usual_tide::writes::{Ticket, TicketError, Write};
use usual_tide::{EditError, Item, Place, SharedStore, Store};

pub(super) struct Worker<T: Item> {
    store: SharedStore<T>,
    control: Arc<Control>,
    options: LinkOptions<T>,
    kept: KeptWrites<T>,
    commands: Receiver<Command<T>>,
    /// The source's version that the store is at.
    version: Option<u64>,
    /// Writes that are done in a version which the store has not reached.
    done: BTreeMap<Ticket, SentWrite>,
    to_load: bool,
    more_wanted: bool,
    more: bool,
    failures: u32,
    next_try: Option<Instant>,
}

/// What the source has reported and is not yet applied.
struct Reported<T: Item> {
    changes: Vec<Change<T>>,
    version: Option<u64>,
}

struct SentWrite {
    version: u64,
    since: Instant,
}

impl<T: Item> Worker<T> {
    pub(super) fn new(
        store: SharedStore<T>,
        control: Arc<Control>,
        options: LinkOptions<T>,
        kept: KeptWrites<T>,
        commands: Receiver<Command<T>>,
    ) -> Self {
        Self {
            store,
            control,
            options,
            kept,
            commands,
            version: None,
            done: BTreeMap::new(),
            to_load: true,
            more_wanted: false,
            more: false,
            failures: 0,
            next_try: None,
        }
    }

    pub(super) fn run(mut self, mut source: impl Source<T>, news: ChangeSender<T>) {
        let mut news = Some(news);
        loop {
            if self.next_try.is_none_or(|next| next <= Instant::now()) {
                self.try_to_work(&mut source, &mut news);
            }
            self.control.end_round();
            // What told of it may have been received while writes were sent.
            if self.control.is_closing() {
                return;
            }
            let command = match receive(&self.commands, self.wait()) {
                Ok(command) => Some(command),
                Err(RecvTimeoutError::Timeout) => None,
                Err(RecvTimeoutError::Disconnected) => return,
            };
            let rest: Vec<Command<T>> = self.commands.try_iter().collect();
            self.carry_out(command.into_iter().chain(rest));
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
            .values()
            .map(late)
            .min()
            .unwrap_or(Duration::from_secs(3600))
    }

    fn carry_out(&mut self, commands: impl Iterator<Item = Command<T>>) {
        // What the source has reported meanwhile is applied together: each time costs something for every write that waits.
        let mut reported = None;
        for command in commands {
            match command {
                Command::Writes | Command::Close => {}
                Command::Refresh => {
                    self.to_load = true;
                    self.next_try = None;
                }
                Command::More => self.more_wanted = true,
                Command::Stale => self.to_load = true,
                Command::Changed(changes, version) => self.collect(changes, version, &mut reported),
            }
        }
        self.change(reported);
    }

    /// Adds changes of the source to those that are to be applied, unless they are known or all items are about to be loaded.
    fn collect(
        &mut self,
        changes: Vec<Change<T>>,
        version: Option<u64>,
        reported: &mut Option<Reported<T>>,
    ) {
        let before = reported.as_ref().and_then(|reported| reported.version);
        let reached = before.or(self.version);
        let known = version.is_some() && version <= reached;
        if known || self.to_load {
            return;
        }
        let next = reached.map(|version| version + 1);
        if version.is_some() && version != next {
            tracing::info!(?version, ?next, "a version is missing; loading all");
            self.to_load = true;
            return;
        }
        match reported {
            Some(reported) => {
                reported.changes.extend(changes);
                reported.version = version.or(reported.version);
            }
            None => *reported = Some(Reported { changes, version }),
        }
    }

    fn change(&mut self, reported: Option<Reported<T>>) {
        let Some(Reported { changes, version }) = reported.filter(|_| !self.to_load) else {
            return;
        };
        let partly_loaded = self.more;
        match self.confirm_done(version, |store| apply(store, changes, partly_loaded)) {
            Ok(()) => self.version = version.or(self.version),
            Err(error) => {
                tracing::warn!(%error, "a change of the source does not fit; loading all");
                self.to_load = true;
            }
        }
    }

    /// `news` is there until the source watches.
    fn try_to_work(&mut self, source: &mut impl Source<T>, news: &mut Option<ChangeSender<T>>) {
        let watched = news.clone().map_or(Ok(()), |sender| {
            of_source("the source's watch", || {
                source.watch(sender);
                Ok(())
            })
        });
        let worked = watched.and_then(|()| {
            *news = None;
            self.work(source)
        });
        match worked {
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
        loop {
            self.load(source)?;
            self.more_wanted &= self.more;
            // A page that does not come keeps no write back.
            let more = match self.more_wanted {
                true => self.load_more(source),
                false => Ok(()),
            };
            while self.send(source)? && !self.to_load {
                if self.control.is_closing() {
                    return Err(SourceError::Closing);
                }
            }
            more?;
            // Perhaps more was asked for meanwhile.
            let goes_on = self.to_load || self.more_wanted && self.more;
            if !goes_on || self.control.is_closing() {
                return Ok(());
            }
        }
    }

    /// Loads all items, where that is to be done.
    fn load(&mut self, source: &mut impl Source<T>) -> Result<(), SourceError> {
        let late = |done: &SentWrite| done.since.elapsed() >= self.options.patience;
        if self.done.values().any(late) {
            self.to_load = true;
        }
        if self.to_load {
            self.control.loading(0, None);
            let loaded = of_source("the source's load", || {
                source.load(&mut Loading::new(&self.control))
            })?;
            self.take_over(loaded)?;
        }
        Ok(())
    }

    fn load_more(&mut self, source: &mut impl Source<T>) -> Result<(), SourceError> {
        self.control.loading(0, None);
        let loaded = of_source("the source's load_more", || {
            source.load_more(&mut Loading::new(&self.control))
        })?;
        self.append(loaded)?;
        self.more_wanted = false;
        Ok(())
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
        let done = self.done.iter().filter(|(_, done)| reached(done));
        let tickets: BTreeSet<Ticket> = done.map(|(ticket, _)| *ticket).collect();
        let outcome = self.in_store(|store| {
            // One that was answered in another way since is not confirmed again.
            let waiting: Vec<Ticket> = match tickets.is_empty() {
                true => Vec::new(),
                false => {
                    let waiting = store.writes().pending().map(|write| write.ticket);
                    waiting.filter(|ticket| tickets.contains(ticket)).collect()
                }
            };
            store.writes_mut().confirm_by(&waiting, edits)
        })?;
        outcome
            .map_err(|why| SourceError::unusable("the store", why))?
            .map_err(unusable)?;
        for ticket in tickets {
            self.done.remove(&ticket);
            self.kept.forget(ticket);
        }
        Ok(())
    }

    /// Sends writes that wait, the oldest first, and applies what the source reports meanwhile. `false` when none waits.
    fn send(&mut self, source: &mut impl Source<T>) -> Result<bool, SourceError> {
        let most = self.options.writes_at_once.max(1);
        let sent = |write: &Arc<Write<T>>| self.done.contains_key(&write.ticket);
        let can_go = self.kept.were_handed_over();
        let writes: Vec<Arc<Write<T>>> = self.in_store(|store| {
            store
                .writes()
                .pending()
                .filter(|write| !sent(write))
                .take_while(|write| can_go(write.ticket))
                .take(most)
                .cloned()
                .collect()
        })?;
        if writes.is_empty() {
            self.forget_answered()?;
            return Ok(false);
        }
        let mut answers = Vec::with_capacity(writes.len());
        let outcome = of_source("the source's write_many", || {
            source.write_many(&writes, &mut answers)
        });
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
        let reported: Vec<Command<T>> = self.commands.try_iter().collect();
        self.carry_out(reported.into_iter());
        Ok(true)
    }

    fn take_answer(&mut self, write: &Write<T>, answer: Answer<T>) -> Result<(), SourceError> {
        let ticket = write.ticket;
        if let Answer::SavedIn(version) = answer {
            let since = Instant::now();
            self.done.insert(ticket, SentWrite { version, since });
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

    /// Forgets what is kept and waits no more, since the app answered it itself.
    fn forget_answered(&self) -> Result<(), SourceError> {
        // In this order: what is kept from now on waits.
        let kept = self.kept.tickets();
        if kept.is_empty() {
            return Ok(());
        }
        let waiting: HashSet<Ticket> = self.in_store(|store| {
            let pending = store.writes().pending();
            pending.map(|write| write.ticket).collect()
        })?;
        for ticket in kept.into_iter().filter(|ticket| !waiting.contains(ticket)) {
            self.kept.forget(ticket);
        }
        Ok(())
    }

    /// Edits the store. When a subscriber panics that this thread calls, the edit is done all the same.
    fn in_store<R>(&self, edit: impl FnOnce(&mut Store<T>) -> R) -> Result<R, SourceError> {
        let mut done = None;
        let edited = caught(|| self.store.edit(|store| done = Some(edit(store))));
        match (edited, done) {
            (Ok(Err(why)), _) => Err(SourceError::unusable("the store", why)),
            (Err(panic), None) => Err(SourceError::panicked("an edit of the store", &*panic)),
            (Err(panic), Some(done)) => {
                let panic = message(&*panic);
                tracing::error!(panic, "a subscriber panicked");
                Ok(done)
            }
            (Ok(Ok(())), Some(done)) => Ok(done),
            (Ok(Ok(())), None) => Err(SourceError::unusable("the store", "it made no edit")),
        }
    }
}

fn unusable<K: std::fmt::Debug + Send + Sync + 'static>(why: EditError<K>) -> SourceError {
    SourceError::unusable("what the source holds", why.to_string())
}
