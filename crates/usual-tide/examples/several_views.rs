//! Several views over one store: a list, a grid with the tallest, a picker of what is left.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::{Feed, Item, ListId, Place, Query, Replica, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    title: String,
    height_mm: u32,
    fired: bool,
}

/// What is drawn on one part of the screen. It knows no more than the change sets tell.
struct View {
    name: &'static str,
    list: ListId,
    feed: Feed<Piece>,
    rows: Replica<Piece>,
}

impl View {
    fn new(
        name: &'static str,
        query: Query<Piece>,
        store: &mut Store<Piece>,
    ) -> Result<Self, Box<dyn Error>> {
        let list = store.bind(query);
        Ok(Self {
            name,
            list,
            feed: store.feed(list)?,
            rows: store.list(list)?.items().cloned().collect(),
        })
    }

    fn refresh(&mut self, store: &Store<Piece>) -> Result<(), Box<dyn Error>> {
        let changes = self.feed.read(store)?;
        if let Some(changes) = &changes {
            self.rows.apply(changes)?;
        }
        println!("  {}: {:?}", self.name, changes.map(|set| set.steps()));
        assert!(self.rows.items().eq(store.list(self.list)?.items()));
        Ok(())
    }
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
    let tallest = Query::new().sort(Piece::HEIGHT_MM.descending()).take(2);
    let left = Query::new()
        .filter(Piece::FIRED.is(false))
        .sort(Piece::TITLE);
    let mut views = [
        View::new("queue", Query::new(), &mut store)?,
        View::new("tallest", tallest, &mut store)?,
        View::new("left", left, &mut store)?,
    ];
    println!("a piece comes in");
    store.add(piece(4, "Moon jar", 350), Place::Start)?;
    views.iter_mut().try_for_each(|view| view.refresh(&store))?;
    println!("the vase is fired, the mug goes last, and the jug turns out to be tall");
    store.edit(&2, |piece| piece.fired = true)?;
    store.move_to(&1, Place::End)?;
    store.edit(&3, |piece| piece.height_mm = 400)?;
    views.iter_mut().try_for_each(|view| view.refresh(&store))
}
