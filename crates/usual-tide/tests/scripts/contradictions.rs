//! Orders that contradict themselves give some order of the right rows, and never a panic.

use super::cases;
use super::model::{Thing, thing};
use proptest::prelude::*;
use std::cmp::Ordering;
use std::collections::HashSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use usual_tide::query::{SortValue, Total};
use usual_tide::{Group, Place, Query, Replica, Sort, Store};

/// A value whose prefix, bytes and comparison have nothing to do with each other.
struct Fickle(u16, Arc<AtomicU64>);

impl Fickle {
    fn draw(&self) -> usize {
        (self.1.fetch_add(0x9e37_79b9_7f4a_7c15, Relaxed) >> 60) as usize % 4
    }
}

impl SortValue for Fickle {
    fn prefix(&self) -> u64 {
        u64::from(self.0 % 3) << 40
    }
    fn prefix_from(&self, _: usize) -> Option<u64> {
        [None, Some(0), Some(0), Some(self.prefix())][self.draw()]
    }
    fn bytes_in_prefix(&self, _: u32) -> usize {
        [0, 0, 3, usize::MAX][self.draw()]
    }
    fn compare(&self, other: &Self) -> Ordering {
        [
            Ordering::Less,
            Ordering::Equal,
            Ordering::Greater,
            self.0.cmp(&other.0),
        ][self.draw()]
    }
}

/// A value that gives the same bytes for ever, and says that they are no more than none.
struct Endless(u16);

impl SortValue for Endless {
    fn prefix(&self) -> u64 {
        7
    }
    fn prefix_from(&self, _: usize) -> Option<u64> {
        Some(7)
    }
    fn bytes_in_prefix(&self, _: u32) -> usize {
        0
    }
    fn compare(&self, other: &Self) -> Ordering {
        self.0.cmp(&other.0)
    }
}

#[test]
fn values_that_give_the_same_bytes_for_ever_are_sorted_by_comparison() {
    let sort = || Sort::by_value(|thing: &Thing| Endless(u16::MAX - thing.key));
    let mut store = Store::load((0..4000).map(|key| thing(key, key as u8))).unwrap();
    let list = store.bind(Query::new().sort(sort()));
    let late = (4000..8000).map(|key| thing(key, key as u8));
    store.add_many(late, Place::Start).unwrap();
    let keys = store.list(list).unwrap().items().map(|thing| thing.key);
    assert!(keys.eq((0..8000).rev()));
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(100)) })]

    #[test]
    fn an_order_that_is_none_panics_nowhere(
        seed in any::<u64>(),
        by_closure in any::<bool>(),
        edits in prop::collection::vec((0..80u16, any::<u8>(), 0..4u8), 1..60),
    ) {
        let draws = Arc::new(AtomicU64::new(seed));
        let sort = if by_closure {
            let draws = Arc::clone(&draws);
            Sort::from_fn(move |one: &Thing, two: &Thing| {
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

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    /// Sections, filters and places that another look gives otherwise: the rows may stand anywhere, and the
    /// lists go on.
    #[test]
    fn user_code_that_changes_its_mind_panics_nowhere(
        seed in any::<u64>(),
        fickle in prop::array::uniform3(any::<bool>()),
        edits in prop::collection::vec((0..60u16, any::<u8>(), 0..9u8), 1..60),
    ) {
        let draws = Arc::new(AtomicU64::new(seed));
        let draw = move |steady: u16, fickle: bool, of: u64| match fickle {
            true => (draws.fetch_add(0x9e37_79b9_7f4a_7c15, Relaxed) >> 40) % of,
            false => u64::from(steady) % of,
        };
        let (by, passes, order) = (draw.clone(), draw.clone(), draw);
        let [group, filter, sort] = fickle;
        let query = Query::new()
            .group(
                Group::from_fn(move |thing: &Thing| by(thing.key, group, 4) as i64)
                    .total(Total::Sum, Thing::KEY)
                    .total(Total::Minimum, Thing::RANK),
            )
            .filter(move |thing: &Thing| passes(thing.key, filter, 5) > 0)
            .sort(Sort::by_value(move |thing: &Thing| order(thing.key, sort, 3)));
        let mut store = Store::load((0..40).map(|key| thing(key, key as u8))).unwrap();
        let lists = [
            store.bind(query.clone()),
            store.bind(query.clone().unsorted().skip(2).take(9)),
        ];
        let feeds = lists.map(|list| store.feed(list).unwrap());
        let mut open = Vec::new();
        for (key, seed, kind) in edits {
            match kind {
                0 => drop(store.add(thing(key, seed), Place::End)),
                1 => drop(store.edit(&key, |item| *item = thing(key, seed))),
                2 => drop(store.remove(&key)),
                3 => drop(store.reload((0..key).rev().map(|key| thing(key, seed)))),
                4 => drop(store.edit_many(&[key, key / 2, key / 3], |item| item.on = !item.on)),
                5 => store.list_mut(lists[0]).unwrap().change_query(|query| {
                    let passes = move |thing: &Thing| !thing.key.is_multiple_of(u16::from(seed % 7) + 1);
                    query.filter(passes)
                }),
                6 => drop(store.list_mut(lists[0]).unwrap().move_to(&[key], Place::Row(usize::from(seed) % 40))),
                7 => open.extend(store.drafts_mut().begin(&key).ok()),
                _ => drop(open.pop()),
            }
            for (list, feed) in lists.iter().zip(&feeds) {
                if let Some(changes) = feed.read(&store).unwrap() {
                    changes.by_section().phases();
                    changes.inverse();
                }
                let rows = store.list(*list).unwrap();
                for section in 0..rows.sections().count() {
                    rows.rows_in(section);
                }
                prop_assert!(rows.items().count() <= store.len());
            }
        }
    }
}
