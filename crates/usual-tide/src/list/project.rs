//! A change of all matching rows as a change of the window.

use crate::change::{Alignment, RowRun, Rows, Segment};
use std::ops::Range;
use std::sync::Arc;

/// The alignment between the rows shown before and the rows shown after.
///
/// Rows that cross the window's edge leave or arrive, though they were not touched; `items_at` gives
/// their items by their positions among all rows after. O(k + rows that cross).
pub(super) fn project<T: Send + Sync + 'static>(
    whole: &Alignment<T>,
    before: Range<usize>,
    after: Range<usize>,
    items_at: impl Fn(Range<usize>) -> Vec<Arc<T>>,
) -> Alignment<T> {
    let rows_at = |range: Range<usize>| {
        let items = items_at(range);
        let len = items.len();
        Rows::block(Arc::new(items), len)
    };
    let mut part = Alignment::empty(before.len(), after.len());
    let mut to = 0;
    for segment in &whole.segments {
        let here = to..to + segment.len();
        to = here.end;
        let inside = overlap(&here, &after);
        match segment {
            Segment::New(rows) => {
                part.push_new_part(rows, inside.start - here.start, inside.len());
            }
            Segment::Changed {
                from,
                before: old,
                after: new,
            } => match (before.contains(from), !inside.is_empty()) {
                (true, true) => part.segments.push(Segment::Changed {
                    from: from - before.start,
                    before: Arc::clone(old),
                    after: Arc::clone(new),
                }),
                (false, true) => part.push_new(Rows::one(Arc::clone(new))),
                (true, false) => part.removed.push(RowRun {
                    at: from - before.start,
                    rows: Rows::one(Arc::clone(old)),
                }),
                (false, false) => {}
            },
            Segment::Kept { from, len } => {
                // Positions after, of the rows that were shown before.
                let back = |at: usize| at - here.start + from;
                let was = overlap(&(*from..from + len), &before);
                let was = was.start - from + here.start..was.end - from + here.start;
                let stays = overlap(&inside, &was);
                let (arriving, leaving) = if stays.is_empty() {
                    ([inside, stays.end..stays.end], [was, stays.end..stays.end])
                } else {
                    (
                        [inside.start..stays.start, stays.end..inside.end],
                        [was.start..stays.start, stays.end..was.end],
                    )
                };
                let [above, below] = arriving;
                if !above.is_empty() {
                    part.push_new(rows_at(above));
                }
                if !stays.is_empty() {
                    part.push_kept(back(stays.start) - before.start, stays.len());
                }
                if !below.is_empty() {
                    part.push_new(rows_at(below));
                }
                for range in leaving.into_iter().filter(|range| !range.is_empty()) {
                    part.removed.push(RowRun {
                        at: back(range.start) - before.start,
                        rows: rows_at(range),
                    });
                }
            }
        }
    }
    for run in &whole.removed {
        let gone = overlap(&run.range(), &before);
        if !gone.is_empty() {
            part.removed.push(RowRun {
                at: gone.start - before.start,
                rows: run.rows.slice(gone.start - run.at, gone.len()),
            });
        }
    }
    part.sort_removed();
    part
}

/// What two ranges have in common; empty, and within the first, when that is nothing.
fn overlap(one: &Range<usize>, two: &Range<usize>) -> Range<usize> {
    let start = two.start.clamp(one.start, one.end);
    start..two.end.clamp(start, one.end)
}
