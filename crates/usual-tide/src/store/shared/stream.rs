//! Change sets as an asynchronous stream.

use super::inside::{Inside, Role};
use super::subscription::{Listener, Subscriber, Subscription};
use super::{Inner, SharedError, SharedStore};
use crate::change::ChangeSet;
use crate::item::Item;
use crate::list::{BoundList, Feed, ListId};
use futures_core::Stream;
use std::fmt;
use std::pin::Pin;
use std::sync::{Arc, Mutex, PoisonError};
use std::task::{Context, Poll, Waker};

/// The changes of a list as an asynchronous stream; each element is all that happened since the last one, as
/// one minimal change set, so that a slow consumer has little to do.
///
/// It ends when the list is unbound, and with the last handle of the store.
pub struct ChangeStream<T: Item> {
    subscription: Subscription<T>,
    waiting: Arc<Waiting<T>>,
}

/// Who waits for a change.
struct Waiting<T: Item> {
    feed: Feed<T>,
    waker: Mutex<Option<Waker>>,
}

impl<T: Item> Waiting<T> {
    fn set(&self, waker: Option<Waker>) -> Option<Waker> {
        let mut waiting = self.waker.lock().unwrap_or_else(PoisonError::into_inner);
        std::mem::replace(&mut *waiting, waker)
    }

    fn wake(&self) {
        if let Some(waker) = self.set(None) {
            waker.wake();
        }
    }
}

impl<T: Item> Listener<T> for Arc<Waiting<T>> {
    /// Wakes the consumer, which reads when it likes.
    fn notify(&self, inner: &Inner<T>) -> bool {
        let unread = inner.read(|store| self.feed.has_unread(store));
        if unread != Ok(false) {
            self.wake();
        }
        unread.is_ok()
    }

    fn end(&self) {
        self.wake();
    }
}

impl<T: Item> SharedStore<T> {
    /// A stream of the changes of a list. `start` sees the rows of this moment; the stream has all that
    /// happens from then on.
    ///
    /// ```
    /// use futures::StreamExt;
    /// use usual_tide::{Item, Place, Query, Replica, SharedStore, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let shared = SharedStore::new(Store::load([Piece { id: 1 }])?);
    /// let list = shared.edit(|store| store.bind(Query::new()))?;
    /// let (mut view, mut changes) =
    ///     shared.stream(list, |rows| rows.items().cloned().collect::<Replica<Piece>>())?;
    ///
    /// shared.edit(|store| store.add(Piece { id: 2 }, Place::Start))??;
    /// shared.edit(|store| store.add(Piece { id: 3 }, Place::Start))??;
    ///
    /// let news = futures::executor::block_on(changes.next()).ok_or("the store is there")?;
    /// assert_eq!(news.inserted()[0].rows.len(), 2, "both at once");
    /// view.apply(&news)?;
    /// assert_eq!(view.len(), 3);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`SharedError::UnknownList`], and [`SharedError::InUse`] inside of `edit` or `read`.
    pub fn stream<R>(
        &self,
        list: ListId,
        start: impl FnOnce(BoundList<'_, T>) -> R,
    ) -> Result<(R, ChangeStream<T>), SharedError> {
        let (started, feed) = self.begin(list, start)?;
        let waiting = Arc::new(Waiting {
            feed,
            waker: Mutex::new(None),
        });
        let subscription = self.register(Subscriber::new(Arc::clone(&waiting)));
        let stream = ChangeStream {
            subscription,
            waiting,
        };
        Ok((started, stream))
    }
}

impl<T: Item> Stream for ChangeStream<T> {
    type Item = ChangeSet<T>;

    fn poll_next(self: Pin<&mut Self>, context: &mut Context<'_>) -> Poll<Option<ChangeSet<T>>> {
        let Some(inner) = self.subscription.inner.upgrade() else {
            return Poll::Ready(None);
        };
        // Before the read, so that a change right after it is not missed.
        self.waiting.set(Some(context.waker().clone()));
        if Inside::role(inner.id()) == Some(Role::Using) {
            // This thread holds the store and cannot wait for itself: it is polled again.
            context.waker().wake_by_ref();
            return Poll::Pending;
        }
        match inner.read(|store| self.waiting.feed.read(store)) {
            Ok(Some(changes)) => Poll::Ready(Some(changes)),
            Ok(None) => Poll::Pending,
            Err(_) => Poll::Ready(None),
        }
    }
}

impl<T: Item> fmt::Debug for ChangeStream<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("ChangeStream")
            .field(&self.waiting.feed.list())
            .finish()
    }
}
