//! What is asked of the source.

use crate::item::Item;
use crate::store::Place;
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
    /// Where the item is afterwards, when it is new or was moved.
    pub place: Option<Neighbours<T::Key>>,
    /// When it shows.
    pub show: Show,
    /// The addition that made the item, where the store has asked for it: items that have the same key one after
    /// another are told apart by it.
    pub(super) made_by: Option<Ticket>,
}

/// What an item is between in source order.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub struct Neighbours<K> {
    /// The item before it; none at the start.
    pub after: Option<K>,
    /// The item after it; none at the end.
    pub before: Option<K>,
}

impl<K: Clone> Neighbours<K> {
    /// The place that is meant, where other items may have come or gone since: what was at an end stays at that
    /// end, anything else goes after the item that it was after, or else before the one that it was before.
    /// `None` when neither is there. Everything that puts an item between neighbours goes by this.
    ///
    /// ```
    /// use usual_tide::Place;
    /// use usual_tide::writes::Neighbours;
    ///
    /// let between = Neighbours { after: Some(1), before: Some(2) };
    /// assert_eq!(between.place(|key| *key == 2), Some(Place::Before(2)));
    /// assert_eq!(between.place(|_| false), None);
    /// let last = Neighbours { after: Some(1), before: None };
    /// assert_eq!(last.place(|_| true), Some(Place::End));
    /// ```
    pub fn place(&self, is_there: impl Fn(&K) -> bool) -> Option<Place<K>> {
        match (&self.after, &self.before) {
            (_, None) => Some(Place::End),
            (None, _) => Some(Place::Start),
            (Some(after), _) if is_there(after) => Some(Place::After(after.clone())),
            (_, Some(before)) if is_there(before) => Some(Place::Before(before.clone())),
            _ => None,
        }
    }
}

impl<T: Item> Write<T> {
    /// A write that was made before, to be submitted again
    /// ([`WritesMut::restore`](super::WritesMut::restore)), which gives it a ticket.
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
            made_by: None,
        }
    }

    /// The same write, with items of another type: for a source that knows them in another form.
    ///
    /// ```
    /// use std::sync::Arc;
    /// use usual_tide::Item;
    /// use usual_tide::writes::{Show, Write};
    ///
    /// #[derive(Clone, PartialEq, Item)]
    /// struct Piece { #[item(key)] id: u32, title: String }
    ///
    /// #[derive(Clone, PartialEq, Item)]
    /// struct Row { #[item(key)] id: String, text: String }
    ///
    /// let piece = Piece { id: 7, title: "Bowl".into() };
    /// let write = Write::new(7, None, Some(Arc::new(piece)), None, Show::AtOnce);
    /// let row = Row { id: "7".into(), text: "Bowl".into() };
    /// let same = write.with_items("7".to_owned(), None, Some(Arc::new(row)), None);
    /// assert_eq!((same.number(), same.kind()), (write.number(), write.kind()));
    /// ```
    pub fn with_items<U: Item>(
        &self,
        key: U::Key,
        before: Option<Arc<U>>,
        after: Option<Arc<U>>,
        place: Option<Neighbours<U::Key>>,
    ) -> Write<U> {
        Write {
            ticket: self.ticket,
            key,
            before,
            after,
            place,
            show: self.show,
            made_by: self.made_by,
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
}

/// The source has given an added item another key.
pub(super) struct Renaming<K> {
    /// The addition.
    pub(super) by: Ticket,
    /// The next addition of an item with the first key: from there on the key means that one.
    pub(super) until: Option<Ticket>,
    pub(super) from: K,
    pub(super) to: K,
}

impl<K: Clone + PartialEq> Renaming<K> {
    /// Gives a later write of the item its new key, and one that names it as a neighbour.
    pub(super) fn apply<T: Item<Key = K>>(&self, write: &mut Arc<Write<T>>) {
        if write.ticket <= self.by {
            return;
        }
        let is_its = write.key == self.from && write.made_by == Some(self.by);
        let names_it = write.place.as_ref().is_some_and(|place| {
            let from = Some(&self.from);
            place.after.as_ref() == from || place.before.as_ref() == from
        });
        let means_it = names_it && self.until.is_none_or(|until| write.ticket < until);
        let renamed = |key: &K| match *key == self.from {
            true => self.to.clone(),
            false => key.clone(),
        };
        if is_its {
            Arc::make_mut(write).key = self.to.clone();
        }
        if means_it && let Some(place) = write.place.as_ref() {
            let place = Neighbours {
                after: place.after.as_ref().map(renamed),
                before: place.before.as_ref().map(renamed),
            };
            Arc::make_mut(write).place = Some(place);
        }
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
            made_by: self.made_by,
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
