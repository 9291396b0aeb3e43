//! A source of one's own, here a shelf list in memory, and two views over the store that it is linked with.

#![allow(clippy::print_stdout)]

use std::error::Error;
use std::time::Duration;
use usual_tide::writes::Write;
use usual_tide::{ChangeSet, Item, Place, Query, Replica, SharedStore, Store};
use usual_tide_sources::link::{Answer, Link, Loaded, Loading, Source, SourceError};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    title: String,
    fired: bool,
}

/// The studio's pieces; it takes no piece without a title.
struct Studio(Vec<Piece>);

impl Source<Piece> for Studio {
    fn load(&mut self, _: &mut Loading<'_>) -> Result<Loaded<Piece>, SourceError> {
        Ok(Loaded::all(self.0.clone()))
    }

    fn write(&mut self, write: &Write<Piece>) -> Result<Answer<Piece>, SourceError> {
        // It takes its time, as a source does.
        std::thread::sleep(Duration::from_millis(100));
        let after = write.after.as_deref();
        if after.is_some_and(|piece| piece.title.is_empty()) {
            return Ok(Answer::refused("a piece needs a title"));
        }
        let at = self.0.iter().position(|piece| piece.id == write.key);
        match (at, after) {
            (Some(at), Some(piece)) => self.0[at] = piece.clone(),
            (Some(at), None) => drop(self.0.remove(at)),
            (None, piece) => self.0.extend(piece.cloned()),
        }
        Ok(Answer::Saved)
    }
}

const LONG: Duration = Duration::from_secs(10);

fn main() -> Result<(), Box<dyn Error>> {
    let piece = |id, title: &str| Piece {
        id,
        title: title.to_owned(),
        fired: false,
    };
    let store = SharedStore::new(Store::new());
    let link = Link::start(
        store.clone(),
        Studio(vec![piece(1, "Bowl"), piece(2, "Mug")]),
    )?;
    link.wait_until_ready(LONG)?;

    let all = store.bind(Query::new())?;
    let waiting = store.bind(Query::new().filter(Piece::FIRED.is(false)))?;
    let mut views = Vec::new();
    for (name, list) in [("all", all), ("waiting", waiting)] {
        views.push(store.subscribe(list, |rows| {
            let mut view: Replica<Piece> = rows.items().cloned().collect();
            move |changes: &ChangeSet<Piece>| {
                if view.apply(changes).is_ok() {
                    let titles: Vec<&str> = view.items().map(|piece| &*piece.title).collect();
                    println!("{name}: {}", titles.join(", "));
                }
            }
        })?);
    }
    println!("-- a piece is fired");
    store.edit(|store| store.edit(&1, |piece| piece.fired = true))??;
    link.flush(LONG)?;
    println!("-- one is added, and refused");
    store.edit(|store| store.add(piece(3, ""), Place::Start))??;
    link.close(LONG);
    for refused in store.read(|store| store.writes().refused().cloned().collect::<Vec<_>>())? {
        println!("{}: {}", refused.write.key, refused.reason);
    }
    Ok(())
}
