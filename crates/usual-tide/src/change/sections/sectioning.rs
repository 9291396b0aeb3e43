//! What a change set knows of the sections.

use super::boundaries::{Boundaries, align_by_key};
use super::layout::Layout;
use super::recounted::Recounted;
use super::section::Section;
use crate::change::align::Alignment;
use crate::change::compose::compose;
use crate::change::set::ChangeSet;
use std::borrow::Cow;
use std::sync::Arc;

/// The sections before and after, and what happened to them.
#[derive(Clone, Debug)]
pub(crate) struct Sectioning {
    changes: Arc<ChangeSet<Section>>,
    /// The same with every section that rows left or entered.
    touched: Touched,
    before: Layout,
    after: Layout,
    /// Where the only row that an edit touched was and is, when it was one that stayed.
    only_row: Option<(usize, usize)>,
}

/// The sections that rows left or entered.
#[derive(Clone, Debug)]
enum Touched {
    Few(Recounted),
    Aligned(Arc<Alignment<Section>>),
}

impl Sectioning {
    pub(crate) fn new(change: Alignment<Section>, before: Layout, after: Layout) -> Self {
        Self {
            changes: Arc::new(ChangeSet::minimal(&change)),
            touched: Touched::Aligned(Arc::new(change)),
            before,
            after,
            only_row: None,
        }
    }

    /// The same where no section came or went.
    pub(crate) fn recounted(change: Recounted, before: Layout, after: Layout) -> Self {
        Self {
            changes: Arc::new(change.changes()),
            touched: Touched::Few(change),
            before,
            after,
            only_row: None,
        }
    }

    /// The same when one row alone was touched, and stayed.
    pub(crate) fn of_row(self, only_row: Option<(usize, usize)>) -> Self {
        Self { only_row, ..self }
    }

    pub(crate) fn only_row(&self) -> Option<(usize, usize)> {
        self.only_row
    }

    /// The same between two layouts of which no more is known. O(s).
    pub(crate) fn between(before: Layout, after: Layout) -> Self {
        Self::new(align_by_key(&before, &after), before, after)
    }

    /// The way back. O(k log k) in the sections that were touched.
    pub(crate) fn inverse(&self) -> Self {
        let (before, after) = (self.after.clone(), self.before.clone());
        let back = match &self.touched {
            Touched::Few(few) => Self::recounted(few.inverse(), before, after),
            Touched::Aligned(touched) => {
                Self::new(Alignment::clone(touched).inverse(), before, after)
            }
        };
        back.of_row(self.only_row.map(|(from, to)| (to, from)))
    }

    /// This and then what begins where it ends. O(k log k) in the sections that both touched. `None` when the next
    /// one is not known to begin there.
    pub(crate) fn then(&self, next: &Self) -> Option<Self> {
        if !self.after.is_shared_with(&next.before) {
            return None;
        }
        let both = compose(&self.touched(), &next.touched());
        Some(Self::new(both, self.before.clone(), next.after.clone()))
    }

    /// The sections before and after, with every one that rows left or entered.
    pub(super) fn touched(&self) -> Cow<'_, Alignment<Section>> {
        match &self.touched {
            Touched::Few(few) => Cow::Owned(few.align()),
            Touched::Aligned(touched) => Cow::Borrowed(touched),
        }
    }

    pub(crate) fn changes(&self) -> &Arc<ChangeSet<Section>> {
        &self.changes
    }

    pub(crate) fn before(&self) -> &Layout {
        &self.before
    }

    pub(crate) fn after(&self) -> &Layout {
        &self.after
    }

    /// Whether the sections are as they were.
    pub(crate) fn is_same(&self) -> bool {
        self.changes.is_empty()
    }

    /// Where runs of rows must be cut.
    pub(crate) fn boundaries(&self) -> Boundaries {
        Boundaries::of_shown(&self.touched(), &self.before, &self.after)
    }
}

impl PartialEq for Sectioning {
    fn eq(&self, other: &Self) -> bool {
        self.changes == other.changes
            && self.before.is_same(&other.before)
            && self.after.is_same(&other.after)
    }
}
