//! Reorder by hand: what a drag reports, and where the row stands afterwards.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::{Item, ListId, Place, Query, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: char,
}

fn order(store: &Store<Piece>, list: ListId) -> Result<String, Box<dyn Error>> {
    Ok(store.list(list)?.items().map(|piece| piece.id).collect())
}

fn main() -> Result<(), Box<dyn Error>> {
    let mut store = Store::load("ABCDEF".chars().map(|id| Piece { id }))?;
    // The rows show their rank in the queue.
    let list = store.bind(Query::new().numbered());
    let feed = store.feed(list)?;

    // B is dropped into the gap between D and E. Gaps are counted while B is still in its place: this is gap 4.
    store.move_to(&'B', Place::Gap(4))?;
    println!("{}", order(&store, list)?);
    if let Some(changes) = feed.read(&store)? {
        println!(
            "{:?}, other numbers: {:?}",
            changes.steps(),
            changes.renumbered()
        );
    }
    // The same by the row where it ends: lifting it lets those below slip up, so this is row 3.
    store.history_mut().undo()?;
    store.move_to(&'B', Place::Row(3))?;
    println!("{}", order(&store, list)?);
    // The two together are the one move again.
    println!("{:?}", feed.read(&store)?.map(|changes| changes.steps()));

    // Several rows keep their order.
    store.move_many(&['F', 'A'], Place::Before('D'))?;
    println!("{}", order(&store, list)?);
    if let Some(changes) = feed.read(&store)? {
        println!("{:?}", changes.steps());
        println!(
            "A was row 0: {:?}, C was row 1: {:?}",
            changes.follow(0),
            changes.follow(1)
        );
    }

    // In a filtered list a place is among the rows that it shows.
    let vowels = store.bind(Query::new().filter(|piece: &Piece| "AEIOU".contains(piece.id)));
    store.list_mut(vowels)?.move_to(&['E'], Place::Start)?;
    println!("{} of {}", order(&store, vowels)?, order(&store, list)?);

    // In a sorted list there is no order by hand, and nothing is moved.
    let sorted = store.bind(Query::new().sort(Piece::ID));
    if let Err(error) = store.list_mut(sorted)?.move_to(&['A'], Place::End) {
        println!("refused: {error}");
    }
    if let Err(error) = store.move_to(&'A', Place::Row(6)) {
        println!("refused: {error}");
    }
    Ok(())
}
