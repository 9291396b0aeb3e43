//! The change set and its parts.

use super::follow::KeptRuns;
use super::rows::Rows;
use super::sections::{Section, SectionRow, Sectioning};
use crate::item::{FieldPath, Item};
use std::ops::Range;
use std::sync::Arc;

/// What turns the rows before (B) into the rows after (A), with as few moves as possible.
///
/// Positions are 0-based. `removed` and `updated().from` and `moved().from` are positions in B, the others
/// in A. To apply a set by hand: take out the removed and the moved rows, keep the others in
/// order, put the inserted and the moved rows at their positions in A from the lowest to the
/// highest, and replace the updated items.
///
/// A set depends only on B and A, so two sets are equal exactly when they turn the same rows into the
/// same rows. Where several choices of moved rows are equally small, one is picked by a fixed rule:
/// when two neighbours change places, it is the one that went up that counts as moved.
///
/// Runs of neighbours are stored as runs: a set that hides 900,000 neighbouring rows is as small
/// as one that hides one.
///
/// ```
/// use usual_tide::{Item, Place, Query, Store};
///
/// #[derive(Clone, PartialEq, Debug, Item)]
/// struct Piece { #[item(key)] id: u32, title: String }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |id| Piece { id, title: String::new() };
/// let mut store = Store::load((1..=5).map(piece))?;
/// let list = store.bind(Query::new());
/// let feed = store.feed(list)?;
///
/// store.move_to(&5, Place::Start)?;
/// let changes = feed.read(&store)?.unwrap();
/// assert_eq!(changes.moved()[0].from, 4);
/// assert_eq!(changes.moved()[0].to, 0);
/// assert!(changes.inserted().is_empty());
/// # Ok(()) }
/// ```
///
/// ```
/// # use usual_tide::{ChangeSet, Group, Item, Place, Query, Store};
/// use usual_tide::sections::SectionRow;
/// # use usual_tide_pieces::with_shelf::Piece;
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
/// // Of a list in sections that numbers its rows.
/// let mut store = Store::load([(1, "A"), (2, "A"), (3, "B")].map(piece))?;
/// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)).numbered());
/// let feed = store.feed(list)?;
/// store.remove(&1)?;
/// let changes = feed.read(&store)?.unwrap();
/// assert_eq!((changes.len_before(), changes.len_after(), changes.touched()), (3, 2, 1));
/// assert_eq!(changes.renumbered(), Some(vec![0..2]));
/// assert_eq!(changes.section_row_before(2), Some(SectionRow { section: 1, row: 0 }));
/// assert_eq!(changes.section_row_after(1), Some(SectionRow { section: 1, row: 0 }));
/// // There and back is no change.
/// let unchanged: ChangeSet<Piece> = ChangeSet::unchanged(3);
/// assert!(unchanged.is_empty() && changes.then(&changes.inverse()).is_some_and(|both| both.is_empty()));
/// # Ok(()) }
/// ```
#[derive(Debug)]
pub struct ChangeSet<T> {
    pub(super) before: usize,
    pub(super) after: usize,
    pub(super) removed: Vec<RowRun<T>>,
    pub(super) inserted: Vec<RowRun<T>>,
    pub(super) moved: Vec<MovedRun>,
    pub(super) updated: Vec<Updated<T>>,
    /// The items of the moved rows as they are in A, in the order of `moved`; none where they are not known.
    pub(super) moved_items: Option<Rows<T>>,
    pub(super) kept: KeptRuns,
    pub(super) numbers: Numbers,
    /// The sections, where the list was or is grouped.
    pub(super) sections: Option<Box<Sectioning>>,
}

/// Neighbouring rows that left or arrived.
#[derive(Debug, PartialEq)]
pub struct RowRun<T> {
    /// Position of the first row: in B for removed rows, in A for inserted ones.
    pub at: usize,
    /// The items: as they were in B, or as they are in A.
    pub rows: Rows<T>,
}

impl<T> RowRun<T> {
    /// The positions of the run.
    pub fn range(&self) -> Range<usize> {
        self.at..self.at + self.rows.len()
    }
}

/// Rows that are neighbours in B and in A, and moved together.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct MovedRun {
    /// Position of the first row in B.
    pub from: usize,
    /// Position of the first row in A.
    pub to: usize,
    /// How many rows.
    pub len: usize,
}

/// A kept row whose item differs.
#[derive(Debug, PartialEq)]
pub struct Updated<T> {
    /// Position in B.
    pub from: usize,
    /// Position in A.
    pub to: usize,
    /// The item in B.
    pub before: Arc<T>,
    /// The item in A.
    pub after: Arc<T>,
}

impl<T: Item> Updated<T> {
    /// The fields that differ.
    pub fn fields(&self) -> Vec<FieldPath> {
        self.before.changed_fields(&self.after)
    }
}

/// How many rows are before the first shown one, before and after: what its number counts from.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
pub(crate) struct Numbers {
    pub(crate) before: usize,
    pub(crate) after: usize,
    /// Whether the rows show their numbers now.
    pub(crate) shown: bool,
}

impl<T> ChangeSet<T> {
    /// The set that leaves this many rows as they are. A feed says nothing instead.
    pub fn unchanged(rows: usize) -> Self {
        Self {
            before: rows,
            after: rows,
            removed: Vec::new(),
            inserted: Vec::new(),
            moved: Vec::new(),
            updated: Vec::new(),
            moved_items: None,
            kept: KeptRuns::default(),
            numbers: Numbers::default(),
            sections: None,
        }
    }

    /// The number of rows in B.
    pub fn len_before(&self) -> usize {
        self.before
    }

    /// The number of rows in A.
    pub fn len_after(&self) -> usize {
        self.after
    }

    /// Rows of B whose keys are not in A, as runs in ascending order.
    pub fn removed(&self) -> &[RowRun<T>] {
        &self.removed
    }

    /// Rows of A whose keys are not in B, as runs in ascending order.
    pub fn inserted(&self) -> &[RowRun<T>] {
        &self.inserted
    }

    /// The fewest kept rows that must move so that the others need not, ascending by `to`.
    pub fn moved(&self) -> &[MovedRun] {
        &self.moved
    }

    /// Kept rows whose items differ, moved or not, ascending by `to`.
    pub fn updated(&self) -> &[Updated<T>] {
        &self.updated
    }

    /// Whether nothing changed. A feed never delivers such a set.
    pub fn is_empty(&self) -> bool {
        self.removed.is_empty()
            && self.inserted.is_empty()
            && self.moved.is_empty()
            && self.updated.is_empty()
            && self.renumbered().is_none_or(|runs| runs.is_empty())
            && self
                .sections
                .as_ref()
                .is_none_or(|sections| sections.is_same())
    }

    /// How many rows were removed, inserted, moved or updated; a row that was both moved and updated
    /// counts once. O(k).
    pub fn touched(&self) -> usize {
        let rows = |runs: &[RowRun<T>]| runs.iter().map(|run| run.rows.len()).sum::<usize>();
        let moved: usize = self.moved.iter().map(|run| run.len).sum();
        let mut runs = self.moved.iter().peekable();
        let updated_in_place = self
            .updated
            .iter()
            .filter(|row| {
                while runs.next_if(|run| run.to + run.len <= row.to).is_some() {}
                runs.peek().is_none_or(|run| row.to < run.to)
            })
            .count();
        rows(&self.removed) + rows(&self.inserted) + moved + updated_in_place
    }

    /// The item of a row of A, when the set carries it: of inserted, updated and moved rows. Sets that were composed,
    /// inverted or read from JSON know moved rows only after
    /// ([`with_moved_items`](Self::with_moved_items)). O(log k).
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=5).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// store.move_to(&5, Place::Start)?;
    /// let changes = feed.read(&store)?.ok_or("no change")?;
    /// assert_eq!(changes.item_after(0).map(|piece| piece.id), Some(5));
    /// assert!(changes.item_after(1).is_none(), "it has not changed");
    /// # Ok(()) }
    /// ```
    pub fn item_after(&self, position: usize) -> Option<&Arc<T>> {
        let run = self.inserted.partition_point(|run| run.at <= position);
        if let Some(run) = run.checked_sub(1).map(|at| &self.inserted[at])
            && let Some(item) = run.rows.at(position - run.at)
        {
            return Some(item);
        }
        let updated = self.updated.binary_search_by_key(&position, |row| row.to);
        match updated {
            Ok(at) => Some(&self.updated[at].after),
            Err(_) => self.moved_item(position),
        }
    }

    /// The item of a moved row, by its position in A.
    fn moved_item(&self, position: usize) -> Option<&Arc<T>> {
        let items = self.moved_items.as_ref()?;
        let run = self.moved.partition_point(|run| run.to <= position);
        let run = run.checked_sub(1)?;
        let within = position - self.moved[run].to;
        if within >= self.moved[run].len {
            return None;
        }
        match self.moved.len() {
            1 => items.at(within),
            _ => {
                let before: usize = self.moved[..run].iter().map(|run| run.len).sum();
                items.at(before + within)
            }
        }
    }

    /// The same set with the items of the moved rows, which `after` gives by position in A. Sets that a feed gives
    /// have them already. O(rows that moved).
    ///
    /// ```
    /// use std::sync::Arc;
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load((1..=3).map(|id| Piece { id }))?;
    /// let list = store.bind(Query::new());
    /// let feed = store.feed(list)?;
    /// store.move_to(&3, Place::Start)?;
    /// let changes = feed.read(&store)?.ok_or("a row moved")?;
    /// // Undone, with the items that were shown before.
    /// let undone = changes.inverse().with_moved_items(|_| Some(Arc::new(Piece { id: 3 })));
    /// assert_eq!(undone.item_after(2).map(|piece| piece.id), Some(3));
    /// # Ok(()) }
    /// ```
    #[must_use]
    pub fn with_moved_items(mut self, after: impl Fn(usize) -> Option<Arc<T>>) -> Self
    where
        T: Send + Sync + 'static,
    {
        let positions = self.moved.iter().flat_map(|run| run.to..run.to + run.len);
        let items: Option<Vec<Arc<T>>> = positions.map(after).collect();
        if let Some(items) = items {
            let len = items.len();
            self.moved_items = Some(Rows::block(Arc::new(items), len));
        }
        self
    }

    pub(crate) fn set_moved_items(&mut self, items: Rows<T>) {
        self.moved_items = Some(items);
    }

    /// Positions in A of kept rows that did not move and yet show another number, as runs; `None` in
    /// a list that does not number its rows. O(k).
    pub fn renumbered(&self) -> Option<Vec<Range<usize>>> {
        let numbers = self.numbers;
        if !numbers.shown {
            return None;
        }
        let mut runs: Vec<Range<usize>> = Vec::new();
        for still in self.still_runs() {
            if still.from + numbers.before == still.to + numbers.after {
                continue;
            }
            match runs.last_mut() {
                Some(last) if last.end == still.to => last.end += still.len,
                _ => runs.push(still.to..still.to + still.len),
            }
        }
        Some(runs)
    }

    /// What happened to the sections; `None` where the list neither was grouped nor is.
    ///
    /// A list without grouping is one section, whose key is [`SectionKey::WHOLE`](crate::sections::SectionKey::WHOLE).
    pub fn sections(&self) -> Option<&ChangeSet<Section>> {
        self.sections.as_ref().map(|sections| &**sections.changes())
    }

    /// Where a position in B is by section; `None` from the end on. O(log s) in the sections.
    pub fn section_row_before(&self, position: usize) -> Option<SectionRow> {
        match &self.sections {
            Some(sections) => sections.before().place(position),
            None => (position < self.before).then_some(SectionRow {
                section: 0,
                row: position,
            }),
        }
    }

    /// Where a position in A is by section; `None` from the end on. O(log s) in the sections.
    pub fn section_row_after(&self, position: usize) -> Option<SectionRow> {
        match &self.sections {
            Some(sections) => sections.after().place(position),
            None => (position < self.after).then_some(SectionRow {
                section: 0,
                row: position,
            }),
        }
    }

    pub(crate) fn set_sections(&mut self, sections: Sectioning) {
        self.sections = Some(Box::new(sections));
    }

    pub(crate) fn set_numbers(&mut self, numbers: Numbers) {
        self.numbers = numbers;
    }
}

impl<T: PartialEq> PartialEq for ChangeSet<T> {
    fn eq(&self, other: &Self) -> bool {
        self.before == other.before
            && self.after == other.after
            && self.removed == other.removed
            && self.inserted == other.inserted
            && self.moved == other.moved
            && self.updated == other.updated
            && self.renumbered() == other.renumbered()
            && self.sections == other.sections
    }
}

// Cloned by hand: the items are shared, so they need not be `Clone` themselves.

impl<T> Clone for ChangeSet<T> {
    fn clone(&self) -> Self {
        Self {
            before: self.before,
            after: self.after,
            removed: self.removed.clone(),
            inserted: self.inserted.clone(),
            moved: self.moved.clone(),
            updated: self.updated.clone(),
            moved_items: self.moved_items.clone(),
            kept: KeptRuns::default(),
            numbers: self.numbers,
            sections: self.sections.clone(),
        }
    }
}

impl<T> Clone for RowRun<T> {
    fn clone(&self) -> Self {
        Self {
            at: self.at,
            rows: self.rows.clone(),
        }
    }
}

impl<T> Clone for Updated<T> {
    fn clone(&self) -> Self {
        Self {
            from: self.from,
            to: self.to,
            before: Arc::clone(&self.before),
            after: Arc::clone(&self.after),
        }
    }
}
