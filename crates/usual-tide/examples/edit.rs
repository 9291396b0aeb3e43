//! Edit a row in its place: typed values, commit, cancel, and what others did meanwhile.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::drafts::{CommitProblem, Prefer};
use usual_tide::{Item, Query, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    title: String,
    height_mm: u32,
    fired: bool,
}

fn main() -> Result<(), Box<dyn Error>> {
    let piece = |id, title: &str, height_mm| Piece {
        id,
        title: title.to_owned(),
        height_mm,
        fired: false,
    };
    let mut store = Store::load([
        piece(1, "Mug", 95),
        piece(2, "Vase", 300),
        piece(3, "Jug", 210),
    ])?;
    let waiting = Query::new()
        .filter(Piece::FIRED.is(false))
        .sort(Piece::HEIGHT_MM);
    let list = store.bind(waiting);
    let feed = store.feed(list)?;
    let tell = |store: &Store<Piece>, what: &str| -> Result<(), Box<dyn Error>> {
        let steps = feed.read(store)?.map(|changes| changes.steps());
        println!("{what}: {steps:?}");
        Ok(())
    };

    // A flag is toggled; the row leaves the list of what waits.
    store.edit(&1, |piece| piece.fired = true)?;
    tell(&store, "fired")?;
    // What leaves the item equal is no change.
    store.edit(&1, |piece| piece.fired = true)?;
    tell(&store, "fired again")?;

    // A form is open on the jug: its row stays where it is, whatever is typed and whatever others do.
    let mut draft = store.drafts_mut().begin(&3)?;
    if let Err(error) = draft.type_text("height_mm", "very tall") {
        println!("refused: {error}");
    }
    draft.type_text("height_mm", "410")?;
    store.from_source(|store| store.edit(&3, |piece| piece.title = "Ribbed jug".to_owned()))?;
    tell(&store, "renamed by another")?;
    store.drafts_mut().commit(draft)?;
    tell(&store, "committed")?;
    println!("{:?}", store.get(&3));

    // Both changed the same field: the person decides.
    let mut draft = store.drafts_mut().begin(&2)?;
    draft.set(Piece::TITLE, "Tall vase".to_owned())?;
    store.edit(&2, |piece| piece.title = "Wide vase".to_owned())?;
    if let Err(refused) = store.drafts_mut().commit(draft) {
        println!("{refused}");
        let mut draft = *refused.draft;
        if let CommitProblem::Conflict(conflict) = refused.problem {
            draft.settle(*conflict, Prefer::Mine);
        }
        store.drafts_mut().commit(draft)?;
    }
    println!("{:?}", store.get(&2).map(|piece| piece.title.as_str()));

    // Given up: nothing has changed.
    let mut draft = store.drafts_mut().begin(&2)?;
    draft.set(Piece::TITLE, "Nonsense".to_owned())?;
    store.drafts_mut().discard(draft)?;
    println!("{:?}", store.get(&2).map(|piece| piece.title.as_str()));
    Ok(())
}
