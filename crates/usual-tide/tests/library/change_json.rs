//! Change sets as JSON, as single steps and as JSON Patch: written, read, and applied by others.

use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::{Arc, LazyLock};
use usual_tide::changes::Step;
use usual_tide::record::{FieldName, Record, RecordError, RecordMaker, Schema, parse};
use usual_tide::{ChangeSet, Group, Item, Query, Store};

fn key() -> FieldName {
    FieldName::parse("id").unwrap()
}

/// An item of its JSON.
fn read(json: &Value) -> Result<Record, RecordError> {
    RecordMaker::new(&key()).read(json)
}

fn records(rows: &Value) -> Vec<Record> {
    parse(&rows.to_string(), &key()).unwrap()
}

fn shared(rows: &Value) -> Vec<Arc<Record>> {
    records(rows).into_iter().map(Arc::new).collect()
}

/// A set between two states of a list, and the list's rows after.
fn between(
    before: &Value,
    after: &Value,
    query: Query<Record>,
) -> (ChangeSet<Record>, Vec<Arc<Record>>) {
    let mut store = Store::load(records(before)).unwrap();
    let list = store.bind(query);
    let feed = store.feed(list).unwrap();
    store.reload(records(after)).unwrap();
    let rows: Vec<_> = store.list(list).unwrap().items().cloned().collect();
    let changes = feed.read(&store).unwrap();
    (
        changes.unwrap_or_else(|| ChangeSet::unchanged(rows.len())),
        rows,
    )
}

fn rows() -> impl Strategy<Value = Value> {
    let row = (0_u8..14, 0_u8..3, prop::option::of(0_u8..2), any::<bool>());
    prop::collection::vec(row, 0..12).prop_map(|rows| {
        let mut seen = Vec::new();
        let mut unique = Vec::new();
        for (id, shelf, amount, odd) in rows {
            if seen.contains(&id) {
                continue;
            }
            seen.push(id);
            // Keys of both kinds, and members that come and go.
            let key = if id % 2 == 0 {
                json!(id)
            } else {
                json!(id.to_string())
            };
            let mut row = json!({"id": key, "a/b~c": shelf, "fee": {}});
            if let Some(amount) = amount {
                row["fee"]["amount"] = amount.into();
            }
            if odd {
                row["notes"] = json!(["runny", null]);
            }
            unique.push(row);
        }
        Value::Array(unique)
    })
}

/// Applies steps to plain rows as a view would.
fn replay(mut rows: Vec<Value>, steps: &[Value]) -> Vec<Value> {
    for step in steps {
        let number = |name: &str| step[name].as_u64().unwrap() as usize;
        let items = || step["items"].as_array().unwrap().clone();
        match step["step"].as_str().unwrap() {
            "remove" => {
                let gone: Vec<Value> = rows
                    .drain(number("at")..number("at") + number("count"))
                    .collect();
                let keys: Vec<&Value> = gone.iter().map(|row| &row["id"]).collect();
                assert_eq!(json!(keys), step["keys"]);
            }
            "move" => {
                let row = rows.remove(number("from"));
                assert_eq!(json!([row["id"]]), step["keys"]);
                rows.insert(number("to"), row);
            }
            "insert" => {
                for (at, item) in (number("at")..).zip(items()) {
                    rows.insert(at, item);
                }
            }
            _ => {
                for (at, item) in (number("at")..).zip(items()) {
                    assert_eq!(rows[at]["id"], item["id"]);
                    rows[at] = item;
                }
            }
        }
    }
    rows
}

/// Compares a written change set with the schema.
fn validate(changes: &Value) -> Result<(), String> {
    static SCHEMA: LazyLock<(boon::Schemas, boon::SchemaIndex)> = LazyLock::new(|| {
        let text = include_str!("../../../../docs/change-set.schema.json");
        let (mut compiler, mut schemas) = (boon::Compiler::new(), boon::Schemas::new());
        let name = "urn:usual-tide:change-set:1";
        let schema = serde_json::from_str(text).unwrap();
        compiler.add_resource(name, schema).unwrap();
        let index = compiler.compile(name, &mut schemas).unwrap();
        (schemas, index)
    });
    let (schemas, index) = &*SCHEMA;
    let valid = schemas.validate(changes, *index);
    valid.map_err(|why| format!("{changes}: {why}"))
}

proptest! {
    /// What was written is read back the same, fits the schema, and does the same as the list did: as a set,
    /// step by step with moves and without, and through another library's JSON Patch.
    #[test]
    fn every_form_does_the_same(before in rows(), after in rows()) {
        let (changes, rows) = between(&before, &after, Query::new().numbered());
        let json = changes.to_json();
        prop_assert_eq!(validate(&json), Ok(()));

        let mut applied = shared(&before);
        let again = ChangeSet::from_json(&json, &applied, read).unwrap();
        prop_assert_eq!(again.steps(), changes.steps());
        again.apply(&mut applied).unwrap();
        prop_assert_eq!(&applied, &rows);

        let steps = changes.steps_to_json(&changes.steps());
        prop_assert_eq!(replay(plain_rows(&before), &steps), plain_rows(&after));
        let steps = changes.steps_to_json(&changes.steps_without_moves());
        prop_assert_eq!(replay(plain_rows(&before), &steps), plain_rows(&after));

        let mut patched = before.clone();
        let patch: json_patch::Patch = serde_json::from_value(changes.to_json_patch()).unwrap();
        json_patch::patch(&mut patched, &patch).unwrap();
        prop_assert_eq!(shared(&patched), rows);
    }

    /// A patch does not touch rows that it was not made for.
    #[test]
    fn a_patch_for_other_rows_is_refused(before in rows(), after in rows(), other in rows()) {
        let (changes, _) = between(&before, &after, Query::new());
        let touched: Vec<usize> = changes.removed().iter().flat_map(|run| run.range()).collect();
        let other_rows = shared(&other);
        let own_rows = shared(&before);
        let same = |at: &usize| other_rows.get(*at).map(|row| row.key()) == own_rows.get(*at).map(|row| row.key());
        prop_assume!(!touched.iter().all(same));
        let patch = changes.to_json_patch();
        let patch: json_patch::Patch = serde_json::from_value(patch).unwrap();
        let mut patched = other.clone();
        prop_assert!(json_patch::patch(&mut patched, &patch).is_err());
        prop_assert_eq!(patched, other);
    }

    /// A set that was tampered with is refused with a place in it, or is one that fits the rows after all.
    #[test]
    fn a_set_that_does_not_fit_is_refused(
        before in rows(), after in rows(), at in any::<prop::sample::Index>(), value in -1_i64..14,
    ) {
        let (changes, rows) = between(&before, &after, Query::new());
        let mut json = changes.to_json();
        let mut numbers = Vec::new();
        pointers(&json, String::new(), &mut numbers);
        let place = at.get(&numbers).clone();
        *json.pointer_mut(&place).unwrap() = value.into();
        let mut applied = shared(&before);
        match ChangeSet::from_json(&json, &applied, read) {
            Err(error) => prop_assert!(
                json.pointer(&error.pointer).is_some() || error.problem.to_string().contains("missing"),
                "{} is nowhere", error.pointer
            ),
            Ok(again) => {
                again.apply(&mut applied).unwrap();
                prop_assert_eq!(applied.len(), rows.len());
            }
        }
    }

    /// The sets of grouped lists fit the schema too.
    #[test]
    fn sections_fit_the_schema(before in rows(), after in rows()) {
        let mut both = records(&before);
        both.extend(records(&after));
        let schema_of_both = Schema::infer(&both);
        prop_assume!(!both.is_empty());
        let group = Group::parse_with("/a~1b~0c", &schema_of_both).unwrap();
        let (changes, _) = between(&before, &after, Query::new().group(group));
        let json = changes.to_json();
        prop_assert_eq!(validate(&json), Ok(()));
    }
}

fn plain_rows(rows: &Value) -> Vec<Value> {
    rows.as_array().unwrap().clone()
}

/// The places of all scalars.
fn pointers(value: &Value, above: String, found: &mut Vec<String>) {
    match value {
        Value::Array(elements) => {
            for (index, element) in elements.iter().enumerate() {
                pointers(element, format!("{above}/{index}"), found);
            }
        }
        Value::Object(members) => {
            for (name, member) in members {
                let name = name.replace('~', "~0").replace('/', "~1");
                pointers(member, format!("{above}/{name}"), found);
            }
        }
        _ => found.push(above),
    }
}

/// A set with more moves than are needed is as good, and becomes one with as few as can be.
#[test]
fn a_set_with_needless_moves_is_made_minimal() {
    let rows = shared(&json!([{"id": 1}, {"id": 2}, {"id": 3}]));
    let json = json!({"before": 3, "after": 3, "moved": [
        {"from": 2, "to": 0}, {"from": 0, "to": 1, "key": 1}, {"from": 1, "to": 2, "key": 2},
    ]});
    let again = ChangeSet::from_json(&json, &rows, read).unwrap();
    assert_eq!(again.steps(), [Step::Move { from: 2, to: 0 }]);
}

#[test]
fn what_is_wrong_is_told_with_its_place() {
    let rows = shared(&json!([{"id": 1}, {"id": 2}, {"id": 3}]));
    let told = |json: Value| {
        ChangeSet::from_json(&json, &rows, read)
            .unwrap_err()
            .to_string()
    };
    let cases = [
        (json!([]), "at the top: expected an object, found an array"),
        (
            json!({"after": 3}),
            "at the top: the member \"before\" is missing",
        ),
        (
            json!({"before": 2, "after": 3}),
            "at /before: the change set starts from 2 rows, and there are 3",
        ),
        (
            json!({"before": 3, "after": 3, "deleted": []}),
            "at the top: a change set has no member \"deleted\"",
        ),
        (
            json!({"before": 3, "after": 2, "removed": [{"at": 3, "key": 9}]}),
            "at /removed/0/at: position 3 is out of range: there are 3 rows, positions 0 to 2",
        ),
        (
            json!({"before": 3, "after": 3, "removed": [{"at": 1, "key": 2}]}),
            "at /after: 3 rows less 1 removed and with 0 inserted are not 3",
        ),
        (
            json!({"before": 3, "after": 4, "inserted": [{"at": 0, "key": 3, "item": {"id": 3}}]}),
            "at /inserted/0/key: the key 3 is there already",
        ),
        (
            json!({"before": 3, "after": 4, "inserted": [{"at": 0, "key": 4, "item": {"id": "4"}}]}),
            "at /inserted/0/item: the item's key is \"4\", and the entry's is 4",
        ),
        (
            json!({"before": 3, "after": 3, "updated": [{"from": 0, "to": 1, "key": 1, "item": {"id": 1}}]}),
            "at /updated/0/from: the row at 1 comes from position 1, not from position 0",
        ),
        (
            json!({"before": 3, "after": 3, "moved": [{"from": 1, "to": 0}, {"from": 1, "to": 1}]}),
            "at /moved/1/from: position 1 is taken by an entry before this one",
        ),
    ];
    for (json, expected) in cases {
        assert_eq!(told(json), expected);
    }
}

#[test]
fn the_schema_refuses_what_is_no_change_set() {
    let (before, after) = (json!([{"id": 1}]), json!([{"id": 2}]));
    let (changes, _) = between(&before, &after, Query::new());
    let written = changes.to_json();
    assert_eq!(validate(&written), Ok(()));
    for (member, value) in [
        ("before", json!(-1)),
        ("removed", json!(1)),
        ("more", json!([])),
    ] {
        let mut wrong = written.clone();
        wrong[member] = value;
        assert!(validate(&wrong).is_err(), "{member}");
    }
}

#[test]
fn a_patch_tests_keys_as_the_data_has_them() {
    let text = r#"[{"id": -0, "title": "Bowl"}, {"id": 2}]"#;
    let mut store = Store::load(parse(text, &key()).unwrap()).unwrap();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    let first = store.at(0).unwrap().key().clone();
    store.remove(&first).unwrap();
    let patch = feed.read(&store).unwrap().unwrap().to_json_patch();
    assert_eq!(patch[0]["value"].to_string(), "-0");
}

mod typed {
    //! The same for items of a type of the app's own.

    use super::*;
    use usual_tide::{Fields, Sort};

    #[derive(Clone, PartialEq, Debug, Fields)]
    struct Fee {
        amount: u32,
        currency: String,
    }

    #[derive(Clone, PartialEq, Debug, Item)]
    struct Piece {
        #[item(key)]
        id: u32,
        #[item(rename = "ti/tle")]
        title: Option<String>,
        #[item(nested)]
        fee: Fee,
    }

    fn piece((id, title, amount): (u32, Option<u8>, u32)) -> Piece {
        Piece {
            id,
            title: title.map(|title| format!("Bowl {title}")),
            fee: Fee {
                amount,
                currency: "EUR".into(),
            },
        }
    }

    fn read(json: &Value) -> Result<Piece, String> {
        let number = |pointer: &str| {
            let number = json.pointer(pointer).and_then(Value::as_u64);
            number
                .map(|number| number as u32)
                .ok_or(format!("no number at {pointer}"))
        };
        Ok(Piece {
            id: number("/id")?,
            title: json["ti/tle"].as_str().map(str::to_owned),
            fee: Fee {
                amount: number("/fee/amount")?,
                currency: "EUR".into(),
            },
        })
    }

    fn rows() -> impl Strategy<Value = Vec<Piece>> {
        let row = (0_u32..12, prop::option::of(0_u8..3), 0_u32..3).prop_map(piece);
        prop::collection::vec(row, 0..12).prop_map(|mut rows| {
            let mut seen = std::collections::HashSet::new();
            rows.retain(|row| seen.insert(row.id));
            rows
        })
    }

    proptest! {
        #[test]
        fn a_set_is_written_and_read_and_does_the_same(before in rows(), after in rows(), by_title in any::<bool>()) {
            let mut store = Store::load(before.clone()).unwrap();
            let list = store.bind(Query::new());
            let feed = store.feed(list).unwrap();
            store.reload(after).unwrap();
            if by_title {
                store.list_mut(list).unwrap().change_query(|query| query.sort(Sort::from(Piece::TITLE)));
            }
            let Some(changes) = feed.read(&store).unwrap() else { return Ok(()) };
            let rows: Vec<Arc<Piece>> = store.list(list).unwrap().items().cloned().collect();
            let json = changes.to_json();
            prop_assert_eq!(validate(&json), Ok(()));
            let keys = json["moved"].as_array().unwrap().iter().map(|row| row["key"].as_u64());
            let expected = changes.moved().iter().flat_map(|run| run.to..run.to + run.len);
            prop_assert!(keys.eq(expected.map(|at| Some(u64::from(rows[at].id)))));

            let mut applied: Vec<Arc<Piece>> = before.iter().cloned().map(Arc::new).collect();
            let again = ChangeSet::from_json(&json, &applied, read).unwrap();
            let told = again.clone().with_moved_items(|at| rows.get(at).cloned());
            prop_assert_eq!(&told.to_json(), &json);
            again.apply(&mut applied).unwrap();
            prop_assert_eq!(&applied, &rows);

            let mut patched: Value = before.iter().map(Fields::to_json).collect();
            let steps = changes.steps_to_json(&changes.steps());
            let told: Vec<Value> = rows.iter().map(|row| row.to_json()).collect();
            prop_assert_eq!(replay(plain_rows(&patched), &steps), told.clone());
            let patch: json_patch::Patch = serde_json::from_value(changes.to_json_patch()).unwrap();
            json_patch::patch(&mut patched, &patch).unwrap();
            prop_assert_eq!(patched, Value::from(told));
        }
    }

    #[test]
    fn an_item_that_cannot_be_read_is_told_with_its_place() {
        let rows = [Arc::new(piece((1, None, 2)))];
        let json =
            json!({"before": 1, "after": 2, "inserted": [{"at": 0, "key": 2, "item": {"id": 2}}]});
        let error = ChangeSet::from_json(&json, &rows, read).unwrap_err();
        assert_eq!(
            error.to_string(),
            "at /inserted/0/item: no number at /fee/amount"
        );
    }
}
