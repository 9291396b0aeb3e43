//! Scripts of edits over several lists, made of the bytes: after each edit, replicas equal the lists, change sets are
//! minimal, and the store is sound. The scripts are those of the random tests.

#![no_main]

#[allow(dead_code, unused_imports)]
#[path = "../../crates/usual-tide/tests/scripts/checks.rs"]
mod checks;
#[allow(dead_code, unused_imports)]
#[path = "../../crates/usual-tide/tests/scripts/model.rs"]
mod model;
#[allow(dead_code, unused_imports)]
#[path = "../../crates/usual-tide/tests/scripts/same_keys.rs"]
mod same_keys;
#[allow(dead_code, unused_imports)]
#[path = "../../crates/usual-tide/tests/scripts/script.rs"]
mod script;
#[allow(dead_code, unused_imports)]
#[path = "../../crates/usual-tide/tests/scripts/watched.rs"]
mod watched;

use arbitrary::Arbitrary;
use libfuzzer_sys::fuzz_target;
use model::{Shape, Thing, thing};
use usual_tide::edits::OnDuplicate;

/// How many cases the random tests try; they do not run here.
#[allow(dead_code)]
fn cases(usually: u32) -> u32 {
    usually
}

#[derive(Arbitrary, Debug)]
enum Script {
    /// Every edit over several lists.
    Lists {
        start: Vec<(u16, u8)>,
        shapes: [Shape; 2],
        ops: Vec<script::Op>,
    },
    /// Few keys that go and come again under waiting writes.
    Writes {
        ops: Vec<same_keys::Op>,
        waits: bool,
        ruled: bool,
    },
}

/// Steps of a script at most.
const MOST: usize = 60;

fuzz_target!(|made: Script| {
    match made {
        Script::Lists {
            start,
            shapes,
            mut ops,
        } => {
            let things: Vec<Thing> = start
                .into_iter()
                .take(40)
                .map(|(key, seed)| thing(key % 60, seed))
                .collect();
            ops.truncate(MOST);
            ops.iter_mut().for_each(fit_edit);
            let start = script::keep_one(things, OnDuplicate::KeepFirst);
            script::run(&(start, shapes.map(fit_shape).to_vec(), ops));
        }
        Script::Writes {
            mut ops,
            waits,
            ruled,
        } => {
            ops.truncate(MOST);
            ops.iter_mut().for_each(fit_step);
            same_keys::run_script(&(ops, waits, ruled));
        }
    }
});

/// Puts the numbers of a query into the range that the random tests have.
fn fit_shape(shape: Shape) -> Shape {
    Shape {
        filter: shape.filter % 5,
        skip: shape.skip % 6,
        take: shape.take.map(|take| take % 12),
        ..shape
    }
}

/// Does the same for an edit.
fn fit_edit(op: &mut script::Op) {
    use script::Op;
    match op {
        Op::Add { key, .. } | Op::Replace { key, .. } => *key %= 60,
        Op::AddMany { keys, policy, .. } => {
            keys.truncate(8);
            keys.iter_mut().for_each(|key| *key %= 60);
            *policy %= 3;
        }
        Op::Reload { policy, .. } => *policy %= 3,
        Op::Batch { ops, .. } => {
            ops.truncate(8);
            ops.iter_mut().for_each(fit_edit);
        }
        Op::Requery { shape, .. } => *shape = fit_shape(*shape),
        Op::Refilter { filter, .. } => *filter %= 5,
        Op::LoadMore { rows, .. } => *rows %= 4,
        _ => {}
    }
}

/// Does the same for a step with writes.
fn fit_step(op: &mut same_keys::Op) {
    use same_keys::Op;
    const KEYS: u16 = 6;
    match op {
        Op::Add(key, ..)
        | Op::Edit(key, _)
        | Op::Remove(key)
        | Op::Move(key, _)
        | Op::Draft(key)
        | Op::DraftNew(key, ..)
        | Op::Hold(key, _) => *key %= KEYS,
        Op::ConfirmAs(_, key, _) => *key %= KEYS + 2,
        Op::Batch(ops, _) | Op::Source(ops) => {
            ops.truncate(6);
            ops.iter_mut().for_each(fit_step);
        }
        Op::Later(op) => fit_step(op),
        Op::Requery(_, shape) => *shape = fit_shape(*shape),
        Op::Reload(items) | Op::AddMany(items, ..) => {
            items.truncate(8);
            items.iter_mut().for_each(|(key, _)| *key %= KEYS);
        }
        Op::Propose(keys) => keys.iter_mut().for_each(|key| *key %= KEYS),
        _ => {}
    }
}
