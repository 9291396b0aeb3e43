//! Change sets back to alignments; composition and inverse of sets.

use super::align::{Alignment, Segment};
use super::compose::compose;
use super::sections::{Layout, Sectioning};
use super::set::{ChangeSet, MovedRun, Numbers};
use crate::item::Item;
use std::sync::Arc;

impl<T> ChangeSet<T> {
    /// The kept rows that did not move, as runs of neighbours in B and in A, in order. O(k log k).
    pub(super) fn still_runs(&self) -> Vec<MovedRun> {
        let mut left: Vec<(usize, usize)> = self
            .removed
            .iter()
            .map(|run| (run.at, run.rows.len()))
            .chain(self.moved.iter().map(|run| (run.from, run.len)))
            .collect();
        left.sort_unstable();
        let mut arrived: Vec<(usize, usize)> = self
            .inserted
            .iter()
            .map(|run| (run.at, run.rows.len()))
            .chain(self.moved.iter().map(|run| (run.to, run.len)))
            .collect();
        arrived.sort_unstable();

        let (mut left, mut arrived) = (gaps(&left, self.before), gaps(&arrived, self.after));
        let mut runs = Vec::new();
        let (mut source, mut target) = (left.next(), arrived.next());
        while let (Some((from, here)), Some((to, there))) = (source, target) {
            let len = here.min(there);
            runs.push(MovedRun { from, to, len });
            source = rest(from, here, len).or_else(|| left.next());
            target = rest(to, there, len).or_else(|| arrived.next());
        }
        runs
    }

    pub(super) fn to_alignment(&self) -> Alignment<T> {
        let mut alignment = Alignment::empty(self.before, self.after);
        alignment.removed.extend(self.removed.iter().cloned());
        let mut kept = self.still_runs();
        kept.extend_from_slice(&self.moved);
        kept.sort_unstable_by_key(|run| run.to);
        let mut kept = kept.into_iter().peekable();
        let mut inserted = self.inserted.iter().peekable();
        let mut updated = self.updated.iter().peekable();
        loop {
            let new_first = match (inserted.peek(), kept.peek()) {
                (None, None) => break,
                (Some(new), Some(run)) => new.at < run.to,
                (Some(_), None) => true,
                (None, Some(_)) => false,
            };
            if new_first {
                if let Some(run) = inserted.next() {
                    alignment.push_new(run.rows.clone());
                }
                continue;
            }
            let Some(run) = kept.next() else { break };
            let mut done = 0;
            while let Some(row) = updated.next_if(|row| row.to < run.to + run.len) {
                let offset = row.to - run.to;
                alignment.push_kept(run.from + done, offset - done);
                alignment.segments.push(Segment::Changed {
                    from: row.from,
                    before: Arc::clone(&row.before),
                    after: Arc::clone(&row.after),
                });
                done = offset + 1;
            }
            alignment.push_kept(run.from + done, run.len - done);
        }
        alignment
    }
}

impl<T: Item> ChangeSet<T> {
    /// What this set and then the next one do together, minimal again.
    ///
    /// It equals the set between the first rows and the last, however many came between; a change that
    /// the next set takes back is gone. `None` when the next set does not start with as many rows as
    /// this one ends with. O(k log k) in the runs of both and their sections. In a grouped list all sections that both
    /// ends show are compared, unless the next set was read from the same feed right after this one and no window cuts
    /// the sections.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// store.add(Piece { id: 4 }, Place::Start)?;
    /// let first = feed.read(&store)?.unwrap();
    /// store.remove(&4)?;
    /// let second = feed.read(&store)?.unwrap();
    /// assert!(first.then(&second).unwrap().is_empty());
    /// # Ok(()) }
    /// ```
    pub fn then(&self, next: &Self) -> Option<Self> {
        if self.after != next.before {
            return None;
        }
        let mut set = Self::minimal(&compose(&self.to_alignment(), &next.to_alignment()));
        set.numbers = Numbers {
            before: self.numbers.before,
            ..next.numbers
        };
        set.sections = self.sections_then(next);
        Some(set)
    }

    /// The set that turns A back into B. O(k log k) in the runs of the set and its sections.
    ///
    /// ```
    /// # use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// # let list = store.bind(Query::new());
    /// # let feed = store.feed(list)?;
    /// store.move_to(&3, Place::Start)?;
    /// let changes = feed.read(&store)?.unwrap();
    /// assert!(changes.then(&changes.inverse()).unwrap().is_empty());
    /// assert_eq!(changes.inverse().inverse(), changes);
    /// # Ok(()) }
    /// ```
    pub fn inverse(&self) -> Self {
        let mut set = Self::minimal(&self.to_alignment().inverse());
        set.numbers = Numbers {
            before: self.numbers.after,
            after: self.numbers.before,
            ..self.numbers
        };
        let sections = self.sections.as_ref();
        set.sections = sections.map(|sections| Box::new(sections.inverse()));
        set
    }
}

impl<T> ChangeSet<T> {
    /// The sections of this set and then the next one; a list without sections is one section.
    fn sections_then(&self, next: &Self) -> Option<Box<Sectioning>> {
        let (first, second) = (&self.sections, &next.sections);
        if first.is_none() && second.is_none() {
            return None;
        }
        let before = match (first, second) {
            (Some(first), _) => first.before().clone(),
            (None, _) => Layout::whole(self.before),
        };
        let after = match second {
            Some(second) => second.after().clone(),
            None => Layout::whole(next.after),
        };
        if before.is_whole() && after.is_whole() {
            return None;
        }
        let both = first.as_ref().zip(second.as_ref());
        let both = both.and_then(|(first, second)| first.then(second));
        Some(Box::new(
            both.unwrap_or_else(|| Sectioning::between(before, after)),
        ))
    }
}

/// The runs between the given ones, up to `end`.
fn gaps(runs: &[(usize, usize)], end: usize) -> impl Iterator<Item = (usize, usize)> {
    let starts = std::iter::once(0).chain(runs.iter().map(|(at, len)| at + len));
    let stops = runs.iter().map(|(at, _)| *at).chain([end]);
    starts
        .zip(stops)
        .filter(|(start, stop)| start < stop)
        .map(|(start, stop)| (start, stop - start))
}

/// What is left of a run after its first rows, if anything.
fn rest(at: usize, len: usize, taken: usize) -> Option<(usize, usize)> {
    (taken < len).then(|| (at + taken, len - taken))
}
