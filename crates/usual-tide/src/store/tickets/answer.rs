//! The source's answers.

use super::Layer;
use super::below_writes::Waiting;
use super::write::{Show, Ticket, Write, WriteKind};
use crate::item::Item;
use crate::store::Store;
use crate::store::undo_log::Origin;
use std::convert::Infallible;
use std::fmt;
use std::sync::Arc;

/// A write that the source refused. It was taken back.
pub struct Refused<T: Item> {
    /// What was asked.
    pub write: Arc<Write<T>>,
    /// Why it was refused.
    pub reason: String,
}

/// Why an answer, or what is done with one, is not accepted. Nothing was changed.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum TicketError {
    /// No such edit waits for this, be it an answer or another try.
    #[error("nothing waits under {0}: it was answered already, or it is another store's")]
    Unknown(Ticket),
    /// The store gives no tickets.
    #[error("the store expects no answers: call expect_answers before the first edit")]
    NotExpecting,
    /// A batch is open.
    #[error("a batch is open: answers come before or after it")]
    InBatch,
}

impl<T: Item> Store<T> {
    /// The writes that wait for an answer, oldest first. Those of one item are to be sent in this order.
    pub fn unanswered(&self) -> impl Iterator<Item = &Arc<Write<T>>> {
        self.tickets.iter().flat_map(|tickets| tickets.waiting())
    }

    /// The latest ticket, as a number; 0 when there was none.
    pub(in crate::store) fn last_ticket(&self) -> u64 {
        self.tickets.as_ref().map_or(0, |tickets| tickets.next)
    }

    /// The writes that wait, of those that were given tickets after this one.
    pub(in crate::store) fn unanswered_since(&self, told: u64) -> Vec<Arc<Write<T>>> {
        let waiting = self
            .tickets
            .iter()
            .flat_map(|tickets| tickets.waiting().rev());
        let new = waiting.take_while(|write| write.ticket.0 > told);
        let mut writes: Vec<_> = new.cloned().collect();
        writes.reverse();
        writes
    }

    /// The writes that were refused and neither tried again nor dismissed, in the order of the answers.
    pub fn refused(&self) -> &[Refused<T>] {
        match &self.tickets {
            Some(tickets) => &tickets.refused,
            None => &[],
        }
    }

    /// The source has done what was asked, as it was asked. O(p) in the writes that wait, O(1) for the
    /// oldest.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn confirm_write(&mut self, ticket: Ticket) -> Result<(), TicketError> {
        self.confirm_with(ticket, None)
    }

    /// The source has done what was asked, and this is its version of the item: with a number or a time that
    /// it keeps, perhaps, or with a key that it has given to a new item. Later edits of the item stay on top,
    /// and follow it to its new key. O(p log n) a list in the writes that wait; O(log n) when it is the oldest
    /// and the only one of its item.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32, title: String }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |id: u32, title: &str| Piece { id, title: title.into() };
    /// let mut store = Store::load([piece(1, "Bowl")])?;
    /// store.expect_answers();
    /// store.add(piece(900, "Mug"), Place::Start)?;
    /// store.edit(&900, |piece| piece.title = "Tall mug".into())?;
    ///
    /// let add = store.unanswered().next().ok_or("one waits")?.ticket;
    /// store.confirm_write_as(add, piece(2, "Mug"))?;
    /// assert_eq!(store.at(0).unwrap().title, "Tall mug");
    /// assert_eq!(store.unanswered().next().unwrap().key, 2);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn confirm_write_as(&mut self, ticket: Ticket, item: T) -> Result<(), TicketError> {
        self.confirm_with(ticket, Some(item))
    }

    /// The source has done what was asked under these tickets, and `edits` make of the items what it has now.
    /// They see the items as the source had them, as those of [`from_source`](Self::from_source) do. Meant for a
    /// source that tells its changes in order, the own ones among them.
    ///
    /// ```
    /// use usual_tide::{EditError, Item, Place, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32 }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// store.expect_answers();
    /// store.move_to(&1, Place::End)?;
    /// let asked = store.unanswered().next().ok_or("one waits")?.ticket;
    /// // The source has put it elsewhere, since somebody was faster.
    /// store.confirm_writes_by(&[asked], |store| store.move_to(&1, Place::After(2)))??;
    /// let ids: Vec<u32> = store.items().map(|piece| piece.id).collect();
    /// assert_eq!(ids, [2, 1, 3]);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// Those of the closure; everything is as it was then. [`TicketError`] in the outer result.
    pub fn confirm_writes_by<R, E>(
        &mut self,
        tickets: &[Ticket],
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<Result<R, E>, TicketError> {
        let writes: Vec<Arc<Write<T>>> = tickets
            .iter()
            .map(|ticket| Ok(self.find(*ticket)?.1))
            .collect::<Result<_, TicketError>>()?;
        let done = self.below_writes(|store, waiting| {
            waiting.retain(|other| !tickets.contains(&other.ticket));
            edits(store)
        });
        if done.is_ok() {
            writes.iter().for_each(|write| self.count(write, 0));
            for write in &writes {
                self.update_added(write, &write.key);
            }
        }
        Ok(done)
    }

    /// The source has refused. That edit alone is taken back: later ones, of the same item or others, stay.
    /// When it was the addition of an item that does not exist then, the edits of that item go with it. Gives
    /// all that were taken back. O(p log n) a list in the writes that wait.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn refuse_write(
        &mut self,
        ticket: Ticket,
        reason: impl Into<String>,
    ) -> Result<Vec<Ticket>, TicketError> {
        self.refuse_and_correct(ticket, reason.into(), |_| {})
    }

    /// The same, from a source that says what it has instead: `None` when it has no such item.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn refuse_write_with(
        &mut self,
        ticket: Ticket,
        reason: impl Into<String>,
        current: Option<T>,
    ) -> Result<Vec<Ticket>, TicketError> {
        let key = self.find(ticket)?.1.key.clone();
        self.refuse_and_correct(ticket, reason.into(), |store| {
            let slot = store.slot(&key);
            match (current, slot) {
                (Some(item), _) => store.set_source_version(item, None),
                (None, Some(slot)) => store.remove_row(slot),
                (None, None) => {}
            }
        })
    }

    /// Asks again for what was refused, on top of what is there now, and gives its new ticket.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn try_again(&mut self, ticket: Ticket) -> Result<Ticket, TicketError> {
        let refused = self.dismissible(ticket)?;
        let write = Write::clone(&self.refused()[refused].write);
        let ticket = self.submit_write(write)?;
        if let Some(tickets) = &mut self.tickets {
            let refused = tickets.refused.remove(refused);
            tickets.count(&refused.write.key, 0, -1);
        }
        Ok(ticket)
    }

    /// Forgets what was refused: the person has seen it.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn dismiss(&mut self, ticket: Ticket) -> Result<Refused<T>, TicketError> {
        let refused = self.dismissible(ticket)?;
        let tickets = self.tickets.as_mut().ok_or(TicketError::NotExpecting)?;
        let refused = tickets.refused.remove(refused);
        tickets.count(&refused.write.key, 0, -1);
        Ok(refused)
    }

    /// Submits a write that was made before: one from a queue that outlived the app, say. It gets a new ticket,
    /// and is no step that can be undone.
    ///
    /// # Errors
    ///
    /// [`TicketError`].
    pub fn submit_write(&mut self, write: Write<T>) -> Result<Ticket, TicketError> {
        self.expecting()?;
        let apply_write = |store: &mut Self| Ok::<_, Infallible>(store.apply_write(&write));
        let Ok(edits) = self.batch_as(Origin::Source, None, apply_write);
        let tickets = self.tickets.as_mut().ok_or(TicketError::NotExpecting)?;
        Ok(tickets.push(Layer {
            edits,
            writes: vec![Arc::new(write)],
        }))
    }

    /// The items as the source has them, as far as it has told: what is shown, without the writes that wait,
    /// and without what an open batch has done. O(n) besides O(p log n) in those.
    pub fn saved_items(&mut self) -> Vec<Arc<T>> {
        let saved = self.batch_as(Origin::Source, None, |store| {
            store.withdraw_unsaved();
            let blanks = &store.special.blanks;
            let rows = store.source.rows().filter(|slot| !blanks.contains(slot));
            let items = rows.filter_map(|slot| store.items.get(slot).cloned());
            Err::<Infallible, Vec<Arc<T>>>(items.collect())
        });
        let Err(items) = saved;
        items
    }

    fn confirm_with(&mut self, ticket: Ticket, item: Option<T>) -> Result<(), TicketError> {
        let (oldest, write) = self.find(ticket)?;
        self.end_dropped_drafts();
        let key = item.as_ref().map_or(&write.key, Item::key).clone();
        let is_same = key == write.key;
        let tickets = self.expecting()?;
        let renaming = (!is_same).then(|| tickets.renaming(ticket, &write.key, &key));
        if !(oldest && is_same && self.confirm_oldest(&write, item.as_ref())) {
            let Ok(()) = self.below_writes(|store, waiting| {
                waiting.retain(|other| other.ticket != ticket);
                store.apply_confirmed(&write, item);
                if let Some(renaming) = &renaming {
                    waiting.iter_mut().for_each(|write| renaming.apply(write));
                }
                Ok::<(), Infallible>(())
            });
        }
        self.count(&write, 0);
        if let (Some(tickets), Some(renaming)) = (&mut self.tickets, &renaming) {
            tickets.rename_refused(renaming);
        }
        self.update_added(&write, &key);
        tracing::debug!(%ticket, ?key, "confirmed");
        Ok(())
    }

    /// The write is the lowest layer: what it made is the base now, and only its item can differ. `false` when
    /// that does not suffice.
    fn confirm_oldest(&mut self, write: &Write<T>, item: Option<&T>) -> bool {
        if let Some(item) = item {
            if write.after.is_none() || self.waiting_of(&write.key) > 1 {
                return false;
            }
            let Ok(()) = self.batch_as(Origin::Source, None, |store| {
                let slot = store.slot(&write.key);
                let now = slot.and_then(|slot| Some((slot, store.items.get(slot)?)));
                if let Some((slot, _)) = now.filter(|(_, now)| ***now != *item) {
                    store.swap_item(slot, Arc::new(item.clone()));
                }
                Ok::<(), Infallible>(())
            });
        }
        if let Some(tickets) = &mut self.tickets {
            tickets.layers.pop_front();
        }
        true
    }

    /// Makes a confirmed write's edit underneath.
    fn apply_confirmed(&mut self, write: &Write<T>, item: Option<T>) {
        match (write.kind(), item) {
            (WriteKind::Add, Some(item)) => self.set_source_version(item, Some(write)),
            (WriteKind::Edit, Some(item)) if self.contains(&write.key) => {
                self.set_source_version(item, Some(write));
            }
            (WriteKind::Edit, Some(_)) => {}
            (WriteKind::Add | WriteKind::Edit, None) | (WriteKind::Remove, _) => {
                self.apply_write_edit(write);
            }
        }
    }

    /// Puts the source's version of an item in its place, or at a write's place when it has none.
    fn set_source_version(&mut self, item: T, write: Option<&Write<T>>) {
        let item = Arc::new(item);
        let place = write.and_then(|write| write.place.as_ref());
        match self.slot(item.key()) {
            Some(slot) => {
                self.set_version(slot, item);
                let edits = |write: &&Write<T>| write.kind() == WriteKind::Edit;
                if write.filter(edits).is_some() {
                    self.move_between(slot, place);
                }
            }
            None => {
                let at = place.and_then(|place| self.between(place, None));
                self.insert_if_room(item, at.unwrap_or(self.len()));
            }
        }
    }

    fn refuse_and_correct(
        &mut self,
        ticket: Ticket,
        reason: String,
        correct: impl FnOnce(&mut Self),
    ) -> Result<Vec<Ticket>, TicketError> {
        let write = self.find(ticket)?.1;
        self.end_dropped_drafts();
        let Ok(refused) = self.below_writes(|store, waiting| {
            correct(store);
            let baseless = write.kind() == WriteKind::Add && !store.contains(&write.key);
            let goes = |other: &Arc<Write<T>>| {
                other.ticket == ticket || (baseless && other.key == write.key)
            };
            let refused: Waiting<T> = waiting
                .iter()
                .filter(|other| goes(other))
                .cloned()
                .collect();
            waiting.retain(|other| !goes(other));
            Ok::<_, Infallible>(refused)
        });
        tracing::debug!(%ticket, key = ?write.key, reason, "refused");
        let mut given = Vec::with_capacity(refused.len());
        for write in refused {
            given.push(write.ticket);
            self.count(&write, 1);
            if let Some(tickets) = &mut self.tickets {
                let reason = match write.ticket == ticket {
                    true => reason.clone(),
                    false => format!("the item was not added: {reason}"),
                };
                tickets.refused.push(Refused { write, reason });
            }
        }
        Ok(given)
    }

    /// Notes that a write waits no more, and was refused or not.
    fn count(&mut self, write: &Write<T>, refused: isize) {
        if let Some(tickets) = &mut self.tickets {
            tickets.count(&write.key, -1, refused);
        }
    }

    /// Steps that can be undone know an added item by the version that the source has made of it.
    fn update_added(&mut self, write: &Write<T>, key: &T::Key) {
        if write.kind() != WriteKind::Add || write.show == Show::WhenConfirmed {
            return;
        }
        let still_waits = self.waiting_of(key) > 0;
        let now = self.get(key).cloned();
        if let (Some(added), Some(now), false) = (&write.after, now, still_waits)
            && !Arc::ptr_eq(added, &now)
        {
            self.history.update_added(added, &now);
        }
    }

    fn waiting_of(&self, key: &T::Key) -> usize {
        self.tickets
            .as_ref()
            .map_or(0, |tickets| tickets.marks.waiting(key))
    }

    /// The write that waits under a ticket, and whether it is the lowest layer by itself and shown.
    fn find(&self, ticket: Ticket) -> Result<(bool, Arc<Write<T>>), TicketError> {
        let tickets = self.expecting()?;
        let mut waiting = tickets.waiting();
        let found = waiting.find(|write| write.ticket == ticket);
        let write = found.ok_or(TicketError::Unknown(ticket))?;
        let alone = |layer: &Layer<T>| {
            layer.writes.len() == 1
                && layer.writes[0].ticket == ticket
                && write.show == Show::AtOnce
        };
        Ok((tickets.layers.front().is_some_and(alone), Arc::clone(write)))
    }

    fn dismissible(&self, ticket: Ticket) -> Result<usize, TicketError> {
        let mut refused = self.expecting()?.refused.iter();
        let found = refused.position(|refused| refused.write.ticket == ticket);
        found.ok_or(TicketError::Unknown(ticket))
    }
}

impl<T: Item> Clone for Refused<T> {
    fn clone(&self) -> Self {
        Self {
            write: Arc::clone(&self.write),
            reason: self.reason.clone(),
        }
    }
}

impl<T: Item> fmt::Debug for Refused<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Refused")
            .field("write", &self.write)
            .field("reason", &self.reason)
            .finish()
    }
}
