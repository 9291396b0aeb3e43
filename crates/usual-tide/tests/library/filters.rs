//! Filters by condition: what is asked again after an edit, and what conditions are made of.

use crate::items::usual::Piece;
use proptest::prelude::*;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use usual_tide::fields::Value;
use usual_tide::query::FilterText;
use usual_tide::{Condition, Fields, Group, ListId, Place, Query, Sort, Store};

fn piece(id: u32) -> Piece {
    Piece {
        id,
        title: format!("Piece {id}"),
        glaze: (!id.is_multiple_of(3)).then(|| ["clear", "shino"][id as usize % 2].to_owned()),
        height_mm: id * 10,
        fired: id.is_multiple_of(2),
        ..Piece::default()
    }
}

/// A condition that the height is 100 at least, and how often it was asked.
fn counted() -> (Condition<Piece>, Arc<AtomicUsize>) {
    let asked = Arc::new(AtomicUsize::new(0));
    let counter = Arc::clone(&asked);
    let test = move |piece: &Piece| {
        counter.fetch_add(1, Ordering::Relaxed);
        piece.height_mm >= 100
    };
    (
        Condition::from_fn_on([Piece::HEIGHT_MM.into()], test),
        asked,
    )
}

#[test]
fn an_edit_asks_the_filter_only_when_it_is_in_a_field_that_the_filter_reads() {
    let (tall, asked) = counted();
    let mut store = Store::load((0..20).map(piece)).unwrap();
    let list = store.bind(Query::new().filter(tall.and(Piece::FIRED.is(false))));
    let asked_since = || asked.swap(0, Ordering::Relaxed);
    assert_eq!(asked_since(), 20);
    let len = |store: &Store<Piece>| store.list(list).unwrap().len();
    assert_eq!(len(&store), 5);

    store.edit(&11, |piece| piece.title.push('!')).unwrap();
    store.edit(&3, |piece| piece.glaze = None).unwrap();
    store.move_to(&11, Place::Start).unwrap();
    let titles = store.edit_many(&[11, 12, 13, 14], |piece| piece.title.push('?'));
    assert_eq!((titles, asked_since(), len(&store)), (Ok(4), 0, 5));

    store.edit(&11, |piece| piece.height_mm = 20).unwrap();
    assert_eq!((asked_since(), len(&store)), (1, 4));
    store.history_mut().undo().unwrap();
    assert_eq!((asked_since(), len(&store)), (1, 5));
    // A row that was not to be seen at all is asked for, whatever its edits were.
    let asked_removal = store.removals_mut().begin(&[11]).unwrap();
    store.edit(&11, |piece| piece.title.clear()).unwrap();
    assert_eq!((asked_since(), len(&store)), (0, 4));
    store
        .batch(|store| {
            store.edit(&11, |piece| piece.title.push('x')).unwrap();
            store.removals_mut().cancel(asked_removal)
        })
        .unwrap();
    assert_eq!((asked_since(), len(&store)), (1, 5));
    store.check().unwrap();
}

#[test]
fn a_closure_whose_fields_nobody_knows_is_asked_every_time() {
    let (_, asked) = counted();
    let counter = Arc::clone(&asked);
    let test = move |piece: &Piece| {
        counter.fetch_add(1, Ordering::Relaxed);
        piece.title.len() > 7
    };
    let mut store = Store::load((0..20).map(piece)).unwrap();
    let list = store.bind(Query::new().filter(Condition::from_fn(test).and(Piece::FIRED.is(true))));
    asked.store(0, Ordering::Relaxed);
    store.edit(&11, |piece| piece.glaze = None).unwrap();
    assert_eq!(asked.load(Ordering::Relaxed), 1);
    assert_eq!(store.list(list).unwrap().len(), 5);
}

#[test]
fn rows_that_come_back_are_not_sorted_again() {
    rows_come_back(Query::new());
}

#[test]
fn rows_that_come_back_to_their_sections_are_not_sorted_again() {
    rows_come_back(Query::new().group(Group::by(Piece::GLAZE)));
}

/// Counts the comparisons of a list, sorted within its sections if it has any, while rows are hidden, edited, and shown again.
fn rows_come_back(query: Query<Piece>) {
    let compared = Arc::new(AtomicUsize::new(0));
    let counter = Arc::clone(&compared);
    let by_last_digits = Sort::from_fn(move |one: &Piece, two: &Piece| {
        counter.fetch_add(1, Ordering::Relaxed);
        (one.height_mm % 970).cmp(&(two.height_mm % 970))
    });
    let mut store = Store::load((0..1_000).map(piece)).unwrap();
    let list = store.bind(query.sort(by_last_digits));
    let memory = |store: &Store<Piece>| store.list(list).unwrap().bytes().rows;
    let waiting = |store: &mut Store<Piece>| {
        let mut list = store.list_mut(list).unwrap();
        list.change_query(|query| query.filter(Piece::FIRED.is(false)));
    };
    // How often it is compared until all rows are shown again, in their order.
    let all_again = |store: &mut Store<Piece>, list: ListId| {
        compared.store(0, Ordering::Relaxed);
        let mut list_mut = store.list_mut(list).unwrap();
        list_mut.change_query(Query::unfiltered);
        let compared = compared.load(Ordering::Relaxed);
        assert_eq!(store.list(list).unwrap().len(), store.len());
        store.check().unwrap();
        compared
    };
    let whole = memory(&store);

    waiting(&mut store);
    assert!(
        memory(&store) > whole,
        "the order of the hidden rows is kept"
    );
    assert_eq!(all_again(&mut store, list), 0);
    assert_eq!(memory(&store), whole);

    // Nor are rows compared that were neighbours.
    let least = least_of_most(&store);
    let mut hiding = store.list_mut(list).unwrap();
    hiding.change_query(|query| query.filter(move |piece: &Piece| piece.height_mm % 970 >= least));
    assert!((850..950).contains(&store.list(list).unwrap().len()));
    assert_eq!(all_again(&mut store, list), 0);
    assert_eq!(memory(&store), whole);

    // Only what was edited meanwhile is compared with others.
    waiting(&mut store);
    store.edit(&500, |piece| piece.height_mm += 333).unwrap();
    store.edit(&501, |piece| piece.height_mm += 333).unwrap();
    store.move_to(&16, Place::End).unwrap();
    store.remove(&18).unwrap();
    store.add(piece(2_000), Place::Start).unwrap();
    let few = all_again(&mut store, list);
    assert!((1..100).contains(&few), "{few} comparisons");

    // When more than one of three was edited, here of rows that are hidden, the memory is given back.
    waiting(&mut store);
    let kept = memory(&store);
    let edit = |store: &mut Store<Piece>, id| {
        store.edit(&id, |piece| piece.title.push('!')).unwrap();
    };
    (100..430).for_each(|at| edit(&mut store, at * 2));
    assert_eq!(memory(&store), kept);
    (430..440).for_each(|at| edit(&mut store, at * 2));
    assert!(memory(&store) < whole);
    let most = all_again(&mut store, list);
    assert!(most > 1_000, "{most} comparisons");
}

/// What the last digits of all heights but a tenth are at least.
fn least_of_most(store: &Store<Piece>) -> u32 {
    let mut digits: Vec<u32> = store.items().map(|piece| piece.height_mm % 970).collect();
    digits.sort_unstable();
    digits[digits.len() / 10]
}

#[test]
fn conditions_join_as_logic_has_it_with_missing_values_unknown() {
    let shown = |condition: Condition<Piece>| -> Vec<u32> {
        let mut store = Store::load((0..12).map(piece)).unwrap();
        let list = store.bind(Query::new().filter(condition));
        store
            .list(list)
            .unwrap()
            .items()
            .map(|piece| piece.id)
            .collect()
    };
    let glaze = |name: &str| Piece::GLAZE.is(Some(name.to_owned()));
    assert_eq!(shown(glaze("clear")), [2, 4, 8, 10]);
    assert_eq!(shown(!glaze("clear")), [1, 5, 7, 11]);
    assert_eq!(shown(Piece::GLAZE.is_missing()), [0, 3, 6, 9]);
    assert_eq!(
        shown(glaze("clear").or(Piece::HEIGHT_MM.below(20))),
        [0, 1, 2, 4, 8, 10]
    );
    assert_eq!(
        shown(!(glaze("clear").and(Piece::HEIGHT_MM.above(70)))),
        [0, 1, 2, 3, 4, 5, 6, 7, 11]
    );
    assert_eq!(
        shown(
            Piece::HEIGHT_MM
                .at_least(100)
                .or(Piece::HEIGHT_MM.at_most(10))
        ),
        [0, 1, 10, 11]
    );
    assert_eq!(
        shown(Piece::ID.one_of([3, 5, 99]).and(Piece::FIRED.is_not(true))),
        [3, 5]
    );
    assert_eq!(shown(Piece::TITLE.like("%1_")), [10, 11]);
    assert_eq!(
        Piece::GLAZE.like("cl%").and(glaze("shino")).fields().len(),
        1
    );
}

#[test]
fn however_many_conditions_are_joined_they_are_asked_compared_written_and_let_go() {
    let many = 60_000;
    let of = |ids: std::ops::Range<u32>| {
        let mut joined = Piece::ID.is(0);
        for id in ids {
            joined = joined.or(Piece::ID.is(id));
        }
        joined
    };
    let joined = of(1..many);
    assert_eq!(joined.test(&piece(many - 1)), Some(true));
    assert_eq!(joined.test(&piece(many)), Some(false));
    assert!(joined == of(1..many) && joined != of(2..many));
    let text = joined.text().unwrap().to_string();
    assert_eq!(text.matches(" OR ").count(), many as usize - 1);

    let mut turned = Piece::FIRED.is(true);
    for _ in 0..many {
        turned = !turned;
    }
    assert_eq!(turned.text(), Piece::FIRED.is(true).text());

    // The app keeps each step.
    let mut steps = vec![Piece::FIRED.is(true)];
    for id in 0..2_000 {
        let next = steps[id as usize].clone().and(Piece::ID.is_not(id));
        steps.push(next);
    }
    let last = &steps[2_000];
    assert_eq!(last.test(&piece(1_998)), Some(false));
    assert_eq!(last.test(&piece(2_000)), Some(true));
    let text = steps[2].text().unwrap().to_string();
    assert_eq!(text, "fired = TRUE AND id <> 0 AND id <> 1");
    let parsed: FilterText = text.parse().unwrap();
    assert!(parsed.check::<Piece>().unwrap().text() == steps[2].text());
}

fn value() -> impl Strategy<Value = Value<'static>> {
    prop_oneof![
        4 => (0..20_u8).prop_map(Value::from),
        4 => "[a-d]{1,2}".prop_map(Value::from),
        1 => (0..8_u8).prop_map(|number| Value::from(f64::from(number) / 2.0)),
        1 => Just(Value::Missing),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(300)) })]

    /// One of some values, however many and of whatever kinds, is the same as this one or that one or the next.
    #[test]
    fn one_of_many_is_one_or_another(
        values in prop_oneof![
            prop::collection::vec(value(), 1..30),
            prop::collection::vec((0..20_u8).prop_map(Value::from), 1..30),
            prop::collection::vec("[a-d]{1,2}".prop_map(Value::from), 1..30),
        ],
        id in 0..20_u32,
        glaze in prop::option::of("[a-d]{1,2}"),
    ) {
        let piece = Piece { id, title: "ab".to_owned(), glaze, height_mm: id, ..Piece::default() };
        for name in ["id", "title", "glaze", "height_mm", "fired"] {
            let field = Piece::field_named(name).unwrap();
            let each = values.iter().map(|value| field.clone().is(value.clone()));
            let either = each.reduce(Condition::or).unwrap();
            let listed = field.clone().one_of(values.clone());
            prop_assert_eq!(listed.test(&piece), either.test(&piece), "{} of {:?}", name, values);
        }
    }
}
