//! Files that other programs write to while an app does: nothing that was confirmed or that they wrote is lost.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use serde_json::json;
use std::fs::{self, File, OpenOptions};
use std::io::{self, Write as _};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::thread;
use std::time::{Duration, Instant, SystemTime};
use usual_tide::record::{FieldName, Record, RecordKey};
use usual_tide::{Item, SharedStore, Store};
use usual_tide_sources::files::{FileSource, read_file};
use usual_tide_sources::link::{Link, LinkOptions};

const LONG: Duration = Duration::from_secs(60);

fn id() -> FieldName {
    FieldName::parse("id").unwrap()
}

fn start(path: &Path) -> (SharedStore<Record>, Link<Record>) {
    let store = SharedStore::new(Store::new());
    let source = FileSource::new(path, &id()).poll_every(Duration::from_millis(5));
    let link = Link::start_with(store.clone(), source, LinkOptions::default()).unwrap();
    link.wait_until_ready(LONG).unwrap();
    (store, link)
}

fn wait_for(what: impl Fn() -> bool) {
    let begun = Instant::now();
    while !what() {
        assert!(begun.elapsed() < LONG, "it does not come");
        thread::sleep(Duration::from_millis(5));
    }
}

/// What another program does. On Windows a file that somebody is about to replace is closed to others, who try again.
fn insist<R>(call: impl Fn() -> io::Result<R>) -> R {
    let begun = Instant::now();
    loop {
        match call() {
            Err(_) if cfg!(windows) && begun.elapsed() < LONG => {
                thread::sleep(Duration::from_millis(1));
            }
            done => return done.unwrap(),
        }
    }
}

#[cfg(unix)]
fn file_number(about: &fs::Metadata) -> u64 {
    std::os::unix::fs::MetadataExt::ino(about)
}

#[cfg(not(unix))]
fn file_number(_: &fs::Metadata) -> u64 {
    0
}

fn keys(path: &Path) -> Vec<RecordKey> {
    let items = read_file(path, &id()).unwrap();
    items.iter().map(|item| item.key().clone()).collect()
}

fn set(store: &SharedStore<Record>, key: i64, name: &str, value: serde_json::Value) {
    let edit = |piece: &mut Record| piece.set(name, value).unwrap();
    let done = store.edit(|store| store.edit(&key.into(), edit));
    done.unwrap().unwrap();
}

#[test]
fn lines_that_another_program_appends_meanwhile_stay() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.ndjson");
    fs::write(&path, "{\"id\":1,\"n\":0}\n").unwrap();
    let (store, link) = start(&path);
    let done = AtomicBool::new(false);
    thread::scope(|scope| {
        scope.spawn(|| {
            for number in 100..300 {
                let mut file = insist(|| OpenOptions::new().append(true).open(&path));
                file.write_all(format!("{{\"id\":{number}}}\n").as_bytes())
                    .unwrap();
                drop(file);
                thread::sleep(Duration::from_millis(1));
            }
            done.store(true, Ordering::Release);
        });
        let mut number = 0;
        while !done.load(Ordering::Acquire) {
            number += 1;
            set(&store, 1, "n", json!(number));
            link.flush(LONG).unwrap();
        }
    });
    link.flush(LONG).unwrap();
    wait_for(|| store.read(Store::len).unwrap() == 201);
    assert_eq!(keys(&path).len(), 201);
    assert!(
        store
            .read(|store| store.writes().refused().next().is_none())
            .unwrap()
    );
}

/// What a program wrote to a version that had been replaced since it opened the file.
#[test]
#[cfg_attr(windows, ignore = "a file that is open keeps it from being replaced")]
fn what_is_written_to_a_version_that_was_replaced_is_brought_over_or_kept() {
    let line = "{\"id\":9,\"n\":9}\n";
    for (name, start_text, parts, brought_over) in [
        ("p.ndjson", "{\"id\":1}\n", vec![line], true),
        (
            "p.ndjson",
            "{\"id\":1}\n",
            vec![&line[..5], &line[5..]],
            true,
        ),
        (
            "p.ndjson",
            "{\"id\":1}\n",
            vec![line, "{\"id\":10}\n"],
            true,
        ),
        ("p", "{\"id\":1}\n", vec![line], true),
        ("p.csv", "id,n\n1,0\n", vec!["9,9\n"], true),
        // Half a line, an item that is there, no item, other columns, and what has no lines.
        ("p.ndjson", "{\"id\":1}\n", vec![&line[..5]], false),
        ("p.ndjson", "{\"id\":1}\n", vec!["{\"id\":1}\n"], false),
        ("p.ndjson", "{\"id\":1}\n", vec!["a word\n"], false),
        ("p.csv", "id\n1\n", vec!["9\n"], false),
        ("p.json", "[{\"id\":1}]\n", vec![line], false),
    ] {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join(name);
        fs::write(&path, start_text).unwrap();
        let (store, link) = start(&path);
        let mut opened = File::options().append(true).open(&path).unwrap();
        for number in 0..5 {
            set(&store, 1, "n", json!(number));
            link.flush(LONG).unwrap();
        }
        for part in &parts {
            opened.write_all(part.as_bytes()).unwrap();
            thread::sleep(Duration::from_millis(30));
        }
        set(&store, 1, "n", json!(7));
        link.flush(LONG).unwrap();
        let kept = || {
            let names = fs::read_dir(folder.path()).unwrap().flatten();
            let mut paths = names.map(|entry| entry.path());
            let path = paths.find(|path| path.to_string_lossy().ends_with(".from-another-program"));
            path.map(|path| fs::read_to_string(path).unwrap())
        };
        match brought_over {
            true => {
                wait_for(|| store.read(|store| store.get(&9.into()).is_some()).unwrap());
                drop(link);
                assert!(kept().is_none(), "{name} {parts:?}");
            }
            // At the latest when the link is closed.
            false => {
                drop(link);
                wait_for(|| kept().is_some_and(|kept| kept == start_text.to_owned() + parts[0]));
            }
        }
        let items = read_file(&path, &id()).unwrap();
        assert_eq!(
            items.len(),
            if brought_over {
                1 + parts.concat().matches('\n').count()
            } else {
                1
            }
        );
        assert_eq!(items[0].get("n").unwrap(), json!(7));
    }
}

#[test]
#[cfg_attr(windows, ignore = "its own lock keeps it from replacing the file")]
fn a_program_that_reads_changes_and_renames_loses_nothing_and_makes_nothing_be_lost() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    fs::write(&path, "[{\"id\":1,\"n\":0},{\"id\":2,\"n\":0}]\n").unwrap();
    let (store, link) = start(&path);
    thread::scope(|scope| {
        let (path, folder) = (&path, &folder);
        scope.spawn(move || {
            for number in 0..100 {
                // It takes the lock that this crate takes, so its reading and its renaming are one.
                let file = loop {
                    let file = File::open(path).unwrap();
                    file.lock().unwrap();
                    // Their times may be equal: the clock of a file system has ticks of some milliseconds.
                    if file_number(&file.metadata().unwrap())
                        == file_number(&fs::metadata(path).unwrap())
                    {
                        break file;
                    }
                };
                let text = fs::read_to_string(path).unwrap();
                let new = format!(
                    "{},\n{{\"id\":{}}}\n]\n",
                    text.trim_end().trim_end_matches(']').trim_end(),
                    1000 + number
                );
                let temporary = folder.path().join("other.tmp");
                fs::write(&temporary, new).unwrap();
                fs::rename(&temporary, path).unwrap();
                drop(file);
                thread::sleep(Duration::from_millis(2));
            }
        });
        for number in 1..100 {
            set(&store, 2, "n", json!(number));
            link.flush(LONG).unwrap();
        }
    });
    link.flush(LONG).unwrap();
    assert_eq!(keys(&path).len(), 102);
    let items = read_file(&path, &id()).unwrap();
    assert_eq!(items[1].get("n").unwrap(), json!(99));
    assert!(
        store
            .read(|store| store.writes().refused().next().is_none())
            .unwrap()
    );
}

#[test]
fn a_program_that_renames_without_a_lock_is_never_overwritten() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    fs::write(&path, "[{\"id\":1,\"n\":0}]\n").unwrap();
    let (store, link) = start(&path);
    thread::scope(|scope| {
        let (path, folder) = (&path, &folder);
        // It owns the list: each version has all of its items.
        scope.spawn(move || {
            for number in 0..200 {
                let items: Vec<String> = (0..=number)
                    .map(|n| format!("{{\"id\":{}}}", 1000 + n))
                    .collect();
                let temporary = folder.path().join("other.tmp");
                fs::write(
                    &temporary,
                    format!("[{{\"id\":1,\"n\":0}},{}]", items.join(",")),
                )
                .unwrap();
                insist(|| fs::rename(&temporary, path));
                thread::sleep(Duration::from_millis(1));
            }
        });
        for number in 1..60 {
            let edit = |piece: &mut Record| piece.set("n", json!(number)).unwrap();
            let done = store.edit(|store| store.edit(&1.into(), edit));
            done.unwrap().unwrap();
            link.flush(LONG).unwrap();
        }
    });
    link.flush(LONG).unwrap();
    // The last version of the other program is there, whatever this one wrote meanwhile.
    assert_eq!(keys(&path).len(), 201);
    wait_for(|| store.read(Store::len).unwrap() == 201);
}

#[test]
fn a_half_written_file_is_waited_for() {
    let folder = tempfile::tempdir().unwrap();
    for (name, line) in [
        ("p.ndjson", "{\"id\":1,\"t\":\"Bowl, wide\"}\n"),
        ("p.csv", "1,\"Bowl\nwide\"\n"),
    ] {
        let path = folder.path().join(name);
        let rows = |count: usize| -> String {
            let rows = (0..count).map(|number| line.replacen('1', &number.to_string(), 1));
            let header = if name == "p.csv" { "id,t\n" } else { "" };
            header.to_owned() + &rows.collect::<String>()
        };
        fs::write(&path, rows(200)).unwrap();
        let (store, link) = start(&path);
        let text = rows(150);
        // Paused within a line, and at the end of one.
        let within = text.len() / 3 + 2;
        let at_a_line = text[..text.len() / 2].rfind("\n").unwrap() + 1;
        let mut file = File::create(&path).unwrap();
        file.write_all(&text.as_bytes()[..within]).unwrap();
        thread::sleep(Duration::from_millis(400));
        assert_eq!(store.read(Store::len).unwrap(), 200, "{name}");
        file.write_all(&text.as_bytes()[within..at_a_line]).unwrap();
        thread::sleep(Duration::from_millis(400));
        assert_eq!(store.read(Store::len).unwrap(), 200, "{name}");
        file.write_all(&text.as_bytes()[at_a_line..]).unwrap();
        drop(file);
        wait_for(|| store.read(Store::len).unwrap() == 150);
        set(&store, 3, "t", json!("Jug"));
        link.flush(LONG).unwrap();
        assert_eq!(keys(&path).len(), 150);
    }
}

#[test]
fn a_clock_that_is_set_back_hides_no_change() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.ndjson");
    fs::write(
        &path,
        "{\"id\":1,\"t\":\"Bowl\"}\n{\"id\":2,\"t\":\"Mug\"}\n",
    )
    .unwrap();
    let (store, link) = start(&path);
    // The same number of bytes, in the same file, a year before.
    let text = fs::read_to_string(&path).unwrap().replace("Mug", "Cup");
    fs::write(&path, text).unwrap();
    let file = File::options().write(true).open(&path).unwrap();
    file.set_modified(SystemTime::now() - Duration::from_secs(31_536_000))
        .unwrap();
    drop(file);
    let title = |key: i64| -> String {
        let read = |store: &Store<Record>| {
            let piece = store.get(&key.into()).unwrap();
            piece.get("t").unwrap().as_text().unwrap().to_owned()
        };
        store.read(read).unwrap()
    };
    wait_for(|| title(2) == "Cup");
    set(&store, 1, "t", json!("Deep bowl"));
    link.flush(LONG).unwrap();
    let titles = fs::read_to_string(&path).unwrap();
    assert!(
        titles.contains("Deep bowl") && titles.contains("Cup"),
        "{titles}"
    );
}

#[test]
fn what_cannot_be_kept_is_refused_and_the_file_stays_readable() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.csv");
    fs::write(&path, "id,title,fee.amount\n1,Bowl,4.50\n2,12,5\n").unwrap();
    let (store, link) = start(&path);
    let refusals = || {
        store
            .read(|store| store.writes().refused().count())
            .unwrap()
    };
    for (name, value) in [
        ("fee", json!(5)),
        ("title", json!({"en": "a"})),
        ("tags", json!(["a"])),
        ("/title.sub", json!(1)),
        ("/fee/", json!("x")),
        ("extra", json!({})),
    ] {
        let before = refusals();
        set(&store, 1, name, value);
        link.flush(LONG).unwrap();
        assert_eq!(refusals(), before + 1, "{name}");
        assert_eq!(keys(&path).len(), 2);
    }
    // Text that looks like a number stays text, and numbers stay numbers beside text.
    set(&store, 2, "title", json!("123"));
    set(&store, 2, "fee.amount", json!("free"));
    link.flush(LONG).unwrap();
    let items = read_file(&path, &id()).unwrap();
    assert_eq!(items[1].get("title").unwrap(), json!("123"));
    assert_eq!(items[1].get("fee.amount").unwrap(), json!("free"));
    assert_eq!(items[0].get("fee.amount").unwrap().to_string(), "4.50");
    assert_eq!(keys(&path), [1.into(), 2.into()]);
    let all = store.edit(|store| store.remove_many(&[1.into(), 2.into()]));
    all.unwrap().unwrap();
    link.flush(LONG).unwrap();
    assert_eq!(fs::read_to_string(&path).unwrap(), "id,title,fee.amount\n");
    assert!(keys(&path).is_empty());
}

#[test]
fn nothing_is_left_beside_the_file_by_this_run_or_one_that_was_killed() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    fs::write(&path, "[{\"id\":1},{\"id\":2}]\n").unwrap();
    let left = folder.path().join(".pieces.json.abc.usual-tide-new");
    fs::write(left, "[{\"id\":").unwrap();
    fs::write(folder.path().join(".other.json.abc.usual-tide-new"), "").unwrap();
    let (store, link) = start(&path);
    set(&store, 1, "n", json!(1));
    link.flush(LONG).unwrap();
    drop(link);
    let names = || {
        let names = fs::read_dir(folder.path()).unwrap().flatten();
        let mut names: Vec<_> = names.map(|entry| entry.file_name()).collect();
        names.sort();
        names
    };
    wait_for(|| names() == [".other.json.abc.usual-tide-new", "pieces.json"]);
}

#[test]
fn a_file_that_is_too_large_to_be_made_anew_for_each_write_is_refused_with_advice() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.ndjson");
    let lines: String = (0..1000).map(|id| format!("{{\"id\":{id}}}\n")).collect();
    fs::write(&path, &lines).unwrap();
    let store = SharedStore::new(Store::new());
    let source = FileSource::new(&path, &id()).write_up_to(1000);
    let link = Link::start(store.clone(), source).unwrap();
    link.wait_until_ready(LONG).unwrap();
    set(&store, 1, "n", json!(1));
    link.flush(LONG).unwrap();
    let reason = store
        .read(|store| store.writes().refused().next().unwrap().reason.clone())
        .unwrap();
    assert!(reason.contains("SQLite"), "{reason}");
    assert_eq!(fs::read_to_string(&path).unwrap(), lines);
}

#[test]
#[cfg_attr(
    windows,
    ignore = "a file that is open may keep it from being replaced"
)]
fn the_lock_of_a_replaced_file_is_given_back_at_once() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.json");
    fs::write(&path, "[{\"id\":1}]\n").unwrap();
    let (store, link) = start(&path);
    let opened_before = File::open(&path).unwrap();
    set(&store, 1, "n", json!(1));
    link.flush(LONG).unwrap();
    wait_for(|| opened_before.try_lock().is_ok());
    // A program that holds the lock is waited for.
    let held = File::open(&path).unwrap();
    held.lock().unwrap();
    set(&store, 1, "n", json!(2));
    assert!(link.flush(Duration::from_millis(300)).is_err());
    drop(held);
    link.flush(LONG).unwrap();
    assert!(fs::read_to_string(&path).unwrap().contains("\"n\":2"));
}

/// How often a link has become ready from now on.
fn count_loads(link: &Link<Record>) -> Arc<AtomicUsize> {
    let loads = Arc::new(AtomicUsize::new(0));
    let seen = Arc::clone(&loads);
    let mut was_ready = false;
    link.on_state(move |state| {
        if state.is_ready() && !was_ready {
            seen.fetch_add(1, Ordering::Relaxed);
        }
        was_ready = state.is_ready();
    });
    loads
}

/// A file that takes longer to read than the next look at it is away was read twice.
#[test]
fn a_large_file_is_loaded_once() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.ndjson");
    let lines: String = (0..60_000)
        .map(|id| format!("{{\"id\": {id}, \"title\": \"Bowl {id}\"}}\n"))
        .collect();
    std::fs::write(&path, lines).unwrap();
    let source = FileSource::new(&path, &FieldName::parse("id").unwrap())
        .poll_every(Duration::from_millis(1));
    let store = SharedStore::new(Store::new());
    let link = Link::start(store, source).unwrap();
    let loads = count_loads(&link);
    link.wait_until_ready(LONG).unwrap();
    std::thread::sleep(Duration::from_millis(300));
    assert!(link.state().is_ready());
    assert_eq!(loads.load(Ordering::Relaxed), 1);
}

#[test]
fn what_this_program_writes_is_not_loaded_again() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("pieces.ndjson");
    let lines: String = (0..2_000).map(|id| format!("{{\"id\":{id}}}\n")).collect();
    fs::write(&path, lines).unwrap();
    let source = FileSource::new(&path, &id()).poll_every(Duration::from_millis(1));
    let store = SharedStore::new(Store::new());
    let link = Link::start(store.clone(), source).unwrap();
    link.wait_until_ready(LONG).unwrap();
    let loads = count_loads(&link);
    for number in 0..100 {
        set(&store, 1, "n", json!(number));
        link.flush(LONG).unwrap();
    }
    thread::sleep(Duration::from_millis(100));
    assert!(link.state().is_ready());
    assert!(loads.load(Ordering::Relaxed) <= 1);
}
