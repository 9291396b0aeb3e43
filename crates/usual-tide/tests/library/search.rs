//! Searches: what is found, what is marked, and what is asked again.

use crate::items::usual::Piece;
use proptest::prelude::*;
use std::cmp::Reverse;
use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use unicode_segmentation::UnicodeSegmentation;
use usual_tide::fields::AnyField;
use usual_tide::text::Folding;
use usual_tide::{Query, Search, Store};

fn piece(id: u32, title: &str) -> Piece {
    Piece {
        id,
        title: title.into(),
        note: "blue".into(),
        ..Piece::default()
    }
}

/// Whether a text is found in a title, and what is marked in it.
fn marked(search: &str, title: &str) -> Option<Vec<String>> {
    let search = Search::<Piece>::new(search);
    let found = search.finds(&piece(1, title));
    found.then(|| {
        search
            .ranges(title)
            .into_iter()
            .map(|range| title[range].to_owned())
            .collect()
    })
}

fn marks(search: &str, title: &str) -> Vec<String> {
    marked(search, title).unwrap_or_else(|| panic!("{search:?} is not found in {title:?}"))
}

#[test]
fn case_accents_and_width_do_not_count_and_letters_do() {
    for (search, title, expected) in [
        ("cafe", "Café plate", &["Café"][..]),
        ("CAFÉ", "cafe\u{301}s", &["cafe\u{301}"]),
        ("bowl", "ＢＯＷＬ", &["ＢＯＷＬ"]),
        ("strasse", "Hauptstraße", &["straße"]),
        ("s", "Maß", &["ß"]),
        ("οδοσ", "ΟΔΌΣ, οδός", &["ΟΔΌΣ", "οδός"]),
        ("istanbul", "İstanbul", &["İstanbul"]),
        ("fi", "ﬁne", &["ﬁ"]),
        ("שלום", "שָׁלוֹם", &["שָׁלוֹם"]),
        ("mug", "mug Mug MUG", &["mug", "Mug", "MUG"]),
        ("aa", "aaa", &["aaa"]),
        ("blue bow", "Bowl, blue", &["Bow", "blue"]),
        ("👩\u{200d}🎨", "by 👩\u{200d}🎨", &["👩\u{200d}🎨"]),
        ("👩", "by 👩\u{200d}🎨", &["👩\u{200d}🎨"]),
        ("", "anything", &[]),
        (" \t ", "anything", &[]),
    ] {
        assert_eq!(marks(search, title), expected, "{search:?} in {title:?}");
    }
    for (search, title) in [
        ("i", "ı"),
        ("か", "が"),
        ("blue bowl", "blue mug"),
        ("bowl", ""),
        ("कु", "कि"),
    ] {
        assert_eq!(marked(search, title), None, "{search:?} in {title:?}");
    }
    // A vowel sign is no accent: it is a part of what a person sees as one letter, which is marked whole.
    assert_eq!(marks("क", "कि"), ["कि"]);
}

#[test]
fn every_word_must_be_in_some_searched_field() {
    let with = |maker: &str| Piece {
        maker: Some(maker.into()),
        ..piece(1, "Blue bowl")
    };
    let finds = |search: &str, item: &Piece| Search::<Piece>::new(search).finds(item);
    assert!(finds("bowl crae", &with("Oona Mac Crae")));
    assert!(!finds("bowl crae mug", &with("Oona Mac Crae")));
    assert!(
        !finds(
            "celadon",
            &Piece {
                note: "celadon".into(),
                ..piece(1, "Bowl")
            }
        ),
        "the note is not searched"
    );
    let in_notes = Search::in_fields("BLUE", [AnyField::from(Piece::NOTE)]);
    assert!(in_notes.finds(&piece(1, "Bowl")));
    let nowhere = Search::<Piece>::in_fields("blue", []);
    assert!(!nowhere.finds(&piece(1, "Bowl")));
}

#[test]
fn at_a_words_start_and_of_a_length() {
    let starts = |search: &str, title: &str| {
        let search = Search::<Piece>::new(search).at_word_start();
        let ranges = search.ranges(title);
        assert_eq!(search.finds(&piece(1, title)), !ranges.is_empty());
        ranges
            .into_iter()
            .map(|range| title[range].to_owned())
            .collect::<Vec<_>>()
    };
    assert_eq!(starts("bow", "Rainbow bowl, elbow"), ["bow"]);
    assert_eq!(starts("neil", "O'Neill (neil)"), ["Neil", "neil"]);
    assert_eq!(starts("glazed", "half-glazed"), ["glazed"]);
    assert!(starts("ow", "bowl").is_empty());
    assert!(starts("s", "ß").len() == 1 && starts("e", "ée\u{301}").len() == 1);
    let long = Search::<Piece>::new("a bowl").min_length(2);
    assert!(long.finds(&piece(1, "Bowl")));
    assert!(
        Search::<Piece>::new("a b")
            .min_length(2)
            .finds(&piece(1, "Mug")),
        "nothing is left to look for"
    );
}

/// A live list with a search, and how often the searched field was read.
#[test]
fn one_letter_more_or_less_asks_only_the_rows_that_can_change() {
    let read = Arc::new(AtomicUsize::new(0));
    let counter = Arc::clone(&read);
    let counted = AnyField::shown_only("title", move |piece: &Piece| {
        counter.fetch_add(1, Ordering::Relaxed);
        piece.title.clone()
    });
    let search = |text: &str| Search::in_fields(text, [counted.clone()]);
    let titles = ["Blue bowl", "Bowl", "Mug", "Rainbow", "Jug", "Bow"];
    let mut store = Store::load((0..).zip(titles).map(|(id, title)| piece(id, title))).unwrap();
    for sorted in [false, true] {
        let query = if sorted {
            Query::new().sort(Piece::TITLE)
        } else {
            Query::new()
        };
        let list = store.bind(query);
        let mut ask = |text: Option<&str>| -> (usize, usize) {
            read.store(0, Ordering::Relaxed);
            let change = |query: Query<Piece>| match text {
                Some(text) => query.search(search(text)),
                None => query.unsearched(),
            };
            store.list_mut(list).unwrap().change_query(change);
            (
                store.list(list).unwrap().len(),
                read.load(Ordering::Relaxed),
            )
        };
        assert_eq!(ask(Some("bo")), (4, 6));
        assert_eq!(ask(Some("bow")), (4, 4));
        assert_eq!(ask(Some("bowl")), (2, 4));
        assert_eq!(ask(Some("bowl blu")), (1, 2));
        assert_eq!(ask(Some("bowl")), (2, 5));
        assert_eq!(ask(Some("ug")), (2, 6));
        assert_eq!(ask(None), (6, 0));
        store.check().unwrap();
        store.unbind(list).unwrap();
    }
}

fn word() -> impl Strategy<Value = String> {
    let letters = vec![
        "a", "b", "A", "é", "e\u{301}", "ß", "s", "Σ", "ς", " ", "-", "ﬁ", "i", "İ", "か", "が",
        "👍🏽", "１",
    ];
    prop::collection::vec(prop::sample::select(letters), 0..6).prop_map(|letters| letters.concat())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(200)) })]

    #[test]
    fn what_is_marked_is_whole_characters_that_hold_the_word(title in word(), search in word(), at_start in any::<bool>()) {
        let words = Search::<Piece>::new(&search);
        let words = if at_start { words.at_word_start() } else { words };
        let ranges = words.ranges(&title);
        let bounds: Vec<usize> = title.grapheme_indices(true).map(|(at, _)| at).chain([title.len()]).collect();
        for range in &ranges {
            prop_assert!(range.start < range.end);
            prop_assert!(bounds.contains(&range.start) && bounds.contains(&range.end));
        }
        prop_assert!(ranges.windows(2).all(|pair| pair[0].end < pair[1].start));
        let found = words.finds(&piece(1, &title));
        if search.split_whitespace().count() == 1 {
            prop_assert_eq!(found, !ranges.is_empty());
        }
        // What is there letter by letter is found, whatever stands around it.
        let plain = |text: &str| Folding::CaseAndAccents.fold(text);
        if !at_start && plain(&title).contains(plain(search.trim()).as_str()) && !search.contains(['が', 'か']) {
            prop_assert!(found, "{:?} in {:?}", search, title);
        }
    }

    /// A live search comes to the same as a new one, letter by letter there and back, with rows that come
    /// and go meanwhile.
    #[test]
    fn a_live_search_shows_what_a_new_one_shows(
        titles in prop::collection::vec(word(), 1..20),
        searches in prop::collection::vec((word(), any::<bool>()), 1..12),
        at_start in any::<bool>(),
    ) {
        let search = |typed: &str| {
            let search = Search::new(typed);
            if at_start { search.at_word_start() } else { search }
        };
        let mut store = Store::load((0..).zip(&titles).map(|(id, title)| piece(id, title))).unwrap();
        let list = store.bind(Query::new().sort(Piece::TITLE));
        let feed = store.feed(list).unwrap();
        let mut view: Vec<Arc<Piece>> = store.list(list).unwrap().items().cloned().collect();
        let mut typed = String::new();
        for (round, (letters, back)) in searches.iter().enumerate() {
            if *back {
                typed.pop();
            } else {
                typed.push_str(letters);
            }
            let key = (round % titles.len()) as u32;
            store.edit(&key, |piece| piece.title = letters.clone()).unwrap();
            store.list_mut(list).unwrap().change_query(|query| query.search(search(&typed)));
            store.check().unwrap();
            let fresh = store.bind(Query::new().sort(Piece::TITLE).search(search(&typed)));
            let shown: Vec<Arc<Piece>> = store.list(list).unwrap().items().cloned().collect();
            // What is found in kept text is what each item is asked for.
            let plain = search(&typed);
            prop_assert!(shown.iter().all(|piece| plain.finds(piece)));
            let all = store.items().filter(|piece| plain.finds(piece)).count();
            prop_assert_eq!((shown.len(), store.count_found(&plain)), (all, all));
            let more = search(&format!("{typed}a"));
            let left = shown.iter().filter(|piece| more.finds(piece)).count();
            prop_assert_eq!(store.list(list).unwrap().count_found(&more), left);
            prop_assert!(store.list(fresh).unwrap().items().eq(&shown));
            store.unbind(fresh).unwrap();
            if let Some(changes) = feed.read(&store).unwrap() {
                changes.apply(&mut view).unwrap();
            }
            prop_assert_eq!(&view, &shown);
        }
    }
}

#[test]
fn rows_come_in_order_of_relevance_and_stay_in_it() {
    let titles = ["Rainbow", "A blue bow", "Bow", "Bowl", "Elbow, bow"];
    let mut store = Store::load((0..).zip(titles).map(|(id, title)| piece(id, title))).unwrap();
    let search = Search::new("bow");
    let list = store.bind(Query::new().sort(search.relevance()).search(search));
    let ids = |store: &Store<Piece>| -> Vec<u32> {
        store
            .list(list)
            .unwrap()
            .items()
            .map(|piece| piece.id)
            .collect()
    };
    assert_eq!(ids(&store), [2, 3, 1, 4, 0]);
    // The title is looked into before the maker.
    store
        .edit(&0, |piece| piece.maker = Some("Bow".into()))
        .unwrap();
    assert_eq!(ids(&store), [2, 0, 3, 1, 4]);
    store.check().unwrap();
}

#[test]
fn suggestions_follow_the_store() {
    let makers = [
        "Émile Faucheron",
        "Noor el-Haddan",
        "Émile Faucheron",
        "",
        "Wim van der Kluit",
    ];
    let made = |(id, maker): (u32, &str)| Piece {
        maker: Some(maker.to_owned()),
        ..piece(id, "Bowl")
    };
    let mut store = Store::load((0..).zip(makers).map(made)).unwrap();
    let makers = store.suggestions(Piece::MAKER);
    let offered = |store: &Store<Piece>, typed: &str, chosen: &[&str]| -> Vec<(String, usize)> {
        let found = makers.find(store, typed, chosen, 9).unwrap();
        found
            .into_iter()
            .map(|found| (found.text, found.count))
            .collect()
    };
    let emile = ("Émile Faucheron".to_owned(), 2);
    let noor = ("Noor el-Haddan".to_owned(), 1);
    assert_eq!(offered(&store, "E", &[]), [emile.clone(), noor.clone()]);
    assert_eq!(offered(&store, "e", &["Émile Faucheron"]), [noor]);
    assert_eq!(offered(&store, "fau em", &[]), std::slice::from_ref(&emile));
    assert_eq!(offered(&store, "", &[]).len(), 3);
    store.remove(&1).unwrap();
    store
        .edit(&4, |piece| piece.maker = Some("Eos".into()))
        .unwrap();
    assert_eq!(offered(&store, "E", &[]), [emile, ("Eos".to_owned(), 1)]);
    let other = Store::<Piece>::new();
    assert!(makers.find(&other, "E", &[], 9).is_err());
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(200)) })]

    #[test]
    fn suggestions_are_the_values_that_a_search_at_word_starts_finds(
        values in prop::collection::vec(word(), 1..20),
        typed in word(),
        most in 0..6usize,
    ) {
        let pieces = values.iter().zip(0..).map(|(value, id)| piece(id, value));
        let mut store = Store::load(pieces).unwrap();
        let titles = store.suggestions(Piece::TITLE);
        let search = Search::in_fields(&typed, [Piece::TITLE.into()]).at_word_start();
        let mut counts = BTreeMap::<&str, usize>::new();
        for item in store.items().filter(|item| search.finds(item) && !item.title.trim().is_empty()) {
            *counts.entry(&item.title).or_default() += 1;
        }
        let mut expected: Vec<(&str, usize)> = counts.into_iter().collect();
        expected.sort_by_key(|(text, count)| (Reverse(*count), *text));
        expected.truncate(most);
        for _ in 0..2 {
            let found = titles.find(&store, &typed, &[], most).unwrap();
            let found: Vec<(&str, usize)> = found.iter().map(|found| (&*found.text, found.count)).collect();
            prop_assert_eq!(&found, &expected);
        }
    }
}

#[test]
fn a_text_made_of_two_members_is_asked_again_when_either_changes() {
    let shown = |piece: &Piece| format!("{} mm high, {}", piece.height_mm, piece.note);
    let field = AnyField::from(Piece::HEIGHT_MM).shown_as(shown);
    let mut store = Store::load((0..3).map(|id| piece(id, "Bowl"))).unwrap();
    let search = Search::in_fields("green", [field]);
    let list = store.bind(Query::new().search(search));
    store.edit(&1, |piece| piece.note = "green".into()).unwrap();
    assert_eq!(store.list(list).unwrap().position(&1), Some(0));
    store.check().unwrap();
    store.edit(&1, |piece| piece.note = "grey".into()).unwrap();
    assert!(store.list(list).unwrap().is_empty());
}

#[test]
fn a_word_that_begins_inside_a_find_of_itself_is_found() {
    let titles = ["stoneware xa-a-a", "stoneware xa-a", "stoneware a-a"];
    let pieces = titles.iter().zip(0..).map(|(title, id)| piece(id, title));
    let mut store = Store::load(pieces).unwrap();
    // The second word is looked for in the text that is kept, beside the first.
    let search = Search::<Piece>::new("stoneware a-a").at_word_start();
    let found = store
        .items()
        .filter(|item| search.finds(item))
        .map(|item| item.id);
    let found: Vec<u32> = found.collect();
    assert_eq!(found, [0, 2]);
    store.prepare_search(&search);
    let list = store.bind(Query::new().search(search));
    let rows = store.list(list).unwrap();
    assert!(rows.items().map(|item| item.id).eq(found));
}
