//! Filters that change amid the edits of a batch, which happens as a whole or not at all.

use super::cases;
use super::model::{Shape, Thing, shape};
use super::script::{Op, apply, edit, start};
use proptest::prelude::*;
use usual_tide::{EditError, ListId, Store};

/// One batch.
#[derive(Clone, Debug)]
struct Step {
    before: Vec<Op>,
    filter: Option<u8>,
    after: Vec<Op>,
    fails: bool,
}

fn step() -> impl Strategy<Value = Step> {
    let edits = || prop::collection::vec(edit(), 0..3);
    let filter = prop::option::weighted(0.8, 0..5u8);
    (edits(), filter, edits(), prop::bool::weighted(0.2)).prop_map(
        |(before, filter, after, fails)| Step {
            before,
            filter,
            after,
            fails,
        },
    )
}

fn things(store: &Store<Thing>) -> Vec<Thing> {
    store.items().map(|item| Thing::clone(item)).collect()
}

/// An edit that is refused leaves the batch as it is.
fn perform(ops: &[Op], store: &mut Store<Thing>) {
    for op in ops {
        let mut model = things(store);
        drop(apply(op, store, &mut model));
    }
}

fn run(step: &Step, store: &mut Store<Thing>, list: ListId, shape: Shape) -> Shape {
    let filtered = Shape {
        filter: step.filter.unwrap_or(shape.filter),
        ..shape
    };
    let done = store.batch(|store| {
        perform(&step.before, store);
        if step.filter.is_some() {
            let mut list = store.list_mut(list).unwrap();
            list.change_query(|query| filtered.change(query));
        }
        perform(&step.after, store);
        match step.fails {
            true => Err(EditError::UnknownKey(9999)),
            false => Ok(()),
        }
    });
    if done.is_ok() { filtered } else { shape }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(300)) })]

    #[test]
    fn a_list_shows_what_its_last_filter_says_whatever_else_the_batch_did(
        start in start(),
        first in shape(),
        steps in prop::collection::vec(step(), 1..8),
    ) {
        let mut store = Store::load(start).unwrap();
        let list = store.bind(first.query());
        let mut shape = first;
        for step in &steps {
            shape = run(step, &mut store, list, shape);
            store.check().unwrap();
            let rows = store.list(list).unwrap();
            let shown: Vec<Thing> = rows.items().map(|item| Thing::clone(item)).collect();
            prop_assert_eq!(shown, shape.rows(&things(&store)));
        }
    }
}
