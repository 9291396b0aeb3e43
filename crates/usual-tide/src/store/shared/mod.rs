//! One store for several threads, and its subscribers.

mod claim;
mod deliver;
mod inside;
#[cfg(feature = "stream")]
mod stream;
mod subscription;
mod sync;

pub use claim::WritesClaim;
#[cfg(feature = "stream")]
pub use stream::ChangeStream;
pub use subscription::Subscription;

use super::Store;
use crate::item::Item;
use crate::list::ListId;
use crate::query::Query;
use deliver::Delivery;
use inside::{Inside, Role};
use std::fmt;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::{Arc, PoisonError};
use sync::{AtomicBool, Mutex, MutexGuard, RwLock};

/// A store that several threads share: a loader in the background, say, and the thread that draws.
///
/// A clone is another handle to the same store. Subscribers are called after the edit that made
/// them, on a thread that edits, while the store is not locked: so a callback may read it, and what it
/// edits is queued. Several edits that are made while subscribers are being called reach each of them as one
/// minimal change set.
///
/// ```
/// use std::sync::{Arc, Mutex};
/// use usual_tide::{ChangeSet, Item, Place, Query, Replica, SharedStore, Store};
///
/// #[derive(Clone, PartialEq, Debug, Item)]
/// struct Piece { #[item(key)] id: u32 }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let shared = SharedStore::new(Store::load([Piece { id: 1 }])?);
/// let list = shared.edit(|store| store.bind(Query::new()))?;
///
/// let view = Arc::new(Mutex::new(Replica::default()));
/// let subscription = shared.subscribe(list, |rows| {
///     // Begin with the rows of this moment; from here on nothing is missed.
///     *view.lock().unwrap() = rows.items().cloned().collect();
///     let view = Arc::clone(&view);
///     move |changes: &ChangeSet<Piece>| view.lock().unwrap().apply(changes).unwrap()
/// })?;
///
/// let loader = shared.clone();
/// let loading = std::thread::spawn(move || {
///     loader.edit(|store| store.add_many((2..=3).map(|id| Piece { id }), Place::End))
/// });
/// loading.join().unwrap()??;
///
/// let ids: Vec<u32> = view.lock().unwrap().items().map(|piece| piece.id).collect();
/// assert_eq!(ids, [1, 2, 3]);
/// drop(subscription); // the callback is not called any more
/// # Ok(()) }
/// ```
pub struct SharedStore<T: Item> {
    inner: Arc<Inner<T>>,
}

struct Inner<T: Item> {
    store: RwLock<Store<T>>,
    delivery: Mutex<Delivery<T>>,
    /// Whether somebody sends the writes.
    claimed: Arc<AtomicBool>,
}

/// Why a shared store cannot be used at this moment. Nothing was done.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SharedError {
    /// This thread is inside `edit` or `read` of the same store, and waiting for itself would never end.
    #[error("this thread uses the store already: work with the one that the closure was given")]
    InUse,
    /// This thread is inside a callback.
    #[error("an edit inside a notification must wait for its end: queue it with `post`")]
    InNotification,
    /// The store does not track writes, so items have no write states.
    #[error(
        "the store does not track writes: call store.writes_mut().track() before the first edit"
    )]
    NotTracked,
    /// Another link sends the store's writes, and two would send each of them twice.
    #[error("another link sends this store's writes already: close that first")]
    Claimed,
    /// The list is not bound to this store.
    #[error(transparent)]
    UnknownList(#[from] crate::list::UnknownList),
}

/// Why an edit or a read of a shared store did not come about.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SharedEditError<E> {
    /// The store cannot be used at this moment.
    #[error(transparent)]
    Shared(#[from] SharedError),
    /// The closure failed.
    #[error("{0}")]
    Edit(E),
}

impl<T: Item> SharedStore<T> {
    /// Shares a store.
    pub fn new(store: Store<T>) -> Self {
        Self {
            inner: Arc::new(Inner {
                store: RwLock::new(store),
                delivery: Mutex::new(Delivery::new()),
                claimed: Arc::new(AtomicBool::new(false)),
            }),
        }
    }

    /// Edits the store with exclusive access, then calls the subscribers. Keep the edit short: other threads wait.
    ///
    /// When another thread is calling the subscribers at this moment, it delivers this edit
    /// too, and this call does not wait for it. A panic of the closure is passed on to the caller, and the
    /// store can still be used.
    ///
    /// # Errors
    ///
    /// [`SharedError::InUse`] inside of `edit` or `read` of the same store, and
    /// [`SharedError::InNotification`] inside a callback: use [`post`](Self::post) there.
    pub fn edit<R>(&self, edit: impl FnOnce(&mut Store<T>) -> R) -> Result<R, SharedError> {
        match Inside::role(self.inner.id()) {
            None => Ok(self.inner.edit(edit)),
            Some(Role::Using) => Err(SharedError::InUse),
            Some(Role::Notified) => Err(SharedError::InNotification),
        }
    }

    /// Edits the store like [`edit`](Self::edit), with edits that may fail themselves: one error for both.
    ///
    /// ```
    /// use usual_tide::{Item, Place, SharedStore, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let shared = SharedStore::new(Store::new());
    /// shared.try_edit(|store| store.add(Piece { id: 1 }, Place::End))?;
    /// let refused = shared.try_edit(|store| store.add(Piece { id: 1 }, Place::End));
    /// assert_eq!(refused.unwrap_err().to_string(), "the key 1 is taken by the item at position 0");
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`SharedEditError::Shared`] as of [`edit`](Self::edit), and [`SharedEditError::Edit`] with the closure's.
    pub fn try_edit<R, E>(
        &self,
        edit: impl FnOnce(&mut Store<T>) -> Result<R, E>,
    ) -> Result<R, SharedEditError<E>> {
        self.edit(edit)?.map_err(SharedEditError::Edit)
    }

    /// Reads the store like [`read`](Self::read), with what may fail itself: one error for both.
    ///
    /// ```
    /// use usual_tide::{Item, Query, SharedStore, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let shared = SharedStore::new(Store::load([Piece { id: 1 }])?);
    /// let list = shared.edit(|store| store.bind(Query::new()))?;
    /// // Once a frame: all that happened since the last one, as one change set.
    /// let feed = shared.try_edit(|store| store.feed(list))?;
    /// shared.try_edit(|store| store.remove(&1))?;
    /// let changes = shared.try_read(|store| feed.read(store))?.ok_or("a change")?;
    /// assert_eq!(changes.removed().len(), 1);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`SharedEditError::Shared`] as of [`read`](Self::read), and [`SharedEditError::Edit`] with the closure's.
    pub fn try_read<R, E>(
        &self,
        read: impl FnOnce(&Store<T>) -> Result<R, E>,
    ) -> Result<R, SharedEditError<E>> {
        self.read(read)?.map_err(SharedEditError::Edit)
    }

    /// Binds a list. Its rows are found while other threads may read the store; an edit waits for that as for any
    /// [`read`](Self::read). Where others edit all the while, all is done as in [`edit`](Self::edit) in the end.
    /// O(n log n).
    ///
    /// ```
    /// use usual_tide::{Item, Query, SharedStore, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let pieces = (0..9).map(|id| Piece { id, title: format!("Bowl {id}") });
    /// let shared = SharedStore::new(Store::load(pieces)?);
    /// let by_title = shared.bind(Query::new().sort(Piece::TITLE.descending()))?;
    /// let rows = shared.try_read(|store| store.list(by_title).map(|rows| rows.len()))?;
    /// assert_eq!(rows, 9);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// Those of [`edit`](Self::edit).
    pub fn bind(&self, mut query: Query<T>) -> Result<ListId, SharedError> {
        /// How often the rows are found before others have to wait.
        const TRIES: usize = 3;
        if !query.columns().is_empty() {
            self.edit(|store| store.prepare_query(&query))?;
        }
        for _ in 0..TRIES {
            let prepared = self.read(|store| store.prepare_list(query))?;
            match self.edit(|store| store.bind_if_current(prepared))? {
                Ok(list) => return Ok(list),
                Err(again) => query = again,
            }
        }
        self.edit(|store| store.bind(query))
    }

    /// Edits the store now, or, where that cannot be, as soon as can be: inside a callback, and inside of
    /// `edit` and `read`, it is queued and runs right after, in order.
    pub fn post(&self, edit: impl FnOnce(&mut Store<T>) + Send + 'static) {
        if Inside::role(self.inner.id()).is_some() {
            self.inner.delivery().queue.push_back(Box::new(edit));
        } else {
            self.inner.edit(edit);
        }
    }

    /// Reads the store, along with other readers. Inside a callback the store may be further than the
    /// change set that the callback got.
    ///
    /// # Errors
    ///
    /// [`SharedError::InUse`] inside of `edit` or `read` of the same store.
    pub fn read<R>(&self, read: impl FnOnce(&Store<T>) -> R) -> Result<R, SharedError> {
        let told = match Inside::role(self.inner.id()) {
            Some(Role::Using) => return Err(SharedError::InUse),
            role => role.is_some(),
        };
        let result = self.inner.read(read);
        // What was posted inside waits for nobody else.
        if !told && !self.inner.delivery().queue.is_empty() {
            self.inner.deliver();
        }
        Ok(result)
    }
}

impl<T: Item> Inner<T> {
    /// Tells one shared store from another.
    fn id(&self) -> usize {
        std::ptr::from_ref(self).addr()
    }

    /// A holder that panicked left the store sound, so a poisoned lock is as good.
    fn read<R>(&self, read: impl FnOnce(&Store<T>) -> R) -> R {
        let _inside = Inside::enter(self.id(), Role::Using);
        read(&self.store.read().unwrap_or_else(PoisonError::into_inner))
    }

    fn write<R>(&self, edit: impl FnOnce(&mut Store<T>) -> R) -> R {
        let _inside = Inside::enter(self.id(), Role::Using);
        edit(&mut self.store.write().unwrap_or_else(PoisonError::into_inner))
    }

    fn edit<R>(&self, edit: impl FnOnce(&mut Store<T>) -> R) -> R {
        let edited = catch_unwind(AssertUnwindSafe(|| self.write(edit)));
        self.deliver();
        edited.unwrap_or_else(|panic| resume_unwind(panic))
    }

    fn delivery(&self) -> MutexGuard<'_, Delivery<T>> {
        self.delivery.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl<T: Item> Clone for SharedStore<T> {
    fn clone(&self) -> Self {
        Self {
            inner: Arc::clone(&self.inner),
        }
    }
}

impl<T: Item> fmt::Debug for SharedStore<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("SharedStore")
            .field("subscribers", &self.inner.delivery().subscribers.len())
            .finish_non_exhaustive()
    }
}
