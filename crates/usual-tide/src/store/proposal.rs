//! Removals that show at once and wait for the person to confirm them.

use super::Store;
use super::error::EditError;
use super::journal::Step;
use super::special_rows::SpecialRows;
use crate::item::Item;
use crate::order::Slot;
use std::fmt::Debug;
use std::sync::Arc;
use std::time::Duration;

/// Names one proposal of one store.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug)]
pub struct ProposalId {
    store: u64,
    number: u64,
}

/// A removal that shows as already done and waits to be confirmed or cancelled.
///
/// The items are still in the store, and the source is not told: no list shows them, that is all. So they
/// are edited, moved and reloaded like others meanwhile, and come back exactly where they belong then.
#[derive(Clone, Debug)]
pub struct Proposal<K> {
    /// The rows in source order; without a slot where the item is gone.
    rows: Arc<Vec<(K, Option<Slot>)>>,
    due: Option<Duration>,
}

/// What became of the items of a proposal.
#[derive(Clone, PartialEq, Eq, Debug)]
pub struct Settled<T: Item> {
    /// The proposal.
    pub proposal: ProposalId,
    /// The items removed, or shown again, in source order.
    pub items: Vec<Arc<T>>,
    /// Keys of items that were gone already: the source removed them meanwhile.
    pub gone: Vec<T::Key>,
}

/// Why a removal cannot be proposed or settled. Nothing was changed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum ProposalError<K: Debug> {
    /// There is no such proposal.
    #[error("there is no such proposal: it was confirmed or cancelled, or it is another store's")]
    Unknown(ProposalId),
    /// The item is proposed for removal already.
    #[error("the removal of {0:?} is proposed already: confirm or cancel that first")]
    Proposed(K),
    /// The edit itself was refused.
    #[error(transparent)]
    Edit(#[from] EditError<K>),
}

impl<K> Proposal<K> {
    /// The keys of the items, in source order as it was when it was made.
    pub fn keys(&self) -> impl Iterator<Item = &K> {
        self.rows.iter().map(|(key, _)| key)
    }

    /// The rows that are still there.
    pub(super) fn slots(&self) -> impl Iterator<Item = Slot> {
        self.rows.iter().filter_map(|(_, slot)| *slot)
    }

    /// When it counts as confirmed, on the app's own clock.
    pub fn due(&self) -> Option<Duration> {
        self.due
    }
}

impl<K: Clone> SpecialRows<K> {
    /// Forgets a proposed row whose item is gone for good.
    pub(super) fn forget_proposed(&mut self, slot: Slot) {
        for proposal in self.proposals.values_mut() {
            let is_it = |row: &(K, Option<Slot>)| row.1 == Some(slot);
            if proposal.rows.iter().any(is_it) {
                let rows = Arc::make_mut(&mut proposal.rows);
                for row in rows.iter_mut().filter(|row| is_it(row)) {
                    row.1 = None;
                }
            }
        }
    }
}

impl<T: Item> Store<T> {
    /// Proposes the removal of items: every list drops their rows at once, and it waits for
    /// [`confirm`](Self::confirm) or [`cancel`](Self::cancel). A key that is named twice counts once.
    /// O(k log n) a list.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32 }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=4).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    ///
    /// let asked = store.propose_removal(&[2, 3])?;
    /// assert_eq!(store.list(list)?.len(), 2);
    /// assert!(store.contains(&2), "it is only a proposal");
    ///
    /// store.cancel(asked)?;
    /// assert_eq!(store.list(list)?.position(&2), Some(1));
    ///
    /// let asked = store.propose_removal(&[2])?;
    /// store.confirm(asked)?;
    /// assert!(!store.contains(&2));
    /// assert!(store.undo()?.is_some());
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`ProposalError::Proposed`], and [`ProposalError::Edit`] for a key that no item has.
    pub fn propose_removal(
        &mut self,
        keys: &[T::Key],
    ) -> Result<ProposalId, ProposalError<T::Key>> {
        self.propose(keys, None)
    }

    /// The same with a moment from which on it counts as confirmed: an offer to undo that ends. The
    /// library has no clock; the app says what time it is with [`confirm_due`](Self::confirm_due),
    /// measured from any moment it likes.
    ///
    /// # Errors
    ///
    /// Those of [`propose_removal`](Self::propose_removal).
    pub fn propose_removal_until(
        &mut self,
        keys: &[T::Key],
        due: Duration,
    ) -> Result<ProposalId, ProposalError<T::Key>> {
        self.propose(keys, Some(due))
    }

    fn propose(
        &mut self,
        keys: &[T::Key],
        due: Option<Duration>,
    ) -> Result<ProposalId, ProposalError<T::Key>> {
        self.end_dropped_drafts();
        let rows = self.known_rows(keys)?;
        let key = |slot: Slot| self.items.get(slot).map(|item| item.key().clone());
        let taken = rows.iter().find(|(_, slot)| self.concealed.contains(slot));
        if let Some(key) = taken.and_then(|(_, slot)| key(*slot)) {
            return Err(ProposalError::Proposed(key));
        }
        let named = rows
            .iter()
            .filter_map(|(_, slot)| Some((key(*slot)?, Some(*slot))));
        let proposal = Proposal {
            rows: Arc::new(named.collect()),
            due,
        };
        self.attempt(|store| {
            for (_, slot) in &rows {
                store.concealed.insert(*slot);
                store.journal.steps.push(Step::Concealed { slot: *slot });
            }
            let number = store.change_special_rows(|special| {
                let number = special.next_proposal;
                special.next_proposal += 1;
                special.proposals.insert(number, proposal);
                number
            });
            let store = store.id;
            Ok(ProposalId { store, number })
        })
    }

    /// A proposal that is not settled.
    pub fn proposal(&self, id: ProposalId) -> Option<&Proposal<T::Key>> {
        let ours = id.store == self.id;
        self.special.proposals.get(&id.number).filter(|_| ours)
    }

    /// The proposals that are not settled, oldest first.
    pub fn proposals(&self) -> impl Iterator<Item = (ProposalId, &Proposal<T::Key>)> {
        let store = self.id;
        let id = move |number: &u64| ProposalId {
            store,
            number: *number,
        };
        let proposals = self.special.proposals.iter();
        proposals.map(move |(number, proposal)| (id(number), proposal))
    }

    /// Removes the items of a proposal, as one step that can be undone. O(k log n).
    ///
    /// # Errors
    ///
    /// [`ProposalError::Unknown`].
    pub fn confirm(&mut self, id: ProposalId) -> Result<Settled<T>, ProposalError<T::Key>> {
        self.settle(id, |store, slot| store.remove_row(slot))
    }

    /// Shows the items of a proposal again, where they belong by now. O(k log n) a list.
    ///
    /// # Errors
    ///
    /// [`ProposalError::Unknown`].
    pub fn cancel(&mut self, id: ProposalId) -> Result<Settled<T>, ProposalError<T::Key>> {
        self.settle(id, |store, slot| {
            store.concealed.remove(&slot);
            store.journal.steps.push(Step::Revealed { slot });
        })
    }

    /// Confirms every proposal whose moment has come, each as a step of its own; tells what became of
    /// them.
    ///
    /// # Errors
    ///
    /// [`ProposalError::Edit`].
    pub fn confirm_due(&mut self, now: Duration) -> Result<Vec<Settled<T>>, ProposalError<T::Key>> {
        let due = self.proposals().filter(|(_, proposal)| {
            let due = proposal.due();
            due.is_some_and(|due| due <= now)
        });
        let due: Vec<ProposalId> = due.map(|(id, _)| id).collect();
        due.into_iter().map(|id| self.confirm(id)).collect()
    }

    fn settle(
        &mut self,
        id: ProposalId,
        each: impl Fn(&mut Self, Slot),
    ) -> Result<Settled<T>, ProposalError<T::Key>> {
        let proposal = self
            .proposal(id)
            .cloned()
            .ok_or(ProposalError::Unknown(id))?;
        self.attempt(|store| {
            let mut here: Vec<(Option<usize>, Slot)> = Vec::new();
            let mut gone = Vec::new();
            for (key, slot) in proposal.rows.iter() {
                // In a batch the item may have been removed and not be forgotten yet.
                match slot.filter(|slot| store.source.contains(*slot)) {
                    Some(slot) => here.push((store.source.position(slot), slot)),
                    None => gone.push(key.clone()),
                }
            }
            here.sort_unstable();
            let items = here.iter().filter_map(|(_, slot)| store.items.get(*slot));
            let items = items.cloned().collect();
            for (_, slot) in here {
                each(store, slot);
            }
            store.change_special_rows(|special| special.proposals.remove(&id.number));
            Ok(Settled {
                proposal: id,
                items,
                gone,
            })
        })
    }
}
