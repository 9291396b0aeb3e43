//! Lists that grow page by page, of names that begin alike, with other edits in between.

use super::cases;
use super::model::{Grouped, Order, Shape, Thing, grouped};
use proptest::prelude::*;
use usual_tide::{EditError, Place, Replica, Store};

#[derive(Clone, Debug)]
enum Step {
    Page {
        seeds: Vec<u16>,
        place: u8,
    },
    /// A page of which the last item has a key that is taken, or a batch that is taken back.
    RefusedPage {
        seeds: Vec<u16>,
        in_batch: bool,
    },
    Rename {
        at: u8,
        seed: u16,
    },
    RenameMany {
        at: Vec<u8>,
        seed: u16,
    },
    Remove {
        at: Vec<u8>,
    },
    Move {
        at: u8,
        to: u8,
    },
    Hold(u8),
    Release(u8),
    Filter(u8),
}

fn step() -> impl Strategy<Value = Step> {
    let at = any::<u8>;
    let page = || prop::collection::vec(any::<u16>(), 3..24);
    prop_oneof![
        8 => (page(), at()).prop_map(|(seeds, place)| Step::Page { seeds, place }),
        1 => (page(), any::<bool>())
            .prop_map(|(seeds, in_batch)| Step::RefusedPage { seeds, in_batch }),
        2 => (at(), any::<u16>()).prop_map(|(at, seed)| Step::Rename { at, seed }),
        1 => (prop::collection::vec(at(), 3..12), any::<u16>())
            .prop_map(|(at, seed)| Step::RenameMany { at, seed }),
        1 => prop::collection::vec(at(), 1..6).prop_map(|at| Step::Remove { at }),
        1 => (at(), at()).prop_map(|(at, to)| Step::Move { at, to }),
        1 => at().prop_map(Step::Hold),
        1 => at().prop_map(Step::Release),
        1 => (0..3u8).prop_map(Step::Filter),
    ]
}

/// The prefix has the first word, and two words more are told apart eight bytes at a time.
fn named(key: u16, seed: u16) -> Thing {
    let first = ["kiln shelf bowl", "kiln shelf mug", "vase"][usize::from(seed % 3)];
    let second = [" with a tall foot", " with a wide foot", ""][usize::from(seed / 3 % 3)];
    Thing {
        key,
        rank: Some((seed / 9 % 2) as i8),
        name: format!("{first}{second} {}", seed / 18 % 40),
        on: seed % 7 < 5,
    }
}

fn things(store: &Store<Thing>) -> Vec<Thing> {
    store.items().map(|item| Thing::clone(item)).collect()
}

fn key_at(store: &Store<Thing>, at: u8) -> Option<u16> {
    let keys: Vec<u16> = store.items().map(|item| item.key).collect();
    keys.get(usize::from(at) % keys.len().max(1)).copied()
}

fn keys_at(store: &Store<Thing>, at: &[u8]) -> Vec<u16> {
    at.iter().filter_map(|at| key_at(store, *at)).collect()
}

/// Gives each item of a page a key that no other had.
fn page(seeds: &[u16], next: &mut u16) -> Vec<Thing> {
    let first = *next;
    *next += seeds.len() as u16;
    (first..)
        .zip(seeds)
        .map(|(key, seed)| named(key, *seed))
        .collect()
}

fn perform(step: &Step, store: &mut Store<Thing>, next: &mut u16) -> Result<(), EditError<u16>> {
    match step {
        Step::Page { seeds, place } => {
            let gap = usize::from(*place) % (store.len() + 1);
            store.add_many(page(seeds, next), Place::Gap(gap))?;
        }
        Step::RefusedPage { seeds, in_batch } => {
            let mut things = page(seeds, next);
            if let (false, Some(taken)) = (in_batch, key_at(store, 7)) {
                things.push(named(taken, 1));
                let refused = store.add_many(things, Place::End);
                assert!(matches!(refused, Err(EditError::Duplicates(_))));
                return Ok(());
            }
            let refused = store.batch(|store| {
                let first = things[0].key;
                store.add_many(things, Place::End)?;
                // Lists are brought in step before a row is held.
                store.hold(&first)?;
                store.remove(&9999).map(|_| ())
            });
            assert_eq!(refused, Err(EditError::UnknownKey(9999)));
        }
        Step::Rename { at, seed } => {
            for key in keys_at(store, &[*at]) {
                store.edit(&key, |thing| *thing = named(key, *seed))?;
            }
        }
        Step::RenameMany { at, seed } => {
            let edit = |thing: &mut Thing| *thing = named(thing.key, seed.wrapping_add(thing.key));
            store.edit_many(&keys_at(store, at), edit)?;
        }
        Step::Remove { at } => drop(store.remove_many(&keys_at(store, at))?),
        Step::Move { at, to } => {
            let gap = usize::from(*to) % (store.len() + 1);
            for key in keys_at(store, &[*at]) {
                store.move_to(&key, Place::Gap(gap))?;
            }
        }
        Step::Hold(at) => {
            for key in keys_at(store, &[*at]) {
                store.hold(&key)?;
            }
        }
        Step::Release(at) => {
            for key in keys_at(store, &[*at]) {
                store.release(&key)?;
            }
        }
        Step::Filter(_) => {}
    }
    Ok(())
}

fn order() -> impl Strategy<Value = Order> {
    prop_oneof![
        3 => Just(Order::NameThenRankDown),
        1 => Just(Order::OnThenName),
        1 => Just(Order::ByClosure),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn pages_go_where_they_belong_whatever_comes_between(
        order in order(),
        grouped in prop_oneof![2 => Just(Grouped::Not), 1 => grouped()],
        steps in prop::collection::vec(step(), 1..24),
    ) {
        let mut store = Store::new();
        let mut shape = Shape { order, grouped, ..Shape::ALL };
        let list = store.bind(shape.query());
        let feed = store.feed(list).unwrap();
        let mut replica: Replica<Thing> = Replica::default();
        let mut next = 0;
        for step in &steps {
            perform(step, &mut store, &mut next).unwrap();
            if let Step::Filter(filter) = step {
                shape.filter = *filter;
                store.list_mut(list).unwrap().change_query(|query| shape.change(query));
            }
            store.check().unwrap();
            if let Some(changes) = feed.read(&store).unwrap() {
                replica.apply(&changes).unwrap();
            }
            prop_assert!(replica.items().eq(store.list(list).unwrap().items()));
        }
        for key in 0..next {
            drop(store.release(&key));
        }
        let rows: Vec<Thing> = store.list(list).unwrap().items().map(|row| Thing::clone(row)).collect();
        prop_assert_eq!(rows, shape.rows(&things(&store)));
    }
}
