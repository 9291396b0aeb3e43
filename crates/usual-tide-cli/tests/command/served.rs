//! Apps against `usual-tide serve`, on networks as bad as it can make them.

use crate::serving::{LONG, Server, id, piece, pieces};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::env::consts::EXE_SUFFIX;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use usual_tide::record::{Record, RecordKey};
use usual_tide::writes::WriteState;
use usual_tide::{Item, Place, SharedStore, Store};
use usual_tide_sources::files::read_file;
use usual_tide_sources::http::{HttpOptions, HttpSource};
use usual_tide_sources::link::{Link, LinkOptions, LinkState, Retry};

type Shared = SharedStore<Record>;

const QUICK: Retry = Retry {
    first: Duration::from_millis(2),
    most: Duration::from_millis(20),
};

fn app(address: &str) -> (Shared, Link<Record>) {
    let source = HttpSource::with(address, &id(), HttpOptions::default().retry(QUICK));
    let store = SharedStore::new(Store::new());
    let options = LinkOptions::default()
        .retry(QUICK)
        .patience(Duration::from_millis(300));
    let link = Link::start_with(store.clone(), source, options).unwrap();
    link.wait_until_ready(LONG).unwrap();
    (store, link)
}

fn shown(store: &Shared) -> Vec<Value> {
    let members = |item: &std::sync::Arc<Record>| Value::Object(item.to_members());
    store
        .read(|store| store.items().map(members).collect())
        .unwrap()
}

#[track_caller]
fn wait_for(what: impl Fn() -> bool) {
    let end = Instant::now() + LONG;
    while !what() {
        assert!(Instant::now() < end, "it did not happen");
        std::thread::sleep(Duration::from_millis(3));
    }
}

fn edit(store: &mut Store<Record>, (what, at, to): (u8, u8, u8), new: &str) {
    let len = store.len();
    let key = store
        .at(usize::from(at) % len.max(1))
        .map(|item| item.key().clone());
    let row = Place::Row(usize::from(to) % len.max(1));
    let set = |name: &'static str, value: Value| {
        move |piece: &mut Record| piece.set(name, value).unwrap()
    };
    let note = match to % 3 {
        0 => Value::Null,
        _ => json!({"by": to, "deep": {"er": [to, null]}}),
    };
    let edited = match (what % 6, key) {
        (0, _) | (_, None) => store.add(piece(new), row),
        (1, Some(key)) => store
            .edit(&key, set("title", json!(format!("Mug {to}"))))
            .map(drop),
        (2, Some(key)) => store.edit(&key, set("shelf", json!(to))).map(drop),
        (3, Some(key)) => store.edit(&key, set("note", note)).map(drop),
        (4, Some(key)) => store.move_to(&key, row).map(drop),
        (_, Some(key)) => store.remove(&key).map(drop),
    };
    edited.unwrap();
}

type Edits = Vec<(bool, (u8, u8, u8), u8)>;

fn edits() -> impl Strategy<Value = Edits> {
    prop::collection::vec((any::<bool>(), any::<(u8, u8, u8)>(), 0..6u8), 5..40)
}

fn faults() -> impl Strategy<Value = Vec<String>> {
    let every = |name: &'static str| {
        prop::option::of(3..9u32)
            .prop_map(move |n| n.map(|n| [format!("--{name}-every"), n.to_string()]))
    };
    let all = (
        every("refuse"),
        every("conflict"),
        every("fail"),
        every("drop"),
        every("garble"),
        any::<bool>(),
    );
    all.prop_map(|(refuse, conflict, fail, cut, garble, slow)| {
        let delay = slow.then(|| ["--latency".to_owned(), "0..8".to_owned()]);
        let all = [refuse, conflict, fail, cut, garble, delay];
        all.into_iter().flatten().flatten().collect()
    })
}

/// The app shows what the server has.
#[track_caller]
fn comes_to_show(store: &Shared, server: impl Fn() -> Vec<Value>) {
    wait_for(|| shown(store) == server());
    assert_eq!(store.read(Store::check).unwrap(), Ok(()));
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: 8, max_shrink_iters: 10, ..ProptestConfig::default()
    })]

    #[test]
    fn two_apps_end_equal_whatever_the_network_does(faults in faults(), edits in edits()) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("pieces.json");
        pieces(&path);
        let options: Vec<&str> = faults.iter().map(String::as_str).collect();
        let server = Server::start(path.to_str().unwrap(), &options);
        let apps = [app(&server.address()), app(&server.address())];
        for (number, (second, what, wait)) in edits.into_iter().enumerate() {
            let store = &apps[usize::from(second)].0;
            store.edit(|store| edit(store, what, &format!("N-{number}"))).unwrap();
            std::thread::sleep(Duration::from_millis(u64::from(wait)));
        }
        for (_, link) in &apps {
            link.flush(LONG).unwrap();
        }
        // What the server has is what it has written.
        let written = || -> Vec<Value> {
            let items = read_file(&path, &id()).unwrap();
            items.iter().map(|item| Value::Object(item.to_members())).collect()
        };
        for (store, _) in &apps {
            comes_to_show(store, written);
        }
    }
}

#[test]
fn a_server_that_is_killed_and_comes_back_loses_no_confirmed_write() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let source = path.to_str().unwrap();
    let mut server = Server::start(source, &[]);
    let port = server.port.to_string();
    let (store, link) = app(&server.address());
    let mut confirmed: Vec<RecordKey> = Vec::new();
    for number in 0..60 {
        let key = format!("N-{number}");
        store
            .edit(|store| store.add(piece(&key), Place::End))
            .unwrap()
            .unwrap();
        if number % 12 == 11 {
            std::thread::sleep(Duration::from_millis(number % 5));
            drop(server);
            let saved = |store: &Store<Record>| -> Vec<RecordKey> {
                let saved = store.items().map(|item| item.key().clone());
                saved
                    .filter(|key| store.writes().state(key) == WriteState::Saved)
                    .collect()
            };
            confirmed.extend(store.read(saved).unwrap());
            let written = read_file(&path, &id()).unwrap();
            for key in &confirmed {
                assert!(
                    written.iter().any(|item| item.key() == key),
                    "{key:?} was confirmed"
                );
            }
            server = Server::start_at(source, &port, &[]);
        }
    }
    link.flush(LONG).unwrap();
    comes_to_show(&store, || server.items());
    assert_eq!(server.items().len(), 66);
    assert!(
        store
            .read(|store| store.writes().refused().next().is_none())
            .unwrap()
    );
}

#[test]
fn every_third_write_is_refused_and_told_and_pages_are_loaded_on_demand() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let server = Server::start(path.to_str().unwrap(), &["--refuse-every", "3"]);
    let (store, link) = app(&server.address());
    for number in 0..9 {
        store
            .edit(|store| store.add(piece(&format!("N-{number}")), Place::End))
            .unwrap()
            .unwrap();
    }
    link.flush(LONG).unwrap();
    let told = store.read(|store| {
        let told = store.writes().refused();
        told.map(|one| (one.write.key.to_string(), one.reason.clone()))
            .collect::<Vec<_>>()
    });
    let expected = ["N-2", "N-5", "N-8"];
    let expected = expected.map(|key| (key.to_owned(), "a simulated refusal".to_owned()));
    assert_eq!(told.unwrap(), expected);
    comes_to_show(&store, || server.items());

    let options = HttpOptions::default().page(5);
    let pages = SharedStore::new(Store::new());
    let source = HttpSource::with(&server.address(), &id(), options);
    let link = Link::start(pages.clone(), source).unwrap();
    link.wait_until_ready(LONG).unwrap();
    assert_eq!(shown(&pages), server.items()[..5]);
    link.load_more();
    wait_for(|| shown(&pages) == server.items()[..10]);
    // What changes beyond is not shown; what is loaded follows.
    let patch = "{\"shelf\": 7}";
    assert!(
        server
            .ask("PATCH", "/items/N-7", "", patch)
            .contains("200 OK")
    );
    assert!(
        server
            .ask("PATCH", "/items/P-1?at=end", "", patch)
            .contains("200 OK")
    );
    wait_for(|| shown(&pages).len() == 9);
    link.load_more();
    wait_for(|| shown(&pages) == server.items());
}

#[test]
fn watch_tells_each_change_and_when_the_server_is_away() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let source = path.to_str().unwrap();
    let server = Server::start(source, &[]);
    let mut watching = Command::new(env!("CARGO_BIN_EXE_usual-tide"))
        .args(["watch", &server.address(), "--filter", "shelf < 5"])
        .args(["--format", "json", "--changes", "2", "--seconds", "40"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut file = Command::new(env!("CARGO_BIN_EXE_usual-tide"))
        .args([
            "watch",
            source,
            "--changes",
            "1",
            "--seconds",
            "40",
            "--numbered",
        ])
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let mut told = BufReader::new(file.stdout.take().unwrap());
    let mut first = String::new();
    told.read_line(&mut first).unwrap();
    assert_eq!(first, "6 rows; changes follow\n");
    // It has begun when it has read the items; nothing tells so in JSON.
    std::thread::sleep(Duration::from_secs(3));
    assert!(
        server
            .ask("PATCH", "/items/P-2", "", "{\"shelf\": 9}")
            .contains("200 OK")
    );
    let mut text = String::new();
    told.read_to_string(&mut text).unwrap();
    assert!(text.contains("changed   P-2  Bowl  shelf: 1 → 9"), "{text}");
    assert!(file.wait().unwrap().success());

    let mut lines = BufReader::new(watching.stdout.take().unwrap()).lines();
    let line: Value = serde_json::from_str(&lines.next().unwrap().unwrap()).unwrap();
    assert_eq!(line["removed"], json!([{"at": 2, "key": "P-2"}]));
    let port = server.port.to_string();
    drop(server);
    let server = Server::start_at(source, &port, &[]);
    assert!(server.ask("DELETE", "/items/P-0", "", "").contains("204"));
    let line: Value = serde_json::from_str(&lines.next().unwrap().unwrap()).unwrap();
    assert_eq!(line["removed"], json!([{"at": 0, "key": "P-0"}]));
    assert!(watching.wait().unwrap().success());
}

#[test]
fn a_server_that_is_away_is_told_without_a_write_and_followed_when_it_is_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let source = path.to_str().unwrap();
    let server = Server::start(source, &[]);
    let (address, port) = (server.address(), server.port.to_string());
    // Without what the link finds out the stream would be opened again in half an hour.
    let seldom = Retry {
        first: Duration::from_secs(3600),
        most: Duration::from_secs(3600),
    };
    let options = HttpOptions::default().retry(seldom);
    let store = SharedStore::new(Store::new());
    let link = Link::start_with(
        store.clone(),
        HttpSource::with(&address, &id(), options),
        LinkOptions::default().retry(QUICK),
    );
    let link = link.unwrap();
    link.wait_until_ready(LONG).unwrap();
    let edit_by_another = |server: &Server, title: &str| {
        let body = json!({"title": title}).to_string();
        let answer = server.ask("PATCH", "/items/P-1", "", &body);
        assert!(answer.starts_with("HTTP/1.1 200"), "{answer}");
        wait_for(|| shown(&store)[1]["title"] == title);
    };
    edit_by_another(&server, "Mug");
    std::thread::sleep(Duration::from_millis(1100));
    drop(server);
    wait_for(|| matches!(link.state(), LinkState::Failed { .. }));
    let server = Server::start_at(source, &port, &[]);
    wait_for(|| link.state().is_ready());
    edit_by_another(&server, "Deep bowl");
}

#[test]
fn as_many_pages_as_were_loaded_are_loaded_anew() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let server = Server::start(path.to_str().unwrap(), &[]);
    let options = HttpOptions::default().page(2);
    let store = SharedStore::new(Store::new());
    let source = HttpSource::with(&server.address(), &id(), options);
    let link = Link::start(store.clone(), source).unwrap();
    link.wait_until_ready(LONG).unwrap();
    link.load_more();
    wait_for(|| shown(&store).len() == 4);
    let gone = server.ask("DELETE", "/items/P-0", "", "");
    assert!(gone.starts_with("HTTP/1.1 204"), "{gone}");
    wait_for(|| shown(&store).len() == 3);
    link.refresh();
    // The pages begin one item later now.
    wait_for(|| shown(&store) == server.items()[..4]);
    assert!(matches!(link.state(), LinkState::Ready { more: true }));
    link.load_more();
    wait_for(|| shown(&store) == server.items());
}

#[test]
fn an_optimistic_add_is_told_of_every_third_refusal() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    pieces(&path);
    let server = Server::start(
        path.to_str().unwrap(),
        &["--refuse-every", "3", "--latency", "20..60"],
    );
    let test = std::env::current_exe().unwrap();
    let built = test.parent().and_then(Path::parent).unwrap();
    let program = built.join(format!("examples/optimistic_add{EXE_SUFFIX}"));
    assert!(
        program.exists(),
        "run `cargo test --workspace`, which builds it"
    );
    let output = Command::new(program)
        .arg(server.address())
        .output()
        .unwrap();
    assert!(output.status.success(), "{output:?}");
    assert_eq!(
        String::from_utf8_lossy(&output.stdout),
        "6 shown at once\n4 saved\n\
         N-3: a simulated refusal\nN-6: a simulated refusal\n\
         every row that is left is saved: true\n"
    );
    assert_eq!(server.items().len(), 10);
}

#[test]
fn a_database_is_shown_compared_served_and_watched() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = rusqlite::Connection::open(&path).unwrap();
    let tables = "PRAGMA journal_mode = WAL;
        CREATE TABLE pieces (id TEXT PRIMARY KEY, title TEXT, fired BOOLEAN, place REAL);
        INSERT INTO pieces VALUES ('P-0', 'Bowl', 0, 2), ('P-1', 'Jug', 1, 1);";
    database.execute_batch(tables).unwrap();
    let source = format!("sqlite:{}?table=pieces&order=place", path.display());
    let run = |arguments: &[&str]| {
        let output = Command::new(env!("CARGO_BIN_EXE_usual-tide"))
            .args(arguments)
            .output();
        let output = output.unwrap();
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        (
            output.status.code().unwrap(),
            text(&output.stdout),
            text(&output.stderr),
        )
    };
    let csv = [
        "show",
        &source,
        "--columns",
        "id,title,fired",
        "--format",
        "csv",
    ];
    assert_eq!(
        run(&csv).1,
        "id,title,fired\nP-1,Jug,true\nP-0,Bowl,false\n"
    );

    let server = Server::start(&source, &[]);
    let (store, link) = app(&server.address());
    let moved = store.edit(|store| {
        store.move_to(&"P-0".into(), Place::Start)?;
        store.edit(&"P-0".into(), |piece| {
            piece.set("fired", json!(true)).unwrap()
        })
    });
    moved.unwrap().unwrap();
    link.flush(LONG).unwrap();
    let first = "SELECT id FROM pieces ORDER BY place LIMIT 1";
    let first: String = database.query_row(first, [], |row| row.get(0)).unwrap();
    assert_eq!(first, "P-0");
    // What another program writes reaches the app through the server.
    database
        .execute("DELETE FROM pieces WHERE id = 'P-1'", [])
        .unwrap();
    wait_for(|| shown(&store).len() == 1);
    let (status, told, _) = run(&["compare", &source, &server.address()]);
    assert_eq!(
        (status, &*told),
        (0, "nothing changed; 0 of 1 row touched (0.0 %)\n")
    );

    let query = format!(
        "sqlite:{}?query=SELECT 7 AS id, 'a%26b' AS note",
        path.display()
    );
    assert!(
        run(&["show", &query, "--format", "ndjson"])
            .1
            .contains("\"note\":\"a&b\"")
    );
    let wrong = [
        (format!("sqlite:{}", path.display()), "say which table"),
        (path.display().to_string(), "?table=NAME; there are: pieces"),
        (
            format!("sqlite:{}?table=piece", path.display()),
            "no table \"piece\"; there are: pieces",
        ),
        (
            format!("sqlite:{}?tabel=pieces", path.display()),
            "no option \"tabel\"",
        ),
        (format!("{}/no", server.address()), "/items"),
        ("http://127.0.0.1:9".to_owned(), "http://127.0.0.1:9: "),
    ];
    for (source, why) in wrong {
        let (status, told, complaint) = run(&["show", &source]);
        assert_eq!((status, &*told), (1, ""), "{source}");
        assert!(
            complaint.contains(why) && complaint.lines().count() == 1,
            "{complaint}"
        );
    }
}
