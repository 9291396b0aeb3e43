//! Records: values compared as values, keys, names, sorts, and their change sets as JSON.

use proptest::prelude::*;
use serde_json::{Value, json};
use std::cmp::Ordering;
use usual_tide::fields::Kind;
use usual_tide::query::{FieldLookup, SortRank, SortValue};
use usual_tide::record::{self, FieldName, ParseError, Record, RecordKey, Schema, Shape};
use usual_tide::{Fields, Item, Place, Query, Sort, Store};

fn name(text: &str) -> FieldName {
    FieldName::parse(text).unwrap()
}

fn record(members: &Value) -> Record {
    Record::new(members.as_object().unwrap().clone(), &name("id")).unwrap()
}

fn value(text: &str) -> Value {
    serde_json::from_str(text).unwrap()
}

fn same(one: &str, two: &str) -> bool {
    let holding = |text: &str| value(&format!("{{\"id\": 1, \"v\": {text}}}"));
    record(&holding(one)) == record(&holding(two))
}

#[test]
fn values_compare_as_values() {
    for (one, two) in [
        ("1", "1.0"),
        ("1", "1e0"),
        ("100", "1e2"),
        ("0", "-0"),
        ("0", "0.000e5"),
        ("0.5", "5e-1"),
        ("12345678901234567890123", "1.2345678901234567890123e22"),
        ("[1, 2]", "[1.0, 2]"),
        ("{\"a\": 1, \"b\": 2}", "{\"b\": 2.0, \"a\": 1}"),
    ] {
        assert!(same(one, two), "{one} and {two}");
    }
    for (one, two) in [
        ("9007199254740993", "9007199254740992"),
        ("1", "\"1\""),
        ("null", "0"),
        ("1", "-1"),
        ("[1]", "[1, 1]"),
        ("0.1", "0.1000000000000000055511151231257827"),
        ("1e400", "1e401"),
        ("{\"a\": null}", "{}"),
    ] {
        assert!(!same(one, two), "{one} and {two}");
    }
}

#[test]
fn keys_are_text_or_integers_and_never_mixed_up() {
    let key = |text: &str| RecordKey::from_value(&value(text));
    assert_eq!(key("1").unwrap(), RecordKey::from(1));
    assert_ne!(key("1").unwrap(), key("\"1\"").unwrap());
    assert_eq!(key("-0").unwrap(), RecordKey::from(0));
    assert_eq!(
        key("18446744073709551616").unwrap().to_value(),
        value("18446744073709551616")
    );
    // Every integer comes back, and they are in order, before all text.
    let bounds = [
        i128::MIN + 1,
        -1 << 64,
        -1,
        0,
        1,
        (1 << 64) - 1,
        1 << 64,
        i128::MAX,
    ];
    let keys = bounds.map(RecordKey::from_integer);
    assert_eq!(keys.each_ref().map(RecordKey::as_integer), bounds.map(Some));
    assert!(keys.is_sorted() && keys[7] < RecordKey::from(""));
    assert!(
        keys.iter()
            .zip(bounds)
            .all(|(key, integer)| key.to_string() == integer.to_string())
    );
    for refused in [
        "1.0",
        "1e3",
        "1.5",
        "true",
        "null",
        "[]",
        "{}",
        &"9".repeat(60),
    ] {
        assert!(key(refused).is_err(), "{refused}");
    }
}

#[test]
fn fields_are_found_by_name_by_dots_and_by_pointer() {
    let piece = record(&json!({
        "id": 1, "fee": {"amount": "4.50", "a/b": 2, "~": 3}, "fee.amount": "exact", "": {"": 7},
    }));
    assert_eq!(piece.get("fee.amount").unwrap(), "exact");
    assert_eq!(piece.get("/fee/amount").unwrap(), "4.50");
    assert_eq!(piece.get("/fee/a~1b").unwrap(), 2);
    assert_eq!(piece.get("/fee/~0").unwrap(), 3);
    assert_eq!(piece.get("//").unwrap(), 7);
    assert_eq!(piece.get("fee.none"), None);
    assert_eq!(piece.get("id.none"), None);
    assert!(FieldName::parse("").is_err() && FieldName::parse("/a~2").is_err());
    assert!(FieldName::parse("/~é").is_err());
}

#[test]
fn a_field_that_cannot_be_set_leaves_the_record_as_it_was() {
    let mut piece = record(&json!({"id": 1, "title": "Bowl"}));
    piece.set("fee.amount", json!("4.50")).unwrap();
    assert_eq!(piece.get("/fee/amount").unwrap(), "4.50");
    let before = piece.clone();
    assert!(piece.set("title.part", json!(1)).is_err());
    assert!(piece.set("id", json!(null)).is_err());
    assert!(piece == before);
    piece.set("id", json!("other")).unwrap();
    assert_eq!(piece.key(), &RecordKey::from("other"));
}

#[test]
fn differing_fields_are_pointers_into_objects_on_both_sides() {
    let one = record(&json!({"id": 1, "a": {"x": 1, "y": 2}, "b": [1, 2], "c": 1, "d/e": 0}));
    let two = record(
        &json!({"id": 1, "a": {"x": 1.0, "y": 3, "z": 0}, "b": [1, 3], "f": null, "d/e": 1}),
    );
    let fields = one.changed_fields(&two);
    let fields: Vec<&str> = fields.iter().map(|field| field.as_pointer()).collect();
    assert_eq!(fields, ["/a/y", "/a/z", "/b", "/c", "/d~1e", "/f"]);
}

#[test]
fn text_is_read_as_an_array_or_line_by_line() {
    let key = name("id");
    let read = |text: &str| record::parse(text, &key).map(|records| records.len());
    assert_eq!(read("[]").unwrap(), 0);
    assert_eq!(read("\u{feff}[{\"id\": 1}]").unwrap(), 1);
    assert_eq!(read("{\"id\": 1}\n\n{\"id\": 2}\r\n").unwrap(), 2);
    assert_eq!(record::parse_as(Shape::Ndjson, "", &key).unwrap().len(), 0);
    let error = read("{\"id\": 1}\n{\"id\": tru}").unwrap_err();
    assert!(
        matches!(
            error,
            ParseError::Json {
                line: 2,
                column: 11,
                ..
            }
        ),
        "{error}"
    );
    let error = read("{\"id\": 1}\n[2]").unwrap_err();
    assert_eq!(
        error.to_string(),
        "line 2: expected an object, found an array"
    );
    let error = read("[{\"id\": 1}, {\"id\": true}]").unwrap_err();
    assert_eq!(
        error.to_string(),
        "element 1 (counted from 0): its field \"id\" is no key: a key is a string or an integer, and this is true"
    );
}

#[test]
fn a_change_set_as_json_has_the_documented_form() {
    let items = ["P-0007", "P-0100", "P-0101", "P-0412"];
    let items = items.map(|id| record(&json!({"id": id, "glaze": "shino"})));
    let mut store = Store::load(items).unwrap();
    let list = store.bind(Query::new().numbered());
    let feed = store.feed(list).unwrap();
    store.remove(&"P-0412".into()).unwrap();
    store
        .add(record(&json!({"id": "P-0500"})), Place::Start)
        .unwrap();
    store.move_to(&"P-0101".into(), Place::Row(1)).unwrap();
    store
        .edit(&"P-0007".into(), |piece| {
            piece.set("glaze", json!("clear")).unwrap()
        })
        .unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!(
        changes.to_json(),
        json!({
            "before": 4, "after": 4,
            "removed": [{"at": 3, "key": "P-0412"}],
            "inserted": [{"at": 0, "key": "P-0500", "item": {"id": "P-0500"}}],
            "moved": [{"from": 2, "to": 1, "key": "P-0101"}],
            "updated": [{
                "from": 0, "to": 2, "key": "P-0007", "fields": ["/glaze"],
                "item": {"id": "P-0007", "glaze": "clear"},
            }],
            "renumbered": [{"start": 2, "end": 4}],
        })
    );
}

/// Few pieces, so that many texts begin alike: zeros, frequent and rare letters, and characters of two to four bytes.
const TEXT: &str = "(\0|e|a |Z|9|é|è|窯|\u{10ffff}){0,9}";

fn any_value() -> impl Strategy<Value = Value> {
    let number = prop_oneof![
        any::<i64>().prop_map(|number| number.to_string()),
        (-999..999i32, -9..9i32).prop_map(|(digits, exponent)| format!("{digits}e{exponent}")),
        (-99..99i32, 0..999u32).prop_map(|(whole, part)| format!("{whole}.{part}")),
    ];
    prop_oneof![
        1 => Just(Value::Null),
        1 => any::<bool>().prop_map(Value::Bool),
        4 => number.prop_map(|text| value(&text)),
        4 => "[a-c]{0,12}".prop_map(Value::String),
        1 => prop::collection::vec(0..3u8, 0..3).prop_map(|numbers| json!(numbers)),
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(500)) })]

    #[test]
    fn the_order_of_values_is_total_and_their_prefixes_keep_it(
        one in any_value(), two in any_value(), three in any_value(),
    ) {
        prop_assert_eq!(one.compare(&two), two.compare(&one).reverse());
        if one.compare(&two).is_le() && two.compare(&three).is_le() {
            prop_assert!(one.compare(&three).is_le());
        }
        if one.rank() == SortRank::Value && two.rank() == SortRank::Value {
            match one.prefix().cmp(&two.prefix()) {
                Ordering::Equal => {}
                by_prefix => prop_assert_eq!(one.compare(&two), by_prefix),
            }
        }
    }

    #[test]
    fn texts_whose_prefixes_tie_have_the_bytes_in_common_that_they_say_and_are_told_apart_after_them(
        common in TEXT, ends in (TEXT, TEXT), bits in 0..=64_u32,
    ) {
        let (one, two) = (common.clone() + &ends.0, common + &ends.1);
        // Where a text ends is as if zeros followed.
        let padded = |text: &str, bytes: usize| {
            let padded = text.bytes().chain(std::iter::repeat(0));
            padded.take(bytes).collect::<Vec<u8>>()
        };
        let top = |text: &str| text.prefix().checked_shr(64 - bits).unwrap_or(0);
        match top(&one).cmp(&top(&two)) {
            Ordering::Equal => {
                let same = one.bytes_in_prefix(bits);
                prop_assert!(same >= bits as usize / 12);
                prop_assert_eq!(same, two.bytes_in_prefix(bits));
                prop_assert_eq!(padded(&one, same), padded(&two, same));
                let next = one.prefix_from(same).cmp(&two.prefix_from(same));
                prop_assert!(next.is_eq() || next == one.cmp(&two));
            }
            by_prefix => prop_assert_eq!(one.cmp(&two), by_prefix),
        }
    }

    #[test]
    fn small_decimals_compare_as_integers_of_a_smaller_unit(
        one in -99_999..99_999i64, two in -99_999..99_999i64,
    ) {
        let text = |number: i64| {
            let (whole, part) = (number.abs() / 1000, number.abs() % 1000);
            value(&format!("{}{whole}.{part:03}", if number < 0 { "-" } else { "" }))
        };
        prop_assert_eq!(text(one).compare(&text(two)), one.cmp(&two));
        prop_assert_eq!(same(&text(one).to_string(), &format!("{one}e-3")), true);
    }

    #[test]
    fn every_typed_sort_value_keeps_its_order_in_its_prefix(
        ints in any::<(i64, i64)>(), floats in any::<(f64, f64)>(), texts in any::<(String, String)>(),
        small in any::<(i8, i8)>(),
    ) {
        fn check<V: SortValue>(one: &V, two: &V) {
            if one.rank() == two.rank() && one.rank() == SortRank::Value {
                let order = one.prefix().cmp(&two.prefix());
                assert!(order.is_eq() || order == one.compare(two));
                assert!(order.is_ne() || V::DECIDING_BITS == 0 || one.compare(two).is_eq());
            }
        }
        check(&ints.0, &ints.1);
        check(&floats.0, &floats.1);
        check(&texts.0, &texts.1);
        check(&small.0, &small.1);
        check(&Some(ints.0), &Some(ints.1));
        check(&(ints.0 as u32), &(ints.1 as u32));
    }
}

#[test]
fn a_member_with_a_dot_in_its_name_and_a_way_of_the_same_names_are_two_fields() {
    let id = FieldName::parse("id").unwrap();
    let both = r#"[{"id": 1, "a.b": 2, "a": {"b": 3}}, {"id": 2, "a.b": 1, "a": {"b": 9}}]"#;
    let mut records = record::parse(both, &id).unwrap();
    let schema = Schema::infer(&records);
    let names: Vec<&str> = schema.fields().map(|(name, _)| name).collect();
    assert_eq!(names, ["id", "/a.b", "/a/b"]);
    let value = |name: &str| schema.field(name).unwrap().value(&records[0]).to_string();
    // As everywhere, a member of exactly that name comes first.
    assert_eq!(
        [value("a.b"), value("/a.b"), value("/a/b")],
        ["2", "2", "3"]
    );
    for name in names {
        assert_eq!(schema.field(name).unwrap().name(), name);
    }
    for (name, json) in [
        ("/a/b", r#"{"id":1,"a.b":2,"a":{"b":7}}"#),
        ("a.b", r#"{"id":1,"a.b":7,"a":{"b":7}}"#),
    ] {
        schema
            .field(name)
            .unwrap()
            .read(&mut records[0], "7")
            .unwrap();
        assert_eq!(records[0].to_json().to_string(), json);
    }

    // By itself it is called what it is called, also in records that do not have it.
    let one = record::parse(r#"[{"id": 1, "km.h": 2}, {"id": 2}]"#, &id).unwrap();
    let schema = Schema::infer(&one);
    let field = schema.field("km.h").unwrap();
    assert_eq!((field.name(), field.path().as_pointer()), ("km.h", "/km.h"));
    let mut other = one[1].clone();
    field.read(&mut other, "5").unwrap();
    assert_eq!(other.to_json(), json!({"id": 2, "km.h": 5}));
    assert_eq!(
        Sort::from(schema.field("km.h").unwrap()).text().as_deref(),
        Some("km.h")
    );
    assert_eq!(schema.kind("/km.h"), Some(Kind::Integer));
    assert_eq!(schema.kind("/km/h"), None);
}
