//! The orders of locales, against another implementation of the Unicode Collation Algorithm.

use crate::items::usual::Piece;
use proptest::prelude::*;
use serde_json::Value;
use std::cmp::Ordering;
use std::sync::Arc;
use usual_tide::text::{CaseFirst, Collation};
use usual_tide::{Group, Query, Sort, Store};

fn pieces(titles: &[&str]) -> Vec<Piece> {
    let piece = |(id, title): (u32, &&str)| Piece {
        id,
        maker: Some((*title).to_owned()),
        height_mm: id % 3,
        ..Piece::default()
    };
    (0..).zip(titles).map(piece).collect()
}

#[test]
fn words_stand_in_seventeen_locales_as_another_implementation_has_them() {
    let orders: Value = serde_json::from_str(include_str!("data/collation-orders.json")).unwrap();
    let orders = orders["orders"].as_array().unwrap();
    assert_eq!(orders.len(), 17 * 3);
    for order in orders {
        let locale = order["locale"].as_str().unwrap();
        let mut collation = Collation::for_locale(locale).unwrap();
        assert!(collation.is_by_locale());
        if order["numeric"] == true {
            collation = collation.numeric();
        }
        if order["caseFirst"] == "upper" {
            collation = collation.case_first(CaseFirst::Upper);
        }
        let classes = order["classes"].as_array().unwrap();
        let words: Vec<(usize, &str)> = classes
            .iter()
            .enumerate()
            .flat_map(|(class, words)| {
                words
                    .as_array()
                    .unwrap()
                    .iter()
                    .map(move |word| (class, word.as_str().unwrap()))
            })
            .collect();
        for one in &words {
            for two in &words {
                assert_eq!(
                    collation.compare(one.1, two.1),
                    one.0.cmp(&two.0),
                    "{locale} {order:.0}: {:?} and {:?}",
                    one.1,
                    two.1
                );
                let keys = collation.key(one.1).cmp(&collation.key(two.1));
                assert_eq!(keys, one.0.cmp(&two.0), "the keys of {one:?} and {two:?}");
            }
        }

        let titles: Vec<&str> = words.iter().rev().map(|word| word.1).collect();
        let mut store = Store::load(pieces(&titles)).unwrap();
        let list = store.bind(Query::new().sort(Sort::by_text(Piece::MAKER, &collation)));
        let class = |piece: &Arc<Piece>| {
            let title = piece.maker.as_deref();
            words.iter().find(|word| Some(word.1) == title).unwrap().0
        };
        assert!(store.list(list).unwrap().items().is_sorted_by_key(class));
    }
}

#[test]
fn sections_are_the_letters_of_the_locale_in_its_order() {
    let titles = [
        "Zoo",
        "Ähre",
        "ananas",
        "Öl",
        "chata",
        "cukr",
        "9 mugs",
        "?",
        "Ωμέγα",
        "¿",
        "Åre",
        "hůl",
        "émail",
    ];
    for (locale, expected) in [
        ("de", "A C E H O Z Ω 0–9 …"),
        ("sv", "A C E H Z Å Ä Ö Ω 0–9 …"),
        ("cs", "A C E H CH O Z Ω 0–9 …"),
    ] {
        let collation = Collation::for_locale(locale).unwrap();
        let mut store = Store::load(pieces(&titles)).unwrap();
        let group = Group::by_initial_in(Piece::MAKER, &collation);
        let list = store.bind(Query::new().group(group));
        store.check().unwrap();
        let rows = store.list(list).unwrap();
        let headings = rows
            .sections()
            .map(|section| section.heading().to_uppercase());
        assert_eq!(headings.collect::<Vec<_>>().join(" "), expected, "{locale}");
        assert_eq!(rows.len(), titles.len());
    }
}

#[test]
fn what_is_no_locale_is_refused_with_its_text() {
    for tag in ["", "d!", "averylonglanguage-"] {
        let refused = Collation::for_locale(tag).unwrap_err();
        assert!(
            refused
                .to_string()
                .starts_with(&format!("{tag:?} is no locale, as "))
        );
    }
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(150)) })]

    /// Rows that are compared by kept keys stand where a comparison of their texts would have them, through
    /// edits, batches, other filters and held rows.
    #[test]
    fn a_list_in_locale_order_stays_in_order(
        titles in prop::collection::vec(prop::option::of("[aAäÄåzZ1-9 ]{0,4}"), 1..40),
        edits in prop::collection::vec((any::<u8>(), prop::option::of("[aAäÄåzZ1-9 ]{0,4}"), 0..6u8), 0..40),
        descending in any::<bool>(),
        grouped in any::<bool>(),
    ) {
        let collation = Collation::for_locale("sv").unwrap().numeric();
        let sort = Sort::by_text(Piece::MAKER, &collation);
        let sort = if descending { sort.descending() } else { sort };
        let pieces = (0..).zip(&titles).map(|(id, title)| Piece { id, maker: title.clone(), height_mm: id % 3, ..Piece::default() });
        let mut store = Store::load(pieces).unwrap();
        let query = Query::new().sort(sort.then(Piece::ID.descending()));
        let query = if grouped { query.group(Group::by(Piece::HEIGHT_MM)) } else { query };
        let list = store.bind(query);
        for (which, title, what) in edits {
            let key = u32::from(which) % titles.len() as u32;
            match what {
                0 => {
                    store.hold(&key).unwrap();
                    store.edit(&key, |piece| piece.maker = title).unwrap();
                    store.check().unwrap();
                    store.release(&key).unwrap();
                }
                1 => {
                    store.list_mut(list).unwrap().change_query(|query| query.filter(move |piece: &Piece| piece.id % 5 != key % 5));
                }
                2 => {
                    let keys: Vec<u32> = (0..titles.len() as u32).filter(|id| id % 2 == key % 2).collect();
                    store.edit_many(&keys, |piece| piece.maker.clone_from(&title)).unwrap();
                }
                _ => drop(store.edit(&key, |piece| piece.maker = title).unwrap()),
            }
            store.check().unwrap();
        }
        store.list_mut(list).unwrap().change_query(Query::unfiltered);
        store.check().unwrap();
        let rows: Vec<Arc<Piece>> = store.list(list).unwrap().items().cloned().collect();
        let order = |one: &Piece, two: &Piece| {
            let texts = match (&one.maker, &two.maker) {
                (Some(one), Some(two)) if descending => collation.compare(two, one),
                (Some(one), Some(two)) => collation.compare(one, two),
                (one, two) => one.is_none().cmp(&two.is_none()),
            };
            let shelves = if grouped { one.height_mm.cmp(&two.height_mm) } else { Ordering::Equal };
            shelves.then(texts).then(two.id.cmp(&one.id))
        };
        prop_assert!(rows.is_sorted_by(|one, two| order(one, two).is_lt()));
        prop_assert_eq!(rows.len(), titles.len());
    }
}

#[test]
fn numbers_of_any_length_are_in_the_order_of_their_values() {
    let nines = |digits: usize| "9".repeat(digits);
    let power = |zeros: usize| format!("1{}", "0".repeat(zeros));
    let ascending = [
        "7".to_owned(),
        nines(253),
        power(253),
        format!("{}8", nines(253)),
        nines(254),
        power(254),
        nines(300),
        power(400),
        format!("{}1", power(399)),
        nines(508),
        power(508),
    ];
    let collations = [
        Collation::plain().numeric(),
        Collation::for_locale("de").unwrap().numeric(),
        Collation::for_locale("sv-u-kn").unwrap(),
    ];
    for collation in collations {
        for (at, one) in ascending.iter().enumerate() {
            for (other, two) in ascending.iter().enumerate() {
                let shelf = |number: &str| format!("Shelf 00{number} left");
                let (one, two) = (shelf(one), shelf(two));
                assert_eq!(collation.compare(&one, &two), at.cmp(&other), "{one} {two}");
                let keys = collation.key(&one).cmp(&collation.key(&two));
                assert_eq!(keys, at.cmp(&other));
            }
        }
    }
}
