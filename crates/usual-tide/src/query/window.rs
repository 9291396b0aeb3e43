//! Which part of the rows a list shows.

use std::ops::Range;

/// The first rows to leave out, and how many to show.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(crate) struct Window {
    pub(crate) skip: usize,
    pub(crate) take: Option<usize>,
}

impl Window {
    /// All rows.
    pub(crate) const ALL: Self = Self {
        skip: 0,
        take: None,
    };

    /// The positions shown when there are this many rows.
    pub(crate) fn range(self, rows: usize) -> Range<usize> {
        let start = self.skip.min(rows);
        let most = rows - start;
        start..start + self.take.map_or(most, |take| take.min(most))
    }
}
