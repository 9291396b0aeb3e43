//! The source's whole new content, as the edits that it amounts to.

use super::Store;
use super::duplicates::{OnDuplicate, within};
use super::error::EditError;
use super::journal::Step;
use super::many::keep_one;
use crate::change::heaviest_increasing;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use crate::parts::in_parts;
use std::ops::Range;
use std::sync::Arc;

/// What a reload came to.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
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
    /// use usual_tide::{Item, Reloaded, Store};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32 }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([1, 2, 3, 4].map(|id| Piece { id }))?;
    /// let what = store.reload([4, 1, 2, 5].map(|id| Piece { id }))?;
    /// assert_eq!(what, Reloaded { removed: 1, added: 1, edited: 0, moved: 1 });
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
    pub fn reload_with(
        &mut self,
        items: impl IntoIterator<Item = T>,
        on_duplicate: OnDuplicate,
    ) -> Result<Reloaded, EditError<T::Key>> {
        let mut items: Vec<T> = items.into_iter().collect();
        if on_duplicate != OnDuplicate::Refuse {
            items = keep_one(items, on_duplicate == OnDuplicate::KeepLast);
        }
        let plan = self.plan_reload(&items)?;
        let mut items = items.into_iter();
        let mut next = 0;
        self.from_source(|store| {
            store.carry_out(&plan, |at| {
                let item = items.nth(at - next);
                next = at + 1;
                item
            })
        })
    }

    /// The same for a caller that keeps what it read: only the items that are new or differ are
    /// cloned, and nothing need be dropped.
    ///
    /// # Errors
    ///
    /// Those of [`reload`](Self::reload).
    pub fn reload_from(&mut self, items: &[T]) -> Result<Reloaded, EditError<T::Key>> {
        let plan = self.plan_reload(items)?;
        self.from_source(|store| store.carry_out(&plan, |at| items.get(at).cloned()))
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

    /// Finds for each new item the row that it was.
    fn match_items(&self, items: &[T]) -> Plan {
        let old: Vec<Slot> = self.source.chunks().flatten().copied().collect();
        let parts = in_parts(items.len(), |part| self.match_part(part, items, &old));
        let mut plan = Plan::of_parts(parts);
        plan.old = old;
        plan.finish(items);
        plan
    }

    fn match_part(&self, part: Range<usize>, items: &[T], old: &[Slot]) -> Plan {
        let mut plan = Plan::default();
        // As a rule items are not far from where they were.
        let mut guess = Guess::at(part.start);
        let mut positions = Positions::default();
        for at in part {
            let item = &items[at];
            let before = |position: usize| self.items.get(*old.get(position)?);
            let is_it = |position| before(position).is_some_and(|old| old.key() == item.key());
            let found = guess.next_if(is_it).or_else(|| {
                let slot = self.slot(item.key())?;
                guess.jump(positions.of(slot, &self.source, old)?)
            });
            match found {
                Some(position) => {
                    if before(position).is_some_and(|old| **old != *item) {
                        plan.edited.push((at, old[position]));
                    }
                    plan.note_kept(at, position, 1);
                }
                None => plan.added.push(at),
            }
        }
        plan
    }

    /// Makes the edits; `take` gives the new item of a place, and is asked in ascending order.
    fn carry_out(
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
        let few = placed <= plan.old.len() / REBUILD_SHARE;
        for slot in plan.gone.iter().flat_map(|run| &plan.old[run.clone()]) {
            if few {
                self.take_out(*slot);
            } else {
                self.forget(*slot);
            }
        }
        for slot in lifted().flat_map(|run| &plan.old[run.range()]) {
            if few {
                self.lift(*slot);
            } else {
                self.journal.steps.push(Step::Moved { slot: *slot });
            }
        }
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
                new.push(self.take_in(Arc::new(item))?);
            }
        }
        Ok(new)
    }

    /// Puts the moved and the new items at their places, from the lowest to the highest.
    fn put_each(&mut self, plan: &Plan, new: &[Slot]) {
        let mut new = plan.added.iter().copied().zip(new).peekable();
        for run in plan.kept.iter().filter(|run| !run.stays) {
            while let Some((at, slot)) = new.next_if(|(at, _)| *at < run.at) {
                self.source.insert(at, *slot, 0);
            }
            for (at, slot) in (run.at..).zip(&plan.old[run.range()]) {
                self.put_down(*slot, at);
            }
        }
        for (at, slot) in new {
            self.source.insert(at, *slot, 0);
        }
    }
}

/// Above this share of rows (one in so many) that get a place, source order is laid anew.
const REBUILD_SHARE: usize = 40;

/// How the new items come from the old rows.
#[derive(Default)]
struct Plan {
    /// The old rows in order.
    old: Vec<Slot>,
    /// Runs of new items that were neighbours before, in the new order.
    kept: Vec<KeptRun>,
    /// Places of items that are new.
    added: Vec<usize>,
    /// Places and slots of items that differ.
    edited: Vec<(usize, Slot)>,
    /// Old rows that are in none of the new items.
    gone: Vec<Range<usize>>,
    /// Whether some key occurs twice among the new items.
    repeated: bool,
}

struct KeptRun {
    at: usize,
    from: usize,
    len: usize,
    stays: bool,
}

impl KeptRun {
    fn range(&self) -> Range<usize> {
        self.from..self.from + self.len
    }
}

impl Plan {
    /// The plans of neighbouring parts as one.
    fn of_parts(parts: Vec<Self>) -> Self {
        let mut parts = parts.into_iter();
        let mut plan = parts.next().unwrap_or_default();
        for part in parts {
            for run in part.kept {
                plan.note_kept(run.at, run.from, run.len);
            }
            plan.added.extend(part.added);
            plan.edited.extend(part.edited);
        }
        plan
    }

    fn note_kept(&mut self, at: usize, from: usize, len: usize) {
        match self.kept.last_mut() {
            Some(run) if run.at + run.len == at && run.from + run.len == from => run.len += len,
            _ => self.kept.push(KeptRun {
                at,
                from,
                len,
                stays: true,
            }),
        }
    }

    /// Tells what is gone, what moves, and whether a key came twice.
    fn finish<T: Item>(&mut self, items: &[T]) {
        let order: Vec<(usize, usize)> = self.kept.iter().map(|run| (run.from, run.len)).collect();
        let mut before = order.clone();
        before.sort_unstable();
        let mut next = 0;
        for (from, len) in before.into_iter().chain([(self.old.len(), 0)]) {
            self.repeated |= from < next;
            if next < from {
                self.gone.push(next..from);
            }
            next = next.max(from + len);
        }
        let mut keys = hashbrown::HashSet::with_capacity(self.added.len());
        self.repeated |= !self.added.iter().all(|at| keys.insert(items[*at].key()));
        if !self.repeated {
            for (run, stays) in self.kept.iter_mut().zip(heaviest_increasing(&order)) {
                run.stays = stays;
            }
        }
    }

    /// The new order, with the slots of the new items.
    fn order(&self, new: &[Slot]) -> Vec<Slot> {
        let mut order = Vec::with_capacity(self.old.len() + new.len());
        let mut new = self.added.iter().zip(new).peekable();
        for run in &self.kept {
            while let Some((_, slot)) = new.next_if(|(at, _)| **at < run.at) {
                order.push(*slot);
            }
            order.extend_from_slice(&self.old[run.range()]);
        }
        order.extend(new.map(|(_, slot)| *slot));
        order
    }
}

/// Positions of rows that were looked up: asked of the tree while they are few, then of a table.
#[derive(Default)]
struct Positions {
    asked: usize,
    table: Vec<u32>,
}

impl Positions {
    /// So many questions cost about as much as the table.
    const FEW: usize = 1000;

    fn of(&mut self, slot: Slot, source: &RowTree, old: &[Slot]) -> Option<usize> {
        self.asked += 1;
        if self.asked < Self::FEW {
            return source.position(slot);
        }
        if self.table.is_empty() {
            let slots = old.iter().fold(0, |most, slot| most.max(slot.index() + 1));
            self.table = vec![0; slots];
            for (slot, position) in old.iter().zip(0..) {
                self.table[slot.index()] = position;
            }
        }
        Some(self.table[slot.index()] as usize)
    }
}

/// Guesses that the next item is the row after the last match, or one of the next few, or the row
/// after the last that was looked up: mostly it is, and no key need be looked up.
struct Guess {
    here: usize,
    /// Behind the row that was matched elsewhere, when that was the last match.
    there: Option<usize>,
}

impl Guess {
    /// How many rows may be gone before the next is looked up.
    const AHEAD: usize = 3;

    fn at(position: usize) -> Self {
        Self {
            here: position,
            there: None,
        }
    }

    /// The position of the guessed row that is the one.
    fn next_if(&mut self, is_it: impl Fn(usize) -> bool) -> Option<usize> {
        let there = self.there.take();
        if is_it(self.here) {
            self.here += 1;
            return Some(self.here - 1);
        }
        if let Some(found) = there.filter(|position| is_it(*position)) {
            // Two rows of a block that is elsewhere now: stay with it, and come back later.
            self.there = Some(self.here);
            self.here = found + 1;
            return Some(found);
        }
        let found = (self.here + 1..self.here + Self::AHEAD).find(|position| is_it(*position))?;
        self.here = found + 1;
        Some(found)
    }

    /// Notes the position of a row that was looked up. It may have moved by itself, so that the next
    /// item is still guessed from before.
    fn jump(&mut self, position: usize) -> Option<usize> {
        self.there = Some(position + 1);
        Some(position)
    }
}
