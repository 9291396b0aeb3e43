//! Which row each new item was, when the source's whole content is loaded again.

use super::Store;
use crate::change::heaviest_increasing;
use crate::item::Item;
use crate::order::{RowTree, Slot};
use crate::parts::in_parts;
use std::ops::Range;

impl<T: Item> Store<T> {
    /// Finds for each new item the row that it was.
    pub(super) fn match_items(&self, items: &[T]) -> Plan {
        let old: Vec<Slot> = self.base.source.chunks().flatten().copied().collect();
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
            let before = |position: usize| self.base.items.get(*old.get(position)?);
            let is_it = |position| before(position).is_some_and(|old| old.key() == item.key());
            let found = guess.next_if(is_it).or_else(|| {
                let slot = self.slot(item.key())?;
                guess.jump(positions.of(slot, &self.base.source, old)?)
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
}

/// How the new items come from the old rows.
#[derive(Default)]
pub(super) struct Plan {
    /// The old rows in order.
    pub(super) old: Vec<Slot>,
    /// Runs of new items that were neighbours before, in the new order.
    pub(super) kept: Vec<KeptRun>,
    /// Places of items that are new.
    pub(super) added: Vec<usize>,
    /// Places and slots of items that differ.
    pub(super) edited: Vec<(usize, Slot)>,
    /// Old rows that are in none of the new items.
    pub(super) gone: Vec<Range<usize>>,
    /// Whether some key occurs twice among the new items.
    pub(super) repeated: bool,
}

pub(super) struct KeptRun {
    pub(super) at: usize,
    from: usize,
    pub(super) len: usize,
    pub(super) stays: bool,
}

impl KeptRun {
    pub(super) fn range(&self) -> Range<usize> {
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
    pub(super) fn order(&self, new: &[Slot]) -> Vec<Slot> {
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
    /// after the row that was matched elsewhere, when that was the last match.
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
