//! Rows that are held in place while their items change.

use super::cases;
use super::model::{Order, Shape, Thing, shape, thing};
use proptest::prelude::*;
use std::sync::Arc;
use usual_tide::{Place, Replica, Store};

/// What is done while a row is held: `seed` makes the item, `at` says which.
#[derive(Clone, Debug)]
enum Op {
    Edit { key: u16, seed: u8 },
    Add { key: u16, seed: u8 },
    Remove { key: u16 },
    Move { key: u16, to: usize },
    Hold { key: u16 },
    Release { key: u16 },
    Requery { shape: Shape },
}

fn op() -> impl Strategy<Value = Op> {
    let key = 0..24u16;
    prop_oneof![
        4 => (key.clone(), any::<u8>()).prop_map(|(key, seed)| Op::Edit { key, seed }),
        1 => (key.clone(), any::<u8>()).prop_map(|(key, seed)| Op::Add { key, seed }),
        1 => key.clone().prop_map(|key| Op::Remove { key }),
        1 => (key.clone(), 0..20usize).prop_map(|(key, to)| Op::Move { key, to }),
        2 => key.clone().prop_map(|key| Op::Hold { key }),
        2 => key.prop_map(|key| Op::Release { key }),
        1 => shape().prop_map(|shape| Op::Requery { shape }),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn held_rows_keep_every_structure_sound_and_settle_when_released(
        first in shape(),
        ops in prop::collection::vec(op(), 1..50),
    ) {
        let mut store = Store::load((0..20).map(|key| thing(key, (key * 13) as u8))).unwrap();
        let mut shape = first;
        let list = store.bind(shape.query());
        let feed = store.feed(list).unwrap();
        let mut replica: Replica<Thing> = store.list(list).unwrap().items().cloned().collect();
        for op in &ops {
            // What does not fit the moment is refused, which is fine here.
            match *op {
                Op::Edit { key, seed } => drop(store.edit(&key, |item| *item = thing(key, seed))),
                Op::Add { key, seed } => drop(store.add(thing(key, seed), Place::Start)),
                Op::Remove { key } => drop(store.remove(&key)),
                Op::Move { key, to } => drop(store.move_to(&key, Place::Row(to))),
                Op::Hold { key } => drop(store.hold(&key)),
                Op::Release { key } => drop(store.release(&key)),
                Op::Requery { shape: next } => {
                    shape = next;
                    store.list_mut(list).unwrap().change_query(|query| next.change(query));
                }
            }
            store.check().unwrap();
            if let Some(changes) = feed.read(&store).unwrap() {
                replica.apply(&changes).unwrap();
            }
            prop_assert!(replica.items().eq(store.list(list).unwrap().items()));
        }
        for key in 0..24 {
            drop(store.release(&key));
        }
        let things: Vec<Thing> = store.items().map(|item| Thing::clone(item)).collect();
        let rows: Vec<Arc<Thing>> = store.list(list).unwrap().items().cloned().collect();
        prop_assert!(rows.iter().map(|row| &**row).eq(&shape.rows(&things)));
    }
}

#[test]
fn a_row_under_edit_does_not_jump_or_vanish() {
    let shape = Shape {
        filter: 1,
        order: Order::Rank,
        ..Shape::ALL
    };
    let on = |key: u16, rank: i8| Thing {
        rank: Some(rank),
        on: true,
        ..thing(key, 0)
    };
    let mut store = Store::load((0..9).map(|key| on(key, key as i8))).unwrap();
    let list = store.bind(shape.query());
    let feed = store.feed(list).unwrap();

    store.hold(&4).unwrap();
    store.edit(&4, |item| item.rank = Some(100)).unwrap();
    store.edit(&4, |item| item.on = false).unwrap();
    assert_eq!(store.list(list).unwrap().position(&4), Some(4));
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!((changes.updated()[0].from, changes.updated()[0].to), (4, 4));
    assert_eq!(changes.touched(), 1);

    store.edit(&4, |item| item.on = true).unwrap();
    store.release(&4).unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!((changes.moved()[0].from, changes.moved()[0].to), (4, 8));
    assert_eq!(changes.touched(), 1);
}
