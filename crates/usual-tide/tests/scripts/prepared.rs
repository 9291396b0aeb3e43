//! Lists that were prepared at one moment and bound at another.

use super::cases;
use super::model::{Order, Shape, Thing, shape, thing};
use super::script::{Op, apply, edit};
use proptest::prelude::*;
use std::sync::Arc;
use usual_tide::{ListId, Place, Query, Replica, SharedStore, Store};

/// What comes between.
#[derive(Clone, Debug)]
enum Between {
    Edit(Op),
    /// A batch that is taken back.
    Failed(Op),
    Hold(u16),
    Release(u16),
    Propose(u16),
    ClearCache,
}

fn between() -> impl Strategy<Value = Between> {
    prop_oneof![
        4 => edit().prop_map(Between::Edit),
        2 => edit().prop_map(Between::Failed),
        1 => (0..24u16).prop_map(Between::Hold),
        1 => (0..24u16).prop_map(Between::Release),
        1 => (0..24u16).prop_map(Between::Propose),
        1 => Just(Between::ClearCache),
    ]
}

fn happen(between: &Between, store: &mut Store<Thing>) {
    let mut model: Vec<Thing> = store.items().map(|item| Thing::clone(item)).collect();
    // What does not fit the moment is refused, which is fine here.
    match between {
        Between::Edit(op) => drop(apply(op, store, &mut model)),
        Between::Failed(op) => {
            let ops = vec![op.clone()];
            drop(apply(&Op::Batch { ops, fails: true }, store, &mut model));
        }
        Between::Hold(key) => drop(store.hold(key)),
        Between::Release(key) => drop(store.release(key)),
        Between::Propose(key) => drop(store.removals_mut().begin(&[*key])),
        Between::ClearCache => store.clear_cache(),
    }
}

fn rows(store: &Store<Thing>, list: ListId) -> Vec<Arc<Thing>> {
    store.list(list).unwrap().items().cloned().collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn a_prepared_list_is_bound_as_if_it_were_bound_then(
        shape in shape(),
        before in prop::collection::vec(between(), 0..6),
        meanwhile in prop::collection::vec(between(), 0..3),
        after in prop::collection::vec(edit(), 0..6),
    ) {
        let mut store = Store::load((0..20).map(|key| thing(key, (key * 13) as u8))).unwrap();
        before.iter().for_each(|step| happen(step, &mut store));
        let prepared = store.prepare_list(shape.query());
        meanwhile.iter().for_each(|step| happen(step, &mut store));
        let list = store.bind_prepared(prepared);
        let other = store.bind(shape.query());
        store.check().unwrap();
        prop_assert_eq!(rows(&store, list), rows(&store, other));

        let feed = store.feed(list).unwrap();
        let mut replica: Replica<Thing> = store.list(list).unwrap().items().cloned().collect();
        after.iter().for_each(|op| happen(&Between::Edit(op.clone()), &mut store));
        store.check().unwrap();
        if let Some(changes) = feed.read(&store).unwrap() {
            replica.apply(&changes).unwrap();
        }
        prop_assert!(replica.items().eq(store.list(list).unwrap().items()));
        prop_assert_eq!(rows(&store, list), rows(&store, other));
    }
}

#[test]
fn a_list_prepared_amid_a_batch_or_of_another_store_shows_what_this_one_holds() {
    let mut store = Store::load((0..4).map(|key| thing(key, 0))).unwrap();
    let mut prepared = None;
    let failed = store.batch(|store| {
        store.add(thing(9, 0), Place::Start)?;
        prepared = Some(store.prepare_list(Query::new()));
        store.remove(&99)
    });
    assert!(failed.is_err());
    let list = store.bind_prepared(prepared.unwrap());
    assert_eq!(store.list(list).unwrap().len(), 4);

    let bound = store.batch(|store| {
        let prepared = store.prepare_list(Query::new());
        store.add(thing(9, 0), Place::Start)?;
        Ok::<_, usual_tide::EditError<u16>>(store.bind_prepared(prepared))
    });
    assert_eq!(store.list(bound.unwrap()).unwrap().len(), 5);

    let other: Store<Thing> = Store::load((20..23).map(|key| thing(key, 0))).unwrap();
    let list = store.bind_prepared(other.prepare_list(Query::new()));
    assert_eq!(store.list(list).unwrap().len(), 5);
    store.check().unwrap();
}

#[test]
fn a_shared_store_binds_lists_while_others_edit() {
    let shared = SharedStore::new(Store::load((0..500).map(|key| thing(key, key as u8))).unwrap());
    let editor = {
        let shared = shared.clone();
        std::thread::spawn(move || {
            for turn in 0..400_u16 {
                let key = turn * 7 % 500;
                let seed = (turn * 31) as u8;
                shared
                    .try_edit(|store| store.edit(&key, |item| *item = thing(key, seed)))
                    .unwrap();
            }
        })
    };
    let shape = Shape {
        order: Order::Rank,
        ..Shape::ALL
    };
    let lists: Vec<ListId> = (0..40)
        .map(|_| shared.bind(shape.query()).unwrap())
        .collect();
    editor.join().unwrap();
    shared
        .read(|store| {
            store.check().unwrap();
            for list in lists {
                let items: Vec<Thing> = store.items().map(|item| Thing::clone(item)).collect();
                let rows = rows(store, list);
                assert!(rows.iter().map(|row| &**row).eq(&shape.rows(&items)));
            }
        })
        .unwrap();
}
