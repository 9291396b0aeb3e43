//! Items that are added under a key of the app's and get another from the source, whatever is under way with them: for the
//! person they are the same as before.

use super::cases;
use super::checks::check_set;
use super::model::Thing;
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use usual_tide::lists::Presence;
use usual_tide::removals::RemovalId;
use usual_tide::writes::WriteKind;
use usual_tide::{Draft, Feed, Group, ListId, Place, Query, Selection, Store};

/// From here on keys are the source's.
const SOURCES: u16 = 1_000;

/// The person knows it by its name, which no edit changes.
fn added(key: u16, rank: i8) -> Thing {
    Thing {
        key,
        rank: Some(rank),
        name: format!("{key:04}"),
        on: false,
    }
}

#[derive(Clone, Debug)]
enum Op {
    Add {
        rank: i8,
        at_start: bool,
    },
    Edit {
        which: u8,
        rank: i8,
        on: bool,
    },
    Move {
        which: u8,
        to: u8,
    },
    Remove {
        which: u8,
    },
    Hold {
        which: u8,
    },
    Release {
        which: u8,
    },
    Draft {
        which: u8,
    },
    Commit {
        which: u8,
        rank: i8,
    },
    Discard {
        which: u8,
    },
    Propose {
        which: u8,
    },
    Cancel {
        which: u8,
    },
    Select {
        which: u8,
        how: u8,
    },
    /// The source tells of an item before it answers.
    Deliver {
        which: u8,
    },
    Answer {
        which: u8,
        refuse: bool,
    },
    FailingBatch {
        which: u8,
    },
    Undo,
    Redo,
    Collapse {
        fired: bool,
    },
    Window {
        which: u8,
        take: Option<usize>,
    },
}

fn op() -> impl Strategy<Value = Op> {
    let which = any::<u8>;
    prop_oneof![
        4 => (any::<i8>(), any::<bool>()).prop_map(|(rank, at_start)| Op::Add { rank, at_start }),
        3 => (which(), any::<i8>(), any::<bool>())
            .prop_map(|(which, rank, on)| Op::Edit { which, rank, on }),
        1 => (which(), any::<u8>()).prop_map(|(which, to)| Op::Move { which, to }),
        1 => which().prop_map(|which| Op::Remove { which }),
        2 => which().prop_map(|which| Op::Hold { which }),
        1 => which().prop_map(|which| Op::Release { which }),
        2 => which().prop_map(|which| Op::Draft { which }),
        1 => (which(), any::<i8>()).prop_map(|(which, rank)| Op::Commit { which, rank }),
        1 => which().prop_map(|which| Op::Discard { which }),
        1 => which().prop_map(|which| Op::Propose { which }),
        1 => which().prop_map(|which| Op::Cancel { which }),
        3 => (which(), any::<u8>()).prop_map(|(which, how)| Op::Select { which, how }),
        1 => which().prop_map(|which| Op::Deliver { which }),
        6 => (which(), (0..8u8).prop_map(|n| n == 0))
            .prop_map(|(which, refuse)| Op::Answer { which, refuse }),
        1 => which().prop_map(|which| Op::FailingBatch { which }),
        2 => Just(Op::Undo),
        1 => Just(Op::Redo),
        1 => any::<bool>().prop_map(|fired| Op::Collapse { fired }),
        1 => (which(), prop::option::of(0..6usize))
            .prop_map(|(which, take)| Op::Window { which, take }),
    ]
}

struct Watched {
    list: ListId,
    feed: Feed<Thing>,
    view: Vec<Arc<Thing>>,
    selection: Selection<Thing>,
}

struct World {
    store: Store<Thing>,
    lists: Vec<Watched>,
    drafts: Vec<Draft<Thing>>,
    removals: Vec<RemovalId>,
    next: u16,
    next_of_source: u16,
    /// The keys that the source has given items which it has told of.
    delivered: BTreeMap<u16, u16>,
    /// All writes that added an item, by their numbers, and its key.
    additions: BTreeSet<(u64, u16)>,
}

fn pick<T>(which: u8, of: &[T]) -> Option<usize> {
    (!of.is_empty()).then(|| usize::from(which) % of.len())
}

/// What the person sees and has marked: everything but keys.
#[derive(PartialEq, Debug)]
struct Seen {
    rows: Vec<Vec<String>>,
    selected: Vec<BTreeSet<String>>,
    current: Vec<Option<String>>,
    open: Vec<Option<String>>,
    drafts: Vec<Option<String>>,
    removals: Vec<Vec<String>>,
}

impl World {
    fn new() -> Self {
        let there = (0..4).map(|at| added(SOURCES + at, at as i8 * 30));
        let mut store = Store::load(there).unwrap();
        // Nothing ties, so that a row's place is its item's alone.
        let sorted = || Query::new().sort(Thing::RANK.ascending().then(Thing::NAME));
        let queries = [
            sorted(),
            sorted().filter(Thing::ON.is(false)),
            sorted().group(Group::by(Thing::ON)),
        ];
        let lists = queries.map(|query| store.bind(query));
        store.writes_mut().track();
        let lists = lists.map(|list| Watched {
            list,
            feed: store.feed(list).unwrap(),
            view: store.list(list).unwrap().items().cloned().collect(),
            selection: Selection::new(),
        });
        Self {
            store,
            lists: lists.into(),
            drafts: Vec::new(),
            removals: Vec::new(),
            next: 4,
            next_of_source: SOURCES + 4,
            delivered: BTreeMap::new(),
            additions: BTreeSet::new(),
        }
    }

    fn key(&self, which: u8) -> Option<u16> {
        let keys: Vec<u16> = self.store.items().map(|piece| piece.key).collect();
        Some(keys[pick(which, &keys)?])
    }

    fn seen(&self) -> Seen {
        let now = |key: &u16| *self.store.writes().given_key(key).unwrap_or(key);
        let piece = |key: &u16| Some(self.store.get(&now(key))?.name.clone());
        let of_list = |watched: &Watched| {
            let rows = self.store.list(watched.list).unwrap();
            let (selection, shown) = (
                &watched.selection,
                rows.items().map(|piece| piece.name.clone()),
            );
            let selected = selection.selected_in(&rows);
            let hidden = selection.hidden_in(&rows);
            let selected = selected.iter().chain(&hidden).filter_map(piece);
            let current = selection.current().and_then(piece);
            // What happens to a row that the list does not show, the selection learns with the next change set.
            let open = selection.open_row().map(now);
            let open = open.filter(|key| rows.presence(key) != Presence::Absent);
            let open = open.as_ref().and_then(piece);
            (shown.collect(), selected.collect(), current, open)
        };
        let of_lists: Vec<(Vec<String>, BTreeSet<String>, _, _)> =
            self.lists.iter().map(of_list).collect();
        let current = |draft| self.store.drafts().current(draft);
        let (pending, all) = (
            self.store.removals(),
            self.store.list(self.lists[0].list).unwrap(),
        );
        Seen {
            rows: of_lists.iter().map(|list| list.0.clone()).collect(),
            selected: of_lists.iter().map(|list| list.1.clone()).collect(),
            current: of_lists.iter().map(|list| list.2.clone()).collect(),
            open: of_lists.iter().map(|list| list.3.clone()).collect(),
            drafts: self
                .drafts
                .iter()
                .map(|draft| current(draft).map(|piece| piece.name.clone()))
                .collect(),
            removals: pending
                .iter()
                .map(|(_, removal)| {
                    let concealed = removal
                        .keys()
                        .filter(|key| all.position(&now(key)).is_none());
                    concealed.filter_map(piece).collect()
                })
                .collect(),
        }
    }

    fn run(&mut self, op: &Op) {
        // What does not fit the moment is refused, which is fine here.
        match *op {
            Op::Add { rank, at_start } => {
                let place = if at_start { Place::Start } else { Place::End };
                let key = self.next;
                self.next += 1;
                self.store.add(added(key, rank), place).unwrap();
            }
            Op::Edit { which, rank, on } => {
                if let Some(key) = self.key(which) {
                    let edit = |thing: &mut Thing| (thing.rank, thing.on) = (Some(rank), on);
                    self.store.edit(&key, edit).unwrap();
                }
            }
            Op::Move { which, to } => {
                if let Some(key) = self.key(which) {
                    let to = usize::from(to) % self.store.len();
                    self.store.move_to(&key, Place::Row(to)).unwrap();
                }
            }
            Op::Remove { which } => {
                if let Some(key) = self.key(which) {
                    self.store.remove(&key).unwrap();
                }
            }
            Op::Hold { which } => {
                if let Some(key) = self.key(which) {
                    self.store.hold(&key).unwrap();
                }
            }
            Op::Release { which } => {
                if let Some(key) = self.key(which) {
                    self.store.release(&key).unwrap();
                }
            }
            Op::Draft { which } => {
                if let Some(key) = self.key(which) {
                    self.drafts
                        .push(self.store.drafts_mut().begin(&key).unwrap());
                }
            }
            Op::Commit { which, rank } => self.commit(which, rank),
            Op::Discard { which } => {
                if let Some(at) = pick(which, &self.drafts) {
                    let draft = self.drafts.remove(at);
                    self.store.drafts_mut().discard(draft).unwrap();
                }
            }
            Op::Propose { which } => {
                if let Some(key) = self.key(which) {
                    self.removals
                        .extend(self.store.removals_mut().begin(&[key]));
                }
            }
            Op::Cancel { which } => {
                if let Some(at) = pick(which, &self.removals) {
                    let removal = self.removals.remove(at);
                    self.store.removals_mut().cancel(removal).unwrap();
                }
            }
            Op::Select { which, how } => {
                let (Some(key), Some(list)) = (self.key(which), pick(how, &self.lists)) else {
                    return;
                };
                let watched = &mut self.lists[list];
                let rows = self.store.list(watched.list).unwrap();
                match how % 5 {
                    0 => drop(watched.selection.select(&rows, &key)),
                    1 | 2 => drop(watched.selection.toggle(&rows, &key)),
                    3 => drop(watched.selection.extend_to(&rows, &key)),
                    _ => drop(watched.selection.open(&rows, &key)),
                }
            }
            Op::Undo => drop(self.store.history_mut().undo().unwrap()),
            Op::Redo => drop(self.store.history_mut().redo().unwrap()),
            Op::Collapse { fired } => {
                let list = self.lists[2].list;
                let rows = self.store.list(list).unwrap();
                let section = rows.sections().nth(usize::from(fired));
                let Some(key) = section.map(|section| section.key().clone()) else {
                    return;
                };
                let mut list = self.store.list_mut(list).unwrap();
                if !list.collapse(&key).unwrap() {
                    list.expand(&key).unwrap();
                }
            }
            Op::Window { which, take } => {
                let at = pick(which, &self.lists).unwrap();
                let list = self.lists[at].list;
                let mut list = self.store.list_mut(list).unwrap();
                list.change_query(|query| match take {
                    Some(rows) => query.take(rows),
                    None => query.take_all(),
                });
            }
            Op::Deliver { which } => self.deliver(which),
            Op::Answer { which, refuse } => self.answer(which, refuse),
            Op::FailingBatch { which } => {
                let shown = self.store.list(self.lists[0].list).unwrap().len();
                let key = self.key(which);
                let failed = self.store.batch(|store| {
                    key.map(|key| store.remove(&key)).transpose().unwrap();
                    store.remove(&u16::MAX)
                });
                failed.unwrap_err();
                assert_eq!(self.store.list(self.lists[0].list).unwrap().len(), shown);
            }
        }
    }

    fn commit(&mut self, which: u8, rank: i8) {
        let Some(at) = pick(which, &self.drafts) else {
            return;
        };
        let mut draft = self.drafts.remove(at);
        let now = self.store.drafts().current(&draft).cloned();
        draft.set(Thing::RANK, Some(rank)).unwrap();
        match self.store.drafts_mut().commit(draft) {
            Ok(_) => {
                let now = now.unwrap();
                assert_eq!(self.store.get(&now.key).unwrap().name, now.name);
            }
            Err(refused) => drop(self.store.drafts_mut().discard(*refused.draft)),
        }
    }

    /// The source has an item, and tells of it before it answers that it was added.
    fn deliver(&mut self, which: u8) {
        let adds: Vec<Arc<Thing>> = self
            .store
            .writes()
            .pending()
            .filter(|write| write.kind() == WriteKind::Add)
            .filter_map(|write| write.after.clone())
            .collect();
        let Some(added) = pick(which, &adds).map(|at| Arc::clone(&adds[at])) else {
            return;
        };
        if self.delivered.contains_key(&added.key) {
            return;
        }
        let key = self.key_of_source();
        self.delivered.insert(added.key, key);
        let item = Thing {
            key,
            ..Thing::clone(&added)
        };
        self.store
            .from_source(|store| store.add(item, Place::End))
            .unwrap();
    }

    fn key_of_source(&mut self) -> u16 {
        self.next_of_source += 1;
        self.next_of_source
    }

    /// Answers a write. An addition gets another key, and for the person nothing changes by that.
    fn answer(&mut self, which: u8, refuse: bool) {
        let pending: Vec<_> = self.store.writes().pending().cloned().collect();
        let Some(write) = pick(which, &pending).map(|at| &pending[at]) else {
            return;
        };
        if refuse {
            self.store.writes_mut().refuse(write.ticket, "no").unwrap();
            return;
        }
        let (WriteKind::Add, Some(added)) = (write.kind(), &write.after) else {
            self.store.writes_mut().confirm(write.ticket).unwrap();
            return;
        };
        let told = self.delivered.get(&added.key).copied();
        let key = told.unwrap_or_else(|| self.key_of_source());
        let item = Thing {
            key,
            ..Thing::clone(added)
        };
        // An undo and a redo add it again under the same key: what the source has then comes of several writes.
        let of_key = self
            .additions
            .iter()
            .filter(|added_by| added_by.1 == added.key);
        let is_once = added.key < SOURCES && of_key.count() == 1;
        let before = self.seen();
        let there = self.store.contains(&added.key);
        self.store
            .writes_mut()
            .confirm_as(write.ticket, item)
            .unwrap();
        if is_once && there && self.store.contains(&key) {
            assert_eq!(self.store.writes().given_key(&added.key), Some(&key));
        }
        let changes = self.follow();
        if told.is_none() && is_once {
            assert_eq!(self.seen(), before, "{write:?}");
            assert!(!changes, "the selection changed");
        }
    }

    /// Lets the views follow; says whether a selection changed.
    fn follow(&mut self) -> bool {
        let mut is_changed = false;
        for watched in &mut self.lists {
            let rows = self.store.list(watched.list).unwrap();
            if let Some(changes) = watched.feed.read(&self.store).unwrap() {
                let now: Vec<Arc<Thing>> = rows.items().cloned().collect();
                check_set(&changes, &watched.view, &now);
                watched.view = now;
                let change = watched.selection.follow(&changes, &rows);
                is_changed |= change.left.is_some()
                    || !change.hidden.is_empty()
                    || !change.returned.is_empty();
            }
        }
        is_changed
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(150)) })]

    #[test]
    fn an_item_that_gets_another_key_is_the_same_for_the_person(ops in prop::collection::vec(op(), 1..60)) {
        let mut world = World::new();
        for op in &ops {
            world.run(op);
            let adds = world.store.writes().pending().filter(|write| write.kind() == WriteKind::Add);
            world.additions.extend(adds.map(|write| (write.number(), write.key)));
            world.store.check().unwrap();
            world.follow();
            for draft in &world.drafts {
                let now = world.store.drafts().current(draft);
                prop_assert!(now.is_none_or(|now| now.name == draft.item().name));
            }
        }
    }
}
