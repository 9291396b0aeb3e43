//! From an edit to what it asks of the source.

use super::state::WriteStates;
use super::write::{Neighbours, Show, Ticket, Write};
use super::{Layer, TicketError, Tickets};
use crate::item::Item;
use crate::order::Slot;
use crate::sorts::by_number;
use crate::store::Store;
use crate::store::history::ItemEdit;
use crate::store::journal::Origin;
use hashbrown::{HashMap, HashSet};
use std::fmt::{Debug, Display};
use std::sync::Arc;

/// What was submitted.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct Submitted<R> {
    /// What the closure gave.
    pub value: R,
    /// A ticket for each item that it changed.
    pub tickets: Vec<Ticket>,
}

/// Why edits were not submitted. Nothing was changed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SubmitError<E: Debug + Display> {
    /// An edit was refused by the store.
    #[error("{0}")]
    Edit(E),
    /// No ticket can be given.
    #[error(transparent)]
    Ticket(#[from] TicketError),
}

/// Why a trial batch ends, which only finds out what it would do.
enum Stopped<R, E, T: Item> {
    Done(R, Vec<Write<T>>),
    Failed(E),
}

impl<T: Item> Store<T> {
    pub(super) fn submit<R, E: Debug + Display>(
        &mut self,
        show: Show,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<Submitted<R>, SubmitError<E>> {
        let before = self.tracked()?.next;
        let value = match show {
            Show::AtOnce => self.batch(edits).map_err(SubmitError::Edit)?,
            Show::WhenConfirmed => {
                let (value, writes) = self.record_and_revert(edits).map_err(SubmitError::Edit)?;
                self.file(Layer {
                    edits: Vec::new(),
                    writes: writes.into_iter().map(Arc::new).collect(),
                });
                // A draft that was committed has ended, though nothing of it is shown yet.
                self.end_dropped_drafts();
                value
            }
        };
        let last = self.tracked()?.next;
        Ok(Submitted {
            value,
            tickets: (before + 1..=last).map(Ticket).collect(),
        })
    }

    /// Makes edits, takes note of them, and takes them back.
    fn record_and_revert<R, E>(
        &mut self,
        edits: impl FnOnce(&mut Self) -> Result<R, E>,
    ) -> Result<(R, Vec<Write<T>>), E> {
        let stopped = self.batch(|store| {
            let value = edits(store).map_err(Stopped::Failed)?;
            let plain = store.is_plain();
            let edits = store.item_edits(plain).unwrap_or_default();
            let mut writes = store.net_writes(&edits);
            for write in &mut writes {
                write.show = Show::WhenConfirmed;
            }
            Err::<std::convert::Infallible, _>(Stopped::Done(value, writes))
        });
        match stopped {
            Err(Stopped::Done(value, writes)) => Ok((value, writes)),
            Err(Stopped::Failed(why)) => Err(why),
            Ok(never) => match never {},
        }
    }

    /// Collects what the person's edit under way asks of the source.
    pub(in crate::store) fn collect_writes(&mut self) {
        if self.tickets.is_none() || self.journal.origin() == Origin::Source {
            return;
        }
        let plain = self.is_plain();
        let Some(mut edits) = self.item_edits(plain) else {
            return;
        };
        let writes = self.net_writes(&edits);
        // What was edited back has no write: the source may change it.
        let written: HashSet<T::Key> = writes.iter().map(|write| write.key.clone()).collect();
        edits.retain(|edit| {
            !matches!(edit, ItemEdit::Replaced { .. }) || written.contains(edit.key())
        });
        if let Some(tickets) = self.tickets.as_mut().filter(|_| !writes.is_empty()) {
            let writes = writes.into_iter().map(Arc::new).collect();
            tickets.asked = Some(Layer { edits, writes });
        }
    }

    /// Gives tickets for what the edit asks, which is final now.
    pub(in crate::store) fn queue_collected(&mut self) {
        let asked = self
            .tickets
            .as_mut()
            .and_then(|tickets| tickets.asked.take());
        if let Some(layer) = asked {
            self.file(layer);
        }
    }

    fn file(&mut self, layer: Layer<T>) {
        let Some(tickets) = &mut self.tickets else {
            return;
        };
        if layer.writes.is_empty() {
            return;
        }
        tracing::debug!(writes = layer.writes.len(), "asking the source");
        tickets.push(layer);
    }

    /// What edits come to, item by item, as the store is after them: first what has no new place,
    /// then the rest by their places, so that each is put next to one that has its place.
    fn net_writes(&self, edits: &[ItemEdit<T>]) -> Vec<Write<T>> {
        let mut nets: Vec<NetEdit<'_, T>> = Vec::new();
        let mut known: HashMap<&T::Key, usize> = HashMap::with_capacity(edits.len());
        for edit in edits {
            let at = *known.entry(edit.key()).or_insert_with(|| {
                nets.push(NetEdit::of(edit.key()));
                nets.len() - 1
            });
            nets[at].note(edit);
        }
        let written = nets.into_iter().filter_map(|net| self.net_write(net));
        let mut written: Vec<(Option<usize>, Write<T>)> = written.collect();
        by_number(&mut written, |(position, _)| {
            position.map_or(0, |at| at + 1)
        });
        written.into_iter().map(|(_, write)| write).collect()
    }

    fn net_write(&self, net: NetEdit<'_, T>) -> Option<(Option<usize>, Write<T>)> {
        let slot = self.item_slot(net.key);
        let after = slot.and_then(|slot| self.base.items.get(slot)).cloned();
        let before = match net.before {
            Some(before) => before.cloned(),
            None => after.clone(),
        };
        let same = match (&before, &after) {
            (None, None) => return None,
            (Some(before), Some(after)) => Arc::ptr_eq(before, after) || before == after,
            _ => false,
        };
        let placed = slot.filter(|_| net.moved || before.is_none());
        if same && placed.is_none() {
            return None;
        }
        let place = placed.map(|slot| self.neighbours(slot));
        let position = placed.and_then(|slot| self.base.source.position(slot));
        let write = Write {
            ticket: Ticket(0),
            key: net.key.clone(),
            before,
            after,
            place,
            show: Show::AtOnce,
            made_by: None,
        };
        Some((position, write))
    }

    /// What a row is between, blank rows of drafts left out.
    fn neighbours(&self, slot: Slot) -> Neighbours<T::Key> {
        let key = |slot: Slot| Some(self.base.items.get(slot)?.key().clone());
        let position = self.base.source.position(slot).unwrap_or(0);
        Neighbours {
            after: self.prior(slot).after.and_then(key),
            before: self.item_from(position + 1).and_then(key),
        }
    }

    pub(super) fn tracked(&self) -> Result<&Tickets<T>, TicketError> {
        if self.journal.is_open() {
            return Err(TicketError::InBatch);
        }
        self.tickets.as_deref().ok_or(TicketError::NotTracked)
    }

    /// The states of items, where writes are tracked.
    pub(super) fn write_states(&self) -> Option<&WriteStates<T::Key>> {
        Some(&self.tickets.as_ref()?.states)
    }
}

/// What happened to one item.
struct NetEdit<'a, T: Item> {
    key: &'a T::Key,
    /// The item before; not known yet, or there was none.
    before: Option<Option<&'a Arc<T>>>,
    moved: bool,
}

impl<'a, T: Item> NetEdit<'a, T> {
    fn of(key: &'a T::Key) -> Self {
        Self {
            key,
            before: None,
            moved: false,
        }
    }

    fn note(&mut self, edit: &'a ItemEdit<T>) {
        match edit {
            ItemEdit::Added { .. } => {
                self.before.get_or_insert(None);
                self.moved = true;
            }
            ItemEdit::Removed { item, .. } => {
                self.before.get_or_insert(Some(item));
                self.moved = true;
            }
            ItemEdit::Replaced { before, .. } => {
                self.before.get_or_insert(Some(before));
            }
            ItemEdit::Detached { .. } | ItemEdit::Attached { .. } => self.moved = true,
        }
    }
}
