//! The source's answers.

use super::Layer;
use super::RefusedWrite;
use super::below_writes::Waiting;
use super::write::{Renaming, Show, Ticket, Write, WriteKind};
use crate::item::Item;
use crate::list::UnknownList;
use crate::order::Slot;
use crate::store::Store;
use crate::store::history::ItemEdit;
use crate::store::journal::Origin;
use hashbrown::HashSet;
use std::convert::Infallible;
use std::sync::Arc;

/// Why an answer, or what is done with one, is not accepted. Nothing was changed.
#[derive(Clone, Copy, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum TicketError {
    /// No write has this ticket and waits for an answer, or to be retried or dismissed.
    #[error("no write waits under {0}: it was answered already, or it is another store's")]
    Unknown(Ticket),
    /// The store does not track writes, and so it gives no tickets.
    #[error(
        "the store does not track writes: call store.writes_mut().track() before the first edit"
    )]
    NotTracked,
    /// A batch is open.
    #[error("a batch is open: answers come before or after it")]
    InBatch,
    /// The source's version has another key than the item that was edited or removed.
    #[error(
        "the answer to {0} has another key than the item: only an item that is added can be given one"
    )]
    OtherKey(Ticket),
    /// The list is not bound to this store.
    #[error(transparent)]
    UnknownList(#[from] UnknownList),
}

impl<T: Item> Store<T> {
    /// The latest ticket, as a number; 0 when there was none.
    pub(in crate::store) fn last_ticket(&self) -> u64 {
        self.tickets.as_ref().map_or(0, |tickets| tickets.next)
    }

    /// The writes that wait, of those that were given tickets after this one.
    pub(in crate::store) fn pending_since(&self, told: u64) -> Vec<Arc<Write<T>>> {
        let waiting = self
            .tickets
            .iter()
            .flat_map(|tickets| tickets.waiting().rev());
        let new = waiting.take_while(|write| write.ticket.0 > told);
        let mut writes: Vec<_> = new.cloned().collect();
        writes.reverse();
        writes
    }

    pub(super) fn confirm_by<R, E>(
        &mut self,
        tickets: &[Ticket],
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<Result<R, E>, TicketError> {
        // A ticket that is named twice counts once.
        let mut answered = HashSet::with_capacity(tickets.len());
        let tickets = tickets.iter().filter(|ticket| answered.insert(**ticket));
        let writes = tickets.map(|ticket| self.find(*ticket));
        let writes: Vec<Arc<Write<T>>> = writes.collect::<Result<_, TicketError>>()?;
        let done = self.below_writes(None, |store, waiting| {
            waiting.retain(|other| !answered.contains(&other.ticket));
            edits(store)
        });
        if done.is_ok() {
            writes.iter().for_each(|write| self.end_waiting(write, 0));
            for write in &writes {
                self.update_added(write, &write.key, None);
            }
        }
        Ok(done)
    }

    pub(super) fn refuse_with(
        &mut self,
        ticket: Ticket,
        reason: String,
        current: Option<T>,
    ) -> Result<Vec<Ticket>, TicketError> {
        self.refuse_as(ticket, reason, Some(current))
    }

    pub(super) fn retry(&mut self, ticket: Ticket) -> Result<Ticket, TicketError> {
        let refused = self.tracked()?.refused.get(ticket);
        let refused = refused.ok_or(TicketError::Unknown(ticket))?;
        let write = Write::clone(&refused.write);
        let given = self.restore(write)?;
        self.dismiss(ticket)?;
        Ok(given)
    }

    pub(super) fn dismiss(&mut self, ticket: Ticket) -> Result<RefusedWrite<T>, TicketError> {
        self.tracked()?;
        let tickets = self.tickets.as_mut().ok_or(TicketError::NotTracked)?;
        let refused = tickets.refused.remove(ticket);
        let refused = refused.ok_or(TicketError::Unknown(ticket))?;
        tickets.end_refused(&refused.write.key);
        Ok(refused)
    }

    pub(super) fn restore(&mut self, write: Write<T>) -> Result<Ticket, TicketError> {
        self.tracked()?;
        let apply = |store: &mut Self| Ok::<_, Infallible>(store.apply_write(&write));
        let Ok(edits) = self.batch_as(Origin::Source, None, apply);
        let tickets = self.tickets.as_mut().ok_or(TicketError::NotTracked)?;
        Ok(tickets.push(Layer {
            edits,
            writes: vec![Arc::new(write)],
        }))
    }

    pub(super) fn saved_items(&mut self) -> Vec<Arc<T>> {
        let saved = self.batch_as(Origin::Source, None, |store| {
            store.withdraw_unsaved();
            let blanks = &store.special.blanks;
            let rows = store
                .base
                .source
                .rows()
                .filter(|slot| !blanks.contains(*slot));
            let items = rows.filter_map(|slot| store.base.items.get(slot).cloned());
            Err::<Infallible, Vec<Arc<T>>>(items.collect())
        });
        let Err(items) = saved;
        items
    }

    pub(super) fn confirm_with(
        &mut self,
        ticket: Ticket,
        item: Option<T>,
    ) -> Result<(), TicketError> {
        let write = self.find(ticket)?;
        let key = item.as_ref().map_or(&write.key, Item::key).clone();
        let is_same = key == write.key;
        if !is_same && write.kind() != WriteKind::Add {
            return Err(TicketError::OtherKey(ticket));
        }
        self.end_dropped_drafts();
        let tickets = self.tracked()?;
        let renaming = (!is_same).then(|| tickets.renaming(ticket, &write.key, &key));
        let is_its_item = |renaming: &Renaming<T::Key>| renaming.until.is_none();
        let is_renamed = renaming.as_ref().is_some_and(is_its_item);
        let row = is_renamed.then(|| self.row_shown_for(&write)).flatten();
        // What the source has is not what is shown where other writes of the item wait.
        let is_below = item.as_ref().filter(|_| self.waiting_of(&write.key) > 1);
        let version_below = is_below.map(|item| Arc::new(item.clone()));
        let version = item.as_ref();
        let is_done = is_same
            && (self.confirm_oldest(&write, version) || self.confirm_in_place(&write, version));
        if !is_done && !self.confirm_added(&write, version, renaming.as_ref()) {
            let Ok(()) = self.below_writes(Some(&key), |store, waiting| {
                waiting.retain(|other| other.ticket != ticket);
                store.apply_confirmed(&write, item);
                if let Some((row, now)) = row.zip(store.slot(&key)) {
                    store.hand_over(row, now);
                }
                if let Some(renaming) = &renaming {
                    waiting.iter_mut().for_each(|write| renaming.apply(write));
                }
                Ok::<(), Infallible>(())
            });
        }
        self.end_waiting(&write, 0);
        if let (Some(tickets), Some(renaming)) = (&mut self.tickets, &renaming) {
            tickets.rename_refused(renaming);
        }
        // Whoever has the first key by now is another.
        if is_renamed && !self.contains(&write.key) {
            self.base.note_given_key(&write.key, &key);
        }
        self.update_added(&write, &key, version_below);
        tracing::debug!(%ticket, ?key, "confirmed");
        Ok(())
    }

    /// Confirms a write that is the lowest layer by itself and shown: what it made is the base now, and only its
    /// item can differ. `false` when that does not suffice.
    fn confirm_oldest(&mut self, write: &Write<T>, item: Option<&T>) -> bool {
        let lowest = self.tickets.as_ref().and_then(|tickets| {
            let (_, layer) = tickets.layers.first_key_value()?;
            let [lowest] = layer.writes.as_slice() else {
                return None;
            };
            Some(lowest.ticket)
        });
        if lowest != Some(write.ticket) || write.show == Show::WhenConfirmed {
            return false;
        }
        if let Some(item) = item {
            if write.after.is_none() {
                return false;
            }
            if self.waiting_of(&write.key) > 1 {
                // Others were made on top of what it left.
                return self.confirm_oldest_as_left(write, item);
            }
            let Ok(()) = self.batch_as(Origin::Source, None, |store| {
                let slot = store.item_slot(&write.key);
                let now = slot.and_then(|slot| Some((slot, store.base.items.get(slot)?)));
                if let Some((slot, _)) = now.filter(|(_, now)| ***now != *item) {
                    store.swap_item(slot, Arc::new(item.clone()));
                }
                Ok::<(), Infallible>(())
            });
        }
        if let Some(tickets) = &mut self.tickets {
            tickets.layers.pop_first();
        }
        true
    }

    /// Confirms the oldest write where the source has made of its item just what the write did.
    fn confirm_oldest_as_left(&mut self, write: &Write<T>, item: &T) -> bool {
        let Some(tickets) = &mut self.tickets else {
            return false;
        };
        let layer = tickets.layers.get(&write.ticket);
        let mut edits = layer.into_iter().flat_map(|layer| &layer.edits).rev();
        let left = edits.find_map(|edit| match edit {
            ItemEdit::Added { item } => Some(item),
            ItemEdit::Replaced { after, .. } => Some(after),
            _ => None,
        });
        let is_same = left.is_some_and(|left| **left == *item);
        if is_same {
            tickets.layers.remove(&write.ticket);
        }
        is_same
    }

    /// Makes a confirmed write's edit underneath.
    fn apply_confirmed(&mut self, write: &Write<T>, item: Option<T>) {
        match (write.kind(), item) {
            (WriteKind::Add, Some(item)) => self.set_source_version(item, Some(write)),
            (WriteKind::Edit, Some(item)) if self.item_slot(&write.key).is_some() => {
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

    /// Refuses a write; `current` is what the source says that it has instead, if it says so.
    pub(super) fn refuse_as(
        &mut self,
        ticket: Ticket,
        reason: String,
        current: Option<Option<T>>,
    ) -> Result<Vec<Ticket>, TicketError> {
        let write = self.find(ticket)?;
        self.end_dropped_drafts();
        let refused = match &current {
            Some(Some(_)) => None,
            _ => self.refuse_at_ends(&write),
        };
        let refused = match refused {
            Some(refused) => refused,
            None if self.refuse_in_place(&write, current.as_ref()) => vec![Arc::clone(&write)],
            None => self.refuse_below(&write, current),
        };
        tracing::debug!(%ticket, key = ?write.key, reason, "refused");
        let mut given = Vec::with_capacity(refused.len());
        for write in refused {
            given.push(write.ticket);
            self.end_waiting(&write, 1);
            if let Some(tickets) = &mut self.tickets {
                let reason = match write.ticket == ticket {
                    true => reason.clone(),
                    false => format!("the item was not added: {reason}"),
                };
                tickets.refused.push(RefusedWrite { write, reason });
            }
        }
        Ok(given)
    }

    /// Refuses a write underneath those that wait; gives the writes that go.
    fn refuse_below(&mut self, write: &Arc<Write<T>>, current: Option<Option<T>>) -> Waiting<T> {
        let Ok(refused) = self.below_writes(None, |store, waiting| {
            match (current, store.item_slot(&write.key)) {
                (Some(Some(item)), _) => store.set_source_version(item, None),
                (Some(None), Some(slot)) => store.remove_row(slot),
                (Some(None), None) | (None, _) => {}
            }
            let is_there = store.item_slot(&write.key).is_some();
            let baseless = write.kind() == WriteKind::Add && !is_there;
            let goes = |other: &Arc<Write<T>>| {
                other.ticket == write.ticket || (baseless && other.key == write.key)
            };
            let refused = waiting.iter().filter(|other| goes(other)).cloned();
            let refused: Waiting<T> = refused.collect();
            waiting.retain(|other| !goes(other));
            Ok::<_, Infallible>(refused)
        });
        refused
    }

    fn end_waiting(&mut self, write: &Write<T>, refused: isize) {
        if let Some(tickets) = &mut self.tickets {
            tickets.end_waiting(write, refused);
        }
    }

    /// Steps that can be undone know an added item by the version that the source has made of it: the one that is shown, or
    /// the one below, where other writes of the item wait.
    fn update_added(&mut self, write: &Write<T>, key: &T::Key, below: Option<Arc<T>>) {
        if write.kind() != WriteKind::Add || write.show == Show::WhenConfirmed {
            return;
        }
        let version = match self.waiting_of(key) > 0 {
            true => below,
            false => self.get(key).cloned(),
        };
        if let (Some(added), Some(version)) = (&write.after, version)
            && !Arc::ptr_eq(added, &version)
        {
            self.history.update_added(added, &version);
        }
    }

    /// The row that shows what a write has added.
    fn row_shown_for(&self, write: &Write<T>) -> Option<Slot> {
        let layers = &self.tickets.as_ref()?.layers;
        let (_, layer) = layers.range(..=write.ticket).next_back()?;
        let is_its =
            |edit: &ItemEdit<T>| matches!(edit, ItemEdit::Added { .. }) && *edit.key() == write.key;
        let is_added = layer.edits.iter().any(is_its);
        self.item_slot(&write.key).filter(|_| is_added)
    }

    pub(super) fn waiting_of(&self, key: &T::Key) -> usize {
        self.tickets
            .as_ref()
            .map_or(0, |tickets| tickets.states.waiting(key))
    }

    /// The write that waits under a ticket.
    fn find(&self, ticket: Ticket) -> Result<Arc<Write<T>>, TicketError> {
        let found = self.tracked()?.find(ticket);
        found.cloned().ok_or(TicketError::Unknown(ticket))
    }
}
