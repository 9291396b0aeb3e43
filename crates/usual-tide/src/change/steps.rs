//! A change set as single steps.

use super::set::{ChangeSet, MovedRun};

/// One step of a change set; its positions hold at the moment when it is applied.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub enum Step {
    /// Take out `count` rows from `at` on.
    Remove {
        /// Position of the first of them.
        at: usize,
        /// How many.
        count: usize,
    },
    /// Lift one row and put it down elsewhere.
    Move {
        /// Where it is.
        from: usize,
        /// Where it is afterwards, which is the position counted after it was taken out.
        to: usize,
    },
    /// Put in `count` rows so that the first of them is at `at`. They are the rows that the list
    /// has at these positions now.
    Insert {
        /// Position of the first of them.
        at: usize,
        /// How many.
        count: usize,
    },
    /// Redraw `count` rows from `at` on: their items differ.
    Update {
        /// Position of the first of them.
        at: usize,
        /// How many.
        count: usize,
    },
}

impl<T> ChangeSet<T> {
    /// The same change one step at a time: removals from high to low, moves, insertions from low
    /// to high, updates. Neighbours are one step. O(k log k).
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// use usual_tide::changes::Step;
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=5).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// store.remove_many(&[4, 5])?;
    /// store.move_to(&1, Place::End)?;
    /// store.add(Piece { id: 6 }, Place::Start)?;
    /// // 1 2 3 4 5 became 6 2 3 1.
    /// assert_eq!(feed.read(&store)?.unwrap().steps(), [
    ///     Step::Remove { at: 3, count: 2 },
    ///     Step::Move { from: 0, to: 2 },
    ///     Step::Insert { at: 0, count: 1 },
    /// ]);
    /// # Ok(()) }
    /// ```
    pub fn steps(&self) -> Vec<Step> {
        let mut steps: Vec<Step> = removals(self.removed.iter().map(|run| run.range()).collect());
        self.push_moves(&mut steps);
        steps.extend(self.inserted.iter().map(|run| Step::Insert {
            at: run.at,
            count: run.rows.len(),
        }));
        push_updates(self.updated.iter().map(|row| row.to), &mut steps);
        steps
    }

    /// The same for a view that knows no moves: a moved row is removed and inserted, and needs no
    /// update then. O(k log k).
    pub fn steps_without_moves(&self) -> Vec<Step> {
        let moved_from = self.moved.iter().map(|run| run.from..run.from + run.len);
        let moved_to = self.moved.iter().map(|run| run.to..run.to + run.len);
        let mut steps = removals(
            self.removed
                .iter()
                .map(|run| run.range())
                .chain(moved_from)
                .collect(),
        );
        let mut arriving: Vec<_> = self
            .inserted
            .iter()
            .map(|run| run.range())
            .chain(moved_to)
            .collect();
        arriving.sort_unstable_by_key(|range| range.start);
        for range in arriving {
            match steps.last_mut() {
                Some(Step::Insert { at, count }) if *at + *count == range.start => {
                    *count += range.len();
                }
                _ => steps.push(Step::Insert {
                    at: range.start,
                    count: range.len(),
                }),
            }
        }
        let mut moved = self.moved.iter().peekable();
        let unmoved = self.updated.iter().map(|row| row.to).filter(|to| {
            while moved.next_if(|run| run.to + run.len <= *to).is_some() {}
            moved.peek().is_none_or(|run| *to < run.to)
        });
        push_updates(unmoved, &mut steps);
        steps
    }

    /// The moves, when the removed rows are out and the inserted ones not yet in.
    ///
    /// Rows are put down in the order of A, each right after the row that A has before it among those
    /// that stay or were put back already. So a row that is still to be taken out is in its gap
    /// after every row that was put down in the same gap.
    fn push_moves(&self, steps: &mut Vec<Step>) {
        if self.moved.is_empty() {
            return;
        }
        let still = self.still_runs();
        let rows = moved_rows(&self.moved, &still);
        let mut waiting_order: Vec<usize> = (0..rows.len()).collect();
        waiting_order.sort_unstable_by_key(|row| rows[*row].from);
        let mut rank = vec![0; rows.len()];
        for (place, row) in waiting_order.iter().enumerate() {
            rank[*row] = place;
        }
        let gaps_before: Vec<usize> = waiting_order
            .iter()
            .map(|row| rows[*row].gap_before)
            .collect();
        let mut waiting = Waiting::all(rows.len());
        for (done, row) in rows.iter().enumerate() {
            let put_down = rows[..done].partition_point(|other| other.gap_after <= row.gap_before);
            let from = row.gap_before + waiting.before(rank[done]) + put_down;
            waiting.take(rank[done]);
            let lower = gaps_before.partition_point(|gap| *gap < row.gap_after);
            let to = row.gap_after + done + waiting.before(lower);
            steps.push(Step::Move { from, to });
        }
    }
}

/// A moved row, and how many of the rows that stay stand before it in B and in A.
struct MovedRow {
    from: usize,
    gap_before: usize,
    gap_after: usize,
}

fn moved_rows(moved: &[MovedRun], still: &[MovedRun]) -> Vec<MovedRow> {
    // Rows that stay are in the same order on both sides, so one running sum serves both.
    let sums: Vec<usize> = still
        .iter()
        .scan(0, |sum, run| {
            *sum += run.len;
            Some(*sum)
        })
        .collect();
    let count = |runs: usize| runs.checked_sub(1).map_or(0, |last| sums[last]);
    moved
        .iter()
        .flat_map(|run| {
            let gap_before = count(still.partition_point(|other| other.from < run.from));
            let gap_after = count(still.partition_point(|other| other.to < run.to));
            (run.from..run.from + run.len).map(move |from| MovedRow {
                from,
                gap_before,
                gap_after,
            })
        })
        .collect()
}

/// Counts the rows still to be taken out (a binary indexed tree, Fenwick 1994).
pub(super) struct Waiting(Vec<usize>);

impl Waiting {
    pub(super) fn all(count: usize) -> Self {
        Self((0..=count).map(|node| node & node.wrapping_neg()).collect())
    }

    pub(super) fn before(&self, rank: usize) -> usize {
        let (mut node, mut sum) = (rank, 0);
        while node > 0 {
            sum += self.0[node];
            node &= node - 1;
        }
        sum
    }

    pub(super) fn take(&mut self, rank: usize) {
        let mut node = rank + 1;
        while node < self.0.len() {
            self.0[node] -= 1;
            node += node & node.wrapping_neg();
        }
    }
}

fn removals(mut ranges: Vec<std::ops::Range<usize>>) -> Vec<Step> {
    ranges.sort_unstable_by_key(|range| std::cmp::Reverse(range.start));
    let mut steps: Vec<Step> = Vec::with_capacity(ranges.len());
    for range in ranges {
        match steps.last_mut() {
            Some(Step::Remove { at, count }) if *at == range.end => {
                *at = range.start;
                *count += range.len();
            }
            _ => steps.push(Step::Remove {
                at: range.start,
                count: range.len(),
            }),
        }
    }
    steps
}

fn push_updates(positions: impl Iterator<Item = usize>, steps: &mut Vec<Step>) {
    for position in positions {
        match steps.last_mut() {
            Some(Step::Update { at, count }) if *at + *count == position => *count += 1,
            _ => steps.push(Step::Update {
                at: position,
                count: 1,
            }),
        }
    }
}
