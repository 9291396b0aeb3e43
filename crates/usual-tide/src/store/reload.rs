//! The source's whole new content, as the edits that it amounts to.

use super::Store;
use super::duplicates::{OnDuplicate, within};
use super::error::EditError;
use super::many::keep_one;
use crate::change::longest_increasing;
use crate::item::Item;
use crate::order::{RowIter, RowTree, Slot};
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
    /// what differs. O(n) comparisons, O(k log n) for the k items that differ.
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
        let plan = self.match_items(&items);
        if plan.repeated {
            return Err(EditError::Duplicates(within(items.iter().map(T::key))));
        }
        if items.len() > Slot::MOST {
            return Err(EditError::TooMany);
        }
        self.attempt(|store| store.carry_out(plan, items))
    }

    /// Finds for each new item the row that it was.
    fn match_items(&self, items: &[T]) -> Plan {
        let mut plan = Plan::default();
        let mut guess = Guess::new(&self.source);
        for (at, item) in items.iter().enumerate() {
            let found = guess
                .next_if(|slot| {
                    self.items
                        .get(slot)
                        .is_some_and(|old| old.key() == item.key())
                })
                .or_else(|| guess.jump(self.slot(item.key())?));
            match found {
                Some((slot, position)) => {
                    plan.note_kept(at, position);
                    if self.items.get(slot).is_some_and(|old| **old != *item) {
                        plan.edited.push((at, slot));
                    }
                }
                None => plan.added.push(at),
            }
        }
        plan.finish(self.len(), items);
        plan
    }

    fn carry_out(&mut self, plan: Plan, items: Vec<T>) -> Result<Reloaded, EditError<T::Key>> {
        let mut done = Reloaded {
            added: plan.added.len(),
            edited: plan.edited.len(),
            ..Reloaded::default()
        };
        // Slots are read before anything moves.
        let slots_at = |store: &Self, from: usize, len: usize| -> Vec<Slot> {
            let rows = store.source.rows_from(store.source.cursor(from));
            rows.take(len).collect()
        };
        let gone: Vec<Slot> = plan
            .gone
            .iter()
            .flat_map(|(from, len)| slots_at(self, *from, *len))
            .collect();
        let lifted: Vec<(usize, Vec<Slot>)> = plan
            .kept
            .iter()
            .filter(|run| !run.stays)
            .map(|run| (run.at, slots_at(self, run.from, run.len)))
            .collect();
        done.removed = gone.len();
        done.moved = lifted.iter().map(|(_, slots)| slots.len()).sum();
        for slot in gone {
            self.take_out(slot);
        }
        for slot in lifted.iter().flat_map(|(_, slots)| slots) {
            self.lift(*slot);
        }

        let mut lifted = lifted.into_iter().peekable();
        let mut added = plan.added.iter().copied().peekable();
        let mut edited = plan.edited.iter().copied().peekable();
        for (at, item) in items.into_iter().enumerate() {
            if let Some((_, slots)) = lifted.next_if(|(to, _)| *to == at) {
                for (offset, slot) in slots.into_iter().enumerate() {
                    self.put_down(slot, at + offset);
                }
            }
            if added.next_if_eq(&at).is_some() {
                self.put_in(Arc::new(item), at)?;
            } else if let Some((_, slot)) = edited.next_if(|(to, _)| *to == at) {
                self.swap_item(slot, Arc::new(item));
            }
        }
        Ok(done)
    }
}

/// How the new items come from the old rows.
#[derive(Default)]
struct Plan {
    /// Runs of new items that were neighbours before, in the new order.
    kept: Vec<KeptRun>,
    /// Places of items that are new.
    added: Vec<usize>,
    /// Places and slots of items that differ.
    edited: Vec<(usize, Slot)>,
    /// Runs of old rows that are in none of the new items.
    gone: Vec<(usize, usize)>,
    /// Whether some key occurs twice among the new items.
    repeated: bool,
}

struct KeptRun {
    at: usize,
    from: usize,
    len: usize,
    stays: bool,
}

impl Plan {
    fn note_kept(&mut self, at: usize, from: usize) {
        match self.kept.last_mut() {
            Some(run) if run.at + run.len == at && run.from + run.len == from => run.len += 1,
            _ => self.kept.push(KeptRun {
                at,
                from,
                len: 1,
                stays: true,
            }),
        }
    }

    /// Tells what is gone, what moves, and whether a key came twice.
    fn finish<T: Item>(&mut self, rows: usize, items: &[T]) {
        let mut before: Vec<(usize, usize)> =
            self.kept.iter().map(|run| (run.from, run.len)).collect();
        let order = before.clone();
        before.sort_unstable();
        let mut next = 0;
        for (from, len) in before {
            self.repeated |= from < next;
            if next < from {
                self.gone.push((next, from - next));
            }
            next = next.max(from + len);
        }
        if next < rows {
            self.gone.push((next, rows - next));
        }
        let mut keys = hashbrown::HashSet::with_capacity(self.added.len());
        self.repeated |= !self.added.iter().all(|at| keys.insert(items[*at].key()));
        if !self.repeated {
            for (run, stays) in self.kept.iter_mut().zip(longest_increasing(&order)) {
                run.stays = stays;
            }
        }
    }
}

/// Guesses that the next item is the row after the last match, or the row after the match before a
/// jump: mostly it is one of these, and no key need be looked up.
struct Guess<'a> {
    source: &'a RowTree,
    here: Spot<'a>,
    before_jump: Option<Spot<'a>>,
}

/// A row in source order, and the way on from it.
struct Spot<'a> {
    row: Option<Slot>,
    position: usize,
    rest: RowIter<'a>,
}

impl<'a> Guess<'a> {
    fn new(source: &'a RowTree) -> Self {
        Self {
            source,
            here: Spot::at(source.rows(), 0),
            before_jump: None,
        }
    }

    /// The guessed row with its position, when it is the one.
    fn next_if(&mut self, is_it: impl Fn(Slot) -> bool) -> Option<(Slot, usize)> {
        if let Some(found) = self.here.step_if(&is_it) {
            return Some(found);
        }
        let found = self.before_jump.as_mut()?.step_if(&is_it)?;
        // Back to where the jump left from.
        self.here = self.before_jump.take()?;
        Some(found)
    }

    /// Goes on behind a row that was looked up; gives it with its position.
    fn jump(&mut self, slot: Slot) -> Option<(Slot, usize)> {
        let position = self.source.position(slot)?;
        let rest = self.source.rows_from(self.source.cursor_after(slot)?);
        let there = Spot::at(rest, position + 1);
        self.before_jump = Some(std::mem::replace(&mut self.here, there));
        Some((slot, position))
    }
}

impl<'a> Spot<'a> {
    fn at(mut rest: RowIter<'a>, position: usize) -> Self {
        Self {
            row: rest.next(),
            position,
            rest,
        }
    }

    fn step_if(&mut self, is_it: impl Fn(Slot) -> bool) -> Option<(Slot, usize)> {
        let slot = self.row.filter(|slot| is_it(*slot))?;
        let found = (slot, self.position);
        self.row = self.rest.next();
        self.position += 1;
        Some(found)
    }
}
