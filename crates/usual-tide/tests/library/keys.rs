//! Keys for new items: never twice, whatever the clock says.

use std::collections::HashSet;
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
