//! Delete items: one, several, asked first, taken back; never the wrong one.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::{Item, Query, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
}

fn shown(store: &Store<Piece>, list: usual_tide::ListId) -> Result<Vec<u32>, Box<dyn Error>> {
    Ok(store.list(list)?.items().map(|piece| piece.id).collect())
}

fn main() -> Result<(), Box<dyn Error>> {
    let mut store = Store::load((1..=8).map(|id| Piece { id }))?;
    let list = store.bind(Query::new());
    let feed = store.feed(list)?;

    // A button was drawn in row 2. Before it is pressed, another row goes: the position is late by then.
    let (position, version) = (2, store.list(list)?.version());
    store.remove(&1)?;
    let meant = store.list(list)?.key_shown(position, version)?;
    println!(
        "row {position} was {meant}, and {:?} is there now",
        store.list(list)?.at(2).map(|p| p.id)
    );
    store.remove(&meant)?;
    println!("{:?}", shown(&store, list)?);

    // Several at once: all or none.
    if let Err(error) = store.remove_many(&[4, 44]) {
        println!("refused: {error}");
    }
    store.remove_many(&[4, 5])?;
    println!("{:?}", shown(&store, list)?);

    // One step back brings them where they were.
    store.history_mut().undo()?;
    println!("{:?} after undo", shown(&store, list)?);

    // Asked first: the rows go at once, the items stay until the person has said yes.
    let asked = store.removals_mut().begin(&[6, 7])?;
    println!(
        "{:?} are shown, {} are kept",
        shown(&store, list)?,
        store.len()
    );
    store.removals_mut().cancel(asked)?;
    println!("{:?} after a no", shown(&store, list)?);
    let asked = store.removals_mut().begin(&[6, 7])?;
    store.removals_mut().confirm(asked)?;
    println!(
        "{:?} after a yes, {} are kept",
        shown(&store, list)?,
        store.len()
    );

    if let Some(changes) = feed.read(&store)? {
        println!("{:?}", changes.steps());
    }
    Ok(())
}
