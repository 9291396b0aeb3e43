//! A consumer's copy of the rows by section.

use super::by_section::SectionChanges;
use super::section::Section;
use crate::change::apply::ApplyError;
use crate::change::replica::Replica;
use crate::item::Item;
use crate::item::SectionKey;
use hashbrown::HashMap;
use std::fmt::{self, Debug};
use std::sync::Arc;

/// A copy of a grouped list's sections and rows that is kept by applying change sets by section, and nothing
/// else.
///
/// ```
/// use usual_tide::{Group, Item, Query, Store};
/// use usual_tide::sections::SectionReplica;
/// # use usual_tide_pieces::with_shelf::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |id, shelf: &str| Piece { id, shelf: shelf.into() };
/// let mut store = Store::load([piece(1, "A"), piece(2, "B")])?;
/// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
/// let feed = store.feed(list)?;
/// let mut replica = SectionReplica::of(&store.list(list)?);
///
/// store.edit(&1, |piece| piece.shelf = "B".into())?;
/// if let Some(changes) = feed.read(&store)? {
///     replica.apply(&changes.by_section())?;
/// }
/// assert_eq!(replica.section_at(0).ok_or("no section")?.heading(), "B");
/// assert_eq!(replica.rows(0).count(), 2);
/// # Ok(()) }
/// ```
#[derive(Clone)]
pub struct SectionReplica<T> {
    sections: Replica<Section>,
    rows: HashMap<SectionKey, Replica<T>>,
}

/// Why a change set by section does not fit the rows that it was to be applied to. Nothing was changed.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[non_exhaustive]
pub enum SectionApplyError<K: Debug> {
    /// The sections are others.
    #[error("sections: {0}")]
    Sections(ApplyError<SectionKey>),
    /// The rows of a section are others.
    #[error("section {section} ({key}): {error}")]
    Rows {
        /// The position of the section, before the change.
        section: usize,
        /// Its key.
        key: SectionKey,
        /// What does not fit.
        error: ApplyError<K>,
    },
}

impl<T> SectionReplica<T> {
    /// A copy of these sections, each with the rows that it shows.
    pub fn new(sections: impl IntoIterator<Item = (Arc<Section>, Vec<Arc<T>>)>) -> Self {
        let mut rows = HashMap::new();
        let sections = sections.into_iter().map(|(section, items)| {
            rows.insert(section.name.key.clone(), items.into_iter().collect());
            section
        });
        Self {
            sections: sections.collect(),
            rows,
        }
    }

    /// The number of sections.
    pub fn len(&self) -> usize {
        self.sections.len()
    }

    /// Whether there is no section.
    pub fn is_empty(&self) -> bool {
        self.sections.is_empty()
    }

    /// The section at a position; `None` from the end on.
    pub fn section_at(&self, position: usize) -> Option<&Arc<Section>> {
        self.sections.at(position)
    }

    /// The sections in order.
    pub fn sections(&self) -> impl Iterator<Item = &Arc<Section>> {
        self.sections.items()
    }

    /// The rows of the section at a position; none from the end on.
    pub fn rows(&self, section: usize) -> impl Iterator<Item = &Arc<T>> {
        self.rows_of(section).into_iter().flat_map(Replica::items)
    }

    fn rows_of(&self, section: usize) -> Option<&Replica<T>> {
        self.rows.get(&self.sections.at(section)?.name.key)
    }

    fn rows_of_mut(&mut self, section: usize) -> Option<&mut Replica<T>> {
        self.rows.get_mut(&self.sections.at(section)?.name.key)
    }
}

impl<T: Item> SectionReplica<T> {
    /// Applies a change set. O((k + changed sections) log n).
    ///
    /// # Errors
    ///
    /// [`SectionApplyError`] when the set does not start from these sections and rows; they are unchanged then.
    pub fn apply(&mut self, changes: &SectionChanges<T>) -> Result<(), SectionApplyError<T::Key>> {
        self.check_fit(changes)?;
        let mut taken: Vec<Vec<Arc<T>>> = vec![Vec::new(); changes.moved.len()];
        let gone = changes
            .removed
            .iter()
            .map(|run| (run.at, run.rows.len(), None));
        let moved = changes.moved.iter().zip(0..);
        let moved = moved.map(|(run, number)| (run.from, run.len, Some(number)));
        let mut out: Vec<_> = gone.chain(moved).collect();
        out.sort_unstable_by_key(|(at, ..)| *at);
        for (at, len, number) in out.into_iter().rev() {
            if let Some(rows) = self.rows_of_mut(at.section) {
                let items = rows.take(at.row, len);
                if let Some(place) = number.and_then(|number: usize| taken.get_mut(number)) {
                    *place = items;
                }
            }
        }
        let removed = changes.sections.removed().iter();
        for section in removed.flat_map(|run| run.rows.iter()) {
            self.rows.remove(section.key());
        }
        let inserted = changes.sections.inserted().iter();
        for section in inserted.flat_map(|run| run.rows.iter()) {
            self.rows.insert(section.key().clone(), Replica::new());
        }
        // It was checked above.
        let _ = self.sections.apply(&changes.sections);

        let new = changes
            .inserted
            .iter()
            .map(|run| (run.at, run.rows.iter().cloned().collect()));
        let moved = changes
            .moved
            .iter()
            .zip(taken)
            .map(|(run, items)| (run.to, items));
        let mut into: Vec<(_, Vec<Arc<T>>)> = new.chain(moved).collect();
        into.sort_unstable_by_key(|(at, _)| *at);
        for (at, items) in into {
            if let Some(rows) = self.rows_of_mut(at.section) {
                rows.put(at.row, &items);
            }
        }
        for row in &changes.updated {
            if let Some(rows) = self.rows_of_mut(row.to.section) {
                rows.replace(row.to.row, &row.after);
            }
        }
        Ok(())
    }

    fn check_fit(&self, changes: &SectionChanges<T>) -> Result<(), SectionApplyError<T::Key>> {
        let sections = &self.sections;
        let section_at = |position| sections.at(position);
        changes
            .sections
            .check_fit(sections.len(), section_at)
            .map_err(SectionApplyError::Sections)?;
        let refused = |section: usize, error| SectionApplyError::Rows {
            section,
            key: sections
                .at(section)
                .map_or(SectionKey::WHOLE, |section| section.key().clone()),
            error,
        };
        for (section, expected) in &changes.lengths {
            let found = self.rows_of(*section).map_or(0, Replica::len);
            if found != *expected {
                let expected = *expected;
                return Err(refused(
                    *section,
                    ApplyError::WrongLength { expected, found },
                ));
            }
        }
        let removed = changes.removed.iter().flat_map(|run| {
            let rows = run.rows.iter().zip(run.at.row..);
            rows.map(move |(item, row)| (run.at.section, row, item))
        });
        let updated = changes.updated.iter();
        let updated = updated.map(|row| (row.from.section, row.from.row, &row.before));
        for (section, position, item) in removed.chain(updated) {
            let found = self.rows_of(section).and_then(|rows| rows.at(position));
            if let Some(found) = found.filter(|found| found.key() != item.key()) {
                let error = ApplyError::WrongRow {
                    position,
                    expected: item.key().clone(),
                    found: found.key().clone(),
                };
                return Err(refused(section, error));
            }
        }
        Ok(())
    }
}

impl<T: Debug> Debug for SectionReplica<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let rows = self.sections().zip(0..);
        let rows = rows.map(|(section, at)| (section.heading(), self.rows_of(at)));
        f.debug_map().entries(rows).finish()
    }
}
