//! Following a position through a change.

use super::set::ChangeSet;

/// Where a row of B is in A.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Followed {
    /// It is at this position now.
    At(usize),
    /// It is gone; the row that followed it is at this position, or, when none did, the row before
    /// it. `None` when neither is left.
    Gone(Option<usize>),
}

impl<T> ChangeSet<T> {
    /// Where the row that was at a position of B is in A; `None` when B had no such position. O(k).
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// use usual_tide::changes::Followed;
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32 }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// store.remove(&1)?;
    /// let changes = feed.read(&store)?.unwrap();
    /// assert_eq!(changes.follow(2), Some(Followed::At(1)));
    /// assert_eq!(changes.follow(0), Some(Followed::Gone(Some(0))));
    /// # Ok(()) }
    /// ```
    pub fn follow(&self, position: usize) -> Option<Followed> {
        if position >= self.before {
            return None;
        }
        let run = self
            .removed
            .iter()
            .find(|run| run.range().contains(&position));
        let Some(run) = run else {
            return Some(Followed::At(self.follow_kept(position)));
        };
        let nearest = if run.range().end < self.before {
            Some(run.range().end)
        } else {
            run.at.checked_sub(1)
        };
        Some(Followed::Gone(nearest.map(|kept| self.follow_kept(kept))))
    }

    /// The same for a row that is in A.
    fn follow_kept(&self, position: usize) -> usize {
        let moved = self
            .moved
            .iter()
            .find(|run| (run.from..run.from + run.len).contains(&position));
        if let Some(run) = moved {
            return run.to + (position - run.from);
        }
        let before = |at: usize, len: usize| len.min(position.saturating_sub(at));
        let left: usize = self
            .removed
            .iter()
            .map(|run| before(run.at, run.rows.len()))
            .chain(self.moved.iter().map(|run| before(run.from, run.len)))
            .sum();
        // Rows that arrived push it down, in the order in which they stand in A.
        let mut now = position - left;
        let mut moved = self.moved.iter().map(|run| (run.to, run.len)).peekable();
        let mut inserted = self
            .inserted
            .iter()
            .map(|run| (run.at, run.rows.len()))
            .peekable();
        loop {
            let next = match (moved.peek(), inserted.peek()) {
                (Some(one), Some(two)) if one.0 < two.0 => moved.next(),
                (Some(_), None) => moved.next(),
                _ => inserted.next(),
            };
            match next {
                Some((at, len)) if at <= now => now += len,
                _ => return now,
            }
        }
    }
}
