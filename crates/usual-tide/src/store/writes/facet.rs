//! The store's writes as an app reads and answers them.

use super::merge::on_top_of;
use super::{
    RefusedWrite, Show, SubmitError, Submitted, Ticket, TicketError, Tickets, Write, WriteState,
    WriteStateFeed,
};
use crate::item::{Fields, Item};
use crate::list::ListId;
use crate::store::Store;
use std::fmt;
use std::fmt::{Debug, Display};
use std::sync::Arc;

/// The writes that wait for the source's answer or were refused, as [`Store::writes`] gives them: to be read.
pub struct Writes<'a, T: Item> {
    store: &'a Store<T>,
}

/// The same, to be tracked, answered and retried: [`Store::writes_mut`].
pub struct WritesMut<'a, T: Item> {
    store: &'a mut Store<T>,
}

impl<T: Item> Store<T> {
    /// The writes that wait for the source's answer or were refused. See [`WritesMut::track`] for an example.
    pub fn writes(&self) -> Writes<'_, T> {
        Writes { store: self }
    }

    /// The same, to track, answer and retry them. See [`WritesMut::track`] for an example.
    pub fn writes_mut(&mut self) -> WritesMut<'_, T> {
        WritesMut { store: self }
    }
}

impl<'a, T: Item> Writes<'a, T> {
    /// Whether edits get tickets: [`WritesMut::track`] was called. O(1).
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// let mut store = Store::<Piece>::new();
    /// assert!(!store.writes().is_tracking());
    /// store.writes_mut().track();
    /// assert!(store.writes().is_tracking());
    /// ```
    pub fn is_tracking(&self) -> bool {
        self.store.tickets.is_some()
    }

    /// The writes that wait for an answer, oldest first. Those of one item are to be sent in this order. See
    /// [`WritesMut::track`] for an example.
    pub fn pending(&self) -> impl Iterator<Item = &'a Arc<Write<T>>> + use<'a, T> {
        let tickets = self.store.tickets.iter();
        tickets.flat_map(|tickets| tickets.waiting())
    }

    /// The writes that were refused and neither retried nor dismissed, in the order of the answers. See
    /// [`WritesMut::track`] for an example.
    pub fn refused(&self) -> impl DoubleEndedIterator<Item = &'a RefusedWrite<T>> + use<'a, T> {
        let tickets = self.store.tickets.iter();
        tickets.flat_map(|tickets| tickets.refused.iter())
    }

    /// The write state of an item; saved where writes are not tracked. O(1). See [`WritesMut::track`]
    /// for an example.
    pub fn state(&self, key: &T::Key) -> WriteState {
        let states = self.store.write_states();
        states.map_or(WriteState::Saved, |states| states.of(key))
    }

    /// The key that the source has given an item which was added under another
    /// ([`confirm_as`](WritesMut::confirm_as)): for keys that the app has kept. `None` where no item was added under that key
    /// and given another, and where an item has that key again. The latest 32,768 are known. O(1).
    ///
    /// Drafts, held rows, pending removals, steps that can be undone and a [`Selection`](crate::Selection) follow the item by
    /// themselves. For a view it is another row: the one leaves, and the other arrives in its place.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id: u32, title: &str| Piece { id, title: title.into() };
    /// let mut store = Store::load([piece(1, "Bowl")])?;
    /// store.writes_mut().track();
    /// store.add(piece(900, "Mug"), Place::End)?;
    /// let draft = store.drafts_mut().begin(&900)?;
    ///
    /// let add = store.writes().pending().next().ok_or("one waits")?.ticket;
    /// store.writes_mut().confirm_as(add, piece(2, "Mug"))?;
    /// assert_eq!(store.writes().given_key(&900), Some(&2));
    /// assert_eq!(store.drafts().current(&draft).map(|piece| piece.id), Some(2));
    /// # Ok(()) }
    /// ```
    pub fn given_key(&self, added: &T::Key) -> Option<&'a T::Key> {
        let given = self.store.base.given_keys.now(added)?;
        (!self.store.contains(added)).then_some(given)
    }
}

impl<T: Item> WritesMut<'_, T> {
    /// From now on each edit that a person makes waits for the source's answer: every edit, batch, draft, undo
    /// and confirmed removal gets a [`Ticket`] for each item that it changes, and
    /// [`pending`](Writes::pending) lists what to send. What comes from the source
    /// ([`from_source`](Store::from_source), [`reload`](Store::reload)) is applied below the edits that wait.
    ///
    /// An item that the source changed in the meantime keeps those changes in the fields that the waiting edit
    /// did not touch. Nothing happens when writes are tracked already.
    ///
    /// ```
    /// use usual_tide::writes::WriteState;
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_title_and_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = Piece { id: 1, title: "Bowl".into(), fired: false };
    /// let mut store = Store::load([piece])?;
    /// store.writes_mut().track();
    /// store.edit(&1, |piece| piece.fired = true)?;
    /// store.edit(&1, |piece| piece.title = "Celadon bowl".into())?;
    /// assert_eq!(store.writes().state(&1), WriteState::Pending);
    ///
    /// // The source refuses the first; the second stays on top.
    /// let tickets: Vec<_> = store.writes().pending().map(|write| write.ticket).collect();
    /// store.writes_mut().refuse(tickets[0], "the kiln is off")?;
    /// let piece = store.get(&1).ok_or("it is there")?;
    /// assert_eq!((&*piece.title, piece.fired), ("Celadon bowl", false));
    ///
    /// store.writes_mut().confirm(tickets[1])?;
    /// assert_eq!(store.writes().state(&1), WriteState::Failed);
    /// assert_eq!(store.writes().refused().next().unwrap().reason, "the kiln is off");
    ///
    /// // The person has another try.
    /// store.writes_mut().retry(tickets[0])?;
    /// assert!(store.get(&1).is_some_and(|piece| piece.fired));
    /// # Ok(()) }
    /// ```
    pub fn track(&mut self)
    where
        T: Fields,
    {
        let tickets = &mut self.store.tickets;
        tickets.get_or_insert_with(|| Box::new(Tickets::new(on_top_of::<T>)));
    }

    /// A feed of the write states of a list's rows: it has the rows whose state changes from now on, so that a view can
    /// dim a row that waits, and show it plain when it is saved, though its item is the same.
    ///
    /// # Errors
    ///
    /// [`TicketError::NotTracked`], and [`TicketError::UnknownList`] when the list is not bound to this store.
    ///
    /// ```
    /// use usual_tide::writes::WriteState;
    /// use usual_tide::{Item, Query, Store};
    /// # use usual_tide_pieces::with_firing::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((0..3).map(|id| Piece { id, fired: false }))?;
    /// store.writes_mut().track();
    /// let list = store.bind(Query::new());
    /// let states = store.writes_mut().state_feed(list)?;
    /// store.edit(&1, |piece| piece.fired = true)?;
    /// let changed = states.read(&store)?;
    /// assert_eq!((changed[0].at, changed[0].state), (1, WriteState::Pending));
    /// # Ok(()) }
    /// ```
    pub fn state_feed(&mut self, list: ListId) -> Result<WriteStateFeed, TicketError> {
        self.store.state_feed(list)
    }

    /// Makes edits and gives their tickets. With [`Show::WhenConfirmed`] nothing shows until the source
    /// confirms: the closure sees its edits, and they are rolled back then.
    ///
    /// # Errors
    ///
    /// [`SubmitError::Edit`] with the closure's, [`SubmitError::Ticket`] inside a batch or when the store
    /// does not track writes.
    ///
    /// ```
    /// use usual_tide::writes::Show;
    /// use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1 }])?;
    /// store.writes_mut().track();
    /// let add = |store: &mut Store<Piece>| store.add(Piece { id: 2 }, Place::End);
    /// let submitted = store.writes_mut().submit(Show::WhenConfirmed, add)?;
    /// assert_eq!(store.len(), 1);
    /// store.writes_mut().confirm(submitted.tickets[0])?;
    /// assert_eq!(store.len(), 2);
    /// # Ok(()) }
    /// ```
    pub fn submit<R, E: Debug + Display>(
        &mut self,
        show: Show,
        edits: impl FnOnce(&mut Store<T>) -> Result<R, E>,
    ) -> Result<Submitted<R>, SubmitError<E>> {
        self.store.submit(show, edits)
    }

    /// The source has done what was asked, as it was asked. O(1) for the oldest; O(log n) a list and write of
    /// the item for an edit where none of those moves a row, and for an addition at the start or the end while none
    /// that waits removes or moves a row or adds one elsewhere; else O(p log n) in the writes that wait. See [`track`](Self::track) for an example.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn confirm(&mut self, ticket: Ticket) -> Result<(), TicketError> {
        self.store.confirm_with(ticket, None)
    }

    /// The source has done what was asked, and this is its version of the item: with a number or a time that
    /// it keeps, perhaps, or with a key that it has given to a new item. Later edits of the item stay on top,
    /// and follow it to its new key. O(log n) a list and write of the item for the oldest where the others of its
    /// item move no row, and as [`confirm`](Self::confirm) otherwise.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    ///
    /// ```
    /// use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id: u32, title: &str| Piece { id, title: title.into() };
    /// let mut store = Store::load([piece(1, "Bowl")])?;
    /// store.writes_mut().track();
    /// store.add(piece(900, "Mug"), Place::Start)?;
    /// store.edit(&900, |piece| piece.title = "Tall mug".into())?;
    ///
    /// let add = store.writes().pending().next().ok_or("one waits")?.ticket;
    /// store.writes_mut().confirm_as(add, piece(2, "Mug"))?;
    /// assert_eq!(store.at(0).unwrap().title, "Tall mug");
    /// assert_eq!(store.writes().pending().next().unwrap().key, 2);
    /// # Ok(()) }
    /// ```
    pub fn confirm_as(&mut self, ticket: Ticket, item: T) -> Result<(), TicketError> {
        self.store.confirm_with(ticket, Some(item))
    }

    /// The source has done what was asked under these tickets, and `edits` make of the items what it has now.
    /// They see the items as the source had them, as those of [`from_source`](Store::from_source) do. Meant for a
    /// source that sends its changes in order, the app's own among them.
    ///
    /// # Errors
    ///
    /// Those of the closure; everything is as it was then. [`TicketError`] in the outer result.
    ///
    /// ```
    /// use usual_tide::{EditError, Item, Place, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// store.writes_mut().track();
    /// store.move_to(&1, Place::End)?;
    /// let asked = store.writes().pending().next().ok_or("one waits")?.ticket;
    /// // The source has put it elsewhere, since somebody was faster.
    /// store.writes_mut().confirm_by(&[asked], |store| store.move_to(&1, Place::After(2)))??;
    /// let ids: Vec<u32> = store.items().map(|piece| piece.id).collect();
    /// assert_eq!(ids, [2, 1, 3]);
    /// # Ok(()) }
    /// ```
    pub fn confirm_by<R, E>(
        &mut self,
        tickets: &[Ticket],
        edits: impl FnOnce(&mut Store<T>) -> Result<R, E>,
    ) -> Result<Result<R, E>, TicketError> {
        self.store.confirm_by(tickets, edits)
    }

    /// The source has refused. That edit alone is rolled back: later ones, of the same item or others, stay.
    /// When it was the addition of an item that does not exist then, the edits of that item go with it. Gives
    /// the tickets of all that were rolled back. O(log n) a list and write of the item where
    /// [`confirm`](Self::confirm) would be, else O(p log n) in the writes that wait. See [`track`](Self::track) for an
    /// example.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn refuse(
        &mut self,
        ticket: Ticket,
        reason: impl Into<String>,
    ) -> Result<Vec<Ticket>, TicketError> {
        let reason = reason.into();
        self.store.refuse_as(ticket, reason, None)
    }

    /// The same, from a source that says what it has instead: `None` when it has no such item.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_shelf_number::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, shelf: 1 }])?;
    /// store.writes_mut().track();
    /// store.edit(&1, |piece| piece.shelf = 2)?;
    /// let ticket = store.writes().pending().next().ok_or("one waits")?.ticket;
    /// store.writes_mut().refuse_with(ticket, "shelf 2 is full", Some(Piece { id: 1, shelf: 3 }))?;
    /// assert_eq!(store.get(&1).map(|piece| piece.shelf), Some(3));
    /// # Ok(()) }
    /// ```
    pub fn refuse_with(
        &mut self,
        ticket: Ticket,
        reason: impl Into<String>,
        current: Option<T>,
    ) -> Result<Vec<Ticket>, TicketError> {
        self.store.refuse_with(ticket, reason.into(), current)
    }

    /// Asks again for what was refused, on top of what is there now, and gives its new ticket. See
    /// [`track`](Self::track) for an example.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn retry(&mut self, ticket: Ticket) -> Result<Ticket, TicketError> {
        self.store.retry(ticket)
    }

    /// Drops a refused write: the person has seen it. O(log n).
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    ///
    /// ```
    /// use usual_tide::writes::WriteState;
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_shelf_number::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, shelf: 1 }])?;
    /// store.writes_mut().track();
    /// store.edit(&1, |piece| piece.shelf = 2)?;
    /// let ticket = store.writes().pending().next().ok_or("one waits")?.ticket;
    /// store.writes_mut().refuse(ticket, "shelf 2 is full")?;
    /// assert_eq!(store.writes_mut().dismiss(ticket)?.reason, "shelf 2 is full");
    /// assert_eq!(store.writes().state(&1), WriteState::Saved);
    /// # Ok(()) }
    /// ```
    pub fn dismiss(&mut self, ticket: Ticket) -> Result<RefusedWrite<T>, TicketError> {
        self.store.dismiss(ticket)
    }

    /// Puts back a write that was made before: one from a queue that outlived the app, say. It gets a new
    /// ticket, and is no step that can be undone.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    ///
    /// ```
    /// use std::sync::Arc;
    /// use usual_tide::writes::{Show, Write};
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_shelf_number::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, shelf: 1 }])?;
    /// store.writes_mut().track();
    /// let version = |shelf| Some(Arc::new(Piece { id: 1, shelf }));
    /// store.writes_mut().restore(Write::new(1, version(1), version(2), None, Show::AtOnce))?;
    /// assert_eq!(store.get(&1).map(|piece| piece.shelf), Some(2));
    /// assert_eq!(store.writes().pending().count(), 1);
    /// # Ok(()) }
    /// ```
    pub fn restore(&mut self, write: Write<T>) -> Result<Ticket, TicketError> {
        self.store.restore(write)
    }

    /// The items as the source has them, as far as that is known: what is shown, without the pending writes,
    /// and without what an open batch has done. O(n) besides O(p log n) in those.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_shelf_number::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, shelf: 1 }])?;
    /// store.writes_mut().track();
    /// store.edit(&1, |piece| piece.shelf = 2)?;
    /// assert_eq!(store.writes_mut().saved_items()[0].shelf, 1);
    /// # Ok(()) }
    /// ```
    pub fn saved_items(&mut self) -> Vec<Arc<T>> {
        self.store.saved_items()
    }
}

impl<T: Item> fmt::Debug for Writes<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Writes")
            .field("pending", &self.pending().count())
            .field("refused", &self.refused().count())
            .finish()
    }
}

impl<T: Item> fmt::Debug for WritesMut<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.store.writes().fmt(f)
    }
}
