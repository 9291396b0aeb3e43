//! Records against plain JSON values: what is read, written, set and compared is the same.

use crate::cases;
use proptest::prelude::*;
use serde_json::{Map, Value, json};
use std::cmp::Ordering;
use usual_tide::fields::{Fields, Kind, Value as FieldContent};
use usual_tide::query::FieldLookup;
use usual_tide::record::{
    ColumnValue, Columns, FieldName, MemberValue, ParseError, Record, RecordError, RecordMaker,
    Schema, Shape, parse_as, parse_line,
};
use usual_tide::{Condition, Item};

fn name(text: &str) -> FieldName {
    FieldName::parse(text).unwrap()
}

/// JSON values with everything that a block must tell apart: long and short texts, escapes, numbers that no float
/// holds, lists and objects in each other.
fn any_json() -> impl Strategy<Value = String> {
    let leaf = prop_oneof![
        Just("null".to_owned()),
        any::<bool>().prop_map(|flag| flag.to_string()),
        "-?(0|[1-9][0-9]{0,40})(\\.[0-9]{1,20})?([eE][+-]?[0-9]{1,3})?",
        "[a-zà \\\\\"\n\u{1f300}]{0,12}".prop_map(|text| json!(text).to_string()),
        (120..140usize, "[aé]").prop_map(|(times, letter)| json!(letter.repeat(times)).to_string()),
    ];
    leaf.prop_recursive(4, 24, 5, |inner| {
        let named = prop::collection::btree_map("[abc]|fee|fee\\.a|", inner.clone(), 0..5);
        prop_oneof![
            prop::collection::vec(inner, 0..5).prop_map(|all| format!("[{}]", all.join(","))),
            named.prop_map(|members| object(&members.into_iter().collect::<Vec<_>>())),
        ]
    })
}

fn object(members: &[(String, String)]) -> String {
    let members = members
        .iter()
        .map(|(name, value)| format!("{}:{value}", json!(name)));
    format!("{{{}}}", members.collect::<Vec<_>>().join(","))
}

/// JSON values of which many are equal, and texts that are read as something else in a field of that kind.
fn a_member() -> impl Strategy<Value = String> {
    prop_oneof![
        3 => prop::sample::select(MEMBERS).prop_map(str::to_owned),
        2 => prop::sample::select(TEXTS).prop_map(|text| json!(text).to_string()),
        1 => any_json(),
    ]
}

const MEMBERS: &[&str] = &[
    "0", "3", "-0", "3.0", "31e-1", "null", "true", "false", "[3]",
];

const TEXTS: &[&str] = &[
    "",
    "3",
    "3.0",
    "a",
    "ab",
    "2026-11-30",
    "2026-11-30T12:00:00Z",
];

fn a_value() -> impl Strategy<Value = FieldContent<'static>> {
    prop_oneof![
        (-1..5i64).prop_map(FieldContent::from),
        any::<i128>().prop_map(FieldContent::Integer),
        any::<bool>().prop_map(FieldContent::from),
        prop::sample::select(&[2.5, 3.0, f64::NAN][..]).prop_map(FieldContent::from),
        prop::sample::select(TEXTS).prop_map(FieldContent::from),
        Just(FieldContent::Missing),
    ]
}

/// The text of an object with a key, without white space.
fn any_record() -> impl Strategy<Value = String> {
    let member = ("[abc]|fee|fee\\.a|", any_json());
    (prop::collection::vec(member, 0..6), 0..9i64, 0..6usize).prop_map(|(members, id, at)| {
        let mut seen = Vec::new();
        let mut members: Vec<(String, String)> = members
            .into_iter()
            .filter(|(name, _)| {
                !seen.contains(name) && {
                    seen.push(name.clone());
                    true
                }
            })
            .collect();
        members.insert(at.min(members.len()), ("id".to_owned(), id.to_string()));
        object(&members)
    })
}

fn parsed(line: &str) -> Record {
    parse_as(Shape::Ndjson, line, &name("id"))
        .unwrap()
        .remove(0)
}

fn members_of(line: &str) -> Map<String, Value> {
    serde_json::from_str(line).unwrap()
}

/// What is at a name in plain JSON.
fn at<'a>(members: &'a Map<String, Value>, field: &FieldName) -> Option<&'a Value> {
    field.find(members)
}

const NAMES: [&str; 9] = [
    "a", "fee", "fee.a", "/fee/a", "fee.b.c", "id", "b.a", "", "/",
];

fn a_name() -> impl Strategy<Value = FieldName> {
    prop::sample::select(&NAMES[..]).prop_filter_map("a name", |text| FieldName::parse(text).ok())
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(cases(500)) })]

    #[test]
    fn text_comes_back_to_the_byte(lines in prop::collection::vec(any_record(), 1..5)) {
        let text = lines.join("\n");
        let records = parse_as(Shape::Ndjson, &text, &name("id")).unwrap();
        prop_assert_eq!(records.len(), lines.len());
        for (record, line) in records.iter().zip(&lines) {
            prop_assert_eq!(&record.members().to_string(), line);
            prop_assert_eq!(record.to_members(), members_of(line));
            for (member, value) in record.members().iter() {
                prop_assert_eq!(Some(value), record.members().get(member));
                prop_assert_eq!(&value.to_json(), &members_of(line)[member]);
            }
        }
        let array = format!("[{}]", lines.join(" , "));
        prop_assert_eq!(&parse_as(Shape::Json, &array, &name("id")).unwrap(), &records);
        let maker = RecordMaker::new(&name("id"));
        for (record, line) in records.iter().zip(&lines) {
            prop_assert_eq!(&maker.record(members_of(line)).unwrap(), record);
        }
    }

    /// Text that has been damaged: read is what a JSON parser reads, and nothing else.
    #[test]
    fn only_json_is_read(
        line in any_record(),
        damages in prop::collection::vec((any::<usize>(), 0..4u8, "[{}\\[\\],:\"\\\\ 0\\-.eu\\n\u{1}é]"), 1..4),
    ) {
        let mut text: Vec<char> = line.chars().collect();
        for (at, kind, other) in damages {
            let at = at % (text.len() + 1);
            match (kind, text.get(at).copied()) {
                (0, Some(_)) => drop(text.remove(at)),
                (1, Some(twice)) => text.insert(at, twice),
                (2, Some(_)) => text[at] = other.chars().next().unwrap_or(' '),
                _ => text.splice(at..at, other.chars()).for_each(drop),
            }
        }
        let text: String = text.into_iter().collect();
        let maker = RecordMaker::new(&name("id"));
        let json = serde_json::from_str::<Value>(&text);
        let read = parse_line(&text, 1, &maker);
        match (read, json) {
            (Ok(Some(record)), Ok(json)) => prop_assert_eq!(Value::Object(record.to_members()), json),
            (Ok(None), _) => prop_assert!(text.trim().is_empty()),
            (Err(ParseError::Record { .. } | ParseError::NotAnObject { .. }), Ok(_)) => {}
            (Err(ParseError::Json { .. }), Err(_)) => {}
            (read, json) => prop_assert!(false, "{:?}: {:?}, beside {:?}", text, read, json),
        }
        let listed = format!("[{text}]");
        let json = serde_json::from_str::<Value>(&listed);
        if let Ok(records) = parse_as(Shape::Json, &listed, &name("id")) {
            let records = records.iter().map(|record| Value::Object(record.to_members()));
            prop_assert_eq!(records.collect::<Value>(), json.unwrap());
        }
    }

    #[test]
    fn fields_are_found_and_set_as_in_plain_json(
        line in any_record(), field in a_name(), value in any_json(), other in any_record(),
    ) {
        let record = parsed(&line);
        let mut members = members_of(&line);
        let found = record.field(&field).map(|value| value.to_json());
        prop_assert_eq!(found.as_ref(), at(&members, &field));
        // Found again where another shape was asked meanwhile, by the way that filters and sorts take.
        let known = Record::field_named(&field.to_string()).unwrap();
        for _ in 0..2 {
            let shown = |record: &Record| known.shown(record);
            let again = Record::field_named(&field.to_string()).unwrap();
            prop_assert_eq!(shown(&record), again.shown(&record));
            prop_assert_eq!(shown(&parsed(&other)), again.shown(&parsed(&other)));
        }

        let value: Value = serde_json::from_str(&value).unwrap();
        let mut edited = record.clone();
        let set = edited.set_field(&field, value.clone());
        if set.is_err() {
            prop_assert_eq!(&edited, &record, "a refused edit changed it");
            return Ok(());
        }
        let pointer = |text: &str| text.starts_with('/');
        let whole = field.to_string();
        let way = match !pointer(&whole) && members.contains_key(&whole) {
            true => vec![whole],
            false => field.members().to_vec(),
        };
        put(&mut members, &way, value);
        prop_assert_eq!(edited.to_members(), members.clone());
        prop_assert_eq!(
            edited.members().names().collect::<Vec<_>>(),
            members.keys().collect::<Vec<_>>()
        );
        // What did not change is as it was written.
        for (name, value) in record.members().iter().filter(|(name, _)| *name != way[0]) {
            prop_assert_eq!(edited.members().get(name).unwrap().to_string(), value.to_string());
        }
        // Setting back what was there gives back the record.
        if let Some(old) = found {
            edited.set_field(&field, old).unwrap();
            prop_assert_eq!(edited, record);
        }
    }

    #[test]
    fn differences_are_those_of_plain_json(one in any_record(), two in any_record()) {
        let (before, after) = (parsed(&one), parsed(&two));
        let expected = differing("", &members_of(&one), &members_of(&two));
        let changed = before.changed_fields(&after);
        let changed: Vec<&str> = changed.iter().map(|path| path.as_pointer()).collect();
        prop_assert_eq!(&changed, &expected);
        prop_assert_eq!(before == after, expected.is_empty() && before.key() == after.key());
        prop_assert!(before.changed_fields(&parsed(&one)).is_empty());
    }

    #[test]
    fn a_condition_on_a_member_is_the_comparison_of_its_value(
        member in a_member(),
        like in a_member(),
        value in a_value(),
    ) {
        let record = parsed(&format!(r#"{{"id":1,"a":{member}}}"#));
        let schema = Schema::infer(&[parsed(&format!(r#"{{"id":1,"a":{like}}}"#))]);
        let fields = [Record::field_named("a"), schema.field("a")];
        for field in fields.into_iter().flatten() {
            let order = field.compare(&record, &value);
            let told = |condition: Condition<Record>| condition.test(&record);
            prop_assert_eq!(told(field.clone().is(value.clone())), order.map(Ordering::is_eq));
            prop_assert_eq!(told(field.clone().is_not(value.clone())), order.map(Ordering::is_ne));
            prop_assert_eq!(told(field.clone().above(value.clone())), order.map(Ordering::is_gt));
            prop_assert_eq!(told(field.clone().at_least(value.clone())), order.map(Ordering::is_ge));
            prop_assert_eq!(told(field.clone().below(value.clone())), order.map(Ordering::is_lt));
            prop_assert_eq!(told(field.at_most(value.clone())), order.map(Ordering::is_le));
        }
    }
}

/// Puts a value at the end of a way; the test does so only where a record let it.
fn put(members: &mut Map<String, Value>, way: &[String], value: Value) {
    let (first, rest) = way.split_first().unwrap();
    if rest.is_empty() {
        members.insert(first.clone(), value);
        return;
    }
    let inner = members.entry(first.clone()).or_insert(Value::Null);
    if inner.is_null() {
        *inner = json!({});
    }
    put(inner.as_object_mut().unwrap(), rest, value);
}

/// Whether two values are the same number, or consist of such.
fn same(one: &Value, two: &Value) -> bool {
    match (one, two) {
        (Value::Number(_), Value::Number(_)) => {
            use usual_tide::query::SortValue;
            one.compare(two).is_eq()
        }
        (Value::Array(one), Value::Array(two)) => {
            one.len() == two.len() && one.iter().zip(two).all(|(one, two)| same(one, two))
        }
        (Value::Object(one), Value::Object(two)) => differing("", one, two).is_empty(),
        _ => one == two,
    }
}

fn differing(above: &str, one: &Map<String, Value>, two: &Map<String, Value>) -> Vec<String> {
    let arrived = two.keys().filter(|name| !one.contains_key(*name));
    let mut found = Vec::new();
    for name in one.keys().chain(arrived) {
        let pointer = format!("{above}/{}", name.replace('~', "~0").replace('/', "~1"));
        match (one.get(name), two.get(name)) {
            (Some(Value::Object(one)), Some(Value::Object(two))) => {
                found.extend(differing(&pointer, one, two));
            }
            (Some(one), Some(two)) if same(one, two) => {}
            _ => found.push(pointer),
        }
    }
    found
}

#[test]
fn of_two_members_with_one_name_the_last_counts() {
    for (line, expected) in [
        (r#"{"id":1,"a":1,"b":2,"a":3}"#, r#"{"id":1,"a":3,"b":2}"#),
        (r#"{"id":1,"o":{"a":1,"a":2}}"#, r#"{"id":1,"o":{"a":2}}"#),
        (
            r#"{"id":1,"l":[{"a":1,"a":2}]}"#,
            r#"{"id":1,"l":[{"a":2}]}"#,
        ),
        (r#"{"id":1,"id":2}"#, r#"{"id":2}"#),
    ] {
        let text = [r#"{"id":0,"a":0,"b":0}"#, line].join("\n");
        let records = parse_as(Shape::Ndjson, &text, &name("id")).unwrap();
        assert_eq!(records[1].members().to_string(), expected);
    }
}

#[test]
fn many_members_many_shapes_and_long_texts_are_kept() {
    // A text of 100 kB, a record of 10,000 members, and as many shapes as records.
    let long = "kiln ".repeat(20_000);
    let wide: Map<String, Value> = (0..10_000)
        .map(|at| {
            (
                format!("m{at}"),
                json!({"v": at, "text": "x".repeat(at % 300)}),
            )
        })
        .collect();
    let mut all = Vec::new();
    for at in 0..100 {
        let mut members = json!({"id": at, "long": long});
        members[format!("only{at}")] = json!(at);
        all.push(members.to_string());
    }
    let mut wide = Value::Object(wide);
    wide["id"] = json!("wide");
    all.push(wide.to_string());
    let mut records = parse_as(Shape::Ndjson, &all.join("\n"), &name("id")).unwrap();
    for (record, line) in records.iter().zip(&all) {
        assert_eq!(&record.members().to_string(), line);
    }
    let last = records.last_mut().unwrap();
    assert_eq!(last.get("m9999.v"), Some(MemberValue::Number("9999")));
    last.set("m5000.v", json!("changed")).unwrap();
    assert_eq!(last.get("m5000.v").unwrap(), "changed");
    assert_eq!(last.get("m4999.v").unwrap(), 4999);

    // A later version has the same text in memory.
    let before = records[0].clone();
    let mut after = before.clone();
    after.set("only0", json!(7)).unwrap();
    after.set("new.member", json!(true)).unwrap();
    let text = |record: &Record| record.get("long").unwrap().as_text().unwrap().as_ptr();
    fn of(record: &Record) -> &str {
        record.get("long").unwrap().as_text().unwrap()
    }
    assert_eq!(text(&before), text(&after));
    assert_eq!(of(&after), long);
    // It goes, and comes again.
    after.set("long", json!("short")).unwrap();
    assert_eq!(of(&after), "short");
    after.set("long", json!(long)).unwrap();
    assert_eq!(of(&after), long);
    let changed = before.changed_fields(&after);
    let changed: Vec<&str> = changed.iter().map(|path| path.as_pointer()).collect();
    assert_eq!(changed, ["/only0", "/new"]);
}

#[test]
fn values_of_every_length_are_found_before_and_after_an_edit() {
    // Short values have short entries, and long ones longer; here edits go from one to the other and back.
    for length in (2_000..2_100).chain([0, 1, 126, 127, 128, 129, 20_000]) {
        let text = "é".repeat(length / 2) + &"x".repeat(length % 2);
        let line = format!(r#"{{"id":1,"a":"first","list":["{text}",1],"b":"last"}}"#);
        let mut record = parsed(&line);
        assert_eq!(record.members().to_string(), line);
        record
            .set("list", json!([text, "more", {"in": text}]))
            .unwrap();
        record.set("a", json!("another first")).unwrap();
        let list = record.get("list").unwrap().as_list().unwrap();
        assert_eq!(list.get(0).unwrap().as_text(), Some(&*text));
        let object = list.get(2).unwrap().as_object().unwrap();
        assert_eq!(object.get("in").unwrap().as_text(), Some(&*text));
        assert_eq!(record.get("b").unwrap(), "last");
        record.set("list", Value::Null).unwrap();
        record.set("a", json!("first")).unwrap();
        let expected = r#"{"id":1,"a":"first","list":null,"b":"last"}"#;
        assert_eq!(format!("{record:?}"), expected);
    }
}

#[test]
fn what_cannot_be_in_a_record_is_refused_by_rows_and_edits() {
    let nested = |levels: usize| (0..levels).fold(json!(1), |inner, _| json!([inner]));
    let maker = RecordMaker::new(&name("id"));
    let path = |path: &[&str]| {
        path.iter()
            .map(|name| (*name).to_owned())
            .collect::<Vec<_>>()
    };
    let columns = Columns::new([path(&["id"]), path(&["a", "b"])]);
    let row = |id: &'static str, value: Value| {
        let id = ColumnValue::from(MemberValue::Number(id));
        maker.row(&columns, &[id, ColumnValue::Json(value)])
    };
    assert!(row("1", nested(98)).is_ok());
    assert_eq!(
        row("1", nested(99)),
        Err(RecordError::TooDeep { most: 100 })
    );
    for text in ["", "x", "007", "1 ", " 1", "1,2", "+1", "1.", "NaN"] {
        let refused = Err(RecordError::NotANumber {
            text: text.to_owned(),
        });
        assert_eq!(row(text, json!(null)), refused);
        assert_eq!(MemberValue::Number(text).to_string(), text);
    }
    // A value that nests far deeper is refused without being gone through, and nothing changes.
    let mut record = row("1", json!(2)).unwrap();
    let before = record.clone();
    assert!(record.set("a.b", nested(98)).is_ok());
    for deep in [99, 100, 1_000] {
        let mut refused = before.clone();
        let why = refused.set("a.b", nested(deep)).unwrap_err();
        assert_eq!(why, RecordError::TooDeep { most: 100 }.into());
        assert_eq!(refused, before);
    }
    assert_eq!(parsed(r#"{"id":1,"n":1.0}"#).get("n").unwrap(), 1);
}

#[test]
fn objects_with_many_members_of_the_same_names_are_kept_apart() {
    let object = |first: usize, deeper: Value| {
        let members = (0..100).map(|at| (format!("m{at}"), json!(first + at)));
        let mut members: Map<String, Value> = members.collect();
        members.insert("deeper".into(), deeper);
        Value::Object(members)
    };
    let mut all = object(0, object(1_000, object(2_000, json!(null))));
    all["beside"] = object(3_000, json!({}));
    let line = all.to_string();
    let mut record = parse_as(Shape::Ndjson, &line, &name("m0"))
        .unwrap()
        .remove(0);
    assert_eq!(record.members().to_string(), line);
    let ways = ["", "deeper.", "deeper.deeper.", "beside."];
    for (way, first) in ways.iter().zip([0, 1_000, 2_000, 3_000]) {
        for at in [0, 1, 57, 99_i64] {
            assert_eq!(record.get(&format!("{way}m{at}")).unwrap(), first + at);
        }
        assert_eq!(record.get(&format!("{way}m100")), None);
    }
    record.set("deeper.m57", json!("another")).unwrap();
    record.set("beside.new", json!(true)).unwrap();
    all["deeper"]["m57"] = json!("another");
    all["beside"]["new"] = json!(true);
    assert_eq!(record.members().to_string(), all.to_string());
}

#[test]
fn fields_of_more_shapes_than_are_noted_at_once_are_all_found() {
    let line = |at: usize, weight: &str| {
        format!(r#"{{"id":{at},"weight":{weight},"only{at}":{{"x":"2026-03-05"}}}}"#)
    };
    let usual = r#"{"id":-1,"due":"2026-03-05"}"#.to_owned();
    let mut lines = vec![usual.clone()];
    lines.extend((0..3_000).map(|at| line(at, "1")));
    lines.push(line(3_000, "1.5"));
    lines.push(usual.replace("2026-03-05", "soon").replace("-1", "-2"));
    let records = parse_as(Shape::Ndjson, &lines.join("\n"), &name("id")).unwrap();
    let schema = Schema::infer(&records);
    assert_eq!(schema.fields().count(), 3_004);
    let first: Vec<&str> = schema.fields().map(|(name, _)| name).take(4).collect();
    assert_eq!(first, ["id", "due", "weight", "only0.x"]);
    assert_eq!(schema.kind("weight"), Some(Kind::Decimal));
    assert_eq!(schema.kind("due"), Some(Kind::Text));
    assert_eq!(schema.kind("only2999.x"), Some(Kind::Date));
}
