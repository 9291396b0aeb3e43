//! Beginning and ending drafts.

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
            let draft = Draft::new(item, false);
            store.open(&draft, slot);
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
            let draft = Draft::new(Arc::clone(&item), true);
            // Blank from before it is there, so that no step of it is taken for an edit.
            store.change_special_rows(|_| ());
            let slot = store.register_item(item)?;
            store.special.blanks.insert(slot);
            store.base.source.insert(at, slot, 0);
            store.open(&draft, slot);
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
        let Some(open) = self.opened(draft) else {
            return Ok(false);
        };
        self.attempt_with_lists(|store| {
            store.end(&open);
            Ok(true)
        })
    }

    fn open(&mut self, draft: &Draft<T>, slot: Slot) {
        let open = OpenDraft {
            token: Arc::downgrade(&draft.token),
            slot: Some(slot),
        };
        self.change_special_rows(|special| special.drafts.push(open));
    }

    pub(super) fn opened(&self, draft: &Draft<T>) -> Option<OpenDraft> {
        let token = Arc::downgrade(&draft.token);
        let mut drafts = self.special.drafts.iter();
        drafts.find(|open| open.token.ptr_eq(&token)).cloned()
    }

    /// Removes a draft from those that are open.
    pub(super) fn close(&mut self, open: &OpenDraft) {
        self.change_special_rows(|special| {
            let others = |other: &OpenDraft| !other.token.ptr_eq(&open.token);
            special.drafts.retain(others);
        });
    }

    /// Ends a draft without a commit.
    fn end(&mut self, open: &OpenDraft) {
        self.close(open);
        let Some(slot) = open.slot.filter(|slot| self.base.source.contains(*slot)) else {
            return;
        };
        if self.special.blanks.contains(&slot) {
            self.remove_row(slot);
            self.change_special_rows(|special| special.blanks.remove(&slot));
        } else {
            self.release_row(slot);
        }
    }

    /// Ends the drafts that were dropped. Every edit does so before it looks at any position.
    pub(in crate::store) fn end_dropped_drafts(&mut self) {
        if self.journal.is_open() || self.special.drafts.is_empty() {
            return;
        }
        let dropped = |open: &&OpenDraft| open.token.strong_count() == 0;
        let drafts = self.special.drafts.iter();
        let dropped: Vec<OpenDraft> = drafts.filter(dropped).cloned().collect();
        for open in dropped {
            // First of all: what follows is an edit, which would look for dropped drafts itself.
            self.special
                .drafts
                .retain(|other| !other.token.ptr_eq(&open.token));
            let ended: Result<(), EditError<T::Key>> = self.attempt_with_lists(|store| {
                store.end(&open);
                Ok(())
            });
            if let Err(why) = ended {
                tracing::warn!(?why, "a dropped draft was not ended");
            }
        }
    }
}
