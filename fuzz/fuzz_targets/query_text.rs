//! Filters, sorts and groups as text: what parses prints as text that parses to the same, and a list can be asked
//! for it.

#![no_main]

use libfuzzer_sys::fuzz_target;
use std::sync::{Arc, LazyLock};
use usual_tide::query::{FieldLookup, FilterText};
use usual_tide::record::{Record, Schema};
use usual_tide::{Condition, Group, Query, Search, Sort, Store};
use usual_tide_fuzz::pieces;

static PIECES: LazyLock<Vec<Record>> = LazyLock::new(|| pieces(24));
static SCHEMA: LazyLock<Schema> = LazyLock::new(|| Schema::infer(PIECES.iter()));

fuzz_target!(|text: &str| {
    let mut query = Query::new();
    for (number, line) in text.lines().take(4).enumerate() {
        query = match number {
            0 => filter(query, line),
            1 => sort(query, line),
            2 => group(query, line),
            _ => {
                let title = SCHEMA.field("title");
                query.search(Search::in_fields(line, title))
            }
        };
    }
    bind(query);
});

fn filter(query: Query<Record>, text: &str) -> Query<Record> {
    let Ok(parsed) = text.parse::<FilterText>() else {
        return query;
    };
    let printed = parsed.to_string();
    assert_eq!(
        printed.parse::<FilterText>().as_ref(),
        Ok(&parsed),
        "{printed}"
    );
    let Ok(condition) = parsed.check_with(&*SCHEMA) else {
        return query;
    };
    if let Some(written) = condition.text() {
        let again = Condition::parse_with(&written, &*SCHEMA);
        let again = again.unwrap_or_else(|why| panic!("{written}: {why}"));
        for piece in &*PIECES {
            assert_eq!(again.test(piece), condition.test(piece), "{written}");
        }
    }
    query.filter(condition)
}

fn sort(query: Query<Record>, text: &str) -> Query<Record> {
    let Ok(sort) = Sort::parse_with(text, &*SCHEMA) else {
        return query;
    };
    if let Some(written) = sort.text() {
        let again = Sort::parse_with(&written, &*SCHEMA);
        let again = again.unwrap_or_else(|why| panic!("{written}: {why}"));
        assert_eq!(again.text(), Some(written));
    }
    query.sort(sort)
}

fn group(query: Query<Record>, text: &str) -> Query<Record> {
    let Ok(group) = Group::parse_with(text, &*SCHEMA) else {
        return query;
    };
    if let Some(written) = group.text() {
        let again = Group::parse_with(&written, &*SCHEMA);
        let again = again.unwrap_or_else(|why| panic!("{written}: {why}"));
        assert_eq!(again.text(), Some(written));
        for piece in &*PIECES {
            assert_eq!(again.key(piece), group.key(piece));
        }
    }
    query.group(group)
}

/// The list shows what a plain pass over the items finds, and follows an edit.
fn bind(query: Query<Record>) {
    let mut store = Store::load(PIECES.iter().cloned()).expect("their keys differ");
    let shows = |piece: &Record| {
        let tested = query
            .condition()
            .is_none_or(|condition| condition.test(piece) == Some(true));
        tested && query.searching().is_none_or(|search| search.finds(piece))
    };
    let expected = PIECES.iter().filter(|piece| shows(piece)).count();
    let list = store.bind(query);
    let feed = store.feed(list).expect("the list is bound");
    let mut view: Vec<Arc<Record>> = rows(&store, list);
    assert_eq!(view.len(), expected);
    store
        .reload(PIECES.iter().rev().skip(7).cloned())
        .expect("their keys differ");
    store.check().expect("the store is sound");
    if let Some(changes) = feed.read(&store).expect("the list is bound") {
        changes.apply(&mut view).expect("it fits the rows");
    }
    assert_eq!(view, rows(&store, list));
}

fn rows(store: &Store<Record>, list: usual_tide::ListId) -> Vec<Arc<Record>> {
    store
        .list(list)
        .expect("the list is bound")
        .items()
        .cloned()
        .collect()
}
