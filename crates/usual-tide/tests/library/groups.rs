//! Groupings: periods against a database's date functions, letters against a segmenter, steps, order, places.

use jiff::civil::{Date, date};
use proptest::prelude::*;
use rusqlite::Connection;
use rust_decimal::Decimal;
use std::sync::Arc;
use unicode_segmentation::UnicodeSegmentation;
use usual_tide::fields::Value;
use usual_tide::lists::ListEditError;
use usual_tide::query::{Period, QueryTextProblem, Total};
use usual_tide::sections::{Section, SectionKey, SectionReplica, SectionRow, SectionStep};
use usual_tide::{Group, Item, ListId, Place, Query, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    title: String,
    shelf: Option<String>,
    due: Option<Date>,
    height: f64,
    fee: Decimal,
}

fn piece(id: u32, shelf: &str) -> Piece {
    Piece {
        id,
        title: format!("Piece {id}"),
        shelf: Some(shelf.to_owned()).filter(|shelf| !shelf.is_empty()),
        due: None,
        height: f64::from(id),
        fee: Decimal::new(i64::from(id) * 5, 2),
    }
}

fn headings(store: &Store<Piece>, list: ListId) -> Vec<String> {
    let sections = store.list(list).unwrap().sections();
    sections
        .map(|section| section.heading().to_owned())
        .collect()
}

/// Which pieces each section shows.
fn shown(store: &Store<Piece>, list: ListId) -> Vec<(String, Vec<u32>)> {
    let rows = store.list(list).unwrap();
    let sections = rows.sections().zip(0..).map(|(section, at)| {
        let ids = rows.items_in(rows.rows_in(at)).map(|piece| piece.id);
        (section.heading().to_owned(), ids.collect())
    });
    sections.collect()
}

fn sections(of: &[(&str, &[u32])]) -> Vec<(String, Vec<u32>)> {
    let section = |(heading, ids): &(&str, &[u32])| ((*heading).to_owned(), ids.to_vec());
    of.iter().map(section).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(100)) })]

    #[test]
    fn periods_are_those_of_the_date_functions_of_sqlite(
        days in prop::collection::vec((1900..2200i16, 1..=12i8, 1..=28i8), 1..30),
    ) {
        let database = Connection::open_in_memory().unwrap();
        let ask = |format: &str, day: &Date| -> String {
            let sql = format!("SELECT {format}");
            database.query_row(&sql, [day.to_string()], |row| row.get(0)).unwrap()
        };
        let days: Vec<Date> = days.into_iter().map(|(year, month, day)| date(year, month, day)).collect();
        let pieces = (0..).zip(&days).map(|(id, day)| Piece { due: Some(*day), ..piece(id, "A") });
        let mut store = Store::load(pieces).unwrap();
        for (period, format) in [
            (Period::Day, "strftime('%Y-%m-%d', ?1)"),
            // The ISO week of a day is that of the Thursday next to it.
            (Period::Week, "strftime('%Y', date(?1, '-3 days', 'weekday 4')) || '-W' || \
                printf('%02d', (strftime('%j', date(?1, '-3 days', 'weekday 4')) - 1) / 7 + 1)"),
            (Period::Month, "strftime('%Y-%m', ?1)"),
            (Period::Quarter, "strftime('%Y', ?1) || '-Q' || ((strftime('%m', ?1) + 2) / 3)"),
            (Period::Year, "strftime('%Y', ?1)"),
        ] {
            let list = store.bind(Query::new().group(Group::by_period(Piece::DUE, period)));
            let rows = store.list(list).unwrap();
            for (section, at) in rows.sections().zip(0..) {
                for item in rows.items_in(rows.rows_in(at)) {
                    prop_assert_eq!(section.heading(), ask(format, &item.due.unwrap()));
                }
            }
            let mut names: Vec<String> = days.iter().map(|day| ask(format, day)).collect();
            names.sort();
            names.dedup();
            prop_assert_eq!(headings(&store, list), names);
        }
    }

    #[test]
    fn an_initial_is_the_first_character_without_its_marks(
        titles in prop::collection::vec("[ ]?[aAbÉéñß1٣ΩЖ中🏺?¡e\u{301}]{0,3}", 1..20),
    ) {
        let pieces = (0..).zip(&titles).map(|(id, title)| Piece { title: title.clone(), ..piece(id, "A") });
        let mut store = Store::load(pieces).unwrap();
        let list = store.bind(Query::new().group(Group::by_initial(Piece::TITLE)));
        store.check().unwrap();
        let rows = store.list(list).unwrap();
        for (section, at) in rows.sections().zip(0..) {
            for item in rows.items_in(rows.rows_in(at)) {
                let first = item.title.trim_start().graphemes(true).next().unwrap_or_default();
                match first.chars().next() {
                    None => prop_assert_eq!(section.heading(), ""),
                    Some(letter) if letter.is_numeric() => prop_assert_eq!(section.heading(), "0\u{2013}9"),
                    Some(letter) if !letter.is_alphabetic() => prop_assert_eq!(section.heading(), "\u{2026}"),
                    Some(letter) => {
                        let upper: String = letter.to_uppercase().collect();
                        let bare = [("É", "E"), ("Ñ", "N")].into_iter().find(|pair| pair.0 == upper);
                        prop_assert_eq!(section.heading(), bare.map_or(upper.as_str(), |pair| pair.1));
                    }
                }
            }
        }
    }

    #[test]
    fn totals_come_to_the_same_whatever_came_and_went(
        edits in prop::collection::vec((0..12u32, -1e12..1e12f64, any::<i32>(), any::<bool>()), 1..60),
    ) {
        let mut store = Store::load((0..12).map(|id| piece(id, "A"))).unwrap();
        let group = || Group::by(Piece::SHELF)
            .total(Total::Sum, Piece::HEIGHT)
            .total(Total::Mean, Piece::FEE)
            .total(Total::Minimum, Piece::HEIGHT)
            .total(Total::Maximum, Piece::FEE);
        let list = store.bind(Query::new().group(group()));
        for (id, height, cents, whole) in edits {
            store.edit(&id, |piece| {
                piece.height = if whole { height.trunc() } else { height };
                piece.fee = Decimal::new(cents.into(), 3);
                piece.shelf = Some(if cents % 2 == 0 { "A" } else { "B" }.to_owned());
            }).unwrap();
        }
        store.check().unwrap();
        let fresh = store.bind(Query::new().group(group()));
        let totals = |list| -> Vec<Vec<Value<'static>>> {
            store.list(list).unwrap().sections().map(|section| section.totals().to_vec()).collect()
        };
        prop_assert_eq!(totals(list), totals(fresh));
        for section in store.list(list).unwrap().sections() {
            let of = |piece: &&std::sync::Arc<Piece>| piece.shelf.as_deref() == Some(section.heading());
            let heights: f64 = store.items().filter(of).map(|piece| piece.height).sum();
            let found: f64 = section.totals()[0].to_string().parse().unwrap();
            prop_assert!((found - heights).abs() <= heights.abs().max(1e12) * 1e-12);
        }
    }
}

#[test]
fn steps_begin_at_multiples_also_below_zero_and_for_parts() {
    let heights = [0.0, 49.9, 50.0, -0.1, -50.0, 120.0, f64::NAN];
    let pieces = (0..).zip(heights).map(|(id, height)| Piece {
        height,
        ..piece(id, "A")
    });
    let mut store = Store::load(pieces).unwrap();
    let list = store.bind(Query::new().group(Group::by_width(Piece::HEIGHT, 50).unwrap()));
    let expected = [
        ("-50 to under 0", &[3, 4][..]),
        ("0 to under 50", &[0, 1]),
        ("50 to under 100", &[2]),
        ("100 to under 150", &[5]),
        ("", &[6]),
    ];
    assert_eq!(shown(&store, list), sections(&expected));
    let fees =
        store.bind(Query::new().group(Group::by_width(Piece::FEE, Decimal::new(1, 1)).unwrap()));
    assert_eq!(
        headings(&store, fees),
        [
            "0 to under 0.1",
            "0.1 to under 0.2",
            "0.2 to under 0.3",
            "0.3 to under 0.4"
        ]
    );
    let refused = Group::by_width(Piece::HEIGHT, 0).unwrap_err();
    assert_eq!(
        refused.to_string(),
        "a width must be above zero, and 0 is not"
    );
}

#[test]
fn a_wrong_text_says_where_and_what_is_meant() {
    let column =
        |text: &str| Group::<Piece>::parse(text).map_err(|error| (error.column, error.problem));
    assert!(column(" - due : month").is_ok());
    assert!(column("height:width=2.5").is_ok());
    let unknown = QueryTextProblem::UnknownField {
        name: "shelv".into(),
        nearest: Some("shelf".into()),
    };
    assert_eq!(column("-shelv:year").unwrap_err(), (2, unknown));
    assert_eq!(
        column("due:yaer").unwrap_err(),
        (5, QueryTextProblem::UnknownGrouping("yaer".into()))
    );
    assert_eq!(
        column("due:width=x").unwrap_err(),
        (11, QueryTextProblem::BadWidth("x".into()))
    );
    assert_eq!(
        column("height:width=-1").unwrap_err(),
        (14, QueryTextProblem::BadWidth("-1".into()))
    );
    assert_eq!(column(" ").unwrap_err().1, QueryTextProblem::NoName);
}

fn board(regroup: bool) -> (Store<Piece>, ListId) {
    let shelves = ["A", "B", "A", "B", "A", ""];
    let mut store = Store::load((1..).zip(shelves).map(|(id, shelf)| piece(id, shelf))).unwrap();
    let group = Group::by(Piece::SHELF)
        .in_order(["A", "B", "C"])
        .keep_empty();
    let group = if regroup { group.regroup() } else { group };
    let list = store.bind(Query::new().group(group));
    (store, list)
}

#[test]
fn rows_move_within_their_section_and_keep_to_it_at_a_seam() {
    let (mut store, list) = board(false);
    let expected = [
        ("A", &[1, 3, 5][..]),
        ("B", &[2, 4]),
        ("C", &[]),
        ("", &[6]),
    ];
    assert_eq!(shown(&store, list), sections(&expected));
    // The gap between 5 and 2 is the end of A for a row of A and the start of B for one of B.
    assert!(
        store
            .list_mut(list)
            .unwrap()
            .move_to(&[1], Place::Gap(3))
            .unwrap()
    );
    assert!(
        store
            .list_mut(list)
            .unwrap()
            .move_to(&[4], Place::Gap(3))
            .unwrap()
    );
    let expected = [
        ("A", &[3, 5, 1][..]),
        ("B", &[4, 2]),
        ("C", &[]),
        ("", &[6]),
    ];
    assert_eq!(shown(&store, list), sections(&expected));
    assert!(
        !store
            .list_mut(list)
            .unwrap()
            .move_to(&[1], Place::Row(2))
            .unwrap(),
        "it is there already"
    );
    // Into another section: nobody said how.
    let before = shown(&store, list);
    let refused = store
        .list_mut(list)
        .unwrap()
        .move_to(&[1], Place::After(4))
        .unwrap_err();
    assert!(matches!(refused, ListEditError::OtherSection(_)));
    assert_eq!(
        refused.to_string(),
        "the row cannot go from section \"A\" to \"B\": the grouping does not say how an item is regrouped (Group::regroup)"
    );
    let to = SectionKey::from("C");
    assert!(
        store
            .list_mut(list)
            .unwrap()
            .move_to_section(&[1], &to, Place::Start)
            .is_err()
    );
    assert_eq!(shown(&store, list), before);
}

#[test]
fn rows_move_to_another_section_where_the_grouping_says_how() {
    let (mut store, list) = board(true);
    let feed = store.feed(list).unwrap();
    store
        .list_mut(list)
        .unwrap()
        .move_to(&[1, 3], Place::After(2))
        .unwrap();
    let expected = [
        ("A", &[5][..]),
        ("B", &[2, 1, 3, 4]),
        ("C", &[]),
        ("", &[6]),
    ];
    assert_eq!(shown(&store, list), sections(&expected));
    let changes = feed.read(&store).unwrap().unwrap().by_section();
    let moved: usize = changes.moved().iter().map(|run| run.len).sum();
    assert_eq!((moved, changes.updated().len()), (2, 2));
    // To an empty section, and to a place in one.
    store
        .list_mut(list)
        .unwrap()
        .move_to_section(&[6], &SectionKey::from("C"), Place::Row(0))
        .unwrap();
    store
        .list_mut(list)
        .unwrap()
        .move_to_section(&[5], &SectionKey::from("B"), Place::Gap(1))
        .unwrap();
    let expected = [("A", &[][..]), ("B", &[2, 5, 1, 3, 4]), ("C", &[6])];
    assert_eq!(shown(&store, list)[..3], sections(&expected));
    let beyond =
        store
            .list_mut(list)
            .unwrap()
            .move_to_section(&[5], &SectionKey::from("B"), Place::Row(5));
    assert!(matches!(beyond, Err(ListEditError::Edit(_))));
    let nowhere =
        store
            .list_mut(list)
            .unwrap()
            .move_to_section(&[5], &SectionKey::from("Z"), Place::End);
    assert!(matches!(nowhere, Err(ListEditError::Section(_))));
    // One step to undo, with the item's change.
    store.history_mut().undo().unwrap();
    assert_eq!(store.get(&5).unwrap().shelf.as_deref(), Some("A"));
    store.check().unwrap();
}

#[test]
fn a_sorted_list_takes_a_row_into_a_section_and_no_place() {
    let (mut store, list) = board(true);
    store
        .list_mut(list)
        .unwrap()
        .change_query(|query| query.sort(Piece::ID.descending()));
    store
        .list_mut(list)
        .unwrap()
        .regroup(&[3], &SectionKey::from("B"))
        .unwrap();
    assert_eq!(shown(&store, list)[1], ("B".to_owned(), vec![4, 3, 2]));
    let refused =
        store
            .list_mut(list)
            .unwrap()
            .move_to_section(&[3], &SectionKey::from("A"), Place::End);
    assert_eq!(refused, Err(ListEditError::Sorted));
}

#[test]
fn a_new_row_belongs_to_the_section_of_its_place() {
    let (mut store, list) = board(true);
    store
        .list_mut(list)
        .unwrap()
        .add(piece(7, "A"), Place::Before(4))
        .unwrap();
    assert_eq!(shown(&store, list)[1], ("B".to_owned(), vec![2, 7, 4]));
    let draft = store
        .list_mut(list)
        .unwrap()
        .begin_new_draft(piece(8, ""), Place::After(7))
        .unwrap();
    let place = SectionRow { section: 1, row: 2 };
    assert_eq!(
        store.list(list).unwrap().at_section_row(place).unwrap().id,
        8
    );
    store.drafts_mut().discard(draft).unwrap();
    assert_eq!(shown(&store, list)[1], ("B".to_owned(), vec![2, 7, 4]));
    let (mut store, list) = board(false);
    assert!(
        store
            .list_mut(list)
            .unwrap()
            .add(piece(7, "A"), Place::Before(4))
            .is_err()
    );
    assert_eq!(store.len(), 6);
}

#[test]
fn steps_of_extreme_numbers_give_a_section_or_none() {
    let extremes = [
        Decimal::MAX,
        Decimal::MIN,
        Decimal::MAX - Decimal::ONE,
        Decimal::new(1, 28),
        Decimal::new(-1, 28),
        Decimal::ZERO,
    ];
    for step in [
        Decimal::MAX,
        Decimal::new(1, 28),
        Decimal::TWO,
        Decimal::new(7, 1),
    ] {
        let pieces = extremes.iter().zip(0..).map(|(fee, id)| Piece {
            fee: *fee,
            ..piece(id, "A")
        });
        let mut store = Store::load(pieces).unwrap();
        let list = store.bind(Query::new().group(Group::by_width(Piece::FEE, step).unwrap()));
        store.check().unwrap();
        assert_eq!(store.list(list).unwrap().len(), extremes.len());
    }
}

fn totals(store: &Store<Piece>, list: ListId) -> Vec<String> {
    let sections = store.list(list).unwrap().sections();
    let totals = sections.flat_map(|section| section.totals().to_vec());
    totals.map(|total| total.to_string()).collect()
}

#[test]
fn totals_are_those_of_the_numbers_that_are_there() {
    let mut store = Store::load((0..3).map(|id| piece(id, "A"))).unwrap();
    let fee = |store: &mut Store<Piece>, id: u32, fee: &str| {
        let fee: Decimal = fee.parse().unwrap();
        store.remove(&id).unwrap();
        let other = Piece {
            fee,
            ..piece(id, "A")
        };
        store.add(other, Place::End).unwrap();
    };
    for (id, text) in [(0, "2.00"), (1, "2"), (2, "1")] {
        fee(&mut store, id, text);
    }
    let group = Group::by(Piece::SHELF)
        .total(Total::Maximum, Piece::FEE)
        .total(Total::Sum, Piece::FEE);
    let list = store.bind(Query::new().group(group));
    assert_eq!(totals(&store, list), ["2.00", "5.00"]);
    fee(&mut store, 0, "1.5");
    assert_eq!(totals(&store, list), ["2", "4.5"]);
    // The number is the same, another part of the item is not, and it is written in another way.
    store
        .edit(&1, |piece| {
            piece.title = "Another".into();
            piece.fee = "2.000".parse().unwrap();
        })
        .unwrap();
    store.remove(&1).unwrap();
    assert_eq!(totals(&store, list), ["1.5", "2.5"]);
    store.check().unwrap();
}

#[test]
fn a_sum_is_exact_or_a_float() {
    let sum = |fees: &[&str]| {
        let pieces = fees.iter().zip(0..).map(|(fee, id)| Piece {
            fee: fee.parse().unwrap(),
            ..piece(id, "A")
        });
        let mut store = Store::load(pieces).unwrap();
        let group = Group::by(Piece::SHELF).total(Total::Sum, Piece::FEE);
        let list = store.bind(Query::new().group(group));
        let section = store.list(list).unwrap().sections().next().unwrap();
        section.totals()[0].clone()
    };
    let exact = sum(&["7.0000000000000000000000000000", "0.5", "0.5"]);
    assert_eq!(exact.to_string(), "8.000000000000000000000000000");
    // 29 digits with 28 of them decimals have no decimal of their own.
    let float = sum(&["7.9000000000000000000000000001", "7.9", "-0.1"]);
    assert!(
        matches!(float, Value::Float(sum) if (sum - 15.7).abs() < 1e-9),
        "{float}"
    );

    #[derive(Clone, PartialEq, Debug, Item)]
    struct Large {
        #[item(key)]
        id: u32,
        number: i128,
    }
    let numbers = [i128::MIN, -1, 1].into_iter().zip(0..);
    let mut store = Store::load(numbers.map(|(number, id)| Large { id, number })).unwrap();
    let group = Group::from_fn(|_: &Large| true).total(Total::Sum, Large::NUMBER);
    let list = store.bind(Query::new().group(group));
    let section = store.list(list).unwrap().sections().next().unwrap();
    assert_eq!(section.totals(), [Value::Integer(i128::MIN)]);
}

#[test]
fn a_total_that_is_no_number_is_no_change_each_time() {
    let mut store = Store::load((0..3).map(|id| piece(id, "A"))).unwrap();
    store.edit(&0, |piece| piece.height = f64::NAN).unwrap();
    let group = Group::by(Piece::SHELF).total(Total::Sum, Piece::HEIGHT);
    let list = store.bind(Query::new().group(group));
    let feed = store.feed(list).unwrap();
    store.edit(&1, |piece| piece.title = "Bowl".into()).unwrap();
    let set = feed.read(&store).unwrap().unwrap();
    assert!(set.by_section().sections().updated().is_empty());
    store.check().unwrap();
}

/// The sections of a copy, with their rows.
fn copied(view: &SectionReplica<Piece>) -> Vec<(Arc<Section>, Vec<Arc<Piece>>)> {
    let sections = view.sections().cloned().zip(0..);
    sections
        .map(|(section, at)| (section, view.rows(at).cloned().collect()))
        .collect()
}

#[test]
fn a_set_by_section_for_other_rows_is_refused_and_changes_nothing() {
    assert!(SectionReplica::<Piece>::new([]).is_empty());
    type Edit = fn(&mut Store<Piece>) -> Result<bool, usual_tide::EditError<u32>>;
    let edits: [(&str, Edit); 6] = [
        ("another fee", |store| {
            store.edit(&2, |piece| piece.fee = Decimal::ONE)
        }),
        ("moved in its section", |store| {
            store.move_to(&1, Place::After(3))
        }),
        ("another place by its title", |store| {
            store.edit(&1, |piece| piece.title = "Z".into())
        }),
        ("another section", |store| {
            store.edit(&2, |piece| piece.shelf = Some("B".into()))
        }),
        ("removed", |store| store.remove(&3).map(|_| true)),
        ("the last of its section goes", |store| {
            store.remove(&6).map(|_| true)
        }),
    ];
    for (what, edit) in edits {
        for query in [Query::new(), Query::new().sort(Piece::TITLE)] {
            let pieces = [(1, "A"), (2, "A"), (3, "A"), (4, "B"), (5, "B"), (6, "C")];
            let mut store = Store::load(pieces.map(|(id, shelf)| piece(id, shelf))).unwrap();
            let list = store.bind(query.group(Group::by(Piece::SHELF)));
            let feed = store.feed(list).unwrap();
            let mut view = SectionReplica::of(&store.list(list).unwrap());
            let before = copied(&view);
            edit(&mut store).unwrap();
            let Some(changes) = feed.read(&store).unwrap() else {
                continue;
            };
            let changes = changes.by_section();
            let left = changes.removed().iter().map(|run| run.at);
            let moved = changes.moved().iter().map(|run| run.from);
            let updated = changes.updated().iter().map(|row| row.from);
            let touched: Vec<SectionRow> = left.chain(moved).chain(updated).collect();
            assert!(!touched.is_empty(), "{what}");
            for at in touched {
                // A row more, a row less, another row in this one's place, and a section that is not there.
                for wrong in 0..4 {
                    let mut sections = before.clone();
                    let rows = &mut sections[at.section].1;
                    match wrong {
                        0 => rows.push(Arc::new(piece(99, "A"))),
                        1 => drop(rows.pop()),
                        2 if changes.moved().is_empty() => {
                            rows[at.row] = Arc::new(piece(99, "A"));
                        }
                        2 => continue,
                        _ => drop(sections.remove(at.section)),
                    }
                    let mut other = SectionReplica::new(sections.clone());
                    other.apply(&changes).unwrap_err();
                    assert_eq!(copied(&other), sections, "{what}");
                }
            }
            view.apply(&changes).unwrap();
            let shown = SectionReplica::of(&store.list(list).unwrap());
            assert_eq!(copied(&view), copied(&shown), "{what}");
            assert_eq!(view.len(), view.sections().count());
            assert!(!view.is_empty() && format!("{view:?}").contains("Piece"));
        }
    }
}

#[test]
fn sets_are_equal_when_their_sections_are_too() {
    let changes = |shelf: &str| {
        let pieces = [piece(1, "A"), piece(2, shelf), piece(3, "B"), piece(4, "C")];
        let mut store = Store::load(pieces).unwrap();
        let list = store.bind(Query::new().group(Group::by(Piece::SHELF)));
        let feed = store.feed(list).unwrap();
        store.edit(&4, |piece| piece.title = "Lid".into()).unwrap();
        feed.read(&store).unwrap().unwrap()
    };
    // The same row is updated; the one before it is in another of as many sections.
    assert_eq!(changes("A"), changes("A"));
    assert_ne!(changes("A"), changes("B"));
}

#[test]
fn neighbours_are_one_step() {
    let shelves = [(1, "A"), (2, "A"), (3, "B"), (4, "B")];
    let mut store = Store::load(shelves.map(|(id, shelf)| piece(id, shelf))).unwrap();
    let group = Group::by(Piece::SHELF).total(Total::Sum, Piece::HEIGHT);
    let list = store.bind(Query::new().group(group));
    let feed = store.feed(list).unwrap();
    let steps = |store: &Store<Piece>| feed.read(store).unwrap().unwrap().by_section().steps();
    let place = |section, row| SectionRow { section, row };
    for id in [1, 2, 4] {
        store.edit(&id, |piece| piece.height += 1.0).unwrap();
    }
    assert_eq!(
        steps(&store),
        [
            SectionStep::UpdateRows {
                at: place(0, 0),
                count: 2
            },
            SectionStep::UpdateRows {
                at: place(1, 1),
                count: 1
            },
            SectionStep::UpdateSections { at: 0, count: 2 },
        ]
    );
    for (id, shelf) in [(5, "C"), (6, "D"), (7, "E")] {
        store.add(piece(id, shelf), Place::End).unwrap();
    }
    let arrive = (2..5).map(|section| SectionStep::InsertRows {
        at: place(section, 0),
        count: 1,
    });
    let sections = SectionStep::InsertSections {
        at: 2,
        count: 3,
        after: 2,
    };
    let expected: Vec<SectionStep> = [sections].into_iter().chain(arrive).collect();
    assert_eq!(steps(&store), expected);
}
