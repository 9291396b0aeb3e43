//! A shared store under all kinds of interleavings of a few threads, chosen by a checker:
//! `RUSTFLAGS="--cfg shuttle" cargo test -p usual-tide --test interleavings`.

#![cfg(shuttle)]
#![allow(clippy::unwrap_used)]

use shuttle::thread;
use std::sync::{Arc, Mutex};
use usual_tide::shared::SharedError;
use usual_tide::{ChangeSet, Item, Place, Query, SharedStore, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    fired: bool,
}

fn piece(id: u32) -> Piece {
    Piece { id, fired: false }
}

/// Tries a program under many interleavings: by chance, and with few switches at places that matter (PCT; Burckhardt
/// and others, 2010).
fn check(program: fn()) {
    shuttle::check_random(program, 1500);
    shuttle::check_pct(program, 1500, 3);
}

/// What a view shows, seen from outside. It is locked for moments in which nothing else can run.
type Seen = Arc<Mutex<Vec<u32>>>;

fn ids(rows: &[Arc<Piece>]) -> Vec<u32> {
    rows.iter().map(|piece| piece.id).collect()
}

fn shown(store: &SharedStore<Piece>) -> Vec<u32> {
    store
        .read(|store| store.items().map(|piece| piece.id).collect())
        .unwrap()
}

fn watch(
    store: &SharedStore<Piece>,
    list: usual_tide::ListId,
) -> (usual_tide::shared::Subscription<Piece>, Seen) {
    let seen = Seen::default();
    let inner = Arc::clone(&seen);
    let subscription = store.subscribe(list, |rows| {
        let mut view: Vec<Arc<Piece>> = rows.items().cloned().collect();
        *inner.lock().unwrap() = ids(&view);
        move |changes: &ChangeSet<Piece>| {
            thread::yield_now();
            changes.apply(&mut view).unwrap();
            *inner.lock().unwrap() = ids(&view);
        }
    });
    (subscription.unwrap(), seen)
}

#[test]
fn every_view_ends_with_what_the_store_holds() {
    check(|| {
        let store = SharedStore::new(Store::load((0..3).map(piece)).unwrap());
        let list = store.edit(|store| store.bind(Query::new())).unwrap();
        let first = watch(&store, list);
        let editors: Vec<_> = (0..2)
            .map(|number| {
                let store = store.clone();
                thread::spawn(move || {
                    store
                        .edit(|store| store.add(piece(10 + number), Place::Start))
                        .unwrap()
                        .unwrap();
                    store
                        .edit(|store| store.move_to(&number, Place::End))
                        .unwrap()
                        .unwrap();
                })
            })
            .collect();
        // One that begins while others edit.
        let second = watch(&store, list);
        for editor in editors {
            editor.join().unwrap();
        }
        let held = shown(&store);
        assert_eq!(held.len(), 5);
        for (_, seen) in [&first, &second] {
            assert_eq!(*seen.lock().unwrap(), held);
        }
    });
}

#[test]
fn what_a_callback_posts_is_done_once_and_told() {
    check(|| {
        let store = SharedStore::new(Store::load((0..2).map(piece)).unwrap());
        let list = store.edit(|store| store.bind(Query::new())).unwrap();
        let poster = store.clone();
        // Each new piece is answered by another, up to a number.
        let _posting = store
            .subscribe(list, |_| {
                move |changes: &ChangeSet<Piece>| {
                    for row in changes.inserted().iter().flat_map(|run| run.rows.iter()) {
                        let next = row.id + 100;
                        if next < 300 {
                            poster.post(move |store| store.add(piece(next), Place::End).unwrap());
                        }
                    }
                    // To wait for itself would never end, and is refused.
                    assert_eq!(poster.edit(|_| ()), Err(SharedError::InNotification));
                }
            })
            .unwrap();
        let (_subscription, seen) = watch(&store, list);
        let editors: Vec<_> = (0..2)
            .map(|number| {
                let store = store.clone();
                thread::spawn(move || {
                    store
                        .edit(|store| store.add(piece(10 + number), Place::End))
                        .unwrap()
                        .unwrap()
                })
            })
            .collect();
        for editor in editors {
            editor.join().unwrap();
        }
        // Whoever delivers for the other may still be at it.
        store.edit(|_| ()).unwrap();
        let mut held = shown(&store);
        assert_eq!(*seen.lock().unwrap(), held);
        held.sort_unstable();
        assert_eq!(held, [0, 1, 10, 11, 110, 111, 210, 211]);
    });
}

#[test]
fn a_subscription_that_is_dropped_is_not_called_for_later_edits() {
    check(|| {
        let store = SharedStore::new(Store::load((0..2).map(piece)).unwrap());
        let list = store.edit(|store| store.bind(Query::new())).unwrap();
        let (kept, seen) = watch(&store, list);
        let (dropped, late) = watch(&store, list);
        let editor = {
            let store = store.clone();
            thread::spawn(move || {
                for id in 10..12 {
                    store
                        .edit(|store| store.add(piece(id), Place::End))
                        .unwrap()
                        .unwrap();
                }
            })
        };
        drop(dropped);
        editor.join().unwrap();
        assert_eq!(*seen.lock().unwrap(), shown(&store));
        let before = late.lock().unwrap().clone();
        drop(kept);
        store.edit(|store| store.remove(&0)).unwrap().unwrap();
        assert_ne!(*seen.lock().unwrap(), shown(&store));
        assert_eq!(*late.lock().unwrap(), before);
    });
}

#[test]
fn a_list_that_is_bound_while_others_edit_shows_what_the_store_holds() {
    check(|| {
        let store = SharedStore::new(Store::load((0..3).map(piece)).unwrap());
        let editor = {
            let store = store.clone();
            thread::spawn(move || {
                for id in 10..12 {
                    store
                        .edit(|store| store.add(piece(id), Place::Start))
                        .unwrap()
                        .unwrap();
                }
            })
        };
        let list = store.bind(Query::new()).unwrap();
        let (_subscription, seen) = watch(&store, list);
        editor.join().unwrap();
        // Whoever delivers for the other may still be at it.
        store.edit(|_| ()).unwrap();
        assert_eq!(*seen.lock().unwrap(), shown(&store));
    });
}
