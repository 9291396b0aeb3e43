//! What is asked of the source.

use crate::item::Item;
use std::fmt;
use std::sync::Arc;

/// Names an edit that the source has not answered yet.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct Ticket(pub(super) u64);

impl fmt::Display for Ticket {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ticket {}", self.0)
    }
}

/// When an edit shows.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Default, Debug)]
pub enum Show {
    /// At once; it is taken back when the source refuses.
    #[default]
    AtOnce,
    /// When the source has confirmed it.
    WhenConfirmed,
}

/// What a write does.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum WriteKind {
    /// A new item.
    Add,
    /// An item is edited, moved, or both.
    Edit,
    /// An item goes.
    Remove,
}

/// One item as an edit found and left it: what is asked of the source.
pub struct Write<T: Item> {
    /// The name under which the answer is awaited.
    pub ticket: Ticket,
    /// The item's key. When the source has given an added item another key, writes that were made
    /// before that have it here, and the old one in `before` and `after`.
    pub key: T::Key,
    /// The item before; none when it is new.
    pub before: Option<Arc<T>>,
    /// The item afterwards; none when it goes.
    pub after: Option<Arc<T>>,
    /// Where the item stands afterwards, when it is new or was moved.
    pub place: Option<Neighbours<T::Key>>,
    /// When it shows.
    pub show: Show,
}

/// What an item stands between in source order.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct Neighbours<K> {
    /// The item before it; none at the start.
    pub after: Option<K>,
    /// The item behind it; none at the end.
    pub before: Option<K>,
}

impl<T: Item> Write<T> {
    /// A write that was made before, to be submitted again
    /// ([`Store::submit_write`](crate::Store::submit_write)), which gives it a ticket.
    pub fn new(
        key: T::Key,
        before: Option<Arc<T>>,
        after: Option<Arc<T>>,
        place: Option<Neighbours<T::Key>>,
        show: Show,
    ) -> Self {
        Self {
            ticket: Ticket(0),
            key,
            before,
            after,
            place,
            show,
        }
    }

    /// The ticket as a number, which no other write of this store has.
    pub fn number(&self) -> u64 {
        self.ticket.0
    }

    /// What the write does.
    pub fn kind(&self) -> WriteKind {
        match (&self.before, &self.after) {
            (None, _) => WriteKind::Add,
            (Some(_), Some(_)) => WriteKind::Edit,
            (Some(_), None) => WriteKind::Remove,
        }
    }

    /// The same write where an item has another key by now.
    pub(super) fn renamed(&self, from: &T::Key, to: &T::Key) -> Self {
        let renamed = |key: &T::Key| if key == from { to.clone() } else { key.clone() };
        let mut write = self.clone();
        write.key = renamed(&self.key);
        if let Some(place) = &mut write.place {
            place.after = place.after.as_ref().map(renamed);
            place.before = place.before.as_ref().map(renamed);
        }
        write
    }
}

impl<T: Item> Clone for Write<T> {
    fn clone(&self) -> Self {
        Self {
            ticket: self.ticket,
            key: self.key.clone(),
            before: self.before.clone(),
            after: self.after.clone(),
            place: self.place.clone(),
            show: self.show,
        }
    }
}

impl<T: Item> fmt::Debug for Write<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Write")
            .field("ticket", &self.ticket)
            .field("kind", &self.kind())
            .field("key", &self.key)
            .field("place", &self.place)
            .field("show", &self.show)
            .finish_non_exhaustive()
    }
}
