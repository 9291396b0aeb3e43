//! Views that are driven call by call: they show what the list holds, flat and by section, and flattened.

use crate::items::numbered::Piece;
use proptest::prelude::*;
use std::sync::Arc;
use usual_tide::changes::{Rows, ViewSink};
use usual_tide::lists::{FlatItem, FlatRow, Flattened};
use usual_tide::sections::{Section, SectionKey, SectionRow, SectionViewSink};
use usual_tide::{ChangeSet, Group, Item, ListId, Place, Query, Sort, Store};

/// A flat view, which checks every position.
#[derive(Default)]
struct Rowed(Vec<Arc<Piece>>);

impl ViewSink<Piece> for Rowed {
    fn rows_removed(&mut self, at: usize, count: usize) {
        self.0.drain(at..at + count);
    }
    fn rows_inserted(&mut self, at: usize, rows: &Rows<Piece>) {
        self.0.splice(at..at, rows.iter().cloned());
    }
    fn row_moved(&mut self, from: usize, to: usize) {
        let row = self.0.remove(from);
        self.0.insert(to, row);
    }
    fn row_updated(&mut self, at: usize, item: &Arc<Piece>) {
        assert_eq!(self.0[at].id, item.id);
        self.0[at] = Arc::clone(item);
    }
}

/// A view of two levels.
#[derive(Default)]
struct Sectioned(Vec<(Arc<Section>, Vec<Arc<Piece>>)>);

impl SectionViewSink<Piece> for Sectioned {
    fn section_removed(&mut self, at: usize) {
        assert!(self.0.remove(at).1.is_empty());
    }
    fn section_inserted(&mut self, at: usize, section: &Arc<Section>) {
        self.0.insert(at, (Arc::clone(section), Vec::new()));
    }
    fn section_moved(&mut self, from: usize, to: usize) {
        let section = self.0.remove(from);
        self.0.insert(to, section);
    }
    fn section_updated(&mut self, at: usize, section: &Arc<Section>) {
        assert_eq!(self.0[at].0.key(), section.key());
        self.0[at].0 = Arc::clone(section);
    }
    fn rows_removed(&mut self, at: SectionRow, count: usize) {
        self.0[at.section].1.drain(at.row..at.row + count);
    }
    fn rows_inserted(&mut self, at: SectionRow, rows: &Rows<Piece>) {
        self.0[at.section]
            .1
            .splice(at.row..at.row, rows.iter().cloned());
    }
    fn row_moved(&mut self, from: SectionRow, to: SectionRow) {
        let row = self.0[from.section].1.remove(from.row);
        self.0[to.section].1.insert(to.row, row);
    }
    fn row_updated(&mut self, at: SectionRow, item: &Arc<Piece>) {
        assert_eq!(self.0[at.section].1[at.row].id, item.id);
        self.0[at.section].1[at.row] = Arc::clone(item);
    }
}

fn by_section(store: &Store<Piece>, list: ListId) -> Vec<(Arc<Section>, Vec<Arc<Piece>>)> {
    let rows = store.list(list).unwrap();
    let sections = rows.sections().zip(0..);
    sections
        .map(|(section, at)| (section, rows.items_in(rows.rows_in(at)).cloned().collect()))
        .collect()
}

/// A column of headings and rows: what a flattened list is to show.
fn column(store: &Store<Piece>, list: ListId) -> Vec<Arc<FlatItem<Piece>>> {
    let sections = by_section(store, list).into_iter();
    let rows = sections.flat_map(|(section, rows)| {
        let heading = (*section.key() != SectionKey::WHOLE).then_some(FlatRow::Heading(section));
        heading
            .into_iter()
            .chain(rows.into_iter().map(FlatRow::Item))
    });
    rows.map(|row| Arc::new(FlatItem::new(row))).collect()
}

/// No heading or row leaves that is there afterwards, and no more of them move than must.
fn assert_fewest(
    before: &[Arc<FlatItem<Piece>>],
    after: &[Arc<FlatItem<Piece>>],
    changes: &ChangeSet<FlatItem<Piece>>,
) {
    let place = |item: &Arc<FlatItem<Piece>>| before.iter().position(|old| old.key() == item.key());
    let kept: Vec<usize> = after.iter().filter_map(place).collect();
    // For each of them the longest run in order that it ends.
    let mut longest: Vec<usize> = Vec::new();
    for (at, place) in kept.iter().enumerate() {
        let earlier = (0..at).filter(|other| kept[*other] < *place);
        longest.push(1 + earlier.map(|other| longest[other]).max().unwrap_or(0));
    }
    let removed: usize = changes.removed().iter().map(|run| run.rows.len()).sum();
    let moved: usize = changes.moved().iter().map(|run| run.len).sum();
    assert_eq!(removed, before.len() - kept.len());
    assert_eq!(moved, kept.len() - longest.into_iter().max().unwrap_or(0));
}

/// A query of the list, by number.
fn query(kind: u8) -> Query<Piece> {
    let query = Query::new();
    match kind % 6 {
        0 => query.group(Group::by(Piece::SHELF)),
        1 => query
            .group(Group::by(Piece::SHELF).descending())
            .sort(Piece::HEIGHT),
        2 => query.group(Group::by(Piece::HEIGHT).keep_empty()),
        3 => query
            .group(Group::by(Piece::SHELF))
            .filter(Piece::HEIGHT.at_least(2)),
        4 => query.group(Group::by(Piece::SHELF)).skip(2).take(6),
        _ => query.sort(Sort::from(Piece::HEIGHT).descending()),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(200)) })]

    #[test]
    fn driven_views_show_what_the_list_holds(
        first in 0..6_u8,
        edits in prop::collection::vec((0..9_u8, 0..20_u32, 0..4_u8, 0..5_u8, 1..6_usize), 1..40),
    ) {
        let piece = |id, shelf, height| Piece { id, shelf, height, ..Piece::default() };
        let mut store = Store::load((0..10).map(|id| piece(id, id as u8 % 3, id as u8 % 4))).unwrap();
        let list = store.bind(query(first));
        let feed = store.feed(list).unwrap();
        let mut rowed = Rowed(store.list(list).unwrap().items().cloned().collect());
        let mut sectioned = Sectioned(by_section(&store, list));
        let mut flattened = column(&store, list);
        for chunk in edits.chunks(edits[0].4) {
            for (kind, id, shelf, height, _) in chunk.iter().copied() {
                match kind {
                    0 => drop(store.add(piece(id, shelf, height), Place::Start)),
                    1 => drop(store.remove(&id)),
                    2 | 3 => drop(store.edit(&id, |item| *item = piece(id, shelf, height))),
                    4 => drop(store.move_to(&id, Place::Row(usize::from(height)))),
                    5 => store.list_mut(list).unwrap().set_query(query(height)),
                    6 => drop(store.list_mut(list).unwrap().collapse(&shelf.into())),
                    7 => drop(store.list_mut(list).unwrap().expand(&shelf.into())),
                    _ => drop(store.reload((0..id).rev().map(|id| piece(id, (id as u8 + shelf) % 4, height)))),
                }
            }
            let Some(changes) = feed.read(&store).unwrap() else { continue };
            changes.drive(&mut rowed);
            prop_assert!(rowed.0.iter().eq(store.list(list).unwrap().items()));
            changes.by_section().drive(&mut sectioned);
            prop_assert_eq!(&sectioned.0, &by_section(&store, list));

            let flat = changes.flattened();
            prop_assert_eq!(flat.len_before(), flattened.len());
            let expected = column(&store, list);
            assert_fewest(&flattened, &expected, &flat);
            flat.apply(&mut flattened).unwrap();
            prop_assert_eq!(&flattened, &expected);
            let view = Flattened::of(store.list(list).unwrap());
            prop_assert_eq!(view.len(), expected.len());
            for (at, row) in expected.iter().enumerate() {
                let found = view.at(at).unwrap();
                prop_assert_eq!(&found, row.row());
                if let FlatRow::Item(item) = &found {
                    prop_assert_eq!(view.position(&item.id), Some(at));
                }
            }
            prop_assert!(view.at(expected.len()).is_none());
        }
    }
}
