//! User code that panics, at any of its calls, leaves everything as it was.

use super::model::{Thing, thing};
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use std::sync::atomic::{AtomicI64, Ordering};
use usual_tide::{Place, Query, Sort, Store};

/// Counts calls of user code and panics at one of them.
#[derive(Clone, Default)]
struct Trap(Arc<AtomicI64>);

impl Trap {
    fn set(&self, calls: i64) {
        self.0.store(calls, Ordering::Relaxed);
    }

    fn step(&self) {
        assert!(self.0.fetch_sub(1, Ordering::Relaxed) != 1, "the trap");
    }
}

fn edits() -> Vec<fn(&mut Store<Thing>)> {
    vec![
        |store| drop(store.add(thing(100, 7), Place::Gap(3))),
        |store| drop(store.edit(&5, |item| *item = thing(5, 99))),
        |store| drop(store.move_to(&1, Place::End)),
        |store| drop(store.move_many(&[2, 7, 9], Place::Start)),
        |store| drop(store.remove_many(&[3, 8])),
        |store| drop(store.add_many((200..220).map(|key| thing(key, key as u8)), Place::End)),
        |store| drop(store.reload((10..60).rev().map(|key| thing(key, (key * 7) as u8)))),
        |store| {
            let done = store.batch(|store| {
                store.remove(&4)?;
                store.batch(|store| store.add(thing(4, 50), Place::Start))?;
                store.edit(&6, |item| item.on = !item.on)
            });
            drop(done);
        },
    ]
}

type Rows = Vec<Arc<Thing>>;

#[test]
fn a_panic_in_a_filter_or_a_sort_leaves_the_store_as_it_was() {
    let mut sprung = 0;
    for edit in edits() {
        for calls in 1.. {
            let trap = Trap::default();
            let (one, two) = (trap.clone(), trap.clone());
            let mut store = Store::load((0..30).map(|key| thing(key, (key * 11) as u8))).unwrap();
            let lists = [
                store.bind(Query::new()),
                store.bind(Query::new().filter(move |thing: &Thing| {
                    one.step();
                    thing.on
                })),
                store.bind(
                    Query::new().sort(Sort::from_fn(move |a: &Thing, b: &Thing| {
                        two.step();
                        a.name.cmp(&b.name)
                    })),
                ),
            ];
            let feeds = lists.map(|list| store.feed(list).unwrap());
            let state = |store: &Store<Thing>| -> (Rows, Vec<Rows>) {
                let rows = |list| store.list(list).unwrap().items().cloned().collect();
                (store.items().cloned().collect(), lists.map(rows).to_vec())
            };
            let before = state(&store);

            trap.set(calls);
            let outcome = catch_unwind(AssertUnwindSafe(|| edit(&mut store)));
            trap.set(0);

            store.check().unwrap();
            if outcome.is_ok() {
                break;
            }
            sprung += 1;
            assert!(state(&store) == before, "after {calls} calls");
            for feed in &feeds {
                assert_eq!(feed.read(&store).unwrap(), None);
            }
            // And it goes on as if nothing had been.
            edit(&mut store);
            store.check().unwrap();
            assert!(state(&store) != before);
        }
    }
    assert!(sprung > 100, "the trap was sprung {sprung} times");
}

#[test]
fn a_panic_in_an_edit_closure_leaves_the_item_as_it_was() {
    let mut store = Store::load((0..5).map(|key| thing(key, 0))).unwrap();
    let edit = |store: &mut Store<Thing>| {
        store.edit(&2, |item| {
            item.name = "half done".into();
            panic!("the trap");
        })
    };
    assert!(catch_unwind(AssertUnwindSafe(|| edit(&mut store))).is_err());
    assert_eq!(**store.get(&2).unwrap(), thing(2, 0));

    let batch = |store: &mut Store<Thing>| {
        store.batch(|store| {
            store.remove(&0)?;
            edit(store)
        })
    };
    assert!(catch_unwind(AssertUnwindSafe(|| batch(&mut store))).is_err());
    assert_eq!(store.position(&0), Some(0));
    store.check().unwrap();
}

#[test]
fn a_panic_while_a_query_changes_leaves_the_old_query() {
    let mut store = Store::load((0..30).map(|key| thing(key, key as u8))).unwrap();
    let list = store.bind(Query::new().filter(|thing: &Thing| thing.on));
    let before: Rows = store.list(list).unwrap().items().cloned().collect();
    for at in [0, 13, 29] {
        let change = |store: &mut Store<Thing>| {
            store.list_mut(list).unwrap().change_query(|query| {
                query.filter(move |thing: &Thing| {
                    assert!(thing.key != at, "the trap");
                    true
                })
            })
        };
        assert!(catch_unwind(AssertUnwindSafe(|| change(&mut store))).is_err());
        store.check().unwrap();
        assert!(store.list(list).unwrap().items().eq(&before));
    }
}
