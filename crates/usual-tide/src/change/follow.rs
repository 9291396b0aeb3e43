//! Following a position through a change.

use super::set::{ChangeSet, MovedRun};
use std::fmt;
use std::sync::OnceLock;

/// Where a row of B is in A.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Followed {
    /// It is at this position now.
    At(usize),
    /// It is gone; the row that followed it is at this position, or, when none did, the row before
    /// it. `None` when neither is left.
    Gone(Option<usize>),
}

/// The kept rows as runs, by their positions in B: found out when a position is first followed.
#[derive(Default)]
pub(super) struct KeptRuns(OnceLock<Vec<MovedRun>>);

impl<T> ChangeSet<T> {
    /// Where the row that was at a position of B is in A; `None` when B had no such position.
    /// O(log k), after O(k log k) for the first one.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// use usual_tide::changes::Followed;
    /// # use usual_tide_pieces::with_id::Piece;
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
        let runs = self.kept.0.get_or_init(|| {
            let mut runs = self.still_runs();
            runs.extend_from_slice(&self.moved);
            runs.sort_unstable_by_key(|run| run.from);
            runs
        });
        let (before, after) =
            runs.split_at(runs.partition_point(|run| run.from + run.len <= position));
        let next = after.first();
        if let Some(run) = next.filter(|run| run.from <= position) {
            return Some(Followed::At(run.to + (position - run.from)));
        }
        let next = next.map(|run| run.to);
        let last = before.last().map(|run| run.to + run.len - 1);
        Some(Followed::Gone(next.or(last)))
    }
}

impl fmt::Debug for KeptRuns {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let known = self.0.get().map(Vec::len);
        f.debug_tuple("KeptRuns").field(&known).finish()
    }
}
