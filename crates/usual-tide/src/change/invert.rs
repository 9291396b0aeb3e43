//! From A back to B.

use super::align::{Alignment, Segment};
use super::set::RowRun;

impl<T> Alignment<T> {
    /// The alignment of the rows of B with those of A. O(k log k) in its segments.
    pub(crate) fn inverse(self) -> Self {
        let mut back = Self::empty(self.after, self.before);
        // Rows of A that came from B, in the order of B.
        let mut to = 0;
        let mut origins: Vec<(usize, Segment<T>)> = Vec::new();
        for segment in self.segments {
            let len = segment.len();
            match segment {
                Segment::New(rows) => back.removed.push(RowRun { at: to, rows }),
                Segment::Kept { from, .. } => {
                    origins.push((from, Segment::Kept { from: to, len }));
                }
                Segment::Changed {
                    from,
                    before,
                    after,
                } => origins.push((
                    from,
                    Segment::Changed {
                        from: to,
                        before: after,
                        after: before,
                    },
                )),
            }
            to += len;
        }
        for run in self.removed {
            origins.push((run.at, Segment::New(run.rows)));
        }
        origins.sort_by_key(|origin| origin.0);
        back.segments = origins.into_iter().map(|origin| origin.1).collect();
        back
    }
}
