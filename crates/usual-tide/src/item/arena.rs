//! The items of a store by slot, in pages that a snapshot shares.

use super::slot_set::SlotSet;
use crate::order::Slot;
use std::sync::Arc;

/// Items in a page.
const PAGE: usize = if cfg!(any(test, fuzzing)) { 4 } else { 256 };

type Page<T> = [Option<Arc<T>>; PAGE];

/// Items by slot. A snapshot costs one count a page; a page is copied when an item of it is replaced
/// while a snapshot still shares it.
pub(crate) struct Arena<T> {
    pages: Vec<Arc<Page<T>>>,
    free: Vec<Slot>,
    /// Slots ever used.
    used: usize,
    /// Slots whose items changed since somebody asked, where somebody does.
    changed: Option<SlotSet>,
}

impl<T> Arena<T> {
    pub(crate) fn new() -> Self {
        Self {
            pages: Vec::new(),
            free: Vec::new(),
            used: 0,
            changed: None,
        }
    }

    /// Slots ever used: all slots are below this.
    pub(crate) fn used(&self) -> usize {
        self.used
    }

    /// How many more items have a place.
    pub(crate) fn room(&self) -> usize {
        Slot::MOST - self.used + self.free.len()
    }

    pub(crate) fn get(&self, slot: Slot) -> Option<&Arc<T>> {
        self.pages.get(slot.index() / PAGE)?[slot.index() % PAGE].as_ref()
    }

    /// Puts an item into a free slot; `None` when there are as many as can be.
    pub(crate) fn insert(&mut self, item: Arc<T>) -> Option<Slot> {
        let slot = match self.free.pop() {
            Some(slot) => slot,
            None => {
                let slot = Slot::new(self.used)?;
                self.used += 1;
                if self.used > self.pages.len() * PAGE {
                    self.pages.push(Arc::new([const { None }; PAGE]));
                }
                slot
            }
        };
        self.put(slot, Some(item));
        Some(slot)
    }

    /// Replaces the item of a slot.
    pub(crate) fn set(&mut self, slot: Slot, item: Arc<T>) -> Option<Arc<T>> {
        self.put(slot, Some(item))
    }

    /// Empties a slot, which may be used again.
    pub(crate) fn release(&mut self, slot: Slot) {
        if self.put(slot, None).is_some() {
            self.free.push(slot);
        }
    }

    fn put(&mut self, slot: Slot, item: Option<Arc<T>>) -> Option<Arc<T>> {
        if let Some(changed) = &mut self.changed {
            changed.insert(slot);
        }
        let page = self.pages.get_mut(slot.index() / PAGE)?;
        let place = &mut Arc::make_mut(page)[slot.index() % PAGE];
        std::mem::replace(place, item)
    }

    /// Takes note of the slots whose items change from now on, or stops that.
    pub(crate) fn note_changes(&mut self, note: bool) {
        match (note, &self.changed) {
            (true, None) => self.changed = Some(SlotSet::below(self.used)),
            (false, _) => self.changed = None,
            (true, Some(_)) => {}
        }
    }

    /// Whether the item of a slot changed since the changes were forgotten last.
    pub(crate) fn has_changed(&self) -> bool {
        self.changed
            .as_ref()
            .is_some_and(|changed| !changed.is_empty())
    }

    /// The slots whose items changed since then, ascending.
    pub(crate) fn changed(&self) -> impl Iterator<Item = Slot> + use<'_, T> {
        self.changed.iter().flat_map(SlotSet::iter)
    }

    pub(crate) fn forget_changed(&mut self) {
        if let Some(changed) = &mut self.changed {
            changed.clear();
        }
    }

    /// All items as they are now.
    pub(crate) fn snapshot(&self) -> Snapshot<T> {
        Snapshot(self.pages.clone())
    }
}

/// The items of a store as they were.
pub(crate) struct Snapshot<T>(Vec<Arc<Page<T>>>);

impl<T> Snapshot<T> {
    /// No items.
    pub(crate) const fn empty() -> Self {
        Self(Vec::new())
    }

    pub(crate) fn get(&self, slot: Slot) -> Option<&Arc<T>> {
        self.0.get(slot.index() / PAGE)?[slot.index() % PAGE].as_ref()
    }
}
