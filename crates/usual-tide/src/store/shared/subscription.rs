//! Callbacks that are told of changes.

use super::inside::{Inside, Role};
use super::{Inner, SharedError, SharedStore};
use crate::change::ChangeSet;
use crate::item::Item;
use crate::list::{BoundList, Feed, ListId};
use std::fmt;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError, Weak};

/// A consumer of a list.
pub(super) struct Subscriber<T: Item> {
    pub(super) feed: Feed<T>,
    pub(super) ended: AtomicBool,
    pub(super) ear: Box<dyn Ear<T>>,
}

/// How a consumer hears of a change.
pub(super) trait Ear<T: Item>: Send + Sync {
    /// Tells what a feed has not been read for; `false` when its list is gone.
    fn hear(&self, feed: &Feed<T>, inner: &Inner<T>) -> bool;

    /// Tells that there is nothing more to come.
    fn end(&self) {}
}

impl<T: Item> Subscriber<T> {
    pub(super) fn new(feed: Feed<T>, ear: impl Ear<T> + 'static) -> Arc<Self> {
        Arc::new(Self {
            feed,
            ended: AtomicBool::new(false),
            ear: Box::new(ear),
        })
    }

    /// Tells what happened; `false` when it is not to be told any more.
    pub(super) fn tell(&self, inner: &Inner<T>) -> bool {
        !self.ended.load(Ordering::Acquire) && self.ear.hear(&self.feed, inner)
    }
}

/// A callback.
struct Call<C>(Mutex<C>);

impl<T: Item, C: FnMut(&ChangeSet<T>) + Send> Ear<T> for Call<C> {
    fn hear(&self, feed: &Feed<T>, inner: &Inner<T>) -> bool {
        let Ok(changes) = inner.read(|store| feed.read(store)) else {
            return false;
        };
        if let Some(changes) = changes {
            let _inside = Inside::enter(inner.id(), Role::Told);
            (self.0.lock().unwrap_or_else(PoisonError::into_inner))(&changes);
        }
        true
    }
}

/// A callback that is told of a list's changes as long as this handle lives.
///
/// After it is dropped no call begins any more; one that is under way on another thread may still end.
#[must_use = "a subscription ends when it is dropped"]
pub struct Subscription<T: Item> {
    pub(super) inner: Weak<Inner<T>>,
    pub(super) subscriber: Arc<Subscriber<T>>,
}

impl<T: Item> SharedStore<T> {
    /// Subscribes to the changes of a list. `start` sees the rows of this moment and gives the callback, which
    /// is told all that happens from then on, each time as one minimal change set.
    ///
    /// The callback runs on the thread that made the change, or on another that is telling just then, and
    /// never twice at once. It may read the store
    /// and [`post`](Self::post) edits. When it panics, the panic goes to that thread's caller, and the
    /// subscription goes on.
    ///
    /// # Errors
    ///
    /// [`SharedError::UnknownList`], and [`SharedError::InUse`] inside of `edit` or `read`.
    pub fn subscribe<C>(
        &self,
        list: ListId,
        start: impl FnOnce(BoundList<'_, T>) -> C,
    ) -> Result<Subscription<T>, SharedError>
    where
        C: FnMut(&ChangeSet<T>) + Send + 'static,
    {
        let (callback, feed) = self.begin(list, start)?;
        Ok(self.register(Subscriber::new(feed, Call(Mutex::new(callback)))))
    }

    /// What `start` makes of the rows of this moment, and a feed of all that happens from then on.
    pub(super) fn begin<R>(
        &self,
        list: ListId,
        start: impl FnOnce(BoundList<'_, T>) -> R,
    ) -> Result<(R, Feed<T>), SharedError> {
        if Inside::role(self.inner.id()) == Some(Role::Using) {
            return Err(SharedError::InUse);
        }
        self.inner.write(|store| {
            let feed = store.feed(list)?;
            Ok((start(store.list(list)?), feed))
        })
    }

    pub(super) fn register(&self, subscriber: Arc<Subscriber<T>>) -> Subscription<T> {
        let subscribers = &mut self.inner.delivery().subscribers;
        subscribers.push(Arc::clone(&subscriber));
        Subscription {
            inner: Arc::downgrade(&self.inner),
            subscriber,
        }
    }
}

impl<T: Item> Subscription<T> {
    /// The list.
    pub fn list(&self) -> ListId {
        self.subscriber.feed.list()
    }
}

impl<T: Item> Drop for Subscription<T> {
    fn drop(&mut self) {
        self.subscriber.ended.store(true, Ordering::Release);
        if let Some(inner) = self.inner.upgrade() {
            inner.unsubscribe(&self.subscriber);
        }
    }
}

impl<T: Item> Drop for Inner<T> {
    /// Streams end with the store.
    fn drop(&mut self) {
        for subscriber in std::mem::take(&mut self.delivery().subscribers) {
            subscriber.ear.end();
        }
    }
}

impl<T: Item> fmt::Debug for Subscription<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Subscription")
            .field("list", &self.list())
            .finish_non_exhaustive()
    }
}
