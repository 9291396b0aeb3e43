//! A kiln queue in a SQLite database, edited by two processes at once. Without arguments it makes a database, starts
//! itself twice on it, and tells what came of it. `shared_queue DATABASE NAME PIECES` is one of the two: it adds
//! pieces, moves and edits them, and says which are saved; what it could not send when it was ended is in
//! `DATABASE.NAME.unsent`, and the next one of the same name sends it.

#![allow(clippy::print_stdout)]

use std::error::Error;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;
use usual_tide::record::{FieldName, Record};
use usual_tide::{Place, SharedStore, Store};
use usual_tide_sources::link::{Link, LinkOptions};
use usual_tide_sources::sqlite::{SqliteOutbox, SqliteSource};

const LONG: Duration = Duration::from_secs(60);

fn main() -> Result<(), Box<dyn Error>> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    match &*arguments {
        [database, name, pieces] => work(Path::new(database), name, pieces.parse()?),
        [] => two_processes(),
        _ => Err("give a database, a name and a number of pieces, or nothing".into()),
    }
}

fn link(
    database: &Path,
    name: &str,
) -> Result<(SharedStore<Record>, Link<Record>), Box<dyn Error>> {
    let source = SqliteSource::table(database, "pieces")?.ordered_by("place")?;
    let unsent = format!("{}.{name}.unsent", database.display());
    let options =
        LinkOptions::default().outbox(SqliteOutbox::open(unsent, &FieldName::parse("id")?)?);
    let store = SharedStore::new(Store::new());
    let link = Link::start_with(store.clone(), source, options)?;
    link.wait_until_ready(LONG)?;
    Ok((store, link))
}

fn work(database: &Path, name: &str, pieces: usize) -> Result<(), Box<dyn Error>> {
    let (store, link) = link(database, name)?;
    for number in 0..pieces {
        let id = format!("{name}-{}-{number}", std::process::id());
        let members = serde_json::json!({"id": id, "title": "Bowl"});
        let piece = Record::new(
            members.as_object().cloned().unwrap_or_default(),
            &FieldName::parse("id")?,
        )?;
        println!("asked {id}");
        store.edit(|store| {
            store.add(piece, Place::Start)?;
            store.edit(&(&*id).into(), |piece| {
                drop(piece.set("title", "Tall bowl".into()))
            })?;
            store.move_to(&(&*id).into(), Place::End).map(drop)
        })??;
        link.flush(LONG)?;
        println!("saved {id}");
    }
    link.close(LONG);
    Ok(())
}

fn two_processes() -> Result<(), Box<dyn Error>> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().join("studio.db");
    let database = rusqlite::Connection::open(&path)?;
    database.execute_batch(
        "PRAGMA journal_mode = WAL;
         CREATE TABLE pieces (id TEXT PRIMARY KEY, title TEXT NOT NULL, place REAL);",
    )?;
    let start = |name: &str| {
        let program = std::env::current_exe()?;
        Command::new(program)
            .arg(&path)
            .args([name, "10"])
            .stdout(Stdio::null())
            .spawn()
    };
    let processes = [start("early")?, start("late")?];
    for mut process in processes {
        process.wait()?;
    }
    let count = |sql| database.query_row(sql, [], |row| row.get::<_, i64>(0));
    println!(
        "{} pieces in the queue",
        count("SELECT count(*) FROM pieces")?
    );
    println!(
        "{} are tall",
        count("SELECT count(*) FROM pieces WHERE title = 'Tall bowl'")?
    );
    println!(
        "{} different places",
        count("SELECT count(DISTINCT place) FROM pieces")?
    );
    Ok(())
}
