//! Orders that contradict themselves give some order of the right rows, and never a panic.

use super::model::{Thing, thing};
use proptest::prelude::*;
use std::cmp::Ordering;
use std::collections::HashSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use usual_tide::{Place, Query, Replica, Sort, SortValue, Store};

/// A value whose prefix and comparison have nothing to do with each other.
struct Fickle(u16, Arc<AtomicU64>);

impl SortValue for Fickle {
    fn prefix(&self) -> u64 {
        u64::from(self.0 % 3) << 40
    }
    fn compare(&self, other: &Self) -> Ordering {
        let draw = self.1.fetch_add(0x9e37_79b9_7f4a_7c15, Relaxed) >> 60;
        [
            Ordering::Less,
            Ordering::Equal,
            Ordering::Greater,
            self.0.cmp(&other.0),
        ][draw as usize % 4]
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(200) })]

    #[test]
    fn an_order_that_is_none_panics_nowhere(
        seed in any::<u64>(),
        by_closure in any::<bool>(),
        edits in prop::collection::vec((0..80u16, any::<u8>(), 0..4u8), 1..60),
    ) {
        let draws = Arc::new(AtomicU64::new(seed));
        let sort = if by_closure {
            let draws = Arc::clone(&draws);
            Sort::with(move |one: &Thing, two: &Thing| {
                Fickle(one.key, Arc::clone(&draws)).compare(&Fickle(two.key, Arc::clone(&draws)))
            })
        } else {
            Sort::by_value(move |thing: &Thing| Fickle(thing.key, Arc::clone(&draws)))
        };
        let mut store = Store::load((0..40).map(|key| thing(key, key as u8))).unwrap();
        let list = store.bind(Query::new().sort(sort));
        let feed = store.feed(list).unwrap();
        let mut replica: Replica<Thing> = store.list(list).unwrap().items().cloned().collect();
        for (key, seed, kind) in edits {
            match kind {
                0 => drop(store.add(thing(key, seed), Place::End)),
                1 => drop(store.edit(&key, |item| *item = thing(key, seed))),
                2 => drop(store.remove(&key)),
                _ => drop(store.reload((0..key + 1).rev().map(|key| thing(key, seed)))),
            }
            if let Some(changes) = feed.read(&store).unwrap() {
                replica.apply(&changes).unwrap();
            }
            let rows = store.list(list).unwrap();
            prop_assert!(replica.items().eq(rows.items()));
            let keys: HashSet<u16> = rows.items().map(|item| item.key).collect();
            prop_assert_eq!(keys, store.items().map(|item| item.key).collect::<HashSet<_>>());
            prop_assert_eq!(rows.len(), store.len());
        }
    }
}
