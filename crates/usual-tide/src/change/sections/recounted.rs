//! What an edit of one row mostly does to the sections: two at most get another number of rows, and none comes
//! or goes.

use super::section::Section;
use crate::change::align::Alignment;
use crate::change::set::{ChangeSet, Updated};
use crate::change::touched::{TouchedRow, align_touched};
use std::sync::Arc;

/// A section before and after, at its place.
type Recount = (usize, Arc<Section>, Arc<Section>);

/// One or two sections that rows left or entered, in their order.
#[derive(Clone, Debug)]
pub(crate) struct Recounted {
    /// How many sections there are.
    sections: usize,
    first: Recount,
    second: Option<Recount>,
}

impl Recounted {
    pub(crate) fn new(sections: usize, one: Recount, two: Option<Recount>) -> Self {
        let (first, second) = match two {
            Some(two) if two.0 < one.0 => (two, Some(one)),
            two => (one, two),
        };
        Self {
            sections,
            first,
            second,
        }
    }

    fn touched(&self) -> impl Iterator<Item = &Recount> {
        std::iter::once(&self.first).chain(&self.second)
    }

    pub(crate) fn align(&self) -> Alignment<Section> {
        let rows = self.touched().map(|(at, old, new)| TouchedRow {
            before: Some((*at, old)),
            after: Some((*at, new)),
        });
        align_touched(self.sections, self.sections, rows.collect())
    }

    /// The way back.
    pub(super) fn inverse(&self) -> Self {
        let back = |(at, old, new): &Recount| (*at, Arc::clone(new), Arc::clone(old));
        Self {
            sections: self.sections,
            first: back(&self.first),
            second: self.second.as_ref().map(back),
        }
    }

    /// How the sections changed.
    pub(super) fn changes(&self) -> ChangeSet<Section> {
        let mut set = ChangeSet::unchanged(self.sections);
        let differing = self.touched().filter(|(_, old, new)| old != new);
        set.updated.extend(differing.map(|(at, old, new)| Updated {
            from: *at,
            to: *at,
            before: Arc::clone(old),
            after: Arc::clone(new),
        }));
        set
    }
}
