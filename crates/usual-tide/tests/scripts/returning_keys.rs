//! Keys that go and come again while writes wait, one case after the other.

use super::model::{Thing, thing};
use usual_tide::writes::Ticket;
use usual_tide::{Draft, EditError, Place, Query, Selection, Store};

fn waiting(store: &Store<Thing>) -> Vec<Ticket> {
    store.writes().pending().map(|write| write.ticket).collect()
}

fn keys(store: &Store<Thing>) -> Vec<u16> {
    store.items().map(|item| item.key).collect()
}

#[test]
fn another_key_for_an_addition_is_none_for_the_next_item_that_had_the_first() {
    for sources_own in [true, false] {
        let mut store = Store::<Thing>::new();
        store.writes_mut().track();
        store.add(thing(3, 0), Place::End).unwrap();
        store.history_mut().undo().unwrap();
        store.history_mut().redo().unwrap();
        let tickets = waiting(&store);
        assert_eq!(tickets.len(), 3);
        if sources_own {
            let own = |store: &mut Store<Thing>| store.add(thing(3, 7), Place::End);
            store.from_source(own).unwrap();
        }
        store
            .writes_mut()
            .confirm_as(tickets[0], thing(48, 1))
            .unwrap();
        store.check().unwrap();
        let added = store.writes().pending().last().unwrap();
        assert_eq!((added.key, added.after.as_ref().unwrap().key), (3, 3));
        assert_eq!(
            store.writes().pending().next().unwrap().key,
            48,
            "the removal"
        );
        store.writes_mut().confirm(tickets[1]).unwrap();
        store.writes_mut().confirm(tickets[2]).unwrap();
        assert_eq!(keys(&store), [3]);
    }
}

#[test]
fn what_was_shown_before_comes_from_what_was_shown() {
    let mut store = Store::<Thing>::new();
    store.writes_mut().track();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    store.add(thing(1, 2), Place::End).unwrap();
    store
        .from_source(|store| store.add(thing(1, 7), Place::End))
        .unwrap();
    store.remove(&1).unwrap();
    store.history_mut().undo().unwrap();
    let shown = store.get(&1).cloned();
    feed.read(&store).unwrap();
    let tickets = waiting(&store);
    store.writes_mut().confirm(tickets[1]).unwrap();
    let now = store.get(&1).cloned();
    assert_ne!(shown, now);
    let set = feed.read(&store).unwrap().expect("the item is another");
    assert_eq!(set.updated().len(), 1);
    assert_eq!(Some(&set.updated()[0].before), shown.as_ref());
}

#[test]
fn asking_what_is_saved_loses_no_write() {
    let mut store = Store::load((0..8).map(|key| thing(key, 1))).unwrap();
    store.writes_mut().track();
    store
        .batch(|store| {
            store.edit(&1, |item| item.on = true)?;
            assert!(!store.writes_mut().saved_items()[1].on);
            Ok::<(), EditError<u16>>(())
        })
        .unwrap();
    assert_eq!(waiting(&store).len(), 1);
    assert_eq!(store.history().undo_len(), 1);

    // A blank row stands where an item waits to be removed.
    store.remove(&5).unwrap();
    let removal = waiting(&store)[1];
    let draft = store
        .drafts_mut()
        .begin_new(thing(5, 9), Place::Start)
        .unwrap();
    let saved: Vec<u16> = store
        .writes_mut()
        .saved_items()
        .iter()
        .map(|item| item.key)
        .collect();
    assert_eq!(saved, [0, 1, 2, 3, 4, 5, 6, 7]);
    assert_eq!(store.position(&5), Some(0), "the blank row is where it was");
    store
        .writes_mut()
        .refuse(removal, "it is in the kiln")
        .unwrap();
    assert_eq!(*store.get(&5).unwrap().as_ref(), thing(5, 1));
    assert!(!store.drafts().is_blank(&5) && store.drafts().is_open(&draft));
    store.check().unwrap();
    store.drafts_mut().discard(draft).unwrap();
    assert_eq!(*store.get(&5).unwrap().as_ref(), thing(5, 1));
}

#[test]
fn an_undo_that_left_something_alone_is_not_exact() {
    let mut store = Store::load((1..=5).map(|key| thing(key, 1))).unwrap();
    store.move_to(&3, Place::End).unwrap();
    store.remove(&1).unwrap();
    let draft = store
        .drafts_mut()
        .begin_new(thing(1, 3), Place::Start)
        .unwrap();
    let undone = store.history_mut().undo().unwrap().unwrap();
    assert_eq!(undone.skipped.len(), 1);
    store.drafts_mut().discard(draft).unwrap();
    store.history_mut().undo().unwrap();
    assert_eq!(keys(&store), [2, 3, 4, 5]);
}

#[test]
fn a_new_draft_keeps_its_row_whatever_becomes_of_the_item_that_had_its_key() {
    let mut store = Store::load((0..3).map(|key| thing(key, 1))).unwrap();
    store.writes_mut().track();
    store.remove(&2).unwrap();
    let begin = |store: &mut Store<Thing>, key| {
        let new = store
            .drafts_mut()
            .begin_new(thing(key, 9), Place::Start)
            .unwrap();
        (new, key)
    };
    let is_blank = |store: &Store<Thing>, (draft, key): &(Draft<Thing>, u16)| {
        let row = store.drafts().current(draft);
        row.is_some_and(|row| **row == thing(*key, 9)) && store.drafts().is_blank(key)
    };

    // The removal is refused for an item that is gone, tried again, and made again over another answer.
    let two = begin(&mut store, 2);
    let removal = waiting(&store)[0];
    let refused = store.writes_mut().refuse_with(removal, "it is gone", None);
    refused.unwrap();
    store.writes_mut().retry(removal).unwrap();
    store.add(thing(7, 1), Place::End).unwrap();
    store.add(thing(6, 1), Place::Gap(1)).unwrap();
    let answered = waiting(&store)[1];
    store.writes_mut().confirm(answered).unwrap();
    assert!(is_blank(&store, &two));
    // The source knows nothing of the row.
    let gone = store.from_source(|store| store.remove(&2).map(drop));
    assert_eq!(gone, Err(EditError::UnknownKey(2)));
    assert!(is_blank(&store, &two));

    // An addition that was undone gets another key, that of an item which is there.
    store.add(thing(5, 1), Place::End).unwrap();
    let addition = *waiting(&store).last().unwrap();
    store.history_mut().undo().unwrap();
    let five = begin(&mut store, 5);
    store
        .writes_mut()
        .confirm_as(addition, thing(0, 4))
        .unwrap();
    assert!(is_blank(&store, &two) && is_blank(&store, &five));

    // Items of the source come in the place of the rows, however many at once, once nobody asks to remove them.
    for ticket in waiting(&store) {
        store.writes_mut().confirm(ticket).unwrap();
        assert!(is_blank(&store, &two) && is_blank(&store, &five));
    }
    let items = [(2, 4), (5, 4)].map(|(key, seed)| thing(key, seed));
    let added = store.from_source(|store| store.add_many(items, Place::End));
    added.unwrap();
    for (draft, key) in [&two, &five] {
        assert!(!store.drafts().is_blank(key));
        assert_eq!(**store.drafts().current(draft).unwrap(), thing(*key, 4));
    }
    store.check().unwrap();
}

#[test]
fn another_key_for_an_addition_is_none_for_an_item_of_the_source_with_its_first_key() {
    let mut store = Store::load((0..2).map(|key| thing(key, 1))).unwrap();
    store.writes_mut().track();
    let list = store.bind(Query::new());
    store.add(thing(4, 0), Place::End).unwrap();
    store.remove(&4).unwrap();
    store.add(thing(4, 0), Place::Start).unwrap();
    let tickets = waiting(&store);
    // The removal did nothing at the source, where the first addition came after it.
    store.writes_mut().confirm(tickets[1]).unwrap();
    store.writes_mut().confirm(tickets[0]).unwrap();
    let feed = store.feed(list).unwrap();
    let mut selection = Selection::new();
    selection.select(&store.list(list).unwrap(), &4);

    store
        .writes_mut()
        .confirm_as(tickets[2], thing(0, 0))
        .unwrap();
    let set = feed.read(&store).unwrap().expect("an item is another");
    selection.follow(&set, &store.list(list).unwrap());
    assert_eq!(keys(&store), [0, 1, 4]);
    assert_eq!(store.writes().given_key(&4), None);
    assert!(selection.is_selected(&4) && !selection.is_selected(&0));
}
