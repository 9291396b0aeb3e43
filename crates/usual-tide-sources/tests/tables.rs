//! Tables of odd columns and strict rules: nothing is confirmed that is not stored.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use rusqlite::Connection;
use serde_json::{Value, json};
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};
use usual_tide::record::{FieldName, Record, RecordKey};
use usual_tide::writes::{Neighbours, Show, Write};
use usual_tide::{Item, Place, SharedStore, Store};
use usual_tide_sources::link::{Answer, DirectSource, Link};
use usual_tide_sources::sqlite::{SqliteError, SqliteSource};

fn database(path: &Path, sql: &str) -> Connection {
    let database = Connection::open(path).unwrap();
    database.execute_batch(sql).unwrap();
    database
}

struct Table {
    direct: DirectSource<Record>,
    items: Vec<Record>,
}

impl Table {
    fn open(source: Result<SqliteSource, SqliteError>) -> Self {
        let mut direct = DirectSource::new(source.unwrap());
        let items = direct.load().unwrap().items;
        Self { direct, items }
    }

    fn ids(&mut self) -> Vec<String> {
        self.items = self.direct.load().unwrap().items;
        let ids = self
            .items
            .iter()
            .map(|item| item.get("id").unwrap().to_string());
        ids.collect()
    }

    fn edit(&mut self, at: usize, name: &str, value: Value) -> Answer<Record> {
        let before = self.items[at].clone();
        let mut after = before.clone();
        after.set(name, value).unwrap();
        self.write(Some(before), Some(after), None)
    }

    fn move_to(
        &mut self,
        at: usize,
        after: Option<usize>,
        before: Option<usize>,
    ) -> Answer<Record> {
        let item = self.items[at].clone();
        let key = |at: Option<usize>| at.map(|at| usual_tide::Item::key(&self.items[at]).clone());
        let place = Neighbours {
            after: key(after),
            before: key(before),
        };
        self.write(Some(item.clone()), Some(item), Some(place))
    }

    fn write(
        &mut self,
        before: Option<Record>,
        after: Option<Record>,
        place: Option<Neighbours<RecordKey>>,
    ) -> Answer<Record> {
        let key = usual_tide::Item::key(before.as_ref().or(after.as_ref()).unwrap()).clone();
        let (before, after) = (before.map(Arc::new), after.map(Arc::new));
        let write = Write::new(key, before, after, place, Show::AtOnce);
        self.direct.write(&write).unwrap()
    }
}

fn reason(answer: &Answer<Record>) -> &str {
    match answer {
        Answer::Refused { reason, .. } => reason,
        other => panic!("it was done: {other:?}"),
    }
}

#[test]
fn columns_of_any_name_are_written_and_what_has_none_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("odd.db");
    let sql = "CREATE TABLE runs (id INTEGER PRIMARY KEY, \"km/h\" REAL, \"a~b\" TEXT, \"/c\" TEXT, \"dot.ted\" TEXT, data BLOB);
               INSERT INTO runs VALUES (1, 5.5, 'x', 'y', 'z', x'0102'), (2, 6, 'x', 'y', 'z', NULL);";
    let database = database(&path, sql);
    let mut table = Table::open(SqliteSource::table(&path, "runs"));
    assert_eq!(
        table.items[0].get("/data").unwrap(),
        "(2 bytes that cannot be shown)"
    );
    for (name, value) in [
        ("/km~1h", json!(7.5)),
        ("/a~0b", json!("q")),
        ("/~1c", json!("r")),
        ("dot.ted", json!("s")),
    ] {
        assert_eq!(table.edit(0, name, value), Answer::Saved, "{name}");
        table.ids();
    }
    let stored: (f64, String, String, String) = database
        .query_row(
            "SELECT \"km/h\", \"a~b\", \"/c\", \"dot.ted\" FROM runs WHERE id = 1",
            [],
            |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?, row.get(3)?)),
        )
        .unwrap();
    assert_eq!(stored, (7.5, "q".into(), "r".into(), "s".into()));
    let other = table.edit(0, "dot.other", json!(1));
    assert_eq!(reason(&other), "the database did not store dot.other");
    let unknown = table.edit(0, "colour", json!("red"));
    assert_eq!(reason(&unknown), "the table has no column \"colour\"");
}

#[test]
fn what_is_shown_in_the_place_of_bytes_is_never_written() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("bytes.db");
    let sql = "CREATE TABLE p (id INTEGER PRIMARY KEY, photo); INSERT INTO p VALUES (1, x'0102'), (2, CAST(x'ff' AS TEXT));
               CREATE TABLE q (id BLOB PRIMARY KEY, n INT); INSERT INTO q VALUES (x'01', 1), (x'0203', 2);";
    let database = database(&path, sql);
    let mut table = Table::open(SqliteSource::table(&path, "p"));
    for (item, shown) in table.items.iter().zip([
        "(2 bytes that cannot be shown)",
        "(1 bytes that are not UTF-8 text)",
    ]) {
        assert_eq!(item.get("photo").unwrap(), shown);
    }
    let held = "\"photo\" held bytes, which are not read and so cannot be written";
    for at in 0..2 {
        let before = table.items[at].clone();
        assert_eq!(table.write(Some(before.clone()), None, None), Answer::Saved);
        // As an undo asks.
        assert_eq!(reason(&table.write(None, Some(before.clone()), None)), held);
        let mut without = before.clone();
        without.set("photo", Value::Null).unwrap();
        assert_eq!(
            table.write(None, Some(without.clone()), None),
            Answer::Saved
        );
        assert_eq!(
            reason(&table.write(Some(without), Some(before), None)),
            held
        );
    }
    let texts: i64 = database
        .query_row("SELECT count(photo) FROM p", [], |row| row.get(0))
        .unwrap();
    assert_eq!(texts, 0);

    let by_bytes = SqliteSource::table(&path, "q").unwrap();
    let told = DirectSource::new(by_bytes).load().unwrap_err().to_string();
    assert!(
        told.contains("row 1: its key in the column \"id\" is bytes"),
        "{told}"
    );
    let mut by_number = Table::open(SqliteSource::table_with_key(&path, "q", "rowid"));
    assert_eq!(by_number.edit(1, "n", json!(7)), Answer::Saved);
}

#[test]
fn a_query_only_reads() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("read.db");
    let database = database(
        &path,
        "CREATE TABLE p (id INTEGER PRIMARY KEY); INSERT INTO p VALUES (1), (2);",
    );
    for query in [
        "DELETE FROM p RETURNING id",
        "SELECT id FROM p; DELETE FROM p",
        "UPDATE p SET id = id + 9 RETURNING id",
        "",
    ] {
        let refused = SqliteSource::query(&path, query, "id");
        assert!(refused.is_err(), "{query}");
    }
    let count: i64 = database
        .query_row("SELECT count(*) FROM p", [], |row| row.get(0))
        .unwrap();
    assert_eq!(count, 2);
    let deep = "a.".repeat(100_000);
    let named = format!("SELECT id, 1 AS \"{deep}x\" FROM p");
    assert!(matches!(
        SqliteSource::query(&path, &named, "id"),
        Err(SqliteError::BadName { .. })
    ));
}

#[test]
fn rows_without_numbers_get_some_before_one_is_moved() {
    let folder = tempfile::tempdir().unwrap();
    let without_rowid = ["", "WITHOUT ROWID"];
    for (number, without) in without_rowid.into_iter().enumerate() {
        let path = folder.path().join(format!("order{number}.db"));
        let sql = format!(
            "CREATE TABLE p (id INTEGER PRIMARY KEY, place REAL) {without}; INSERT INTO p (id) VALUES (1), (2), (3), (4);"
        );
        database(&path, &sql);
        let mut table = Table::open(
            SqliteSource::table(&path, "p").and_then(|source| source.ordered_by("place")),
        );
        // Behind 3, and then to the start.
        table.move_to(0, Some(2), Some(3));
        assert_eq!(table.ids(), ["2", "3", "1", "4"]);
        table.move_to(3, None, Some(0));
        assert_eq!(table.ids(), ["4", "2", "3", "1"]);
    }
}

#[test]
fn what_the_database_forbids_is_refused_for_good() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("strict.db");
    let sql = "CREATE TABLE p (id INTEGER PRIMARY KEY, n INTEGER);
               INSERT INTO p VALUES (1, 1), (2, 2);
               CREATE VIEW v AS SELECT * FROM p;
               CREATE TRIGGER silent BEFORE INSERT ON p WHEN new.n = 66 BEGIN SELECT RAISE(IGNORE); END;
               CREATE TRIGGER stays BEFORE DELETE ON p WHEN old.n = 1 BEGIN SELECT RAISE(IGNORE); END;
               CREATE TRIGGER all_back BEFORE UPDATE ON p WHEN new.n = 77 BEGIN SELECT RAISE(ROLLBACK, 'not today'); END;";
    let database = database(&path, sql);
    let mut table = Table::open(SqliteSource::table(&path, "p"));
    let mut new = table.items[0].clone();
    new.set("id", json!(9)).unwrap();
    new.set("n", json!(66)).unwrap();
    let ignored = table.write(None, Some(new), None);
    assert_eq!(reason(&ignored), "the database did not store the item");
    let kept = table.write(Some(table.items[0].clone()), None, None);
    assert_eq!(reason(&kept), "the database did not remove the item");
    let back = table.edit(1, "n", json!(77));
    assert!(reason(&back).contains("rolled the write back") || reason(&back).contains("not today"));
    assert_eq!(
        table.edit(1, "n", json!(3)),
        Answer::Saved,
        "and it goes on"
    );

    let mut view = Table::open(SqliteSource::table_with_key(&path, "v", "id"));
    assert!(reason(&view.edit(0, "n", json!(5))).contains("view"));
    drop(database);
    let mut permissions = std::fs::metadata(&path).unwrap().permissions();
    permissions.set_readonly(true);
    std::fs::set_permissions(&path, permissions).unwrap();
    let count = Table::open(SqliteSource::table(&path, "p")).items.len();
    assert_eq!(count, 2);
}

#[test]
fn what_the_database_sets_itself_is_in_nobodys_way() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = database(
        &path,
        "CREATE TABLE pieces (id TEXT PRIMARY KEY, title TEXT, note TEXT, shelf INTEGER DEFAULT 3, place REAL);
         INSERT INTO pieces VALUES ('P-1', 'Bowl', NULL, 1, 10), ('P-2', 'Mug', NULL, 1, 20);",
    );
    let source = SqliteSource::table(&path, "pieces").and_then(|one| one.ordered_by("place"));
    let mut table = Table::open(source);
    let id = FieldName::parse("id").unwrap();
    let piece = |text: &str| usual_tide::record::parse(text, &id).unwrap().remove(0);
    let end = Some(Neighbours {
        after: Some("P-2".into()),
        before: None,
    });
    let vase = piece(r#"[{"id": "P-3", "title": "Vase"}]"#);
    let saved = |answer: Answer<Record>| match answer {
        Answer::SavedAs(item) => serde_json::to_string(&item.to_members()).unwrap(),
        answer => panic!("{answer:?}"),
    };
    let as_stored = r#"{"id":"P-3","title":"Vase","note":null,"shelf":3,"place":21.0}"#;
    let added = table.write(None, Some(vase.clone()), end.clone());
    assert_eq!(saved(added), as_stored);
    // The others keep their numbers.
    let places: Vec<f64> = database
        .prepare("SELECT place FROM pieces ORDER BY place")
        .and_then(|mut rows| rows.query_map([], |row| row.get(0))?.collect())
        .unwrap();
    assert_eq!(places, [10.0, 20.0, 21.0]);

    // Asked once more, since the answer was lost, it is saved already; with other values it is another.
    let again = table.write(None, Some(vase.clone()), end.clone());
    assert_eq!(saved(again), as_stored);
    for other in [
        r#"[{"id": "P-3", "title": "Jug"}]"#,
        r#"[{"id": "P-3", "title": "Vase", "shelf": 4}]"#,
        r#"[{"id": "P-3"}]"#,
    ] {
        let refused = table.write(None, Some(piece(other)), end.clone());
        assert_eq!(reason(&refused), "another item has this key");
    }

    // It is removed by one who has not seen what the database set, and by no one who has seen another version.
    let refused = table.write(
        Some(piece(r#"[{"id": "P-3", "title": "Jug"}]"#)),
        None,
        None,
    );
    assert_eq!(reason(&refused), "it was changed meanwhile");
    assert_eq!(table.write(Some(vase), None, None), Answer::Saved);
    assert_eq!(table.ids(), [r#""P-1""#, r#""P-2""#]);
}

/// What a source that is opened now shows.
fn afresh(source: Result<SqliteSource, SqliteError>) -> Vec<Record> {
    Table::open(source).items
}

#[test]
fn columns_that_others_add_rename_and_drop_are_followed() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = database(
        &path,
        "CREATE TABLE pieces (id INTEGER PRIMARY KEY, title TEXT, place REAL);
         INSERT INTO pieces VALUES (1, 'Bowl', 2), (2, 'Mug', 1);",
    );
    let by_place = || SqliteSource::table(&path, "pieces").and_then(|one| one.ordered_by("place"));
    let query = || SqliteSource::query(&path, "SELECT * FROM pieces WHERE id < 9", "id");
    let (mut table, mut read) = (Table::open(by_place()), Table::open(query()));
    for sql in [
        "ALTER TABLE pieces ADD COLUMN shelf TEXT DEFAULT 'top'",
        "ALTER TABLE pieces RENAME COLUMN title TO name",
        "ALTER TABLE pieces DROP COLUMN shelf",
        "DROP TABLE pieces; CREATE TABLE pieces (note TEXT, place REAL, id INTEGER PRIMARY KEY);
         INSERT INTO pieces VALUES ('dry', 5, 1), ('wet', 4, 3)",
    ] {
        database.execute_batch(sql).unwrap();
        // What is asked by its old shape writes nothing into a column of another.
        let old = table.items[0].clone();
        let mut asked = old.clone();
        asked.set("title", json!("Vase")).unwrap();
        let stale = table.write(Some(old), Some(asked), None);
        assert!(sql.contains("ADD") || matches!(stale, Answer::Refused { .. }));
        table.ids();
        read.ids();
        assert_eq!(table.items, afresh(by_place()), "{sql}");
        assert_eq!(read.items, afresh(query()), "{sql}");
        let last = table.items.len() - 1;
        assert!(
            !matches!(table.move_to(last, None, Some(0)), Answer::Refused { .. }),
            "{sql}"
        );
        table.ids();
    }
    database
        .execute_batch("ALTER TABLE pieces RENAME COLUMN place TO spot")
        .unwrap();
    let told = table.direct.load().unwrap_err().to_string();
    assert!(
        told.contains(r#"there is no column "place"; there are: note, spot, id"#),
        "{told}"
    );
    database
        .execute_batch("ALTER TABLE pieces RENAME COLUMN spot TO place")
        .unwrap();
    assert_eq!(table.ids(), ["1", "3"]);
}

#[test]
fn rows_are_moved_by_whole_numbers_and_unique_ones() {
    const NUMBERS: [[&str; 4]; 5] = [
        ["1", "2", "3", "4"],
        ["-9223372036854775808", "-1", "0", "9223372036854775807"],
        [
            "9007199254740992",
            "9007199254740993",
            "9007199254740994",
            "9007199254740995",
        ],
        ["NULL", "7", "7", "NULL"],
        ["0.5", "1.5", "1.25", "1e300"],
    ];
    let folder = tempfile::tempdir().unwrap();
    let tables = [
        "(id INTEGER PRIMARY KEY, place INTEGER) STRICT",
        "(id INTEGER PRIMARY KEY, place INTEGER NOT NULL UNIQUE) STRICT",
        "(id INTEGER PRIMARY KEY, place REAL UNIQUE)",
        "(id INTEGER PRIMARY KEY, place)",
    ];
    for (at, (table, [a, b, c, d])) in tables
        .into_iter()
        .flat_map(|table| NUMBERS.map(|numbers| (table, numbers)))
        .enumerate()
    {
        let path = folder.path().join(format!("{at}.db"));
        let filled =
            format!("INSERT OR IGNORE INTO p VALUES (1, {a}), (2, {b}), (3, {c}), (4, {d})");
        let database = database(&path, &format!("CREATE TABLE p {table};"));
        let Ok(()) = database.execute_batch(&filled) else {
            // Parts are no integers.
            assert!(table.ends_with("STRICT") && a == "0.5", "{table} {a}");
            continue;
        };
        let source = SqliteSource::table(&path, "p").and_then(|source| source.ordered_by("place"));
        let mut p = Table::open(source);
        let mut model = p.ids();
        let rows = model.len();
        for round in 0..60 {
            // Now anywhere, now between the same two places, so that there is no number left soon.
            let (from, to) = match round % 4 {
                0 => (round * 7 % rows, round * 5 % rows),
                _ => (rows - 1, 1 % rows),
            };
            let moved_key = model.remove(from);
            let others = |at: usize| Some(at + usize::from(at >= from));
            let above = to.checked_sub(1).and_then(others);
            let moved = p.move_to(from, above, others(to).filter(|_| to < rows - 1));
            assert!(
                !matches!(moved, Answer::Refused { .. }),
                "{table} {a} {round}: {moved:?}"
            );
            model.insert(to, moved_key);
            assert_eq!(p.ids(), model, "{table} {a} {round}: {from} to {to}");
        }
        let parts = "SELECT count(*) FROM p WHERE typeof(place) = 'real'";
        let parts: i64 = database.query_row(parts, [], |row| row.get(0)).unwrap();
        assert!(!table.contains("INTEGER)") || parts == 0, "{table} {a}");
    }
}

#[test]
fn what_rows_are_ordered_by_is_not_lost_where_it_is_no_number() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("order.db");
    let database = database(
        &path,
        "CREATE TABLE p (id INTEGER PRIMARY KEY, title TEXT);
         INSERT INTO p VALUES (1, 'Bowl'), (2, NULL), (3, 'Vase'), (7, 'Mug');",
    );
    let all = || -> Vec<(i64, Option<String>)> {
        let mut rows = database
            .prepare("SELECT id, title FROM p ORDER BY id")
            .unwrap();
        let rows = rows.query_map([], |row| Ok((row.get(0)?, row.get(1)?)));
        rows.unwrap().map(Result::unwrap).collect()
    };
    let before = all();
    for column in ["title", "id"] {
        let source = SqliteSource::table(&path, "p").and_then(|source| source.ordered_by(column));
        let mut table = Table::open(source);
        for at in 0..4 {
            for (above, below) in [(None, Some((at + 1) % 4)), (Some((at + 1) % 4), None)] {
                let moved = table.move_to(at, above, below);
                assert!(reason(&moved).contains("order"), "{column} {at}: {moved:?}");
                assert_eq!(all(), before, "{column} {at}");
            }
        }
    }
    // In the order of the keys, a new row stands where its key puts it.
    let source = SqliteSource::table(&path, "p").and_then(|source| source.ordered_by("id"));
    let mut table = Table::open(source);
    let mut new = table.items[0].clone();
    new.set("id", json!(5)).unwrap();
    let end = Neighbours {
        after: Some(7.into()),
        before: None,
    };
    assert_eq!(table.write(None, Some(new), Some(end)), Answer::Saved);
    assert_eq!(table.ids(), ["1", "2", "3", "5", "7"]);
}

#[test]
fn a_row_whose_own_values_say_where_it_stands_is_shown_there() {
    const LONG: Duration = Duration::from_secs(30);
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("order.db");
    let database = database(
        &path,
        "CREATE TABLE p (id INTEGER PRIMARY KEY, title TEXT, place REAL, twice REAL AS (place * 2));
         INSERT INTO p VALUES (1, 'Bowl', 1), (2, NULL, 2), (3, 'Vase', 3), (7, 'Mug', 4);",
    );
    for column in ["title", "place", "twice", "id"] {
        let store = SharedStore::new(Store::new());
        let source = SqliteSource::table(&path, "p").and_then(|source| source.ordered_by(column));
        let link = Link::start(store.clone(), source.unwrap()).unwrap();
        link.wait_until_ready(LONG).unwrap();
        let in_step = |what: &str| {
            link.flush(LONG).unwrap();
            let sql = format!("SELECT id FROM p ORDER BY {column}, rowid");
            let mut rows = database.prepare(&sql).unwrap();
            let rows = rows.query_map([], |row| row.get(0)).unwrap();
            let stored: Vec<i128> = rows.map(|id: Result<i64, _>| id.unwrap().into()).collect();
            let end = Instant::now() + LONG;
            loop {
                let shown = store.read(|store| {
                    let keys = store.items().map(|item| item.key().as_integer().unwrap());
                    keys.collect::<Vec<_>>()
                });
                if shown.as_ref().unwrap() == &stored {
                    break;
                }
                assert!(
                    Instant::now() < end,
                    "{column}, {what}: {shown:?}, {stored:?}"
                );
                std::thread::sleep(Duration::from_millis(2));
            }
            let refused = store.read(|store| {
                let refused = store.writes().refused();
                refused
                    .map(|write| write.reason.clone())
                    .collect::<Vec<_>>()
            });
            assert_eq!(refused.unwrap(), [""; 0], "{column}, {what}");
        };
        for (key, title, place) in [(7, "Aged bowl", 0.5), (1, "Zen vase", 9.0), (3, "Mug", 4.0)] {
            let edited = store.edit(|store| {
                store.edit(&key.into(), |piece| {
                    piece.set("title", json!(title)).unwrap();
                    piece.set("place", json!(place)).unwrap();
                })
            });
            edited.unwrap().unwrap();
            in_step(title);
        }
        let added = store.edit(|store| {
            let mut new = Record::clone(store.get(&1.into()).unwrap());
            new.set("id", json!(5)).unwrap();
            new.set("title", json!("Jug")).unwrap();
            store.add(new, Place::Start)
        });
        added.unwrap().unwrap();
        in_step("Jug");
        store
            .edit(|store| store.remove(&5.into()))
            .unwrap()
            .unwrap();
        in_step("removed");
        link.close(LONG);
    }
}

#[test]
fn computed_columns_are_shown_and_rows_without_a_key_are_known_by_their_numbers() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("odd.db");
    let database = database(
        &path,
        "CREATE TABLE tiles (id INTEGER PRIMARY KEY, height INT, area INT AS (height * 2) STORED, half INT AS (height / 2));
         INSERT INTO tiles (id, height) VALUES (1, 10);
         CREATE TABLE runs (kiln TEXT, day TEXT, rowid TEXT, PRIMARY KEY (kiln, day));
         INSERT INTO runs VALUES ('North', 'Mon', 'x'), ('South', 'Mon', 'x');
         CREATE TABLE pairs (kiln TEXT, day TEXT, PRIMARY KEY (kiln, day)) WITHOUT ROWID;
         CREATE VIRTUAL TABLE words USING fts5(title); INSERT INTO words VALUES ('Bowl'), ('Mug');",
    );
    let text = |item: &Record| serde_json::to_string(&item.to_members()).unwrap();
    let mut tiles = Table::open(SqliteSource::table(&path, "tiles"));
    assert_eq!(
        text(&tiles.items[0]),
        r#"{"id":1,"height":10,"area":20,"half":5}"#
    );
    let Answer::SavedAs(saved) = tiles.edit(0, "height", json!(30)) else {
        panic!("the other columns change with it");
    };
    assert_eq!(text(&saved), r#"{"id":1,"height":30,"area":60,"half":15}"#);
    tiles.ids();
    let refused = tiles.edit(0, "area", json!(7));
    assert_eq!(reason(&refused), "the database did not store area");
    let mut new = tiles.items[0].clone();
    new.set("id", json!(2)).unwrap();
    new.set("area", json!(1)).unwrap();
    let Answer::SavedAs(added) = tiles.write(None, Some(new.clone()), None) else {
        panic!("it is stored as the database computes it");
    };
    assert_eq!(added.get("area").unwrap(), 60);
    // Its answer was lost.
    assert!(matches!(
        tiles.write(None, Some(new), None),
        Answer::SavedAs(_)
    ));

    let told = |table: &str| SqliteSource::table(&path, table).unwrap_err().to_string();
    assert!(
        told("runs")
            .ends_with(r#"which column is the key, or "_rowid_" for the numbers of its rows"#)
    );
    assert!(told("pairs").ends_with("which column is the key"));
    let mut runs = Table::open(SqliteSource::table_with_key(&path, "runs", "_rowid_"));
    assert_eq!(runs.edit(1, "day", json!("Tue")), Answer::Saved);
    let days: String = database
        .query_row(
            "SELECT group_concat(day || rowid) FROM runs ORDER BY kiln",
            [],
            |row| row.get(0),
        )
        .unwrap();
    assert_eq!(days, "Monx,Tuex");
    let words = Table::open(SqliteSource::table_with_key(&path, "words", "rowid"));
    let titles: Vec<String> = words.items.iter().map(text).collect();
    assert_eq!(
        titles,
        [
            r#"{"rowid":1,"title":"Bowl"}"#,
            r#"{"rowid":2,"title":"Mug"}"#
        ]
    );
}
