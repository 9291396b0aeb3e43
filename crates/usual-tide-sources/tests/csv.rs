//! CSV: what is written is read back as it was, or refused.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use proptest::prelude::*;
use serde_json::{Map, Value, json};
use std::time::Duration;
use usual_tide::record::{FieldName, Record};
use usual_tide::{SharedStore, Store};
use usual_tide_sources::files::{
    FileFormat, FileSource, ReadError, ReadOptions, parse, read_as, read_file, write,
};
use usual_tide_sources::link::{Answer, DirectSource, Link};

fn id() -> FieldName {
    FieldName::parse("id").unwrap()
}

fn value() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![
        Just(Value::Null),
        any::<bool>().prop_map(Value::from),
        (-20..20i64).prop_map(Value::from),
        Just(json!(1.50)),
        "true|false|12|-0|1e5|007|, ?|\"|a\"b| a|\n|\r|\u{feff}|[a-z]{0,3}".prop_map(Value::from),
    ];
    leaf.prop_recursive(2, 6, 3, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..2).prop_map(Value::from),
            prop::collection::btree_map("a|b|a.b|", inner, 0..3)
                .prop_map(|members| Value::Object(members.into_iter().collect())),
        ]
    })
}

fn item() -> impl Strategy<Value = Map<String, Value>> {
    let id = prop_oneof![
        (0..99i64).prop_map(Value::from),
        "[0-9]{0,2}|P-[0-9]".prop_map(Value::from),
    ];
    (
        id,
        prop::collection::btree_map("a|b|t|id.x|a.b|", value(), 0..4),
    )
        .prop_map(|(id, more)| {
            let members = [("id".to_owned(), id)].into_iter().chain(more);
            members.collect()
        })
}

/// Whether one object is the other, but for nulls.
fn same(one: &Value, two: &Value) -> bool {
    match (one, two) {
        (Value::Object(one), Value::Object(two)) => {
            let names = one.keys().chain(two.keys());
            let at =
                |of: &Map<String, Value>, name: &String| of.get(name).cloned().unwrap_or_default();
            names
                .into_iter()
                .all(|name| same(&at(one, name), &at(two, name)))
        }
        // An object of nothing but nulls is one that is absent.
        (Value::Null, Value::Object(members)) | (Value::Object(members), Value::Null) => {
            members.values().all(|value| same(value, &Value::Null))
        }
        (one, two) => one == two,
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(500))]

    #[test]
    fn items_come_back_or_are_refused(items in prop::collection::vec(item(), 1..5)) {
        let mut text = Vec::new();
        let records: Vec<Record> =
            items.iter().map(|item| Record::new(item.clone(), &id()).unwrap()).collect();
        let written = records.iter().map(|item| item.members());
        if write(&mut text, FileFormat::Csv, written).is_err() {
            prop_assert!(text.is_empty(), "something was written");
            return Ok(());
        }
        let text = String::from_utf8(text).unwrap();
        let read = parse(&text, FileFormat::Csv, &id());
        let read = read.unwrap_or_else(|why| panic!("{why}: {text:?}"));
        prop_assert_eq!(read.len(), items.len());
        for (read, item) in read.iter().zip(&items) {
            let (read, item) = (Value::Object(read.to_members()), Value::Object(item.clone()));
            prop_assert!(same(&read, &item), "{item} came back as {read} from {text:?}");
        }
        // And once more, the same text.
        let mut again = Vec::new();
        write(&mut again, FileFormat::Csv, read.iter().map(|item| item.members())).unwrap();
        let again = parse(&String::from_utf8(again).unwrap(), FileFormat::Csv, &id()).unwrap();
        prop_assert_eq!(again, read);
    }
}

fn read(text: &str) -> Result<Value, ReadError> {
    let items = parse(text, FileFormat::Csv, &id())?;
    Ok(items
        .iter()
        .map(|item| Value::Object(item.to_members()))
        .collect())
}

#[test]
fn quotes_say_what_is_text() {
    // Text among numbers, flags among numbers, and empty text.
    let typed = read("id,a,b\n1,2,true\n\"1\",\"2\",\"\"\n3,,5\n").unwrap();
    assert_eq!(
        typed,
        json!([{"id": 1, "a": 2, "b": true}, {"id": "1", "a": "2", "b": ""}, {"id": 3, "a": null, "b": 5}])
    );
    // A program that puts all in quotes says nothing by them.
    let all = read("\"id\",\"a\"\n\"1\",\"x\"\n\"2\",\"\"\n").unwrap();
    assert_eq!(all, json!([{"id": 1, "a": "x"}, {"id": 2, "a": null}]));
    // One value that is no number makes the column text.
    let text = read("id,a\n1,7\n2,x\n").unwrap();
    assert_eq!(text, json!([{"id": 1, "a": "7"}, {"id": 2, "a": "x"}]));
}

#[test]
fn quotes_that_are_wrong_are_told_with_their_line() {
    let open = read("id,a\n1,x\n2,\"half of it\n").unwrap_err().to_string();
    assert!(
        open.starts_with("line 3: the file ends before a quote"),
        "{open}"
    );
    let behind = read("id,a\n1,\"x\"y\n").unwrap_err().to_string();
    assert!(
        behind.starts_with("line 2: there is text after"),
        "{behind}"
    );
    // However many byte order marks come before the quote.
    for marks in ["\u{feff}", "\u{feff}\u{feff}", "\u{feff}\u{feff}\u{feff}"] {
        let open = read(&format!("{marks}\"id,a\n1,2\n")).unwrap_err();
        assert!(matches!(open, ReadError::OpenQuote { line: 1 }), "{open}");
    }
    let deep = ".a".repeat(20_000);
    let told = read(&format!("id,x{deep}\n1,2\n")).unwrap_err().to_string();
    assert!(told.contains("20001 steps"), "{told}");
}

#[test]
fn another_character_can_stand_between_the_values() {
    let options = ReadOptions::default()
        .format(FileFormat::Csv)
        .delimiter(b';');
    let content = read_as(&b"id;fee\n1;\"4;5\"\n"[..], &options, &id()).unwrap();
    assert_eq!(content.items[0].get("fee").unwrap(), json!("4;5"));
    let mut again = Vec::new();
    let members = content.items.iter().map(|item| item.members());
    usual_tide_sources::files::write_as(&mut again, FileFormat::Csv, &content.layout, members)
        .unwrap();
    assert_eq!(again, b"id;fee\n1;\"4;5\"\n");
}

#[test]
fn a_file_without_a_column_for_the_key_says_which_there_are() {
    let told = |text: &str, delimiter: u8| {
        let options = ReadOptions::default()
            .format(FileFormat::Csv)
            .delimiter(delimiter);
        let read = read_as(text.as_bytes(), &options, &FieldName::parse("id").unwrap());
        read.unwrap_err().to_string()
    };
    let begins = "line 1: there is no column \"id\", which is to be the key, but ";
    assert_eq!(
        told("ID,title\n1,Bowl\n", b','),
        format!("{begins}\"ID\", \"title\"")
    );
    // Also where there is no row yet.
    assert_eq!(told("title\n", b';'), format!("{begins}\"title\""));
    let many: Vec<String> = (1..=20).map(|at| format!("c{at}")).collect();
    assert!(told(&many.join(","), b',').ends_with("\"c12\" and 8 more"));
    let separated = |character: char| format!("perhaps {character:?} is what separates the values");
    for (text, delimiter, character) in [
        ("id;title\n1;Bowl\n", b',', ';'),
        ("id\ttitle\n", b',', '\t'),
        ("id,title\n", b'\t', ','),
    ] {
        assert!(
            told(text, delimiter).ends_with(&separated(character)),
            "{text}"
        );
    }
}

#[test]
fn tabs_are_between_the_values_of_a_tsv_file() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.TSV");
    std::fs::write(&path, "id\ttitle\n1\tBowl, deep\n").unwrap();
    let key = FieldName::parse("id").unwrap();
    assert_eq!(
        read_file(&path, &key).unwrap()[0].get("title").unwrap(),
        "Bowl, deep"
    );
    let store = SharedStore::new(Store::new());
    let link = Link::start(store.clone(), FileSource::new(&path, &key)).unwrap();
    let wait = Duration::from_secs(20);
    link.wait_until_ready(wait).unwrap();
    let edit = |piece: &mut Record| piece.set("title", "Mug".into()).unwrap();
    store
        .edit(|store| store.edit(&1.into(), edit))
        .unwrap()
        .unwrap();
    link.flush(wait).unwrap();
    assert_eq!(
        std::fs::read_to_string(&path).unwrap(),
        "id\ttitle\n1\tMug\n"
    );
}

/// As tables of numbered rows are often saved.
#[test]
fn a_column_without_a_name_is_a_column() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.csv");
    std::fs::write(&path, ",title\n0,Bowl\n1,Mug\n").unwrap();
    // A JSON Pointer names it.
    let mut source = DirectSource::new(FileSource::new(&path, &FieldName::parse("/").unwrap()));
    let mut store = Store::load(source.load().unwrap().items).unwrap();
    store.writes_mut().track();
    store
        .edit(&1.into(), |piece| piece.set("title", "Jug".into()).unwrap())
        .unwrap();
    let writes: Vec<_> = store.writes().pending().cloned().collect();
    assert_eq!(source.write_many(&writes).unwrap(), [Answer::Saved]);
    assert_eq!(
        std::fs::read_to_string(&path).unwrap(),
        ",title\n0,Bowl\n1,Jug\n"
    );
    // By itself it could not be read back.
    let alone = usual_tide::record::parse(r#"[{"": 1}]"#, &FieldName::parse("/").unwrap()).unwrap();
    let mut out = Vec::new();
    let refused = write(
        &mut out,
        FileFormat::Csv,
        alone.iter().map(|item| item.members()),
    );
    assert!(
        refused
            .unwrap_err()
            .to_string()
            .contains("cannot be the only one")
    );
    assert!(out.is_empty());
}
