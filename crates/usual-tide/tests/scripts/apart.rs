//! Everything mixed: edits, undo, drafts, removals that wait, and what the source does meanwhile.

use super::cases;
use super::checks::check_set;
use super::model::{Shape, Thing, shape, thing};
use super::script::{Op, apply, edit, keep_one, policy, shuffled, start};
use proptest::prelude::*;
use std::sync::Arc;
use usual_tide::drafts::{CommitError, CommitProblem, Prefer};
use usual_tide::history::{SkipReason, Undone};
use usual_tide::removals::RemovalId;
use usual_tide::{Draft, EditError, Feed, Item, ListId, Place, Store};

type Rows = Vec<Arc<Thing>>;

/// What a person does, or the source.
#[derive(Clone, Debug)]
enum Operation {
    Edit(Op),
    FromSource(Op),
    Undo,
    Redo,
    Propose {
        at: Vec<u8>,
    },
    Settle {
        which: u8,
        confirm: bool,
    },
    Draft {
        at: u8,
    },
    DraftNew {
        key: u16,
        seed: u8,
        place: u8,
        list: Option<u8>,
    },
    Type {
        which: u8,
        seed: u8,
    },
    Commit {
        which: u8,
        prefer_mine: bool,
    },
    Discard {
        which: u8,
    },
    Drop {
        which: u8,
    },
    Requery {
        list: u8,
        shape: Shape,
    },
    Refilter {
        list: u8,
        filter: u8,
    },
    FailingBatch {
        operations: Vec<Operation>,
    },
}

fn plain_edit() -> impl Strategy<Value = Op> {
    edit().prop_filter("the source's", |op| !matches!(op, Op::Reload { .. }))
}

fn apart() -> impl Strategy<Value = Operation> {
    let any_u8 = any::<u8>;
    prop_oneof![
        2 => prop::collection::vec(any_u8(), 1..4).prop_map(|at| Operation::Propose { at }),
        2 => (any_u8(), any::<bool>()).prop_map(|(which, confirm)| Operation::Settle { which, confirm }),
        3 => any_u8().prop_map(|at| Operation::Draft { at }),
        3 => (60..80u16, any_u8(), any_u8(), prop::option::of(any_u8()))
            .prop_map(|(key, seed, place, list)| Operation::DraftNew { key, seed, place, list }),
        4 => (any_u8(), any_u8()).prop_map(|(which, seed)| Operation::Type { which, seed }),
        3 => (any_u8(), any::<bool>())
            .prop_map(|(which, prefer_mine)| Operation::Commit { which, prefer_mine }),
        1 => any_u8().prop_map(|which| Operation::Discard { which }),
        1 => any_u8().prop_map(|which| Operation::Drop { which }),
    ]
}

fn user_operation() -> impl Strategy<Value = Operation> {
    let batch = prop::collection::vec(
        prop_oneof![plain_edit().prop_map(Operation::Edit), apart()],
        1..5,
    );
    prop_oneof![
        6 => plain_edit().prop_map(Operation::Edit),
        8 => apart(),
        2 => Just(Operation::Undo),
        1 => Just(Operation::Redo),
        1 => (any::<u8>(), shape()).prop_map(|(list, shape)| Operation::Requery { list, shape }),
        2 => (any::<u8>(), 0..5u8).prop_map(|(list, filter)| Operation::Refilter { list, filter }),
        1 => batch.prop_map(|operations| Operation::FailingBatch { operations }),
    ]
}

fn any_operation() -> impl Strategy<Value = Operation> {
    prop_oneof![
        4 => user_operation(),
        1 => edit().prop_map(Operation::FromSource),
    ]
}

/// A list, and a view that hears of its change sets alone.
struct Watched {
    list: ListId,
    shape: Shape,
    feed: Feed<Thing>,
    view: Rows,
}

struct World {
    store: Store<Thing>,
    lists: Vec<Watched>,
    drafts: Vec<Draft<Thing>>,
    proposals: Vec<RemovalId>,
    /// Whether an undo or a redo has left out an item, since a new draft's row had its key. Later ones of that item
    /// have nothing to go by then.
    left_out: bool,
}

fn pick<T>(which: u8, of: &[T]) -> Option<usize> {
    (!of.is_empty()).then(|| usize::from(which) % of.len())
}

fn things(store: &Store<Thing>) -> Vec<Thing> {
    store.items().map(|item| Thing::clone(item)).collect()
}

fn rows(store: &Store<Thing>) -> Rows {
    store.items().cloned().collect()
}

fn identical(one: &Rows, two: &Rows) -> bool {
    one.len() == two.len() && one.iter().zip(two).all(|(one, two)| Arc::ptr_eq(one, two))
}

impl World {
    fn new(start: Vec<Thing>, shapes: &[Shape]) -> Self {
        let mut store = Store::load(start).unwrap();
        let lists = shapes.iter().map(|shape| {
            let list = store.bind(shape.query());
            Watched {
                list,
                shape: *shape,
                feed: store.feed(list).unwrap(),
                view: store.list(list).unwrap().items().cloned().collect(),
            }
        });
        let lists = lists.collect();
        Self {
            store,
            lists,
            drafts: Vec::new(),
            proposals: Vec::new(),
            left_out: false,
        }
    }

    fn run(&mut self, operation: &Operation) {
        let steps = self.store.history().undo_len();
        let no_step = matches!(
            operation,
            Operation::Propose { .. }
                | Operation::Draft { .. }
                | Operation::DraftNew { .. }
                | Operation::Discard { .. }
        );
        match operation {
            Operation::FailingBatch { operations } => self.fail(operations),
            operation => self.perform(operation),
        }
        assert!(
            !no_step || self.store.history().undo_len() == steps,
            "no step of the person's"
        );
        // Dropped drafts end with the next edit, be it an empty one.
        self.store.batch(|_| Ok::<_, EditError<u16>>(())).unwrap();
        self.check();
    }

    /// What does not fit the moment is refused, which is fine here: what counts is that all stays sound.
    fn perform(&mut self, operation: &Operation) {
        let store = &mut self.store;
        match operation {
            Operation::Edit(op) => drop(try_apply(op, store)),
            Operation::FromSource(Op::Reload {
                seed,
                policy: choice,
            }) => {
                // The source knows nothing of blank rows.
                let real = |store: &Store<Thing>| -> Vec<Thing> {
                    things(store)
                        .into_iter()
                        .filter(|thing| !store.drafts().is_blank(&thing.key))
                        .collect()
                };
                let news = shuffled(&real(store), *seed);
                let blanks = store.len() - real(store).len();
                if store.reload_with(news.clone(), policy(*choice)).is_ok() {
                    assert_eq!(real(store), keep_one(news, policy(*choice)));
                    assert_eq!(store.len() - real(store).len(), blanks);
                }
            }
            Operation::FromSource(op) => drop(store.from_source(|store| try_apply(op, store))),
            Operation::Undo => {
                let undone = store.history_mut().undo().ok().flatten();
                self.note_left_out(undone);
            }
            Operation::Redo => {
                let redone = store.history_mut().redo().ok().flatten();
                self.note_left_out(redone);
            }
            Operation::Propose { at } => {
                let keys = keys_at(at, store);
                self.proposals
                    .extend(store.removals_mut().begin(&keys).ok());
            }
            Operation::Settle { which, confirm } => {
                if let Some(at) = pick(*which, &self.proposals) {
                    let id = self.proposals.remove(at);
                    let settled = if *confirm {
                        store.removals_mut().confirm(id)
                    } else {
                        store.removals_mut().cancel(id)
                    };
                    settled.unwrap();
                }
            }
            Operation::Draft { at } => {
                if let Some(key) = keys_at(&[*at], store).first() {
                    self.drafts.push(store.drafts_mut().begin(key).unwrap());
                }
            }
            Operation::DraftNew {
                key,
                seed,
                place,
                list,
            } => {
                let place = Place::Gap(usize::from(*place) % (store.len() + 1));
                let item = thing(*key, *seed);
                let draft = match list {
                    None => store.drafts_mut().begin_new(item, place).ok(),
                    Some(list) => {
                        let list = &self.lists[usize::from(*list) % self.lists.len()];
                        let new = store
                            .list_mut(list.list)
                            .unwrap()
                            .begin_new_draft(item, Place::Start)
                            .ok();
                        if let Some(draft) = &new {
                            let shown = store.list(list.list).unwrap();
                            let windowed = list.shape.take.is_some() || list.shape.skip > 0;
                            assert!(windowed || shown.position(draft.key()).is_some());
                        }
                        new
                    }
                };
                self.drafts.extend(draft);
            }
            Operation::Type { which, seed } => {
                if let Some(at) = pick(*which, &self.drafts) {
                    let draft = &mut self.drafts[at];
                    let typed = thing(*draft.key(), *seed);
                    draft
                        .set(Thing::NAME, format!(" {} {seed}", typed.name))
                        .unwrap();
                    let rank = typed
                        .rank
                        .map_or("none".to_owned(), |rank| rank.to_string());
                    assert_eq!(draft.type_text("rank", &rank).is_ok(), typed.rank.is_some());
                    assert_eq!(draft.typed("rank").unwrap(), rank);
                }
            }
            Operation::Commit { which, prefer_mine } => self.commit(*which, *prefer_mine),
            Operation::Discard { which } => {
                if let Some(at) = pick(*which, &self.drafts) {
                    let draft = self.drafts.remove(at);
                    assert!(store.drafts_mut().discard(draft).unwrap());
                }
            }
            Operation::Drop { which } => {
                if let Some(at) = pick(*which, &self.drafts) {
                    drop(self.drafts.remove(at));
                }
            }
            Operation::Requery { list, shape } => {
                let at = usize::from(*list) % self.lists.len();
                self.requery(at, *shape);
            }
            Operation::Refilter { list, filter } => {
                let at = usize::from(*list) % self.lists.len();
                let shape = Shape {
                    filter: *filter,
                    ..self.lists[at].shape
                };
                self.requery(at, shape);
            }
            Operation::FailingBatch { .. } => unreachable!("batches do not nest here"),
        }
    }

    fn requery(&mut self, at: usize, shape: Shape) {
        let list = &mut self.lists[at];
        list.shape = shape;
        let mut list = self.store.list_mut(list.list).unwrap();
        list.change_query(|query| shape.change(query));
    }

    fn note_left_out(&mut self, done: Option<Undone<u16>>) {
        for skipped in done.iter().flat_map(|done| &done.skipped) {
            self.left_out |=
                skipped.why == SkipReason::KeyTaken && self.store.drafts().is_blank(&skipped.key);
        }
    }

    fn commit(&mut self, which: u8, prefer_mine: bool) {
        let Some(at) = pick(which, &self.drafts) else {
            return;
        };
        let draft = self.drafts.remove(at);
        let store = &mut self.store;
        let refused = match store.drafts_mut().commit(draft) {
            Err(CommitError {
                problem: CommitProblem::Conflict(conflict),
                mut draft,
                ..
            }) => {
                assert!(*conflict.theirs != *conflict.base);
                let prefer = if prefer_mine {
                    Prefer::Mine
                } else {
                    Prefer::Theirs
                };
                let expected = if prefer_mine {
                    conflict.mine.name.clone()
                } else {
                    conflict.theirs.name.clone()
                };
                let collides = conflict
                    .overlapping
                    .iter()
                    .any(|path| path.as_pointer() == "/name");
                draft.settle(*conflict, prefer);
                assert!(!collides || draft.item().name == expected);
                store.drafts_mut().commit(*draft).err()
            }
            done => done.err(),
        };
        let Some(CommitError { draft, problem, .. }) = refused else {
            return;
        };
        match problem {
            CommitProblem::Conflict(_) | CommitProblem::NotOpen => panic!("{problem:?}"),
            CommitProblem::Invalid { failed, .. } => {
                assert!(!failed.is_empty());
                assert_eq!(store.drafts().failures(&draft).len(), failed.len());
                self.drafts.push(*draft);
            }
            _ => self.drafts.push(*draft),
        }
    }

    /// Nothing of a batch that fails is left.
    fn fail(&mut self, operations: &[Operation]) {
        let before = rows(&self.store);
        let (undo, redo) = (
            self.store.history().undo_len(),
            self.store.history().redo_len(),
        );
        let proposals = self.proposals.clone();
        let open: Vec<bool> = self
            .drafts
            .iter()
            .map(|draft| self.store.drafts().is_open(draft))
            .collect();
        assert!(open.iter().all(|open| *open));
        let store = std::mem::take(&mut self.store);
        let mut world = World {
            store,
            lists: Vec::new(),
            drafts: Vec::new(),
            proposals: Vec::new(),
            left_out: self.left_out,
        };
        let failed: Result<(), EditError<u16>> = world.store.batch(|store| {
            let inner = std::mem::take(store);
            let mut within = World {
                store: inner,
                lists: std::mem::take(&mut self.lists),
                drafts: Vec::new(),
                proposals: proposals.clone(),
                left_out: self.left_out,
            };
            for operation in operations {
                match operation {
                    // A draft that ends inside is open again afterwards, but this test would not have it.
                    Operation::Commit { .. }
                    | Operation::Discard { .. }
                    | Operation::Drop { .. } => {}
                    operation => within.perform(operation),
                }
            }
            *store = within.store;
            self.lists = within.lists;
            Err(EditError::UnknownKey(9999))
        });
        assert!(failed.is_err());
        self.store = world.store;
        assert!(identical(&before, &rows(&self.store)));
        assert_eq!(
            (undo, redo),
            (
                self.store.history().undo_len(),
                self.store.history().redo_len()
            )
        );
        assert_eq!(self.store.removals().iter().count(), self.proposals.len());
    }

    fn check(&mut self) {
        self.store.check().unwrap();
        let hidden: Vec<u16> = self
            .store
            .removals()
            .iter()
            .flat_map(|(_, proposal)| proposal.keys().copied())
            .collect();
        let held: Vec<u16> = self.drafts.iter().map(|draft| *draft.key()).collect();
        for watched in &mut self.lists {
            let shown: Rows = self
                .store
                .list(watched.list)
                .unwrap()
                .items()
                .cloned()
                .collect();
            match watched.feed.read(&self.store).unwrap() {
                Some(set) => check_set(&set, &watched.view, &shown),
                None => assert_eq!(watched.view, shown),
            }
            watched.view = shown;
            // Apart from rows that are held, and from windows, the rows are those of the query.
            if watched.shape.take.is_none() && watched.shape.skip == 0 {
                let expected: Vec<u16> = watched
                    .shape
                    .rows(&things(&self.store))
                    .iter()
                    .map(|thing| thing.key)
                    .filter(|key| !held.contains(key) && !hidden.contains(key))
                    .collect();
                let free = watched.view.iter().map(|row| row.key);
                let free: Vec<u16> = free
                    .filter(|key| !held.contains(key) && !hidden.contains(key))
                    .collect();
                assert_eq!(free, expected);
            }
        }
    }

    /// Ends all that is open.
    fn finish(&mut self) {
        for draft in std::mem::take(&mut self.drafts) {
            self.store.drafts_mut().discard(draft).unwrap();
        }
        for id in std::mem::take(&mut self.proposals) {
            self.store.removals_mut().cancel(id).unwrap();
        }
        self.check();
    }
}

fn keys_at(at: &[u8], store: &Store<Thing>) -> Vec<u16> {
    let key = |at: &u8| {
        store
            .at(usize::from(*at) % store.len().max(1))
            .map(|item| *item.key())
    };
    at.iter().filter_map(key).collect()
}

/// An edit, where the rules let it pass.
fn try_apply(op: &Op, store: &mut Store<Thing>) -> Result<(), EditError<u16>> {
    let mut model = things(store);
    apply(op, store, &mut model)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn undoing_everything_gives_back_the_first_state_whatever_was_open_meanwhile(
        start in start(),
        shapes in prop::collection::vec(shape(), 1..4),
        operations in prop::collection::vec(user_operation(), 1..40),
    ) {
        let mut world = World::new(start, &shapes);
        let first = rows(&world.store);
        for operation in &operations {
            world.run(operation);
        }
        world.finish();
        let last = rows(&world.store);
        while let Some(undone) = world.store.history_mut().undo().unwrap() {
            prop_assert!(undone.skipped.is_empty() || world.left_out, "{undone:?}");
            world.check();
        }
        prop_assert!(world.left_out || identical(&first, &rows(&world.store)));
        while world.store.history_mut().redo().unwrap().is_some() {}
        // What was undone when the script ended is done again as well.
        let undone = operations.iter().any(|operation| matches!(operation, Operation::Undo | Operation::Redo));
        prop_assert!(undone || identical(&last, &rows(&world.store)));
        world.check();
    }

    #[test]
    fn the_source_may_do_anything_meanwhile(
        start in start(),
        shapes in prop::collection::vec(shape(), 1..4),
        operations in prop::collection::vec(any_operation(), 1..40),
    ) {
        let mut world = World::new(start, &shapes);
        for operation in &operations {
            world.run(operation);
        }
        world.finish();
    }
}
