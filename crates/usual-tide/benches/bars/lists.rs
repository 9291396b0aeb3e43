//! Binding, another filter, and memory.

use crate::floor::Random;
use crate::row::{BenchItem, Lean, Piece};
use crate::timing::{Report, Turns, seconds};
use std::collections::HashMap;
use usual_tide::{Query, Store};

pub(crate) fn measure(rows: usize, report: &mut Report) {
    load(rows, report);
    bind(rows, report);
    #[cfg(feature = "locale")]
    bind_by_locale(rows, report);
    hide::<Piece>(rows, report);
    hide::<Lean>(rows, report);
    memory(rows, report);
}

fn load(rows: usize, report: &mut Report) {
    let name = "items loaded into a store";
    if !report.wants(name) {
        return;
    }
    let items = Piece::many(rows, &mut Random(0x10ad));
    let turns = Turns {
        rounds: 7,
        operations: 1,
    };
    report.compare(
        name,
        rows,
        &turns,
        || {
            let places = (0_u32..).zip(&items).map(|(row, piece)| (piece.id, row));
            seconds(|| places.collect::<HashMap<_, _>>())
        },
        || {
            let items = items.clone();
            seconds(|| Store::load(items).unwrap())
        },
    );
}

fn bind(rows: usize, report: &mut Report) {
    let name = "first bind, sorted by a 24-byte title";
    if !report.wants(name) {
        return;
    }
    let items = Piece::many(rows, &mut Random(0x0b1d_b1d0));
    let mut store = Store::load(items.clone()).unwrap();
    report.compare(
        name,
        rows,
        &Turns {
            rounds: 7,
            operations: 1,
        },
        || {
            seconds(|| {
                let mut order: Vec<u32> = (0..rows as u32).collect();
                order.sort_by(|a, b| items[*a as usize].title.cmp(&items[*b as usize].title));
                order
            })
        },
        || {
            let mut list = None;
            let time = seconds(|| list = Some(store.bind(Query::new().sort(Piece::TITLE))));
            store.unbind(list.unwrap()).unwrap();
            time
        },
    );
}

#[cfg(feature = "locale")]
fn bind_by_locale(rows: usize, report: &mut Report) {
    use usual_tide::Sort;
    use usual_tide::text::Collation;
    let name = "first bind, sorted by title in locale order";
    if !report.wants(name) {
        return;
    }
    let items = Piece::many(rows, &mut Random(0x10ca1e));
    let collation = Collation::for_locale("de").unwrap();
    let mut store = Store::load(items.clone()).unwrap();
    let turns = Turns {
        rounds: 7,
        operations: 1,
    };
    report.compare(
        name,
        rows,
        &turns,
        || {
            seconds(|| {
                let key = |(row, piece): (u32, &Piece)| (collation.key(&piece.title), row);
                let mut keys: Vec<(Vec<u8>, u32)> = (0..).zip(&items).map(key).collect();
                keys.sort_unstable();
                keys
            })
        },
        || {
            let sort = Sort::by_text(Piece::TITLE, &collation);
            let mut list = None;
            let time = seconds(|| list = Some(store.bind(Query::new().sort(sort))));
            store.unbind(list.unwrap()).unwrap();
            store.clear_cache();
            time
        },
    );
}

fn hide<T: BenchItem>(rows: usize, report: &mut Report) {
    if !report.wants("filter") {
        return;
    }
    let items = T::many(rows, &mut Random(0x41de));
    let (first, last) = (rows as u64 / 20, rows as u64 * 19 / 20);
    let outside = move |item: &T| *item.key() < first || *item.key() >= last;
    let inside = move |item: &T| *item.key() >= first && *item.key() < last;
    let turns = Turns {
        rounds: 15,
        operations: 1,
    };
    let mut store = Store::load(items.clone()).unwrap();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let pass = || seconds(|| items.iter().filter(|row| outside(row)).count());
    report.compare(
        &format!(
            "filter change that hides nine tenths, neighbours, feed read, {}",
            T::NAME
        ),
        rows,
        &turns,
        pass,
        || {
            store
                .list_mut(list)
                .unwrap()
                .change_query(Query::unfiltered);
            feed.read(&store).unwrap();
            seconds(|| {
                store
                    .list_mut(list)
                    .unwrap()
                    .change_query(|query| query.filter(outside));
                feed.read(&store).unwrap()
            })
        },
    );
    report.compare(
        &format!(
            "filter change that shows nine tenths, neighbours, feed read, {}",
            T::NAME
        ),
        rows,
        &turns,
        || seconds(|| items.iter().filter(|row| inside(row)).count()),
        || {
            store
                .list_mut(list)
                .unwrap()
                .change_query(|query| query.filter(outside));
            feed.read(&store).unwrap();
            seconds(|| {
                store
                    .list_mut(list)
                    .unwrap()
                    .change_query(|query| query.filter(|item: &T| *item.key() < u64::MAX));
                feed.read(&store).unwrap()
            })
        },
    );
}

fn memory(rows: usize, report: &mut Report) {
    let name = "memory of a bound list, bytes a row";
    if !report.wants(name) {
        return;
    }
    let mut random = Random(0x3e3);
    let mut store = Store::load(Piece::many(rows, &mut random)).unwrap();
    let list = store.bind(Query::new().sort(Piece::RANK));
    let each = |store: &Store<Piece>| {
        let bytes = store.list(list).unwrap().bytes();
        let a_row = |bytes: usize| bytes as f64 / rows as f64;
        format!(
            "{:.1} and {:.1} for sort keys",
            a_row(bytes.rows),
            a_row(bytes.sort_keys)
        )
    };
    report.figure(name, rows, &each(&store));
    for _ in 0..rows {
        let key = random.below(rows) as u64;
        let rank = random.next();
        store.edit(&key, |piece| piece.rank = rank).unwrap();
    }
    report.figure(
        "memory of a bound list after as many random edits, bytes a row",
        rows,
        &each(&store),
    );
}
