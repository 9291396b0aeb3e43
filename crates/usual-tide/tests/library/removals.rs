//! Removals that wait to be confirmed.

use crate::items::lettered::{Piece, piece};
use std::time::Duration;
use usual_tide::removals::RemovalError;
use usual_tide::{EditError, Place, Query, Store};

fn pieces(ids: &str) -> Vec<Piece> {
    ids.chars().map(piece).collect()
}

fn shown(store: &Store<Piece>, list: usual_tide::ListId) -> String {
    store
        .list(list)
        .unwrap()
        .items()
        .map(|piece| piece.id)
        .collect()
}

#[test]
fn cancelled_rows_come_back_exactly_where_they_belong_whatever_happened_meanwhile() {
    let mut store = Store::load(pieces("abcdefgh")).unwrap();
    let all = store.bind(Query::new());
    let waiting = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    let feed = store.feed(all).unwrap();
    let asked = store.removals_mut().begin(&['b', 'd', 'f', 'b']).unwrap();
    assert_eq!(shown(&store, all), "acegh");
    assert_eq!(feed.read(&store).unwrap().unwrap().removed().len(), 3);
    let keys: Vec<char> = store
        .removals()
        .get(asked)
        .unwrap()
        .keys()
        .copied()
        .collect();
    assert_eq!(keys, ['b', 'd', 'f']);

    // Neighbours move, one of the rows is moved and one edited, and the source reloads without another.
    store.move_to(&'a', Place::End).unwrap();
    store
        .from_source(|store| store.move_to(&'b', Place::After('g')))
        .unwrap();
    store
        .from_source(|store| store.edit(&'d', |piece| piece.fired = true))
        .unwrap();
    let news = store.items().filter(|piece| !"fh".contains(piece.id));
    let mut news: Vec<Piece> = news.map(|piece| Piece::clone(piece)).collect();
    news.push(piece('z'));
    store.reload(news).unwrap();
    assert_eq!(shown(&store, all), "cegaz");
    let late = store.bind(Query::new());
    assert_eq!(
        shown(&store, late),
        "cegaz",
        "a list bound meanwhile does not show them either"
    );

    let settled = store.removals_mut().cancel(asked).unwrap();
    assert_eq!(settled.gone, ['f']);
    assert_eq!(
        settled
            .items
            .iter()
            .map(|piece| piece.id)
            .collect::<String>(),
        "db"
    );
    for list in [all, late] {
        assert_eq!(shown(&store, list), "cdegbaz");
    }
    assert_eq!(shown(&store, waiting), "cegbaz");
    assert_eq!(
        store.removals_mut().cancel(asked),
        Err(RemovalError::NotPending(asked))
    );
    store.check().unwrap();
}

#[test]
fn what_was_undone_can_be_made_again_while_a_removal_waits() {
    let mut store = Store::load(pieces("abcd")).unwrap();
    store.remove(&'b').unwrap();
    store.history_mut().undo().unwrap();
    let asked = store.removals_mut().begin(&['a']).unwrap();
    store.removals_mut().cancel(asked).unwrap();
    store.removals_mut().begin(&['c']).unwrap();
    let steps = (store.history().undo_len(), store.history().redo_len());
    assert_eq!(steps, (0, 1));
    let told = format!("{:?}", store.history_mut());
    assert!(told.contains("undo_len: 0, redo_len: 1"), "{told}");
    assert_eq!(store.history_mut().redo().unwrap().unwrap().keys, ['b']);
    assert_eq!(store.len(), 3);
}

#[test]
fn a_confirmed_removal_is_one_step_and_a_proposal_is_none() {
    let mut store = Store::load(pieces("abcd")).unwrap();
    let list = store.bind(Query::new());
    let asked = store.removals_mut().begin(&['a', 'c']).unwrap();
    assert_eq!(store.history().undo_len(), 0);
    let feed = store.feed(list).unwrap();
    store
        .batch_named("Delete 2", |store| store.removals_mut().confirm(asked))
        .unwrap();
    assert_eq!(
        feed.read(&store).unwrap(),
        None,
        "the rows were gone from the list before"
    );
    assert_eq!(
        (store.history().undo_name(), store.len()),
        (Some("Delete 2"), 2)
    );
    store.history_mut().undo().unwrap();
    assert_eq!(shown(&store, list), "abcd");
    assert!(store.removals().iter().next().is_none());
}

#[test]
fn a_deadline_is_the_apps_to_call() {
    let mut store = Store::load(pieces("abcd")).unwrap();
    let list = store.bind(Query::new());
    let soon = store
        .removals_mut()
        .begin_until(&['a'], Duration::from_secs(5))
        .unwrap();
    let late = store
        .removals_mut()
        .begin_until(&['b'], Duration::from_secs(9))
        .unwrap();
    let open = store.removals_mut().begin(&['c']).unwrap();
    assert!(
        store
            .removals_mut()
            .confirm_due(Duration::from_secs(4))
            .unwrap()
            .is_empty()
    );
    let settled = store
        .removals_mut()
        .confirm_due(Duration::from_secs(5))
        .unwrap();
    assert_eq!((settled.len(), settled[0].removal), (1, soon));
    assert!(!store.contains(&'a'));
    let left: Vec<_> = store
        .removals()
        .iter()
        .map(|(id, proposal)| (id, proposal.due()))
        .collect();
    assert_eq!(left, [(late, Some(Duration::from_secs(9))), (open, None)]);
    store.removals_mut().cancel(late).unwrap();
    assert_eq!(shown(&store, list), "bd");
}

#[test]
fn what_cannot_be_proposed_or_settled_is_a_typed_error() {
    let mut store = Store::load(pieces("abc")).unwrap();
    let mut other = Store::load(pieces("abc")).unwrap();
    let asked = store.removals_mut().begin(&['a']).unwrap();
    assert_eq!(
        store.removals_mut().begin(&['b', 'a']),
        Err(RemovalError::AlreadyPending('a'))
    );
    let unknown = RemovalError::Edit(EditError::UnknownKey('x'));
    assert_eq!(store.removals_mut().begin(&['x']), Err(unknown));
    assert_eq!(
        other.removals_mut().confirm(asked),
        Err(RemovalError::NotPending(asked))
    );
    // The key is taken until the removal is confirmed.
    let again = Piece {
        id: 'a',
        fired: true,
    };
    assert!(
        store
            .add(again.clone(), Place::Start)
            .unwrap_err()
            .is_duplicate()
    );
    // The source may remove it and bring another with the same key: that one is not proposed.
    store.from_source(|store| store.remove(&'a')).unwrap();
    store.add(again, Place::Start).unwrap();
    let settled = store.removals_mut().confirm(asked).unwrap();
    assert_eq!((settled.items.len(), settled.gone), (0, vec!['a']));
    assert!(store.contains(&'a'));
}
