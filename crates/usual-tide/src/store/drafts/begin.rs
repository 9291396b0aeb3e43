//! Beginning and ending drafts.

use super::token::Token;
use super::{Draft, OpenDraft};
use crate::item::Item;
use crate::list::ListId;
use crate::order::Slot;
use crate::store::{EditError, ListEditError, Place, Store};
use std::sync::Arc;

impl<T: Item> Store<T> {
    pub(super) fn begin_draft(&mut self, key: &T::Key) -> Result<Draft<T>, EditError<T::Key>> {
        self.end_dropped_drafts();
        let slot = self.known_slot(key)?;
        let item = self.base.items.get(slot).cloned();
        let item = item.ok_or_else(|| EditError::UnknownKey(key.clone()))?;
        self.attempt_with_lists(|store| {
            let draft = store.open(item, false, slot);
            store.hold_row(slot);
            Ok(draft)
        })
    }

    pub(super) fn begin_new_draft(
        &mut self,
        item: T,
        place: Place<T::Key>,
    ) -> Result<Draft<T>, EditError<T::Key>> {
        self.end_dropped_drafts();
        if let Some(slot) = self.slot(item.key()) {
            return Err(EditError::DuplicateKey {
                key: item.key().clone(),
                position: self.base.source.position(slot).unwrap_or(0),
            });
        }
        let at = self.target_position(&place, &[])?;
        let item = Arc::new(item);
        self.attempt_with_lists(|store| {
            let steps = store.journal.steps.len();
            let slot = store.register_item(Arc::clone(&item))?;
            store.place_row(at, slot);
            store.set_blank_from(steps, slot);
            let draft = store.open(item, true, slot);
            store.update_lists();
            store.hold_row(slot);
            Ok(draft)
        })
    }

    /// The same at a place among the rows of a list, which shows the row whether it matches or not.
    pub(in crate::store) fn begin_new_draft_in(
        &mut self,
        list: ListId,
        item: T,
        place: Place<T::Key>,
    ) -> Result<Draft<T>, ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            let sorted = store.list(list)?.query().sorting().is_some();
            let at_an_end = matches!(place, Place::Start | Place::End);
            let (item, place) = if sorted && at_an_end {
                (item, place)
            } else {
                store.item_for_place(list, item, &place)?
            };
            let draft = store.begin_new_draft(item, place)?;
            if let Some(slot) = store.slot(draft.key()) {
                store.show_row(list, slot)?;
            }
            Ok(draft)
        })
    }

    pub(super) fn discard_draft(&mut self, draft: &Draft<T>) -> Result<bool, EditError<T::Key>> {
        let Some(number) = self.opened(draft) else {
            return Ok(false);
        };
        self.attempt_with_lists(|store| {
            store.end(number);
            Ok(true)
        })
    }

    fn open(&mut self, item: Arc<T>, is_new: bool, slot: Slot) -> Draft<T> {
        let number = self.next_draft;
        self.next_draft += 1;
        self.set_draft(number, Some(OpenDraft { slot: Some(slot) }));
        Draft::new(item, is_new, Token::new(number, &self.dropped_drafts))
    }

    /// The number of a draft, when it is open in this store.
    pub(super) fn opened(&self, draft: &Draft<T>) -> Option<u64> {
        let number = draft.token.number_in(&self.dropped_drafts)?;
        self.special.draft(number).map(|_| number)
    }

    /// The row of an open draft; `None` when its item is gone.
    pub(super) fn row_of_draft(&self, number: u64) -> Option<Slot> {
        let slot = self.special.draft(number)?.slot?;
        self.base.source.contains(slot).then_some(slot)
    }

    /// Ends a draft without a commit.
    fn end(&mut self, number: u64) {
        let slot = self.row_of_draft(number);
        self.set_draft(number, None);
        let Some(slot) = slot else {
            return;
        };
        if self.special.blanks.contains(slot) {
            self.remove_row(slot);
            self.set_blank(slot, false);
        } else {
            self.release_row(slot);
        }
    }

    /// Ends the drafts that were dropped. Every edit does so before it looks at any position.
    pub(in crate::store) fn end_dropped_drafts(&mut self) {
        if self.journal.is_open() {
            return;
        }
        for number in self.dropped_drafts.take() {
            // It was committed or discarded, or its beginning was rolled back.
            if self.special.draft(number).is_none() {
                continue;
            }
            let ended: Result<(), EditError<T::Key>> = self.attempt_with_lists(|store| {
                store.end(number);
                Ok(())
            });
            if let Err(why) = ended {
                tracing::warn!(?why, "a dropped draft was not ended");
            }
        }
    }
}
