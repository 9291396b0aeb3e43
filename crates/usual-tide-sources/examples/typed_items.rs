//! Pieces of an app's own type, kept by a server whose pieces have members that the app does not know. Begin a server, and give
//! its address:
//!
//! ```text
//! usual-tide serve pieces.json
//! cargo run --example typed_items -- http://127.0.0.1:8090
//! ```

#![allow(clippy::print_stdout)]

use serde::{Deserialize, Serialize};
use std::error::Error;
use std::time::Duration;
use usual_tide::record::FieldName;
use usual_tide::{Item, Place, Query, SharedStore, Store};
use usual_tide_sources::http::HttpSource;
use usual_tide_sources::link::Link;
use usual_tide_sources::typed::{Conversion, TypedSource};

const LONG: Duration = Duration::from_secs(30);

#[derive(Clone, PartialEq, Debug, Item, Serialize, Deserialize)]
struct Piece {
    #[item(key)]
    id: String,
    title: String,
    shelf: Option<u32>,
}

fn main() -> Result<(), Box<dyn Error>> {
    let address = std::env::args().nth(1).ok_or("give the server's address")?;
    let id = FieldName::parse("id")?;
    let source = TypedSource::new(HttpSource::new(&address, &id), Conversion::serde(&id));
    let store: SharedStore<Piece> = SharedStore::new(Store::new());
    let link = Link::start(store.clone(), source)?;
    link.wait_until_ready(LONG)?;

    let list = store.bind(Query::new().sort(Piece::TITLE))?;
    let first = store.read(|store| store.list(list).map(|rows| rows.at(0).cloned()))??;
    let first = first.ok_or("the server has no pieces")?;
    let tile = Piece {
        id: "T-1".to_owned(),
        title: "Test tile".to_owned(),
        shelf: None,
    };
    store.try_edit(|store| store.edit(&first.id, |piece| piece.shelf = None))?;
    store.try_edit(|store| store.add(tile, Place::Start))?;
    link.flush(LONG)?;
    for refused in store.read(|store| store.writes().refused().cloned().collect::<Vec<_>>())? {
        println!("{}: {}", refused.write.key, refused.reason);
    }
    let titles = |store: &Store<Piece>| -> Result<Vec<String>, _> {
        let rows = store.list(list)?;
        Ok::<_, Box<dyn Error>>(rows.items().map(|piece| piece.title.clone()).collect())
    };
    println!("{}", store.read(titles)??.join(", "));
    Ok(())
}
