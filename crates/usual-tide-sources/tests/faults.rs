//! Calls of the operating system that fail, one after the other: nothing that was confirmed is lost, nothing
//! half-written remains, and the message says what failed and where.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use fail::FailScenario;
use std::fs::{self, File};
use std::io::Write as _;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};
use usual_tide::record::{FieldName, Record, RecordKey};
use usual_tide::writes::Write;
use usual_tide::{Item, Place, SharedStore, Store};
use usual_tide_sources::files::{FileFormat, WriteError};
use usual_tide_sources::files::{FileSource, read_file, replace_file, write};
use usual_tide_sources::link::{Answer, DirectSource, Link, Outbox, OutboxError, SourceError};
use usual_tide_sources::sqlite::{SqliteOutbox, SqliteSource};

const LONG: Duration = Duration::from_secs(20);

/// All calls that can fail.
const CALLS: [&str; 10] = [
    "open",
    "metadata",
    "read",
    "create",
    "write",
    "permissions",
    "sync",
    "exchange",
    "link",
    "keep",
];

/// Whether two files can change places in one step, as not every file system lets them.
fn can_swap(can: bool) {
    fail::cfg("swap", if can { "off" } else { "return" }).unwrap();
}

fn id() -> FieldName {
    FieldName::parse("id").unwrap()
}

fn piece(id: i64, title: &str) -> Record {
    let text = format!(r#"[{{"id": {id}, "title": "{title}"}}]"#);
    usual_tide::record::parse(&text, &self::id())
        .unwrap()
        .remove(0)
}

/// A file of each format with three pieces.
fn files(folder: &Path) -> [PathBuf; 3] {
    let files = [
        (
            "pieces.json",
            r#"[{"id": 1, "title": "Bowl"}, {"id": 2, "title": "Mug"}, {"id": 3, "title": "Jug"}]"#,
        ),
        (
            "pieces.ndjson",
            "{\"id\": 1, \"title\": \"Bowl\"}\n{\"id\": 2, \"title\": \"Mug\"}\n{\"id\": 3, \"title\": \"Jug\"}\n",
        ),
        ("pieces.csv", "id,title\n1,Bowl\n2,Mug\n3,Jug\n"),
    ];
    files.map(|(name, text)| {
        let path = folder.join(name);
        fs::write(&path, text).unwrap();
        path
    })
}

/// Nothing looks for changes meanwhile: that would meet the faults in the place of what is tested.
fn unwatched(path: &Path) -> DirectSource<Record> {
    DirectSource::new(FileSource::new(path, &id()).poll_every(Duration::from_secs(3600)))
}

/// What a person asks: one changed, one added, one removed.
fn writes(items: &[Record]) -> Vec<Arc<Write<Record>>> {
    let mut store = Store::load(items.to_vec()).unwrap();
    store.writes_mut().track();
    store
        .edit(&1.into(), |item| {
            item.set("title", "Deep bowl".into()).unwrap()
        })
        .unwrap();
    store.add(piece(4, "Vase"), Place::End).unwrap();
    store.remove(&2.into()).unwrap();
    store.writes().pending().cloned().collect()
}

fn titles(path: &Path) -> Vec<(RecordKey, String)> {
    let items = read_file(path, &id()).unwrap();
    let title = |item: &Record| item.get("title").unwrap().as_text().unwrap().to_owned();
    items
        .iter()
        .map(|item| (item.key().clone(), title(item)))
        .collect()
}

fn beside(folder: &Path) -> Vec<String> {
    let names = fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().file_name());
    let mut names: Vec<String> = names.map(|name| name.into_string().unwrap()).collect();
    names.sort();
    names
}

/// A fault at the n-th of these calls, and from there on once or for good.
fn set(call: &str, number: usize, once: bool) {
    let times = if once { "1*" } else { "" };
    let rest = if once { "->off" } else { "" };
    fail::cfg(call, &format!("{number}*off->{times}return(full){rest}")).unwrap();
}

/// Whether a message says what failed and where.
fn told(why: &SourceError, path: &Path) {
    let message = why.to_string();
    assert!(message.contains(&path.display().to_string()), "{message}");
}

#[test]
fn a_call_that_fails_loses_nothing_and_leaves_nothing() {
    let scenario = FailScenario::setup();
    let mut failed = 0;
    for (once, swaps) in [(true, true), (false, true), (true, false), (false, false)] {
        for call in CALLS {
            for format in 0..3 {
                for number in 0.. {
                    let folder = tempfile::tempdir().unwrap();
                    let path = files(folder.path())[format].clone();
                    let before = titles(&path);
                    let names = beside(folder.path());
                    let mut source = unwatched(&path);
                    let items = source.load().unwrap().items;
                    let writes = writes(&items);

                    can_swap(swaps);
                    set(call, number, once);
                    let answered = source.write_many(&writes);
                    fail::cfg(call, "off").unwrap();

                    let after = titles(&path);
                    let expected = [
                        (1.into(), "Deep bowl".to_owned()),
                        before[2].clone(),
                        (4.into(), "Vase".to_owned()),
                    ];
                    let done = answered.is_ok();
                    match answered {
                        // What is confirmed is there.
                        Ok(answers) => {
                            assert_eq!(answers, vec![Answer::Saved; 3], "{call} {number}");
                            assert_eq!(after, expected, "{call} {number}");
                        }
                        // All of it is there, or nothing.
                        Err(why) => {
                            failed += 1;
                            told(&why, &path);
                            assert!(
                                after == before || after == expected,
                                "{call} {number}: {after:?}"
                            );
                        }
                    }
                    // The same again is done, or was done before.
                    let again = source.write_many(&writes).unwrap();
                    assert_eq!(again, vec![Answer::Saved; 3], "{call} {number}");
                    assert_eq!(titles(&path), expected, "{call} {number}");
                    drop(source);
                    let mut next = unwatched(&path);
                    assert_eq!(next.load().unwrap().items.len(), 3);
                    assert_eq!(beside(folder.path()), names, "{call} {number}");
                    if done {
                        break;
                    }
                }
            }
        }
    }
    scenario.teardown();
    assert!(failed > 60, "{failed} faults");
}

#[test]
fn a_file_that_cannot_be_read_is_told_and_read_the_next_time() {
    let scenario = FailScenario::setup();
    for call in ["open", "metadata", "read"] {
        for format in 0..3 {
            let folder = tempfile::tempdir().unwrap();
            let path = files(folder.path())[format].clone();
            let mut failed = 0;
            for number in 0.. {
                let mut source = unwatched(&path);
                set(call, number, true);
                let loaded = source.load();
                fail::cfg(call, "off").unwrap();
                let done = loaded.is_ok();
                match loaded {
                    Ok(loaded) => assert_eq!(loaded.items.len(), 3),
                    Err(why) => told(&why, &path),
                }
                assert_eq!(source.load().unwrap().items.len(), 3);
                if done {
                    break;
                }
                failed += 1;
            }
            assert!(failed > 0, "{call} is called");
        }
    }
    scenario.teardown();
}

#[test]
#[cfg_attr(windows, ignore = "a file that is held is closed to others")]
fn what_another_program_put_there_meanwhile_is_kept_whatever_fails() {
    let scenario = FailScenario::setup();
    for (fails, swaps) in [(false, true), (true, true), (false, false), (true, false)] {
        can_swap(swaps);
        let folder = tempfile::tempdir().unwrap();
        let path = files(folder.path())[1].clone();
        let mut source = unwatched(&path);
        let items = source.load().unwrap().items;
        // At the very moment before the file is replaced, and never again.
        let (others, new) = (path.clone(), folder.path().join("other.tmp"));
        let first = AtomicBool::new(true);
        fail::cfg_callback("sync", move || {
            if first.swap(false, Ordering::Relaxed) {
                let (path, new) = (others.clone(), new.clone());
                // After the last look at the file, which is right after this.
                fail::cfg_callback("exchange", move || {
                    if let Ok(()) = fs::write(&new, "{\"id\": 9, \"title\": \"Theirs\"}\n") {
                        fs::rename(&new, &path).unwrap();
                    }
                    match fails {
                        true => fail::cfg("exchange", "return(denied)").unwrap(),
                        false => fail::cfg("exchange", "off").unwrap(),
                    }
                })
                .unwrap();
            }
        })
        .unwrap();
        let answered = source.write_many(&writes(&items));
        for call in ["sync", "exchange"] {
            fail::cfg(call, "off").unwrap();
        }
        let everything: String = beside(folder.path())
            .iter()
            .map(|name| fs::read_to_string(folder.path().join(name)).unwrap())
            .collect();
        assert!(
            everything.contains("Theirs"),
            "{fails} {swaps}: {:?}",
            beside(folder.path())
        );
        match fails {
            false => assert!(answered.is_ok(), "{answered:?}"),
            true => {
                let why = answered.unwrap_err().to_string();
                assert!(why.contains("from-another-program"), "{why}");
            }
        }
    }
    scenario.teardown();
}

/// Another program that takes no locks: it adds a line, and puts its version in the file's place.
fn add_a_line(path: &Path) {
    let text = fs::read_to_string(path).unwrap() + "{\"id\": 9, \"title\": \"Theirs\"}\n";
    let new = path.with_file_name("other.tmp");
    fs::write(&new, text).unwrap();
    fs::rename(&new, path).unwrap();
}

/// Others are as quick once more, right before their version is put back.
#[test]
#[cfg(any(target_os = "linux", target_os = "android", target_vendor = "apple"))]
fn what_others_write_while_their_version_is_put_back_stays() {
    let scenario = FailScenario::setup();
    for (replaces, appending) in [(true, "off"), (false, "off"), (false, "return(full)")] {
        let folder = tempfile::tempdir().unwrap();
        let path = files(folder.path())[1].clone();
        let mut source = unwatched(&path);
        let items = source.load().unwrap().items;
        let opened = Arc::new(Mutex::new(None));
        let (others, ours, turn) = (path.clone(), Arc::clone(&opened), AtomicUsize::new(0));
        fail::cfg_callback("swap", move || match turn.fetch_add(1, Ordering::Relaxed) {
            0 => add_a_line(&others),
            1 if replaces => {
                let new = others.with_file_name("other.tmp");
                fs::write(&new, "{\"id\": 8, \"title\": \"Newer\"}\n").unwrap();
                fs::rename(&new, &others).unwrap();
            }
            // It opens what this program has put there, and is to write to it.
            1 => *ours.lock().unwrap() = File::options().append(true).open(&others).ok(),
            _ => {}
        })
        .unwrap();
        let items_written = writes(&items);
        let answered = source.write_many(&items_written[1..2]);
        fail::cfg("swap", "off").unwrap();
        assert_eq!(answered.unwrap(), [Answer::Saved]);
        let file = opened.lock().unwrap().take();
        if let Some(mut file) = file {
            file.write_all(b"{\"id\": 8, \"title\": \"Newer\"}\n")
                .unwrap();
        }
        fail::cfg("append", appending).unwrap();
        source.write_many(&items_written[1..2]).unwrap();
        fail::cfg("append", "off").unwrap();
        source.write_many(&items_written[1..2]).unwrap();
        let mut expected = vec![
            (8.into(), "Newer".to_owned()),
            (4.into(), "Vase".to_owned()),
        ];
        expected.sort();
        let mut titles = titles(&path);
        titles.retain(|(_, title)| title == "Newer" || title == "Vase");
        titles.sort();
        assert_eq!(titles, expected, "{replaces} {appending}");
    }
    scenario.teardown();
}

#[test]
#[cfg_attr(windows, ignore = "a file that is held is closed to others")]
fn what_another_program_writes_at_any_moment_of_a_writing_stays_and_is_shown() {
    let scenario = FailScenario::setup();
    let mut moments = 0;
    for call in CALLS {
        for turn in 0.. {
            let folder = tempfile::tempdir().unwrap();
            let path = files(folder.path())[1].clone();
            let store = SharedStore::new(Store::new());
            let source = FileSource::new(&path, &id()).poll_every(Duration::from_millis(5));
            let link = Link::start(store.clone(), source).unwrap();
            link.wait_until_ready(LONG).unwrap();
            let calls = AtomicUsize::new(0);
            let (others, came) = (path.clone(), Arc::new(AtomicBool::new(false)));
            let reached = Arc::clone(&came);
            fail::cfg_callback(call, move || {
                let sends = std::thread::current().name() == Some("usual-tide-link");
                if sends && calls.fetch_add(1, Ordering::Relaxed) == turn {
                    reached.store(true, Ordering::Relaxed);
                    add_a_line(&others);
                }
            })
            .unwrap();
            let edit = |item: &mut Record| item.set("title", "Deep bowl".into()).unwrap();
            store
                .edit(|store| store.edit(&1.into(), edit))
                .unwrap()
                .unwrap();
            link.flush(LONG).unwrap();
            fail::cfg(call, "off").unwrap();
            if !came.load(Ordering::Relaxed) {
                break;
            }
            moments += 1;
            let begun = Instant::now();
            let shown = || {
                store.read(|store| {
                    store
                        .items()
                        .map(|item| Record::clone(item))
                        .collect::<Vec<_>>()
                })
            };
            while shown().unwrap() != read_file(&path, &id()).unwrap() {
                assert!(begun.elapsed() < LONG, "{call}, {turn}: {:?}", shown());
                std::thread::sleep(Duration::from_millis(5));
            }
            let shown = shown().unwrap();
            assert!(
                shown.contains(&piece(9, "Theirs")),
                "{call}, {turn}: {shown:?}"
            );
            assert!(
                shown.contains(&piece(1, "Deep bowl")),
                "{call}, {turn}: {shown:?}"
            );
            link.close(LONG);
        }
    }
    assert!(moments > 15, "{moments}");
    scenario.teardown();
}

#[test]
fn a_file_that_is_replaced_by_hand_is_the_old_one_or_the_new_one() {
    let scenario = FailScenario::setup();
    for call in ["create", "write", "permissions", "sync", "rename"] {
        let folder = tempfile::tempdir().unwrap();
        let path = files(folder.path())[0].clone();
        let (before, names) = (titles(&path), beside(folder.path()));
        let replace = || -> Result<(), WriteError> {
            let pieces = [piece(7, "Lid")];
            replace_file(&path, |out| {
                write(
                    out,
                    FileFormat::Json,
                    pieces.iter().map(|piece| piece.members()),
                )
            })
        };
        set(call, 0, true);
        let why = replace().expect_err(call);
        assert!(why.to_string().contains("a simulated fault"), "{why}");
        assert_eq!(
            (titles(&path), beside(folder.path())),
            (before, names),
            "{call}"
        );
        replace().unwrap();
        assert_eq!(titles(&path), [(7.into(), "Lid".to_owned())]);
    }
    scenario.teardown();
}

#[cfg(unix)]
#[test]
fn a_replaced_file_is_never_more_open_than_it_was() {
    use std::os::unix::fs::PermissionsExt;
    let scenario = FailScenario::setup();
    let folder = tempfile::tempdir().unwrap();
    let path = files(folder.path())[0].clone();
    let mode = |path: &Path| fs::metadata(path).unwrap().permissions().mode() & 0o777;
    fs::set_permissions(&path, fs::Permissions::from_mode(0o640)).unwrap();
    let mut source = unwatched(&path);
    let items = source.load().unwrap().items;
    // While the new version is written it is for its owner alone.
    let (inside, seen) = (folder.path().to_owned(), Arc::new(AtomicUsize::new(0)));
    let counted = Arc::clone(&seen);
    fail::cfg_callback("permissions", move || {
        for name in beside(&inside).iter().filter(|name| name.ends_with("-new")) {
            assert_eq!(mode(&inside.join(name)), 0o600, "{name}");
            counted.fetch_add(1, Ordering::Relaxed);
        }
    })
    .unwrap();
    source.write_many(&writes(&items)).unwrap();
    fail::cfg("permissions", "off").unwrap();
    assert_eq!(seen.load(Ordering::Relaxed), 1);
    for name in beside(folder.path())
        .iter()
        .filter(|name| name.contains("pieces.json"))
    {
        assert_eq!(mode(&folder.path().join(name)), 0o640, "{name}");
    }
    scenario.teardown();
}

/// A table of a database with three pieces that have places.
fn table(folder: &Path) -> (PathBuf, rusqlite::Connection) {
    let path = folder.join("studio.db");
    let database = rusqlite::Connection::open(&path).unwrap();
    database
        .execute_batch(
            "CREATE TABLE pieces (id INTEGER PRIMARY KEY, title TEXT, place REAL);
             INSERT INTO pieces VALUES (1, 'Bowl', 1), (2, 'Mug', 2), (3, 'Jug', 3);",
        )
        .unwrap();
    (path, database)
}

fn rows(database: &rusqlite::Connection) -> Vec<(i64, String)> {
    let sql = "SELECT id, title FROM pieces ORDER BY place";
    let mut rows = database.prepare(sql).unwrap();
    let rows = rows
        .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))
        .unwrap();
    rows.map(Result::unwrap).collect()
}

#[test]
fn a_statement_that_fails_leaves_the_table_as_it_was() {
    let scenario = FailScenario::setup();
    let mut failed = 0;
    for once in [true, false] {
        for number in 0.. {
            let folder = tempfile::tempdir().unwrap();
            let (path, database) = table(folder.path());
            let before = rows(&database);
            let source = SqliteSource::table(&path, "pieces").unwrap();
            let mut source = DirectSource::new(source.ordered_by("place").unwrap());
            let mut store = Store::load(source.load().unwrap().items).unwrap();
            store.writes_mut().track();
            let title = |piece: &mut Record| piece.set("title", "Deep bowl".into()).unwrap();
            store.edit(&1.into(), title).unwrap();
            store.add(piece(4, "Vase"), Place::End).unwrap();
            store.move_to(&4.into(), Place::Start).unwrap();
            store.remove(&2.into()).unwrap();
            let writes: Vec<_> = store.writes().pending().cloned().collect();

            set("statement", number, once);
            let answered = source.write_many(&writes);
            fail::cfg("statement", "off").unwrap();

            let after = rows(&database);
            let expected =
                [(4, "Vase"), (1, "Deep bowl"), (3, "Jug")].map(|(id, title)| (id, title.into()));
            let done = answered.is_ok();
            let saved =
                |answer: &Answer<Record>| matches!(answer, Answer::Saved | Answer::SavedAs(_));
            match answered {
                Ok(answers) => {
                    assert!(answers.iter().all(saved), "{number}: {answers:?}");
                    assert_eq!(after, expected, "{number}");
                }
                Err(why) => {
                    failed += 1;
                    told(&why, &path);
                    assert_eq!(after, before, "{number}");
                }
            }
            let again = source.write_many(&writes).unwrap();
            assert!(again.iter().all(saved), "{number}: {again:?}");
            assert_eq!(rows(&database), expected, "{number}");
            if done {
                break;
            }
        }
    }
    scenario.teardown();
    assert!(failed > 20, "{failed} faults");
}

#[test]
fn an_outbox_that_fails_keeps_all_writes_of_an_edit_or_none_and_says_which_file() {
    let scenario = FailScenario::setup();
    let folder = tempfile::tempdir().unwrap();
    let mut failed = 0;
    for number in 0.. {
        let path = folder.path().join(format!("{number}.unsent"));
        let told = |why: OutboxError| {
            let message = why.to_string();
            assert!(message.contains(&path.display().to_string()), "{message}");
            assert!(message.contains("a simulated fault"), "{message}");
        };
        let mut outbox = SqliteOutbox::open(&path, &id()).unwrap();
        let first = writes(&[piece(1, "Bowl"), piece(2, "Mug"), piece(3, "Jug")]);
        let kept_before = outbox.keep(&first[..1]).unwrap();

        let numbers = |outbox: &mut SqliteOutbox| -> Vec<u64> {
            let kept = outbox.kept().unwrap();
            kept.into_iter().map(|(number, _)| number).collect()
        };
        set("statement", number, true);
        let kept = outbox.keep(&first[1..]);
        let forgotten = outbox.forget(kept_before[0]);
        fail::cfg("statement", "off").unwrap();

        let mut expected = match &forgotten {
            Ok(()) => Vec::new(),
            Err(_) => kept_before,
        };
        let done = kept.is_ok() && forgotten.is_ok();
        failed += usize::from(!done);
        match kept {
            Ok(kept) => expected.extend(kept),
            Err(why) => told(why),
        }
        if let Err(why) = forgotten {
            told(why);
        }
        assert_eq!(numbers(&mut outbox), expected, "{number}");
        drop(outbox);
        // The next run finds the same.
        let mut outbox = SqliteOutbox::open(&path, &id()).unwrap();
        assert_eq!(numbers(&mut outbox), expected, "{number}");

        set("statement", 0, true);
        told(outbox.kept().unwrap_err());
        set("statement", 0, true);
        told(SqliteOutbox::open(&path, &id()).unwrap_err());
        fail::cfg("statement", "off").unwrap();
        if done {
            break;
        }
    }
    scenario.teardown();
    assert_eq!(failed, 5);
}
