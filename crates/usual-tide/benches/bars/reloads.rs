//! The source's whole new content.

use crate::floor::Random;
use crate::row::{BenchItem, Lean, Piece};
use crate::timing::{Report, Turns, seconds};
use usual_tide::{Query, Store};

pub(crate) fn measure(rows: usize, report: &mut Report) {
    measure_with::<Piece>(rows, report);
    measure_with::<Lean>(rows, report);
}

fn measure_with<T: BenchItem>(rows: usize, report: &mut Report) {
    let turns = Turns {
        rounds: 9,
        operations: 1,
    };
    compare::<T>(
        "reload, 1 % each removed, inserted, edited, moved",
        rows,
        report,
        &turns,
        |old, random| {
            let share = rows / 100;
            let mut new = old.to_vec();
            for _ in 0..share {
                new.swap_remove(random.below(new.len()));
            }
            new.sort_by_key(|row: &T| *row.key());
            for _ in 0..share {
                let at = random.below(new.len());
                new[at].set_rank(random.next());
            }
            scatter(new, share, random)
        },
    );
    compare::<T>(
        "reload, 10 rows in the middle changed",
        rows,
        report,
        &turns,
        |old, random| {
            let mut new = old.to_vec();
            for row in &mut new[rows / 2..rows / 2 + 10] {
                row.set_rank(random.next());
            }
            new
        },
    );
}

/// Moves and adds rows at random places, in one pass.
fn scatter<T: BenchItem>(mut rows: Vec<T>, share: usize, random: &mut Random) -> Vec<T> {
    let mut landing: Vec<(usize, T)> = Vec::new();
    let mut lifted: Vec<usize> = (0..share).map(|_| random.below(rows.len())).collect();
    lifted.sort_unstable();
    lifted.dedup();
    for at in lifted.into_iter().rev() {
        landing.push((random.next() as usize, rows.remove(at)));
    }
    for new in 0..share as u64 {
        landing.push((random.next() as usize, T::of(1 << 40 | new, random)));
    }
    for row in &mut landing {
        row.0 %= rows.len();
    }
    landing.sort_by_key(|row| row.0);
    let mut landing = landing.into_iter().peekable();
    let mut all = Vec::with_capacity(rows.len() + landing.len());
    for (at, row) in rows.into_iter().enumerate() {
        while let Some((_, new)) = landing.next_if(|row| row.0 == at) {
            all.push(new);
        }
        all.push(row);
    }
    all.extend(landing.map(|row| row.1));
    all
}

/// The floor: one pass that compares key and content of all items, pair by pair, in place. Where the
/// store takes the new items over, the floor drops them, as whoever has read them must.
fn compare<T: BenchItem>(
    name: &str,
    rows: usize,
    report: &mut Report,
    turns: &Turns,
    change: impl Fn(&[T], &mut Random) -> Vec<T>,
) {
    let name = &format!("{name}, {}", T::NAME);
    if !report.wants(name) {
        return;
    }
    let mut random = Random(0x5e1f_10ad);
    let old = T::many(rows, &mut random);
    let new = change(&old, &mut random);
    let mut store = Store::load(old.clone()).unwrap();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let floor = |dropping: bool| {
        let fresh = old.clone();
        if dropping {
            return seconds(|| {
                let same = same(&old, &fresh);
                drop(fresh);
                same
            });
        }
        seconds(|| same(&old, &fresh))
    };
    let back = |store: &mut Store<T>| {
        store.reload(old.clone()).unwrap();
        feed.read(store).unwrap();
        new.clone()
    };
    report.compare(
        name,
        rows,
        turns,
        || floor(false),
        || {
            let fresh = back(&mut store);
            seconds(|| {
                store.reload_from(&fresh).unwrap();
                feed.read(&store).unwrap()
            })
        },
    );
    report.compare(
        &format!("{name}, the new items taken over"),
        rows,
        turns,
        || floor(true),
        || {
            let fresh = back(&mut store);
            seconds(|| {
                store.reload(fresh).unwrap();
                feed.read(&store).unwrap()
            })
        },
    );
}

fn same<T: BenchItem>(old: &[T], new: &[T]) -> usize {
    let pairs = old.iter().zip(new);
    pairs
        .filter(|(one, two)| one.key() == two.key() && one == two)
        .count()
}
