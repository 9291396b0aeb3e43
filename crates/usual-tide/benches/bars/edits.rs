//! The whole public path of edits: store, list, feed.

use crate::floor::{OrderedMap, Random};
use crate::row::{BenchItem, Piece};
use crate::timing::{Report, Turns, seconds};
use std::hint::black_box;
use usual_tide::{EditError, Query, Store};

fn sorted_and_filtered() -> Query<Piece> {
    Query::new()
        .filter(Piece::FIRED.is(false))
        .sort(Piece::RANK)
}

pub(crate) fn measure(rows: usize, report: &mut Report) {
    single(rows, report);
    batch(rows, report);
}

fn single(rows: usize, report: &mut Report) {
    let name = "edit that moves a row, feed read";
    if !report.wants(name) {
        return;
    }
    let mut random = Random(0x0dd0_5eed);
    let operations = 20_000;
    let mut map = OrderedMap::of(rows, &mut random);
    let mut store = Store::load(Piece::many(rows, &mut random)).unwrap();
    let list = store.bind(sorted_and_filtered());
    let feed = store.feed(list).unwrap();
    let mut next = || -> Vec<(u64, u64)> {
        (0..operations)
            .map(|_| (random.below(rows) as u64, random.next()))
            .collect()
    };
    let mut draws = next();
    let cell = std::cell::RefCell::new(Vec::new());
    report.compare(
        name,
        rows,
        &Turns {
            rounds: 15,
            operations,
        },
        || {
            draws = next();
            cell.replace(draws.clone());
            seconds(|| {
                for (row, key) in &draws {
                    map.remove_and_insert(*row as u32, *key);
                }
            })
        },
        || {
            let draws = cell.borrow();
            seconds(|| {
                for (key, rank) in draws.iter() {
                    store.edit(key, |piece| piece.rank = *rank).unwrap();
                    black_box(feed.read(&store).unwrap());
                }
            })
        },
    );
}

fn batch(rows: usize, report: &mut Report) {
    let name = "batch that re-keys 1 % of the rows";
    if !report.wants(name) {
        return;
    }
    let mut random = Random(0xba7c_4000);
    let operations = rows / 100;
    let mut store = Store::load(Piece::many(rows, &mut random)).unwrap();
    let list = store.bind(sorted_and_filtered());
    let feed = store.feed(list).unwrap();
    let store = std::cell::RefCell::new(store);
    let random = std::cell::RefCell::new(random);
    let draws = || -> Vec<(u64, u64)> {
        let mut random = random.borrow_mut();
        (0..operations)
            .map(|_| (random.below(rows) as u64, random.next()))
            .collect()
    };
    report.compare(
        name,
        rows,
        &Turns {
            rounds: 11,
            operations,
        },
        || {
            let (draws, mut store) = (draws(), store.borrow_mut());
            seconds(|| {
                for (key, rank) in &draws {
                    store.edit(key, |piece| piece.rank = *rank).unwrap();
                    black_box(feed.read(&store).unwrap());
                }
            })
        },
        || {
            let (draws, mut store) = (draws(), store.borrow_mut());
            seconds(|| {
                let done: Result<(), EditError<u64>> = store.batch(|store| {
                    for (key, rank) in &draws {
                        store.edit(key, |piece| piece.rank = *rank)?;
                    }
                    Ok(())
                });
                done.unwrap();
                feed.read(&store).unwrap()
            })
        },
    );
}
