//! Queries read back: equal parts are equal, and print as text that parses to the same.

use jiff::civil::{Date, date};
use proptest::prelude::*;
use rust_decimal::Decimal;
use std::cell::Cell;
use usual_tide::fields::AnyField;
use usual_tide::query::{FieldLookup, Period, Total, name_in_text, names_in};
use usual_tide::record::Record;
use usual_tide::{Condition, Fields, Group, Item, Query, Search, Sort, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: i64,
    #[item(search)]
    title: String,
    height: Option<f64>,
    price: Decimal,
    #[item(descending, missing_first)]
    due: Option<Date>,
    fired: bool,
    #[item(rename = "AND \"or\"")]
    odd: i32,
}

fn piece(seed: u8) -> Piece {
    let small = f64::from(seed % 5) - 1.5;
    Piece {
        id: i64::from(seed),
        title: ["Bowl", "Mug's", "a%b_c\\d", ""][usize::from(seed % 4)].into(),
        height: (!seed.is_multiple_of(7)).then_some(small),
        price: Decimal::new(i64::from(seed % 9) - 4, 2),
        due: (!seed.is_multiple_of(5)).then(|| date(2026, 3, 1 + (seed % 28) as i8)),
        fired: seed.is_multiple_of(2),
        odd: i32::from(seed % 3) - 1,
    }
}

fn condition() -> impl Strategy<Value = Condition<Piece>> {
    let of_piece = |kind: u8, seed: u8| {
        let with = piece(seed);
        match kind {
            0 => Piece::ID.above(with.id),
            1 => Piece::TITLE.is(with.title),
            2 => Piece::TITLE.like(&format!("%{}", with.title)),
            3 => Piece::HEIGHT.at_most(with.height.or(Some(0.25))),
            4 => Piece::PRICE.is_not(with.price),
            5 => Piece::DUE.below(with.due.or(Some(date(2026, 3, 9)))),
            6 => Piece::DUE.is_missing(),
            7 => Piece::FIRED.is(with.fired),
            8 => Piece::ODD.one_of([with.odd, 0]),
            _ => Piece::ODD.at_least(with.odd),
        }
    };
    let leaf = (0..10_u8, any::<u8>()).prop_map(move |(kind, seed)| of_piece(kind, seed));
    leaf.prop_recursive(3, 12, 3, |inner| {
        prop_oneof![
            (inner.clone(), inner.clone()).prop_map(|(one, two)| one.and(two)),
            (inner.clone(), inner.clone()).prop_map(|(one, two)| one.or(two)),
            inner.prop_map(|one| !one),
        ]
    })
}

proptest! {
    #[test]
    fn a_condition_prints_as_text_that_parses_to_the_same(one in condition(), two in condition(), seed in any::<u8>()) {
        let text = one.text().unwrap();
        let parsed: Condition<Piece> = text.parse().unwrap();
        prop_assert_eq!(&parsed, &one, "{}", text);
        prop_assert_eq!(parsed.text().unwrap(), text);
        prop_assert_eq!(parsed.test(&piece(seed)), one.test(&piece(seed)));
        if one == two {
            prop_assert_eq!(two.test(&piece(seed)), one.test(&piece(seed)));
        }
    }
}

fn sorts() -> Vec<Sort<Piece>> {
    vec![
        Piece::TITLE.ascending(),
        Piece::TITLE.descending(),
        Sort::from(Piece::DUE),
        Piece::DUE.ascending(),
        Piece::DUE.descending().missing_last(),
        Piece::HEIGHT.descending().then(Piece::TITLE),
        Piece::HEIGHT.descending().then(Piece::ID),
        Sort::parse("title").unwrap(),
        Sort::by(|piece: &Piece| &piece.title),
        Sort::from_fn(|one: &Piece, two: &Piece| one.id.cmp(&two.id)),
    ]
}

fn groups() -> Vec<Group<Piece>> {
    vec![
        Group::by(Piece::TITLE),
        Group::by(Piece::TITLE).descending(),
        Group::by(Piece::TITLE).total(Total::Sum, Piece::PRICE),
        Group::by(Piece::TITLE).regroup(),
        Group::by_initial(Piece::TITLE),
        Group::by_period(Piece::DUE, Period::Month),
        Group::by_period(Piece::DUE, Period::Week),
        Group::by_width(Piece::HEIGHT, Decimal::new(5, 1)).unwrap(),
        Group::by(Piece::FIRED).in_order([true, false]),
        Group::from_fn(|piece: &Piece| piece.odd),
    ]
}

#[test]
fn parts_are_equal_when_they_say_the_same() {
    for (at, one) in sorts().into_iter().enumerate() {
        for (other_at, two) in sorts().into_iter().enumerate() {
            let same = at == other_at && at < 8;
            assert_eq!(one == two, same, "{one:?} {two:?}");
        }
        assert!(one == one.clone());
        if let Some(text) = one.text() {
            let parsed: Sort<Piece> = text.parse().unwrap();
            assert_eq!(parsed.text().unwrap(), text);
            let order = |sort: Sort<Piece>| {
                let mut store = Store::load((0..40).map(piece)).unwrap();
                let list = store.bind(Query::new().sort(sort));
                let ids = store.list(list).unwrap().items().map(|piece| piece.id);
                ids.collect::<Vec<_>>()
            };
            assert_eq!(order(parsed), order(one));
        }
    }
    let texts: Vec<Option<String>> = sorts().iter().map(Sort::text).collect();
    let texts: Vec<Option<&str>> = texts.iter().map(Option::as_deref).collect();
    let expected = [
        Some("title"),
        Some("-title"),
        Some("due"),
        Some("+due"),
        None,
        Some("-height, title"),
        Some("-height, id"),
        Some("title"),
        None,
        None,
    ];
    assert_eq!(texts, expected);

    for (at, one) in groups().into_iter().enumerate() {
        for (other_at, two) in groups().into_iter().enumerate() {
            assert_eq!(one == two, at == other_at && at < 9, "{one:?} {two:?}");
        }
        assert!(one == one.clone());
        if let Some(text) = one.text() {
            let parsed: Group<Piece> = text.parse().unwrap();
            assert_eq!(parsed.text().unwrap(), text);
        }
    }
    let texts: Vec<Option<String>> = groups().iter().map(Group::text).collect();
    let texts: Vec<&str> = texts
        .iter()
        .map(|text| text.as_deref().unwrap_or("none"))
        .collect();
    assert_eq!(
        texts,
        [
            "title",
            "-title",
            "title",
            "title",
            "title:initial",
            "due:month",
            "due:week",
            "height:width=0.5",
            "none",
            "none",
        ]
    );

    assert!(Search::<Piece>::new("bow") == Search::new("bow"));
    assert!(Search::<Piece>::new("bow") != Search::new("bowl"));
    assert!(Search::<Piece>::new("bow") != Search::new("bow").at_word_start());
}

#[test]
fn a_query_is_read_back_and_an_equal_one_costs_nothing() {
    thread_local!(static ASKED: Cell<usize> = const { Cell::new(0) });
    let asked = |piece: &Piece| {
        ASKED.set(ASKED.get() + 1);
        piece.odd
    };
    let group = Group::from_fn(asked);
    let query = || {
        Query::new()
            .filter(Piece::FIRED.is(true).and(Piece::ODD.at_least(0)))
            .search(Search::new("b"))
            .sort(Piece::HEIGHT.descending())
            .group(group.clone())
            .skip(1)
            .take(30)
            .numbered()
    };
    let mut store = Store::load((0..200).map(piece)).unwrap();
    let list = store.bind(query());
    let feed = store.feed(list).unwrap();
    let version = store.list(list).unwrap().version();
    ASKED.set(0);
    store.list_mut(list).unwrap().set_query(query());
    assert_eq!(ASKED.get(), 0, "no item is asked");
    assert!(!feed.has_unread(&store).unwrap());
    assert_eq!(store.list(list).unwrap().version(), version);

    let rows = store.list(list).unwrap();
    let query = rows.query();
    assert_eq!(
        query.condition().unwrap().text().unwrap(),
        "fired = TRUE AND \"AND \"\"or\"\"\" >= 0"
    );
    assert_eq!(query.searching().unwrap().text(), "b");
    assert_eq!(query.sorting().unwrap().text().as_deref(), Some("-height"));
    assert!(query.grouping().is_some_and(|known| *known == group));
    assert_eq!(
        (query.skipped(), query.taken(), query.is_numbered()),
        (1, Some(30), true)
    );
    assert!(query.is_filtered() && Query::<Piece>::new().condition().is_none());

    // Another window asks no item either; another sort does.
    let wider = query.clone().take(60);
    store.list_mut(list).unwrap().set_query(wider);
    assert_eq!(ASKED.get(), 0);
    store
        .list_mut(list)
        .unwrap()
        .change_query(|query| query.sort(Piece::ID));
    assert!(ASKED.get() > 0);
}

/// Names of fields that would mean something else in a text.
fn odd_name() -> impl Strategy<Value = String> {
    let letter = prop_oneof![
        Just('a'),
        Just(','),
        Just('"'),
        Just('-'),
        Just('+'),
        Just(' '),
        Just(':'),
        Just('é')
    ];
    let name = prop::collection::vec(letter, 1..6).prop_map(String::from_iter);
    name.prop_filter("has a name", |name| !name.trim().is_empty())
}

/// Fields of these names.
struct Named(Vec<String>);

impl FieldLookup<Record> for Named {
    fn field(&self, name: &str) -> Option<AnyField<Record>> {
        let is_known = self.0.iter().any(|known| known == name);
        Record::field_named(name).filter(|_| is_known)
    }

    fn names(&self) -> Vec<String> {
        Vec::new()
    }
}

proptest! {
    #[test]
    fn fields_of_any_name_are_named_in_texts(names in prop::collection::vec((odd_name(), any::<bool>()), 1..4)) {
        let named = Named(names.iter().map(|(name, _)| name.clone()).collect());
        let sort = |(name, descending): &(String, bool)| match descending {
            true => Sort::from(named.field(name).unwrap()).descending(),
            false => Sort::from(named.field(name).unwrap()),
        };
        let whole = names.iter().map(sort).reduce(Sort::then).unwrap();
        let text = whole.text().unwrap();
        let told: Vec<(String, bool)> = names_in(&text).unwrap().into_iter().map(|one| {
            (one.name.into_owned(), one.sign == Some('-'))
        }).collect();
        prop_assert_eq!(&told, &names, "{}", text);
        prop_assert_eq!(Sort::parse_with(&text, &named).unwrap().text(), Some(text));

        let (name, descending) = &names[0];
        for how in ["", ":initial"] {
            let group = format!("{}{}{how}", if *descending { "-" } else { "" }, name_in_text(name));
            let parsed = Group::parse_with(&group, &named).unwrap();
            prop_assert_eq!(parsed.text(), Some(group));
        }
    }
}

#[test]
fn a_name_in_quotes_says_what_is_wrong_with_it() {
    let told = |text: &str| Sort::<Piece>::parse(text).unwrap_err().to_string();
    assert_eq!(
        told("id, \"title"),
        "column 5: the double quote that opens here is not closed"
    );
    assert_eq!(
        told("-\"id\" title"),
        "column 2: expected a comma, found \"title\""
    );
    assert_eq!(told("\"x\"\"\""), "column 1: there is no field \"x\\\"\"");
    assert_eq!(told("id,,title"), "column 4: a field name is missing");
    let told = |text: &str| Group::<Piece>::parse(text).unwrap_err().to_string();
    assert_eq!(
        told("-\"title"),
        "column 2: the double quote that opens here is not closed"
    );
    assert_eq!(
        told("\"title\" initial"),
        "column 9: expected a colon, found \"initial\""
    );
    assert_eq!(
        told("\"title:initial\""),
        "column 1: there is no field \"title:initial\""
    );
    assert_eq!(
        Group::<Piece>::parse("\"title\" : initial")
            .unwrap()
            .text()
            .unwrap(),
        "title:initial"
    );
}
