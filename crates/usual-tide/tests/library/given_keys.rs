//! An item that is added under a key of the app's and that the source gives another: what was begun with it goes on.

use crate::items::usual::Piece;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;
use usual_tide::lists::Presence;
use usual_tide::removals::EndedRemoval;
use usual_tide::text::Folding;
use usual_tide::writes::{Show, Ticket};
use usual_tide::{Feed, ListId, Place, Query, Rules, Selection, Store};

fn piece(id: u32, title: &str) -> Piece {
    Piece {
        id,
        title: title.into(),
        height_mm: 90,
        ..Piece::default()
    }
}

/// A list sorted by title in which piece 900 waits to be added.
fn waiting() -> (Store<Piece>, ListId, Feed<Piece>, Ticket) {
    let mut store = Store::load([piece(1, "Bowl"), piece(2, "Cup"), piece(3, "Jug")]).unwrap();
    let list = store.bind(Query::new().sort(Piece::TITLE));
    store.writes_mut().track();
    store.add(piece(900, "Ewer"), Place::End).unwrap();
    let feed = store.feed(list).unwrap();
    let ticket = store.writes().pending().next().unwrap().ticket;
    (store, list, feed, ticket)
}

fn shown(store: &Store<Piece>, list: ListId) -> Vec<u32> {
    let rows = store.list(list).unwrap();
    rows.items().map(|piece| piece.id).collect()
}

#[test]
fn a_draft_goes_on_and_keeps_its_row_in_place() {
    let (mut store, list, _feed, ticket) = waiting();
    let unique = Rules::new().unique(Piece::TITLE, Folding::Exact);
    store.set_rules(unique).unwrap();
    let mut draft = store.drafts_mut().begin(&900).unwrap();
    store
        .edit(&900, |piece| piece.title = "Vase".into())
        .unwrap();
    store
        .writes_mut()
        .confirm_as(ticket, piece(4, "Ewer"))
        .unwrap();
    assert_eq!(shown(&store, list), [1, 2, 4, 3], "it is held");
    // Its own title is not one that another has.
    draft.type_text("title", "Vase").unwrap();
    assert_eq!(store.drafts().failures(&draft), []);
    draft.type_text("height_mm", "120").unwrap();
    assert_eq!(store.drafts().current(&draft).unwrap().id, 4);
    store.drafts_mut().commit(draft).unwrap();
    assert_eq!(shown(&store, list), [1, 2, 3, 4]);
    assert_eq!(store.get(&4).unwrap().height_mm, 120);
    let waiting: Vec<u32> = store.writes().pending().map(|write| write.key).collect();
    assert_eq!(waiting, [4, 4]);
}

#[test]
fn a_conflict_is_settled_under_the_new_key() {
    use usual_tide::drafts::{CommitProblem, Prefer};
    let (mut store, list, _feed, ticket) = waiting();
    let mut draft = store.drafts_mut().begin(&900).unwrap();
    draft.set(Piece::TITLE, "Pot".into()).unwrap();
    store
        .writes_mut()
        .confirm_as(ticket, piece(4, "Ewer, wide"))
        .unwrap();
    let refused = store.drafts_mut().commit(draft).unwrap_err();
    let CommitProblem::Conflict(conflict) = refused.problem else {
        panic!("{}", refused.problem);
    };
    let mut draft = *refused.draft;
    draft.settle(*conflict, Prefer::Mine);
    assert_eq!((draft.key(), draft.item().id), (&4, 4));
    draft.set(Piece::HEIGHT_MM, 70).unwrap();
    store.drafts_mut().commit(draft).unwrap();
    assert_eq!(*store.get(&4).unwrap().title, *"Pot");
    assert_eq!(shown(&store, list), [1, 2, 3, 4]);
}

#[test]
fn it_stays_current_selected_and_open() {
    let (mut store, list, feed, ticket) = waiting();
    let on_screen = store.list(list).unwrap().version();
    let mut selection = Selection::new();
    assert!(selection.select(&store.list(list).unwrap(), &900));
    assert!(selection.open(&store.list(list).unwrap(), &900));
    store
        .writes_mut()
        .confirm_as(ticket, piece(4, "Ewer"))
        .unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    let rows = store.list(list).unwrap();
    let change = selection.follow(&changes, &rows);
    assert_eq!((change.left, change.closed), (None, None));
    assert!(change.removed.is_empty() && change.returned.is_empty());
    assert_eq!(
        (selection.current(), selection.open_row()),
        (Some(&4), Some(&4))
    );
    assert_eq!(selection.selected_in(&rows), [4]);
    // What a button stored before names the row that the person saw.
    assert_eq!(rows.key_shown(2, on_screen), Ok(4));
    assert_eq!(rows.presence(&900), Presence::Absent);
    assert_eq!(store.writes().given_key(&900), Some(&4));
    assert_eq!(store.writes().given_key(&4), None);
}

#[test]
fn a_pending_removal_is_that_of_the_item() {
    let (mut store, list, _feed, ticket) = waiting();
    let asked = store.removals_mut().begin(&[2, 900]).unwrap();
    store
        .writes_mut()
        .confirm_as(ticket, piece(4, "Ewer"))
        .unwrap();
    assert_eq!(shown(&store, list), [1, 3]);
    let pending = store.removals().get(asked).unwrap();
    assert_eq!(pending.keys().copied().collect::<Vec<_>>(), [2, 4]);
    let EndedRemoval { items, gone, .. } = store.removals_mut().confirm(asked).unwrap();
    assert_eq!((items.len(), gone.len()), (2, 0));
    assert!(!store.contains(&4));
}

#[test]
fn its_edits_and_its_addition_can_be_undone_and_done_again() {
    let (mut store, _list, _feed, ticket) = waiting();
    store.edit(&900, |piece| piece.height_mm = 120).unwrap();
    store
        .writes_mut()
        .confirm_as(ticket, piece(4, "Ewer, by the source"))
        .unwrap();
    let undone = store.history_mut().undo().unwrap().unwrap();
    assert_eq!((undone.keys, undone.skipped), (vec![4], vec![]));
    assert_eq!(store.get(&4).unwrap().height_mm, 90);
    let undone = store.history_mut().undo().unwrap().unwrap();
    assert_eq!((undone.keys, undone.skipped), (vec![4], vec![]));
    assert_eq!(store.len(), 3);
    store.history_mut().redo().unwrap().unwrap();
    store.history_mut().redo().unwrap().unwrap();
    assert_eq!(store.get(&4).unwrap().height_mm, 120);
}

#[test]
fn it_is_one_with_the_row_that_the_source_told_of_before_it_answered() {
    let (mut store, list, feed, ticket) = waiting();
    let mut selection = Selection::new();
    selection.select(&store.list(list).unwrap(), &900);
    let draft = store.drafts_mut().begin(&900).unwrap();
    store
        .from_source(|store| store.add(piece(4, "Ewer"), Place::End))
        .unwrap();
    let follow = |store: &Store<Piece>, selection: &mut Selection<Piece>| {
        let changes = feed.read(store).unwrap().unwrap();
        selection.follow(&changes, &store.list(list).unwrap())
    };
    follow(&store, &mut selection);
    store
        .writes_mut()
        .confirm_as(ticket, piece(4, "Ewer"))
        .unwrap();
    let change = follow(&store, &mut selection);
    assert_eq!((change.left, change.removed), (None, vec![]));
    assert_eq!(selection.current(), Some(&4));
    assert_eq!(store.drafts().current(&draft).unwrap().id, 4);
    // The row is held from now on.
    store.edit(&4, |piece| piece.title = "Zinc".into()).unwrap();
    assert_eq!(shown(&store, list), [1, 2, 4, 3]);
}

#[test]
fn all_is_as_before_where_a_filter_panics() {
    let angry = Arc::new(AtomicBool::new(false));
    let is_angry = Arc::clone(&angry);
    let filter = move |piece: &Piece| !is_angry.load(Relaxed) || panic!("{}", piece.title);
    let mut store = Store::load([piece(1, "Bowl"), piece(2, "Cup")]).unwrap();
    let list = store.bind(Query::new().filter(filter).sort(Piece::TITLE));
    store.writes_mut().track();
    for id in [900, 901, 902] {
        store.add(piece(id, "Ewer"), Place::End).unwrap();
    }
    // Where a row waits that is at neither end, all that waits is made again, and this row is asked for.
    store.add(piece(903, "Jug"), Place::After(1)).unwrap();
    let tickets: Vec<Ticket> = store.writes().pending().map(|write| write.ticket).collect();
    let draft = store.drafts_mut().begin(&901).unwrap();
    store.hold(&901).unwrap();
    let asked = store.removals_mut().begin(&[1, 902]).unwrap();
    let before = shown(&store, list);

    angry.store(true, Relaxed);
    for (ticket, id) in [(tickets[1], 5), (tickets[2], 6)] {
        let answer = AssertUnwindSafe(|| {
            let answered = store.writes_mut().confirm_as(ticket, piece(id, "Ewer"));
            answered.unwrap();
        });
        catch_unwind(answer).unwrap_err();
    }
    angry.store(false, Relaxed);
    store.check().unwrap();
    assert_eq!(shown(&store, list), before);
    assert_eq!(store.drafts().current(&draft).unwrap().id, 901);
    let pending = store.removals().get(asked).unwrap();
    assert_eq!(pending.keys().copied().collect::<Vec<_>>(), [1, 902]);
    assert_eq!(store.writes().given_key(&901), None);
    // It is held still, and the removal is still one of that row.
    store
        .edit(&901, |piece| piece.title = "Vase".into())
        .unwrap();
    assert_eq!(shown(&store, list), before);
    store.removals_mut().confirm(asked).unwrap();
    assert_eq!(shown(&store, list), [2, 900, 901, 903]);

    for (ticket, id) in [(tickets[0], 4), (tickets[1], 5)] {
        let answered = store.writes_mut().confirm_as(ticket, piece(id, "Ewer"));
        answered.unwrap();
    }
    assert_eq!(shown(&store, list), [2, 4, 5, 903]);
    store.release(&5).unwrap();
    store.drafts_mut().discard(draft).unwrap();
    assert_eq!(shown(&store, list), [2, 4, 903, 5]);
}

#[test]
fn a_new_row_that_is_shown_when_confirmed_goes_until_then_and_is_current_again() {
    let mut store = Store::load([piece(1, "Bowl"), piece(2, "Cup")]).unwrap();
    let list = store.bind(Query::new().sort(Piece::TITLE));
    let feed = store.feed(list).unwrap();
    store.writes_mut().track();
    let mut draft = store
        .drafts_mut()
        .begin_new(piece(900, ""), Place::End)
        .unwrap();
    let mut selection = Selection::new();
    selection.select(&store.list(list).unwrap(), &900);
    let follow = |store: &Store<Piece>, selection: &mut Selection<Piece>| {
        if let Some(changes) = feed.read(store).unwrap() {
            selection.follow(&changes, &store.list(list).unwrap());
        }
        selection.current().copied()
    };
    assert_eq!(follow(&store, &mut selection), Some(900));
    draft.type_text("title", "Ewer").unwrap();
    let commit = |store: &mut Store<Piece>| store.drafts_mut().commit(draft);
    let asked = store
        .writes_mut()
        .submit(Show::WhenConfirmed, commit)
        .unwrap();
    assert_eq!(shown(&store, list), [1, 2]);
    assert_eq!(follow(&store, &mut selection), Some(1));
    let answered = store
        .writes_mut()
        .confirm_as(asked.tickets[0], piece(4, "Ewer"));
    answered.unwrap();
    assert_eq!(shown(&store, list), [1, 2, 4]);
    assert_eq!(follow(&store, &mut selection), Some(4));

    // The row of a draft of an item is held no more, either.
    let mut draft = store.drafts_mut().begin(&1).unwrap();
    store
        .edit(&1, |piece| piece.title = "Zinc bowl".into())
        .unwrap();
    assert_eq!(shown(&store, list), [1, 2, 4]);
    draft.type_text("height_mm", "10").unwrap();
    let commit = |store: &mut Store<Piece>| store.drafts_mut().commit(draft);
    let asked = store
        .writes_mut()
        .submit(Show::WhenConfirmed, commit)
        .unwrap();
    assert_eq!(shown(&store, list), [2, 4, 1]);
    assert_eq!(store.get(&1).unwrap().height_mm, 90);
    store.writes_mut().confirm(asked.tickets[0]).unwrap();
    assert_eq!(store.get(&1).unwrap().height_mm, 10);
}

#[test]
fn only_an_added_item_can_be_given_a_key() {
    use usual_tide::writes::TicketError;
    let (mut store, list, _feed, _) = waiting();
    store.edit(&1, |piece| piece.height_mm = 120).unwrap();
    store.remove(&2).unwrap();
    let tickets: Vec<Ticket> = store.writes().pending().map(|write| write.ticket).collect();
    for ticket in &tickets[1..] {
        let answered = store.writes_mut().confirm_as(*ticket, piece(4, "Bowl"));
        assert_eq!(answered, Err(TicketError::OtherKey(*ticket)));
    }
    assert_eq!(shown(&store, list), [1, 900, 3]);
    assert_eq!(store.writes().pending().count(), 3);
    assert_eq!(store.get(&1).unwrap().height_mm, 120);
}
