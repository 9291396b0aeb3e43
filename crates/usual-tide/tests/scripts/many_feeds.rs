//! Many feeds of one list, each read at its own time, while other lists are bound and unbound beside it.

use super::cases;
use super::checks::{Sections, check_sections, check_set, sections_of};
use super::model::{Shape, Thing, shape};
use super::script::{Op, apply, edit, start};
use proptest::prelude::*;
use std::collections::VecDeque;
use std::sync::Arc;
use usual_tide::{Feed, ListId, Query, Store};

const FEEDS: usize = 6;

#[derive(Clone, Debug)]
enum Operation {
    Edit(Op),
    /// One of the feeds is read.
    Read(usize),
    /// One of them is dropped, and a new one is made.
    Renew(usize),
    /// The list gets another query.
    Requery(Shape),
    /// Another list is bound, or the one that was bound first is unbound.
    Bind(bool),
}

fn operation() -> impl Strategy<Value = Operation> {
    prop_oneof![
        16 => edit().prop_map(Operation::Edit),
        3 => (0..FEEDS).prop_map(Operation::Read),
        1 => (0..FEEDS).prop_map(Operation::Renew),
        1 => shape().prop_map(Operation::Requery),
        2 => any::<bool>().prop_map(Operation::Bind),
    ]
}

/// A feed, with what its reader shows.
struct Reader {
    feed: Feed<Thing>,
    shown: Sections,
}

impl Reader {
    fn new(store: &mut Store<Thing>, list: ListId) -> Self {
        Self {
            feed: store.feed(list).unwrap(),
            shown: sections_of(&store.list(list).unwrap()),
        }
    }

    fn read(&mut self, store: &Store<Thing>, list: ListId) {
        let found = sections_of(&store.list(list).unwrap());
        match self.feed.read(store).unwrap() {
            Some(set) => {
                check_set(&set, &rows(&self.shown), &rows(&found));
                if set.sections().is_some() {
                    check_sections(&set, &self.shown, &found);
                }
            }
            None => assert_eq!(self.shown, found),
        }
        self.shown = found;
        assert!(self.feed.read(store).unwrap().is_none());
    }
}

fn rows(sections: &Sections) -> Vec<Arc<Thing>> {
    let rows = sections.iter().flat_map(|(_, rows)| rows);
    rows.cloned().collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(100)) })]

    #[test]
    fn each_feed_has_what_its_reader_has_not_seen(
        start in start(),
        shape in shape(),
        operations in prop::collection::vec(operation(), 1..120),
    ) {
        let mut store = Store::load(start.clone()).unwrap();
        let mut model = start;
        let mut numbered = shape.numbered;
        let list = store.bind(shape.query());
        let mut readers: Vec<Reader> = (0..FEEDS).map(|_| Reader::new(&mut store, list)).collect();
        let mut others: VecDeque<ListId> = VecDeque::new();
        for operation in &operations {
            match operation {
                Operation::Edit(op) => drop(apply(op, &mut store, &mut model)),
                Operation::Read(which) => readers[*which].read(&store, list),
                Operation::Renew(which) => readers[*which] = Reader::new(&mut store, list),
                Operation::Requery(shape) => {
                    // A query that numbers its rows goes on to do so.
                    numbered |= shape.numbered;
                    let shape = Shape { numbered, ..*shape };
                    store.list_mut(list).unwrap().change_query(|query| shape.change(query));
                }
                Operation::Bind(true) => others.push_back(store.bind(Query::new())),
                Operation::Bind(false) => {
                    if let Some(other) = others.pop_front() {
                        store.unbind(other).unwrap();
                        prop_assert!(store.list(other).is_err());
                    }
                }
            }
            for other in &others {
                prop_assert_eq!(store.list(*other).unwrap().len(), model.len());
            }
            store.check().unwrap();
        }
        readers.iter_mut().for_each(|reader| reader.read(&store, list));
    }
}
