//! Telling subscribers: one thread at a time, while nobody holds the store.

use super::subscription::Subscriber;
use super::{Inner, Store};
use crate::item::Item;
use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::Arc;

/// An edit that waits.
type Posted<T> = Box<dyn FnOnce(&mut Store<T>) + Send>;

/// Who is to be told, and what waits meanwhile.
pub(super) struct Delivery<T: Item> {
    pub(super) subscribers: Vec<Arc<Subscriber<T>>>,
    pub(super) queue: VecDeque<Posted<T>>,
    /// Whether a thread is telling the subscribers.
    running: bool,
    /// Whether something happened that they may not have been told.
    pending: bool,
}

impl<T: Item> Delivery<T> {
    pub(super) fn new() -> Self {
        Self {
            subscribers: Vec::new(),
            queue: VecDeque::new(),
            running: false,
            pending: false,
        }
    }
}

impl<T: Item> Inner<T> {
    /// Tells every subscriber what it has not heard, and makes the edits that were posted meanwhile, until
    /// there is nothing left. When another thread is at it, that one goes on.
    pub(super) fn deliver(&self) {
        {
            let mut delivery = self.delivery();
            delivery.pending = true;
            if std::mem::replace(&mut delivery.running, true) {
                return;
            }
        }
        // A callback or a posted edit may panic: the others are told by the next delivery then.
        let told = catch_unwind(AssertUnwindSafe(|| while self.deliver_round() {}));
        if let Err(panic) = told {
            self.delivery().running = false;
            resume_unwind(panic);
        }
    }

    /// One round; `false` when there is nothing left.
    fn deliver_round(&self) -> bool {
        let subscribers = {
            let mut delivery = self.delivery();
            if !delivery.pending && delivery.queue.is_empty() {
                delivery.running = false;
                return false;
            }
            delivery.pending = false;
            delivery.subscribers.clone()
        };
        for subscriber in subscribers {
            if !subscriber.tell(self) {
                self.unsubscribe(&subscriber);
            }
        }
        loop {
            let Some(edit) = self.delivery().queue.pop_front() else {
                return true;
            };
            self.delivery().pending = true;
            self.write(edit);
        }
    }

    pub(super) fn unsubscribe(&self, subscriber: &Arc<Subscriber<T>>) {
        let others = |other: &Arc<Subscriber<T>>| !Arc::ptr_eq(other, subscriber);
        // The caller holds the subscriber too: what its callback holds is not dropped under the lock.
        let subscribers = &mut self.delivery().subscribers;
        subscribers.retain(others);
    }
}
