//! Undoing everything gives back the first state, and redoing everything the last.

use super::cases;
use super::checks::check_set;
use super::model::{Thing, shape, thing};
use super::script::{Op, apply, edit, start};
use proptest::prelude::*;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use usual_tide::history::{SkipReason, Skipped, UndoError};
use usual_tide::{EditError, Place, Query, Store};

type Rows = Vec<Arc<Thing>>;

fn rows(store: &Store<Thing>) -> Rows {
    store.items().cloned().collect()
}

/// The same items in the same order: not only equal, but the same.
fn identical(one: &Rows, two: &Rows) -> bool {
    one.len() == two.len() && one.iter().zip(two).all(|(one, two)| Arc::ptr_eq(one, two))
}

/// Edits of a person: a reload comes from the source.
fn persons_edit() -> impl Strategy<Value = Op> {
    edit().prop_filter("from the source", |op| !matches!(op, Op::Reload { .. }))
}

fn persons_step() -> impl Strategy<Value = Op> {
    let ops = prop::collection::vec(persons_edit(), 0..6);
    prop_oneof![
        4 => persons_edit(),
        1 => (ops, any::<bool>()).prop_map(|(ops, fails)| Op::Batch { ops, fails }),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn undo_and_redo_walk_the_same_states(
        start in start(),
        shape in shape(),
        ops in prop::collection::vec(persons_step(), 1..40),
        there_and_back in prop::collection::vec(any::<bool>(), 0..60),
    ) {
        let mut model = start.clone();
        let mut store = Store::load(start).unwrap();
        let list = store.bind(shape.query());
        let feed = store.feed(list).unwrap();
        let mut states = vec![rows(&store)];
        for op in &ops {
            let steps = store.history().undo_len();
            let _ = apply(op, &mut store, &mut model);
            prop_assert_eq!(store.history().redo_len(), 0);
            if store.history().undo_len() > steps {
                states.push(rows(&store));
            }
        }
        prop_assert_eq!(store.history().undo_len(), states.len() - 1);

        let mut at = states.len() - 1;
        let walk = there_and_back.iter().copied().chain(std::iter::repeat_n(true, states.len()));
        for back in walk {
            let before: Rows = store.list(list).unwrap().items().cloned().collect();
            feed.read(&store).unwrap();
            let done = if back { store.history_mut().undo() } else { store.history_mut().redo() }.unwrap();
            match &done {
                Some(done) => prop_assert!(done.skipped.is_empty()),
                None => prop_assert_eq!(at, if back { 0 } else { states.len() - 1 }),
            }
            match (done.is_some(), back) {
                (true, true) => at -= 1,
                (true, false) => at += 1,
                _ => {}
            }
            prop_assert!(identical(&rows(&store), &states[at]));
            store.check().unwrap();
            let after: Rows = store.list(list).unwrap().items().cloned().collect();
            if let Some(set) = feed.read(&store).unwrap() && before != after {
                check_set(&set, &before, &after);
            }
        }
        prop_assert_eq!(at, 0);
        while store.history_mut().redo().unwrap().is_some() {}
        prop_assert!(identical(&rows(&store), &states[states.len() - 1]));
    }

    /// With the source's edits in between nothing is certain but that all stays sound, and that what the
    /// source did is not taken back.
    #[test]
    fn undo_past_edits_of_the_source_stays_sound(
        start in start(),
        ops in prop::collection::vec((persons_step(), prop::option::of(edit()), 0..4u8), 1..30),
    ) {
        let mut model = start.clone();
        let mut store = Store::load(start).unwrap();
        let list = store.bind(Query::new());
        let feed = store.feed(list).unwrap();
        let mut view: Rows = rows(&store);
        for (op, remote, undos) in &ops {
            let _ = apply(op, &mut store, &mut model);
            if let Some(remote) = remote {
                let steps = (store.history().undo_len(), store.history().redo_len());
                let _ = store.from_source(|store| apply(remote, store, &mut model));
                prop_assert_eq!((store.history().undo_len(), store.history().redo_len()), steps);
            }
            for _ in 0..*undos {
                let left = store.history().undo_len();
                let undone = store.history_mut().undo().unwrap();
                prop_assert_eq!(undone.is_some(), left > 0);
                prop_assert_eq!(store.history().undo_len(), left.saturating_sub(1));
            }
            store.check().unwrap();
            model = rows(&store).iter().map(|row| Thing::clone(row)).collect();
            if let Some(changes) = feed.read(&store).unwrap() {
                changes.apply(&mut view).unwrap();
            }
            prop_assert!(view == rows(&store));
        }
    }
}

fn store(keys: u16) -> Store<Thing> {
    Store::load((0..keys).map(|key| thing(key, 0))).unwrap()
}

#[test]
fn what_the_source_changed_since_is_left_alone_and_told() {
    let mut store = store(6);
    let done = store.batch_named("Clear up", |store| {
        store.edit(&0, |item| item.name = "mine".into())?;
        store.edit(&1, |item| item.name = "mine".into())?;
        store.add(thing(9, 1), Place::End)?;
        store.remove(&2)?;
        store.remove(&3)?;
        store.move_to(&4, Place::Start)
    });
    done.unwrap();
    store
        .from_source(|store| {
            store.edit(&0, |item| item.name = "theirs".into())?;
            store.add(thing(2, 77), Place::End)?;
            store.remove(&4)?;
            Ok::<(), EditError<u16>>(())
        })
        .unwrap();
    let undone = store.history_mut().undo().unwrap().unwrap();
    assert_eq!(undone.name.as_deref(), Some("Clear up"));
    let skipped = |key, why| Skipped { key, why };
    assert_eq!(
        undone.skipped,
        [
            skipped(4, SkipReason::Gone),
            skipped(2, SkipReason::KeyTaken),
            skipped(0, SkipReason::ChangedSince),
        ]
    );
    assert_eq!(undone.keys, [1, 9, 3]);
    assert_eq!(store.get(&0).unwrap().name, "theirs");
    assert_eq!(**store.get(&1).unwrap(), thing(1, 0));
    assert!(!store.contains(&9));
    // Back behind the item that stood before it, as far as that is still there.
    let keys: Vec<u16> = store.items().map(|item| item.key).collect();
    assert_eq!(keys, [0, 1, 3, 5, 2]);
    assert_eq!(store.history().redo_name(), Some("Clear up"));
}

#[test]
fn steps_are_bounded_and_a_new_edit_ends_redo() {
    let mut store = store(3);
    store.history_mut().set_depth(2);
    for round in 0..5 {
        store
            .edit(&0, |item| item.name = format!("{round}"))
            .unwrap();
    }
    assert_eq!(store.history().undo_len(), 2);
    store.history_mut().undo().unwrap();
    assert_eq!(
        (store.history().undo_len(), store.history().redo_len()),
        (1, 1)
    );
    store.remove(&1).unwrap();
    assert_eq!(
        (store.history().undo_len(), store.history().redo_len()),
        (2, 0)
    );
    assert_eq!(store.history_mut().redo().unwrap(), None);
    store.history_mut().set_depth(0);
    store.remove(&2).unwrap();
    assert_eq!(store.history_mut().undo().unwrap(), None);
}

#[test]
fn an_edit_that_changes_nothing_or_fails_is_no_step() {
    let mut store = store(3);
    store.edit(&0, |_| ()).unwrap();
    store.remove(&99).unwrap_err();
    let failed = store.batch_named("Fails", |store| {
        store.remove(&0)?;
        store.remove(&99)
    });
    assert!(failed.is_err());
    assert_eq!(store.history().undo_len(), 0);
    store.remove(&0).unwrap();
    assert_eq!(
        store.history().undo_name(),
        None,
        "the name of a batch that failed is not kept"
    );
    let inside = store.batch(|store| store.history_mut().undo());
    assert_eq!(inside, Err(UndoError::InBatch));
    assert_eq!(store.history().undo_len(), 1);
}

#[test]
fn a_panic_on_the_way_back_leaves_the_step_to_be_undone() {
    let mut store = store(8);
    store.remove(&4).unwrap();
    let list = store.bind(Query::new().filter(|thing: &Thing| {
        assert!(thing.key != 4, "the trap");
        true
    }));
    assert!(catch_unwind(AssertUnwindSafe(|| store.history_mut().undo())).is_err());
    assert_eq!(
        (store.history().undo_len(), store.history().redo_len()),
        (1, 0)
    );
    store.check().unwrap();
    store.unbind(list).unwrap();
    assert!(store.history_mut().undo().unwrap().is_some());
    assert_eq!(store.position(&4), Some(4));
}
