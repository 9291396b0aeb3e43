//! The items of a run of rows, shared and never copied.

use std::fmt;
use std::sync::Arc;

/// Items of neighbouring rows as they were when a change set was made.
///
/// Cloning and slicing cost the same for a million rows as for one.
pub struct Rows<T>(Repr<T>);

enum Repr<T> {
    One(Arc<T>),
    Many {
        block: Arc<dyn RowBlock<T>>,
        start: usize,
        len: usize,
    },
}

/// Something that keeps many rows' items as they were.
pub(crate) trait RowBlock<T>: Send + Sync {
    /// The item of a row of the block.
    fn item(&self, index: usize) -> Option<&Arc<T>>;
}

impl<T: Send + Sync> RowBlock<T> for Vec<Arc<T>> {
    fn item(&self, index: usize) -> Option<&Arc<T>> {
        self.get(index)
    }
}

impl<T> Rows<T> {
    pub(crate) fn one(item: Arc<T>) -> Self {
        Self(Repr::One(item))
    }

    pub(crate) fn block(block: Arc<dyn RowBlock<T>>, len: usize) -> Self {
        Self(Repr::Many {
            block,
            start: 0,
            len,
        })
    }

    /// The number of rows.
    pub fn len(&self) -> usize {
        match &self.0 {
            Repr::One(_) => 1,
            Repr::Many { len, .. } => *len,
        }
    }

    /// Whether there is no row.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The item of a row, counted from the first of these rows. O(1).
    pub fn at(&self, index: usize) -> Option<&Arc<T>> {
        match &self.0 {
            Repr::One(item) => (index == 0).then_some(item),
            Repr::Many { block, start, len } => {
                (index < *len).then(|| block.item(*start + index)).flatten()
            }
        }
    }

    /// The items in order.
    pub fn iter(&self) -> impl Iterator<Item = &Arc<T>> {
        (0..self.len()).filter_map(|index| self.at(index))
    }

    /// A part of these rows, at least one; the caller keeps it within them.
    pub(crate) fn slice(&self, from: usize, count: usize) -> Self {
        match &self.0 {
            Repr::Many { block, start, len } => Self(Repr::Many {
                block: Arc::clone(block),
                start: start + from,
                len: count.min(len - from),
            }),
            Repr::One(item) => Self::one(Arc::clone(item)),
        }
    }
}

impl<T: Send + Sync + 'static> Rows<T> {
    /// The rows of several runs as one.
    pub(crate) fn concat(mut parts: Vec<Self>) -> Self {
        if parts.len() == 1
            && let Some(part) = parts.pop()
        {
            return part;
        }
        let items: Vec<Arc<T>> = parts.iter().flat_map(Self::iter).map(Arc::clone).collect();
        let len = items.len();
        Self::block(Arc::new(items), len)
    }
}

impl<T> Clone for Rows<T> {
    fn clone(&self) -> Self {
        self.slice(0, self.len())
    }
}

impl<T: PartialEq> PartialEq for Rows<T> {
    fn eq(&self, other: &Self) -> bool {
        self.len() == other.len()
            && self
                .iter()
                .zip(other.iter())
                .all(|(one, two)| Arc::ptr_eq(one, two) || one == two)
    }
}

impl<T: fmt::Debug> fmt::Debug for Rows<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_list().entries(self.iter()).finish()
    }
}
