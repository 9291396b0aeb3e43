#![doc = "Load items, bind a list, edit, and update the view."]

use usual_tide::{Item, Place, Query, Replica, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: String,
    title: String,
    fired: bool,
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let piece = |id: &str, title: &str| Piece {
        id: id.into(),
        title: title.into(),
        fired: false,
    };
    let mut store = Store::load([piece("P-1", "Celadon bowl"), piece("P-2", "Mug")])?;
    let waiting = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    let feed = store.feed(waiting)?;
    let mut view: Replica<Piece> = store.list(waiting)?.items().cloned().collect();

    store.add(piece("P-3", "Tall vase"), Place::Start)?;
    store.edit(&"P-2".to_string(), |piece| piece.fired = true)?;

    let changes = feed.read(&store)?.ok_or("two rows changed")?;
    assert_eq!((changes.inserted()[0].at, changes.removed()[0].at), (0, 1));
    view.apply(&changes)?;
    assert!(view.items().eq(store.list(waiting)?.items()));
    Ok(())
}
