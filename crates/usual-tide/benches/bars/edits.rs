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
    let moves = "edit that moves a row, feed read";
    single(rows, report, moves, |store, key, rank| {
        store.edit(&key, |piece| piece.rank = rank).unwrap();
    });
    let confirmed = "edit that moves a row, confirmed by the source, feed read";
    single(rows, report, confirmed, |store, key, rank| {
        store.writes_mut().track();
        store.edit(&key, |piece| piece.rank = rank).unwrap();
        let asked = store.writes().pending().last().unwrap().ticket;
        store.writes_mut().confirm(asked).unwrap();
    });
    let among = "edit that moves a row while 100 others wait, confirmed, feed read";
    single(rows, report, among, |store, key, rank| {
        store.writes_mut().track();
        while store.writes().pending().take(100).count() < 100 {
            let other = store.len() as u64 - 1 - store.writes().pending().count() as u64;
            store.edit(&other, |piece| piece.rank += 1).unwrap();
        }
        store.edit(&key, |piece| piece.rank = rank).unwrap();
        let oldest = store.writes().pending().next().unwrap().ticket;
        store.writes_mut().confirm(oldest).unwrap();
    });
    let one_by_one_in_a_batch = "batch that re-keys 1 % of the rows, edit by edit";
    batch(rows, report, one_by_one_in_a_batch, one_by_one);
    let many = "batch that re-keys 1 % of the rows, edit_many";
    batch(rows, report, many, all_at_once);
}

/// Makes one edit, of the item with a key, to this rank.
type Edit = fn(&mut Store<Piece>, u64, u64);

fn single(rows: usize, report: &mut Report, name: &str, edit: Edit) {
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
                    edit(&mut store, *key, *rank);
                    black_box(feed.read(&store).unwrap());
                }
            })
        },
    );
}

/// How a batch makes its edits.
type Edits = fn(&mut Store<Piece>, &[u64], u64);

fn one_by_one(store: &mut Store<Piece>, keys: &[u64], round: u64) {
    let done: Result<(), EditError<u64>> = store.batch(|store| {
        for key in keys {
            store.edit(key, |piece| re_key(piece, round))?;
        }
        Ok(())
    });
    done.unwrap();
}

fn all_at_once(store: &mut Store<Piece>, keys: &[u64], round: u64) {
    store.edit_many(keys, |piece| re_key(piece, round)).unwrap();
}

/// Another rank, anywhere among the others.
fn re_key(piece: &mut Piece, round: u64) {
    piece.rank = (piece.id ^ round).wrapping_mul(0x9e37_79b9_7f4a_7c15);
}

fn batch(rows: usize, report: &mut Report, name: &str, edits: Edits) {
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
    let draws = || -> (Vec<u64>, u64) {
        let mut random = random.borrow_mut();
        let keys = (0..operations).map(|_| random.below(rows) as u64);
        (keys.collect(), random.next())
    };
    report.compare(
        name,
        rows,
        &Turns {
            rounds: 11,
            operations,
        },
        || {
            let ((keys, round), mut store) = (draws(), store.borrow_mut());
            seconds(|| {
                for key in &keys {
                    store.edit(key, |piece| re_key(piece, round)).unwrap();
                    black_box(feed.read(&store).unwrap());
                }
            })
        },
        || {
            let ((keys, round), mut store) = (draws(), store.borrow_mut());
            seconds(|| {
                edits(&mut store, &keys, round);
                feed.read(&store).unwrap()
            })
        },
    );
}
