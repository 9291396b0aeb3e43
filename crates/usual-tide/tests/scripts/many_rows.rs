//! Edits of many rows at once, of names that begin alike, in lists of more rows than the other scripts have.

use super::cases;
use super::checks::check_set;
use super::model::{Grouped, Order, Shape, Thing, grouped};
use proptest::prelude::*;
use std::sync::Arc;
use usual_tide::{EditError, Feed, ListId, Place, Store};

#[derive(Clone, Debug)]
enum Step {
    Page {
        seeds: Vec<u16>,
        place: u8,
    },
    /// A page of which one item has a key that is taken.
    TakenKey {
        seeds: Vec<u16>,
    },
    Rename {
        at: Vec<u8>,
        seed: u16,
    },
    Remove {
        at: Vec<u8>,
    },
    Move {
        at: Vec<u8>,
        to: u8,
    },
    Reload {
        seed: u16,
        share: u16,
    },
    Hold(u8),
    Release(u8),
    BeginRemoval {
        at: Vec<u8>,
    },
    EndRemoval {
        confirmed: bool,
    },
    Undo,
    Redo,
    Requery {
        list: u8,
        filter: u8,
        order: Option<Order>,
        grouped: Option<Grouped>,
    },
    Batch {
        steps: Vec<Step>,
        fails: bool,
    },
}

fn step() -> impl Strategy<Value = Step> {
    let at = any::<u8>;
    let few = || prop::collection::vec(at(), 1..4);
    let many = || prop_oneof![few(), prop::collection::vec(at(), 3..60)];
    let page = || prop::collection::vec(any::<u16>(), 3..40);
    let requery = (
        at(),
        0..4u8,
        prop::option::weighted(0.3, order()),
        prop::option::weighted(0.3, sections()),
    );
    let edit = prop_oneof![
        14 => (page(), at()).prop_map(|(seeds, place)| Step::Page { seeds, place }),
        3 => (many(), any::<u16>()).prop_map(|(at, seed)| Step::Rename { at, seed }),
        2 => many().prop_map(|at| Step::Remove { at }),
        2 => (many(), at()).prop_map(|(at, to)| Step::Move { at, to }),
        1 => (any::<u16>(), 2..12u16).prop_map(|(seed, share)| Step::Reload { seed, share }),
        1 => at().prop_map(Step::Hold),
        1 => at().prop_map(Step::Release),
        1 => many().prop_map(|at| Step::BeginRemoval { at }),
        1 => any::<bool>().prop_map(|confirmed| Step::EndRemoval { confirmed }),
        2 => requery.prop_map(|(list, filter, order, grouped)| {
            Step::Requery { list, filter, order, grouped }
        }),
    ];
    let edit = edit.boxed();
    let batch = (
        prop::collection::vec(edit.clone(), 1..5),
        prop::bool::weighted(0.4),
    );
    prop_oneof![
        16 => edit,
        1 => page().prop_map(|seeds| Step::TakenKey { seeds }),
        1 => Just(Step::Undo),
        1 => Just(Step::Redo),
        3 => batch.prop_map(|(steps, fails)| Step::Batch { steps, fails }),
    ]
}

fn order() -> impl Strategy<Value = Order> {
    prop_oneof![
        1 => Just(Order::Source),
        1 => Just(Order::Rank),
        4 => Just(Order::NameThenRankDown),
        1 => Just(Order::OnThenName),
        1 => Just(Order::ByClosure),
    ]
}

fn sections() -> impl Strategy<Value = Grouped> {
    prop_oneof![2 => Just(Grouped::Not), 1 => grouped()]
}

fn shape() -> impl Strategy<Value = Shape> {
    let window = (
        prop_oneof![3 => Just(0), 1 => 0..30usize],
        prop::option::weighted(0.3, 0..80usize),
    );
    (0..4u8, order(), sections(), window).prop_map(|(filter, order, grouped, (skip, take))| Shape {
        filter,
        order,
        grouped,
        skip,
        take,
        numbered: false,
    })
}

/// The prefix has the first word, and two words more are told apart eight bytes at a time.
fn named(key: u16, seed: u16) -> Thing {
    let first = ["kiln shelf bowl", "kiln shelf mug", "vase"][usize::from(seed % 3)];
    let second = [" with a tall foot", " with a wide foot", ""][usize::from(seed / 3 % 3)];
    Thing {
        key,
        rank: Some((seed / 9 % 3) as i8).filter(|rank| *rank > 0),
        name: format!("{first}{second} {}", seed / 27 % 40),
        on: seed % 7 < 5,
    }
}

fn things(store: &Store<Thing>) -> Vec<Thing> {
    store.items().map(|item| Thing::clone(item)).collect()
}

fn keys_at(store: &Store<Thing>, at: &[u8]) -> Vec<u16> {
    let keys: Vec<u16> = store.items().map(|item| item.key).collect();
    let key = |at: &u8| keys.get(usize::from(*at) % keys.len().max(1)).copied();
    at.iter().filter_map(key).collect()
}

/// A list, its query, and rows that are brought in step by its feed now and then.
struct Watched {
    list: ListId,
    shape: Shape,
    feed: Feed<Thing>,
    rows: Vec<Arc<Thing>>,
}

impl Watched {
    fn bind(shape: Shape, store: &mut Store<Thing>) -> Self {
        let list = store.bind(shape.query());
        Self {
            list,
            shape,
            feed: store.feed(list).unwrap(),
            rows: rows(store, list),
        }
    }

    fn read(&mut self, store: &Store<Thing>) {
        let now = rows(store, self.list);
        match self.feed.read(store).unwrap() {
            Some(set) => check_set(&set, &self.rows, &now),
            None => assert_eq!(self.rows, now),
        }
        self.rows = now;
    }
}

fn rows(store: &Store<Thing>, list: ListId) -> Vec<Arc<Thing>> {
    store.list(list).unwrap().items().cloned().collect()
}

/// Gives keys that no item had.
#[derive(Default)]
struct Keys(u16);

impl Keys {
    fn page(&mut self, seeds: &[u16]) -> Vec<Thing> {
        let first = self.0;
        self.0 += seeds.len() as u16;
        let page = (first..).zip(seeds);
        page.map(|(key, seed)| named(key, *seed)).collect()
    }

    /// What the source might send: one in so many items each is gone, edited, moved, or followed by a new one.
    fn reloaded(&mut self, before: Vec<Thing>, seed: u16, share: u16) -> Vec<Thing> {
        let (mut reloaded, mut later) = (Vec::new(), Vec::new());
        for thing in before {
            match thing.key.wrapping_mul(31).wrapping_add(seed) % (4 * share) {
                0 => {}
                1 => reloaded.push(named(thing.key, seed.wrapping_add(thing.key))),
                2 => later.push(thing),
                3 => {
                    reloaded.push(thing);
                    reloaded.extend(self.page(&[seed]));
                }
                _ => reloaded.push(thing),
            }
        }
        reloaded.extend(later);
        reloaded
    }
}

fn perform(
    step: &Step,
    store: &mut Store<Thing>,
    lists: &mut [Watched],
    keys: &mut Keys,
) -> Result<(), EditError<u16>> {
    let len = store.len();
    let gap = |place: u8| Place::Gap(usize::from(place) % (len + 1));
    match step {
        Step::Page { seeds, place } => store.add_many(keys.page(seeds), gap(*place))?,
        Step::TakenKey { seeds } => {
            let mut page = keys.page(seeds);
            page.extend(keys_at(store, &[7]).first().map(|key| named(*key, 1)));
            let done = store.add_many(page, Place::End);
            assert_eq!(done.is_err(), len > 0);
        }
        Step::Rename { at, seed } => {
            let at = keys_at(store, at);
            let renamed = |key: u16| named(key, seed.wrapping_mul(key));
            match at[..] {
                [key] => drop(store.edit(&key, |thing| *thing = renamed(key))?),
                _ => drop(store.edit_many(&at, |thing| *thing = renamed(thing.key))?),
            }
        }
        Step::Remove { at } => drop(store.remove_many(&keys_at(store, at))?),
        Step::Move { at, to } => drop(store.move_many(&keys_at(store, at), gap(*to))?),
        Step::Reload { seed, share } => {
            let reloaded = keys.reloaded(things(store), *seed, *share);
            store.reload(reloaded)?;
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
        // What does not fit the moment is refused, which is fine here.
        Step::BeginRemoval { at } => {
            let at = keys_at(store, at);
            drop(store.removals_mut().begin(&at));
        }
        Step::EndRemoval { confirmed } => end_removal(store, *confirmed),
        Step::Undo => drop(store.history_mut().undo()),
        Step::Redo => drop(store.history_mut().redo()),
        Step::Requery {
            list,
            filter,
            order,
            grouped,
        } => {
            let at = usize::from(*list) % lists.len();
            let Watched { list, shape, .. } = &mut lists[at];
            shape.filter = *filter;
            shape.order = order.unwrap_or(shape.order);
            shape.grouped = grouped.unwrap_or(shape.grouped);
            let mut list = store.list_mut(*list).unwrap();
            list.change_query(|query| shape.change(query));
        }
        Step::Batch { steps, fails } => {
            let shapes: Vec<Shape> = lists.iter().map(|list| list.shape).collect();
            let done = store.batch(|store| {
                for step in steps {
                    perform(step, store, lists, keys)?;
                }
                match fails {
                    true => Err(EditError::UnknownKey(u16::MAX)),
                    false => Ok(()),
                }
            });
            if done.is_err() {
                for (list, shape) in lists.iter_mut().zip(shapes) {
                    list.shape = shape;
                }
            }
        }
    }
    Ok(())
}

/// That of the removal that was begun first.
fn end_removal(store: &mut Store<Thing>, confirmed: bool) {
    let first = store.removals().iter().next().map(|(id, _)| id);
    if let Some(id) = first {
        let mut removals = store.removals_mut();
        drop(match confirmed {
            true => removals.confirm(id),
            false => removals.cancel(id),
        });
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(200)) })]

    #[test]
    fn lists_show_what_their_queries_say_however_many_rows_an_edit_touches(
        start in prop::collection::vec(any::<u16>(), 0..100),
        shapes in prop::collection::vec(shape(), 1..4),
        steps in prop::collection::vec((step(), any::<u8>()), 1..24),
    ) {
        let mut keys = Keys::default();
        let mut store = Store::load(keys.page(&start)).unwrap();
        let mut lists: Vec<Watched> = shapes.iter().map(|shape| Watched::bind(*shape, &mut store)).collect();
        for (step, read) in &steps {
            perform(step, &mut store, &mut lists, &mut keys).unwrap();
            store.check().unwrap();
            for (at, list) in lists.iter_mut().enumerate() {
                if read >> at & 1 == 1 {
                    list.read(&store);
                }
            }
        }
        while store.removals().iter().next().is_some() {
            end_removal(&mut store, true);
        }
        for key in 0..keys.0 {
            drop(store.release(&key));
        }
        for list in &mut lists {
            list.read(&store);
            let shown: Vec<Thing> = list.rows.iter().map(|row| Thing::clone(row)).collect();
            prop_assert_eq!(shown, list.shape.rows(&things(&store)));
        }
    }
}
