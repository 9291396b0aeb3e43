//! Selection: it holds keys, so it survives whatever happens to the rows.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use proptest::prelude::*;
use std::collections::HashSet;
use usual_tide::lists::{Dropped, PositionError};
use usual_tide::{Item, ListId, Place, Query, Selection, Sort, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    fired: bool,
}

fn store(pieces: u32) -> (Store<Piece>, ListId) {
    let pieces = (0..pieces).map(|id| Piece { id, fired: false });
    let mut store = Store::load(pieces).unwrap();
    let list = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    (store, list)
}

#[test]
fn a_range_is_taken_from_the_row_that_was_selected_last() {
    let (store, list) = store(10);
    let rows = store.list(list).unwrap();
    let mut selection = Selection::new();
    selection.select(&rows, 6).unwrap();
    selection.extend_to(&rows, 3).unwrap();
    assert_eq!(selection.selected_in(&rows), [3, 4, 5, 6]);
    selection.extend_to(&rows, 8).unwrap();
    assert_eq!(selection.selected_in(&rows), [6, 7, 8]);
    selection.toggle(&rows, 7).unwrap();
    selection.toggle(&rows, 0).unwrap();
    assert_eq!(selection.selected_in(&rows), [0, 6, 8]);
    assert_eq!(selection.current(), Some(&0));
    selection.select_all(&rows);
    assert_eq!(selection.len(), 10);
    selection.clear();
    assert!(selection.is_empty());
    assert_eq!(selection.current(), Some(&0));
    let out_of_range = PositionError::OutOfRange {
        position: 10,
        len: 10,
    };
    assert_eq!(selection.select(&rows, 10), Err(out_of_range));
    assert_eq!(
        selection.open(&rows, 99).unwrap_err().to_string(),
        "position 99 is out of range: the list had 10 rows (0..10)"
    );
}

#[test]
fn when_the_current_row_goes_its_successor_is_current_or_else_its_predecessor() {
    let (mut store, list) = store(5);
    let feed = store.feed(list).unwrap();
    let mut selection = Selection::new();
    selection.select(&store.list(list).unwrap(), 2).unwrap();
    selection.open(&store.list(list).unwrap(), 2).unwrap();

    // It is filtered out, and the row above it goes at the same time.
    store.edit(&2, |piece| piece.fired = true).unwrap();
    store.remove(&1).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    let dropped = selection.follow(&changes, &store.list(list).unwrap());
    let all = Dropped {
        current: Some(2),
        selected: vec![2],
        open: Some(2),
    };
    assert_eq!(dropped, all);
    assert_eq!(
        (selection.current(), selection.open_row()),
        (Some(&3), None)
    );

    store.remove_many(&[3, 4]).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!(selection.current(), Some(&0));

    store.remove(&0).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    let dropped = selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!((selection.current(), dropped.current), (None, Some(0)));
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(400) })]

    #[test]
    fn what_is_shown_stays_marked_and_what_is_gone_is_told(
        marks in prop::collection::vec((0..3u8, 0..20usize), 1..6),
        edits in prop::collection::vec((0..6u8, 0..24u32, 0..20usize), 1..40),
    ) {
        let (mut store, list) = store(20);
        let feed = store.feed(list).unwrap();
        let mut selection = Selection::new();
        for (kind, at) in marks {
            let rows = store.list(list).unwrap();
            match kind {
                0 => selection.select(&rows, at).unwrap(),
                1 => selection.toggle(&rows, at).unwrap(),
                _ => selection.extend_to(&rows, at).unwrap(),
            }
            selection.open(&rows, at).unwrap();
        }
        let selected: Vec<u32> = selection.selected_in(&store.list(list).unwrap());
        let mut marked: HashSet<u32> = selected.into_iter().collect();
        for (kind, key, to) in edits {
            let (current, open) = (selection.current().copied(), selection.open_row().copied());
            match kind {
                0 => drop(store.add(Piece { id: key, fired: false }, Place::Start)),
                1 => drop(store.remove(&key)),
                2 => drop(store.edit(&key, |piece| piece.fired = !piece.fired)),
                3 => drop(store.move_to(&key, Place::Row(to))),
                4 => store
                    .list_mut(list).unwrap().change_query(|query| query.sort(Sort::by(|piece: &Piece| &piece.id).descending())),
                _ => store.list_mut(list).unwrap().change_query(Query::unsorted),
            }
            let Some(changes) = feed.read(&store).unwrap() else { continue };
            let rows = store.list(list).unwrap();
            let dropped = selection.follow(&changes, &rows);
            for key in &dropped.selected {
                prop_assert!(marked.remove(key));
                prop_assert_eq!(rows.position(key), None);
            }
            let kept: HashSet<u32> = selection.selected_in(&rows).into_iter().collect();
            prop_assert_eq!(&kept, &marked);
            let gone = |key: Option<u32>| key.filter(|key| rows.position(key).is_none());
            prop_assert_eq!(dropped.current, gone(current));
            prop_assert_eq!(dropped.open, gone(open));
            match selection.current() {
                Some(key) => prop_assert!(rows.position(key).is_some()),
                None => prop_assert!(current.is_none() || rows.is_empty()),
            }
        }
    }
}

#[test]
fn a_row_that_was_selected_before_the_changes_were_read_is_followed() {
    let (mut store, list) = store(5);
    let feed = store.feed(list).unwrap();
    let mut selection = Selection::new();
    // The view has not been told yet that the first row is gone.
    store.remove(&0).unwrap();
    selection.select(&store.list(list).unwrap(), 1).unwrap();
    assert_eq!(selection.current(), Some(&2));
    store.remove(&2).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    let dropped = selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!((dropped.current, dropped.selected), (Some(2), vec![2]));
    assert_eq!(selection.current(), Some(&3));

    // One that came and went in between is in no change set.
    let new = Piece {
        id: 9,
        fired: false,
    };
    store.add(new, Place::Start).unwrap();
    selection.select(&store.list(list).unwrap(), 0).unwrap();
    selection.open(&store.list(list).unwrap(), 0).unwrap();
    store.remove(&9).unwrap();
    store.remove(&4).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    let dropped = selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!(dropped.current, Some(9));
    assert_eq!((dropped.selected, dropped.open), (vec![9], Some(9)));
    assert_eq!(selection.current(), Some(&1));
    assert!(selection.is_empty() && selection.open_row().is_none());
}
