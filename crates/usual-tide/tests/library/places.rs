//! Places in source order and in lists: gaps and rows, the off-by-one, hidden neighbours.

use crate::items::lettered::{Piece, piece};
use crate::items::numbered::Piece as Shelved;
use proptest::prelude::*;
use usual_tide::lists::ListEditError;
use usual_tide::{EditError, Group, ListId, Place, Query, Store};

fn store(order: &str) -> Store<Piece> {
    Store::load(order.chars().map(piece)).unwrap()
}

fn order(store: &Store<Piece>) -> String {
    store.items().map(|piece| piece.id).collect()
}

/// A list that shows the capitals.
fn capitals(store: &mut Store<Piece>) -> ListId {
    store.bind(Query::new().filter(|piece: &Piece| piece.id.is_uppercase()))
}

fn shown(store: &Store<Piece>, list: ListId) -> String {
    store
        .list(list)
        .unwrap()
        .items()
        .map(|piece| piece.id)
        .collect()
}

#[test]
fn the_off_by_one_of_reordering_cannot_happen() {
    // What a drag does to a column on paper: cut the row out, paste it into the gap it was dropped in.
    let on_paper = |from: usize, gap: usize| {
        let rows: Vec<char> = "abcdef".chars().collect();
        let mut marked: Vec<Option<char>> = rows.iter().copied().map(Some).collect();
        marked[from] = None;
        marked.insert(gap, Some(rows[from]));
        marked.into_iter().flatten().collect::<String>()
    };
    for from in 0..6 {
        let key = "abcdef".chars().nth(from).unwrap();
        for gap in 0..=6 {
            let mut store = store("abcdef");
            store.move_to(&key, Place::Gap(gap)).unwrap();
            assert_eq!(order(&store), on_paper(from, gap), "{key} into gap {gap}");
        }
        for row in 0..6 {
            let mut store = store("abcdef");
            store.move_to(&key, Place::Row(row)).unwrap();
            assert_eq!(store.position(&key), Some(row), "{key} to row {row}");
        }
    }
}

#[test]
fn a_row_lands_next_to_its_visible_neighbour() {
    let mut store = store("aAbBcCd");
    let list = capitals(&mut store);
    store
        .list_mut(list)
        .unwrap()
        .move_to(&['A'], Place::After('B'))
        .unwrap();
    assert_eq!(order(&store), "abBAcCd");
    store
        .list_mut(list)
        .unwrap()
        .move_to(&['C'], Place::Row(0))
        .unwrap();
    assert_eq!(order(&store), "abCBAcd");
    store
        .list_mut(list)
        .unwrap()
        .move_to(&['C', 'A'], Place::Gap(2))
        .unwrap();
    assert_eq!(order(&store), "abBCAcd");
    store
        .list_mut(list)
        .unwrap()
        .add(piece('D'), Place::End)
        .unwrap();
    assert_eq!(order(&store), "abBCADcd");
    store
        .list_mut(list)
        .unwrap()
        .add(piece('E'), Place::Start)
        .unwrap();
    assert_eq!(order(&store), "abEBCADcd");
    assert_eq!(shown(&store, list), "EBCAD");
}

#[test]
fn dropping_rows_where_they_are_leaves_hidden_rows_alone() {
    let mut store = store("AxByC");
    let list = capitals(&mut store);
    for (keys, place) in [
        (&['B'][..], Place::Row(1)),
        (&['B'], Place::Gap(1)),
        (&['B'], Place::Gap(2)),
        (&['B'], Place::After('A')),
        (&['B'], Place::Before('B')),
        (&['A', 'B', 'C'], Place::End),
        (&[], Place::Start),
    ] {
        assert!(!store.list_mut(list).unwrap().move_to(keys, place).unwrap());
        assert_eq!(order(&store), "AxByC", "{keys:?} {place:?}");
    }
}

#[test]
fn a_list_that_shows_nothing_takes_rows_at_the_end() {
    let mut store = store("abc");
    let list = capitals(&mut store);
    store
        .list_mut(list)
        .unwrap()
        .add(piece('A'), Place::Start)
        .unwrap();
    assert_eq!(order(&store), "abcA");
}

#[test]
fn places_that_a_list_does_not_have_are_typed_errors() {
    let mut store = store("aAbB");
    let list = capitals(&mut store);
    let sorted = store.bind(Query::new().sort(Piece::ID));
    let end = Place::End;
    assert_eq!(
        store.list_mut(sorted).unwrap().move_to(&['A'], end),
        Err(ListEditError::Sorted)
    );
    assert_eq!(
        store.list_mut(list).unwrap().move_to(&['a'], end),
        Err(ListEditError::NotShown('a'))
    );
    assert_eq!(
        store
            .list_mut(list)
            .unwrap()
            .move_to(&['A'], Place::After('b')),
        Err(ListEditError::NotShown('b'))
    );
    assert_eq!(
        store.list_mut(list).unwrap().move_to(&['z'], end),
        Err(ListEditError::Edit(EditError::UnknownKey('z')))
    );
    assert_eq!(
        store.list_mut(list).unwrap().move_to(&['A'], Place::Row(2)),
        Err(ListEditError::Edit(EditError::OutOfRange {
            position: 2,
            last: 1
        }))
    );
    assert_eq!(
        store
            .list_mut(list)
            .unwrap()
            .add(piece('A'), end)
            .unwrap_err()
            .to_string(),
        "the key 'A' is taken by the item at position 1"
    );
    store.unbind(list).unwrap();
    assert!(store.list_mut(list).is_err());
    assert_eq!(order(&store), "aAbB");
}

#[test]
fn inside_a_batch_a_place_is_among_the_rows_as_edited_so_far() {
    let mut store = store("aAbB");
    let list = capitals(&mut store);
    store
        .batch(|store| {
            store.add(piece('C'), Place::Start)?;
            store
                .list_mut(list)
                .unwrap()
                .move_to(&['B'], Place::After('C'))?;
            Ok::<(), ListEditError<char>>(())
        })
        .unwrap();
    assert_eq!(order(&store), "CBaAb");
    assert_eq!(shown(&store, list), "CBA");
    store.history_mut().undo().unwrap();
    assert_eq!(order(&store), "aAbB");
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(400)) })]

    /// What is moved in a filtered list moves there as it would in a list of its rows alone, and hidden
    /// rows keep their order.
    #[test]
    fn a_filtered_list_reorders_like_a_list_of_its_own(
        letters in Just("abcdefABCDEF".chars().collect::<Vec<_>>()).prop_shuffle(),
        moved in prop::sample::subsequence("ABCDEF".chars().collect::<Vec<_>>(), 0..4),
        place in prop_oneof![
            Just(Place::Start),
            Just(Place::End),
            (0..7usize).prop_map(Place::Gap),
            (0..7usize).prop_map(Place::Row),
            prop::sample::select("ABCDEF".chars().collect::<Vec<_>>()).prop_map(Place::Before),
            prop::sample::select("ABCDEF".chars().collect::<Vec<_>>()).prop_map(Place::After),
        ],
        skip in 0..3usize,
    ) {
        let mut store = store(&letters.iter().collect::<String>());
        let list = capitals(&mut store);
        if skip > 0 {
            store.list_mut(list).unwrap().change_query(|query| query.skip(skip));
        }
        let visible = shown(&store, list);
        let mut alone = self::store(&visible);
        let hidden = |store: &Store<Piece>| {
            let order = order(store);
            order.chars().filter(|id| !visible.contains(*id)).collect::<String>()
        };
        let hidden_before = hidden(&store);
        let before = order(&store);

        let done = store.list_mut(list).unwrap().move_to(&moved, place);
        let expected = alone.move_many(&moved, place);
        prop_assert_eq!(done.is_ok(), expected.is_ok());
        prop_assert_eq!(hidden(&store), hidden_before);
        let visible_now: String = order(&store).chars().filter(|id| visible.contains(*id)).collect();
        prop_assert_eq!(visible_now, order(&alone));
        if expected != Ok(true) {
            prop_assert_eq!(order(&store), before);
        }
        store.check().unwrap();
    }
}

/// The rows of a list, with the heading of each section before its rows.
fn headed(store: &Store<Shelved>, list: ListId) -> Vec<(u8, Vec<u32>)> {
    let rows = store.list(list).unwrap();
    let sections = rows.sections().zip(0..);
    let ids = |at| {
        rows.items_in(rows.rows_in(at))
            .map(|piece| piece.id)
            .collect()
    };
    sections
        .map(|(section, at)| (section.heading().parse().unwrap_or(0), ids(at)))
        .collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(150)) })]

    /// One row up or down: past its neighbour, whatever is hidden between; into the next section at a section's end.
    #[test]
    fn one_row_up_or_down_is_one_place_on_the_screen(
        pieces in prop::collection::vec((0..4_u8, any::<bool>()), 1..14),
        grouped in any::<bool>(), steps in prop::collection::vec((0..14_u32, any::<bool>()), 1..20),
    ) {
        let pieces = pieces.into_iter().zip(0..).map(|((shelf, shown), id)| Shelved { id, shelf, shown, ..Shelved::default() });
        let mut store = Store::load(pieces).unwrap();
        let shown = Query::new().filter(Shelved::SHOWN.is(true));
        let query = match grouped {
            true => shown.group(Group::by(Shelved::SHELF).regroup().keep_empty().in_order([0, 1, 2, 3])),
            false => shown,
        };
        let list = store.bind(query);
        for (id, down) in steps {
            let before = headed(&store, list);
            let at = before.iter().enumerate().find_map(|(section, (_, rows))| {
                Some((section, rows.iter().position(|row| *row == id)?))
            });
            let mut view = store.list_mut(list).unwrap();
            let moved = if down { view.move_down(&id) } else { view.move_up(&id) };
            let Some((section, row)) = at else {
                prop_assert!(moved.is_err());
                continue;
            };
            let mut expected = before.clone();
            let len = before[section].1.len();
            let changed = match (down, row) {
                (true, row) if row + 1 < len => {
                    expected[section].1.swap(row, row + 1);
                    true
                }
                (false, row) if row > 0 => {
                    expected[section].1.swap(row, row - 1);
                    true
                }
                (true, _) if section + 1 < before.len() => {
                    expected[section].1.remove(row);
                    expected[section + 1].1.insert(0, id);
                    true
                }
                (false, _) if section > 0 => {
                    expected[section].1.remove(row);
                    expected[section - 1].1.push(id);
                    true
                }
                _ => false,
            };
            prop_assert_eq!(moved, Ok(changed));
            prop_assert_eq!(headed(&store, list), expected, "{} of {:?}", id, before);
        }
        store.check().unwrap();
        let sorted = store.bind(Query::new().sort(Shelved::SHELF));
        prop_assert_eq!(store.list_mut(sorted).unwrap().move_up(&0), Err(ListEditError::Sorted));
    }
}
