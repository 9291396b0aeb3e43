//! Pieces that show at once and are taken back when the server refuses them. Begin a server that refuses every third
//! write, and give its address:
//!
//! ```text
//! usual-tide serve pieces.json --refuse-every 3 --delay 50..200
//! cargo run --example optimistic_add -- http://127.0.0.1:8090
//! ```

#![allow(clippy::print_stdout, clippy::print_stderr)]

use std::error::Error;
use std::time::Duration;
use usual_tide::record::{FieldName, Record, RecordKey};
use usual_tide::writes::{StateChange, WriteState};
use usual_tide::{Item, Place, Query, SharedStore, Store};
use usual_tide_sources::http::HttpSource;
use usual_tide_sources::link::Link;

const LONG: Duration = Duration::from_secs(30);

fn main() -> Result<(), Box<dyn Error>> {
    let Some(address) = std::env::args().nth(1) else {
        return Err("give the server's address".into());
    };
    let id = FieldName::parse("id")?;
    let store = SharedStore::new(Store::new());
    let link = Link::start(store.clone(), HttpSource::new(&address, &id))?;
    link.wait_until_ready(LONG)?;
    let before = store.read(Store::len)?;

    // A view dims the rows that wait, and shows them plain when they are saved.
    let list = store.bind(Query::new())?;
    let _marks = store.subscribe_write_states(list, |rows: &[StateChange<RecordKey>]| {
        for row in rows {
            eprintln!("row {}: {} is {:?}", row.at + 1, row.key, row.state);
        }
    })?;
    for number in 1..=6 {
        let members = serde_json::json!({"id": format!("N-{number}"), "title": "Test tile"});
        let members = members.as_object().cloned().unwrap_or_default();
        let piece = Record::new(members, &id)?;
        store.edit(|store| store.add(piece, Place::Start))??;
    }
    println!("{} shown at once", store.read(Store::len)? - before);

    link.flush(LONG)?;
    println!("{} saved", store.read(Store::len)? - before);
    for refused in store.read(|store| store.writes().refused().cloned().collect::<Vec<_>>())? {
        println!("{}: {}", refused.write.key, refused.reason);
    }
    let saved = |store: &Store<Record>| {
        store
            .items()
            .all(|item| store.writes().state(item.key()) == WriteState::Saved)
    };
    println!("every row that is left is saved: {}", store.read(saved)?);
    Ok(())
}
