//! Edits that wait for the source's answer, against a plain model: what is shown is what the source has,
//! with the waiting writes on top, one after the other.

use crate::items::numbered::Piece;
use proptest::prelude::*;
use std::collections::HashMap;
use std::sync::Arc;
use usual_tide::writes::{
    Neighbours, Show, SubmitError, Ticket, TicketError, Write, WriteKind, WriteState,
};
use usual_tide::{EditError, Place, Query, Replica, Store};

fn piece(id: u32) -> Piece {
    Piece {
        id,
        ..Piece::default()
    }
}

type Tested = Store<Piece>;

#[derive(Clone, Debug)]
enum Op {
    Add(u8),
    AddLast,
    Title(u8, u8),
    Shelf(u8, u8),
    Remove(u8),
    Move(u8, u8),
    Batch(Vec<Op>),
    Later(Box<Op>),
    Undo,
    Redo,
    Source(Vec<Op>),
    Reload(u8, Vec<u8>),
    /// The source has an item that waits to be added, before it has answered.
    Echo(u8),
    Confirm(u8, How),
    Refuse(u8, bool),
    TryAgain(u8),
    Dismiss(u8),
}

#[derive(Clone, Copy, Debug)]
enum How {
    AsAsked,
    Noted,
    OtherKey,
}

fn edit() -> impl Strategy<Value = Op> {
    prop_oneof![
        any::<u8>().prop_map(Op::Add),
        (any::<u8>(), 0..3u8).prop_map(|(at, value)| Op::Title(at, value)),
        (any::<u8>(), 0..3u8).prop_map(|(at, value)| Op::Shelf(at, value)),
        any::<u8>().prop_map(Op::Remove),
        any::<(u8, u8)>().prop_map(|(from, to)| Op::Move(from, to)),
    ]
}

fn op() -> impl Strategy<Value = Op> {
    let how = prop_oneof![Just(How::AsAsked), Just(How::Noted), Just(How::OtherKey)];
    let edits = || prop::collection::vec(edit(), 1..5);
    prop_oneof![
        6 => edit(),
        2 => edits().prop_map(Op::Batch),
        1 => edit().prop_map(|op| Op::Later(Box::new(op))),
        1 => Just(Op::Undo),
        1 => Just(Op::Redo),
        2 => edits().prop_map(Op::Source),
        1 => (any::<u8>(), any::<Vec<u8>>()).prop_map(|(drop, order)| Op::Reload(drop, order)),
        4 => (any::<u8>(), how).prop_map(|(which, how)| Op::Confirm(which, how)),
        3 => any::<(u8, bool)>().prop_map(|(which, told)| Op::Refuse(which, told)),
        1 => any::<u8>().prop_map(Op::Echo),
        1 => any::<u8>().prop_map(Op::TryAgain),
        1 => any::<u8>().prop_map(Op::Dismiss),
    ]
}

/// Items are added at either end, and edited in their places.
fn op_at_the_ends() -> impl Strategy<Value = Op> {
    let edit = || {
        prop_oneof![
            2 => Just(Op::Add(0)),
            3 => Just(Op::AddLast),
            2 => (any::<u8>(), 0..3u8).prop_map(|(at, value)| Op::Title(at, value)),
            1 => (any::<u8>(), 0..3u8).prop_map(|(at, value)| Op::Shelf(at, value)),
        ]
    };
    let how = prop_oneof![Just(How::AsAsked), Just(How::Noted), Just(How::OtherKey)];
    prop_oneof![
        30 => edit(),
        2 => prop::collection::vec(edit(), 1..4).prop_map(Op::Batch),
        2 => prop::collection::vec(edit(), 1..4).prop_map(Op::Source),
        2 => edit().prop_map(|op| Op::Later(Box::new(op))),
        1 => any::<u8>().prop_map(Op::Echo),
        1 => any::<u8>().prop_map(Op::Remove),
        12 => (any::<u8>(), how).prop_map(|(which, how)| Op::Confirm(which, how)),
        8 => any::<(u8, bool)>().prop_map(|(which, told)| Op::Refuse(which, told)),
        2 => any::<u8>().prop_map(Op::TryAgain),
    ]
}

/// Makes an edit where there is something to edit.
fn run(store: &mut Tested, op: &Op, new_id: &mut u32) -> Result<(), EditError<u32>> {
    let len = store.len();
    let key = |at: u8| store.at(usize::from(at) % len.max(1)).map(|item| item.id);
    match op {
        Op::Add(at) => {
            *new_id += 1;
            store.add(piece(*new_id), Place::Row(usize::from(*at) % (len + 1)))?;
        }
        Op::AddLast => {
            *new_id += 1;
            store.add(piece(*new_id), Place::End)?;
        }
        Op::Title(at, value) => {
            if let Some(key) = key(*at) {
                store.edit(&key, |piece| piece.title = *value)?;
            }
        }
        Op::Shelf(at, value) => {
            if let Some(key) = key(*at) {
                store.edit(&key, |piece| piece.shelf = *value)?;
            }
        }
        Op::Remove(at) => {
            if let Some(key) = key(*at) {
                store.remove(&key)?;
            }
        }
        Op::Move(from, to) => {
            if let Some(key) = key(*from) {
                store.move_to(&key, Place::Row(usize::from(*to) % len))?;
            }
        }
        _ => {}
    }
    Ok(())
}

/// What a write makes of plain rows.
fn carry(rows: &mut Vec<Piece>, write: &Write<Piece>) {
    let at = rows.iter().position(|row| row.id == write.key);
    match (write.kind(), at) {
        (WriteKind::Add, None) => {
            let item = Piece::clone(write.after.as_ref().unwrap());
            let to = write.place.as_ref().and_then(|place| landing(rows, place));
            rows.insert(to.unwrap_or(rows.len()), item);
        }
        (WriteKind::Remove, Some(at)) => drop(rows.remove(at)),
        (WriteKind::Edit, Some(at)) => {
            let (before, after) = (
                write.before.as_ref().unwrap(),
                write.after.as_ref().unwrap(),
            );
            let row = &mut rows[at];
            let mut set = |field: fn(&mut Piece) -> &mut u8| {
                let (mut one, mut two) = (Piece::clone(before), Piece::clone(after));
                if field(&mut one) != field(&mut two) {
                    *field(row) = *field(&mut two);
                }
            };
            set(|piece| &mut piece.title);
            set(|piece| &mut piece.shelf);
            if before.saved != after.saved {
                row.saved = after.saved;
            }
            if let Some(place) = &write.place {
                let row = rows.remove(at);
                let to = landing(rows, place).unwrap_or(at);
                rows.insert(to, row);
            }
        }
        _ => {}
    }
}

fn landing(rows: &[Piece], place: &Neighbours<u32>) -> Option<usize> {
    let find = |key: u32| rows.iter().position(|row| row.id == key);
    match (place.after, place.before) {
        (_, None) => Some(rows.len()),
        (None, _) => Some(0),
        (Some(after), Some(before)) => find(after).map(|at| at + 1).or_else(|| find(before)),
    }
}

/// The store, and what the source has.
struct World {
    store: Tested,
    base: Vec<Piece>,
    new_id: u32,
    saves: u32,
}

impl World {
    fn new() -> Self {
        let base: Vec<Piece> = (0..6).map(piece).collect();
        let mut store = Store::load(base.clone()).unwrap();
        store.writes_mut().track();
        Self {
            store,
            base,
            new_id: 100,
            saves: 0,
        }
    }

    fn nth_waiting(&self, which: u8) -> Option<Arc<Write<Piece>>> {
        let waiting: Vec<_> = self.store.writes().pending().cloned().collect();
        waiting
            .get(usize::from(which) % waiting.len().max(1))
            .cloned()
    }

    fn nth_refused(&self, which: u8) -> Option<Ticket> {
        let refused: Vec<_> = self.store.writes().refused().collect();
        let refused = refused.get(usize::from(which) % refused.len().max(1))?;
        Some(refused.write.ticket)
    }

    fn shown(&self) -> Vec<Piece> {
        self.store.items().map(|item| Piece::clone(item)).collect()
    }

    fn step(&mut self, op: &Op) {
        let (store, new_id) = (&mut self.store, &mut self.new_id);
        match op {
            Op::Batch(ops) => store
                .batch(|store| ops.iter().try_for_each(|op| run(store, op, new_id)))
                .unwrap(),
            Op::Later(op) => {
                let before: Vec<_> = store.items().cloned().collect();
                store
                    .writes_mut()
                    .submit(Show::WhenConfirmed, |store| run(store, op, new_id))
                    .unwrap();
                assert!(store.items().eq(&before));
            }
            Op::Undo => drop(store.history_mut().undo().unwrap()),
            Op::Redo => drop(store.history_mut().redo().unwrap()),
            Op::Source(ops) => {
                let base = &mut self.base;
                store
                    .from_source(|store| {
                        // It sees what the source has.
                        assert!(store.items().map(|item| &**item).eq(&*base));
                        ops.iter().try_for_each(|op| run(store, op, new_id))?;
                        *base = store.items().map(|item| Piece::clone(item)).collect();
                        Ok::<(), EditError<u32>>(())
                    })
                    .unwrap();
            }
            Op::Reload(drop, order) => {
                if !self.base.is_empty() {
                    self.base.remove(usize::from(*drop) % self.base.len());
                }
                for (at, to) in order.iter().enumerate().take(self.base.len()) {
                    let to = usize::from(*to) % self.base.len();
                    self.base.swap(at, to);
                }
                store.reload(self.base.clone()).unwrap();
            }
            Op::Echo(which) => {
                let Some(write) = self.nth_waiting(*which) else {
                    return;
                };
                let is_new = !self.base.iter().any(|row| row.id == write.key);
                if let (WriteKind::Add, true) = (write.kind(), is_new) {
                    let item = piece(write.key);
                    self.base.push(item.clone());
                    let add = |store: &mut Tested| store.add(item, Place::End);
                    self.store.from_source(add).unwrap();
                }
            }
            Op::Confirm(which, how) => self.confirm(*which, *how),
            Op::Refuse(which, told) => self.refuse(*which, *told),
            Op::TryAgain(which) => {
                if let Some(ticket) = self.nth_refused(*which) {
                    let again = self.store.writes_mut().retry(ticket).unwrap();
                    assert_eq!(self.store.writes().pending().last().unwrap().ticket, again);
                }
            }
            Op::Dismiss(which) => {
                if let Some(ticket) = self.nth_refused(*which) {
                    self.store.writes_mut().dismiss(ticket).unwrap();
                    assert_eq!(
                        self.store.writes_mut().dismiss(ticket).unwrap_err(),
                        TicketError::Unknown(ticket)
                    );
                }
            }
            edit => run(store, edit, new_id).unwrap(),
        }
    }

    fn confirm(&mut self, which: u8, how: How) {
        let Some(write) = self.nth_waiting(which) else {
            return;
        };
        let is_new = !self.base.iter().any(|row| row.id == write.key);
        carry(&mut self.base, &write);
        let at = self.base.iter().position(|row| row.id == write.key);
        match (how, at, write.kind()) {
            (How::AsAsked, ..) | (_, None, _) | (_, _, WriteKind::Remove) => {
                self.store.writes_mut().confirm(write.ticket).unwrap();
            }
            (How::OtherKey, Some(at), WriteKind::Add) if is_new => {
                self.new_id += 1;
                self.base[at].id = self.new_id;
                let item = self.base[at].clone();
                self.store
                    .writes_mut()
                    .confirm_as(write.ticket, item)
                    .unwrap();
            }
            (_, Some(at), _) => {
                self.saves += 1;
                self.base[at].saved = self.saves;
                let item = self.base[at].clone();
                self.store
                    .writes_mut()
                    .confirm_as(write.ticket, item)
                    .unwrap();
            }
        }
        let again = self.store.writes_mut().confirm(write.ticket);
        assert_eq!(again, Err(TicketError::Unknown(write.ticket)));
    }

    fn refuse(&mut self, which: u8, told: bool) {
        let Some(write) = self.nth_waiting(which) else {
            return;
        };
        let refused = if told {
            let current = self.base.iter_mut().find(|row| row.id == write.key);
            let current = current.map(|row| {
                self.saves += 1;
                row.saved = self.saves;
                row.clone()
            });
            let ticket = write.ticket;
            self.store
                .writes_mut()
                .refuse_with(ticket, "not so", current)
                .unwrap()
        } else {
            self.store
                .writes_mut()
                .refuse(write.ticket, "not so")
                .unwrap()
        };
        assert!(refused.contains(&write.ticket));
        for ticket in &refused {
            let refused = self
                .store
                .writes()
                .refused()
                .find(|refused| refused.write.ticket == *ticket);
            let refused = refused.unwrap();
            assert_eq!(refused.write.key, write.key);
            assert!(refused.reason.ends_with("not so"));
        }
        let alone = write.kind() != WriteKind::Add;
        assert!(!alone || refused.len() == 1);
    }

    fn expected(&self) -> Vec<Piece> {
        let mut rows = self.base.clone();
        for write in self
            .store
            .writes()
            .pending()
            .filter(|write| write.show == Show::AtOnce)
        {
            carry(&mut rows, write);
        }
        rows
    }

    fn expected_mark(&self, key: u32) -> WriteState {
        if self
            .store
            .writes()
            .refused()
            .any(|refused| refused.write.key == key)
        {
            WriteState::Failed
        } else if self.store.writes().pending().any(|write| write.key == key) {
            WriteState::Pending
        } else {
            WriteState::Saved
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(crate::cases(200)))]

    #[test]
    fn what_is_shown_is_the_base_and_the_waiting_writes(
        ops in prop::collection::vec(op(), 1..30)
    ) {
        shows_the_base_and_the_waiting_writes(&ops)?;
    }

    #[test]
    fn so_it_is_where_items_are_added_at_either_end(
        ops in prop::collection::vec(op_at_the_ends(), 1..40)
    ) {
        shows_the_base_and_the_waiting_writes(&ops)?;
    }
}

fn shows_the_base_and_the_waiting_writes(ops: &[Op]) -> Result<(), TestCaseError> {
    let mut world = World::new();
    let lists = [
        world.store.bind(Query::new()),
        world
            .store
            .bind(Query::new().sort(Piece::TITLE.descending())),
        world
            .store
            .bind(Query::new().filter(|piece: &Piece| piece.shelf != 1)),
    ];
    let feeds = lists.map(|list| world.store.feed(list).unwrap());
    let marks = world.store.writes_mut().state_feed(lists[0]).unwrap();
    let mut drawn = HashMap::<u32, WriteState>::new();
    let mut views = lists.map(|list| -> Replica<Piece> {
        world.store.list(list).unwrap().items().cloned().collect()
    });
    for op in ops {
        world.step(op);
        prop_assert_eq!(world.shown(), world.expected(), "after {:?}", op);
        prop_assert_eq!(world.store.check(), Ok(()));
        let saved: Vec<Piece> = world
            .store
            .writes_mut()
            .saved_items()
            .iter()
            .map(|item| Piece::clone(item))
            .collect();
        prop_assert_eq!(&saved, &world.base);
        for ((list, feed), view) in lists.iter().zip(&feeds).zip(&mut views) {
            if let Some(changes) = feed.read(&world.store).unwrap() {
                view.apply(&changes).unwrap();
            }
            let rows = world.store.list(*list).unwrap();
            prop_assert!(view.items().eq(rows.items()), "after {op:?}");
        }
        // What was drawn is drawn again as the feed says; a new row asks.
        for marked in marks.read(&world.store).unwrap() {
            prop_assert_eq!(world.store.at(marked.at).unwrap().id, marked.key);
            drawn.insert(marked.key, marked.state);
        }
        let rows = world.shown().into_iter().map(|row| row.id);
        let draw = |id| {
            (
                id,
                drawn
                    .get(&id)
                    .copied()
                    .unwrap_or(world.store.writes().state(&id)),
            )
        };
        drawn = rows.map(draw).collect();
        for (id, mark) in &drawn {
            prop_assert_eq!(*mark, world.expected_mark(*id));
        }
    }
    // Once everything is answered, the list is the source's.
    while let Some(write) = world.nth_waiting(0) {
        world
            .store
            .writes_mut()
            .refuse(write.ticket, "closed")
            .unwrap();
    }
    prop_assert_eq!(world.shown(), world.base);
    Ok(())
}

#[test]
fn an_edit_shows_its_effect_at_once_and_asks_for_just_that() {
    let mut world = World::new();
    let store = &mut world.store;
    store
        .batch(|store| {
            store.add(piece(7), Place::Row(2))?;
            store.add(piece(8), Place::Row(3))?;
            store.edit(&7, |piece| piece.title = 1)?;
            store.move_to(&0, Place::End)?;
            store.edit(&3, |piece| piece.shelf = 2)?;
            store.edit(&4, |piece| piece.shelf = 2)?;
            store.edit(&4, |piece| piece.shelf = 0)?;
            store.add(piece(9), Place::End)?;
            store.remove(&9)?;
            store.remove(&1).map(drop)
        })
        .unwrap();
    let asked: Vec<_> = store
        .writes()
        .pending()
        .map(|write| (write.kind(), write.key, write.place.clone()))
        .collect();
    let between = |after, before| Some(Neighbours { after, before });
    assert_eq!(
        asked,
        [
            (WriteKind::Edit, 3, None),
            (WriteKind::Remove, 1, None),
            (WriteKind::Add, 7, between(None, Some(8))),
            (WriteKind::Add, 8, between(Some(7), Some(2))),
            (WriteKind::Edit, 0, between(Some(5), None)),
        ]
    );
    let ids: Vec<u32> = store.items().map(|piece| piece.id).collect();
    assert_eq!(ids, [7, 8, 2, 3, 4, 5, 0]);
}

#[test]
fn undo_asks_the_source_too_and_goes_past_what_it_has_noted() {
    let mut store = World::new().store;
    store.edit(&1, |piece| piece.title = 2).unwrap();
    let write = Arc::clone(store.writes().pending().next().unwrap());
    let noted = Piece {
        saved: 77,
        ..Piece::clone(write.after.as_ref().unwrap())
    };
    store.writes_mut().confirm_as(write.ticket, noted).unwrap();
    assert!(
        store
            .history_mut()
            .undo()
            .unwrap()
            .unwrap()
            .skipped
            .is_empty()
    );
    let now = store.get(&1).unwrap();
    assert_eq!((now.title, now.saved), (0, 77));
    assert_eq!(store.writes().state(&1), WriteState::Pending);

    store.add(piece(20), Place::Start).unwrap();
    let add = store.writes().pending().last().unwrap().ticket;
    store
        .writes_mut()
        .confirm_as(
            add,
            Piece {
                id: 21,
                saved: 78,
                ..piece(0)
            },
        )
        .unwrap();
    assert!(
        store
            .history_mut()
            .undo()
            .unwrap()
            .unwrap()
            .skipped
            .is_empty()
    );
    assert!(!store.contains(&21));
    assert_eq!(
        store.writes().pending().last().unwrap().kind(),
        WriteKind::Remove
    );
}

#[test]
fn a_refused_addition_takes_the_edits_of_its_item_along() {
    let mut store = World::new().store;
    store.add(piece(50), Place::End).unwrap();
    store.edit(&50, |piece| piece.title = 1).unwrap();
    store.edit(&2, |piece| piece.title = 1).unwrap();
    let tickets: Vec<Ticket> = store.writes().pending().map(|write| write.ticket).collect();
    let refused = store.writes_mut().refuse(tickets[0], "no room").unwrap();
    assert_eq!(refused, tickets[..2]);
    assert_eq!(
        store.writes().refused().nth(1).unwrap().reason,
        "the item was not added: no room"
    );
    assert_eq!(store.writes().pending().count(), 1);

    // Another try brings both back, in turn.
    store.writes_mut().retry(tickets[0]).unwrap();
    store.writes_mut().retry(tickets[1]).unwrap();
    assert_eq!(store.get(&50).unwrap().title, 1);
    assert!(store.writes().refused().next().is_none());
}

#[test]
fn the_source_may_bring_an_added_item_before_it_answers() {
    let mut store = World::new().store;
    store.add(piece(50), Place::Start).unwrap();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let draft = store.drafts_mut().begin(&50).unwrap();
    let brought = Piece {
        saved: 5,
        ..piece(50)
    };
    store
        .from_source(|store| store.add(brought, Place::Start))
        .unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert!(changes.inserted().is_empty() && changes.removed().is_empty());
    assert_eq!(changes.updated().len(), 1);
    assert!(store.drafts().is_open(&draft));
    let add = store.writes().pending().next().unwrap().ticket;
    store.writes_mut().confirm(add).unwrap();
    assert_eq!(store.get(&50).unwrap().saved, 5);
}

#[test]
fn tickets_are_given_and_answered_outside_of_batches_and_where_they_are_expected() {
    let mut plain = Store::load([piece(1)]).unwrap();
    let nothing = |_: &mut Tested| Ok::<(), EditError<u32>>(());
    let refused = plain.writes_mut().submit(Show::AtOnce, nothing);
    assert_eq!(
        refused.unwrap_err(),
        SubmitError::Ticket(TicketError::NotTracked)
    );
    plain.edit(&1, |piece| piece.title = 1).unwrap();
    assert_eq!(plain.writes().pending().count(), 0);
    assert_eq!(plain.writes().state(&1), WriteState::Saved);

    let mut store = World::new().store;
    store.edit(&1, |piece| piece.title = 1).unwrap();
    let ticket = store.writes().pending().next().unwrap().ticket;
    store
        .batch(|store| {
            assert_eq!(
                store.writes_mut().confirm(ticket),
                Err(TicketError::InBatch)
            );
            assert_eq!(
                store.writes_mut().refuse(ticket, ""),
                Err(TicketError::InBatch)
            );
            Ok::<(), EditError<u32>>(())
        })
        .unwrap();
    let failed = store
        .writes_mut()
        .submit(Show::WhenConfirmed, |store| store.remove(&99));
    assert_eq!(
        failed.unwrap_err(),
        SubmitError::Edit(EditError::UnknownKey(99))
    );
    let failed = store.batch(|store| {
        store.edit(&2, |piece| piece.title = 1)?;
        store.remove(&99)
    });
    assert!(failed.is_err());
    assert_eq!(
        store.writes().pending().count(),
        1,
        "what failed asks for nothing"
    );
}

#[test]
fn a_panic_underneath_leaves_everything_as_it_was() {
    let mut store = World::new().store;
    let list = store.bind(Query::new().filter(|piece: &Piece| {
        assert!(piece.saved != 13, "a filter that panics");
        true
    }));
    store.edit(&1, |piece| piece.title = 2).unwrap();
    store.move_to(&1, Place::End).unwrap();
    store.add(piece(30), Place::Start).unwrap();
    let before: Vec<_> = store.items().cloned().collect();
    let bad = Piece {
        saved: 13,
        ..piece(3)
    };
    let outcome = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
        store.from_source(|store| store.replace(bad))
    }));
    assert!(outcome.is_err());
    assert!(store.items().eq(&before));
    assert_eq!(store.check(), Ok(()));
    assert_eq!(store.list(list).unwrap().len(), 7);
    for ticket in store
        .writes()
        .pending()
        .map(|write| write.ticket)
        .collect::<Vec<_>>()
    {
        store.writes_mut().refuse(ticket, "closed").unwrap();
    }
    assert!(store.items().map(|item| item.id).eq(0..6));
}

#[test]
fn a_ticket_that_is_named_twice_counts_once() {
    let mut store = World::new().store;
    for id in [7, 8, 9] {
        store.add(piece(id), Place::End).unwrap();
    }
    let asked: Vec<Ticket> = store.writes().pending().map(|write| write.ticket).collect();
    let add = |store: &mut Tested| store.add(piece(7), Place::End);
    let twice = [asked[0], asked[0]];
    store.writes_mut().confirm_by(&twice, add).unwrap().unwrap();
    assert_eq!(store.writes().state(&7), WriteState::Saved);
    // The source has the last one before the one that waits.
    store.writes_mut().confirm(asked[2]).unwrap();
    let ids: Vec<u32> = store.items().map(|piece| piece.id).collect();
    assert_eq!(ids[6..], [7, 9, 8]);
    assert_eq!(store.check(), Ok(()));
}

#[test]
fn a_store_that_nobody_asked_to_track_expects_no_answers() {
    let mut store = Store::load((0..2).map(piece)).unwrap();
    store.edit(&0, |piece| piece.title = 1).unwrap();
    assert!(!store.writes().is_tracking());
    assert_eq!(store.writes().state(&0), WriteState::Saved);
    assert_eq!(store.writes().pending().count(), 0);
    store.writes_mut().track();
    store.edit(&0, |piece| piece.title = 2).unwrap();
    assert!(store.writes().is_tracking());
    assert_eq!(store.writes().state(&0), WriteState::Pending);
}
