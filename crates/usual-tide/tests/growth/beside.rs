//! Operations beside many things of their kind, to be counted and to be timed.

use std::cell::Cell;
use std::cmp::Ordering;
use std::hash::{Hash, Hasher};
use std::ops::Range;
use std::time::Duration;
use usual_tide::rules::Rules;
use usual_tide::text::Folding;
use usual_tide::writes::Ticket;
use usual_tide::{
    ChangeSet, Draft, Feed, FieldValue, Group, Item, ListId, Place, Query, Selection, Store,
};

thread_local! {
    /// How often keys were read so far.
    pub(crate) static ASKED: Cell<u64> = const { Cell::new(0) };
}

/// From here on keys are those of no item, however many there are.
const FRESH: u32 = 1 << 30;

fn asked() {
    ASKED.set(ASKED.get() + 1);
}

/// A key that counts how often it is read.
#[derive(Clone, FieldValue, Debug)]
pub(crate) struct Key(u32);

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
pub(crate) struct Piece {
    #[item(key)]
    id: Key,
    shelf: u32,
    #[item(search)]
    title: String,
}

pub(crate) fn piece(id: u32) -> Piece {
    let title = format!("Bowl {id}");
    Piece {
        id: Key(id),
        shelf: id,
        title,
    }
}

pub(crate) fn store(rows: u32) -> Store<Piece> {
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

/// What is done `OPERATIONS` times beside `n` others; the meter is given just that.
pub(crate) type Operation = fn(u32, &Meter<'_>) -> f64;

/// Gives what one of so many operations costs.
pub(crate) type Meter<'a> = dyn Fn(u32, &mut dyn FnMut()) -> f64 + 'a;

/// How often each operation is done.
pub(crate) const OPERATIONS: u32 = 100;

/// The operations by their names.
pub(crate) const BESIDE: &[(&str, Operation)] = &[
    (
        "an edit, its change set read, in a list of n rows",
        |n, cost| {
            let (mut store, _, feed) = listed(n);
            cost(OPERATIONS, &mut || {
                for id in 0..OPERATIONS {
                    edit(&mut store, id);
                    feed.read(&store).unwrap();
                }
            })
        },
    ),
    (
        "an item removed and another added, the key table full with n",
        |n, cost| {
            // Seven of eight places are filled at most.
            let full = n.next_power_of_two() / 8 * 7;
            let mut store = store(full);
            cost(n, &mut || {
                let added = (0..n).map(|id| FRESH + id);
                for (id, new) in (0..full).chain(added.clone()).zip(added) {
                    store.remove(&Key(id)).unwrap();
                    store.add(piece(new), Place::End).unwrap();
                }
            })
        },
    ),
    ("an edit beside n unread feeds", |n, cost| {
        let (mut store, list, _feed) = listed(1000);
        let _feeds: Vec<_> = (0..n).map(|_| store.feed(list).unwrap()).collect();
        cost(OPERATIONS, &mut || {
            (0..OPERATIONS).for_each(|id| edit(&mut store, id))
        })
    }),
    (
        "the dearest of n edits that a feed does not read",
        |n, cost| {
            let mut dearest = vec![f64::MAX; n as usize];
            // The least of three times each, or a busy machine is what is timed.
            for _ in 0..3 {
                let (mut store, _, _late) = listed(1000);
                for (round, least) in (0..).zip(&mut dearest) {
                    let edit = &mut || {
                        store
                            .edit(&Key(round * 7 % 1000), |piece| {
                                piece.title = format!("Bowl {}", round % 907)
                            })
                            .unwrap();
                    };
                    *least = least.min(cost(1, edit));
                }
            }
            dearest.into_iter().fold(0.0, f64::max)
        },
    ),
    (
        "an edit beside n feeds that have each missed more",
        |n, cost| {
            let (mut store, list, _feed) = listed(1000);
            let mut feeds = Vec::new();
            for round in 0..n {
                feeds.push(store.feed(list).unwrap());
                edit(&mut store, round % 1000);
            }
            (0..OPERATIONS * 3).for_each(|id| edit(&mut store, id));
            cost(OPERATIONS, &mut || {
                (0..OPERATIONS).for_each(|id| edit(&mut store, id))
            })
        },
    ),
    ("an edit after n lists were bound and unbound", |n, cost| {
        let (mut store, _, _feed) = listed(1000);
        for _ in 0..n {
            let list = store.bind(Query::new());
            store.unbind(list).unwrap();
        }
        cost(OPERATIONS, &mut || {
            (0..OPERATIONS).for_each(|id| edit(&mut store, id))
        })
    }),
    ("a hold beside n held rows", |n, cost| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        (0..n).for_each(|id| store.hold(&Key(id)).unwrap());
        cost(OPERATIONS, &mut || {
            (n..n + OPERATIONS).for_each(|id| store.hold(&Key(id)).unwrap())
        })
    }),
    ("a release beside n held rows", |n, cost| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        (0..n + OPERATIONS).for_each(|id| store.hold(&Key(id)).unwrap());
        cost(OPERATIONS, &mut || {
            (0..OPERATIONS).for_each(|id| store.release(&Key(id)).unwrap())
        })
    }),
    ("an edit beside n held rows", |n, cost| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        (0..n).for_each(|id| store.hold(&Key(id)).unwrap());
        cost(OPERATIONS, &mut || {
            (n..n + OPERATIONS).for_each(|id| edit(&mut store, id))
        })
    }),
    ("a draft begun beside n open ones", |n, cost| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let mut open = Vec::new();
        let mut begin = |ids: Range<u32>| {
            for id in ids {
                open.push(store.drafts_mut().begin(&Key(id)).unwrap());
            }
        };
        begin(0..n);
        cost(OPERATIONS, &mut || begin(n..n + OPERATIONS))
    }),
    ("a draft committed beside n open ones", |n, cost| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let begin = |id| store.drafts_mut().begin(&Key(id)).unwrap();
        let mut open: Vec<_> = (0..n + OPERATIONS).map(begin).collect();
        let _others = open.split_off(OPERATIONS as usize);
        cost(OPERATIONS, &mut || {
            for mut draft in open.drain(..) {
                draft.set(Piece::SHELF, 7).unwrap();
                store.drafts_mut().commit(draft).unwrap();
            }
        })
    }),
    ("a draft dropped beside n open ones", |n, cost| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let begin = |id| store.drafts_mut().begin(&Key(id)).unwrap();
        let mut open: Vec<_> = (0..n + OPERATIONS).map(begin).collect();
        let _others = open.split_off(OPERATIONS as usize);
        cost(OPERATIONS, &mut || {
            open.drain(..);
            edit(&mut store, n);
        })
    }),
    ("a new draft begun beside n others", |n, cost| {
        let (mut store, _others) = drafting(n, 0);
        let mut open = Vec::with_capacity(OPERATIONS as usize);
        cost(OPERATIONS, &mut || {
            for id in 0..OPERATIONS {
                open.push(begin_new(&mut store, FRESH + n + id));
            }
        })
    }),
    ("a new draft committed beside n others", |n, cost| {
        let (mut store, mut open) = drafting(n, OPERATIONS);
        let _others = open.split_off(OPERATIONS as usize);
        cost(OPERATIONS, &mut || {
            for mut draft in open.drain(..) {
                draft.set(Piece::SHELF, 7).unwrap();
                store.drafts_mut().commit(draft).unwrap();
            }
        })
    }),
    ("a new draft dropped beside n others", |n, cost| {
        let (mut store, mut open) = drafting(n, OPERATIONS);
        let _others = open.split_off(OPERATIONS as usize);
        cost(OPERATIONS, &mut || {
            open.drain(..);
            edit(&mut store, 0);
        })
    }),
    (
        "a row moved and moved back beside n new drafts",
        |n, cost| {
            let (mut store, _open) = drafting(n, 0);
            cost(OPERATIONS, &mut || {
                for _ in 0..OPERATIONS {
                    store.move_to(&Key(0), Place::End).unwrap();
                    store.history_mut().undo().unwrap();
                }
            })
        },
    ),
    (
        "an item reloaded, as many of them as new drafts",
        |n, cost| {
            let mut store = store(n);
            let begin = |id| begin_new(&mut store, FRESH + id);
            let _open: Vec<_> = (0..n).map(begin).collect();
            cost(n, &mut || {
                store.reload((0..n).map(piece)).unwrap();
            })
        },
    ),
    ("a removal begun beside n pending ones", |n, cost| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let due = Duration::from_secs(1);
        let mut begin = |ids: Range<u32>| {
            for id in ids {
                store.removals_mut().begin_until(&[Key(id)], due).unwrap();
            }
        };
        begin(0..n);
        cost(OPERATIONS, &mut || begin(n..n + OPERATIONS))
    }),
    ("a removal confirmed beside n pending ones", |n, cost| {
        let (mut store, _, _feed) = listed(n + OPERATIONS);
        let begin = |id| store.removals_mut().begin(&[Key(id)]).unwrap();
        let pending: Vec<_> = (0..n + OPERATIONS).map(begin).collect();
        cost(OPERATIONS, &mut || {
            for id in &pending[..OPERATIONS as usize] {
                store.removals_mut().confirm(*id).unwrap();
            }
        })
    }),
    (
        "the source removes a row of a pending removal of n rows",
        |n, cost| {
            let (mut store, _, _feed) = listed(n);
            let keys: Vec<Key> = (0..n).map(Key).collect();
            store.removals_mut().begin(&keys).unwrap();
            cost(OPERATIONS, &mut || {
                for id in 0..OPERATIONS {
                    store.from_source(|store| store.remove(&Key(id))).unwrap();
                }
            })
        },
    ),
    ("an addition confirmed, the oldest of n", |n, cost| {
        let (mut store, tickets) = adding(n);
        cost(OPERATIONS, &mut || {
            for ticket in &tickets[..OPERATIONS as usize] {
                store.writes_mut().confirm(*ticket).unwrap();
            }
        })
    }),
    ("an addition confirmed, the newest of n", |n, cost| {
        let (mut store, tickets) = adding(n);
        cost(OPERATIONS, &mut || {
            for ticket in tickets.iter().rev().take(OPERATIONS as usize) {
                store.writes_mut().confirm(*ticket).unwrap();
            }
        })
    }),
    (
        "an addition confirmed under another key, the oldest of n",
        |n, cost| {
            let (mut store, tickets) = adding(n);
            cost(OPERATIONS, &mut || {
                for (ticket, id) in tickets.iter().zip(FRESH..).take(OPERATIONS as usize) {
                    store.writes_mut().confirm_as(*ticket, piece(id)).unwrap();
                }
            })
        },
    ),
    (
        "an addition confirmed under another key, the oldest of n in one batch",
        |n, cost| {
            let mut store = store(10);
            store.writes_mut().track();
            store
                .add_many((10..10 + n).map(piece), Place::Start)
                .unwrap();
            let asked = store.writes().pending().map(|write| write.ticket);
            let asked: Vec<Ticket> = asked.collect();
            // The first answer parts them.
            store
                .writes_mut()
                .confirm_as(asked[0], piece(FRESH - 1))
                .unwrap();
            cost(OPERATIONS, &mut || {
                for (ticket, id) in asked[1..].iter().zip(FRESH..).take(OPERATIONS as usize) {
                    store.writes_mut().confirm_as(*ticket, piece(id)).unwrap();
                }
            })
        },
    ),
    (
        "an addition confirmed, the oldest of n beside one row",
        |n, cost| {
            let (mut store, tickets) = adding_at(n, Place::After(Key(0)));
            cost(OPERATIONS, &mut || {
                for ticket in &tickets[..OPERATIONS as usize] {
                    store.writes_mut().confirm(*ticket).unwrap();
                }
            })
        },
    ),
    (
        "an addition confirmed under another key beside n refused ones",
        |n, cost| {
            let (mut store, tickets) = adding(n + OPERATIONS);
            let (new, refused) = tickets.split_at(OPERATIONS as usize);
            for ticket in refused {
                refuse(&mut store, *ticket);
            }
            cost(OPERATIONS, &mut || {
                for (ticket, id) in new.iter().zip(FRESH..) {
                    store.writes_mut().confirm_as(*ticket, piece(id)).unwrap();
                }
            })
        },
    ),
    ("an addition refused, the oldest of n", |n, cost| {
        let (mut store, tickets) = adding(n);
        cost(OPERATIONS, &mut || {
            for ticket in &tickets[..OPERATIONS as usize] {
                refuse(&mut store, *ticket);
            }
        })
    }),
    ("an edit confirmed, the newest of n", |n, cost| {
        let (mut store, tickets) = editing(n);
        cost(OPERATIONS, &mut || {
            for ticket in tickets.iter().rev().take(OPERATIONS as usize) {
                store.writes_mut().confirm(*ticket).unwrap();
            }
        })
    }),
    ("an edit refused, the oldest of n", |n, cost| {
        let (mut store, tickets) = editing(n);
        cost(OPERATIONS, &mut || {
            for ticket in &tickets[..OPERATIONS as usize] {
                refuse(&mut store, *ticket);
            }
        })
    }),
    ("a refused edit dismissed, the oldest of n", |n, cost| {
        let (mut store, tickets) = editing(n);
        for ticket in &tickets {
            refuse(&mut store, *ticket);
        }
        cost(OPERATIONS, &mut || {
            for ticket in &tickets[..OPERATIONS as usize] {
                store.writes_mut().dismiss(*ticket).unwrap();
            }
        })
    }),
    (
        "an edit whose write state n feeds do not read",
        |n, cost| {
            let (mut store, list, _feed) = listed(10);
            store.writes_mut().track();
            let feed = || store.writes_mut().state_feed(list).unwrap();
            let _feeds: Vec<_> = std::iter::repeat_with(feed).take(n as usize).collect();
            let many = 20 * OPERATIONS;
            cost(many, &mut || {
                for id in 0..many {
                    edit(&mut store, id % 10);
                }
            })
        },
    ),
    (
        "an edit of a value that n share, which is to be unique",
        |n, cost| {
            let mut store = Store::new();
            let rules = Rules::new().unique(Piece::SHELF, Folding::Exact);
            store.set_rules(rules).unwrap();
            let same = |id| Piece {
                shelf: 0,
                ..piece(id)
            };
            let items = (0..n + OPERATIONS).map(same);
            store
                .from_source(|store| store.add_many(items, Place::End))
                .unwrap();
            cost(OPERATIONS, &mut || {
                for id in 1..=OPERATIONS {
                    store.edit(&Key(id), |piece| piece.shelf = id).unwrap();
                }
            })
        },
    ),
    (
        "a removal that a selection of n hidden rows follows",
        |n, cost| {
            let (mut store, list, feed) = listed(n + OPERATIONS + 10);
            let mut selection = Selection::new();
            selection.select_all(&store.list(list).unwrap());
            let shown = move |piece: &Piece| piece.shelf < OPERATIONS + 10;
            let mut rows = store.list_mut(list).unwrap();
            rows.change_query(|query| query.filter(shown));
            let mut follow = |store: &Store<Piece>| {
                let changes = feed.read(store).unwrap().unwrap();
                selection.follow(&changes, &store.list(list).unwrap());
            };
            follow(&store);
            cost(OPERATIONS, &mut || {
                for id in 0..OPERATIONS {
                    store.remove(&Key(id)).unwrap();
                    follow(&store);
                }
            })
        },
    ),
    (
        "an edit, its change set read, in a window on n sections",
        |n, cost| {
            let mut store = store(n);
            let list = store.bind(Query::new().group(Group::by(Piece::SHELF)).take(20));
            let feed = store.feed(list).unwrap();
            cost(OPERATIONS, &mut || {
                for id in 0..OPERATIONS {
                    edit(&mut store, id);
                    feed.read(&store).unwrap();
                }
            })
        },
    ),
    ("a section collapsed, one of n", |n, cost| {
        let mut store = store(n);
        let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
        cost(OPERATIONS, &mut || {
            for shelf in 0..OPERATIONS {
                store
                    .list_mut(list)
                    .unwrap()
                    .collapse(&shelf.into())
                    .unwrap();
            }
        })
    }),
    ("a section's rows found, one of n", |n, cost| {
        let mut store = store(n);
        let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
        let rows = store.list(list).unwrap();
        cost(OPERATIONS, &mut || {
            for shelf in 0..OPERATIONS {
                let at = rows.section_position(&shelf.into()).unwrap();
                assert_eq!(rows.rows_in(at).len(), 1);
            }
        })
    }),
    ("a change set of n sections flattened", |n, cost| {
        let sets = of_sections(n);
        cost(OPERATIONS, &mut || {
            sets.iter().for_each(|set| drop(set.flattened()))
        })
    }),
    ("a change set of n sections inverted", |n, cost| {
        let sets = of_sections(n);
        cost(OPERATIONS, &mut || {
            sets.iter().for_each(|set| drop(set.inverse()))
        })
    }),
    (
        "a change set of n sections composed with the next",
        |n, cost| {
            let sets = of_sections(n);
            cost(OPERATIONS, &mut || {
                for pair in sets.windows(2) {
                    pair[0].then(&pair[1]).unwrap();
                }
            })
        },
    ),
    (
        "a change set of n sections as steps and in phases",
        |n, cost| {
            let sets = of_sections(n);
            cost(OPERATIONS, &mut || {
                for set in &sets {
                    let by_section = set.by_section();
                    by_section.steps();
                    by_section.phases();
                }
            })
        },
    ),
    ("the same query set again, n rows", |n, cost| {
        let (mut store, list, _feed) = listed(n);
        let query = Query::new().sort(Piece::TITLE);
        cost(OPERATIONS, &mut || {
            for _ in 0..OPERATIONS {
                let same = query.clone();
                store.list_mut(list).unwrap().change_query(|_| same);
            }
        })
    }),
    (
        "a row updated in a vector of n, and the change set applied",
        |n, cost| {
            let (mut store, list, feed) = listed(n);
            let mut rows: Vec<_> = store.list(list).unwrap().items().cloned().collect();
            cost(OPERATIONS, &mut || {
                for id in 0..OPERATIONS {
                    store.edit(&Key(id), |piece| piece.shelf += 1).unwrap();
                    let changes = feed.read(&store).unwrap().unwrap();
                    changes.apply(&mut rows).unwrap();
                }
            })
        },
    ),
];

/// The change sets of rows of a list of `n` sections that go to other sections, of which some were not there.
fn of_sections(n: u32) -> Vec<ChangeSet<Piece>> {
    let mut store = store(n);
    let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
    let feed = store.feed(list).unwrap();
    let mut read = |id: u32| {
        let shelf = (id * 7 + 3) % (n + n / 2);
        store.edit(&Key(id), |piece| piece.shelf = shelf).unwrap();
        feed.read(&store).unwrap().unwrap()
    };
    (0..OPERATIONS).map(&mut read).collect()
}

fn refuse(store: &mut Store<Piece>, ticket: Ticket) {
    let why = "the kiln is off";
    store.writes_mut().refuse(ticket, why).unwrap();
}

/// A store in which `n` additions wait.
fn adding(n: u32) -> (Store<Piece>, Vec<Ticket>) {
    adding_at(n, Place::End)
}

fn adding_at(n: u32, place: Place<Key>) -> (Store<Piece>, Vec<Ticket>) {
    let mut store = store(10);
    store.writes_mut().track();
    for id in 10..10 + n {
        store.add(piece(id), place.clone()).unwrap();
    }
    let tickets = store.writes().pending().map(|write| write.ticket);
    let tickets = tickets.collect();
    (store, tickets)
}

/// A store with `n` new drafts, and some more.
fn drafting(n: u32, more: u32) -> (Store<Piece>, Vec<Draft<Piece>>) {
    let (mut store, ..) = listed(10);
    store.writes_mut().track();
    let begin = |id| begin_new(&mut store, FRESH + id);
    let open = (0..n + more).map(begin).collect();
    (store, open)
}

fn begin_new(store: &mut Store<Piece>, id: u32) -> Draft<Piece> {
    let begun = store.drafts_mut().begin_new(piece(id), Place::End);
    begun.unwrap()
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
