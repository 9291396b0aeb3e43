//! Few keys, removed and added over and over while writes wait for the source: by the person, by drafts, by
//! undo and redo, and by the source itself, whose answers come in any order and with other keys.

use super::cases;
use super::model::{Grouped, Order, Shape, Thing, shape, thing};
use super::watched::{Rows, Watched, pick, rows};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;
use usual_tide::drafts::{CommitError, CommitProblem, Prefer};
use usual_tide::edits::OnDuplicate;
use usual_tide::lists::Suggestions;
use usual_tide::removals::RemovalId;
use usual_tide::text::Folding;
use usual_tide::writes::{Show, Ticket, Write};
use usual_tide::{Draft, EditError, ListId, Place, Query, Rules, Search, Store};

/// Keys that are there, may be there, or are given by the source.
const KEYS: u16 = 6;

#[derive(Clone, Debug)]
#[cfg_attr(fuzzing, derive(arbitrary::Arbitrary))]
pub(super) enum Op {
    Add(u16, u8, u8),
    Edit(u16, u8),
    Remove(u16),
    Move(u16, u8),
    AddMany(Vec<(u16, u8)>, u8, bool),
    Batch(Vec<Op>, bool),
    Undo,
    Redo,
    Draft(u16),
    DraftNew(u16, u8, u8),
    Type(u8, u8),
    Commit(u8, bool),
    Discard(u8),
    Drop(u8),
    Source(Vec<Op>),
    Reload(Vec<(u16, u8)>),
    Confirm(u8),
    ConfirmAs(u8, u16, u8),
    Refuse(u8),
    RefuseWith(u8, Option<u8>),
    TryAgain(u8),
    Dismiss(u8),
    Propose(Vec<u16>),
    Settle(u8, bool),
    Hold(u16, bool),
    Later(Box<Op>),
    Saved,
    Requery(u8, Shape),
    Find(u8, u8),
    Mark(u8, u8),
}

/// What is searched for, letter by letter.
const TYPED: [&str; 6] = ["", "k", "ki", "kiln", "shelf a", "kiln b"];

fn edit() -> impl Strategy<Value = Op> {
    prop_oneof![
        3 => (0..KEYS, 0..20u8, any::<u8>()).prop_map(|(key, seed, at)| Op::Add(key, seed, at)),
        2 => (0..KEYS, 0..20u8).prop_map(|(key, seed)| Op::Edit(key, seed)),
        3 => (0..KEYS).prop_map(Op::Remove),
        1 => (0..KEYS, any::<u8>()).prop_map(|(key, at)| Op::Move(key, at)),
        1 => (prop::collection::vec((0..KEYS, 0..20u8), 1..4), any::<u8>(), any::<bool>())
            .prop_map(|(items, at, replace)| Op::AddMany(items, at, replace)),
    ]
}

fn op() -> impl Strategy<Value = Op> {
    let edits = || prop::collection::vec(prop_oneof![6 => edit(), 1 => Just(Op::Saved)], 1..4);
    prop_oneof![
        10 => edit(),
        2 => (edits(), any::<bool>()).prop_map(|(ops, fails)| Op::Batch(ops, fails)),
        3 => Just(Op::Undo),
        2 => Just(Op::Redo),
        1 => (0..KEYS).prop_map(Op::Draft),
        2 => (0..KEYS, 0..20u8, any::<u8>()).prop_map(|(key, seed, at)| Op::DraftNew(key, seed, at)),
        2 => (any::<u8>(), 0..20u8).prop_map(|(which, seed)| Op::Type(which, seed)),
        2 => (any::<u8>(), any::<bool>()).prop_map(|(which, mine)| Op::Commit(which, mine)),
        1 => any::<u8>().prop_map(Op::Discard),
        1 => any::<u8>().prop_map(Op::Drop),
        4 => edits().prop_map(Op::Source),
        1 => prop::collection::vec((0..KEYS, 0..20u8), 0..5).prop_map(Op::Reload),
        4 => any::<u8>().prop_map(Op::Confirm),
        3 => (any::<u8>(), 0..KEYS + 2, 0..20u8)
            .prop_map(|(which, key, seed)| Op::ConfirmAs(which, key, seed)),
        3 => any::<u8>().prop_map(Op::Refuse),
        1 => (any::<u8>(), prop::option::of(0..20u8))
            .prop_map(|(which, seed)| Op::RefuseWith(which, seed)),
        1 => any::<u8>().prop_map(Op::TryAgain),
        1 => any::<u8>().prop_map(Op::Dismiss),
        1 => prop::collection::vec(0..KEYS, 1..3).prop_map(Op::Propose),
        1 => (any::<u8>(), any::<bool>()).prop_map(|(which, confirm)| Op::Settle(which, confirm)),
        1 => (0..KEYS, any::<bool>()).prop_map(|(key, hold)| Op::Hold(key, hold)),
        1 => edit().prop_map(|op| Op::Later(Box::new(op))),
        1 => Just(Op::Saved),
        1 => (any::<u8>(), shape()).prop_map(|(list, shape)| Op::Requery(list, shape)),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(list, typed)| Op::Find(list, typed)),
        1 => (any::<u8>(), any::<u8>()).prop_map(|(list, at)| Op::Mark(list, at)),
    ]
}

fn shapes() -> [Shape; 4] {
    let grouped = Shape {
        grouped: Grouped::OnWithTotals,
        order: Order::NameThenRankDown,
        ..Shape::ALL
    };
    [
        Shape::ALL,
        grouped,
        Shape {
            grouped: Grouped::Rank,
            order: Order::Source,
            filter: 5,
            ..Shape::ALL
        },
        Shape {
            order: Order::RankDownMissingFirst,
            skip: 1,
            take: Some(3),
            ..Shape::ALL
        },
    ]
}

struct World {
    store: Store<Thing>,
    lists: Vec<Watched>,
    /// All rows that no pending removal hides, and how often each name is among the items.
    all: ListId,
    names: Suggestions<Thing>,
    drafts: Vec<Draft<Thing>>,
    proposals: Vec<RemovalId>,
    waits: bool,
    ruled: bool,
    steps: usize,
}

/// An edit as the store takes it; what does not fit the moment is refused, which is fine here.
fn run(store: &mut Store<Thing>, op: &Op) -> Result<(), EditError<u16>> {
    let place = |store: &Store<Thing>, at: u8| Place::Gap(usize::from(at) % (store.len() + 1));
    match op {
        Op::Add(key, seed, at) => store.add(thing(*key, *seed), place(store, *at)),
        Op::Edit(key, seed) => store.edit(key, |item| *item = thing(*key, *seed)).map(drop),
        Op::Remove(key) => store.remove(key).map(drop),
        Op::AddMany(items, at, replace) => {
            let items = items.iter().map(|(key, seed)| thing(*key, *seed));
            let on_duplicate = match replace {
                true => OnDuplicate::KeepLast,
                false => OnDuplicate::Refuse,
            };
            store.add_many_with(items, place(store, *at), on_duplicate)
        }
        Op::Move(key, at) => store.move_to(key, place(store, *at)).map(drop),
        Op::Saved => {
            store.writes_mut().saved_items();
            Ok(())
        }
        _ => Ok(()),
    }
}

impl World {
    fn new(waits: bool, ruled: bool) -> Self {
        let mut store = Store::load((0..3).map(|key| thing(key, key as u8))).unwrap();
        if waits {
            store.writes_mut().track();
        }
        if ruled {
            let rules = Rules::new().unique(Thing::NAME, Folding::Exact);
            store.set_rules(rules).unwrap();
        }
        let lists = shapes().map(|shape| Watched::new(&mut store, shape));
        Self {
            lists: lists.into(),
            all: store.bind(Query::new()),
            names: store.suggestions(Thing::NAME),
            store,
            drafts: Vec::new(),
            proposals: Vec::new(),
            waits,
            ruled,
            steps: 0,
        }
    }

    /// Whether an item other than the one with this key has the name of a thing.
    fn is_taken(&self, key: u16, seed: u8) -> bool {
        let name = thing(key, seed).name;
        let real = self.real_rows();
        let holds = |row: &Arc<Thing>| row.key != key && row.name == name;
        self.ruled && !name.is_empty() && real.iter().any(holds)
    }

    fn ticket(&self, which: u8) -> Option<Arc<Write<Thing>>> {
        let waiting: Vec<_> = self.store.writes().pending().cloned().collect();
        Some(Arc::clone(&waiting[pick(which, &waiting)?]))
    }

    fn refused(&self, which: u8) -> Option<Ticket> {
        let refused: Vec<_> = self.store.writes().refused().collect();
        Some(refused[pick(which, &refused)?].write.ticket)
    }

    /// The new drafts that have a blank row, by their number, and what is in it.
    fn blank_rows(&self) -> Vec<(usize, Arc<Thing>)> {
        let drafts = self.store.drafts();
        let blank = self.drafts.iter().enumerate().filter_map(|(at, draft)| {
            let row = drafts
                .current(draft)
                .filter(|row| drafts.is_blank(&row.key));
            Some((at, Arc::clone(row?)))
        });
        blank.collect()
    }

    /// What the source says, and what is undone, is of items: a blank row stays as it is, or an item comes in its place.
    fn check_blank_rows(&self, before: &[(usize, Arc<Thing>)], op: &Op) {
        let removes = |key| match op {
            Op::Source(ops) => ops
                .iter()
                .any(|op| matches!(op, Op::Remove(of) if *of == key)),
            _ => false,
        };
        for (at, was) in before {
            match self.store.drafts().current(&self.drafts[*at]) {
                Some(row) if self.store.drafts().is_blank(&row.key) => assert_eq!(row, was),
                Some(_) => {}
                // An item came in its place and went.
                None => assert!(removes(was.key), "a draft has lost its row"),
            }
        }
    }

    fn step(&mut self, op: &Op) {
        let blank = self.blank_rows();
        self.run(op);
        let of_source = matches!(
            op,
            Op::Source(_)
                | Op::Reload(_)
                | Op::Undo
                | Op::Redo
                | Op::Confirm(_)
                | Op::ConfirmAs(..)
                | Op::Refuse(_)
                | Op::RefuseWith(..)
                | Op::TryAgain(_)
                | Op::Dismiss(_)
        );
        if of_source {
            self.check_blank_rows(&blank, op);
        }
    }

    fn run(&mut self, op: &Op) {
        match op {
            Op::Batch(ops, fails) => self.batch(ops, *fails),
            Op::Source(ops) => {
                let done = self.store.from_source(|store| {
                    // Whatever waits is put aside, so this is what the source has.
                    ops.iter().for_each(|op| drop(run(store, op)));
                    Ok::<(), EditError<u16>>(())
                });
                done.unwrap();
            }
            Op::Undo => drop(self.store.history_mut().undo()),
            Op::Redo => drop(self.store.history_mut().redo()),
            Op::Reload(items) => {
                let items = items.iter().map(|(key, seed)| thing(*key, *seed));
                drop(self.store.reload(items));
            }
            Op::Saved => self.check_saved(),
            Op::Propose(keys) => self
                .proposals
                .extend(self.store.removals_mut().begin(keys).ok()),
            Op::Settle(which, confirm) => {
                if let Some(at) = pick(*which, &self.proposals) {
                    let id = self.proposals.remove(at);
                    match confirm {
                        true => drop(self.store.removals_mut().confirm(id)),
                        false => drop(self.store.removals_mut().cancel(id)),
                    }
                }
            }
            Op::Requery(list, shape) => {
                let list = self.lists[usize::from(*list) % self.lists.len()].list;
                let mut list = self.store.list_mut(list).unwrap();
                list.change_query(|query| shape.change(query));
            }
            Op::Find(list, typed) => {
                let list = self.lists[usize::from(*list) % self.lists.len()].list;
                let typed = TYPED[usize::from(*typed) % TYPED.len()];
                let search = Search::in_fields(typed, [Thing::NAME.into()]);
                let mut list = self.store.list_mut(list).unwrap();
                list.change_query(|query| query.search(search));
            }
            Op::Mark(list, at) => {
                let watched = usize::from(*list) % self.lists.len();
                self.lists[watched].mark(&self.store, *at);
            }
            Op::Hold(key, true) => drop(self.store.hold(key)),
            Op::Hold(key, false) => drop(self.store.release(key)),
            Op::Later(op) if self.waits => {
                drop(
                    self.store
                        .writes_mut()
                        .submit(Show::WhenConfirmed, |store| run(store, op)),
                );
            }
            Op::Later(_) => {}
            Op::Draft(_)
            | Op::DraftNew(..)
            | Op::Type(..)
            | Op::Commit(..)
            | Op::Discard(_)
            | Op::Drop(_) => self.draft(op),
            Op::Confirm(_)
            | Op::ConfirmAs(..)
            | Op::Refuse(_)
            | Op::RefuseWith(..)
            | Op::TryAgain(_)
            | Op::Dismiss(_) => self.answer(op),
            Op::Add(key, seed, _) => {
                let was_taken = self.is_taken(*key, *seed);
                let was_there = self.store.contains(key);
                let done = run(&mut self.store, op);
                assert_eq!(done.is_err(), was_there || was_taken);
            }
            edit => drop(run(&mut self.store, edit)),
        }
        // Dropped drafts end with the next edit, be it an empty one.
        let nothing = self.store.batch(|_| Ok::<_, EditError<u16>>(()));
        nothing.unwrap();
    }

    /// The items, blank rows of drafts left out.
    fn real_rows(&self) -> Rows {
        let real = self
            .store
            .items()
            .filter(|row| !self.store.drafts().is_blank(&row.key));
        real.cloned().collect()
    }

    fn batch(&mut self, ops: &[Op], fails: bool) {
        let before = self.real_rows();
        let waiting = self.store.writes().pending().count();
        let (undo, redo) = (
            self.store.history().undo_len(),
            self.store.history().redo_len(),
        );
        let done = self.store.batch(|store| {
            ops.iter().for_each(|op| drop(run(store, op)));
            match fails {
                true => Err(EditError::UnknownKey(9999)),
                false => Ok(()),
            }
        });
        assert_eq!(done.is_err(), fails);
        let same = before == self.real_rows();
        if fails {
            assert!(same);
            assert_eq!(
                (undo, redo),
                (
                    self.store.history().undo_len(),
                    self.store.history().redo_len()
                )
            );
            assert_eq!(self.store.writes().pending().count(), waiting);
        } else {
            // Whatever was asked in between, what the person did is a step, and is asked for.
            assert!(same || self.store.history().undo_len() > undo || undo == 100);
            assert!(same || !self.waits || self.store.writes().pending().count() > waiting);
        }
    }

    fn draft(&mut self, op: &Op) {
        let store = &mut self.store;
        match op {
            Op::Draft(key) => self.drafts.extend(store.drafts_mut().begin(key).ok()),
            Op::DraftNew(key, seed, at) => {
                let place = Place::Gap(usize::from(*at) % (store.len() + 1));
                let draft = store.drafts_mut().begin_new(thing(*key, *seed), place);
                self.drafts.extend(draft.ok());
            }
            Op::Type(which, seed) => {
                if let Some(at) = pick(*which, &self.drafts) {
                    let typed = thing(*self.drafts[at].key(), *seed);
                    self.drafts[at].edit(|mine| *mine = typed).unwrap();
                }
            }
            Op::Commit(which, prefer_mine) => {
                let Some(at) = pick(*which, &self.drafts) else {
                    return;
                };
                let draft = self.drafts.remove(at);
                let row = store.drafts().current(&draft).cloned();
                let outcome = store.drafts_mut().commit(draft);
                if outcome.is_ok() {
                    // It is an item now.
                    let shown = store.get(&row.unwrap().key).unwrap();
                    assert!(!store.drafts().is_blank(&shown.key));
                }
                if let Err(CommitError {
                    problem: CommitProblem::Conflict(conflict),
                    mut draft,
                    ..
                }) = outcome
                {
                    let prefer = match prefer_mine {
                        true => Prefer::Mine,
                        false => Prefer::Theirs,
                    };
                    draft.settle(*conflict, prefer);
                    drop(store.drafts_mut().commit(*draft));
                }
            }
            Op::Discard(which) => {
                if let Some(at) = pick(*which, &self.drafts) {
                    store.drafts_mut().discard(self.drafts.remove(at)).unwrap();
                }
            }
            Op::Drop(which) => {
                if let Some(at) = pick(*which, &self.drafts) {
                    drop(self.drafts.remove(at));
                }
            }
            _ => unreachable!("no edit of a draft"),
        }
    }

    fn answer(&mut self, op: &Op) {
        match op {
            Op::Confirm(which) => {
                if let Some(write) = self.ticket(*which) {
                    self.store.writes_mut().confirm(write.ticket).unwrap();
                }
            }
            Op::ConfirmAs(which, key, seed) => {
                if let Some(write) = self.ticket(*which) {
                    // Only a new item gets a key from the source.
                    let key = match write.before {
                        None => *key,
                        Some(_) => write.key,
                    };
                    let item = thing(key, *seed);
                    self.store
                        .writes_mut()
                        .confirm_as(write.ticket, item)
                        .unwrap();
                }
            }
            Op::Refuse(which) => {
                if let Some(write) = self.ticket(*which) {
                    self.store
                        .writes_mut()
                        .refuse(write.ticket, "not so")
                        .unwrap();
                }
            }
            Op::RefuseWith(which, seed) => {
                if let Some(write) = self.ticket(*which) {
                    let current = seed.map(|seed| thing(write.key, seed));
                    let ticket = write.ticket;
                    let done = self
                        .store
                        .writes_mut()
                        .refuse_with(ticket, "not so", current);
                    done.unwrap();
                }
            }
            Op::TryAgain(which) => {
                if let Some(ticket) = self.refused(*which) {
                    self.store.writes_mut().retry(ticket).unwrap();
                }
            }
            Op::Dismiss(which) => {
                if let Some(ticket) = self.refused(*which) {
                    self.store.writes_mut().dismiss(ticket).unwrap();
                }
            }
            _ => unreachable!("no answer"),
        }
    }

    /// Asking what is saved changes nothing, inside a batch and outside.
    fn check_saved(&mut self) {
        let before: Rows = self.store.items().cloned().collect();
        let saved = self.store.writes_mut().saved_items();
        let within = self.store.batch(|store| {
            drop(store.remove(&0));
            drop(store.add(thing(5, 5), Place::Start));
            Err::<(), Rows>(store.writes_mut().saved_items())
        });
        if self.waits {
            assert_eq!(within, Err(saved));
        }
        assert_eq!(before, self.store.items().cloned().collect::<Rows>());
    }

    /// Every list shows what the store holds, and tells each change of it.
    fn check(&mut self) {
        self.store.check().unwrap();
        self.steps += 1;
        for watched in &mut self.lists {
            watched.check(&self.store);
            if self.steps.is_multiple_of(7) {
                watched.check_late(&self.store);
            }
        }
        let mut counts: BTreeMap<String, usize> = BTreeMap::new();
        for row in rows(&self.store, self.all) {
            if !row.name.is_empty() && !self.store.drafts().is_blank(&row.key) {
                *counts.entry(row.name.clone()).or_default() += 1;
            }
        }
        let found = self.names.find(&self.store, "", &[], 9).unwrap();
        let found = found.into_iter().map(|name| (name.text, name.count));
        assert_eq!(found.collect::<BTreeMap<_, _>>(), counts);
        let mut keys: Vec<u16> = self.store.items().map(|item| item.key).collect();
        keys.sort_unstable();
        assert!(keys.windows(2).all(|pair| pair[0] != pair[1]), "{keys:?}");
    }

    /// Once nothing is open and all is refused, what is shown is what is saved.
    fn finish(&mut self) {
        for draft in std::mem::take(&mut self.drafts) {
            self.store.drafts_mut().discard(draft).unwrap();
        }
        for id in std::mem::take(&mut self.proposals) {
            drop(self.store.removals_mut().cancel(id));
        }
        let saved = self.store.writes_mut().saved_items();
        while let Some(write) = self.ticket(0) {
            self.store
                .writes_mut()
                .refuse(write.ticket, "closed")
                .unwrap();
            self.check();
        }
        assert!(!self.waits || saved == self.store.items().cloned().collect::<Rows>());
    }
}

/// What is done, whether writes wait for the source, and whether no two items may have one name.
pub(super) type Script = (Vec<Op>, bool, bool);

pub(super) fn scripts() -> impl Strategy<Value = Script> {
    let ops = prop::collection::vec(op(), 1..40);
    (ops, prop::bool::weighted(0.8), prop::bool::weighted(0.3))
}

/// After every step lists show what the store holds, and tell each change of it.
pub(super) fn run_script((ops, waits, ruled): &Script) {
    let mut world = World::new(*waits, *ruled);
    for op in ops {
        world.step(op);
        world.check();
    }
    world.finish();
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(120)) })]

    #[test]
    fn keys_that_go_and_come_again_are_told_as_they_are(script in scripts()) {
        run_script(&script);
    }
}
