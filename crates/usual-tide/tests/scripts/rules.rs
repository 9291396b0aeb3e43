//! Rules against a plain model: what may be added and edited, whatever happened before.

use super::cases;
use super::model::{Thing, thing};
use proptest::prelude::*;
use usual_tide::rules::BrokenRule;
use usual_tide::text::Folding;
use usual_tide::{EditError, Place, Rules, Store};

/// Names with what is left of them when white space, case and accents are taken away.
const NAMES: [(&str, &str); 9] = [
    ("Bowl", "bowl"),
    (" bowl", "bowl"),
    ("BÖWL\t", "bowl"),
    ("Krug", "krug"),
    ("krúg ", "krug"),
    ("Straße", "strasse"),
    ("STRASSE", "strasse"),
    ("  ", ""),
    ("a name of many letters", "a name of many letters"),
];

#[derive(Clone, Debug)]
enum Op {
    Add { key: u16, name: usize, rank: i8 },
    Edit { key: u16, name: usize, rank: i8 },
    Remove { key: u16 },
    Undo,
    Redo,
    Source { key: u16, name: usize },
    FailingBatch { ops: Vec<Op> },
}

fn op() -> impl Strategy<Value = Op> {
    let key = || 0..8u16;
    let name = || 0..NAMES.len();
    let plain = prop_oneof![
        3 => (key(), name(), -5..9i8).prop_map(|(key, name, rank)| Op::Add { key, name, rank }),
        3 => (key(), name(), -5..9i8).prop_map(|(key, name, rank)| Op::Edit { key, name, rank }),
        1 => key().prop_map(|key| Op::Remove { key }),
    ];
    let batch = prop::collection::vec(plain.clone(), 1..5);
    prop_oneof![
        8 => plain,
        1 => Just(Op::Undo),
        1 => Just(Op::Redo),
        1 => (key(), name()).prop_map(|(key, name)| Op::Source { key, name }),
        1 => batch.prop_map(|ops| Op::FailingBatch { ops }),
    ]
}

fn named(key: u16, name: usize, rank: i8) -> Thing {
    Thing {
        name: NAMES[name].0.to_owned(),
        rank: Some(rank),
        ..thing(key, 0)
    }
}

fn folded(name: &str) -> &'static str {
    let found = NAMES
        .iter()
        .find(|known| known.0 == name || known.0.trim() == name);
    found.unwrap().1
}

/// The fields that must fail, in the order of the rules.
fn expected(item: &Thing, store: &Store<Thing>) -> Vec<&'static str> {
    let name = folded(&item.name);
    let mut failed = Vec::new();
    if name.is_empty() {
        failed.push("name");
    } else {
        let taken = |other: &Thing| other.key != item.key && folded(&other.name) == name;
        if store.items().any(|other| taken(other)) {
            failed.push("name");
        }
        if item.name.trim().chars().count() > 12 {
            failed.push("name");
        }
    }
    if !(-3..=7).contains(&item.rank.unwrap()) {
        failed.push("rank");
    }
    failed
}

fn run(op: &Op, store: &mut Store<Thing>) {
    let edit = |item: Thing, store: &mut Store<Thing>, exists: bool| {
        let mut failed = expected(&item, store);
        let mut tidied = item.clone();
        tidied.name = item.name.trim().to_owned();
        let key = item.key;
        let done = if exists {
            if **store.get(&key).unwrap() == tidied {
                // What is left equal is no edit, and breaks no rule.
                failed.clear();
            }
            store.edit(&key, |old| *old = item).map(drop)
        } else {
            store.add(item, Place::Start)
        };
        match done {
            Ok(()) => {
                assert!(failed.is_empty(), "{failed:?} should have failed");
                assert_eq!(**store.get(&key).unwrap(), tidied);
            }
            Err(EditError::Invalid { failed: fields, .. }) => {
                let fields: Vec<&str> = fields.iter().map(|field| field.field.as_str()).collect();
                assert_eq!(fields, failed);
            }
            Err(why) => panic!("{why}"),
        }
    };
    match *op {
        Op::Add { key, name, rank } if !store.contains(&key) => {
            edit(named(key, name, rank), store, false);
        }
        Op::Edit { key, name, rank } if store.contains(&key) => {
            edit(named(key, name, rank), store, true);
        }
        Op::Add { .. } | Op::Edit { .. } => {}
        Op::Remove { key } => drop(store.remove(&key)),
        Op::Undo => drop(store.history_mut().undo()),
        Op::Redo => drop(store.history_mut().redo()),
        // The source may bring what no person may enter.
        Op::Source { key, name } => {
            let item = named(key, name, 100);
            let brought = store.from_source(|store| match store.contains(&key) {
                true => store.replace(item.clone()).map(drop),
                false => store.add(item.clone(), Place::End),
            });
            brought.unwrap();
            assert_eq!(store.get(&key).unwrap().name, NAMES[name].0);
        }
        Op::FailingBatch { ref ops } => {
            let before: Vec<Thing> = store.items().map(|item| Thing::clone(item)).collect();
            let failed = store.batch(|store| {
                for op in ops {
                    run(op, store);
                }
                Err::<(), _>(EditError::UnknownKey(99))
            });
            assert!(failed.is_err());
            assert!(store.items().map(|item| &**item).eq(&before));
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn rules_let_pass_what_the_model_lets_pass(ops in prop::collection::vec(op(), 1..50)) {
        let mut store = Store::new();
        let rules = Rules::new()
            .trim(Thing::NAME)
            .required(Thing::NAME)
            .unique(Thing::NAME, Folding::CaseAndAccents)
            .length(Thing::NAME, ..=12)
            .range(Thing::RANK, -3..=7);
        store.set_rules(rules).unwrap();
        for op in &ops {
            run(op, &mut store);
            store.check().unwrap();
            let broken: Vec<u16> = store.broken_rules().map(|(key, _)| *key).collect();
            let expected = store.items().filter(|item| !expected(item, &store).is_empty());
            prop_assert_eq!(broken, expected.map(|item| item.key).collect::<Vec<_>>());
        }
    }
}

#[test]
fn a_panic_in_a_check_leaves_the_index_in_step() {
    let mut store = Store::load([thing(1, 1), thing(2, 2)]).unwrap();
    let trap = |item: &Thing| {
        assert!(item.rank != Some(7), "the trap");
        Ok::<(), String>(())
    };
    let rules = Rules::new()
        .unique(Thing::NAME, Folding::Exact)
        .check_item(trap);
    store.set_rules(rules).unwrap();
    let caught = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
        store.batch(|store| {
            store.edit(&1, |item| item.name = "new".into())?;
            store.edit(&2, |item| item.rank = Some(7))
        })
    }));
    assert!(caught.is_err());
    store.check().unwrap();
    let taken = store.edit(&2, |item| item.name = thing(1, 1).name);
    let Err(EditError::Invalid { failed, .. }) = taken else {
        panic!("{taken:?}")
    };
    assert_eq!(failed[0].broken, BrokenRule::Taken { by: 1 });
}

#[test]
fn a_value_is_taken_by_another_item_and_by_nothing_else() {
    let mut store = Store::load([thing(1, 1)]).unwrap();
    let rules = Rules::new()
        .required(Thing::NAME)
        .unique(Thing::NAME, Folding::Exact);
    store.set_rules(rules).unwrap();
    let taken_by = |done: Result<(), EditError<u16>>| match done {
        Err(EditError::Invalid { failed, .. }) => failed[0].broken.clone(),
        other => panic!("{other:?}"),
    };

    // Blank rows are no items before they are committed.
    let empty = store.drafts_mut().begin_new(thing(2, 0), Place::End);
    let shelf = store.drafts_mut().begin_new(thing(3, 2), Place::End);
    assert_eq!(store.broken_rules().count(), 0);
    store.add(thing(4, 2), Place::End).unwrap();
    let shelf = shelf.unwrap();
    assert_eq!(
        store.drafts().failures(&shelf)[0].broken,
        BrokenRule::Taken { by: 4 }
    );
    assert!(store.drafts_mut().commit(shelf).is_err());
    drop(empty);

    // Nor has an item its value from itself, when the source has given it another key; a new one with its first key has.
    store.writes_mut().track();
    store.add(thing(5, 3), Place::End).unwrap();
    let draft = store.drafts_mut().begin(&5).unwrap();
    let ticket = store.writes().pending().next().unwrap().ticket;
    store.writes_mut().confirm_as(ticket, thing(9, 3)).unwrap();
    assert_eq!(store.drafts().failures(&draft), []);
    assert_eq!(
        taken_by(store.add(thing(5, 3), Place::End)),
        BrokenRule::Taken { by: 9 }
    );
}
