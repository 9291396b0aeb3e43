//! Records against structs with as many fields, against their text, and against its parser.

use crate::floor::Random;
use crate::row::{BenchItem, Piece};
use crate::timing::{Report, Turns, seconds};
use serde_json::json;
use std::fmt::Write;
use std::hint::black_box;
use usual_tide::fields::Fields;
use usual_tide::query::FilterText;
use usual_tide::record::{FieldName, Record, Schema, Shape, parse_as};
use usual_tide::{Condition, Feed, Item, ListId, Query, Search, Sort, Store};

const FILTER: &str = "height_mm > 200 AND fired = FALSE AND maker <> 'Maker 7'";
const EDITS: usize = 5_000;

fn key() -> FieldName {
    FieldName::parse("id").unwrap()
}

/// One line of NDJSON: eleven members, about 190 bytes.
fn write_line(text: &mut String, piece: &Piece) {
    let members = json!({
        "id": piece.id, "title": piece.title, "maker": piece.maker, "clay": piece.clay,
        "glaze": piece.glaze, "height_mm": piece.height_mm, "fee_cents": piece.fee_cents,
        "due_day": piece.due_day, "fired": piece.fired, "note": piece.note, "rank": piece.rank,
    });
    writeln!(text, "{members}").unwrap();
}

fn text_of(rows: usize) -> String {
    let mut text = String::new();
    let mut random = Random(0x7ec0);
    for id in 0..rows as u64 {
        write_line(&mut text, &Piece::of(id, &mut random));
    }
    text
}

fn records(text: &str) -> Vec<Record> {
    parse_as(Shape::Ndjson, text, &key()).unwrap()
}

pub(crate) fn measure(rows: usize, report: &mut Report) {
    if !report.wants_any_of("records: ") {
        return;
    }
    let text = text_of(rows);
    memory(rows, &text, report);
    parsing(rows, &text, report);
    let structs = Piece::many(rows, &mut Random(0x7ec0));
    let items = records(&text);
    edits(rows, &structs, &items, report);
    queries(rows, &structs, &items, report);
    reload(rows, &text, report);
}

/// Bytes of this process that are in memory.
fn resident() -> Option<usize> {
    let text = std::fs::read_to_string("/proc/self/statm").ok()?;
    let pages: usize = text.split_whitespace().nth(1)?.parse().ok()?;
    Some(pages * 4096)
}

fn memory(rows: usize, text: &str, report: &mut Report) {
    let before = resident();
    let store = Store::load(records(text)).unwrap();
    let grown = resident().zip(before).map(|(now, before)| now - before);
    if let Some(grown) = grown {
        let figure = format!(
            "{:.0} bytes, {:.2} times its text",
            grown as f64 / rows as f64,
            grown as f64 / text.len() as f64
        );
        report.figure("records: memory of a loaded store, a record", rows, &figure);
    }
    drop(store);
}

fn parsing(rows: usize, text: &str, report: &mut Report) {
    let turns = Turns {
        rounds: 7,
        operations: 1,
    };
    report.compare(
        "records: parsing NDJSON, against a parser that keeps nothing",
        rows,
        &turns,
        || {
            seconds(|| {
                for line in text.lines() {
                    black_box(serde_json::from_str::<serde_core::de::IgnoredAny>(line).unwrap());
                }
            })
        },
        || {
            let mut read = None;
            let time = seconds(|| read = Some(records(text)));
            drop(read);
            time
        },
    );
}

struct Bound<T: Item> {
    store: Store<T>,
    list: ListId,
    feed: Feed<T>,
}

impl<T: Item + Fields> Bound<T> {
    fn new(items: &[T], query: Query<T>) -> Self {
        let mut store = Store::load(items.iter().cloned()).unwrap();
        let list = store.bind(query);
        let feed = store.feed(list).unwrap();
        Self { store, list, feed }
    }

    /// Edits, each with the change set read.
    fn edit_each(&mut self, draws: &[(T::Key, u64)], edit: impl Fn(&mut T, u64)) -> f64 {
        seconds(|| {
            for (key, rank) in draws {
                self.store.edit(key, |item| edit(item, *rank)).unwrap();
                black_box(self.feed.read(&self.store).unwrap());
            }
        })
    }
}

fn edits(rows: usize, structs: &[Piece], items: &[Record], report: &mut Report) {
    let turns = Turns {
        rounds: 9,
        operations: EDITS,
    };
    let mut random = Random(0xed17);
    let mut draws = || -> Vec<(u64, u64)> {
        (0..EDITS)
            .map(|_| (random.below(rows) as u64, random.next()))
            .collect()
    };
    let mut typed = Bound::new(structs, Query::new().sort(Piece::RANK));
    let schema = Schema::infer(items);
    let sort = Sort::parse_with("rank", &schema).unwrap();
    let mut dynamic = Bound::new(items, Query::new().sort(sort));
    let rank = FieldName::parse("rank").unwrap();
    let set = |record: &mut Record, value: u64| record.set_field(&rank, value.into()).unwrap();
    let keyed = |draws: Vec<(u64, u64)>| -> Vec<_> {
        let keyed = draws.into_iter();
        keyed
            .map(|(key, rank)| ((key as i64).into(), rank))
            .collect()
    };
    let drawn = std::cell::RefCell::new(Vec::new());
    report.compare(
        "records: edit that moves a row, feed read, against a struct",
        rows,
        &turns,
        || {
            let draws = draws();
            drawn.replace(draws.clone());
            typed.edit_each(&draws, |piece, rank| piece.rank = rank)
        },
        || dynamic.edit_each(&keyed(drawn.take()), set),
    );
    let mut random = Random(0xba7c);
    let mut draws = || -> Vec<_> {
        let draws = (0..EDITS).map(|_| ((random.below(rows) as i64).into(), random.next()));
        draws.collect()
    };
    let dynamic = std::cell::RefCell::new(dynamic);
    let draws = std::cell::RefCell::new(&mut draws);
    report.compare(
        "records: batch of edits, against as many single edits",
        rows,
        &turns,
        || {
            let draws = (draws.borrow_mut())();
            dynamic.borrow_mut().edit_each(&draws, set)
        },
        || {
            let draws = (draws.borrow_mut())();
            let bound = &mut *dynamic.borrow_mut();
            seconds(|| {
                bound
                    .store
                    .batch(|batch| -> Result<(), usual_tide::EditError<_>> {
                        for (key, rank) in &draws {
                            batch.edit(key, |item| set(item, *rank))?;
                        }
                        Ok(())
                    })
                    .unwrap();
                black_box(bound.feed.read(&bound.store).unwrap());
            })
        },
    );
}

fn queries(rows: usize, structs: &[Piece], items: &[Record], report: &mut Report) {
    let turns = Turns {
        rounds: 7,
        operations: 1,
    };
    let schema = Schema::infer(items);
    let mut typed = Bound::new(structs, Query::new());
    let mut dynamic = Bound::new(items, Query::new());
    fn bind<T: Item + Fields>(bound: &mut Bound<T>, query: Query<T>) -> f64 {
        let mut list = None;
        let time = seconds(|| list = Some(bound.store.bind(query)));
        bound.store.unbind(list.unwrap()).unwrap();
        time
    }
    report.compare(
        "records: first bind, sorted by a text, against structs",
        rows,
        &turns,
        || bind(&mut typed, Query::new().sort(Piece::TITLE)),
        || {
            let sort = Sort::parse_with("title", &schema).unwrap();
            bind(&mut dynamic, Query::new().sort(sort))
        },
    );
    fn first_letter<T: Item + Fields>(items: &[T], search: impl Fn(&str) -> Search<T>) -> f64 {
        let mut bound = Bound::new(items, Query::new());
        seconds(|| {
            let mut list = bound.store.list_mut(bound.list).unwrap();
            list.change_query(|query| query.search(search("q")));
        })
    }
    report.compare(
        "records: first letter of a search, its text not yet folded, against structs",
        rows,
        &turns,
        || {
            first_letter(structs, |text| {
                Search::in_fields(text, [Piece::TITLE.into()])
            })
        },
        || {
            first_letter(items, |text| {
                use usual_tide::query::FieldLookup;
                Search::in_fields(text, schema.field("title"))
            })
        },
    );
    let text: FilterText = FILTER.parse().unwrap();
    let of_structs: Condition<Piece> = text.check().unwrap();
    let of_records = text.check_with(&schema).unwrap();
    let count = |shown: usize| assert!(shown > 0);
    report.compare(
        "records: three comparisons as CQL2 text, against structs",
        rows,
        &turns,
        || {
            let shown = |item: &&Piece| of_structs.test(item) == Some(true);
            seconds(|| count(structs.iter().filter(shown).count()))
        },
        || {
            let shown = |item: &&Record| of_records.test(item) == Some(true);
            seconds(|| count(items.iter().filter(shown).count()))
        },
    );
}

fn reload(rows: usize, text: &str, report: &mut Report) {
    let turns = Turns {
        rounds: 5,
        operations: 1,
    };
    let items = records(text);
    let mut bound = Bound::new(&items, Query::new());
    let title = FieldName::parse("title").unwrap();
    let mut random = Random(0x4e10);
    report.compare(
        "records: reload with 1 % each removed, edited and moved, against parsing the text",
        rows,
        &turns,
        || {
            let mut read = None;
            let time = seconds(|| read = Some(records(text)));
            drop(read);
            time
        },
        || {
            let (mut next, mut moved) = (Vec::with_capacity(rows), Vec::new());
            for mut item in items.iter().cloned() {
                match random.below(100) {
                    0 => continue,
                    1 => moved.push(item),
                    2 => {
                        let other = format!("Bowl {}", random.next());
                        item.set_field(&title, other.into()).unwrap();
                        next.push(item);
                    }
                    3 => next.extend([Some(item), moved.pop()].into_iter().flatten()),
                    _ => next.push(item),
                }
            }
            next.append(&mut moved);
            seconds(|| {
                bound.store.reload(next).unwrap();
                black_box(bound.feed.read(&bound.store).unwrap());
            })
        },
    );
}
