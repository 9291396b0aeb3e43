//! The fewest moves and the one choice among equals, in every state of up to seven rows.

use crate::items::numbered::Piece as Row;
use std::collections::HashMap;
use std::sync::Arc;
use usual_tide::{ChangeSet, Query, Store};

type Rows = Vec<Arc<Row>>;

/// Every arrangement of every subset of keys 0 to `keys`.
fn arrangements(keys: u8) -> Vec<Vec<u8>> {
    let mut all = vec![Vec::new()];
    let mut next = 0;
    while next < all.len() {
        for key in (0..keys)
            .filter(|key| !all[next].contains(key))
            .collect::<Vec<_>>()
        {
            let mut longer = all[next].clone();
            longer.push(key);
            all.push(longer);
        }
        next += 1;
    }
    all
}

/// Whether some choice of so few moved rows leaves the others in order: tries them all.
fn can_do_with(moves: usize, kept: &[usize]) -> bool {
    (0..1u32 << kept.len())
        .filter(|choice| choice.count_ones() as usize == moves)
        .any(|choice| {
            let still = (0..kept.len()).filter(|at| choice >> at & 1 == 0);
            still.map(|at| kept[at]).is_sorted()
        })
}

fn rows(keys: &[u8], version: u8) -> impl Iterator<Item = Row> {
    keys.iter().map(move |key| Row {
        id: u32::from(*key),
        height: version,
        ..Row::default()
    })
}

fn moved(set: &ChangeSet<Row>) -> usize {
    set.moved().iter().map(|run| run.len).sum()
}

#[test]
fn no_set_moves_more_rows_than_it_must() {
    let keys: u8 = 7;
    let before: Vec<u8> = (0..keys).collect();
    let mut store = Store::load(rows(&before, 0)).unwrap();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let mut seen = 0;
    for after in arrangements(keys) {
        store.reload(rows(&before, 0)).unwrap();
        feed.read(&store).unwrap();
        store.reload(rows(&after, 0)).unwrap();
        let set = feed.read(&store).unwrap();
        let Some(set) = set else {
            assert_eq!(after, before);
            continue;
        };
        // Before is sorted, so a key is its own position.
        let kept: Vec<usize> = after.iter().map(|key| usize::from(*key)).collect();
        let moves = moved(&set);
        assert!(can_do_with(moves, &kept));
        assert!(
            moves == 0 || !can_do_with(moves - 1, &kept),
            "{after:?} takes {moves} moves"
        );
        seen += 1;
    }
    assert_eq!(seen, 13_699);
}

/// However the rows got from one state to the other, the set between is the same.
#[test]
fn the_choice_depends_on_the_two_ends_alone() {
    let states = arrangements(4);
    let mut direct: HashMap<(usize, usize), ChangeSet<Row>> = HashMap::new();
    for (one, before) in states.iter().enumerate() {
        for (two, after) in states.iter().enumerate() {
            let mut store = Store::load(rows(before, 0)).unwrap();
            let list = store.bind(Query::new());
            let feed = store.feed(list).unwrap();
            // Step by step, so that every row of the way is touched.
            for key in before {
                store.edit(&u32::from(*key), |row| row.height = 9).unwrap();
            }
            for key in before {
                store.edit(&u32::from(*key), |row| row.height = 0).unwrap();
            }
            store.reload(rows(&[3, 1], 1)).unwrap();
            store.reload(rows(after, 0)).unwrap();
            let roundabout = feed.read(&store).unwrap();
            let mut store = Store::load(rows(before, 0)).unwrap();
            let list = store.bind(Query::new());
            let feed = store.feed(list).unwrap();
            store.reload(rows(after, 0)).unwrap();
            let straight = feed.read(&store).unwrap();
            assert_eq!(roundabout, straight, "from {before:?} to {after:?}");
            let rows = before.len();
            direct.insert(
                (one, two),
                straight.unwrap_or_else(|| ChangeSet::unchanged(rows)),
            );
        }
    }
    for one in 0..states.len() {
        for two in (one % 3..states.len()).step_by(3) {
            for three in (two % 5..states.len()).step_by(5) {
                let composed = direct[&(one, two)].then(&direct[&(two, three)]).unwrap();
                assert_eq!(composed, direct[&(one, three)]);
            }
        }
    }
}

#[test]
fn of_two_neighbours_that_change_places_the_one_that_goes_up_is_said_to_move() {
    let mut store = Store::load(rows(&[0, 1, 2, 3], 0)).unwrap();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let mut view: Rows = store.list(list).unwrap().items().cloned().collect();
    store.move_to(&1, usual_tide::Place::Row(2)).unwrap();
    let set = feed.read(&store).unwrap().unwrap();
    assert_eq!(
        (set.moved()[0].from, set.moved()[0].to, set.moved()[0].len),
        (2, 1, 1)
    );
    set.apply(&mut view).unwrap();
    assert!(view.iter().map(|row| row.id).eq([0, 2, 1, 3]));
}
