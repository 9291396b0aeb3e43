//! Searches that change letter by letter while items are edited: the cached text must find what a look at each item finds.

use super::cases;
use super::checks::check_set;
use super::model::{Grouped, Order, Shape, Thing};
use super::script::{Op, apply, edit};
use proptest::prelude::*;
use std::sync::Arc;
use usual_tide::lists::Suggestions;
use usual_tide::{Feed, ListId, Place, Search, Store};

#[derive(Clone, Debug)]
enum Step {
    Search(Typed),
    Filter(u8),
    Edit(Op),
    Add {
        seeds: Vec<u16>,
    },
    Rename {
        at: Vec<u8>,
        seed: u16,
    },
    Hold(u8),
    Release(u8),
    Undo,
    ClearCache,
    Prepare,
    Batch {
        renames: Vec<(u8, u16)>,
        search: Option<Typed>,
        fails: bool,
    },
}

/// What is typed: so many letters of each of some words.
#[derive(Clone, Debug)]
struct Typed {
    words: Vec<(u8, u8)>,
    at_start: bool,
    shortest: usize,
}

impl Typed {
    fn search(&self) -> Search<Thing> {
        let words = self.words.iter().map(|(word, letters)| -> String {
            let word = TYPED[usize::from(*word) % TYPED.len()];
            word.chars().take(usize::from(*letters)).collect()
        });
        let text: Vec<String> = words.collect();
        let search = Search::in_fields(&text.join(" "), [Thing::NAME.into()]);
        let search = search.min_length(self.shortest);
        if self.at_start {
            search.at_word_start()
        } else {
            search
        }
    }
}

/// Parts of names: of several lengths when folded, joined by marks that separate words and by some that do not.
const PARTS: [&str; 12] = [
    "kiln",
    "Kiln",
    "shelf",
    "café",
    "cafe\u{301}",
    "straße",
    "ﬁne",
    "a-a",
    "xa",
    "İz",
    "9",
    "",
];
const TYPED: [&str; 9] = [
    "kiln", "shelf", "cafe", "strasse", "fine", "a-a", "iz", "9", "é",
];
const JOINTS: [&str; 4] = [" ", "-", "", ", "];

fn named(key: u16, seed: u16) -> Thing {
    let part = |at: u16| PARTS[usize::from(at) % PARTS.len()];
    let joint = JOINTS[usize::from(seed) % JOINTS.len()];
    Thing {
        key,
        rank: Some((seed % 5) as i8),
        name: format!("{}{joint}{}", part(seed / 4), part(seed / 48)),
        on: !seed.is_multiple_of(3),
    }
}

fn typed() -> impl Strategy<Value = Typed> {
    let words = prop::collection::vec((any::<u8>(), 1..5u8), 0..3);
    let parts = (words, prop::bool::weighted(0.3), 1..3usize);
    parts.prop_map(|(words, at_start, shortest)| Typed {
        words,
        at_start,
        shortest,
    })
}

fn step() -> impl Strategy<Value = Step> {
    let at = any::<u8>;
    let batch = (
        prop::collection::vec((at(), any::<u16>()), 0..4),
        prop::option::of(typed()),
        any::<bool>(),
    );
    prop_oneof![
        8 => typed().prop_map(Step::Search),
        1 => (0..3u8).prop_map(Step::Filter),
        3 => edit().prop_map(Step::Edit),
        3 => prop::collection::vec(any::<u16>(), 1..20).prop_map(|seeds| Step::Add { seeds }),
        4 => (prop::collection::vec(at(), 1..20), any::<u16>())
            .prop_map(|(at, seed)| Step::Rename { at, seed }),
        1 => at().prop_map(Step::Hold),
        1 => at().prop_map(Step::Release),
        1 => Just(Step::Undo),
        1 => Just(Step::ClearCache),
        1 => Just(Step::Prepare),
        2 => batch.prop_map(|(renames, search, fails)| Step::Batch { renames, search, fails }),
    ]
}

fn shape() -> impl Strategy<Value = Shape> {
    let order = prop_oneof![
        Just(Order::Source),
        Just(Order::Rank),
        Just(Order::NameThenRankDown),
    ];
    let grouped = prop_oneof![
        2 => Just(Grouped::Not),
        1 => Just(Grouped::Rank),
        1 => Just(Grouped::NameDown),
    ];
    (order, grouped).prop_map(|(order, grouped)| Shape {
        order,
        grouped,
        ..Shape::ALL
    })
}

fn things(store: &Store<Thing>) -> Vec<Thing> {
    store.items().map(|item| Thing::clone(item)).collect()
}

fn key_at(store: &Store<Thing>, at: u8) -> Option<u16> {
    let keys: Vec<u16> = store.items().map(|item| item.key).collect();
    keys.get(usize::from(at) % keys.len().max(1)).copied()
}

struct World {
    store: Store<Thing>,
    list: ListId,
    shape: Shape,
    search: Search<Thing>,
    feed: Feed<Thing>,
    rows: Vec<Arc<Thing>>,
    names: Suggestions<Thing>,
    next_key: u16,
}

impl World {
    fn new(start: &[u16], shape: Shape) -> Self {
        let things = (100..).zip(start).map(|(key, seed)| named(key, *seed));
        let mut store = Store::load(things).unwrap();
        let names = store.suggestions(Thing::NAME);
        let list = store.bind(shape.query());
        Self {
            list,
            shape,
            search: Search::in_fields("", []),
            feed: store.feed(list).unwrap(),
            rows: store.list(list).unwrap().items().cloned().collect(),
            names,
            next_key: 100 + start.len() as u16,
            store,
        }
    }

    fn find(&mut self, search: Search<Thing>) {
        self.search = search.clone();
        let mut list = self.store.list_mut(self.list).unwrap();
        list.change_query(|query| query.search(search));
    }

    fn perform(&mut self, step: &Step) {
        let store = &mut self.store;
        match step {
            Step::Search(typed) => self.find(typed.search()),
            Step::Filter(filter) => {
                self.shape.filter = *filter;
                let (shape, search) = (self.shape, self.search.clone());
                let mut list = store.list_mut(self.list).unwrap();
                list.change_query(|query| shape.change(query).search(search));
            }
            Step::Edit(op) => {
                let mut model = things(store);
                drop(apply(op, store, &mut model));
            }
            Step::Add { seeds } => {
                let first = self.next_key;
                self.next_key += seeds.len() as u16;
                let added = (first..).zip(seeds).map(|(key, seed)| named(key, *seed));
                store.add_many(added, Place::Start).unwrap();
            }
            Step::Rename { at, seed } => {
                let keys: Vec<u16> = at.iter().filter_map(|at| key_at(store, *at)).collect();
                let edit = |thing: &mut Thing| {
                    *thing = named(thing.key, seed.wrapping_mul(thing.key));
                };
                store.edit_many(&keys, edit).unwrap();
            }
            Step::Hold(at) => {
                key_at(store, *at).map(|key| store.hold(&key));
            }
            Step::Release(at) => {
                key_at(store, *at).map(|key| store.release(&key));
            }
            Step::Undo => drop(store.history_mut().undo()),
            Step::ClearCache => store.clear_cache(),
            Step::Prepare => store.prepare_search(&self.search),
            Step::Batch {
                renames,
                search,
                fails,
            } => {
                let list = self.list;
                let typed = search.as_ref().map(Typed::search);
                let done = store.batch(|store| {
                    for (at, seed) in renames {
                        if let Some(key) = key_at(store, *at) {
                            store
                                .edit(&key, |thing| *thing = named(key, *seed))
                                .unwrap();
                        }
                        if let Some(search) = typed.clone() {
                            let mut list = store.list_mut(list).unwrap();
                            list.change_query(|query| query.search(search));
                        }
                    }
                    if *fails { Err(()) } else { Ok(()) }
                });
                if let (Ok(()), Some(search), false) = (done, typed, renames.is_empty()) {
                    self.search = search;
                }
            }
        }
    }

    fn check(&mut self, typed: &Search<Thing>) {
        self.store.check().unwrap();
        let now: Vec<Arc<Thing>> = self
            .store
            .list(self.list)
            .unwrap()
            .items()
            .cloned()
            .collect();
        match self.feed.read(&self.store).unwrap() {
            Some(set) => check_set(&set, &self.rows, &now),
            None => assert_eq!(self.rows, now),
        }
        self.rows = now;

        let things = things(&self.store);
        let found = |thing: &&Thing| typed.finds(thing);
        let list = self.store.list(self.list).unwrap();
        let among = self.rows.iter().filter(|row| typed.finds(row)).count();
        assert_eq!(list.count_found(typed), among);
        assert_eq!(
            self.store.count_found(typed),
            things.iter().filter(found).count()
        );
    }

    fn check_suggestions(&self, typed: &str) {
        let starts = Search::in_fields(typed, [Thing::NAME.into()]).at_word_start();
        let things = things(&self.store);
        let mut expected: Vec<(&str, usize)> = Vec::new();
        for thing in things.iter().filter(|thing| starts.finds(thing)) {
            match expected.iter_mut().find(|(name, _)| *name == thing.name) {
                Some((_, count)) => *count += 1,
                None => expected.push((&thing.name, 1)),
            }
        }
        expected.retain(|(name, _)| !name.trim().is_empty());
        expected.sort_by(|one, two| two.1.cmp(&one.1).then(one.0.cmp(two.0)));
        expected.truncate(5);
        let found = self.names.find(&self.store, typed, &[], 5).unwrap();
        let found: Vec<(&str, usize)> = found.iter().map(|one| (&*one.text, one.count)).collect();
        assert_eq!(found, expected);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(80)) })]

    #[test]
    fn a_search_finds_what_each_item_holds_whatever_was_edited(
        start in prop::collection::vec(any::<u16>(), 0..60),
        shape in shape(),
        steps in prop::collection::vec((step(), typed()), 1..30),
    ) {
        let mut world = World::new(&start, shape);
        for (step, typed) in &steps {
            world.perform(step);
            world.check(&typed.search());
            world.check_suggestions(typed.search().text());
        }
        for thing in things(&world.store) {
            drop(world.store.release(&thing.key));
        }
        let matching: Vec<Thing> = things(&world.store).into_iter().filter(|thing| world.search.finds(thing)).collect();
        let list = world.store.list(world.list).unwrap();
        let shown: Vec<Thing> = list.items().map(|row| Thing::clone(row)).collect();
        prop_assert_eq!(shown, world.shape.rows(&matching));
    }
}
