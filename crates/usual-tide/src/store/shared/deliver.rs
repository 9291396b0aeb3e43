//! Telling subscribers: one thread at a time, while the store is not locked.

use super::subscription::Subscriber;
use super::{Inner, Store};
use crate::item::Item;
use std::any::Any;
use std::collections::VecDeque;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::Arc;

/// An edit that waits.
type Posted<T> = Box<dyn FnOnce(&mut Store<T>) + Send>;

/// What a panic carries.
type Panic = Box<dyn Any + Send>;

/// The subscribers, and the edits that wait meanwhile.
pub(super) struct Delivery<T: Item> {
    pub(super) subscribers: Vec<Arc<Subscriber<T>>>,
    pub(super) queue: VecDeque<Posted<T>>,
    /// Whether a thread is telling the subscribers.
    running: bool,
    /// Whether there may be changes that were not delivered.
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
    /// Delivers changes to every subscriber and makes the edits that were posted meanwhile, until
    /// there is nothing left. When another thread is at it, that one continues.
    pub(super) fn deliver(&self) {
        {
            let mut delivery = self.delivery();
            delivery.pending = true;
            if std::mem::replace(&mut delivery.running, true) {
                return;
            }
        }
        let mut panicked = None;
        while self.deliver_round(&mut panicked) {}
        if let Some(panic) = panicked {
            resume_unwind(panic);
        }
    }

    /// One round; `false` when there is nothing left. A callback or a posted edit that panics keeps nobody
    /// from being called: the first panic is stored and resumed in the caller at the end.
    fn deliver_round(&self, panicked: &mut Option<Panic>) -> bool {
        let subscribers = {
            let mut delivery = self.delivery();
            if !delivery.pending && delivery.queue.is_empty() {
                delivery.running = false;
                return false;
            }
            delivery.pending = false;
            delivery.subscribers.clone()
        };
        let mut attempt = |work: &mut dyn FnMut()| {
            if let Err(panic) = catch_unwind(AssertUnwindSafe(work)) {
                panicked.get_or_insert(panic);
            }
        };
        for subscriber in subscribers {
            attempt(&mut || {
                if !subscriber.tell(self) {
                    self.unsubscribe(&subscriber);
                }
            });
        }
        loop {
            let Some(edit) = self.delivery().queue.pop_front() else {
                return true;
            };
            self.delivery().pending = true;
            let mut edit = Some(edit);
            attempt(&mut || {
                if let Some(edit) = edit.take() {
                    self.write(edit);
                }
            });
        }
    }

    pub(super) fn unsubscribe(&self, subscriber: &Arc<Subscriber<T>>) {
        let others = |other: &Arc<Subscriber<T>>| !Arc::ptr_eq(other, subscriber);
        // The caller holds the subscriber too: what its callback holds is not dropped under the lock.
        let subscribers = &mut self.delivery().subscribers;
        subscribers.retain(others);
    }
}
