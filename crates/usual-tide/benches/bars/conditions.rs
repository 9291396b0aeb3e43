//! Filters by text against the same by closure.

use crate::floor::Random;
use crate::row::{BenchItem, Piece};
use crate::timing::{Report, Turns, seconds};
use serde_json::json;
use std::hint::black_box;
use usual_tide::Condition;
use usual_tide::query::FilterText;
use usual_tide::record::{FieldName, Record, Schema};

const FILTER: &str = "height_mm > 200 AND fired = FALSE AND maker <> 'Maker 7'";

pub(crate) fn measure(rows: usize, report: &mut Report) {
    typed(rows, report);
    records(rows, report);
}

fn compare<T>(
    name: &str,
    items: &[T],
    report: &mut Report,
    closure: fn(&T) -> bool,
    condition: &Condition<T>,
) {
    let turns = Turns {
        rounds: 15,
        operations: 1,
    };
    let by_closure = items.iter().filter(|item| closure(item)).count();
    let shown = |item: &&T| condition.test(item) == Some(true);
    assert_eq!(by_closure, items.iter().filter(shown).count());
    report.compare(
        name,
        items.len(),
        &turns,
        || seconds(|| items.iter().filter(|item| black_box(closure)(item)).count()),
        || seconds(|| items.iter().filter(shown).count()),
    );
}

fn typed(rows: usize, report: &mut Report) {
    let name = "three comparisons as CQL2 text, structs";
    if !report.wants(name) {
        return;
    }
    let items = Piece::many(rows, &mut Random(0xc912));
    let text: FilterText = FILTER.parse().unwrap();
    let by_hand = |piece: &Piece| piece.height_mm > 200 && !piece.fired && piece.maker != "Maker 7";
    compare(name, &items, report, by_hand, &text.check().unwrap());
}

fn records(rows: usize, report: &mut Report) {
    let name = "three comparisons as CQL2 text, records";
    if !report.wants(name) {
        return;
    }
    let key = FieldName::parse("id").unwrap();
    let record = |piece: Piece| {
        let members = json!({
            "id": piece.id, "title": piece.title, "maker": piece.maker, "clay": piece.clay, "glaze": piece.glaze,
            "height_mm": piece.height_mm, "fee_cents": piece.fee_cents, "due_day": piece.due_day,
            "received_second": piece.received_second, "fired": piece.fired, "note": piece.note,
        });
        Record::new(members.as_object().unwrap().clone(), &key).unwrap()
    };
    let items = Piece::many(rows, &mut Random(0xc912));
    let items: Vec<Record> = items.into_iter().map(record).collect();
    let text: FilterText = FILTER.parse().unwrap();
    let condition = text.check_with(&Schema::infer(&items)).unwrap();
    let by_hand = |piece: &Record| {
        let field = |name: &str| piece.members().get(name);
        field("height_mm")
            .and_then(|value| value.as_i64())
            .is_some_and(|height| height > 200)
            && field("fired").and_then(|value| value.as_bool()) == Some(false)
            && field("maker")
                .and_then(|value| value.as_text())
                .is_some_and(|maker| maker != "Maker 7")
    };
    compare(name, &items, report, by_hand, &condition);
}
