//! Rows that go from one section to another.

use crate::floor::{OrderedMap, Random};
use crate::row::{BenchItem, Piece};
use crate::timing::{Report, Turns, seconds};
use std::cell::RefCell;
use std::hint::black_box;
use usual_tide::{Group, Query, Store};

pub(crate) fn measure(rows: usize, report: &mut Report) {
    let name = "edit that moves a row to another of 400 sections, feed read by section";
    if !report.wants(name) {
        return;
    }
    let mut random = Random(0x5ec7);
    let operations = 10_000;
    let mut map = OrderedMap::of(rows, &mut random);
    let mut store = Store::load(Piece::many(rows, &mut random)).unwrap();
    let by_height = Query::new()
        .group(Group::by(Piece::HEIGHT_MM))
        .sort(Piece::RANK);
    let list = store.bind(by_height);
    let feed = store.feed(list).unwrap();
    let turns = Turns {
        rounds: 15,
        operations,
    };
    let draws = RefCell::new(Vec::new());
    report.compare(
        name,
        rows,
        &turns,
        || {
            let mut next = || (random.below(rows) as u64, random.next());
            draws.replace((0..operations).map(|_| next()).collect());
            seconds(|| {
                for (row, key) in draws.borrow().iter() {
                    map.remove_and_insert(*row as u32, *key);
                }
            })
        },
        || {
            seconds(|| {
                for (key, draw) in draws.borrow().iter() {
                    // Always another section.
                    let step = 1 + (draw % 399) as u32;
                    let edit = |piece: &mut Piece| {
                        piece.height_mm = 20 + (piece.height_mm - 20 + step) % 400;
                    };
                    store.edit(key, edit).unwrap();
                    let changes = feed.read(&store).unwrap().unwrap();
                    black_box(changes.by_section());
                }
            })
        },
    );
}
