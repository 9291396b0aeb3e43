//! Load items, bind a list to them, and load them again without losing the place on the screen.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::edits::OnDuplicate;
use usual_tide::{Item, Query, Replica, Selection, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: String,
    title: String,
}

fn piece(id: &str, title: &str) -> Piece {
    Piece {
        id: id.to_owned(),
        title: title.to_owned(),
    }
}

fn main() -> Result<(), Box<dyn Error>> {
    let mut store = Store::load([
        piece("P-1", "Celadon bowl"),
        piece("P-2", "Mug"),
        piece("P-3", "Tall vase"),
    ])?;
    let list = store.bind(Query::new().sort(Piece::TITLE));
    let feed = store.feed(list)?;
    // The view begins with the rows of this moment, and hears of change sets from here on.
    let mut view: Replica<Piece> = store.list(list)?.items().cloned().collect();
    let mut selection = Selection::new();
    selection.select_at(&store.list(list)?, 1)?;
    println!("{} rows, current {:?}", view.len(), selection.current());

    // The screen appears again: the source's whole content, of which one piece changed and one is new.
    let reloaded = store.reload([
        piece("P-4", "Jug"),
        piece("P-1", "Celadon bowl, wide"),
        piece("P-2", "Mug"),
        piece("P-3", "Tall vase"),
    ])?;
    println!("reloaded: {reloaded:?}");
    if let Some(changes) = feed.read(&store)? {
        println!("steps: {:?}", changes.steps());
        view.apply(&changes)?;
        selection.follow(&changes, &store.list(list)?);
    }
    println!("{} rows, current {:?}", view.len(), selection.current());
    println!("in step: {}", view.items().eq(store.list(list)?.items()));

    // The same once more says nothing, so nothing blinks.
    let same: Vec<Piece> = store.items().map(|piece| Piece::clone(piece)).collect();
    store.reload(same)?;
    println!(
        "again: {:?}",
        feed.read(&store)?.map(|changes| changes.steps())
    );

    // A source that holds a key twice is refused as a whole, unless it is said which one counts.
    let twice = || [piece("P-1", "Bowl"), piece("P-1", "Another bowl")];
    if let Err(error) = store.reload(twice()) {
        println!("refused: {error}");
    }
    store.reload_with(twice(), OnDuplicate::KeepLast)?;
    println!("kept: {:?}", store.at(0).map(|piece| piece.title.as_str()));
    Ok(())
}
