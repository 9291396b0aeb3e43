//! The counted tree by itself.

use crate::floor::{OrderedMap, Random};
use crate::timing::{Report, Turns, seconds};
use std::hint::black_box;
use usual_tide::TreeProbe;

pub(crate) fn measure(rows: usize, report: &mut Report) {
    if !report.wants("tree") {
        return;
    }
    let mut random = Random(0x9e37_79b9_7f4a_7c15);
    let operations = 100_000;
    let turns = Turns {
        rounds: 15,
        operations,
    };
    let mut map = OrderedMap::of(rows, &mut random);
    let mut tree = TreeProbe::of(rows as u32);
    let draws: Vec<(u32, usize, u64)> = (0..operations)
        .map(|_| (random.below(rows) as u32, random.below(rows), random.next()))
        .collect();
    let mut turn = 0;
    let mut floor = || {
        turn += 1;
        seconds(|| {
            for (row, _, key) in &draws {
                map.remove_and_insert(*row, key.wrapping_add(turn));
            }
        })
    };
    report.compare(
        "tree: random remove and insert, with both positions",
        rows,
        &turns,
        &mut floor,
        || {
            seconds(|| {
                for (row, position, _) in &draws {
                    black_box(tree.lift_and_put(*row, *position));
                }
            })
        },
    );
    report.compare("tree: position of a row", rows, &turns, &mut floor, || {
        seconds(|| {
            for (row, ..) in &draws {
                black_box(tree.position(*row));
            }
        })
    });
    report.compare("tree: row at a position", rows, &turns, &mut floor, || {
        seconds(|| {
            for (_, position, _) in &draws {
                black_box(tree.row_at(*position));
            }
        })
    });
}
