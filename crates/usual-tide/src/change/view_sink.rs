//! What a view implements to be driven by change sets.

use super::rows::Rows;
use super::sections::{Section, SectionChanges, SectionRow, SectionStep};
use super::set::ChangeSet;
use super::steps::Step;
use crate::item::Item;
use std::sync::Arc;

/// A view of rows that is driven by change sets: the calls that a toolkit's list has, more or less. Every position
/// holds at the moment of the call.
///
/// ```
/// use std::sync::Arc;
/// use usual_tide::changes::{Rows, ViewSink};
/// use usual_tide::{Item, Place, Query, Store};
///
/// #[derive(Clone, PartialEq, Debug, Item)]
/// struct Piece { #[item(key)] id: u32, title: String }
///
/// /// The titles that the screen shows.
/// struct Screen(Vec<String>);
///
/// impl ViewSink<Piece> for Screen {
///     fn rows_removed(&mut self, at: usize, count: usize) {
///         self.0.drain(at..at + count);
///     }
///     fn rows_inserted(&mut self, at: usize, rows: &Rows<Piece>) {
///         self.0.splice(at..at, rows.iter().map(|piece| piece.title.clone()));
///     }
///     fn row_moved(&mut self, from: usize, to: usize) {
///         let title = self.0.remove(from);
///         self.0.insert(to, title);
///     }
///     fn row_updated(&mut self, at: usize, item: &Arc<Piece>) {
///         self.0[at] = item.title.clone();
///     }
/// }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, title): (u32, &str)| Piece { id, title: title.into() };
/// let mut store = Store::load([(1, "Bowl"), (2, "Mug"), (3, "Jug")].map(piece))?;
/// let list = store.bind(Query::new());
/// let feed = store.feed(list)?;
/// let mut screen = Screen(vec!["Bowl".into(), "Mug".into(), "Jug".into()]);
/// store.move_to(&3, Place::Start)?;
/// store.edit(&1, |piece| piece.title = "Deep bowl".into())?;
/// if let Some(changes) = feed.read(&store)? {
///     changes.drive(&mut screen);
/// }
/// assert_eq!(screen.0, ["Jug", "Deep bowl", "Mug"]);
/// # Ok(()) }
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` cannot be driven by a change set of `{T}`",
    note = "implement `ViewSink<{T}>`: rows removed, inserted, moved, updated"
)]
pub trait ViewSink<T> {
    /// This many rows from a position on are gone.
    fn rows_removed(&mut self, at: usize, count: usize);

    /// These rows are new; the first of them is at this position now.
    fn rows_inserted(&mut self, at: usize, rows: &Rows<T>);

    /// A row has another position, which is counted after it was taken out.
    fn row_moved(&mut self, from: usize, to: usize);

    /// A row has another item.
    fn row_updated(&mut self, at: usize, item: &Arc<T>);
}

/// A view of sections and their rows that is driven by change sets. Every position holds at the moment of the
/// call.
///
/// docs/change-sets.md has an example, and one of a view that applies a set by hand.
///
/// ```
/// use std::sync::Arc;
/// use usual_tide::changes::Rows;
/// use usual_tide::sections::{Section, SectionRow, SectionViewSink};
/// use usual_tide::{Group, Item, Query, Store};
///
/// #[derive(Clone, PartialEq, Debug, Item)]
/// struct Piece { #[item(key)] id: u32, shelf: String }
///
/// /// The headings that the screen shows, each with the keys below it.
/// #[derive(Default)]
/// struct Screen(Vec<(String, Vec<u32>)>);
///
/// impl SectionViewSink<Piece> for Screen {
///     fn section_removed(&mut self, at: usize) {
///         self.0.remove(at);
///     }
///     fn section_inserted(&mut self, at: usize, section: &Arc<Section>) {
///         self.0.insert(at, (section.heading().to_owned(), Vec::new()));
///     }
///     fn section_moved(&mut self, from: usize, to: usize) {
///         let section = self.0.remove(from);
///         self.0.insert(to, section);
///     }
///     fn section_updated(&mut self, at: usize, section: &Arc<Section>) {
///         self.0[at].0 = section.heading().to_owned();
///     }
///     fn rows_removed(&mut self, at: SectionRow, count: usize) {
///         self.0[at.section].1.drain(at.row..at.row + count);
///     }
///     fn rows_inserted(&mut self, at: SectionRow, rows: &Rows<Piece>) {
///         self.0[at.section].1.splice(at.row..at.row, rows.iter().map(|piece| piece.id));
///     }
///     fn row_moved(&mut self, from: SectionRow, to: SectionRow) {
///         let id = self.0[from.section].1.remove(from.row);
///         self.0[to.section].1.insert(to.row, id);
///     }
///     fn row_updated(&mut self, at: SectionRow, item: &Arc<Piece>) {
///         self.0[at.section].1[at.row] = item.id;
///     }
/// }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, shelf): (u32, &str)| Piece { id, shelf: shelf.into() };
/// let mut store = Store::load([(1, "A"), (2, "A"), (3, "B")].map(piece))?;
/// let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
/// let feed = store.feed(list)?;
/// let mut screen = Screen(vec![("A".into(), vec![1, 2]), ("B".into(), vec![3])]);
/// store.edit(&1, |piece| piece.shelf = "C".into())?;
/// store.remove(&3)?;
/// if let Some(changes) = feed.read(&store)? {
///     changes.by_section().drive(&mut screen);
/// }
/// assert_eq!(screen.0, [("A".to_owned(), vec![2]), ("C".to_owned(), vec![1])]);
/// # Ok(()) }
/// ```
#[diagnostic::on_unimplemented(
    message = "`{Self}` cannot be driven by a change set by section of `{T}`",
    note = "implement `SectionViewSink<{T}>`: sections and rows removed, inserted, moved, updated"
)]
pub trait SectionViewSink<T> {
    /// A section is gone; it has no rows at this moment.
    fn section_removed(&mut self, at: usize);

    /// A section is new; its rows follow.
    fn section_inserted(&mut self, at: usize, section: &Arc<Section>);

    /// A section has another position, and its rows go with it.
    fn section_moved(&mut self, from: usize, to: usize);

    /// A section has another heading, count or total, or was collapsed or expanded.
    fn section_updated(&mut self, at: usize, section: &Arc<Section>);

    /// This many rows of a section, from a position on, are gone.
    fn rows_removed(&mut self, at: SectionRow, count: usize);

    /// These rows are new; the first of them is at this position now.
    fn rows_inserted(&mut self, at: SectionRow, rows: &Rows<T>);

    /// A row has another position, perhaps in another section, which is counted after it was taken out.
    fn row_moved(&mut self, from: SectionRow, to: SectionRow);

    /// A row has another item.
    fn row_updated(&mut self, at: SectionRow, item: &Arc<T>);
}

impl<T> ChangeSet<T> {
    /// Drives a view through this change, step by step in the order of [`steps`](Self::steps). O(k log k). See
    /// [`ViewSink`] for an example.
    pub fn drive(&self, view: &mut (impl ViewSink<T> + ?Sized)) {
        let mut inserted = self.inserted().iter();
        for step in self.steps() {
            match step {
                Step::Remove { at, count } => view.rows_removed(at, count),
                Step::Move { from, to } => view.row_moved(from, to),
                Step::Insert { at, .. } => {
                    if let Some(run) = inserted.next() {
                        view.rows_inserted(at, &run.rows);
                    }
                }
                // Each row is drawn by itself below.
                Step::Update { .. } => {}
            }
        }
        for row in self.updated() {
            view.row_updated(row.to, &row.after);
        }
    }
}

impl<T: Item> SectionChanges<T> {
    /// Drives a view through this change, step by step in the order of [`steps`](Self::steps). O(k log k) in the rows
    /// and sections of the set.
    pub fn drive(&self, view: &mut (impl SectionViewSink<T> + ?Sized)) {
        let mut inserted = self.inserted().iter();
        let sections = self.sections();
        for step in self.steps() {
            match step {
                SectionStep::RemoveRows { at, count } => view.rows_removed(at, count),
                SectionStep::MoveSection { from, to } => view.section_moved(from, to),
                SectionStep::InsertSections { at, count, after } => {
                    for offset in 0..count {
                        if let Some(section) = sections.item_after(after + offset) {
                            view.section_inserted(at + offset, section);
                        }
                    }
                }
                SectionStep::MoveRow { from, to } => view.row_moved(from, to),
                SectionStep::RemoveSections { at, count } => {
                    (at..at + count)
                        .rev()
                        .for_each(|at| view.section_removed(at));
                }
                SectionStep::InsertRows { at, .. } => {
                    if let Some(run) = inserted.next() {
                        view.rows_inserted(at, &run.rows);
                    }
                }
                // Each is drawn by itself below.
                SectionStep::UpdateRows { .. } | SectionStep::UpdateSections { .. } => {}
            }
        }
        for row in self.updated() {
            view.row_updated(row.to, &row.after);
        }
        for section in sections.updated() {
            view.section_updated(section.to, &section.after);
        }
    }
}
