//! Change sets in positions by section.

use super::layout::{Layout, Sums};
use super::section::{Section, SectionRow};
use super::sectioning::Sectioning;
use crate::change::align::Segment;
use crate::change::increasing::heaviest_increasing;
use crate::change::rows::Rows;
use crate::change::set::ChangeSet;
use crate::item::{FieldPath, Item};
use std::ops::Range;
use std::sync::Arc;

/// What turns the rows before (B) into the rows after (A), in positions by section, with as few moves as
/// possible.
///
/// A kept row counts as moved when it is in another section, or when it must move within its section so that
/// the others need not. A section that moves takes its rows along. To apply a set by hand: take out the
/// removed and the moved rows; take out the removed sections, which are empty then, and bring the others into
/// the order of A, those that arrive without rows; put the inserted and the moved rows at their positions in
/// A from the lowest to the highest; replace the updated items.
///
/// Rows of sections that leave or arrive are spoken of one by one like all others. A toolkit that cannot take
/// sections and rows at once takes [`phases`](Self::phases).
///
/// ```
/// use usual_tide::{Group, Item, Query, Store};
/// use usual_tide::sections::SectionRow;
///
/// #[derive(Clone, PartialEq, Debug, Item)]
/// struct Piece { #[item(key)] id: u32, shelf: char }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// let mut store = Store::load([(1, 'a'), (2, 'a'), (3, 'b')].map(|(id, shelf)| Piece { id, shelf }))?;
/// let list = store.bind(Query::new().group(Group::from_fn(|piece: &Piece| piece.shelf.to_string())));
/// let feed = store.feed(list)?;
///
/// // Piece 2 goes to the other shelf: among all rows it stays the second, and yet it has moved.
/// store.edit(&2, |piece| piece.shelf = 'b')?;
/// let changes = feed.read(&store)?.ok_or("no change")?;
/// assert!(changes.moved().is_empty());
/// let changes = changes.by_section();
/// assert_eq!(changes.moved()[0].from, SectionRow { section: 0, row: 1 });
/// assert_eq!(changes.moved()[0].to, SectionRow { section: 1, row: 0 });
/// assert_eq!(changes.sections().updated().len(), 2);
/// # Ok(()) }
/// ```
#[derive(Clone, PartialEq, Debug)]
pub struct SectionChanges<T> {
    pub(super) sections: Arc<ChangeSet<Section>>,
    pub(super) removed: Vec<SectionRun<T>>,
    pub(super) inserted: Vec<SectionRun<T>>,
    pub(super) moved: Vec<SectionMove>,
    pub(super) updated: Vec<SectionUpdated<T>>,
    /// How many rows the sections showed in B whose rows the set speaks of, ascending.
    pub(super) lengths: Vec<(usize, usize)>,
}

/// Neighbouring rows of one section that left or arrived.
#[derive(Clone, PartialEq, Debug)]
pub struct SectionRun<T> {
    /// Where the first row is: in B for removed rows, in A for inserted ones.
    pub at: SectionRow,
    /// The items: as they were in B, or as they are in A.
    pub rows: Rows<T>,
}

/// Rows that are neighbours in one section of B and in one of A, and moved together.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub struct SectionMove {
    /// Where the first row was in B.
    pub from: SectionRow,
    /// Where the first row is in A.
    pub to: SectionRow,
    /// How many rows.
    pub len: usize,
}

/// A kept row whose item differs.
#[derive(Clone, PartialEq, Debug)]
pub struct SectionUpdated<T> {
    /// Where it was in B.
    pub from: SectionRow,
    /// Where it is in A.
    pub to: SectionRow,
    /// The item in B.
    pub before: Arc<T>,
    /// The item in A.
    pub after: Arc<T>,
}

impl<T: Item> SectionUpdated<T> {
    /// The fields that differ.
    pub fn fields(&self) -> Vec<FieldPath> {
        self.before.changed_fields(&self.after)
    }
}

impl<T> SectionChanges<T> {
    /// What happened to the sections themselves: those that left, arrived, moved, or show another heading, count
    /// or total, or were collapsed or expanded. A list without grouping is one section.
    pub fn sections(&self) -> &ChangeSet<Section> {
        &self.sections
    }

    /// Rows of B whose keys are not in A, ascending.
    pub fn removed(&self) -> &[SectionRun<T>] {
        &self.removed
    }

    /// Rows of A whose keys are not in B, ascending.
    pub fn inserted(&self) -> &[SectionRun<T>] {
        &self.inserted
    }

    /// The fewest kept rows that must move, ascending by `to`.
    pub fn moved(&self) -> &[SectionMove] {
        &self.moved
    }

    /// Kept rows whose items differ, moved or not, ascending by `to`.
    pub fn updated(&self) -> &[SectionUpdated<T>] {
        &self.updated
    }

    /// Whether nothing changed.
    pub fn is_empty(&self) -> bool {
        self.sections.is_empty()
            && self.removed.is_empty()
            && self.inserted.is_empty()
            && self.moved.is_empty()
            && self.updated.is_empty()
    }
}

/// Kept rows that are neighbours in one section of B and in one of A.
struct Block {
    from: usize,
    was: SectionRow,
    is: SectionRow,
    len: usize,
    same_section: bool,
}

impl<T: Item> ChangeSet<T> {
    /// The set in positions by section. O(k log s) in the runs of the set and the sections; the rows of a list
    /// that is not grouped are one section.
    pub fn by_section(&self) -> SectionChanges<T> {
        let whole;
        let sections = match &self.sections {
            Some(sections) => &**sections,
            None => {
                let (before, after) = (Layout::whole(self.before), Layout::whole(self.after));
                whole = Sectioning::between(before, after);
                &whole
            }
        };
        if let Some((from, to)) = sections.only_row()
            && let Some(changes) = self.row_by_section(sections, from, to)
        {
            return changes;
        }
        let (before, after) = (sections.before(), sections.after());
        let runs = |layout: &Layout, runs: &[crate::change::RowRun<T>]| {
            let mut by_section = Vec::with_capacity(runs.len());
            for run in runs {
                for (at, part) in by_sections(layout, run.range()) {
                    let rows = run.rows.slice(part.start - run.at, part.len());
                    by_section.push(SectionRun { at, rows });
                }
            }
            by_section
        };
        let updated = self.updated.iter().filter_map(|row| {
            Some(SectionUpdated {
                from: before.place(row.from)?,
                to: after.place(row.to)?,
                before: Arc::clone(&row.before),
                after: Arc::clone(&row.after),
            })
        });
        let mut changes = SectionChanges {
            sections: Arc::clone(sections.changes()),
            removed: runs(before, &self.removed),
            inserted: runs(after, &self.inserted),
            moved: self.moves_by_section(sections),
            updated: updated.collect(),
            lengths: Vec::new(),
        };
        let removed = changes.removed.iter().map(|run| run.at.section);
        let moved = changes.moved.iter().map(|run| run.from.section);
        let updated = changes.updated.iter().map(|row| row.from.section);
        let touched = removed.chain(moved).chain(updated);
        let mut lengths: Vec<(usize, usize)> = touched.map(|at| (at, 0)).collect();
        lengths.sort_unstable();
        lengths.dedup();
        for (at, length) in &mut lengths {
            *length = before.get(*at).map_or(0, |(_, placed)| placed.shown);
        }
        changes.lengths = lengths;
        changes
    }

    fn moves_by_section(&self, sections: &Sectioning) -> Vec<SectionMove> {
        let blocks = self.blocks(sections);
        let mut moved: Vec<SectionMove> = Vec::new();
        for section in blocks.chunk_by(|one, two| one.is.section == two.is.section) {
            let same = section.iter().filter(|block| block.same_section);
            let order: Vec<(usize, usize)> = same.map(|block| (block.from, block.len)).collect();
            let mut stays = heaviest_increasing(&order).into_iter();
            for block in section {
                if block.same_section && stays.next() == Some(true) {
                    continue;
                }
                let (from, to, len) = (block.was, block.is, block.len);
                moved.push(SectionMove { from, to, len });
            }
        }
        moved
    }

    /// The same when no other row than one was touched, and stayed.
    fn row_by_section(
        &self,
        sections: &Sectioning,
        from: usize,
        to: usize,
    ) -> Option<SectionChanges<T>> {
        let (before, after) = (sections.before(), sections.after());
        let (above_was, was) = before.at_shown(from)?;
        let (above_is, is) = after.at_shown(to)?;
        let place = |position: usize, above: Sums| SectionRow {
            section: above.sections,
            row: position - above.shown,
        };
        let (old, new) = (place(from, above_was), place(to, above_is));
        let crossed = was.section.key() != is.section.key();
        let moved = match self.moved.first() {
            _ if crossed => Some((old, new)),
            // Of two neighbours that change places it may be the other one that moves, in the same section.
            Some(run) => Some((place(run.from, above_was), place(run.to, above_is))),
            None => None,
        };
        let moved: Vec<SectionMove> = moved
            .map(|(from, to)| SectionMove { from, to, len: 1 })
            .into_iter()
            .collect();
        let updated = self.updated.iter().map(|row| SectionUpdated {
            from: old,
            to: new,
            before: Arc::clone(&row.before),
            after: Arc::clone(&row.after),
        });
        let updated: Vec<SectionUpdated<T>> = updated.collect();
        let touched = !moved.is_empty() || !updated.is_empty();
        Some(SectionChanges {
            sections: Arc::clone(sections.changes()),
            removed: Vec::new(),
            inserted: Vec::new(),
            moved,
            updated,
            lengths: touched
                .then_some((old.section, was.shown))
                .into_iter()
                .collect(),
        })
    }

    /// The kept rows that may have moved, in the order of A.
    fn blocks(&self, sections: &Sectioning) -> Vec<Block> {
        let (before, after) = (sections.before(), sections.after());
        let boundaries = sections.boundaries();
        let mut blocks: Vec<Block> = Vec::new();
        let mut push = |from: usize, to: usize, len: usize| {
            let (Some((b, was)), Some((a, is))) = (before.at_shown(from), after.at_shown(to))
            else {
                return;
            };
            let block = Block {
                from,
                was: SectionRow {
                    section: b.sections,
                    row: from - b.shown,
                },
                is: SectionRow {
                    section: a.sections,
                    row: to - a.shown,
                },
                len,
                same_section: was.section.key() == is.section.key(),
            };
            if let Some(last) = blocks.last_mut()
                && last.was.section == block.was.section
                && last.is.section == block.is.section
                && last.from + last.len == from
                && last.is.row + last.len == block.is.row
            {
                last.len += len;
            } else {
                blocks.push(block);
            }
        };
        let mut to = 0;
        for segment in &self.to_alignment().segments {
            match segment {
                Segment::New(_) => {}
                Segment::Changed { from, .. } => push(*from, to, 1),
                Segment::Kept { from, len } => {
                    for part in boundaries.parts(*from, to, *len) {
                        // Of whole sections in between, which were not touched, there is nothing to say.
                        let (head, tail) = ends(after, part.to, part.len);
                        push(part.from, part.to, head);
                        if tail > 0 {
                            let rest = part.len - tail;
                            push(part.from + rest, part.to + rest, tail);
                        }
                    }
                }
            }
            to += segment.len();
        }
        blocks
    }
}

/// How many rows of a run are in the section of its first row, and how many, when that is another, in that
/// of its last.
fn ends(layout: &Layout, start: usize, len: usize) -> (usize, usize) {
    let (Some((before, first)), Some((last, _))) =
        (layout.at_shown(start), layout.at_shown(start + len - 1))
    else {
        return (len, 0);
    };
    if before.sections == last.sections {
        return (len, 0);
    }
    (before.shown + first.shown - start, start + len - last.shown)
}

/// A run of rows, section by section.
fn by_sections(layout: &Layout, run: Range<usize>) -> Vec<(SectionRow, Range<usize>)> {
    let mut parts = Vec::new();
    let mut next = run.start;
    while next < run.end
        && let Some((before, placed)) = layout.at_shown(next)
    {
        let end = (before.shown + placed.shown).min(run.end);
        let at = SectionRow {
            section: before.sections,
            row: next - before.shown,
        };
        parts.push((at, next..end));
        next = end;
    }
    parts
}
