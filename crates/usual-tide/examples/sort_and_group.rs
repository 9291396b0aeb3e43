//! Sort by several fields and as a language does; sections with headings, counts and totals.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::query::Total;
use usual_tide::text::Collation;
use usual_tide::{Group, Item, ListId, Query, Sort, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    title: String,
    shelf: Option<String>,
    height_mm: u32,
}

fn shown(store: &Store<Piece>, list: ListId, what: &str) -> Result<(), Box<dyn Error>> {
    println!("{what}");
    let rows = store.list(list)?;
    for (at, section) in (0..).zip(rows.sections()) {
        let titles: Vec<&str> = rows
            .items_in(rows.rows_in(at))
            .map(|p| p.title.as_str())
            .collect();
        let totals: Vec<String> = section.totals().iter().map(ToString::to_string).collect();
        let (heading, count) = (section.heading(), section.count());
        println!("  {heading:?} {count} {totals:?}: {}", titles.join(", "));
    }
    Ok(())
}

fn main() -> Result<(), Box<dyn Error>> {
    let piece = |id, title: &str, shelf: &str, height_mm| Piece {
        id,
        title: title.to_owned(),
        shelf: Some(shelf.to_owned()).filter(|shelf| !shelf.is_empty()),
        height_mm,
    };
    let mut store = Store::load([
        piece(1, "Vase 10", "A1", 300),
        piece(2, "Vase 9", "A1", 300),
        piece(3, "émail bowl", "B2", 90),
        piece(4, "Ember jar", "", 120),
        piece(5, "Zebra mug", "B2", 95),
    ])?;

    // Tallest first; of equal height by title. Rows that tie keep the source's order.
    let list = store.bind(Query::new().sort(Piece::HEIGHT_MM.descending().then(Piece::TITLE)));
    shown(&store, list, "tallest first")?;
    // The same as text, such as a person's saved settings.
    let sort = Sort::parse("-height_mm, title")?;
    let mut rows = store.list_mut(list)?;
    rows.change_query(|query| query.sort(sort));
    // As people read: é beside e, and 9 before 10.
    let order = Collation::plain().numeric();
    rows.change_query(|query| query.sort(Sort::by_text(Piece::TITLE, &order)));
    shown(&store, list, "as people read")?;

    // Sections by shelf; pieces without one come last.
    let by_shelf = Group::by(Piece::SHELF).total(Total::Sum, Piece::HEIGHT_MM);
    let mut rows = store.list_mut(list)?;
    rows.change_query(|query| query.group(by_shelf));
    shown(&store, list, "by shelf")?;

    // A piece goes to another shelf: the change set has positions by section too.
    let feed = store.feed(list)?;
    store.edit(&4, |piece| piece.shelf = Some("A1".to_owned()))?;
    if let Some(changes) = feed.read(&store)? {
        let changes = changes.by_section();
        println!(
            "sections gone: {}, changed: {}",
            changes.sections().removed().len(),
            changes.sections().updated().len()
        );
        println!("moved: {:?}", changes.moved());
    }
    shown(&store, list, "afterwards")
}
