//! Batches: all or nothing, for the store, its lists and its feeds.

use crate::items::usual::Piece;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use usual_tide::{EditError, Place, Query, Replica, Sort, Store};

fn piece(id: u32) -> Piece {
    Piece::of_height(id, id * 10 % 70)
}

fn store() -> Store<Piece> {
    Store::load((0..10).map(piece)).unwrap()
}

fn ids(store: &Store<Piece>) -> Vec<u32> {
    store.items().map(|piece| piece.id).collect()
}

type Edited = Result<(), EditError<u32>>;

#[test]
fn a_batch_is_one_change_set() {
    let mut store = store();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let done: Edited = store.batch(|store| {
        store.remove(&3)?;
        store.add(piece(20), Place::Start)?;
        store.edit(&20, |piece| piece.height_mm = 5)?;
        store.add(piece(21), Place::Start)?;
        store.remove(&21)?;
        store.move_to(&9, Place::Start)?;
        Ok(())
    });
    done.unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!(
        (
            changes.removed().len(),
            changes.inserted().len(),
            changes.moved().len()
        ),
        (1, 1, 1)
    );
    assert_eq!(changes.inserted()[0].rows.at(0).unwrap().height_mm, 5);
    assert_eq!(changes.touched(), 3);
}

#[test]
fn an_inner_batch_that_fails_takes_back_its_own_edits_alone() {
    let mut store = store();
    let list = store.bind(Query::new().sort(Piece::HEIGHT_MM.descending()));
    let feed = store.feed(list).unwrap();
    let mut view: Replica<Piece> = store.list(list).unwrap().items().cloned().collect();
    let done: Edited = store.batch(|store| {
        store.remove(&0)?;
        let inner: Edited = store.batch(|store| {
            store.remove(&1)?;
            store.edit(&2, |piece| piece.height_mm = 999)?;
            store.batch(|store| store.remove(&2))?;
            store.remove(&777)?;
            Ok(())
        });
        assert_eq!(inner, Err(EditError::UnknownKey(777)));
        assert_eq!(ids(store), [1, 2, 3, 4, 5, 6, 7, 8, 9]);
        store.edit(&1, |piece| piece.height_mm = 500)?;
        Ok(())
    });
    done.unwrap();
    store.check().unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!((changes.removed().len(), changes.updated().len()), (1, 1));
    view.apply(&changes).unwrap();
    assert!(view.items().eq(store.list(list).unwrap().items()));
    assert_eq!(store.list(list).unwrap().at(0).unwrap().id, 1);
}

#[test]
fn a_query_changed_in_a_batch_that_fails_is_the_old_one_again() {
    let mut store = store();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let before: Vec<_> = store.list(list).unwrap().items().cloned().collect();
    let done: Edited = store.batch(|store| {
        store.remove(&4)?;
        store.list_mut(list).unwrap().change_query(|query| {
            let sort = Sort::by(|piece: &Piece| &piece.height_mm).descending();
            query
                .filter(|piece: &Piece| piece.id > 2)
                .sort(sort)
                .skip(1)
        });
        assert_eq!(store.list(list).unwrap().len(), 5);
        store.hold(&5)?;
        store.edit(&5, |piece| piece.height_mm = 0)?;
        // What may still be taken back is not told.
        assert_eq!(feed.read(store).unwrap(), None);
        store.remove(&4)?;
        Ok(())
    });
    assert_eq!(done, Err(EditError::UnknownKey(4)));
    store.check().unwrap();
    assert!(store.list(list).unwrap().items().eq(&before));
    assert_eq!(feed.read(&store).unwrap(), None);
    store.remove(&4).unwrap();
    assert_eq!(feed.read(&store).unwrap().unwrap().removed()[0].at, 4);
}

#[test]
fn a_list_bound_in_a_batch_is_in_step_or_gone_with_it() {
    let mut store = store();
    let bound = store.batch(|store| {
        store.add(piece(30), Place::Start)?;
        store.remove(&5)?;
        let list = store.bind(Query::new().filter(|piece: &Piece| piece.id != 7));
        let feed = store.feed(list).unwrap();
        let view: Replica<Piece> = store.list(list).unwrap().items().cloned().collect();
        store.remove(&30)?;
        store.edit(&1, |piece| piece.height_mm = 1)?;
        Ok::<_, EditError<u32>>((list, feed, view))
    });
    let (list, feed, mut view) = bound.unwrap();
    store.check().unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!((changes.removed()[0].at, changes.updated()[0].from), (0, 2));
    view.apply(&changes).unwrap();
    assert!(view.items().eq(store.list(list).unwrap().items()));

    let mut lost = None;
    let done: Edited = store.batch(|store| {
        let list = store.bind(Query::new());
        lost = Some((list, store.feed(list).unwrap()));
        store.remove(&999)?;
        Ok(())
    });
    assert!(done.is_err());
    let (list, feed) = lost.unwrap();
    assert!(store.list(list).is_err() && feed.read(&store).is_err());
}

#[test]
fn a_feed_made_in_a_batch_that_fails_goes_on_from_what_is_left() {
    let mut store = store();
    let list = store.bind(Query::new());
    let mut made = None;
    let done: Edited = store.batch(|store| {
        store.remove(&0)?;
        store
            .list_mut(list)
            .unwrap()
            .change_query(|query| query.take(5));
        made = Some(store.feed(list).unwrap());
        store.remove(&0)?;
        Ok(())
    });
    assert!(done.is_err());
    store.remove(&9).unwrap();
    let changes = made.unwrap().read(&store).unwrap().unwrap();
    assert_eq!(changes.len_after(), 9);
}

#[test]
fn large_batches_go_the_ways_for_many_rows() {
    // Enough rows, and shares of them, for each way a list has of following a batch.
    for touched in [1, 10, 100, 400, 1_500, 6_000] {
        let mut store = Store::load((0..6_000).map(piece)).unwrap();
        let lists = [
            store.bind(Query::new()),
            store.bind(Query::new().filter(|piece: &Piece| piece.height_mm > 10)),
            store.bind(Query::new().sort(Piece::HEIGHT_MM)),
            store.bind(Query::new().sort(Sort::from_fn(|one: &Piece, two: &Piece| {
                (two.height_mm / 20).cmp(&(one.height_mm / 20))
            }))),
        ];
        let feeds = lists.map(|list| store.feed(list).unwrap());
        let mut views: [Replica<Piece>; 4] =
            lists.map(|list| store.list(list).unwrap().items().cloned().collect());
        for round in 0..3 {
            let done: Edited = store.batch(|store| {
                for step in 0..touched {
                    let id = (step * 7 + round) % 6_000;
                    match step % 5 {
                        0 if store.contains(&id) => drop(store.remove(&id)?),
                        1 if store.contains(&id) => drop(store.move_to(&id, Place::Row(17))?),
                        _ if store.contains(&id) => {
                            store.edit(&id, |piece| piece.height_mm = (id * 31 + round) % 90)?;
                        }
                        _ => store.add(piece(id), Place::Gap(step as usize % 100))?,
                    }
                }
                Ok(())
            });
            done.unwrap();
            store.check().unwrap();
            for ((list, feed), view) in lists.iter().zip(&feeds).zip(&mut views) {
                if let Some(changes) = feed.read(&store).unwrap() {
                    view.apply(&changes).unwrap();
                }
                assert!(view.items().eq(store.list(*list).unwrap().items()));
            }
        }
        for _ in 0..3 {
            assert!(
                store
                    .history_mut()
                    .undo()
                    .unwrap()
                    .unwrap()
                    .skipped
                    .is_empty()
            );
            store.check().unwrap();
        }
        assert!(
            store
                .items()
                .map(|item| Piece::clone(item))
                .eq((0..6_000).map(piece))
        );
    }
}

#[test]
fn a_large_block_moves_within_each_list() {
    // As many neighbours as are merged in leaf by leaf, moved into their own middle and far away.
    for to in [0, 9_500, 10_010, 11_500, 59_000] {
        let mut store = Store::load((0..60_000).map(piece)).unwrap();
        let lists = [
            store.bind(Query::new()),
            store.bind(Query::new().sort(Piece::HEIGHT_MM)),
        ];
        let feeds = lists.map(|list| store.feed(list).unwrap());
        let mut views = lists.map(|list| {
            let rows = store.list(list).unwrap();
            rows.items().cloned().collect::<Replica<Piece>>()
        });
        let block: Vec<u32> = (10_000..11_000).collect();
        store.move_many(&block, Place::Row(to)).unwrap();
        store.check().unwrap();
        assert_eq!(store.position(&10_000), Some(to));
        for ((list, feed), view) in lists.iter().zip(&feeds).zip(&mut views) {
            let changes = feed.read(&store).unwrap().unwrap();
            view.apply(&changes).unwrap();
            assert!(view.items().eq(store.list(*list).unwrap().items()));
        }
    }
}

#[test]
fn a_list_that_a_failed_batch_unbound_is_bound_again() {
    let mut store = store();
    let list = store.bind(Query::new().sort(Piece::HEIGHT_MM));
    let feed = store.feed(list).unwrap();
    let before: Vec<u32> = store
        .list(list)
        .unwrap()
        .items()
        .map(|item| item.id)
        .collect();
    let failed: Edited = store.batch(|store| {
        store.remove(&1)?;
        store
            .list_mut(list)
            .unwrap()
            .change_query(|query| query.unsorted());
        store.unbind(list).unwrap();
        store.remove(&2)?;
        assert!(store.list(list).is_err());
        store.remove(&99).map(drop)
    });
    failed.unwrap_err();
    let after: Vec<u32> = store
        .list(list)
        .unwrap()
        .items()
        .map(|item| item.id)
        .collect();
    assert_eq!(after, before);
    assert_eq!(feed.read(&store).unwrap(), None);
    store.check().unwrap();
    store.remove(&1).unwrap();
    assert_eq!(feed.read(&store).unwrap().unwrap().removed().len(), 1);
    let done: Edited = store.batch(|store| {
        store.unbind(list).unwrap();
        Ok(())
    });
    done.unwrap();
    assert!(store.list(list).is_err());
}

#[test]
fn a_feed_made_in_a_failed_batch_begins_where_the_list_is_taken_back_to() {
    let mut store = store();
    let list = store.bind(Query::new().take(3));
    let mut made = None;
    let failed: Edited = store.batch(|store| {
        store
            .list_mut(list)
            .unwrap()
            .change_query(|query| query.take(7));
        made = store.feed(list).ok();
        store.remove(&99).map(drop)
    });
    failed.unwrap_err();
    let feed = made.unwrap();
    let mut view: Replica<Piece> = store.list(list).unwrap().items().cloned().collect();
    assert_eq!(view.len(), 3);
    store.remove(&0).unwrap();
    view.apply(&feed.read(&store).unwrap().unwrap()).unwrap();
    assert!(view.items().eq(store.list(list).unwrap().items()));
}

#[test]
fn what_runs_in_between_leaves_a_batch_what_it_is() {
    let mut store = store();
    let draft = store.drafts_mut().begin(&1).unwrap();
    std::thread::scope(|scope| {
        let (send, dropped) = std::sync::mpsc::channel();
        let started = std::sync::mpsc::channel();
        scope.spawn(move || {
            let () = started.1.recv().unwrap();
            drop(draft);
            send.send(()).unwrap();
        });
        let from_source: Edited = store.from_source(|store| {
            started.0.send(()).unwrap();
            dropped.recv().unwrap();
            store.edit(&2, |piece| piece.height_mm = 1).map(drop)
        });
        from_source.unwrap();
    });
    assert_eq!(
        store.history().undo_len(),
        0,
        "the source's edit is no step"
    );

    let draft = store.drafts_mut().begin(&1).unwrap();
    drop(draft);
    let named: Edited = store.batch_named("Lower it", |store| {
        store.edit(&3, |piece| piece.height_mm = 1).map(drop)
    });
    named.unwrap();
    assert_eq!(store.history().undo_name(), Some("Lower it"));
    drop(store.drafts_mut().begin(&1).unwrap());
    store
        .from_source(|store| store.edit(&4, |piece| piece.height_mm = 1))
        .unwrap();
    assert_eq!(store.history().undo_len(), 1);
    // A reload within a person's batch is a part of that step, and does not hide the rest of it.
    let reloaded: Edited = store.batch(|store| {
        store.edit(&5, |piece| piece.height_mm = 2)?;
        store.reload((0..10).rev().map(piece)).map(drop)
    });
    reloaded.unwrap();
    assert_eq!(store.history().undo_len(), 2);
    store.history_mut().undo().unwrap();
    assert_eq!(ids(&store), (0..10).collect::<Vec<u32>>());
}

#[test]
fn a_page_is_placed_without_reading_the_items_that_are_there() {
    const PAGE: u32 = 200;
    let reads = Arc::new(AtomicUsize::new(0));
    let counter = Arc::clone(&reads);
    let by_title = Sort::by(move |piece: &Piece| {
        counter.fetch_add(1, Ordering::Relaxed);
        &piece.title
    });
    // Three beginnings, which fill the prefix, and endings in no order.
    let titled = |id: u32| {
        let beginning = ["a green vase", "a small vase", "a white vase"][id as usize % 3];
        Piece {
            title: format!("{beginning} {:05}", id * 7919 % 10_007),
            ..piece(id)
        }
    };
    let mut store = Store::new();
    let list = store.bind(Query::new().sort(by_title));
    let memory = |store: &Store<Piece>| store.list(list).unwrap().bytes().sort_keys;
    for page in 0..30 {
        let first = page * PAGE;
        reads.store(0, Ordering::Relaxed);
        store
            .add_many((first..first + PAGE).map(titled), Place::End)
            .unwrap();
        let reads = reads.load(Ordering::Relaxed);
        // Each of its own items a few times, once there are more of the others than would be read one after the other.
        assert!(
            page < 10 || reads < 5 * PAGE as usize,
            "page {page}: {reads} reads"
        );
    }
    store.check().unwrap();

    // When no page comes any more, what was kept for them is given back.
    let with_pages = memory(&store);
    for id in 0..70 {
        store.edit(&id, |piece| piece.height_mm += 1).unwrap();
    }
    assert!(memory(&store) + 6_000 * 8 <= with_pages);
}
