//! Callbacks for changes.

use super::inside::{Inside, Role};
use super::sync::{AtomicBool, AtomicU64, Mutex, Ordering};
use super::{Inner, SharedError, SharedStore};
use crate::change::ChangeSet;
use crate::item::Item;
use crate::list::{BoundList, Feed, ListId};
use crate::store::{StateChange, TicketError, Write, WriteStateFeed};
use std::fmt;
use std::sync::{Arc, PoisonError, Weak};

/// A consumer.
pub(super) struct Subscriber<T: Item> {
    pub(super) ended: AtomicBool,
    pub(super) listener: Box<dyn Listener<T>>,
}

/// How a change is delivered to a consumer.
pub(super) trait Listener<T: Item>: Send + Sync {
    /// Delivers what is not delivered yet; `false` when its list is gone and nothing more will come.
    fn notify(&self, inner: &Inner<T>) -> bool;

    /// Tells that there is nothing more to come.
    fn end(&self) {}
}

impl<T: Item> Subscriber<T> {
    pub(super) fn new(listener: impl Listener<T> + 'static) -> Arc<Self> {
        Arc::new(Self {
            ended: AtomicBool::new(false),
            listener: Box::new(listener),
        })
    }

    /// Delivers what happened; `false` when nothing more is to be delivered.
    pub(super) fn tell(&self, inner: &Inner<T>) -> bool {
        !self.ended.load(Ordering::Acquire) && self.listener.notify(inner)
    }
}

/// A callback.
struct Callback<F, C> {
    feed: F,
    callback: Mutex<C>,
}

impl<F, C> Callback<F, C> {
    fn new(feed: F, callback: C) -> Self {
        let callback = Mutex::new(callback);
        Self { feed, callback }
    }

    fn tell<T: Item, News: ?Sized>(&self, news: &News, inner: &Inner<T>)
    where
        C: FnMut(&News),
    {
        let _inside = Inside::enter(inner.id(), Role::Notified);
        (self.callback.lock().unwrap_or_else(PoisonError::into_inner))(news);
    }
}

impl<T: Item, C: FnMut(&ChangeSet<T>) + Send> Listener<T> for Callback<Feed<T>, C> {
    fn notify(&self, inner: &Inner<T>) -> bool {
        let Ok(changes) = inner.read(|store| self.feed.read(store)) else {
            return false;
        };
        if let Some(changes) = changes {
            self.tell(&changes, inner);
        }
        true
    }
}

impl<T: Item, C: FnMut(&[StateChange<T::Key>]) + Send> Listener<T> for Callback<WriteStateFeed, C> {
    fn notify(&self, inner: &Inner<T>) -> bool {
        let Ok(marked) = inner.read(|store| self.feed.read(store)) else {
            return false;
        };
        if !marked.is_empty() {
            self.tell(&*marked, inner);
        }
        true
    }
}

/// The last ticket that was delivered.
struct LastTold(AtomicU64);

impl<T: Item, C: FnMut(&[Arc<Write<T>>]) + Send> Listener<T> for Callback<LastTold, C> {
    fn notify(&self, inner: &Inner<T>) -> bool {
        let writes = inner.read(|store| {
            let told = self.feed.0.swap(store.last_ticket(), Ordering::AcqRel);
            store.pending_since(told)
        });
        if !writes.is_empty() {
            self.tell(&*writes, inner);
        }
        true
    }
}

/// Keeps a callback subscribed for as long as this handle lives.
///
/// After it is dropped it is not called for later edits. A call that another thread is just about to make, or makes,
/// may still come to its end.
#[must_use = "a subscription ends when it is dropped"]
pub struct Subscription<T: Item> {
    pub(super) inner: Weak<Inner<T>>,
    pub(super) subscriber: Arc<Subscriber<T>>,
}

impl<T: Item> SharedStore<T> {
    /// Subscribes to the changes of a list. `start` sees the rows of this moment and gives the callback, which
    /// gets everything that happens from then on, each time as one minimal change set.
    ///
    /// The callback runs on the thread that made the change, or on another that is telling just then, and
    /// never twice at once. It may read the store
    /// and [`post`](Self::post) edits. When it panics, the panic goes to that thread's caller, and the
    /// subscription continues.
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
        Ok(self.register(Subscriber::new(Callback::new(feed, callback))))
    }

    /// Subscribes to the write states of a list's rows: which of them are pending, saved or failed now, and were
    /// not before. For the rows of a change set that arrives at the same time, read them with
    /// [`Writes::state`](crate::writes::Writes::state).
    ///
    /// # Errors
    ///
    /// [`SharedError::NotTracked`] when the store does not track writes, and [`SharedError::InUse`] inside
    /// of `edit` or `read`.
    ///
    /// ```
    /// use std::sync::{Arc, Mutex};
    /// use usual_tide::writes::WriteState;
    /// use usual_tide::{Item, Query, SharedStore, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let store = SharedStore::new(Store::load([Piece { id: 1, title: "Bowl".into() }])?);
    /// let list = store.edit(|store| {
    ///     store.writes_mut().track();
    ///     store.bind(Query::new())
    /// })?;
    /// let seen = Arc::new(Mutex::new(Vec::new()));
    /// let states = Arc::clone(&seen);
    /// let _told = store.subscribe_write_states(list, move |changes| {
    ///     states.lock().unwrap().extend(changes.iter().map(|change| change.state));
    /// })?;
    /// // What waits is handed to whoever sends it; here it is confirmed at once.
    /// let sender = store.clone();
    /// let _sent = store.subscribe_writes(|_waiting| {
    ///     move |writes: &[Arc<usual_tide::writes::Write<Piece>>]| {
    ///         for write in writes {
    ///             let ticket = write.ticket;
    ///             sender.post(move |store| drop(store.writes_mut().confirm(ticket)));
    ///         }
    ///     }
    /// })?;
    /// store.try_edit(|store| store.edit(&1, |piece| piece.title = "Mug".into()))?;
    /// assert_eq!(*seen.lock().unwrap(), [WriteState::Pending, WriteState::Saved]);
    /// # Ok(()) }
    /// ```
    pub fn subscribe_write_states(
        &self,
        list: ListId,
        callback: impl FnMut(&[StateChange<T::Key>]) + Send + 'static,
    ) -> Result<Subscription<T>, SharedError> {
        let feed = self.edit(|store| store.writes_mut().state_feed(list))?;
        let feed = feed.map_err(|why| match why {
            TicketError::UnknownList(unknown) => SharedError::UnknownList(unknown),
            _ => SharedError::NotTracked,
        })?;
        Ok(self.register(Subscriber::new(Callback::new(feed, callback))))
    }

    /// Subscribes to the writes that a person's edits ask of the source from now on: what keeps a store and a
    /// source in step sends them. `start` gets those that wait already.
    ///
    /// # Errors
    ///
    /// [`SharedError::InUse`] inside of `edit` or `read`.
    pub fn subscribe_writes<C>(
        &self,
        start: impl FnOnce(Vec<Arc<Write<T>>>) -> C,
    ) -> Result<Subscription<T>, SharedError>
    where
        C: FnMut(&[Arc<Write<T>>]) + Send + 'static,
    {
        let (told, writes) = self.edit(|store| (store.last_ticket(), store.pending_since(0)))?;
        let call = Callback::new(LastTold(AtomicU64::new(told)), start(writes));
        Ok(self.register(Subscriber::new(call)))
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
        let registered = Arc::clone(&subscriber);
        self.inner.delivery().subscribers.push(registered);
        let subscription = Subscription {
            inner: Arc::downgrade(&self.inner),
            subscriber,
        };
        // What another thread edited since the subscriber's feed began was delivered without it.
        self.inner.deliver();
        subscription
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
            subscriber.listener.end();
        }
    }
}

impl<T: Item> fmt::Debug for Subscription<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Subscription").finish_non_exhaustive()
    }
}
