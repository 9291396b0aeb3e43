//! Filters against SQLite: the same conditions on the same rows select the same.

use proptest::prelude::*;
use rusqlite::types::Value as Sql;
use rusqlite::{Connection, params_from_iter};
use serde_json::{Value as Json, json};
use usual_tide::Item;
use usual_tide::query::FilterText;
use usual_tide::record::{FieldName, Record, Schema, parse};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: i64,
    title: Option<String>,
    glaze: Option<String>,
    height_mm: Option<i64>,
    weight_kg: Option<f64>,
    due: Option<jiff::civil::Date>,
    received: Option<jiff::Timestamp>,
    fired: Option<bool>,
}

/// A condition as both write it.
#[derive(Clone, Debug)]
struct Both {
    cql: String,
    sql: String,
}

fn both(cql: impl Into<String>, sql: impl Into<String>) -> Both {
    Both {
        cql: cql.into(),
        sql: sql.into(),
    }
}

fn same(text: String) -> Both {
    both(text.clone(), text)
}

const WORDS: [&str; 9] = [
    "Bowl",
    "bowl",
    "Mug",
    "Teapot 50%",
    "a_b",
    "",
    "Krug é",
    "Zebra",
    "O'Neill",
];

fn quoted(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

fn comparison() -> impl Strategy<Value = &'static str> {
    prop::sample::select(vec!["=", "<>", "<", "<=", ">", ">="])
}

fn number() -> impl Strategy<Value = String> {
    let literal = prop_oneof![
        (-3..20i64).prop_map(|n| n.to_string()),
        (-3..20i64).prop_map(|n| format!("{n}.5")),
    ];
    let field = prop::sample::select(vec!["height_mm".to_owned(), "id".to_owned()]);
    let leaf = prop_oneof![field.clone(), literal];
    // SQLite divides whole numbers as whole numbers: quotients are left to the other tests.
    let term = (
        leaf.clone(),
        prop::sample::select(vec!["+", "-", "*"]),
        leaf.clone(),
    )
        .prop_map(|(one, sign, two)| format!("({one} {sign} {two})"));
    let remainder = (field, 1..7i64).prop_map(|(one, two)| format!("({one} % {two})"));
    prop_oneof![3 => leaf, 1 => term, 1 => remainder]
}

fn text_field() -> impl Strategy<Value = &'static str> {
    prop::sample::select(vec!["title", "glaze"])
}

fn word() -> impl Strategy<Value = String> {
    prop::sample::select(WORDS.to_vec()).prop_map(quoted)
}

fn leaf() -> impl Strategy<Value = Both> {
    let pattern = prop::sample::select(vec![
        "%b%", "B%", "_owl", "%", "%50\\%", "a\\_b", "%é", "", "%o%l%",
    ]);
    prop_oneof![
        3 => (number(), comparison(), number()).prop_map(|(one, sign, two)| same(format!("{one} {sign} {two}"))),
        2 => (text_field(), comparison(), word()).prop_map(|(one, sign, two)| same(format!("{one} {sign} {two}"))),
        1 => comparison().prop_map(|sign| same(format!("title {sign} glaze"))),
        2 => (text_field(), any::<bool>(), pattern).prop_map(|(field, not, pattern)| {
            let not = if not { " NOT" } else { "" };
            let pattern = quoted(pattern);
            both(format!("{field}{not} LIKE {pattern}"), format!("{field}{not} LIKE {pattern} ESCAPE '\\'"))
        }),
        1 => (number(), any::<bool>(), number(), number()).prop_map(|(value, not, low, high)| {
            let not = if not { " NOT" } else { "" };
            same(format!("{value}{not} BETWEEN {low} AND {high}"))
        }),
        1 => (text_field(), any::<bool>(), prop::collection::vec(word(), 1..4)).prop_map(|(field, not, list)| {
            let not = if not { " NOT" } else { "" };
            same(format!("{field}{not} IN ({})", list.join(", ")))
        }),
        1 => (number(), prop::collection::vec(number(), 1..4))
            .prop_map(|(value, list)| same(format!("{value} IN ({})", list.join(", ")))),
        1 => (prop::sample::select(vec!["title", "height_mm", "due", "received", "fired", "weight_kg"]), any::<bool>())
            .prop_map(|(field, not)| same(format!("{field} IS{} NULL", if not { " NOT" } else { "" }))),
        1 => (comparison(), any::<bool>()).prop_map(|(sign, flag)| {
            let flag = if flag { "TRUE" } else { "FALSE" };
            same(format!("fired {sign} {flag}"))
        }),
        1 => (comparison(), 1..29u8).prop_map(|(sign, day)| {
            let day = format!("'2026-03-{day:02}'");
            both(format!("due {sign} DATE({day})"), format!("due {sign} {day}"))
        }),
        1 => (comparison(), 1..29u8, 0..24u8).prop_map(|(sign, day, hour)| {
            let moment = format!("'2026-03-{day:02}T{hour:02}:00:00Z'");
            both(format!("received {sign} TIMESTAMP({moment})"), format!("received {sign} {moment}"))
        }),
        1 => (comparison(), 1..29u8).prop_map(|(sign, day)| {
            let day = format!("'2026-03-{day:02}'");
            both(format!("received {sign} DATE({day})"), format!("substr(received, 1, 10) {sign} {day}"))
        }),
        1 => (comparison(), -3..40i64).prop_map(|(sign, quarters)| {
            same(format!("weight_kg {sign} {}", quarters as f64 / 4.0))
        }),
        1 => Just(same("TRUE".to_owned())),
    ]
}

fn condition() -> impl Strategy<Value = Both> {
    leaf().prop_recursive(4, 24, 3, |inner| {
        let joined = |word: &'static str| {
            prop::collection::vec(inner.clone(), 2..4).prop_map(move |parts| {
                let join = |of: fn(&Both) -> &str| {
                    let parts: Vec<String> =
                        parts.iter().map(|part| format!("({})", of(part))).collect();
                    parts.join(word)
                };
                both(join(|part| &part.cql), join(|part| &part.sql))
            })
        };
        prop_oneof![
            joined(" AND "),
            joined(" OR "),
            inner.clone().prop_map(|part| both(
                format!("NOT ({})", part.cql),
                format!("NOT ({})", part.sql)
            )),
        ]
    })
}

fn piece(id: i64) -> impl Strategy<Value = Json> {
    let word = || prop::option::of(prop::sample::select(WORDS.to_vec()));
    (
        word(),
        word(),
        prop::option::of(-3..20i64),
        prop::option::of(-3..40i64),
        prop::option::of(1..29u8),
        prop::option::of((1..29u8, 0..24u8)),
        prop::option::of(any::<bool>()),
        any::<u8>(),
    )
        .prop_map(move |(title, glaze, height, weight, due, received, fired, absent)| {
            let mut piece = json!({
                "id": id,
                "title": title,
                "glaze": glaze,
                "height_mm": height,
                "weight_kg": weight.map(|quarters| quarters as f64 / 4.0),
                "due": due.map(|day| format!("2026-03-{day:02}")),
                "received": received.map(|(day, hour)| format!("2026-03-{day:02}T{hour:02}:00:00Z")),
                "fired": fired,
            });
            // Null and absent are the same.
            let members = piece.as_object_mut().unwrap();
            let nulls: Vec<String> = members.keys().filter(|name| members[*name].is_null()).cloned().collect();
            if absent % 2 == 0 {
                members.retain(|name, _| !nulls.contains(name));
            }
            piece
        })
}

const COLUMNS: [&str; 8] = [
    "id",
    "title",
    "glaze",
    "height_mm",
    "weight_kg",
    "due",
    "received",
    "fired",
];

fn database(pieces: &[Json]) -> Connection {
    let database = Connection::open_in_memory().unwrap();
    database.execute_batch("PRAGMA case_sensitive_like = ON; CREATE TABLE pieces (id INTEGER, title TEXT, glaze TEXT,
        height_mm INTEGER, weight_kg REAL, due TEXT, received TEXT, fired INTEGER)").unwrap();
    let insert = "INSERT INTO pieces VALUES (?, ?, ?, ?, ?, ?, ?, ?)";
    for piece in pieces {
        let values = COLUMNS.iter().map(|column| match &piece[*column] {
            Json::Null => Sql::Null,
            Json::Bool(flag) => Sql::Integer((*flag).into()),
            Json::Number(number) if number.as_i64().is_some() && *column != "weight_kg" => {
                Sql::Integer(number.as_i64().unwrap())
            }
            Json::Number(number) => Sql::Real(number.as_f64().unwrap()),
            text => Sql::Text(text.as_str().unwrap().to_owned()),
        });
        database.execute(insert, params_from_iter(values)).unwrap();
    }
    database
}

fn selected(database: &Connection, condition: &str) -> Vec<i64> {
    let query = format!("SELECT id FROM pieces WHERE {condition} ORDER BY id");
    let mut statement = database.prepare(&query).unwrap();
    let rows = statement.query_map([], |row| row.get(0)).unwrap();
    rows.map(Result::unwrap).collect()
}

fn typed(piece: &Json) -> Piece {
    let text = |name: &str| piece[name].as_str();
    Piece {
        id: piece["id"].as_i64().unwrap(),
        title: text("title").map(str::to_owned),
        glaze: text("glaze").map(str::to_owned),
        height_mm: piece["height_mm"].as_i64(),
        weight_kg: piece["weight_kg"].as_f64(),
        due: text("due").map(|day| day.parse().unwrap()),
        received: text("received").map(|moment| moment.parse().unwrap()),
        fired: piece["fired"].as_bool(),
    }
}

fn record(piece: &Json) -> Record {
    let key = FieldName::parse("id").unwrap();
    Record::new(piece.as_object().unwrap().clone(), &key).unwrap()
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(crate::cases(200)) })]

    #[test]
    fn structs_and_records_are_selected_as_sqlite_selects_rows(
        pieces in (1..12i64).prop_flat_map(|n| (0..n).map(piece).collect::<Vec<_>>()),
        conditions in prop::collection::vec(condition(), 1..8),
    ) {
        let database = database(&pieces);
        // One piece has all fields, so that the schema knows them.
        let whole = json!({"id": -1, "title": "x", "glaze": "x", "height_mm": 1, "weight_kg": 0.5, "due": "2026-03-01",
            "received": "2026-03-01T00:00:00Z", "fired": true});
        let records: Vec<Record> = pieces.iter().map(record).collect();
        let schema = Schema::infer(records.iter().chain([&record(&whole)]));
        for Both { cql, sql } in &conditions {
            let expected = selected(&database, sql);
            let text: FilterText = cql.parse().map_err(|why| TestCaseError::fail(format!("{cql}: {why}")))?;
            let condition = text.check::<Piece>().map_err(|why| TestCaseError::fail(format!("{cql}: {why}")))?;
            let shown = pieces.iter().map(typed).filter(|piece| condition.test(piece) == Some(true));
            prop_assert_eq!(&shown.map(|piece| piece.id).collect::<Vec<_>>(), &expected, "{}", cql);

            let condition = text.check_with(&schema).map_err(|why| TestCaseError::fail(format!("{cql}: {why}")))?;
            let shown = records.iter().zip(&pieces).filter(|(record, _)| condition.test(record) == Some(true));
            prop_assert_eq!(&shown.map(|(_, piece)| piece["id"].as_i64().unwrap()).collect::<Vec<_>>(), &expected, "{}", cql);
        }
    }
}

#[test]
fn the_demo_data_is_selected_as_sqlite_selects_it() {
    let text = include_str!("../../../../demo/pieces.json");
    let mut records = parse(text, &FieldName::parse("id").unwrap()).unwrap();
    let database = Connection::open_in_memory().unwrap();
    database.execute_batch("PRAGMA case_sensitive_like = ON; CREATE TABLE pieces (id INTEGER, title TEXT, maker TEXT,
        glaze TEXT, height_mm INTEGER, amount TEXT, due TEXT, received TEXT, shelf TEXT, fired INTEGER, note TEXT)").unwrap();
    for (number, record) in records.iter().enumerate() {
        let text = |name: &str| {
            record
                .get(name)
                .and_then(|value| value.as_text())
                .map_or(Sql::Null, |text| Sql::Text(text.to_owned()))
        };
        let values = [
            Sql::Integer(number as i64),
            text("title"),
            text("maker"),
            text("glaze"),
            Sql::Integer(record.get("height_mm").unwrap().as_i64().unwrap()),
            text("fee.amount"),
            text("due"),
            text("received"),
            text("shelf"),
            Sql::Integer(record.get("fired").unwrap().as_bool().unwrap().into()),
            text("note"),
        ];
        database
            .execute(
                "INSERT INTO pieces VALUES (?,?,?,?,?,?,?,?,?,?,?)",
                params_from_iter(values),
            )
            .unwrap();
    }
    for (number, record) in records.iter_mut().enumerate() {
        record.set("number", number.into()).unwrap();
    }
    let mut schema = Schema::infer(&records);
    schema
        .state("fee.amount", usual_tide::fields::Kind::Decimal)
        .unwrap();
    for (cql, sql) in [
        (
            "fired = FALSE AND glaze IS NULL",
            "fired = FALSE AND glaze IS NULL",
        ),
        ("glaze <> 'clear'", "glaze <> 'clear'"),
        (
            "NOT (glaze = 'clear' OR height_mm > 200)",
            "NOT (glaze = 'clear' OR height_mm > 200)",
        ),
        (
            "fee.amount > 10 AND fee.amount <= 12.50",
            "CAST(amount AS REAL) > 10 AND CAST(amount AS REAL) <= 12.5",
        ),
        (
            "fee.amount * 2 BETWEEN 9 AND height_mm / 10",
            "CAST(amount AS REAL) * 2 BETWEEN 9 AND height_mm / 10.0",
        ),
        (
            "height_mm % 25 = 0 AND height_mm div 100 = 1",
            "height_mm % 25 = 0 AND height_mm / 100 = 1",
        ),
        (
            "title LIKE '%moon jar' OR title LIKE 'Café%'",
            "title LIKE '%moon jar' OR title LIKE 'Café%'",
        ),
        ("note NOT LIKE '%glaze%'", "note NOT LIKE '%glaze%'"),
        (
            "shelf IN ('A1', 'C2') AND due < DATE('2026-03-10')",
            "shelf IN ('A1', 'C2') AND due < '2026-03-10'",
        ),
        (
            "received >= TIMESTAMP('2026-02-25T12:00:00Z')",
            "received >= '2026-02-25T12:00:00Z'",
        ),
        (
            "received <= DATE('2026-02-23')",
            "substr(received, 1, 10) <= '2026-02-23'",
        ),
        ("maker > title", "maker > title"),
    ] {
        let condition = cql
            .parse::<FilterText>()
            .unwrap()
            .check_with(&schema)
            .unwrap();
        let shown = records
            .iter()
            .enumerate()
            .filter(|(_, record)| condition.test(record) == Some(true));
        let shown: Vec<i64> = shown.map(|(number, _)| number as i64).collect();
        assert_eq!(shown, selected(&database, sql).to_vec(), "{cql}");
        assert!(
            !shown.is_empty() && shown.len() < records.len(),
            "{cql} says nothing"
        );
    }
}
