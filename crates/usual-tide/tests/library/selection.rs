//! Selection: it holds keys, so it survives whatever happens to the rows.

use crate::items::usual::Piece;
use proptest::prelude::*;
use std::collections::HashSet;
use usual_tide::lists::{PositionError, Presence};
use usual_tide::{ListId, Place, Query, Selection, Sort, Store};

fn piece(id: u32) -> Piece {
    Piece::of_height(id, 0)
}

fn store(pieces: u32) -> (Store<Piece>, ListId) {
    let pieces = (0..pieces).map(piece);
    let mut store = Store::load(pieces).unwrap();
    let list = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    (store, list)
}

#[test]
fn a_range_is_taken_from_the_row_that_was_selected_last() {
    let (store, list) = store(10);
    let rows = store.list(list).unwrap();
    let mut selection = Selection::new();
    selection.select_at(&rows, 6).unwrap();
    selection.extend_to_at(&rows, 3).unwrap();
    assert_eq!(selection.selected_in(&rows), [3, 4, 5, 6]);
    assert!(selection.extend_to(&rows, &8));
    assert_eq!(selection.selected_in(&rows), [6, 7, 8]);
    selection.toggle_at(&rows, 7).unwrap();
    assert!(selection.toggle(&rows, &0));
    assert_eq!(selection.selected_in(&rows), [0, 6, 8]);
    assert_eq!(selection.current(), Some(&0));
    selection.select_all(&rows);
    assert_eq!(selection.selected_in(&rows).len(), 10);
    selection.clear();
    assert!(selection.is_empty());
    assert_eq!(selection.current(), Some(&0));
    let out_of_range = PositionError::OutOfRange {
        position: 10,
        len: 10,
    };
    assert_eq!(selection.select_at(&rows, 10), Err(out_of_range));
    assert_eq!(
        selection.open_at(&rows, 99).unwrap_err().to_string(),
        "position 99 is out of range: the list had 10 rows (0..10)"
    );
}

#[test]
fn a_range_whose_first_row_is_gone_begins_at_the_current_row() {
    let (mut store, list) = store(10);
    let feed = store.feed(list).unwrap();
    let mut selection = Selection::new();
    selection.select_at(&store.list(list).unwrap(), 6).unwrap();
    store.remove(&6).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!(selection.current(), Some(&7));
    let rows = store.list(list).unwrap();
    assert!(selection.extend_to(&rows, &8));
    assert_eq!(selection.selected_in(&rows), [7, 8]);
    // The range has its first row from then on.
    assert!(selection.extend_to(&rows, &5));
    assert_eq!(selection.selected_in(&rows), [5, 7]);
}

#[test]
fn rows_are_marked_by_key_as_well_and_what_is_not_shown_changes_nothing() {
    let (mut store, list) = store(4);
    store.edit(&3, |piece| piece.fired = true).unwrap();
    let rows = store.list(list).unwrap();
    let mut selection = Selection::new();
    assert!(selection.select(&rows, &1) && selection.open(&rows, &2));
    for key in [3, 99] {
        assert!(!selection.select(&rows, &key) && !selection.toggle(&rows, &key));
        assert!(!selection.extend_to(&rows, &key) && !selection.open(&rows, &key));
    }
    assert_eq!(
        (selection.current(), selection.open_row()),
        (Some(&1), Some(&2))
    );
    assert_eq!(selection.selected_in(&rows), [1]);
    assert_eq!(selection.step(&rows, isize::MAX), Some(2));
    assert_eq!(selection.step(&rows, isize::MIN), Some(0));
    store.remove_many(&[0, 1, 2]).unwrap();
    assert_eq!(selection.step(&store.list(list).unwrap(), 1), None);
    store.edit(&3, |piece| piece.fired = false).unwrap();
    let mut selection = Selection::new();
    assert_eq!(selection.step(&store.list(list).unwrap(), -1), Some(0));
}

#[test]
fn hidden_rows_stay_selected_and_removed_ones_come_back_with_an_undo() {
    let (mut store, list) = store(5);
    let feed = store.feed(list).unwrap();
    let mut selection = Selection::new();
    selection.select_at(&store.list(list).unwrap(), 2).unwrap();
    selection.open_at(&store.list(list).unwrap(), 2).unwrap();
    let follow = |store: &Store<Piece>, selection: &mut Selection<Piece>| {
        let changes = feed.read(store).unwrap().unwrap();
        selection.follow(&changes, &store.list(list).unwrap())
    };

    // It is filtered out, and the row above it goes at the same time.
    store.edit(&2, |piece| piece.fired = true).unwrap();
    store.remove(&1).unwrap();
    let change = follow(&store, &mut selection);
    assert_eq!((change.left, change.hidden), (Some(2), vec![2]));
    assert_eq!((change.removed, change.closed), (vec![], None));
    assert_eq!(
        (selection.current(), selection.open_row()),
        (Some(&3), Some(&2))
    );
    assert!(selection.is_selected(&2));

    // It matches again, and is current again.
    store.edit(&2, |piece| piece.fired = false).unwrap();
    let change = follow(&store, &mut selection);
    assert_eq!((change.left, change.returned), (Some(3), vec![2]));
    assert_eq!(selection.current(), Some(&2));

    // Its removal is pending, and cancelled; then it is removed, and that is undone.
    let asked = store.removals_mut().begin(&[2]).unwrap();
    let change = follow(&store, &mut selection);
    assert_eq!((change.removed, change.closed), (vec![2], Some(2)));
    assert!(!selection.is_selected(&2));
    store.removals_mut().cancel(asked).unwrap();
    assert_eq!(follow(&store, &mut selection).returned, [2]);
    assert_eq!(selection.current(), Some(&2));
    store.remove(&2).unwrap();
    follow(&store, &mut selection);
    store.history_mut().undo().unwrap();
    assert_eq!(follow(&store, &mut selection).returned, [2]);
    assert!(selection.is_selected(&2) && selection.current() == Some(&2));

    // A person who has gone elsewhere meanwhile stays there.
    store.remove(&2).unwrap();
    follow(&store, &mut selection);
    assert!(selection.select(&store.list(list).unwrap(), &4));
    store.history_mut().undo().unwrap();
    assert!(follow(&store, &mut selection).returned.is_empty());
    assert_eq!(selection.current(), Some(&4));

    store.remove_many(&[2, 3, 4]).unwrap();
    assert_eq!(follow(&store, &mut selection).left, Some(4));
    assert_eq!(selection.current(), Some(&0));
    store.remove(&0).unwrap();
    assert_eq!(follow(&store, &mut selection).left, Some(0));
    assert_eq!(selection.current(), None);
}

#[test]
fn a_row_that_is_removed_while_it_is_hidden_is_told_with_the_next_change_set() {
    let (mut store, list) = store(5);
    let feed = store.feed(list).unwrap();
    let mut selection = Selection::new();
    selection.select_at(&store.list(list).unwrap(), 1).unwrap();
    selection
        .extend_to_at(&store.list(list).unwrap(), 3)
        .unwrap();
    let follow = |store: &Store<Piece>, selection: &mut Selection<Piece>| {
        let changes = feed.read(store).unwrap().unwrap();
        selection.follow(&changes, &store.list(list).unwrap())
    };
    store.edit(&1, |piece| piece.fired = true).unwrap();
    store.edit(&2, |piece| piece.fired = true).unwrap();
    assert_eq!(follow(&store, &mut selection).hidden, [1, 2]);
    assert_eq!(selection.len(), 3);
    store.remove(&1).unwrap();
    let asked = store.removals_mut().begin(&[2]).unwrap();
    assert!(feed.read(&store).unwrap().is_none());
    store.move_to(&4, Place::Start).unwrap();
    let mut removed = follow(&store, &mut selection).removed;
    removed.sort_unstable();
    assert_eq!((removed, selection.len()), (vec![1, 2], 1));
    // The one comes back with an undo, the other when its removal is cancelled.
    store.history_mut().undo().unwrap();
    store.history_mut().undo().unwrap();
    store.removals_mut().cancel(asked).unwrap();
    for key in [1, 2] {
        store.edit(&key, |piece| piece.fired = false).unwrap();
    }
    assert_eq!(follow(&store, &mut selection).returned, [1, 2]);
    assert_eq!(selection.len(), 3);
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(200)) })]

    #[test]
    fn what_was_marked_is_marked_whenever_it_is_shown(
        marks in prop::collection::vec((0..3u8, 0..20usize), 1..6),
        edits in prop::collection::vec((0..10u8, 0..24u32, 0..20usize), 1..40),
    ) {
        let (mut store, list) = store(20);
        let feed = store.feed(list).unwrap();
        let mut selection = Selection::new();
        for (kind, at) in marks {
            let rows = store.list(list).unwrap();
            match kind {
                0 => selection.select_at(&rows, at).unwrap(),
                1 => selection.toggle_at(&rows, at).unwrap(),
                _ => selection.extend_to_at(&rows, at).unwrap(),
            }
            selection.open_at(&rows, at).unwrap();
        }
        let wanted = *selection.current().unwrap();
        let marked: Vec<u32> = selection.selected_in(&store.list(list).unwrap());
        let marked: HashSet<u32> = marked.into_iter().collect();
        let mut shown = marked.clone();
        let mut restored = false;
        for (kind, key, to) in edits {
            let open = selection.open_row().copied();
            match kind {
                // The app is closed and opened again.
                9 => {
                    let rows = store.list(list).unwrap();
                    let noted: HashSet<u32> = selection.keys().copied().collect();
                    // Of a hidden row that was removed, or came back, the next change sets tell.
                    prop_assert!(noted.is_subset(&marked));
                    prop_assert!(marked.iter().all(|key| rows.position(key).is_none() || noted.contains(key)));
                    selection.restore(&rows, marked.clone(), Some(wanted));
                    if let Some(open) = open {
                        selection.open(&rows, &open);
                    }
                    restored = true;
                }
                0 => drop(store.add(piece(key), Place::Start)),
                1 => drop(store.remove(&key)),
                2 => drop(store.edit(&key, |piece| piece.fired = !piece.fired)),
                3 => drop(store.move_to(&key, Place::Row(to))),
                4 => store.list_mut(list).unwrap().change_query(|query| {
                    query.sort(Sort::by(|piece: &Piece| &piece.id).descending())
                }),
                5 => store.list_mut(list).unwrap().change_query(Query::unsorted),
                6 => drop(store.history_mut().undo()),
                7 => drop(store.removals_mut().begin(&[key])),
                _ => {
                    let first = store.removals().iter().next().map(|(id, _)| id);
                    first.into_iter().for_each(|id| drop(store.removals_mut().cancel(id)));
                }
            }
            let Some(changes) = feed.read(&store).unwrap() else { continue };
            let rows = store.list(list).unwrap();
            let change = selection.follow(&changes, &rows);
            let now: HashSet<u32> = marked.iter().copied().filter(|key| rows.position(key).is_some()).collect();
            let kept: HashSet<u32> = selection.selected_in(&rows).into_iter().collect();
            prop_assert_eq!(&kept, &now);
            for (keys, presence) in [(&change.removed, Presence::Absent), (&change.hidden, Presence::Hidden)] {
                prop_assert!(keys.iter().all(|key| rows.presence(key) == presence));
            }
            // Those that were hidden before and are removed are told as well.
            let gone: HashSet<u32> = change.removed.iter().chain(&change.hidden).copied().collect();
            let of_shown: HashSet<u32> = gone.intersection(&shown).copied().collect();
            prop_assert_eq!(of_shown, shown.difference(&now).copied().collect());
            prop_assert!(gone.difference(&shown).all(|key| rows.presence(key) == Presence::Absent));
            prop_assert_eq!(selection.len(), kept.len() + selection.hidden_in(&rows).len());
            prop_assert_eq!(change.returned.into_iter().collect::<HashSet<u32>>(), now.difference(&shown).copied().collect());
            shown = now;
            prop_assert_eq!(change.closed, open.filter(|key| rows.presence(key) == Presence::Absent));
            match selection.current() {
                Some(key) => {
                    prop_assert!(rows.position(key).is_some());
                    prop_assert!(*key == wanted || rows.position(&wanted).is_none());
                }
                None => prop_assert!(rows.is_empty() || restored && rows.position(&wanted).is_none()),
            }
        }
    }
}

#[test]
fn a_hidden_row_and_one_that_was_removed_are_selected_no_longer() {
    let (mut store, list) = store(4);
    let feed = store.feed(list).unwrap();
    let mut selection = Selection::new();
    selection.select_all(&store.list(list).unwrap());
    store.edit(&1, |piece| piece.fired = true).unwrap();
    store.remove(&2).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!(
        [1, 2, 3, 9].map(|key| selection.deselect(&key)),
        [true, false, true, false]
    );
    store.history_mut().undo().unwrap();
    store.history_mut().undo().unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!(selection.selected_in(&store.list(list).unwrap()), [0]);
}

#[test]
fn a_row_that_was_selected_before_the_changes_were_read_is_followed() {
    let (mut store, list) = store(5);
    let feed = store.feed(list).unwrap();
    let mut selection = Selection::new();
    // The view has not been told yet that the first row is gone.
    store.remove(&0).unwrap();
    selection.select_at(&store.list(list).unwrap(), 1).unwrap();
    assert_eq!(selection.current(), Some(&2));
    store.remove(&2).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    let change = selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!((change.left, change.removed), (Some(2), vec![2]));
    assert_eq!(selection.current(), Some(&3));

    // One that came and went in between is in no change set.
    let new = piece(9);
    store.add(new, Place::Start).unwrap();
    selection.select_at(&store.list(list).unwrap(), 0).unwrap();
    selection.open_at(&store.list(list).unwrap(), 0).unwrap();
    store.remove(&9).unwrap();
    store.remove(&4).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    let change = selection.follow(&changes, &store.list(list).unwrap());
    assert_eq!(change.left, Some(9));
    assert_eq!((change.removed, change.closed), (vec![9], Some(9)));
    assert_eq!(selection.current(), Some(&1));
    assert!(selection.is_empty() && selection.open_row().is_none());
}
