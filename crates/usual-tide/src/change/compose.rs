//! Composition: from B over M to A in one.

use super::align::{Alignment, Segment};
use super::rows::Rows;
use super::set::RowRun;
use std::borrow::Cow;
use std::sync::Arc;

/// The alignment from B to A, from one B → M and one M → A. O(k log k) in the segments of both.
pub(crate) fn compose<T>(first: &Alignment<T>, second: &Alignment<T>) -> Alignment<T> {
    let mut whole = Alignment::empty(first.before, second.after);
    whole.removed.extend(first.removed.iter().cloned());
    let mut middle = Middle::new(first);
    for segment in &second.segments {
        match segment {
            Segment::New(rows) => whole.push_new(rows.clone()),
            Segment::Kept { from, len } => middle.visit(*from, *len, |part| match part {
                Part::Kept { from, len, .. } => whole.push_kept(from, len),
                Part::Changed {
                    from,
                    before,
                    after,
                } => whole.segments.push(Segment::Changed {
                    from,
                    before: Arc::clone(before),
                    after: Arc::clone(after),
                }),
                Part::New(rows) => whole.push_new(rows),
            }),
            Segment::Changed {
                from,
                before,
                after,
            } => middle.visit(*from, 1, |part| {
                let (from, before) = match part {
                    Part::Kept { from, .. } => (from, before),
                    Part::Changed { from, before, .. } => (from, before),
                    Part::New(_) => return whole.push_new(Rows::one(Arc::clone(after))),
                };
                whole.segments.push(Segment::Changed {
                    from,
                    before: Arc::clone(before),
                    after: Arc::clone(after),
                });
            }),
        }
    }
    for run in &second.removed {
        middle.visit(run.at, run.rows.len(), |part| match part {
            Part::Kept { from, len, offset } => whole.removed.push(RowRun {
                at: from,
                rows: run.rows.slice(offset, len),
            }),
            Part::Changed { from, before, .. } => whole.removed.push(RowRun {
                at: from,
                rows: Rows::one(Arc::clone(before)),
            }),
            // It came and went in between.
            Part::New(_) => {}
        });
    }
    whole.sort_removed();
    whole
}

/// Composes a sequence, halves with halves, so that k single steps cost O(k log k). `None` when there
/// is none.
pub(crate) fn compose_all<'a, T, S>(
    steps: &'a [S],
    align: &impl Fn(&'a S) -> Cow<'a, Alignment<T>>,
) -> Option<Cow<'a, Alignment<T>>> {
    match steps {
        [] => None,
        [only] => Some(align(only)),
        _ => {
            let (early, late) = steps.split_at(steps.len() / 2);
            let early = compose_all(early, align)?;
            let late = compose_all(late, align)?;
            Some(Cow::Owned(compose(&early, &late)))
        }
    }
}

/// Rows of M as the first alignment has them.
enum Part<'a, T> {
    /// `offset` counts from the start of the visited rows.
    Kept {
        from: usize,
        len: usize,
        offset: usize,
    },
    Changed {
        from: usize,
        before: &'a Arc<T>,
        after: &'a Arc<T>,
    },
    New(Rows<T>),
}

/// Finds the segments of the first alignment that cover rows of M.
struct Middle<'a, T> {
    segments: &'a [Segment<T>],
    starts: Vec<usize>,
    /// Where the last visit ended: the next one mostly starts there.
    hint: usize,
}

impl<'a, T> Middle<'a, T> {
    fn new(first: &'a Alignment<T>) -> Self {
        let starts = first
            .segments
            .iter()
            .scan(0, |next, segment| {
                let start = *next;
                *next += segment.len();
                Some(start)
            })
            .collect();
        Self {
            segments: &first.segments,
            starts,
            hint: 0,
        }
    }

    fn covers(&self, at: usize, position: usize) -> bool {
        self.segments.get(at).is_some_and(|segment| {
            (self.starts[at]..self.starts[at] + segment.len()).contains(&position)
        })
    }

    fn segment_at(&self, position: usize) -> usize {
        [self.hint, self.hint + 1]
            .into_iter()
            .find(|at| self.covers(*at, position))
            .unwrap_or_else(|| self.starts.partition_point(|start| *start <= position) - 1)
    }

    fn visit(&mut self, position: usize, len: usize, mut each: impl FnMut(Part<'a, T>)) {
        if len == 0 || self.segments.is_empty() {
            return;
        }
        let end = position + len;
        let mut next = position;
        let mut at = self.segment_at(position);
        while next < end {
            let segment = &self.segments[at];
            let skip = next - self.starts[at];
            let count = (segment.len() - skip).min(end - next);
            each(match segment {
                Segment::Kept { from, .. } => Part::Kept {
                    from: from + skip,
                    len: count,
                    offset: next - position,
                },
                Segment::Changed {
                    from,
                    before,
                    after,
                } => Part::Changed {
                    from: *from,
                    before,
                    after,
                },
                Segment::New(rows) => Part::New(rows.slice(skip, count)),
            });
            next += count;
            self.hint = at;
            at += 1;
        }
    }
}
