//! A writer that is killed at any moment loses nothing that it called saved, and the next one sends the rest.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use rusqlite::Connection;
use std::collections::HashSet;
use std::env::consts::EXE_SUFFIX;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;
use usual_tide::record::FieldName;
use usual_tide_sources::link::Outbox;
use usual_tide_sources::sqlite::SqliteOutbox;

/// How often the writer is killed.
const TIMES: usize = 200;

/// Where cargo has put the examples when it built this test.
fn writer() -> PathBuf {
    let test = std::env::current_exe().unwrap();
    let folder = test.parent().and_then(Path::parent).unwrap();
    let program = folder.join(format!("examples/shared_queue{EXE_SUFFIX}"));
    assert!(
        program.exists(),
        "run `cargo test`, or `cargo build --examples` before"
    );
    program
}

fn in_table(database: &Connection) -> HashSet<(String, String)> {
    let mut rows = database.prepare("SELECT id, title FROM pieces").unwrap();
    let rows = rows
        .query_map([], |row| Ok((row.get(0)?, row.get(1)?)))
        .unwrap();
    rows.map(Result::unwrap).collect()
}

fn unsent(path: &Path) -> usize {
    let key = FieldName::parse("id").unwrap();
    SqliteOutbox::open(path, &key)
        .unwrap()
        .kept()
        .unwrap()
        .len()
}

#[test]
fn nothing_that_was_called_saved_is_lost_and_what_was_asked_is_sent_by_the_next() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("studio.db");
    let database = Connection::open(&path).unwrap();
    database
        .execute_batch(
            "PRAGMA journal_mode = WAL;
             CREATE TABLE pieces (id TEXT PRIMARY KEY, title TEXT NOT NULL, place REAL);",
        )
        .unwrap();
    let writer = writer();
    let outbox = folder.path().join("studio.db.one.unsent");
    let (mut saved, mut asked, mut left) = (Vec::new(), Vec::new(), 0);
    for time in 0..TIMES {
        let mut process = Command::new(&writer)
            .arg(&path)
            .args(["one", "1000000"])
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let lines = BufReader::new(process.stdout.take().unwrap()).lines();
        let mut lines = lines.map_while(Result::ok);
        // Every third is killed while it starts, the others in the midst of their work, however slow the machine is.
        let begun = if time % 3 == 0 { None } else { lines.next() };
        let wait = Duration::from_micros((time as u64 * 7919) % 25_000 + 500);
        let killer = std::thread::spawn(move || {
            std::thread::sleep(wait);
            process.kill().unwrap();
            process.wait().unwrap();
        });
        for line in begun.into_iter().chain(lines) {
            match line.split_once(' ') {
                Some(("saved", id)) => saved.push(id.to_owned()),
                Some(("asked", id)) => asked.push(id.to_owned()),
                _ => panic!("{line}"),
            }
        }
        killer.join().unwrap();
        left += usize::from(outbox.exists() && unsent(&outbox) > 0);
    }
    let there = in_table(&database);
    for id in &saved {
        let piece = (id.clone(), "Tall bowl".to_owned());
        assert!(there.contains(&piece), "{id} was called saved");
    }
    // The kills came at every stage.
    assert!(saved.len() > TIMES / 8, "{} saved", saved.len());
    assert!(
        asked.len() > saved.len() && left > 0,
        "{} asked, {left} left unsent",
        asked.len()
    );

    // One that is left alone sends what the killed ones kept.
    let done = Command::new(&writer)
        .arg(&path)
        .args(["one", "1"])
        .output()
        .unwrap();
    assert!(done.status.success(), "{done:?}");
    assert_eq!(unsent(&outbox), 0);
    let there = in_table(&database);
    assert!(there.iter().all(|(_, title)| title == "Tall bowl"));
    // All that was asked is there, but for what a kill may have kept from being noted at all: the last of each run.
    let lost = asked
        .iter()
        .filter(|id| !there.iter().any(|(other, _)| other == *id))
        .count();
    assert!(lost <= TIMES, "{lost} lost");
    let sound: String = database
        .query_row("PRAGMA integrity_check", [], |row| row.get(0))
        .unwrap();
    assert_eq!(sound, "ok");
}
