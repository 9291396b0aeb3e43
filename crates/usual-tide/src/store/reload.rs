//! The source's whole new content, as the edits that it amounts to.

use super::Store;
use super::duplicates::{OnDuplicate, within};
use super::error::EditError;
use super::journal::{Origin, Step};
use super::many::keep_one;
use super::matching::Plan;
use crate::item::Item;
use crate::order::Slot;
use hashbrown::HashMap;
use std::sync::Arc;

/// What a reload came to.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
#[non_exhaustive]
pub struct Reloaded {
    /// Items that are gone.
    pub removed: usize,
    /// Items that are new.
    pub added: usize,
    /// Items that differ.
    pub edited: usize,
    /// Items that had to change their place, as few as possible.
    pub moved: usize,
}

impl<T: Item> Store<T> {
    /// Takes the source's whole new content and makes the edits that it amounts to: items that are the
    /// same stay untouched, and the fewest possible are moved. Lists keep their rows, and feeds see
    /// what differs. It comes from the source, so it is no step that a person can undo. O(n)
    /// comparisons, O(k log n) for the k items that differ.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([1, 2, 3, 4].map(|id| Piece { id }))?;
    /// let what = store.reload([4, 1, 2, 5].map(|id| Piece { id }))?;
    /// assert_eq!((what.removed, what.added, what.edited, what.moved), (1, 1, 0, 1));
    /// # Ok(()) }
    /// ```
    ///
    /// # Errors
    ///
    /// [`EditError::Duplicates`] with every key that occurs more than once.
    pub fn reload(
        &mut self,
        items: impl IntoIterator<Item = T>,
    ) -> Result<Reloaded, EditError<T::Key>> {
        self.reload_with(items, OnDuplicate::Refuse)
    }

    /// The same, with a choice of what to do when a key occurs twice.
    ///
    /// # Errors
    ///
    /// Those of [`reload`](Self::reload).
    ///
    /// ```
    /// use usual_tide::edits::OnDuplicate;
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, title): (u32, &str)| Piece { id, title: title.into() };
    /// let mut store = Store::load([(1, "Bowl")].map(piece))?;
    /// let read = [(1, "Bowl"), (2, "Jug"), (2, "Tall jug")].map(piece);
    /// assert!(store.reload(read.clone()).is_err());
    /// store.reload_with(read, OnDuplicate::KeepFirst)?;
    /// // A caller that keeps what it read hands it over by reference.
    /// let read = [(1, "Bowl"), (2, "Jug")].map(piece);
    /// let told = store.reload_from(&read)?;
    /// assert_eq!((told.added, told.removed, told.edited), (0, 0, 0));
    /// # Ok(()) }
    /// ```
    pub fn reload_with(
        &mut self,
        items: impl IntoIterator<Item = T>,
        on_duplicate: OnDuplicate,
    ) -> Result<Reloaded, EditError<T::Key>> {
        let mut items: Vec<T> = items.into_iter().collect();
        self.from_source(|store| {
            let known = store.keep_blanks(&mut items);
            if on_duplicate != OnDuplicate::Refuse {
                items = keep_one(items, on_duplicate == OnDuplicate::KeepLast);
            }
            let plan = store.plan_reload(&items)?;
            let mut items = items.into_iter();
            let mut next = 0;
            let done = store.apply_plan(&plan, |at| {
                let item = items.nth(at - next);
                next = at + 1;
                item
            })?;
            store.commit_blanks(&known);
            Ok(done)
        })
    }

    /// The same for a caller that keeps what it read: only the items that are new or differ are
    /// cloned, and nothing need be dropped.
    ///
    /// # Errors
    ///
    /// Those of [`reload`](Self::reload).
    pub fn reload_from(&mut self, items: &[T]) -> Result<Reloaded, EditError<T::Key>> {
        self.end_dropped_drafts();
        if !self.special.blanks.is_empty() {
            return self.reload(items.to_vec());
        }
        self.from_source(|store| {
            let plan = store.plan_reload(items)?;
            store.apply_plan(&plan, |at| items.get(at).cloned())
        })
    }

    /// Blank rows of drafts are unknown to the source: each stays after the row that it is after.
    /// Gives those that the source has an item for, which comes in place of the blank row.
    fn keep_blanks(&self, items: &mut Vec<T>) -> Vec<Slot> {
        let blanks = &self.special.blanks;
        if blanks.is_empty() {
            return Vec::new();
        }
        let source = &self.base.source;
        let key = |slot: Slot| Some(self.base.items.get(slot)?.key());
        // Where the few rows are that matter: the blank ones and those that they are after.
        let with_above = |slot| [Some(slot), source.rows_before(slot).next()];
        let rows = blanks.in_order().flat_map(with_above).flatten();
        let mut places: HashMap<&T::Key, Option<usize>> =
            rows.filter_map(key).map(|key| (key, None)).collect();
        for (at, item) in items.iter().enumerate() {
            if let Some(place) = places.get_mut(item.key()) {
                place.get_or_insert(at);
            }
        }
        let place = |key: &T::Key| places.get(key).copied().flatten();
        let mut known = Vec::new();
        // Each with the number of the given items that it comes after.
        let mut kept: Vec<(usize, T)> = Vec::new();
        let mut last: Option<(Slot, usize)> = None;
        for slot in blanks.in_order() {
            let Some(blank) = self.base.items.get(slot) else {
                continue;
            };
            if place(blank.key()).is_some() {
                known.push(slot);
                continue;
            }
            let above = source.rows_before(slot).next();
            let after = match (above, last) {
                (None, _) => 0,
                (Some(above), Some((blank, after))) if blank == above => after,
                (Some(above), _) => {
                    let gone = || source.position(slot).unwrap_or(0) - kept.len();
                    key(above)
                        .and_then(place)
                        .map_or_else(gone, |place| place + 1)
                }
            };
            last = Some((slot, after));
            kept.push((after.min(items.len()), T::clone(blank)));
        }
        kept.sort_by_key(|(after, _)| *after);
        let mut kept = kept.into_iter().peekable();
        let mut all = Vec::with_capacity(items.len() + kept.len());
        for (at, item) in std::mem::take(items).into_iter().enumerate() {
            while let Some((_, blank)) = kept.next_if(|(after, _)| *after <= at) {
                all.push(blank);
            }
            all.push(item);
        }
        all.extend(kept.map(|(_, blank)| blank));
        *items = all;
        known
    }

    /// Blank rows that the source has an item for are blank no more.
    pub(super) fn commit_blanks(&mut self, known: &[Slot]) {
        if known.is_empty() {
            return;
        }
        for slot in known {
            self.set_blank(*slot, false);
        }
        for slot in known {
            if let Some(item) = self.base.items.get(*slot).cloned() {
                self.journal.steps.push(Step::Committed { item });
            }
        }
    }

    fn plan_reload(&self, items: &[T]) -> Result<Plan, EditError<T::Key>> {
        if items.len() > Slot::MOST {
            return Err(EditError::TooMany);
        }
        let plan = self.match_items(items);
        if plan.repeated {
            return Err(EditError::Duplicates(within(items.iter().map(T::key))));
        }
        Ok(plan)
    }

    /// Makes the edits; `take` gives the new item of a place, and is asked in ascending order.
    fn apply_plan(
        &mut self,
        plan: &Plan,
        mut take: impl FnMut(usize) -> Option<T>,
    ) -> Result<Reloaded, EditError<T::Key>> {
        let lifted = || plan.kept.iter().filter(|run| !run.stays);
        let done = Reloaded {
            removed: plan.gone.iter().map(|run| run.len()).sum(),
            added: plan.added.len(),
            edited: plan.edited.len(),
            moved: lifted().map(|run| run.len).sum(),
        };
        let placed = done.removed + done.added + done.moved;
        // What is a part of a person's step is noted row by row.
        let noted = self.journal.origin() != Origin::Source;
        let few = noted || placed <= plan.old.len() / REBUILD_SHARE;
        for slot in plan.gone.iter().flat_map(|run| &plan.old[run.clone()]) {
            if few {
                self.remove_row(*slot);
            } else {
                self.forget(*slot);
            }
        }
        for slot in lifted().flat_map(|run| &plan.old[run.range()]) {
            if few {
                self.detach(*slot);
            } else {
                self.journal.steps.push(Step::Moved { slot: *slot });
            }
        }
        tracing::debug!(?done, few, "reload");
        let new = self.take_new(plan, &mut take)?;
        if few {
            self.put_each(plan, &new);
        } else if placed > 0 {
            self.reorder(&plan.order(&new));
        }
        Ok(done)
    }

    /// Takes in the items that are new or differ; gives the slots of the new ones.
    fn take_new(
        &mut self,
        plan: &Plan,
        take: &mut impl FnMut(usize) -> Option<T>,
    ) -> Result<Vec<Slot>, EditError<T::Key>> {
        let mut new = Vec::with_capacity(plan.added.len());
        let mut edited = plan.edited.iter().peekable();
        let ends = plan.added.iter().copied().map(Some).chain([None]);
        for end in ends {
            let before = |at: usize| end.is_none_or(|end| at < end);
            while let Some((at, slot)) = edited.next_if(|(at, _)| before(*at)) {
                if let Some(item) = take(*at) {
                    self.swap_item(*slot, Arc::new(item));
                }
            }
            if let Some(item) = end.and_then(&mut *take) {
                new.push(self.register_item(Arc::new(item))?);
            }
        }
        Ok(new)
    }

    /// Puts the moved and the new items at their places, from the lowest to the highest.
    fn put_each(&mut self, plan: &Plan, new: &[Slot]) {
        let mut new = plan.added.iter().copied().zip(new).peekable();
        for run in plan.kept.iter().filter(|run| !run.stays) {
            while let Some((at, slot)) = new.next_if(|(at, _)| *at < run.at) {
                self.place_row(at, *slot);
            }
            for (at, slot) in (run.at..).zip(&plan.old[run.range()]) {
                self.attach(*slot, at);
            }
        }
        for (at, slot) in new {
            self.place_row(at, *slot);
        }
    }
}

/// Above this share of rows (one in so many) that get a place, source order is rebuilt.
const REBUILD_SHARE: usize = if cfg!(any(test, fuzzing)) { 3 } else { 40 };
