//! Add items: at the top, at the end, at a row; as a blank row that is edited at once.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::{Item, KeyCounter, Place, Query, Rules, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u64,
    title: String,
}

fn main() -> Result<(), Box<dyn Error>> {
    let mut keys = KeyCounter::new();
    let mut piece = |title: &str| -> Result<Piece, Box<dyn Error>> {
        Ok(Piece {
            id: keys.next_key().ok_or("no key is left")?,
            title: title.to_owned(),
        })
    };
    let mut store = Store::load([piece("Mug")?, piece("Vase")?])?;
    store.set_rules(Rules::new().trim(Piece::TITLE).required(Piece::TITLE))?;
    let list = store.bind(Query::new());
    let feed = store.feed(list)?;
    let titles = |store: &Store<Piece>| -> String {
        let titles: Vec<&str> = store.items().map(|piece| piece.title.as_str()).collect();
        titles.join(", ")
    };

    store.add(piece("Bowl")?, Place::Start)?;
    store.add(piece("Jug")?, Place::End)?;
    // Where the current row is, found by its key: a position may be late.
    let current = store.at(1).map(|piece| piece.id).ok_or("no row")?;
    store.add(piece("Saucer")?, Place::After(current))?;
    println!("{}", titles(&store));

    // A blank row that goes straight into editing: it is shown at once, and gone when the form is given up.
    let mut draft = store.draft_new(piece("")?, Place::Start)?;
    let blank = store.is_blank(draft.key());
    println!("{} rows, blank: {blank}", store.list(list)?.len());
    draft.type_text("title", "   ")?;
    if let Err(error) = store.commit(&mut draft) {
        println!("refused: {error}");
    }
    draft.type_text("title", " Moon jar ")?;
    store.commit(&mut draft)?;
    println!("{}", titles(&store));

    // A second form is opened, and given up.
    let draft = store.draft_new(piece("")?, Place::End)?;
    store.discard(draft)?;
    println!("{}", titles(&store));

    // All that happened since the view last looked, as one change set.
    if let Some(changes) = feed.read(&store)? {
        println!("{:?}", changes.steps());
    }
    Ok(())
}
