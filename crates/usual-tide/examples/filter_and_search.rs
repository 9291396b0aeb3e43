//! Filter and search, letter by letter, with suggestions.
#![allow(clippy::print_stdout)]

use std::error::Error;
use usual_tide::query::FilterText;
use usual_tide::{Item, ListId, Query, Search, Store};

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    #[item(search)]
    title: String,
    #[item(search)]
    maker: String,
    fired: bool,
}

fn shown(store: &Store<Piece>, list: ListId, what: &str) -> Result<(), Box<dyn Error>> {
    let rows = store.list(list)?;
    let titles: Vec<&str> = rows.items().map(|piece| piece.title.as_str()).collect();
    println!("{what}: {}", titles.join(", "));
    Ok(())
}

fn main() -> Result<(), Box<dyn Error>> {
    let piece = |id, title: &str, maker: &str, fired| Piece {
        id,
        title: title.to_owned(),
        maker: maker.to_owned(),
        fired,
    };
    let mut store = Store::load([
        piece(1, "Café plate", "Zsófi Kandár", false),
        piece(2, "Celadon bowl", "Oona Mac Crae", true),
        piece(3, "Crème egg cup", "Oona Mac Crae", false),
        piece(4, "Carved bowl", "Bram O'Tey", false),
    ])?;

    // Several lists over one source, and each is told of every edit.
    let waiting = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    let done = store.bind(Query::new().filter(|piece: &Piece| piece.fired));
    shown(&store, waiting, "waiting")?;
    shown(&store, done, "done")?;

    // A filter as text, checked against the type.
    let filter: FilterText = "CASEI(title) LIKE '%bowl' OR maker = 'Zsófi Kandár'".parse()?;
    let bowls = store.bind(Query::new().filter(filter.check()?));
    shown(&store, bowls, "by text")?;
    if let Err(error) = "titel = 'Mug'".parse::<FilterText>()?.check::<Piece>() {
        println!("refused: {error}");
    }

    // A letter more, a letter less: each is one minimal change set. Accents and case do not count.
    let list = store.bind(Query::new());
    let feed = store.feed(list)?;
    for letters in ["c", "ca", "cafe", "ca", "crae cup"] {
        store
            .list_mut(list)?
            .change_query(|query| query.search(Search::new(letters)));
        let steps = feed.read(&store)?.map(|changes| changes.steps());
        shown(&store, list, &format!("{letters:?} {steps:?}"))?;
    }
    let search = Search::<Piece>::new("cre");
    println!("to be marked: {:?}", search.ranges("Crème egg cup"));

    // Suggestions from the first letter on, the most frequent first.
    let makers = store.suggestions(Piece::MAKER);
    for found in makers.find(&store, "o", &[], 3)? {
        println!("{} ({})", found.text, found.count);
    }
    Ok(())
}
