//! Files and databases as sources: two apps that edit the same one end equal, and what they wrote is there.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod typed;

use proptest::prelude::*;
use rusqlite::Connection;
use serde_json::{Value, json};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};
use usual_tide::record::{FieldName, Record, RecordKey, parse};
use usual_tide::writes::WriteState;
use usual_tide::{Place, SharedStore, Store};
use usual_tide_sources::files::{FileSource, read_file};
use usual_tide_sources::link::{Link, LinkOptions, LinkState, Outbox, Retry, Source};
use usual_tide_sources::sqlite::{SqliteError, SqliteOutbox, SqliteSource};

const LONG: Duration = Duration::from_secs(10);
const OFTEN: Duration = Duration::from_millis(3);

fn id() -> FieldName {
    FieldName::parse("id").unwrap()
}

fn piece(id: i64) -> Record {
    let text = format!(r#"[{{"id": {id}, "title": "Bowl", "shelf": 1, "fired": false}}]"#);
    parse(&text, &self::id()).unwrap().remove(0)
}

type Shared = SharedStore<Record>;

fn linked(source: impl Source<Record>) -> (Shared, Link<Record>) {
    let store = SharedStore::new(Store::new());
    let options = LinkOptions::default().retry(Retry {
        first: OFTEN,
        most: OFTEN,
    });
    let link = Link::start_with(store.clone(), source, options).unwrap();
    link.wait_until_ready(LONG).unwrap();
    (store, link)
}

fn items(store: &Shared) -> Vec<Arc<Record>> {
    store
        .read(|store| store.items().cloned().collect())
        .unwrap()
}

#[track_caller]
fn wait_for(what: impl Fn() -> bool) {
    let end = Instant::now() + LONG;
    while !what() {
        assert!(Instant::now() < end, "it did not happen");
        std::thread::sleep(Duration::from_millis(1));
    }
}

fn failure<T: usual_tide::Item>(link: &Link<T>) -> String {
    match link.state() {
        LinkState::Failed { error, .. } => error.to_string(),
        _ => String::new(),
    }
}

fn edit(store: &mut Store<Record>, (what, at, to): (u8, u8, u8), new: i64) {
    let len = store.len();
    let key = store
        .at(usize::from(at) % len.max(1))
        .map(|item| item.key_of());
    let row = Place::Row(usize::from(to) % len.max(1));
    let set = |name: &'static str, value: Value| {
        move |piece: &mut Record| piece.set(name, value).unwrap()
    };
    let edited = match (what % 7, key) {
        (5, _) => store.history_mut().undo().map(drop).or(Ok(())),
        (6, _) => store.history_mut().redo().map(drop).or(Ok(())),
        // Some are of keys before all others.
        (0, _) | (_, None) => store.add(piece(if to % 2 == 0 { new } else { -new }), row),
        (1, Some(key)) => store
            .edit(&key, set("title", json!(format!("Mug {to}"))))
            .map(drop),
        (2, Some(key)) => store.edit(&key, set("shelf", json!(to))).map(drop),
        (3, Some(key)) => store.move_to(&key, row).map(drop),
        (_, Some(key)) => store.remove(&key).map(drop),
    };
    edited.unwrap();
}

trait KeyOf {
    fn key_of(&self) -> RecordKey;
}

impl KeyOf for Record {
    fn key_of(&self) -> RecordKey {
        usual_tide::Item::key(self).clone()
    }
}

type Edits = Vec<(bool, (u8, u8, u8), u8)>;

fn edits() -> impl Strategy<Value = Edits> {
    prop::collection::vec((any::<bool>(), any::<(u8, u8, u8)>(), 0..4u8), 1..25)
}

/// Two apps edit the same; afterwards both show what `there` reads.
fn end_equal(sources: [impl Source<Record>; 2], edits: Edits, there: impl Fn() -> Vec<Record>) {
    let linked = sources.map(linked);
    for (number, (second, what, wait)) in edits.into_iter().enumerate() {
        let store = &linked[usize::from(second)].0;
        store
            .edit(|store| edit(store, what, 100 + number as i64))
            .unwrap();
        std::thread::sleep(Duration::from_millis(u64::from(wait)));
    }
    for (_, link) in &linked {
        link.flush(LONG).unwrap();
    }
    for (store, _) in &linked {
        wait_for(|| items(store).iter().map(|item| &**item).eq(&there()));
        assert_eq!(store.read(Store::check).unwrap(), Ok(()));
    }
}

fn table(path: &Path) -> Connection {
    let database = Connection::open(path).unwrap();
    database
        .execute_batch(
            "PRAGMA journal_mode = WAL;
             CREATE TABLE pieces (
                 id INTEGER PRIMARY KEY, title TEXT NOT NULL CHECK (title <> ''), shelf INTEGER,
                 fired BOOLEAN, place REAL
             );
             INSERT INTO pieces VALUES
                 (1, 'Bowl', 1, 0, 10), (2, 'Jug', 2, 1, 20), (3, 'Mug', 3, 0, 20);",
        )
        .unwrap();
    database
}

fn rows(database: &Connection, order: &str) -> Vec<(i64, String, Option<i64>)> {
    let sql = format!("SELECT id, title, shelf FROM pieces ORDER BY {order}");
    let mut rows = database.prepare(&sql).unwrap();
    let rows = rows.query_map([], |row| Ok((row.get(0)?, row.get(1)?, row.get(2)?)));
    rows.unwrap().map(Result::unwrap).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, max_shrink_iters: 20, ..ProptestConfig::default() })]

    #[test]
    fn two_apps_on_one_table_end_equal(edits in edits(), is_ordered in any::<bool>()) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("studio.db");
        let database = table(&path);
        let source = || {
            let source = SqliteSource::table(&path, "pieces").unwrap().poll_every(OFTEN);
            if is_ordered { source.ordered_by("place").unwrap() } else { source }
        };
        let order = if is_ordered { "place, rowid" } else { "rowid" };
        let seen = |item: &Record| {
            let text = |name| item.get(name).map_or(Value::Null, |value| value.to_json());
            (text("id"), text("title"), text("shelf"))
        };
        end_equal([source(), source()], edits, || {
            let mut other = SharedStore::new(Store::new());
            let link = Link::start(other.clone(), source()).unwrap();
            link.wait_until_ready(LONG).unwrap();
            let shown: Vec<Record> =
                items(&other).iter().map(|item| Record::clone(item)).collect();
            let told: Vec<_> = shown.iter().map(seen).collect();
            let there: Vec<_> = rows(&database, order)
                .into_iter()
                .map(|(id, title, shelf)| (json!(id), json!(title), json!(shelf)))
                .collect();
            other = SharedStore::new(Store::new());
            drop(other);
            if told == there { shown } else { Vec::new() }
        });
    }

    #[test]
    fn one_app_and_an_editor_of_the_file_end_equal(edits in edits(), csv in any::<bool>()) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join(if csv { "pieces.csv" } else { "pieces.json" });
        let begin = match csv {
            true => "id,title,shelf,fired\n1,Bowl,1,false\n2,Jug,2,true\n3,Mug,3,false\n".to_owned(),
            false => format!("{:?}", (1..4).map(piece).map(|piece| Value::Object(piece.to_members()).to_string()).collect::<Vec<_>>())
                .replace("\\\"", "'").replace('"', "").replace('\'', "\""),
        };
        std::fs::write(&path, begin).unwrap();
        let (store, link) = linked(FileSource::new(&path, &id()).poll_every(OFTEN));
        for (number, (editor, what, wait)) in edits.into_iter().enumerate() {
            let new = 100 + number as i64;
            if editor {
                link.flush(LONG).unwrap();
                let mut others = Store::load(read_file(&path, &id()).unwrap()).unwrap();
                edit(&mut others, what, new);
                if others.is_empty() {
                    continue;
                }
                let format = usual_tide_sources::files::FileFormat::of_path(&path).unwrap();
                let members = others.items().map(|item| item.members());
                let save = |out: &mut dyn std::io::Write| {
                    usual_tide_sources::files::write(out, format, members)
                };
                usual_tide_sources::files::replace_file(&path, save).unwrap();
            } else {
                store.edit(|store| edit(store, what, new)).unwrap();
            }
            std::thread::sleep(Duration::from_millis(u64::from(wait)));
        }
        link.flush(LONG).unwrap();
        wait_for(|| {
            let there = read_file(&path, &id()).unwrap();
            items(&store).iter().map(|item| &**item).eq(&there)
        });
    }
}

#[test]
fn a_file_keeps_what_the_app_does_not_know() {
    let folder = tempfile::tempdir().unwrap();
    // Nothing in its name says what it is.
    let path = folder.path().join("pieces");
    std::fs::write(
        &path,
        "{\"zeta\":[1,{\"a\":null}],\"id\":1,\"fee\":{\"amount\":4.50,\"note\":\"\"},\"big\":12345678901234567890.0}\n{\"id\":2}\n",
    )
    .unwrap();
    let (store, link) = linked(FileSource::new(&path, &id()));
    let set = |store: &mut Store<Record>| {
        store.edit(&1.into(), |piece| {
            piece.set("fee.note", json!("paid")).unwrap()
        })
    };
    store.edit(set).unwrap().unwrap();
    link.flush(LONG).unwrap();
    assert_eq!(
        std::fs::read_to_string(&path).unwrap(),
        "{\"zeta\":[1,{\"a\":null}],\"id\":1,\"fee\":{\"amount\":4.50,\"note\":\"paid\"},\"big\":12345678901234567890.0}\n{\"id\":2}\n",
    );

    // A file that is broken for a while changes nothing, and the state says where it is broken.
    std::fs::write(&path, "{\"id\":1}\n{\"id\":\n").unwrap();
    wait_for(|| {
        failure(&link).ends_with("line 2, column 6: the text ends where a value is expected")
    });
    assert_eq!(items(&store).len(), 2);
    std::fs::write(&path, "{\"id\":1}\n{\"id\":2}\n{\"id\":3}\n").unwrap();
    wait_for(|| items(&store).len() == 3);
}

#[test]
fn a_table_refuses_what_its_rules_forbid_and_what_others_changed() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = table(&path);
    let source = SqliteSource::table(&path, "pieces").unwrap();
    let (store, link) = linked(source.poll_every(LONG));
    let set = |key: i64, name: &'static str, value: Value| {
        let edit = |piece: &mut Record| piece.set(name, value).unwrap();
        store
            .edit(|store| store.edit(&key.into(), edit))
            .unwrap()
            .unwrap();
    };
    set(1, "title", json!(""));
    set(2, "fired", json!(false));
    set(3, "maker", json!("Ada"));
    store
        .edit(|store| store.move_to(&3.into(), Place::Start))
        .unwrap()
        .unwrap();
    link.flush(LONG).unwrap();
    let reasons = |store: &Store<Record>| -> Vec<(String, String)> {
        let refused = store.writes().refused();
        refused
            .map(|one| (one.write.key.to_string(), one.reason.clone()))
            .collect()
    };
    let told = store.read(reasons).unwrap();
    assert_eq!(told[0].0, "1");
    assert!(told[0].1.contains("CHECK constraint failed"), "{told:?}");
    assert_eq!(
        told[1],
        ("3".into(), "the table has no column \"maker\"".into())
    );
    let no_order = "the table has no column that its rows are ordered by";
    assert_eq!(told[2], ("3".into(), no_order.into()));
    assert_eq!(told.len(), 3);
    assert_eq!(
        store.read(|store| store.writes().state(&2.into())).unwrap(),
        WriteState::Saved
    );
    let fired: bool = database
        .query_row("SELECT fired FROM pieces WHERE id = 2", [], |row| {
            row.get(0)
        })
        .unwrap();
    assert!(!fired);

    // Another program edits the same piece: other fields are kept, the same one is refused.
    database
        .execute(
            "UPDATE pieces SET title = 'Vase', shelf = 9 WHERE id = 2",
            [],
        )
        .unwrap();
    set(2, "fired", json!(true));
    set(2, "title", json!("Pot"));
    link.flush(LONG).unwrap();
    let told = store.read(reasons).unwrap();
    assert_eq!(told[3], ("2".into(), "changed meanwhile: title".into()));
    let now = store
        .read(|store| store.get(&2.into()).cloned())
        .unwrap()
        .unwrap();
    assert_eq!(now.get("title").unwrap(), json!("Vase"));
    assert_eq!(now.get("fired").unwrap(), json!(true));
    assert_eq!(rows(&database, "rowid")[1], (2, "Vase".into(), Some(9)));
}

#[test]
fn a_new_row_of_a_table_without_an_order_stands_where_the_table_puts_it() {
    let folder = tempfile::tempdir().unwrap();
    for (type_of_key, keys) in [
        ("INTEGER PRIMARY KEY", [1, 3, 4]),
        ("INT PRIMARY KEY", [3, 4, 1]),
    ] {
        let path = folder.path().join(format!("{type_of_key}.db"));
        let database = Connection::open(&path).unwrap();
        let table = format!(
            "CREATE TABLE pieces (id {type_of_key}, title TEXT, shelf INTEGER, fired BOOLEAN);
             INSERT INTO pieces (id, title) VALUES (3, 'Jug'), (1, 'Bowl'), (4, 'Mug');"
        );
        database.execute_batch(&table).unwrap();
        let source = SqliteSource::table(&path, "pieces").unwrap();
        let (store, link) = linked(source.poll_every(LONG));
        let in_step = |what: &str| {
            link.flush(LONG).unwrap();
            let there: Vec<i64> = rows(&database, "rowid").iter().map(|row| row.0).collect();
            let keys: Vec<RecordKey> = there.iter().map(|key| (*key).into()).collect();
            wait_for(|| {
                items(&store)
                    .iter()
                    .map(|item| item.key_of())
                    .eq(keys.clone())
            });
            let refused = store
                .read(|store| store.writes().refused().count())
                .unwrap();
            assert_eq!(refused, 0, "{type_of_key}, {what}");
            there
        };
        let edit = |edit: &dyn Fn(&mut Store<Record>)| store.edit(|store| edit(store)).unwrap();
        // A removal is undone.
        edit(&|store| drop(store.remove(&1.into()).unwrap()));
        in_step("removed");
        edit(&|store| drop(store.history_mut().undo().unwrap()));
        assert_eq!(in_step("undone"), keys);
        // Added between others, and changed before it is sent.
        edit(&|store| {
            store.add(piece(2), Place::Start).unwrap();
            store
                .edit(&2.into(), |piece| {
                    piece.set("title", json!("Vase")).unwrap()
                })
                .unwrap();
        });
        in_step("added");
        let new = store.read(|store| store.get(&2.into()).cloned()).unwrap();
        assert_eq!(new.unwrap().get("title").unwrap(), json!("Vase"));
        // Several at once, each beside another that is new.
        edit(&|store| {
            for key in [9, 0, 7, -5] {
                store.add(piece(key), Place::Start).unwrap();
            }
        });
        in_step("several");
        // At the end, where they belong, many cost no more than being written.
        let loads = Arc::new(AtomicUsize::new(0));
        let counted = Arc::clone(&loads);
        link.on_state(move |state| {
            let loads = matches!(state, LinkState::Loading { .. });
            counted.fetch_add(usize::from(loads), Ordering::Relaxed);
        });
        edit(&|store| {
            for key in 100..400 {
                store.add(piece(key), Place::End).unwrap();
            }
        });
        in_step("many");
        edit(&|store| store.add(piece(400), Place::End).unwrap());
        in_step("one more");
        assert_eq!(loads.load(Ordering::Relaxed), 0, "{type_of_key}");
        link.close(LONG);
    }
}

#[test]
fn what_is_no_table_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = table(&path);
    database.execute_batch("CREATE TABLE notes (note TEXT); CREATE TABLE b (id TEXT PRIMARY KEY, x BLOB); INSERT INTO b VALUES ('k', x'00')").unwrap();
    let told = |source: Result<SqliteSource, SqliteError>| source.unwrap_err().to_string();
    assert_eq!(
        told(SqliteSource::table(&path, "piece")),
        "there is no table \"piece\"; there are: b, notes, pieces"
    );
    assert_eq!(
        told(SqliteSource::table(&path, "notes")),
        "the table \"notes\" has no primary key of one column: say which column is the key, or \"rowid\" for the numbers of its rows"
    );
    assert_eq!(
        told(
            SqliteSource::table(&path, "pieces")
                .unwrap()
                .ordered_by("rank")
        ),
        "there is no column \"rank\"; there are: id, title, shelf, fired, place"
    );
    let missing = folder.path().join("none.db");
    assert!(told(SqliteSource::table(missing, "pieces")).contains("unable to open"));

    let sum = "SELECT shelf, count(*) AS pieces FROM pieces GROUP BY shelf ORDER BY shelf";
    let (store, link) = linked(
        SqliteSource::query(&path, sum, "shelf")
            .unwrap()
            .poll_every(OFTEN),
    );
    database.execute("UPDATE pieces SET shelf = 1", []).unwrap();
    wait_for(|| items(&store).len() == 1);
    store
        .edit(|store| store.remove(&1.into()))
        .unwrap()
        .unwrap();
    link.flush(LONG).unwrap();
    let reason = store
        .read(|store| store.writes().refused().next().unwrap().reason.clone())
        .unwrap();
    assert_eq!(reason, "a query cannot be written to");
    let (store, _link) = linked(SqliteSource::table(&path, "b").unwrap());
    let items = items(&store);
    assert_eq!(items[0].get("x").unwrap(), "(1 bytes that cannot be shown)");
}

#[test]
fn unsent_writes_are_sent_by_the_next_run() {
    let folder = tempfile::tempdir().unwrap();
    let (path, unsent) = (
        folder.path().join("pieces.json"),
        folder.path().join("unsent.db"),
    );
    std::fs::write(&path, "[{\"id\": 1}, {\"id\": 2}]").unwrap();
    let options = || LinkOptions::default().outbox(SqliteOutbox::open(&unsent, &id()).unwrap());
    let start = |store: &Shared| {
        Link::start_with(store.clone(), FileSource::new(&path, &id()), options()).unwrap()
    };
    let store = SharedStore::new(Store::new());
    let link = start(&store);
    link.wait_until_ready(LONG).unwrap();
    // The file is out of reach.
    let away = folder.path().join("away.json");
    std::fs::rename(&path, &away).unwrap();
    store
        .edit(|store| {
            store.batch(|store| {
                store.add(piece(3), Place::Start)?;
                store.edit(&1.into(), |piece| piece.set("title", json!("Jug")).unwrap())?;
                store.remove(&2.into())
            })
        })
        .unwrap()
        .unwrap();
    assert_eq!(link.close(Duration::from_millis(20)).len(), 3);

    // The next run shows them from the start, and sends them when the file is back.
    let store = SharedStore::new(Store::new());
    let link = start(&store);
    assert_eq!(
        store
            .read(|store| store.writes().pending().count())
            .unwrap(),
        3
    );
    std::fs::rename(&away, &path).unwrap();
    link.refresh();
    link.flush(LONG).unwrap();
    let there = read_file(&path, &id()).unwrap();
    assert_eq!(there.len(), 2);
    assert_eq!(there[0], piece(3));
    assert_eq!(there[1].get("title").unwrap(), json!("Jug"));
    assert!(link.close(LONG).is_empty());
    assert_eq!(outbox_len(&unsent), 0);
}

#[test]
fn what_is_refused_with_another_is_not_sent_by_the_next_run() {
    let folder = tempfile::tempdir().unwrap();
    let (path, unsent) = (
        folder.path().join("studio.db"),
        folder.path().join("unsent.db"),
    );
    let _database = table(&path);
    let options = LinkOptions::default()
        .outbox(SqliteOutbox::open(&unsent, &id()).unwrap())
        .writes_at_once(1);
    let store = SharedStore::new(Store::new());
    let source = SqliteSource::table(&path, "pieces").unwrap();
    let link = Link::start_with(store.clone(), source, options).unwrap();
    link.wait_until_ready(LONG).unwrap();
    let mut untitled = piece(9);
    untitled.set("title", json!("")).unwrap();
    let both = store.edit(|store| {
        store.add(untitled, Place::End)?;
        store.edit(&9.into(), |piece| piece.set("shelf", json!(3)).unwrap())
    });
    both.unwrap().unwrap();
    assert!(link.close(LONG).is_empty());
    assert_eq!(
        store
            .read(|store| store.writes().refused().count())
            .unwrap(),
        2
    );
    assert_eq!(outbox_len(&unsent), 0);
}

fn outbox_len(path: &Path) -> usize {
    SqliteOutbox::open(path, &id())
        .unwrap()
        .kept()
        .unwrap()
        .len()
}

#[test]
fn an_outbox_is_held_by_one_run_at_a_time() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.unsent");
    let key = FieldName::parse("id").unwrap();
    let first = SqliteOutbox::open(&path, &key).unwrap();
    let refused = SqliteOutbox::open(&path, &key).unwrap_err().to_string();
    let expected = format!(
        "the unsent writes in {} are in use by another run",
        path.display()
    );
    assert!(refused.starts_with(&expected), "{refused}");
    drop(first);
    assert!(
        SqliteOutbox::open(&path, &key)
            .unwrap()
            .kept()
            .unwrap()
            .is_empty()
    );
}
