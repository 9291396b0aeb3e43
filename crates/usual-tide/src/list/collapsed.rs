//! A change of all matching rows as a change of those that no collapsed section hides.

use crate::change::{Alignment, Boundaries, Layout, RowRun, Rows, Section, Segment};
use std::ops::Range;
use std::sync::Arc;

/// The sections of a list before and after a change, and what happened to them in between.
pub(super) struct CollapsedView<'a> {
    pub(super) before: &'a Layout,
    pub(super) after: &'a Layout,
    pub(super) sections: &'a Alignment<Section>,
}

/// The alignment between the rows that no section hid before and those that none hides after.
///
/// `items_at` gives items by their positions among all rows after. O((k + changed sections) log s), and the
/// rows of sections that were collapsed or expanded.
pub(super) fn hide_collapsed<T: Send + Sync + 'static>(
    whole: &Alignment<T>,
    folding: &CollapsedView<'_>,
    items_at: impl Fn(Range<usize>) -> Vec<Arc<T>>,
) -> Alignment<T> {
    let (before, after) = (folding.before, folding.after);
    let boundaries = Boundaries::of_rows(folding.sections, before, after);
    let block = |range: Range<usize>| {
        let items = items_at(range);
        let len = items.len();
        Rows::block(Arc::new(items), len)
    };
    let mut open = Alignment::empty(before.sums().shown, after.sums().shown);
    let mut to = 0;
    for segment in &whole.segments {
        let here = to..to + segment.len();
        to = here.end;
        match segment {
            Segment::New(rows) => {
                for part in after.open_parts(here.clone()) {
                    open.push_new_part(rows, part.start - here.start, part.len());
                }
            }
            Segment::Changed {
                from,
                before: old,
                after: new,
            } => match (is_open(before, *from), is_open(after, here.start)) {
                (true, true) => open.segments.push(Segment::Changed {
                    from: before.shown_before(*from),
                    before: Arc::clone(old),
                    after: Arc::clone(new),
                }),
                (false, true) => open.push_new(Rows::one(Arc::clone(new))),
                (true, false) => open.removed.push(RowRun {
                    at: before.shown_before(*from),
                    rows: Rows::one(Arc::clone(old)),
                }),
                (false, false) => {}
            },
            Segment::Kept { from, len } => {
                for part in boundaries.parts(*from, here.start, *len) {
                    let was =
                        before.shown_before(part.from)..before.shown_before(part.from + part.len);
                    let is = after.shown_before(part.to)..after.shown_before(part.to + part.len);
                    if was.len() == is.len() {
                        open.push_kept(was.start, was.len());
                        continue;
                    }
                    // One section, which was collapsed or expanded.
                    let rows = block(part.to..part.to + part.len);
                    if is.is_empty() {
                        open.removed.push(RowRun {
                            at: was.start,
                            rows,
                        });
                    } else {
                        open.push_new(rows);
                    }
                }
            }
        }
    }
    for run in &whole.removed {
        for part in before.open_parts(run.range()) {
            open.removed.push(RowRun {
                at: before.shown_before(part.start),
                rows: run.rows.slice(part.start - run.at, part.len()),
            });
        }
    }
    open.sort_removed();
    open
}

fn is_open(layout: &Layout, row: usize) -> bool {
    layout
        .at_row(row)
        .is_some_and(|(_, placed)| placed.shown > 0)
}
