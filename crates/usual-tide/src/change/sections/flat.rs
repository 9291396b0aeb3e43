//! A grouped list as one column, in which headings are rows.

use super::layout::Layout;
use super::section::Section;
use super::sectioning::Sectioning;
use crate::change::align::{Alignment, Segment};
use crate::change::rows::Rows;
use crate::change::set::{ChangeSet, MovedRun, RowRun};
use crate::item::SectionKey;
use crate::item::{FieldPath, Item};
use std::sync::Arc;

/// A row of a column in which the headings of sections are rows too.
#[derive(Debug)]
pub enum FlatRow<T> {
    /// The heading of a section; its rows follow.
    Heading(Arc<Section>),
    /// A row.
    Item(Arc<T>),
}

/// What a row of such a column is known by.
#[derive(Clone, PartialEq, Eq, Hash, Debug)]
pub enum FlatKey<K> {
    /// The heading of the section with this key.
    Heading(SectionKey),
    /// The item with this key.
    Item(K),
}

impl<T> Clone for FlatRow<T> {
    fn clone(&self) -> Self {
        match self {
            Self::Heading(section) => Self::Heading(Arc::clone(section)),
            Self::Item(item) => Self::Item(Arc::clone(item)),
        }
    }
}

impl<T: PartialEq> PartialEq for FlatRow<T> {
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Heading(one), Self::Heading(two)) => one == two,
            (Self::Item(one), Self::Item(two)) => Arc::ptr_eq(one, two) || one == two,
            _ => false,
        }
    }
}

impl<T: Item> FlatRow<T> {
    /// What the row is known by.
    pub fn flat_key(&self) -> FlatKey<T::Key> {
        match self {
            Self::Heading(section) => FlatKey::Heading(section.key().clone()),
            Self::Item(item) => FlatKey::Item(item.key().clone()),
        }
    }
}

/// A row of a column with its key beside it, as an item of its own.
#[derive(Clone, PartialEq, Debug)]
pub struct FlatItem<T: Item> {
    key: FlatKey<T::Key>,
    row: FlatRow<T>,
}

impl<T: Item> FlatItem<T> {
    /// The row with its key.
    pub fn new(row: FlatRow<T>) -> Self {
        let key = row.flat_key();
        Self { key, row }
    }

    /// The row.
    pub fn row(&self) -> &FlatRow<T> {
        &self.row
    }
}

impl<T: Item> Item for FlatItem<T> {
    type Key = FlatKey<T::Key>;

    fn key(&self) -> &Self::Key {
        &self.key
    }

    fn changed_fields(&self, later: &Self) -> Vec<FieldPath> {
        match (&self.row, &later.row) {
            (FlatRow::Item(one), FlatRow::Item(two)) => one.changed_fields(two),
            (FlatRow::Heading(one), FlatRow::Heading(two)) => one.changed_fields(two),
            _ => Vec::new(),
        }
    }
}

impl<T: Item> ChangeSet<T> {
    /// The set over a column in which the headings of sections are rows too: for a toolkit that knows only one
    /// column. A list without grouping has no headings. As few moves as possible, and all that can be done with
    /// a change set can be done with this one. O(k log k + s) in the rows of the set and the
    /// sections. The column itself is [`Flattened`](crate::lists::Flattened).
    ///
    /// ```
    /// use usual_tide::changes::Step;
    /// use usual_tide::{Group, Item, Query, Store};
    /// # use usual_tide_pieces::with_shelf::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
    /// let mut store = Store::load([(1, "A"), (2, "B")].map(piece))?;
    /// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    /// let feed = store.feed(list)?;
    /// // The column is: A, piece 1, B, piece 2. Piece 2 is the last of shelf B.
    /// store.remove(&2)?;
    /// let changes = feed.read(&store)?.ok_or("no change")?.flattened();
    /// assert_eq!(changes.steps(), [Step::Remove { at: 2, count: 2 }]);
    /// # Ok(()) }
    /// ```
    pub fn flattened(&self) -> ChangeSet<FlatItem<T>> {
        let whole;
        let sections = match &self.sections {
            Some(sections) => &**sections,
            None => {
                let (before, after) = (Layout::whole(self.before), Layout::whole(self.after));
                whole = Sectioning::between(before, after);
                &whole
            }
        };
        let before = Column::of(sections.before());
        let after = Column::of(sections.after());
        let mut change = Alignment::empty(before.len, after.len);
        let origins = origins(sections.changes(), &before, &after);

        let mut headings = after.headings().peekable();
        let rows = self.to_alignment();
        let mut to = 0;
        let mut put_headings = |change: &mut Alignment<FlatItem<T>>, row: usize| {
            while let Some((at, section)) = headings.next_if(|(at, _)| after.starts[*at] <= row) {
                match origins[at] {
                    Some(from) if before.sections[from] == *section => {
                        change.push_kept(before.heading(from), 1);
                    }
                    Some(from) => change.segments.push(Segment::Changed {
                        from: before.heading(from),
                        before: heading(&before.sections[from]),
                        after: heading(section),
                    }),
                    None => change.push_new(Rows::one(heading(section))),
                }
            }
        };
        for segment in &rows.segments {
            let mut done = 0;
            while done < segment.len() {
                put_headings(&mut change, to);
                let mut len = (segment.len() - done).min(after.rest(to));
                match segment {
                    Segment::New(rows) => change.push_new(items(rows, done, len)),
                    Segment::Kept { from, .. } => {
                        len = len.min(before.rest(from + done));
                        change.push_kept(before.row(from + done), len);
                    }
                    Segment::Changed {
                        from,
                        before: old,
                        after: new,
                    } => change.segments.push(Segment::Changed {
                        from: before.row(*from),
                        before: item(old),
                        after: item(new),
                    }),
                }
                done += len;
                to += len;
            }
        }
        put_headings(&mut change, usize::MAX);

        for run in &rows.removed {
            let mut done = 0;
            while done < run.rows.len() {
                let len = (run.rows.len() - done).min(before.rest(run.at + done));
                change.removed.push(RowRun {
                    at: before.row(run.at + done),
                    rows: items(&run.rows, done, len),
                });
                done += len;
            }
        }
        let kept: std::collections::HashSet<usize> = origins.into_iter().flatten().collect();
        for (at, section) in before.headings().filter(|(at, _)| !kept.contains(at)) {
            change.removed.push(RowRun {
                at: before.heading(at),
                rows: Rows::one(heading(section)),
            });
        }
        change.sort_removed();
        ChangeSet::minimal(&change)
    }
}

/// For each section after, the section before that it was, where both have headings.
fn origins(changes: &ChangeSet<Section>, before: &Column, after: &Column) -> Vec<Option<usize>> {
    let mut origins = vec![None; after.sections.len()];
    if before.has_headings && after.has_headings {
        let runs = changes.still_runs().into_iter();
        for MovedRun { from, to, len } in runs.chain(changes.moved().iter().copied()) {
            for offset in 0..len {
                origins[to + offset] = Some(from + offset);
            }
        }
    }
    origins
}

/// The sections of a column, and where each begins among the rows.
struct Column {
    sections: Vec<Arc<Section>>,
    starts: Vec<usize>,
    rows: usize,
    /// Rows and headings together.
    len: usize,
    has_headings: bool,
}

impl Column {
    fn of(layout: &Layout) -> Self {
        let has_headings = !layout.is_whole();
        let mut rows = 0;
        let mut starts = Vec::new();
        let mut sections = Vec::new();
        for placed in layout.sections() {
            starts.push(rows);
            rows += placed.shown;
            sections.push(Arc::clone(&placed.section));
        }
        let headings = if has_headings { sections.len() } else { 0 };
        Self {
            sections,
            starts,
            rows,
            len: rows + headings,
            has_headings,
        }
    }

    fn headings(&self) -> impl Iterator<Item = (usize, &Arc<Section>)> {
        let headings = if self.has_headings {
            self.sections.len()
        } else {
            0
        };
        self.sections.iter().take(headings).enumerate()
    }

    /// The position of a section's heading in the column.
    fn heading(&self, section: usize) -> usize {
        self.starts[section] + section
    }

    /// The section of a row.
    fn section_of(&self, row: usize) -> usize {
        self.starts
            .partition_point(|start| *start <= row)
            .saturating_sub(1)
    }

    /// The position of a row in the column.
    fn row(&self, row: usize) -> usize {
        match self.has_headings {
            true => row + self.section_of(row) + 1,
            false => row,
        }
    }

    /// How many rows there are from a row on to the end of its section.
    fn rest(&self, row: usize) -> usize {
        let end = self.starts.get(self.section_of(row) + 1);
        end.copied().unwrap_or(self.rows) - row
    }
}

fn heading<T: Item>(section: &Arc<Section>) -> Arc<FlatItem<T>> {
    Arc::new(FlatItem::new(FlatRow::Heading(Arc::clone(section))))
}

fn item<T: Item>(item: &Arc<T>) -> Arc<FlatItem<T>> {
    Arc::new(FlatItem::new(FlatRow::Item(Arc::clone(item))))
}

fn items<T: Item>(rows: &Rows<T>, from: usize, len: usize) -> Rows<FlatItem<T>> {
    let items = (from..from + len).filter_map(|at| rows.at(at).map(item));
    let items: Vec<_> = items.collect();
    let len = items.len();
    Rows::block(Arc::new(items), len)
}
