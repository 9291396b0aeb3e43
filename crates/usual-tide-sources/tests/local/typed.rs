//! Items of an app's own type, kept in files and tables along with what the type does not tell.

use super::{LONG, OFTEN, failure, id, wait_for};
use proptest::prelude::*;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::path::Path;
use std::sync::{Arc, Mutex, mpsc};
use std::time::Duration;
use usual_tide::record::{FieldName, Record, RecordKey, parse};
use usual_tide::writes::{Show, Write, WriteState};
use usual_tide::{Fields, Item, Place, SharedStore, Store};
use usual_tide_sources::files::{FileSource, read_file};
use usual_tide_sources::link::{
    Answer, Change, ChangeSender, Link, LinkError, LinkOptions, Loaded, Loading, Outbox, Retry,
    Source, SourceError,
};
use usual_tide_sources::sqlite::{SqliteOutbox, SqliteSource};
use usual_tide_sources::typed::{Conversion, TypedOutbox, TypedSource};

#[derive(Clone, PartialEq, Debug, Item, Serialize, Deserialize)]
struct Piece {
    #[item(key)]
    id: i64,
    #[serde(serialize_with = "no_slash")]
    title: String,
    #[serde(default)]
    weight: Option<f64>,
    #[serde(default)]
    #[item(nested)]
    fee: Option<Fee>,
}

#[derive(Clone, PartialEq, Debug, Fields, Serialize, Deserialize)]
struct Fee {
    amount: String,
}

fn no_slash<S: serde::Serializer>(title: &str, to: S) -> Result<S::Ok, S::Error> {
    match title.contains('/') {
        true => Err(serde::ser::Error::custom("a title has no slash")),
        false => to.serialize_str(title),
    }
}

fn conversion() -> Conversion<Piece> {
    Conversion::serde(&id())
}

fn started<T: Item + Fields>(source: impl Source<T>) -> (SharedStore<T>, Link<T>) {
    let store = SharedStore::new(Store::new());
    let options = LinkOptions::default().retry(Retry {
        first: OFTEN,
        most: OFTEN,
    });
    let link = Link::start_with(store.clone(), source, options).unwrap();
    (store, link)
}

/// A link to a file that is looked at often.
fn over(path: &Path) -> (SharedStore<Piece>, Link<Piece>) {
    let source = FileSource::new(path, &id()).poll_every(OFTEN);
    let (store, link) = started(TypedSource::new(source, conversion()));
    link.wait_until_ready(LONG).unwrap();
    (store, link)
}

fn written(path: &Path) -> Value {
    serde_json::from_str(&std::fs::read_to_string(path).unwrap()).unwrap()
}

fn items<T: Item>(store: &SharedStore<T>) -> Vec<Arc<T>> {
    store
        .read(|store| store.items().cloned().collect())
        .unwrap()
}

const PIECES: &str = r#"[
    {"id": 1, "made by": "Oona", "title": "Bowl", "weight": 1.50, "fee": {"currency": "EUR", "amount": "4"}},
    {"title": "Jug", "id": 2, "weight": null, "glazes": [1, 2.0]},
    {"id": 3, "title": "Mug"}
]"#;

#[test]
fn what_the_type_does_not_tell_stays() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    std::fs::write(&path, PIECES).unwrap();
    let (store, link) = over(&path);
    let edited = store.try_edit(|store| {
        store.edit(&1, |piece| {
            piece.title = "Wide bowl".into();
            piece.fee.as_mut().unwrap().amount = "5".into();
        })?;
        store.edit(&2, |piece| piece.weight = Some(0.75))?;
        store.edit(&3, |piece| piece.title = "Large mug".into())?;
        store.edit(&1, |piece| piece.weight = None)?;
        store.move_to(&3, Place::Start)
    });
    edited.unwrap();
    link.flush(LONG).unwrap();
    let expected = json!([
        {"id": 3, "title": "Large mug"},
        {"id": 1, "made by": "Oona", "title": "Wide bowl", "weight": null, "fee": {"currency": "EUR", "amount": "5"}},
        {"title": "Jug", "id": 2, "weight": 0.75, "glazes": [1, 2.0]},
    ]);
    assert_eq!(written(&path).to_string(), expected.to_string());
    // A removal, and its undo, which brings all of it back.
    let removed = store.try_edit(|store| store.remove_many(&[2, 1]));
    removed.unwrap();
    link.flush(LONG).unwrap();
    assert_eq!(written(&path), json!([expected[0]]));
    store
        .edit(|store| store.history_mut().undo().map(drop))
        .unwrap()
        .unwrap();
    link.flush(LONG).unwrap();
    assert_eq!(written(&path).to_string(), expected.to_string());
    assert_eq!(
        store
            .read(|store| store.writes().refused().count())
            .unwrap(),
        0
    );
    // What somebody else writes there meanwhile stays as well.
    let text = std::fs::read_to_string(&path).unwrap();
    std::fs::write(&path, text.replace("Oona", "Ilmo")).unwrap();
    store
        .try_edit(|store| store.edit(&1, |piece| piece.title = "Bowl".into()))
        .unwrap();
    link.flush(LONG).unwrap();
    assert_eq!(written(&path)[1]["made by"], "Ilmo");
    assert_eq!(written(&path)[1]["title"], "Bowl");
}

#[test]
fn what_is_no_item_is_told_and_what_cannot_be_written_is_refused() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    std::fs::write(&path, PIECES.replace("\"Jug\"", "7")).unwrap();
    let source = FileSource::new(&path, &id()).poll_every(OFTEN);
    let (store, link) = started(TypedSource::new(source, conversion()));
    wait_for(|| !failure(&link).is_empty());
    let why = failure(&link);
    assert!(
        why.contains("the item with the key 2: invalid type: "),
        "{why}"
    );
    std::fs::write(&path, PIECES).unwrap();
    link.wait_until_ready(LONG).unwrap();
    assert_eq!(items(&store).len(), 3);

    let edited = store.try_edit(|store| {
        store.edit(&1, |piece| piece.title = "Bowl".into())?;
        store.edit(&1, |piece| piece.title = "Bowl/plate".into())?;
        store.edit(&3, |piece| piece.title = "Cup".into())
    });
    edited.unwrap();
    link.flush(LONG).unwrap();
    let refused = store
        .read(|store| {
            let refused = store.writes().refused();
            refused
                .map(|write| (write.write.key, write.reason.clone()))
                .collect::<Vec<_>>()
        })
        .unwrap();
    let why = "the item with the key 1 cannot be written as JSON: a title has no slash";
    assert_eq!(refused, [(1, why.to_owned())]);
    assert_eq!(written(&path)[2]["title"], "Cup");
    assert_eq!(items(&store)[0].title, "Bowl");

    // What others make unreadable later is told as well, and nothing is lost of what is shown.
    std::fs::write(&path, PIECES.replace("\"Mug\"", "[]")).unwrap();
    wait_for(|| failure(&link).contains("the item with the key 3: "));
    assert_eq!(items(&store)[2].title, "Cup");
}

/// A source in memory, which reports through what it hands out.
struct Told {
    records: Arc<Mutex<Vec<Record>>>,
    news: mpsc::Sender<ChangeSender<Record>>,
}

impl Source<Record> for Told {
    fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Record>, SourceError> {
        Ok(Loaded::all(self.records.lock().unwrap().clone()))
    }

    fn write(&mut self, _: &Write<Record>) -> Result<Answer<Record>, SourceError> {
        Ok(Answer::Saved)
    }

    fn watch(&mut self, news: ChangeSender<Record>) {
        self.news.send(news).unwrap();
    }
}

/// Code of the app that reads items runs on the source's threads as well, which report what others change: none of them ends by it.
#[test]
fn a_conversion_that_fails_or_panics_is_told_and_asked_again() {
    let (send, news) = mpsc::channel();
    let records = Arc::new(Mutex::new(parse(PIECES, &id()).unwrap()));
    let told = Told {
        records: Arc::clone(&records),
        news: send,
    };
    let read = |record: &Record| -> Result<Piece, String> {
        assert_ne!(record.get("title").unwrap(), "Kiln", "no piece");
        conversion().item(record).map_err(|why| why.to_string())
    };
    let write = |piece: &Piece| serde_json::to_value(piece);
    let (store, link) = started(TypedSource::new(told, Conversion::new(&id(), read, write)));
    link.wait_until_ready(LONG).unwrap();
    let news = news.recv().unwrap();
    let report = |title: Value| {
        let mut record = records.lock().unwrap()[2].clone();
        record.set("title", title).unwrap();
        records.lock().unwrap()[2] = record.clone();
        let news = news.clone();
        let reporting =
            std::thread::spawn(move || news.changed(vec![Change::Put(record, None)], None));
        reporting.join().unwrap();
    };
    for (title, why) in [
        ("Cup", "panicked: assertion"),
        ("Tile", "the item with the key 3: "),
    ] {
        report(title.into());
        wait_for(|| items(&store)[2].title == title);
        report(if why.contains("panicked") {
            "Kiln".into()
        } else {
            json!(7)
        });
        wait_for(|| failure(&link).contains(why));
        report(title.into());
        link.wait_until_ready(LONG).unwrap();
    }
    // One that is gone, by a key that no item can have.
    news.changed(vec![Change::Removed("P-1".into())], None);
    news.changed(vec![Change::Removed(1.into())], None);
    records.lock().unwrap().remove(0);
    wait_for(|| items(&store).len() == 2);
    link.wait_until_ready(LONG).unwrap();
}

#[derive(Clone, PartialEq, Debug, Fields, Serialize, Deserialize)]
struct Size {
    width: f64,
}

#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
#[serde(untagged)]
enum Price {
    Number(f64),
    Text(String),
}

#[derive(Clone, PartialEq, Debug, Item, Serialize, Deserialize)]
struct Plate {
    #[item(key)]
    id: u64,
    #[item(nested)]
    #[serde(flatten)]
    size: Size,
    #[item(skip)]
    price: Price,
}

/// Numbers in the text of a file are of every form, and `serde` takes apart types that are put together in several ways.
#[test]
fn numbers_are_read_wherever_a_type_has_them() {
    let text = r#"[{"id": 18446744073709551615, "width": 1.50, "price": 4.50}, {"id": 1, "width": 1e0, "price": "4"}]"#;
    let conversion = Conversion::<Plate>::serde(&id());
    let records = parse(text, &id()).unwrap();
    let plates = records
        .iter()
        .map(|record| conversion.item(record).unwrap());
    let plates: Vec<Plate> = plates.collect();
    assert_eq!((plates[0].id, plates[0].size.width), (u64::MAX, 1.5));
    assert_eq!(plates[0].price, Price::Number(4.5));
    assert_eq!(
        (plates[1].size.width, &plates[1].price),
        (1.0, &Price::Text("4".into()))
    );
    for (plate, record) in plates.iter().zip(&records) {
        assert_eq!(conversion.record(plate).unwrap(), *record);
    }
}

#[test]
fn many_are_read_in_their_order_and_one_that_is_no_item_is_named() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.ndjson");
    let line = |id: i64| match id {
        24_000 => format!(r#"{{"id": {id}, "title": null}}"#),
        _ => format!(r#"{{"id": {id}, "title": "Bowl {id}", "note": {id}}}"#),
    };
    let write = |ids: std::ops::Range<i64>| {
        let lines: Vec<String> = ids.map(line).collect();
        std::fs::write(&path, lines.join("\n") + "\n").unwrap();
    };
    write(1..24_000);
    let (store, link) = over(&path);
    let read = items(&store);
    let ids = read.iter().map(|piece| piece.id);
    assert!(ids.eq(1..24_000) && read[20_000].title == "Bowl 20001");
    store
        .try_edit(|store| store.edit(&20_001, |piece| piece.title = "Jug".into()))
        .unwrap();
    link.flush(LONG).unwrap();
    let there = read_file(&path, &id()).unwrap();
    assert_eq!(
        there[20_000].get("note").and_then(|note| note.as_i64()),
        Some(20_001)
    );
    assert_eq!(
        there[20_000].get("title").and_then(|title| title.as_text()),
        Some("Jug")
    );
    write(1..25_000);
    wait_for(|| failure(&link).contains("the item with the key 24000: "));
}

#[test]
fn a_table_is_one_of_items_and_unsent_edits_survive() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = super::Connection::open(&path).unwrap();
    let sql = "PRAGMA journal_mode = WAL;
        CREATE TABLE pieces (id INTEGER PRIMARY KEY, title TEXT, weight REAL, made_by TEXT, place REAL);
        INSERT INTO pieces VALUES (1, 'Bowl', 1.5, 'Oona', 1), (2, 'Jug', NULL, 'Ilmo', 2);";
    database.execute_batch(sql).unwrap();
    let source = || {
        let table = SqliteSource::table(&path, "pieces").unwrap();
        let table = table.ordered_by("place").unwrap().poll_every(OFTEN);
        TypedSource::new(table, conversion())
    };
    let outbox = || {
        let outbox = SqliteOutbox::open(folder.path().join("outbox.db"), &id()).unwrap();
        LinkOptions::default().outbox(TypedOutbox::new(outbox, conversion()))
    };
    let (store, link) = started(source());
    link.wait_until_ready(LONG).unwrap();
    let edited = store.try_edit(|store| {
        store.move_to(&2, Place::Start)?;
        store.edit(&1, |piece| piece.weight = Some(2.0))?;
        store.add(
            Piece {
                id: 3,
                title: "Mug".into(),
                weight: None,
                fee: None,
            },
            Place::End,
        )
    });
    edited.unwrap();
    link.flush(LONG).unwrap();
    assert!(link.close(LONG).is_empty());
    // The table has no column for a fee, and is told none where there is none: null is no member there.
    let rows = |sql: &str| -> Vec<String> {
        let mut statement = database.prepare(sql).unwrap();
        let rows = statement.query_map([], |row| row.get(0)).unwrap();
        rows.collect::<Result<_, _>>().unwrap()
    };
    let all = "SELECT concat_ws(' ', id, title, weight, made_by) FROM pieces ORDER BY place";
    assert_eq!(rows(all), ["2 Jug Ilmo", "1 Bowl 2.0 Oona"]);

    // Two runs, the first of which cannot send anything.
    database.execute_batch("BEGIN EXCLUSIVE").unwrap();
    let store = SharedStore::new(Store::new());
    let loaded = Piece {
        id: 1,
        title: "Bowl".into(),
        weight: Some(2.0),
        fee: None,
    };
    store
        .edit(|store| store.reload([loaded]).map(drop))
        .unwrap()
        .unwrap();
    let link = Link::start_with(store.clone(), source(), outbox()).unwrap();
    store
        .try_edit(|store| store.edit(&1, |piece| piece.title = "Wide bowl".into()))
        .unwrap();
    assert_eq!(link.close(Duration::ZERO).len(), 1);
    database.execute_batch("COMMIT").unwrap();
    let store = SharedStore::new(Store::new());
    let link = Link::start_with(store.clone(), source(), outbox()).unwrap();
    link.wait_until_ready(LONG).unwrap();
    link.flush(LONG).unwrap();
    assert_eq!(rows(all), ["2 Jug Ilmo", "1 Wide bowl 2.0 Oona"]);
    assert_eq!(
        store.read(|store| store.writes().state(&1)).unwrap(),
        WriteState::Saved
    );
}

#[derive(Clone, Debug)]
enum Edit {
    Title(u8),
    Weight(u8),
    Note(u8),
    Move(u8),
    Remove,
    Undo,
}

/// The app that makes it, the item, what it does, and how long it is until the next.
fn an_edit() -> impl Strategy<Value = (bool, u8, Edit, u8)> {
    let edit = prop_oneof![
        3 => any::<u8>().prop_map(Edit::Title),
        2 => any::<u8>().prop_map(Edit::Weight),
        4 => any::<u8>().prop_map(Edit::Note),
        1 => any::<u8>().prop_map(Edit::Move),
        1 => Just(Edit::Remove),
        1 => Just(Edit::Undo),
    ];
    (any::<bool>(), 1..6_u8, edit, 0..4_u8)
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(12) })]

    /// Two apps know the items as a type, another one as records, and writes into a member that the type does not have.
    #[test]
    fn apps_end_equal_of_which_some_know_less(edits in prop::collection::vec(an_edit(), 1..40)) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("pieces.json");
        let pieces = (1..6).map(|id| json!({"id": id, "note": 0, "title": "Bowl", "weight": id}));
        std::fs::write(&path, Value::from_iter(pieces).to_string()).unwrap();
        let typed = [over(&path), over(&path)];
        let (records, records_link) = started(FileSource::new(&path, &id()).poll_every(OFTEN));
        records_link.wait_until_ready(LONG).unwrap();
        let mut notes: HashMap<RecordKey, u8> = HashMap::new();
        for (second, number, edit, wait) in edits {
            let (key, record) = (i64::from(number), RecordKey::from(i64::from(number)));
            // Those of items that are gone by now are no edits.
            let _ = typed[usize::from(second)].0.edit(|store| match edit {
                Edit::Title(to) => store.edit(&key, |piece| piece.title = format!("Mug {to}")).is_ok(),
                Edit::Weight(to) => store.edit(&key, |piece| piece.weight = Some(f64::from(to) / 4.0)).is_ok(),
                Edit::Move(to) => store.move_to(&key, Place::Row(usize::from(to) % store.len().max(1))).is_ok(),
                Edit::Remove => store.remove(&key).is_ok(),
                Edit::Undo => store.history_mut().undo().is_ok(),
                Edit::Note(_) => true,
            });
            if let Edit::Note(to) = edit {
                let refused = || records.read(|store| store.writes().refused().count()).unwrap();
                let before = refused();
                let noted = records.edit(|store| {
                    store.edit(&record, |piece| piece.set("note", to.into()).unwrap()).is_ok()
                });
                // It counts when the source has taken it.
                records_link.flush(LONG).unwrap();
                if noted.unwrap() && refused() == before {
                    notes.insert(record, to);
                }
            }
            std::thread::sleep(Duration::from_millis(u64::from(wait)));
        }
        for (_, link) in &typed {
            link.flush(LONG).unwrap();
        }
        records_link.flush(LONG).unwrap();
        let there = || read_file(&path, &id()).unwrap();
        wait_for(|| items(&records).iter().map(|item| &**item).eq(&there()));
        let read = |record: &Record| conversion().item(record).unwrap();
        for (typed, _) in &typed {
            wait_for(|| items(typed).iter().map(|item| (**item).clone()).eq(there().iter().map(read)));
        }
        for record in there() {
            let note = notes.get(record.key()).copied().unwrap_or(0);
            prop_assert_eq!(record.get("note").and_then(|note| note.as_i64()), Some(note.into()));
        }
    }
}

#[test]
fn writes_that_a_later_version_of_the_app_cannot_read_are_told_and_can_be_forgotten() {
    let folder = tempfile::tempdir().unwrap();
    let (path, unsent) = (
        folder.path().join("pieces.json"),
        folder.path().join("unsent.db"),
    );
    std::fs::write(&path, "[]").unwrap();
    let mut earlier = SqliteOutbox::open(&unsent, &id()).unwrap();
    let items = parse(
        r#"[{"id": 1, "name": "Bowl"}, {"id": 2, "title": "Mug"}]"#,
        &id(),
    );
    for item in items.unwrap() {
        let (key, item) = (item.key().clone(), Some(Arc::new(item)));
        let write = Write::new(key, None, item, None, Show::AtOnce);
        earlier.keep(&[Arc::new(write)]).unwrap();
    }
    drop(earlier);

    let start = || {
        let outbox = SqliteOutbox::open(&unsent, &id()).unwrap();
        let source = TypedSource::new(FileSource::new(&path, &id()), conversion());
        let options = LinkOptions::default().outbox(TypedOutbox::new(outbox, conversion()));
        let store = SharedStore::new(Store::new());
        Link::start_with(store, source, options)
    };
    let Err(LinkError::Outbox(told)) = start() else {
        panic!("a piece without a title is read");
    };
    assert_eq!(told.number, Some(1));
    assert!(told.to_string().contains("title"), "{told}");
    // The same with another field as the key, which the first of them lacks.
    let other_key = SqliteOutbox::open(&unsent, &FieldName::parse("title").unwrap());
    let told = other_key.unwrap().kept().unwrap_err();
    assert_eq!(told.number, Some(1));
    assert!(told.to_string().contains("Bowl"), "{told}");

    SqliteOutbox::open(&unsent, &id())
        .unwrap()
        .forget(1)
        .unwrap();
    let link = start().unwrap();
    link.flush(LONG).unwrap();
    let items = read_file(&path, &id()).unwrap();
    assert_eq!(items[0].get("title").unwrap(), "Mug");
    assert_eq!(items.len(), 1);
    link.close(LONG);
}
