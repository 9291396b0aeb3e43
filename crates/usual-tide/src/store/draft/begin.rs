//! Beginning and discarding drafts.

use super::{Draft, OpenDraft};
use crate::item::{FailedField, Item};
use crate::list::ListId;
use crate::order::Slot;
use crate::store::{EditError, ListEditError, Place, Store};
use std::sync::Arc;

impl<T: Item> Store<T> {
    /// Begins a draft of an item. Its row is held in every list that shows it, now or later, until the
    /// draft ends. O(1) a list.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32, title: String, height_mm: u32 }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, title: "Bowl".into(), height_mm: 90 }])?;
    /// let mut draft = store.draft(&1)?;
    /// draft.set(Piece::TITLE, "Celadon bowl".into());
    /// assert!(draft.type_text("height_mm", "12o").is_err());
    /// assert!(store.commit(&mut draft).is_err(), "12o is no number");
    /// draft.type_text("height_mm", "120")?;
    /// assert_eq!(store.get(&1).unwrap().title, "Bowl", "the store sees nothing before the commit");
    ///
    /// store.commit(&mut draft)?;
    /// assert_eq!(store.get(&1).unwrap().height_mm, 120);
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`].
    pub fn draft(&mut self, key: &T::Key) -> Result<Draft<T>, EditError<T::Key>> {
        self.end_dropped_drafts();
        let slot = self.known_slot(key)?;
        let item = self.items.get(slot).cloned();
        let item = item.ok_or_else(|| EditError::UnknownKey(key.clone()))?;
        self.attempt_with_lists(|store| {
            let draft = Draft::new(item, false);
            store.open(&draft, slot);
            store.hold_row(slot);
            Ok(draft)
        })
    }

    /// Begins a draft of a new item: a row for it shows at once, at a place in source order, in every list
    /// that it matches. Rules are not asked before the commit. Discarded, it leaves no trace.
    ///
    /// The blank row is in the store like an item, but it is no step that can be undone before it is
    /// committed, a [`reload`](Self::reload) leaves it alone, and [`is_blank`](Self::is_blank) tells it.
    ///
    /// # Errors
    ///
    /// [`EditError::DuplicateKey`], [`EditError::UnknownKey`] and [`EditError::OutOfRange`].
    pub fn draft_new(
        &mut self,
        item: T,
        place: Place<T::Key>,
    ) -> Result<Draft<T>, EditError<T::Key>> {
        self.end_dropped_drafts();
        if let Some(slot) = self.slot(item.key()) {
            return Err(EditError::DuplicateKey {
                key: item.key().clone(),
                position: self.source.position(slot).unwrap_or(0),
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
            store.source.insert(at, slot, 0);
            store.open(&draft, slot);
            store.update_lists();
            store.hold_row(slot);
            Ok(draft)
        })
    }

    /// The same at a place among the rows that a list shows; the list shows the row even if it does not
    /// match. In a grouped list it belongs to the section of the place, if the grouping says how. In a sorted list, where no place can be chosen, only [`Place::Start`] and [`Place::End`] are
    /// taken: the row stands where its sort key puts it.
    ///
    /// # Errors
    ///
    /// [`ListEditError`].
    pub fn draft_new_in(
        &mut self,
        list: ListId,
        item: T,
        place: Place<T::Key>,
    ) -> Result<Draft<T>, ListEditError<T::Key>> {
        self.attempt_with_lists(|store| {
            let sorted = store.list(list)?.query().sorting_within().is_some();
            let at_an_end = matches!(place, Place::Start | Place::End);
            let (item, place) = if sorted && at_an_end {
                (item, place)
            } else {
                store.item_for_place(list, item, &place)?
            };
            let draft = store.draft_new(item, place)?;
            if let Some(slot) = store.slot(draft.key()) {
                store.show_row(list, slot)?;
            }
            Ok(draft)
        })
    }

    /// Ends a draft without a change: the row goes where it belongs, a blank one away. `false` when the draft
    /// was not open.
    ///
    /// # Errors
    ///
    /// [`EditError`] as of an edit; everything is as it was then.
    pub fn discard(&mut self, draft: Draft<T>) -> Result<bool, EditError<T::Key>> {
        let Some(open) = self.opened(&draft) else {
            return Ok(false);
        };
        self.attempt_with_lists(|store| {
            store.end(&open);
            Ok(true)
        })
    }

    /// Whether a draft is open: neither committed nor discarded.
    pub fn is_open(&self, draft: &Draft<T>) -> bool {
        self.opened(draft).is_some()
    }

    /// Whether an item is the blank row of a draft, and so no item of the person's yet: nothing to be saved.
    pub fn is_blank(&self, key: &T::Key) -> bool {
        let slot = self.slot(key);
        slot.is_some_and(|slot| self.special.blanks.contains(&slot))
    }

    /// What is wrong with a draft as it stands; nothing when it could be committed.
    pub fn draft_failures(&self, draft: &Draft<T>) -> Vec<FailedField<T::Key>> {
        let mut failed = draft.unread_fields();
        let known = |field: &FailedField<T::Key>| failed.iter().any(|f| f.field == field.field);
        let by_rules = self.failures(draft.item()).into_iter();
        let by_rules: Vec<_> = by_rules.filter(|field| !known(field)).collect();
        failed.extend(by_rules);
        failed
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

    /// Takes a draft off the books.
    pub(super) fn close(&mut self, open: &OpenDraft) {
        self.change_special_rows(|special| {
            let others = |other: &OpenDraft| !other.token.ptr_eq(&open.token);
            special.drafts.retain(others);
        });
    }

    /// Ends a draft without a commit.
    fn end(&mut self, open: &OpenDraft) {
        self.close(open);
        let Some(slot) = open.slot.filter(|slot| self.source.contains(*slot)) else {
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
        if self.journal.depth > 0 || self.special.drafts.is_empty() {
            return;
        }
        let dropped = |open: &&OpenDraft| open.token.strong_count() == 0;
        let drafts = self.special.drafts.iter();
        let dropped: Vec<OpenDraft> = drafts.filter(dropped).cloned().collect();
        for open in dropped {
            // Off the books first: what follows is an edit, which would look for dropped drafts itself.
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
