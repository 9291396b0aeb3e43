//! What operations cost as their surroundings grow: counted, not timed, so that a busy machine changes nothing.
//!
//! Counted are the bytes that are allocated and what is asked of keys. Each operation is done beside a few things and
//! beside many; what it costs then may have grown by a logarithm, not with their number.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::print_stdout)]

use stats_alloc::{INSTRUMENTED_SYSTEM, Region, StatsAlloc};
use std::alloc::System;
use std::cell::Cell;
use std::cmp::Ordering;
use std::hash::{Hash, Hasher};
use std::ops::Range;
use std::time::Duration;
use usual_tide::writes::Ticket;
use usual_tide::{Feed, FieldValue, Group, Item, ListId, Place, Query, Store};

#[global_allocator]
static ALLOCATED: &StatsAlloc<System> = &INSTRUMENTED_SYSTEM;

thread_local! {
    static ASKED: Cell<u64> = const { Cell::new(0) };
}

fn asked() {
    ASKED.set(ASKED.get() + 1);
}

/// A key that counts how often it is read.
#[derive(Clone, FieldValue, Debug)]
struct Key(u32);

impl PartialEq for Key {
    fn eq(&self, other: &Self) -> bool {
        asked();
        self.0 == other.0
    }
}

impl Eq for Key {}

impl PartialOrd for Key {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Key {
    fn cmp(&self, other: &Self) -> Ordering {
        asked();
        self.0.cmp(&other.0)
    }
}

impl Hash for Key {
    fn hash<H: Hasher>(&self, state: &mut H) {
        asked();
        self.0.hash(state);
    }
}

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: Key,
    shelf: u32,
    #[item(search)]
    title: String,
}

fn piece(id: u32) -> Piece {
    let title = format!("Bowl {id}");
    Piece {
        id: Key(id),
        shelf: id,
        title,
    }
}

fn store(rows: u32) -> Store<Piece> {
    Store::load((0..rows).map(piece)).unwrap()
}

/// A store of `n` rows with a list of them by title and its feed.
fn listed(n: u32) -> (Store<Piece>, ListId, Feed<Piece>) {
    let mut store = store(n);
    let list = store.bind(Query::new().sort(Piece::TITLE));
    let feed = store.feed(list).unwrap();
    (store, list, feed)
}

fn edit(store: &mut Store<Piece>, id: u32) {
    store.edit(&Key(id), |piece| piece.title.push('x')).unwrap();
}

/// What one of so many operations costs on average.
fn cost(operations: u32, work: impl FnOnce()) -> f64 {
    let region = Region::new(ALLOCATED);
    let before = ASKED.get();
    work();
    let change = region.change();
    // What a vector grows by is paid for by what was put into it before.
    let bytes = change.bytes_allocated as f64 - (change.bytes_reallocated as f64).max(0.0);
    (bytes / 8.0 + (ASKED.get() - before) as f64) / f64::from(operations)
}

/// An operation is done `OPERATIONS` times beside so many others of its kind, and once more beside many times as many.
const OPERATIONS: u32 = 100;
const FEW: u32 = 400;
const MANY: u32 = 6_400;

/// Costs may grow so much from few to many: 16 times as many, of which the logarithm is 1.5 times as large.
const GROWTH: f64 = 2.5;

#[test]
fn no_operation_costs_more_in_proportion_to_what_is_beside_it() {
    let mut too_much = Vec::new();
    for (name, measure) in OPERATIONS_MEASURED {
        // What is set up once is set up.
        measure(FEW);
        let (few, many) = (measure(FEW), measure(MANY));
        println!("{name:70} {few:10.1} {many:10.1}");
        if many > GROWTH * few + 20.0 {
            too_much.push(format!(
                "{name}: {few:.1} beside {FEW}, {many:.1} beside {MANY}"
            ));
        }
    }
    assert!(too_much.is_empty(), "{}", too_much.join("\n"));
}

type Measure = fn(u32) -> f64;

const OPERATIONS_MEASURED: &[(&str, Measure)] = &[
    ("an edit, its change set read, in a list of n rows", |n| {
        let (mut store, _, feed) = listed(n);
        cost(OPERATIONS, || {
            for id in 0..OPERATIONS {
                edit(&mut store, id);
                feed.read(&store).unwrap();
            }
        })
    }),
    ("an edit beside n unread feeds", |n| {
        let (mut store, list, _feed) = listed(1000);
        let _feeds: Vec<_> = (0..n).map(|_| store.feed(list).unwrap()).collect();
        cost(OPERATIONS, || {
            (0..OPERATIONS).for_each(|id| edit(&mut store, id))
        })
    }),
    ("an edit after n lists were bound and unbound", |n| {
        let (mut store, _, _feed) = listed(1000);
        for _ in 0..n {
            let list = store.bind(Query::new());
            store.unbind(list).unwrap();
        }
        cost(OPERATIONS, || {
            (0..OPERATIONS).for_each(|id| edit(&mut store, id))
        })
    }),
    ("a hold beside n held rows", |n| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        (0..n).for_each(|id| store.hold(&Key(id)).unwrap());
        cost(OPERATIONS, || {
            (n..n + OPERATIONS).for_each(|id| store.hold(&Key(id)).unwrap())
        })
    }),
    ("a release beside n held rows", |n| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        (0..n + OPERATIONS).for_each(|id| store.hold(&Key(id)).unwrap());
        cost(OPERATIONS, || {
            (0..OPERATIONS).for_each(|id| store.release(&Key(id)).unwrap())
        })
    }),
    ("an edit beside n held rows", |n| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        (0..n).for_each(|id| store.hold(&Key(id)).unwrap());
        cost(OPERATIONS, || {
            (n..n + OPERATIONS).for_each(|id| edit(&mut store, id))
        })
    }),
    ("a draft begun beside n open ones", |n| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let mut open = Vec::new();
        let mut begin = |ids: Range<u32>| {
            for id in ids {
                open.push(store.drafts_mut().begin(&Key(id)).unwrap());
            }
        };
        begin(0..n);
        cost(OPERATIONS, || begin(n..n + OPERATIONS))
    }),
    ("a draft committed beside n open ones", |n| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let begin = |id| store.drafts_mut().begin(&Key(id)).unwrap();
        let mut open: Vec<_> = (0..n + OPERATIONS).map(begin).collect();
        cost(OPERATIONS, || {
            for mut draft in open.drain(..OPERATIONS as usize) {
                draft.set(Piece::SHELF, 7).unwrap();
                store.drafts_mut().commit(draft).unwrap();
            }
        })
    }),
    ("a draft dropped beside n open ones", |n| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let begin = |id| store.drafts_mut().begin(&Key(id)).unwrap();
        let mut open: Vec<_> = (0..n + OPERATIONS).map(begin).collect();
        cost(OPERATIONS, || {
            open.drain(..OPERATIONS as usize);
            edit(&mut store, n);
        })
    }),
    ("a removal begun beside n pending ones", |n| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let due = Duration::from_secs(1);
        let mut begin = |ids: Range<u32>| {
            for id in ids {
                store.removals_mut().begin_until(&[Key(id)], due).unwrap();
            }
        };
        begin(0..n);
        cost(OPERATIONS, || begin(n..n + OPERATIONS))
    }),
    ("a removal confirmed beside n pending ones", |n| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let begin = |id| store.removals_mut().begin(&[Key(id)]).unwrap();
        let pending: Vec<_> = (0..n + OPERATIONS).map(begin).collect();
        cost(OPERATIONS, || {
            for id in &pending[..OPERATIONS as usize] {
                store.removals_mut().confirm(*id).unwrap();
            }
        })
    }),
    (
        "the source removes a row of a pending removal of n rows",
        |n| {
            let (mut store, _, _feed) = listed(n);
            let keys: Vec<Key> = (0..n).map(Key).collect();
            store.removals_mut().begin(&keys).unwrap();
            cost(OPERATIONS, || {
                for id in 0..OPERATIONS {
                    store.from_source(|store| store.remove(&Key(id))).unwrap();
                }
            })
        },
    ),
    ("an addition confirmed, the oldest of n", |n| {
        let (mut store, tickets) = adding(n);
        cost(OPERATIONS, || {
            for ticket in &tickets[..OPERATIONS as usize] {
                store.writes_mut().confirm(*ticket).unwrap();
            }
        })
    }),
    ("an addition confirmed, the newest of n", |n| {
        let (mut store, tickets) = adding(n);
        cost(OPERATIONS, || {
            for ticket in tickets.iter().rev().take(OPERATIONS as usize) {
                store.writes_mut().confirm(*ticket).unwrap();
            }
        })
    }),
    (
        "an addition confirmed under another key, the oldest of n",
        |n| {
            let (mut store, tickets) = adding(n);
            cost(OPERATIONS, || {
                for (ticket, id) in tickets.iter().zip(1_000_000..).take(OPERATIONS as usize) {
                    store.writes_mut().confirm_as(*ticket, piece(id)).unwrap();
                }
            })
        },
    ),
    ("an addition refused, the oldest of n", |n| {
        let (mut store, tickets) = adding(n);
        cost(OPERATIONS, || {
            for ticket in &tickets[..OPERATIONS as usize] {
                store
                    .writes_mut()
                    .refuse(*ticket, "the kiln is off")
                    .unwrap();
            }
        })
    }),
    ("an edit confirmed, the newest of n", |n| {
        let (mut store, tickets) = editing(n);
        cost(OPERATIONS, || {
            for ticket in tickets.iter().rev().take(OPERATIONS as usize) {
                store.writes_mut().confirm(*ticket).unwrap();
            }
        })
    }),
    ("an edit refused, the oldest of n", |n| {
        let (mut store, tickets) = editing(n);
        cost(OPERATIONS, || {
            for ticket in &tickets[..OPERATIONS as usize] {
                store
                    .writes_mut()
                    .refuse(*ticket, "the kiln is off")
                    .unwrap();
            }
        })
    }),
    ("a refused edit dismissed, the oldest of n", |n| {
        let (mut store, tickets) = editing(n);
        for ticket in &tickets {
            store
                .writes_mut()
                .refuse(*ticket, "the kiln is off")
                .unwrap();
        }
        cost(OPERATIONS, || {
            for ticket in &tickets[..OPERATIONS as usize] {
                store.writes_mut().dismiss(*ticket).unwrap();
            }
        })
    }),
    (
        "an edit, its change set read, in a window on n sections",
        |n| {
            let mut store = store(n);
            let list = store.bind(Query::new().group(Group::by(Piece::SHELF)).take(20));
            let feed = store.feed(list).unwrap();
            cost(OPERATIONS, || {
                for id in 0..OPERATIONS {
                    edit(&mut store, id);
                    feed.read(&store).unwrap();
                }
            })
        },
    ),
    ("a section collapsed, one of n", |n| {
        let mut store = store(n);
        let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
        cost(OPERATIONS, || {
            for shelf in 0..OPERATIONS {
                store
                    .list_mut(list)
                    .unwrap()
                    .collapse(&shelf.into())
                    .unwrap();
            }
        })
    }),
    ("a section's rows found, one of n", |n| {
        let mut store = store(n);
        let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
        let rows = store.list(list).unwrap();
        cost(OPERATIONS, || {
            for shelf in 0..OPERATIONS {
                let at = rows.section_position(&shelf.into()).unwrap();
                assert_eq!(rows.rows_in(at).len(), 1);
            }
        })
    }),
    ("the same query set again, n rows", |n| {
        let (mut store, list, _feed) = listed(n);
        let query = Query::new().sort(Piece::TITLE);
        cost(OPERATIONS, || {
            for _ in 0..OPERATIONS {
                let same = query.clone();
                store.list_mut(list).unwrap().change_query(|_| same);
            }
        })
    }),
    (
        "a row updated in a vector of n, and the change set applied",
        |n| {
            let (mut store, list, feed) = listed(n);
            let mut rows: Vec<_> = store.list(list).unwrap().items().cloned().collect();
            cost(OPERATIONS, || {
                for id in 0..OPERATIONS {
                    store.edit(&Key(id), |piece| piece.shelf += 1).unwrap();
                    let changes = feed.read(&store).unwrap().unwrap();
                    changes.apply(&mut rows).unwrap();
                }
            })
        },
    ),
];

/// A store in which `n` additions wait.
fn adding(n: u32) -> (Store<Piece>, Vec<Ticket>) {
    let mut store = store(10);
    store.writes_mut().track();
    for id in 10..10 + n {
        store.add(piece(id), Place::End).unwrap();
    }
    let tickets = store.writes().pending().map(|write| write.ticket);
    let tickets = tickets.collect();
    (store, tickets)
}

/// A store in which `n` edits wait.
fn editing(n: u32) -> (Store<Piece>, Vec<Ticket>) {
    let mut store = store(n);
    store.writes_mut().track();
    (0..n).for_each(|id| edit(&mut store, id));
    let tickets = store.writes().pending().map(|write| write.ticket);
    let tickets = tickets.collect();
    (store, tickets)
}
