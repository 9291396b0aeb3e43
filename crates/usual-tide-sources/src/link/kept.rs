//! The writes that outlive the app: kept before they are sent, and forgotten when they are answered.

use super::error::LinkError;
use super::outbox::Outbox;
use super::panics::{caught, message};
use super::sync::{Mutex, MutexGuard};
use std::collections::HashMap;
use std::sync::{Arc, PoisonError};
use usual_tide::writes::{Ticket, Write};
use usual_tide::{Item, SharedStore};

/// An outbox as the app's threads and the link's use it.
pub(super) struct KeptWrites<T: Item>(Arc<Mutex<State<T>>>);

struct State<T: Item> {
    outbox: Option<Box<dyn Outbox<T>>>,
    numbers: HashMap<Ticket, u64>,
    /// The newest write that was handed to the outbox, whether it could be kept or not.
    newest: Option<Ticket>,
}

impl<T: Item> KeptWrites<T> {
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
        let newest = numbers.keys().max().copied();
        Ok(Self(Arc::new(Mutex::new(State {
            outbox,
            numbers,
            newest,
        }))))
    }

    /// Keeps the writes of an edit, unless they are kept. One that cannot be kept waits in memory.
    pub(super) fn keep(&self, writes: &[Arc<Write<T>>]) {
        let mut state = self.lock();
        let State {
            outbox: Some(outbox),
            numbers,
            newest,
        } = &mut *state
        else {
            return;
        };
        let new = |write: &&Arc<Write<T>>| !numbers.contains_key(&write.ticket);
        let writes: Vec<_> = writes.iter().filter(new).cloned().collect();
        let Some(last) = writes.last() else {
            return;
        };
        *newest = Some(last.ticket).max(*newest);
        match caught(|| outbox.keep(&writes)) {
            Ok(Ok(kept)) => numbers.extend(writes.iter().map(|write| write.ticket).zip(kept)),
            Ok(Err(error)) => tracing::error!(%error, "writes are not kept, and wait in memory"),
            Err(panic) => {
                let panic = message(&*panic);
                tracing::error!(
                    panic,
                    "the outbox panicked; writes are not kept, and wait in memory"
                );
            }
        }
    }

    /// Whether writes can be sent: after they were handed to the outbox, and not before. One that is sent, answered
    /// and then kept would be sent once more by the next run.
    pub(super) fn were_handed_over(&self) -> impl Fn(Ticket) -> bool + use<T> {
        let state = self.lock();
        let (all, newest) = (state.outbox.is_none(), state.newest);
        move |ticket| all || Some(ticket) <= newest
    }

    pub(super) fn forget(&self, ticket: Ticket) {
        let mut state = self.lock();
        let State {
            outbox: Some(outbox),
            numbers,
            ..
        } = &mut *state
        else {
            return;
        };
        let Some(number) = numbers.remove(&ticket) else {
            return;
        };
        let again = "an answered write stays and is sent again by the next run";
        match caught(|| outbox.forget(number)) {
            Ok(Ok(())) => {}
            Ok(Err(error)) => tracing::error!(%error, "{again}"),
            Err(panic) => {
                let panic = message(&*panic);
                tracing::error!(panic, "the outbox panicked; {again}");
            }
        }
    }

    /// Those that are kept at this moment.
    pub(super) fn tickets(&self) -> Vec<Ticket> {
        self.lock().numbers.keys().copied().collect()
    }

    fn lock(&self) -> MutexGuard<'_, State<T>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl<T: Item> Clone for KeptWrites<T> {
    fn clone(&self) -> Self {
        Self(Arc::clone(&self.0))
    }
}
