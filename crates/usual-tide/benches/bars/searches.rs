//! Searches letter by letter, against one scan of the same folded text.

use crate::floor::Random;
use crate::row::{BenchItem, Piece};
use crate::timing::{Report, Turns, seconds};
use memchr::memmem;
use usual_tide::{Query, Search, Store};

const FIRST: &str = "first letter of a search: which rows match";
const SORTED: &str = "first letter in a list sorted by a number: the whole change of the list";
const THIRD: &str = "third letter, 1 % matched before: which rows match";
const CHANGE: &str = "third letter, 1 % matched before: the whole change of the list";
const SUGGESTED: &str = "ten suggestions for a letter, among as many different values";

fn search(text: &str) -> Search<Piece> {
    Search::in_fields(text, [Piece::TITLE.into()])
}

pub(crate) fn measure(rows: usize, report: &mut Report) {
    let names = [FIRST, SORTED, THIRD, CHANGE, SUGGESTED];
    if !names.iter().any(|name| report.wants(name)) {
        return;
    }
    let items = Piece::many(rows, &mut Random(0x5ea7c4));
    let titles: Vec<&str> = items.iter().map(|piece| piece.title.as_str()).collect();
    let folded = titles.join("\n").to_lowercase();
    let scan = |letters: &str| memmem::find_iter(folded.as_bytes(), letters).count();
    let mut store = Store::load(items.clone()).unwrap();
    store.prepare_search(&search(""));
    let expected = titles.iter().filter(|title| title.contains('q')).count();
    assert_eq!(store.count_found(&search("q")), expected);
    let turns = Turns {
        rounds: 15,
        operations: 1,
    };
    report.compare(
        FIRST,
        rows,
        &turns,
        || seconds(|| scan("q")),
        || seconds(|| store.count_found(&search("q"))),
    );
    let sorted = store.bind(Query::new().sort(Piece::RANK));
    report.compare(
        SORTED,
        rows,
        &turns,
        || seconds(|| scan("q")),
        || {
            let mut list = store.list_mut(sorted).unwrap();
            list.change_query(Query::unsearched);
            seconds(|| list.change_query(|query| query.search(search("q"))))
        },
    );
    store.unbind(sorted).unwrap();
    if report.wants(SUGGESTED) {
        let suggestions = store.suggestions(Piece::TITLE);
        let find = || suggestions.find(&store, "q", &[], 10).unwrap();
        assert_eq!(find().len(), 10);
        let floor = || seconds(|| scan("q"));
        report.compare(SUGGESTED, rows, &turns, floor, || seconds(find));
        store.unbind(suggestions.list()).unwrap();
    }
    let list = store.bind(Query::new());
    let mut type_in = |letters: &str| {
        let search = search(letters);
        store
            .list_mut(list)
            .unwrap()
            .change_query(|query| query.search(search));
        store.list(list).unwrap().len()
    };
    type_in("qx");
    report.compare(
        CHANGE,
        rows,
        &turns,
        || seconds(|| scan("qxa")),
        || {
            type_in("qx");
            seconds(|| type_in("qxa"))
        },
    );
    let left = type_in("qxa");
    type_in("qx");
    let shown = store.list(list).unwrap();
    assert_eq!(shown.count_found(&search("qxa")), left);
    report.compare(
        THIRD,
        rows,
        &turns,
        || seconds(|| scan("qxa")),
        || seconds(|| shown.count_found(&search("qxa"))),
    );
    let share = store.count_found(&search("qx")) as f64 / rows as f64 * 100.0;
    report.figure(
        "rows that two letters left of a search",
        rows,
        &format!("{share:.1} %"),
    );
}
