//! Add items: at the top, at the end, at a row; as a blank row that is edited at once.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::keys::KeyCounter;
use usual_tide::{Item, Place, Query, Rules, Store};

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
    let mut draft = store.drafts_mut().begin_new(piece("")?, Place::Start)?;
    let blank = store.drafts().is_blank(draft.key());
    println!("{} rows, blank: {blank}", store.list(list)?.len());
    draft.type_text("title", "   ")?;
    // A refused draft comes back with the error, to be corrected.
    if let Err(refused) = store.drafts_mut().commit(draft) {
        println!("refused: {refused}");
        let mut draft = refused.draft;
        draft.type_text("title", " Moon jar ")?;
        store.drafts_mut().commit(*draft)?;
    }
    println!("{}", titles(&store));

    // A second form is opened, and given up.
    let draft = store.drafts_mut().begin_new(piece("")?, Place::End)?;
    store.drafts_mut().discard(draft)?;
    println!("{}", titles(&store));

    // All that happened since the view last looked, as one change set.
    if let Some(changes) = feed.read(&store)? {
        println!("{:?}", changes.steps());
    }
    Ok(())
}
