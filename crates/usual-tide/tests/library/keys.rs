//! Keys for new items: never twice, whatever the clock says.

use crate::items::usual::Piece;
use std::collections::HashSet;
use usual_tide::Store;
use usual_tide::edits::EditError;
use usual_tide::keys::{KeyCounter, uuid_key};

#[test]
fn keys_made_on_several_threads_at_once_never_collide() {
    let threads: Vec<_> = (0..4)
        .map(|_| std::thread::spawn(|| (0..25_000).map(|_| uuid_key()).collect::<Vec<_>>()))
        .collect();
    let keys: Vec<_> = threads
        .into_iter()
        .flat_map(|thread| thread.join().unwrap())
        .collect();
    let different: HashSet<_> = keys.iter().collect();
    assert_eq!(different.len(), 100_000);
}

#[test]
fn a_counter_goes_on_from_the_largest_key_and_ends_with_the_numbers() {
    let mut keys = KeyCounter::after([3, 41, 7]);
    assert_eq!((keys.next_key(), keys.next_key()), (Some(42), Some(43)));
    assert_eq!(KeyCounter::new().next_key(), Some(1));
    assert_eq!(KeyCounter::after([]), KeyCounter::new());
    assert_eq!(KeyCounter::after([u64::MAX]).next_key(), None);
}

/// So many that they are not noted in their own order.
#[test]
fn of_many_items_those_are_told_whose_key_comes_twice_and_each_is_found() {
    let of = |id: u32| Piece::of_height(id.wrapping_mul(2_654_435_761), id);
    let pieces: Vec<Piece> = (0..150_000).map(of).collect();
    let mut repeated = pieces.clone();
    let places = [(3, 149_999), (131_071, 131_072)];
    for (at, again) in places {
        repeated[again].id = repeated[at].id;
    }
    match Store::load(repeated) {
        Err(EditError::Duplicates(found)) => assert_eq!(found.len(), places.len()),
        other => panic!("{:?}", other.map(|store| store.len())),
    }
    let store = Store::load(pieces).unwrap();
    for id in (0..150_000).step_by(7) {
        let piece = of(id);
        assert_eq!(store.get(&piece.id).map(|found| found.height_mm), Some(id));
        assert!(store.get(&of(id + 150_000).id).is_none());
    }
}
