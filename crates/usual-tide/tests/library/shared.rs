//! One store on several threads, and consumers that are told.

use crate::items::usual::Piece;
use futures::StreamExt;
use futures::executor::block_on;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::thread;
use usual_tide::shared::SharedError;
use usual_tide::{ChangeSet, ListId, Place, Query, Replica, SharedStore, Store};

fn piece(id: u32) -> Piece {
    Piece::of_height(id, id * 7 % 50)
}

fn shared(pieces: u32) -> (SharedStore<Piece>, ListId) {
    let shared = SharedStore::new(Store::load((0..pieces).map(piece)).unwrap());
    let list = shared.edit(|store| store.bind(Query::new())).unwrap();
    (shared, list)
}

fn rows(shared: &SharedStore<Piece>, list: ListId) -> Vec<Arc<Piece>> {
    shared
        .read(|store| store.list(list).unwrap().items().cloned().collect())
        .unwrap()
}

/// A view that a callback keeps, and how often it was told.
#[derive(Clone, Default)]
struct View {
    rows: Arc<Mutex<Replica<Piece>>>,
    told: Arc<AtomicUsize>,
}

impl View {
    fn watch(
        &self,
        shared: &SharedStore<Piece>,
        list: ListId,
    ) -> usual_tide::shared::Subscription<Piece> {
        let subscribed = shared.subscribe(list, |rows| {
            *self.rows.lock().unwrap() = rows.items().cloned().collect();
            let view = self.clone();
            move |changes: &ChangeSet<Piece>| {
                assert!(!changes.is_empty());
                view.rows.lock().unwrap().apply(changes).unwrap();
                view.told.fetch_add(1, Ordering::Relaxed);
            }
        });
        subscribed.unwrap()
    }

    fn told(&self) -> usize {
        self.told.load(Ordering::Relaxed)
    }
}

#[test]
fn four_threads_edit_while_callbacks_and_streams_stay_in_step() {
    const EDITS: u32 = 600;
    const LAST: u32 = 10_000;
    let (shared, all) = shared(200);
    let query = Query::new()
        .filter(Piece::FIRED.is(false))
        .sort(Piece::HEIGHT_MM.descending());
    let waiting = shared.edit(|store| store.bind(query)).unwrap();
    let view = View::default();
    let subscription = view.watch(&shared, waiting);
    let (mut seen, mut changes) = shared
        .stream(all, |rows| {
            rows.items().cloned().collect::<Replica<Piece>>()
        })
        .unwrap();

    let reader = thread::spawn(move || {
        // A slow consumer: what happens while it is at work comes as one set.
        let mut sets = 0;
        while !seen.items().any(|piece| piece.id == LAST) {
            let set = block_on(changes.next()).unwrap();
            seen.apply(&set).unwrap();
            sets += 1;
            thread::yield_now();
        }
        (seen, sets)
    });
    let writers = (0..4).map(|writer| {
        let shared = shared.clone();
        thread::spawn(move || {
            let mut state = writer + 1_u32;
            for round in 0..EDITS {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                let key = state >> 8;
                shared
                    .edit(|store| match state % 5 {
                        0 => drop(store.add(piece(key % 400), Place::Start)),
                        1 => drop(store.remove(&(key % 400))),
                        2 => drop(store.move_to(&(key % 400), Place::Row(key as usize % 100))),
                        3 => drop(store.edit(&(key % 400), |piece| piece.fired = !piece.fired)),
                        _ => drop(store.batch(|store| {
                            store.edit(&(key % 400), |piece| piece.height_mm = round)?;
                            store.edit(&(key % 399), |piece| piece.height_mm = round)
                        })),
                    })
                    .unwrap();
                // Readers see whole edits only.
                shared
                    .read(|store| assert_eq!(store.list(all).unwrap().len(), store.len()))
                    .unwrap();
            }
        })
    });
    let writers: Vec<_> = writers.collect();
    for writer in writers {
        writer.join().unwrap();
    }
    // Whoever was telling is done once an edit of this thread has been told.
    shared
        .edit(|store| store.history_mut().undo())
        .unwrap()
        .unwrap();
    shared.read(|store| store.check().unwrap()).unwrap();
    assert!(
        view.rows
            .lock()
            .unwrap()
            .items()
            .eq(&rows(&shared, waiting))
    );
    assert!(view.told() <= 4 * EDITS as usize + 1);

    shared
        .edit(|store| store.add(piece(LAST), Place::End))
        .unwrap()
        .unwrap();
    let (seen, sets) = reader.join().unwrap();
    assert!(seen.items().eq(&rows(&shared, all)));
    assert!((1..=4 * EDITS + 2).contains(&sets));
    drop(subscription);
}

#[test]
fn edits_inside_a_notification_are_queued_and_told_in_turn() {
    let (shared, list) = shared(3);
    let log: Arc<Mutex<Vec<String>>> = Arc::default();
    let (inner, noted) = (shared.clone(), Arc::clone(&log));
    let subscription = shared
        .subscribe(list, |_| {
            move |changes: &ChangeSet<Piece>| {
                noted
                    .lock()
                    .unwrap()
                    .push(format!("{} rows", changes.len_after()));
                assert_eq!(inner.edit(|_| ()), Err(SharedError::InNotification));
                // Reading is fine.
                let len = inner.read(Store::len).unwrap();
                if len < 6 {
                    let noted = Arc::clone(&noted);
                    inner.post(move |store| {
                        noted.lock().unwrap().push(format!("adds to {len}"));
                        store.add(piece(100 + len as u32), Place::End).unwrap();
                    });
                    assert_eq!(inner.read(Store::len).unwrap(), len, "it is queued");
                }
            }
        })
        .unwrap();
    shared.edit(|store| store.remove(&0)).unwrap().unwrap();
    let told = log.lock().unwrap().clone();
    let expected = [
        "2 rows",
        "adds to 2",
        "3 rows",
        "adds to 3",
        "4 rows",
        "adds to 4",
        "5 rows",
        "adds to 5",
        "6 rows",
    ];
    assert_eq!(told, expected);
    drop(subscription);
}

#[test]
fn a_thread_never_waits_for_itself() {
    let (shared, list) = shared(2);
    let nested = shared
        .edit(|_| (shared.edit(|_| ()), shared.read(|_| ())))
        .unwrap();
    assert_eq!(nested, (Err(SharedError::InUse), Err(SharedError::InUse)));
    let nested = shared
        .read(|_| (shared.edit(|_| ()), shared.read(|_| ())))
        .unwrap();
    assert_eq!(nested, (Err(SharedError::InUse), Err(SharedError::InUse)));
    let nested = shared.read(|_| {
        shared
            .subscribe(list, |_| |_: &ChangeSet<Piece>| ())
            .map(drop)
    });
    assert_eq!(nested.unwrap(), Err(SharedError::InUse));

    // Posted inside, it runs right after; another store is no matter.
    let other = shared.clone();
    shared
        .read(|store| {
            other.post(|store| drop(store.remove(&0)));
            assert_eq!(store.len(), 2);
        })
        .unwrap();
    assert_eq!(shared.read(Store::len), Ok(1));
    let apart = self::shared(5).0;
    assert_eq!(shared.edit(|_| apart.read(Store::len)).unwrap(), Ok(5));
}

#[test]
fn several_edits_reach_a_busy_subscriber_as_one_set() {
    let (shared, list) = shared(0);
    let view = View::default();
    let first = view.watch(&shared, list);
    let inner = shared.clone();
    // The first to be told posts more, which the second hears along with the rest.
    let late = View::default();
    let chatter = shared.subscribe(list, |_| {
        move |changes: &ChangeSet<Piece>| {
            for id in changes.len_after() as u32..10 {
                inner.post(move |store| drop(store.add(piece(id), Place::End)));
            }
        }
    });
    let second = late.watch(&shared, list);
    shared
        .edit(|store| store.add(piece(0), Place::End))
        .unwrap()
        .unwrap();
    for view in [&view, &late] {
        assert!(view.rows.lock().unwrap().items().eq(&rows(&shared, list)));
        assert_eq!(view.told(), 2, "the first add, and the nine others at once");
    }
    drop((first, second, chatter));
}

#[test]
fn dropping_a_handle_or_unbinding_the_list_ends_the_subscription() {
    let (shared, list) = shared(3);
    let view = View::default();
    let subscription = view.watch(&shared, list);
    shared.edit(|store| store.remove(&0)).unwrap().unwrap();
    drop(subscription);
    shared.edit(|store| store.remove(&1)).unwrap().unwrap();
    assert_eq!((view.told(), view.rows.lock().unwrap().len()), (1, 2));

    let subscription = view.watch(&shared, list);
    let (_, mut changes) = shared.stream(list, |_| ()).unwrap();
    shared.edit(|store| store.unbind(list)).unwrap().unwrap();
    assert!(block_on(changes.next()).is_none());
    assert!(matches!(
        shared.stream(list, |_| ()),
        Err(SharedError::UnknownList(_))
    ));
    drop(subscription);

    // With the last handle of the store its streams end.
    let list = shared.edit(|store| store.bind(Query::new())).unwrap();
    let (_, mut changes) = shared.stream(list, |_| ()).unwrap();
    let waiting = thread::spawn(move || block_on(changes.next()).is_none());
    thread::sleep(std::time::Duration::from_millis(20));
    drop(shared);
    assert!(waiting.join().unwrap());
}

#[test]
fn panics_go_to_the_caller_and_the_store_stays_in_use() {
    let (shared, list) = shared(3);
    let view = View::default();
    let armed = Arc::new(AtomicUsize::new(1));
    let trap = Arc::clone(&armed);
    let _trap = shared.subscribe(list, |_| {
        move |_: &ChangeSet<Piece>| {
            assert!(trap.swap(0, Ordering::Relaxed) == 0, "the trap");
        }
    });
    let _view = view.watch(&shared, list);
    let caught = catch_unwind(AssertUnwindSafe(|| shared.edit(|store| store.remove(&0))));
    assert!(caught.is_err());
    let caught = catch_unwind(AssertUnwindSafe(|| {
        shared.edit(|store| {
            store.remove(&1).unwrap();
            panic!("after an edit that is done");
        })
    }));
    assert!(caught.is_err());
    // Both edits stand, and the others have been told of them.
    assert_eq!(shared.read(Store::len), Ok(1));
    assert_eq!(view.rows.lock().unwrap().len(), 1);
}

#[test]
fn one_callback_that_panics_keeps_nobody_else_from_being_told() {
    let (shared, list) = shared(1);
    let told: Arc<Mutex<Vec<usize>>> = Arc::default();
    let counting = |which: usize| {
        let told = Arc::clone(&told);
        shared.subscribe(list, move |_| {
            move |_: &ChangeSet<Piece>| told.lock().unwrap().push(which)
        })
    };
    let first = counting(1).unwrap();
    let poster = shared.clone();
    let faulty = shared.subscribe(list, move |_| {
        move |_: &ChangeSet<Piece>| {
            poster.post(|_| panic!("a posted edit too"));
            poster.post(|store| drop(store.remove(&0)));
            panic!("a faulty view")
        }
    });
    let last = counting(2).unwrap();
    let edited = catch_unwind(AssertUnwindSafe(|| {
        shared.edit(|store| store.add(piece(7), Place::End))
    }));
    let panic = edited.unwrap_err();
    assert_eq!(panic.downcast_ref(), Some(&"a faulty view"));
    // The edit, and the one that was posted, reached both.
    assert_eq!(*told.lock().unwrap(), [1, 2, 1, 2]);
    assert_eq!(rows(&shared, list).len(), 1);
    drop((first, faulty, last));
}
