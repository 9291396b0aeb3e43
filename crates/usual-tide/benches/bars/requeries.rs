//! Other queries for lists that live, and pages that arrive, each held against a bind or a load of all at once.

use crate::floor::Random;
use crate::row::{BenchItem, Piece};
use crate::timing::{Report, Turns, seconds};
use usual_tide::{Group, ListId, Place, Query, Search, Store};

pub(crate) fn measure(rows: usize, report: &mut Report) {
    bind_in_source_order(rows, report);
    let text = || Query::new().sort(Piece::TITLE);
    let number = || Query::new().sort(Piece::HEIGHT_MM);
    let searched = || Search::in_fields("raku", [Piece::TITLE.into()]);
    let name = "a search cleared, rows come back all over a list sorted by text, feed read";
    comes_back(rows, report, name, text, |query| query.search(searched()));
    let name = "a search cleared, rows come back all over a list sorted by a number, feed read";
    comes_back(rows, report, name, number, |query| query.search(searched()));
    let sections = || text().group(Group::by(Piece::HEIGHT_MM));
    let name = "a search cleared, rows come back all over a list of 400 sections sorted by text, feed read";
    comes_back(rows, report, name, sections, |query| {
        query.search(searched())
    });
    let name = "a filter dropped that hid every other row of a list sorted by text, feed read";
    let every_other = |piece: &Piece| piece.id.is_multiple_of(2);
    comes_back(rows, report, name, text, |query| query.filter(every_other));
    let name = "a filter dropped that hid neighbours, a third of a list of 400 sections sorted by text, feed read";
    let tall = |piece: &Piece| piece.height_mm >= 153;
    comes_back(rows, report, name, sections, |query| query.filter(tall));
    bound_filtered(rows, report);
    hides_scattered(rows, report);
    another_sort(rows, report);
    pages(rows, report);
    many_lists(rows, report);
}

fn few_rounds() -> Turns {
    Turns {
        rounds: 7,
        operations: 1,
    }
}

fn store_of(rows: usize) -> Store<Piece> {
    Store::load(Piece::many(rows, &mut Random(0x7e9_0e41))).unwrap()
}

fn change(store: &mut Store<Piece>, list: ListId, to: impl FnOnce(Query<Piece>) -> Query<Piece>) {
    store.list_mut(list).unwrap().change_query(to);
}

fn bind_in_source_order(rows: usize, report: &mut Report) {
    let name = "first bind in source order, beside copying the row numbers";
    if !report.wants(name) {
        return;
    }
    let mut store = store_of(rows);
    let index: Vec<u32> = (0..rows as u32).collect();
    let floor = || seconds(|| index.clone());
    report.compare(name, rows, &few_rounds(), floor, || {
        bind_anew(&mut store, Query::new())
    });
}

fn bind_anew(store: &mut Store<Piece>, query: Query<Piece>) -> f64 {
    let mut list = None;
    let time = seconds(|| list = Some(store.bind(query)));
    store.unbind(list.unwrap()).unwrap();
    time
}

/// Rows that were hidden come back; the floor binds a list of them all.
fn comes_back(
    rows: usize,
    report: &mut Report,
    name: &str,
    all: impl Fn() -> Query<Piece>,
    hide: impl Fn(Query<Piece>) -> Query<Piece>,
) {
    if !report.wants(name) {
        return;
    }
    let store = std::cell::RefCell::new(store_of(rows));
    let list = store.borrow_mut().bind(all());
    let feed = store.borrow_mut().feed(list).unwrap();
    let bind = || bind_anew(&mut store.borrow_mut(), all());
    report.compare(name, rows, &few_rounds(), bind, || {
        let store = &mut *store.borrow_mut();
        change(store, list, &hide);
        feed.read(store).unwrap();
        seconds(|| {
            change(store, list, |query| query.unfiltered().unsearched());
            feed.read(store).unwrap()
        })
    });
}

/// A list drops the filter that it was bound with, so that no order of the hidden rows is known.
fn bound_filtered(rows: usize, report: &mut Report) {
    let name = "a filter dropped that a list sorted by text was bound with, feed read";
    if !report.wants(name) {
        return;
    }
    let store = std::cell::RefCell::new(store_of(rows));
    let all = || Query::new().sort(Piece::TITLE);
    let bind = || bind_anew(&mut store.borrow_mut(), all());
    report.compare(name, rows, &few_rounds(), bind, || {
        let store = &mut *store.borrow_mut();
        let list = store.bind(all().filter(|piece: &Piece| piece.id.is_multiple_of(2)));
        let feed = store.feed(list).unwrap();
        let time = seconds(|| {
            change(store, list, Query::unfiltered);
            feed.read(store).unwrap()
        });
        store.unbind(list).unwrap();
        time
    });
}

fn hides_scattered(rows: usize, report: &mut Report) {
    let name = "filter change that hides nine tenths here and there, feed read";
    if !report.wants(name) {
        return;
    }
    let items = Piece::many(rows, &mut Random(0x7e9_0e41));
    let index: Vec<u32> = (0..rows as u32).collect();
    let mut store = Store::load(items.clone()).unwrap();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let fired = |piece: &Piece| piece.fired;
    let floor = || {
        seconds(|| {
            (
                items.iter().filter(|piece| fired(piece)).count(),
                index.clone(),
            )
        })
    };
    report.compare(name, rows, &few_rounds(), floor, || {
        change(&mut store, list, Query::unfiltered);
        feed.read(&store).unwrap();
        seconds(|| {
            change(&mut store, list, |query| query.filter(fired));
            feed.read(&store).unwrap()
        })
    });
}

/// The floor sorts the row numbers by the same key, and finds an increasing subsequence of as many numbers.
fn another_sort(rows: usize, report: &mut Report) {
    let name = "another sort on a live list, feed read";
    if !report.wants(name) {
        return;
    }
    let items = Piece::many(rows, &mut Random(0x7e9_0e41));
    let mut store = Store::load(items.clone()).unwrap();
    let list = store.bind(Query::new().sort(Piece::RANK));
    let feed = store.feed(list).unwrap();
    let floor = || {
        seconds(|| {
            let mut order: Vec<u32> = (0..rows as u32).collect();
            order.sort_by(|a, b| items[*a as usize].title.cmp(&items[*b as usize].title));
            longest_increasing(&order)
        })
    };
    report.compare(name, rows, &few_rounds(), floor, || {
        change(&mut store, list, |query| query.sort(Piece::RANK));
        feed.read(&store).unwrap();
        seconds(|| {
            change(&mut store, list, |query| query.sort(Piece::TITLE));
            feed.read(&store).unwrap()
        })
    });
}

/// The length of the longest increasing subsequence (Fredman 1975), and the predecessors that spell it.
fn longest_increasing(numbers: &[u32]) -> (usize, Vec<u32>) {
    let mut ends: Vec<u32> = Vec::new();
    let mut before = vec![u32::MAX; numbers.len()];
    for (at, number) in numbers.iter().enumerate() {
        let length = ends.partition_point(|end| numbers[*end as usize] < *number);
        if let Some(last) = length.checked_sub(1) {
            before[at] = ends[last];
        }
        match ends.get_mut(length) {
            Some(end) => *end = at as u32,
            None => ends.push(at as u32),
        }
    }
    (ends.len(), before)
}

fn pages(rows: usize, report: &mut Report) {
    let name = "40 pages arrive in a list sorted by text, beside load and bind at once";
    if !report.wants(name) {
        return;
    }
    let items = Piece::many(rows, &mut Random(0x7e9_0e41));
    let floor = || {
        let items = items.clone();
        seconds(|| {
            let mut store = Store::load(items).unwrap();
            store.bind(Query::new().sort(Piece::TITLE));
            store
        })
    };
    report.compare(name, rows, &few_rounds(), floor, || {
        let pages: Vec<Vec<Piece>> = items.chunks(rows / 40).map(<[Piece]>::to_vec).collect();
        seconds(|| {
            let mut store = Store::new();
            let list = store.bind(Query::new().sort(Piece::TITLE));
            let feed = store.feed(list).unwrap();
            for page in pages {
                store.add_many(page, Place::End).unwrap();
                feed.read(&store).unwrap();
            }
            store
        })
    });
}

/// Each list shows one maker's pieces.
fn many_lists(rows: usize, report: &mut Report) {
    let name = "an edit with 100 lists, each of one owner's items, beside the same with one list";
    if !report.wants(name) {
        return;
    }
    let owned = |lists: u32| {
        let mut store = store_of(rows);
        for owner in 0..lists {
            let shelf = [b'A' + (owner % 10) as u8, b'0' + (owner / 10) as u8];
            store.bind(
                Query::new()
                    .filter(Piece::SHELF.is(shelf))
                    .sort(Piece::RANK),
            );
        }
        store
    };
    let (mut one, mut hundred) = (owned(1), owned(100));
    let turns = Turns {
        rounds: 7,
        operations: 1000,
    };
    let mut random = Random(0x1157);
    let draws: Vec<(u64, u64)> = (0..1000)
        .map(|_| (random.below(rows) as u64, random.next()))
        .collect();
    let edits = |store: &mut Store<Piece>| {
        seconds(|| {
            for (key, rank) in &draws {
                store.edit(key, |piece| piece.rank = *rank).unwrap();
            }
        })
    };
    report.compare(
        name,
        rows,
        &turns,
        || edits(&mut one),
        || edits(&mut hundred),
    );
}
