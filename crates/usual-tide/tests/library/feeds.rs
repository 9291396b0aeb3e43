//! Feeds: what comes to nothing, who reads late, and what is too old.

use crate::items::usual::Piece;
use std::sync::Arc;
use usual_tide::lists::{PositionError, UnknownList};
use usual_tide::{EditError, ListId, Place, Query, Replica, Store};

fn store(pieces: u32) -> (Store<Piece>, ListId) {
    let pieces = (0..pieces).map(|id| Piece::of_height(id, id % 7));
    let mut store = Store::load(pieces).unwrap();
    let list = store.bind(Query::new());
    (store, list)
}

fn replica(store: &Store<Piece>, list: ListId) -> Replica<Piece> {
    store.list(list).unwrap().items().cloned().collect()
}

#[test]
fn what_comes_to_nothing_is_not_told() {
    let (mut store, list) = store(5);
    let feed = store.feed(list).unwrap();
    assert_eq!(feed.read(&store).unwrap(), None);

    store.add(Piece::of_height(9, 1), Place::Start).unwrap();
    store.remove(&9).unwrap();
    assert_eq!(feed.read(&store).unwrap(), None);

    store.edit(&2, |piece| piece.height_mm = 99).unwrap();
    store.edit(&2, |piece| piece.height_mm = 2).unwrap();
    assert_eq!(feed.read(&store).unwrap(), None);

    store.move_to(&4, Place::Start).unwrap();
    store.move_to(&4, Place::End).unwrap();
    assert_eq!(feed.read(&store).unwrap(), None);

    let gone = store.remove(&3).unwrap();
    store.add(Piece::clone(&gone), Place::Row(3)).unwrap();
    assert_eq!(feed.read(&store).unwrap(), None);
}

#[test]
fn a_key_that_left_and_came_back_is_a_kept_row() {
    let (mut store, list) = store(5);
    let feed = store.feed(list).unwrap();
    store.remove(&0).unwrap();
    store.add(Piece::of_height(0, 50), Place::End).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert!(changes.removed().is_empty() && changes.inserted().is_empty());
    assert_eq!((changes.moved()[0].from, changes.moved()[0].to), (0, 4));
    assert_eq!(changes.updated()[0].fields()[0].as_pointer(), "/height_mm");
}

#[test]
fn a_feed_that_reads_after_very_many_edits_gets_one_small_set() {
    let (mut store, list) = store(100);
    let late = store.feed(list).unwrap();
    let mut view = replica(&store, list);
    // More edits than a list keeps one by one, on few rows.
    for round in 0..40_000 {
        store
            .edit(&(round % 3), |piece| piece.height_mm = 1000 + round)
            .unwrap();
        if round % 1000 == 0 {
            store
                .move_to(&7, Place::Row(round as usize / 1000))
                .unwrap();
        }
    }
    let changes = late.read(&store).unwrap().unwrap();
    assert_eq!(changes.updated().len(), 3);
    assert_eq!(changes.moved().len(), 1);
    view.apply(&changes).unwrap();
    assert!(view.items().eq(store.list(list).unwrap().items()));
}

#[test]
fn a_feed_that_missed_many_windows_is_told_of_the_last() {
    let (mut store, _) = store(100);
    let list = store.bind(Query::new().take(10));
    let late = store.feed(list).unwrap();
    let mut view = replica(&store, list);
    for skip in (0..600).map(|round| round % 7) {
        store
            .list_mut(list)
            .unwrap()
            .change_query(|query| query.skip(skip));
    }
    view.apply(&late.read(&store).unwrap().unwrap()).unwrap();
    assert!(view.items().eq(store.list(list).unwrap().items()));
}

#[test]
fn several_feeds_of_a_list_read_apart() {
    let (mut store, list) = store(10);
    let one = store.feed(list).unwrap();
    store.remove(&0).unwrap();
    let two = store.feed(list).unwrap();
    store.remove(&5).unwrap();
    assert_eq!(one.read(&store).unwrap().unwrap().removed().len(), 2);
    assert_eq!(two.read(&store).unwrap().unwrap().removed().len(), 1);
    drop(one);
    store.remove(&6).unwrap();
    assert_eq!(two.read(&store).unwrap().unwrap().removed()[0].at, 4);
}

#[test]
fn a_stale_index_names_what_the_person_saw_or_is_too_old() {
    let (mut store, list) = store(10);
    let seen = store.list(list).unwrap().version();
    store.remove(&3).unwrap();
    store.add(Piece::of_height(77, 0), Place::Start).unwrap();
    let rows = store.list(list).unwrap();
    assert_eq!(
        rows.key_shown(3, seen),
        Ok(3),
        "it is gone, and was seen all the same"
    );
    assert_eq!(rows.key_shown(4, seen), Ok(4));
    assert_eq!(
        rows.key_shown(10, seen),
        Err(PositionError::OutOfRange {
            position: 10,
            len: 10
        })
    );
    for height in 0..2000 {
        store
            .edit(&5, |piece| piece.height_mm = 100 + height)
            .unwrap();
    }
    let too_old = store.list(list).unwrap().key_shown(4, seen).unwrap_err();
    assert!(
        matches!(too_old, PositionError::TooOld { changes: 2002, .. }),
        "{too_old}"
    );
    let (other, other_list) = self::store(1);
    let ahead = store.list(list).unwrap().version();
    assert_eq!(
        other.list(other_list).unwrap().key_shown(0, ahead),
        Err(PositionError::UnknownVersion)
    );
}

#[test]
fn a_window_speaks_of_its_rows_alone() {
    let (mut store, _) = store(100);
    let list = store.bind(Query::new().skip(10).take(5).numbered());
    let feed = store.feed(list).unwrap();
    let mut view = replica(&store, list);
    assert_eq!(store.list(list).unwrap().number(0), Some(11));

    store.edit(&50, |piece| piece.height_mm = 99).unwrap();
    assert_eq!(feed.read(&store).unwrap(), None, "out of sight");

    store.remove(&0).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!((changes.removed()[0].at, changes.inserted()[0].at), (0, 4));
    assert_eq!(changes.touched(), 2);
    let renumbered = changes.renumbered().unwrap();
    assert_eq!((renumbered[0].clone(), renumbered.len()), (0..4, 1));
    view.apply(&changes).unwrap();

    store.list_mut(list).unwrap().load_more(20);
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!(changes.inserted()[0].range(), 5..25);
    assert_eq!(changes.touched(), 20);
    view.apply(&changes).unwrap();
    assert!(view.items().eq(store.list(list).unwrap().items()));
}

#[test]
fn hiding_many_neighbours_is_one_run() {
    let (mut store, list) = store(10_000);
    let feed = store.feed(list).unwrap();
    let mut view = replica(&store, list);
    store
        .list_mut(list)
        .unwrap()
        .change_query(|query| query.filter(|piece: &Piece| !(500..9_500).contains(&piece.id)));
    // What a run carries is what was shown, whatever becomes of the items.
    store.edit(&600, |piece| piece.height_mm = 12_345).unwrap();
    store.remove(&700).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!(changes.removed().len(), 1);
    assert_eq!(changes.removed()[0].range(), 500..9_500);
    assert_eq!(
        changes.removed()[0].rows.at(100).unwrap().height_mm,
        600 % 7
    );
    assert_eq!(changes.removed()[0].rows.at(200).unwrap().id, 700);
    view.apply(&changes).unwrap();
    let mut back: Vec<Arc<Piece>> = view.items().cloned().collect();
    changes.inverse().apply(&mut back).unwrap();
    assert_eq!(back.len(), 10_000);

    store
        .list_mut(list)
        .unwrap()
        .change_query(Query::unfiltered);
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!(changes.inserted().len(), 1);
    view.apply(&changes).unwrap();
    assert!(view.items().eq(store.list(list).unwrap().items()));
}

#[test]
fn lists_that_are_gone_or_foreign_are_typed_errors() {
    let (mut store, list) = store(3);
    let (mut other, other_list) = self::store(3);
    let feed = store.feed(list).unwrap();
    assert!(matches!(feed.read(&other), Err(UnknownList { .. })));
    assert!(other.list(list).is_err() && store.list(other_list).is_err());
    assert!(other.feed(list).is_err() && other.unbind(list).is_err());
    assert!(other.list_mut(list).is_err());
    store.unbind(list).unwrap();
    assert!(feed.read(&store).is_err());
    assert!(store.list(list).is_err());
    assert_eq!(store.unbind(list).unwrap_err().number, 0);
}

#[test]
fn refused_edits_say_what_where_and_what_could_have_been() {
    let (mut store, _) = store(3);
    let text = |error: EditError<u32>| error.to_string();
    let piece = |id| Piece::of_height(id, 0);
    assert_eq!(
        text(store.add(piece(2), Place::Start).unwrap_err()),
        "the key 2 is taken by the item at position 2"
    );
    assert_eq!(
        text(store.add(piece(9), Place::Gap(4)).unwrap_err()),
        "position 4 is out of range: it can be 0 to 3"
    );
    assert_eq!(
        text(store.move_to(&1, Place::Row(3)).unwrap_err()),
        "position 3 is out of range: it can be 0 to 2"
    );
    assert_eq!(
        text(store.move_to(&1, Place::After(8)).unwrap_err()),
        "no item has the key 8: it was removed, or never added"
    );
    let twice = [1, 5, 6, 5].map(piece);
    let error = store.add_many(twice, Place::End).unwrap_err();
    assert!(error.is_duplicate());
    assert_eq!(
        text(error),
        "2 keys belong to more than one item: 1 at 0, and in the store; 5 at 1, 3 (positions from 0)"
    );
    let twice = [4, 4, 4].map(piece);
    assert_eq!(
        text(store.reload(twice).unwrap_err()),
        "a key belongs to more than one item: 4 at 0, 1, 2 (positions from 0)"
    );
    assert_eq!(store.len(), 3);
    assert!(size_of::<EditError<u32>>() <= 32 && size_of::<EditError<String>>() <= 56);
}

/// One way to change what a list shows.
type Change = fn(&mut Store<Piece>, ListId);

#[test]
fn no_change_is_silent() {
    let piece = |id| Piece::of_height(id, 1);
    let ways: [(&str, Change); 17] = [
        ("add", |store, _| {
            store.add(Piece::of_height(90, 1), Place::Row(2)).unwrap()
        }),
        ("add in a list", |store, list| {
            store
                .list_mut(list)
                .unwrap()
                .add(Piece::of_height(91, 1), Place::Start)
                .unwrap();
        }),
        ("add many", |store, _| {
            let more = (92..95).map(|id| Piece::of_height(id, 2));
            store.add_many(more, Place::After(3)).unwrap();
        }),
        ("edit", |store, _| {
            assert!(store.edit(&4, |piece| piece.height_mm = 70).unwrap())
        }),
        ("edit many", |store, _| {
            assert_eq!(
                store.edit_many(&[5, 6], |piece| piece.height_mm = 71),
                Ok(2)
            );
        }),
        ("replace", |store, _| {
            assert!(store.replace(Piece::of_height(7, 72)).unwrap())
        }),
        ("move", |store, _| {
            assert!(store.move_to(&0, Place::Gap(5)).unwrap())
        }),
        ("move many", |store, _| {
            assert!(store.move_many(&[8, 2], Place::End).unwrap())
        }),
        ("move in a list", |store, list| {
            assert!(
                store
                    .list_mut(list)
                    .unwrap()
                    .move_to(&[1], Place::End)
                    .unwrap()
            )
        }),
        ("remove", |store, _| drop(store.remove(&9).unwrap())),
        ("remove many", |store, _| {
            drop(store.remove_many(&[3, 4]).unwrap())
        }),
        ("undo", |store, _| {
            drop(store.history_mut().undo().unwrap().unwrap())
        }),
        ("redo", |store, _| {
            drop(store.history_mut().redo().unwrap().unwrap())
        }),
        ("propose", |store, _| {
            store.removals_mut().begin(&[5]).unwrap();
        }),
        ("cancel", |store, _| {
            let id = store.removals().iter().next().unwrap().0;
            store.removals_mut().cancel(id).unwrap();
        }),
        ("commit", |store, _| {
            let mut draft = store.drafts_mut().begin(&6).unwrap();
            draft.set(Piece::HEIGHT_MM, 400).unwrap();
            store.drafts_mut().commit(draft).unwrap();
        }),
        ("reload", |store, _| {
            let fewer: Vec<Piece> = store
                .items()
                .skip(1)
                .map(|item| Piece::clone(item))
                .collect();
            store.reload(fewer).unwrap();
        }),
    ];
    let (mut store, list) = store(12);
    let filtered = store.bind(Query::new().filter(|piece: &Piece| piece.height_mm < 60));
    let feeds =
        [list, filtered].map(|list| (list, store.feed(list).unwrap(), replica(&store, list)));
    let mut feeds = Vec::from(feeds);
    for (name, change) in ways {
        change(&mut store, list);
        for (list, feed, view) in &mut feeds {
            let told = feed.read(&store).unwrap();
            assert!(told.is_some() || *list == filtered, "{name} was silent");
            if let Some(changes) = told {
                view.apply(&changes).unwrap();
            }
            assert!(
                view.items().eq(store.list(*list).unwrap().items()),
                "{name}"
            );
        }
    }
    // What the store hands out cannot be changed behind its back.
    let mut handed_out = Arc::clone(store.get(&5).unwrap());
    assert!(Arc::get_mut(&mut handed_out).is_none());
    *Arc::make_mut(&mut handed_out) = piece(5);
    assert_ne!(**store.get(&5).unwrap(), *handed_out);
}

#[test]
fn the_last_64_changes_are_known_however_many_rows_they_touch() {
    let (mut store, list) = store(500);
    let seen = store.list(list).unwrap().version();
    for round in 1..=64 {
        let keys: Vec<u32> = (0..500).collect();
        store
            .edit_many(&keys, |piece| piece.height_mm += round)
            .unwrap();
    }
    assert_eq!(store.list(list).unwrap().key_shown(17, seen), Ok(17));
    let all: Vec<u32> = (0..500).collect();
    store.edit_many(&all, |piece| piece.height_mm = 0).unwrap();
    assert_eq!(
        store.list(list).unwrap().key_shown(17, seen),
        Err(PositionError::TooOld {
            changes: 65,
            known: 64
        })
    );
}
