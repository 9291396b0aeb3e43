//! What happens in the evening.

use super::Act;
use crate::error::CommandError;
use serde_json::{Value, json};
use usual_tide::record::{FieldName, Record, RecordKey, sort};
use usual_tide::{EditError, Item, Place, Store};

pub(super) const ALL: &[Act] = &[
    Act {
        heading: "A piece comes in",
        story: "Oona Mac Crae puts a new piece at the head of the queue.",
        code: "store.add(piece, Place::Start)",
        edit: |store, _| Ok(store.add(late_arrival()?, Place::Start)?),
    },
    Act {
        heading: "A piece is fired",
        story: "The third piece in the queue comes out of the kiln.",
        code: "store.edit(&key, |piece| piece.fired = true)",
        edit: |store, _| {
            let key = key_at(store, 2)?;
            set(store, &key, "fired", Value::Bool(true))
        },
    },
    Act {
        heading: "A title is corrected",
        story: "Piece P-0417 was written down in a hurry.",
        code: "store.edit(&\"P-0417\", |piece| piece.title.push_str(\", unglazed\"))",
        edit: |store, _| {
            let key = "P-0417".into();
            let title = store
                .get(&key)
                .and_then(|piece| piece.get("title")?.as_str());
            let title = format!("{}, unglazed", title.unwrap_or_default());
            set(store, &key, "title", title.into())
        },
    },
    Act {
        heading: "One row down by one",
        story: "The fifth piece changes places with the one below it. Lifting it lets that one slip up, so the \
                gap that a drag reports (6) and the row where the piece ends (5) differ. Of two neighbours that \
                change places, the one that goes up is said to move.",
        code: "store.move_to(&key, Place::Gap(6))   // the same as Place::Row(5)",
        edit: |store, _| {
            let key = key_at(store, 4)?;
            store.move_to(&key, Place::Gap(6))?;
            Ok(())
        },
    },
    Act {
        heading: "Several rows further down",
        story: "Pieces 8, 10 and 12 make room and go behind the twentieth, in their order.",
        code: "store.move_many(&keys, Place::After(twentieth))",
        edit: |store, _| {
            let keys = [key_at(store, 7)?, key_at(store, 9)?, key_at(store, 11)?];
            let twentieth = key_at(store, 19)?;
            store.move_many(&keys, Place::After(twentieth))?;
            Ok(())
        },
    },
    Act {
        heading: "Only what waits on shelf A1",
        story: "The potter at shelf A1 wants to see what is still to be fired there.",
        code: "store.change_query(list, |query| query.filter(waiting_on_a1))",
        edit: |store, list| {
            let waiting = |piece: &Record| {
                let field = |name| piece.members().get(name);
                field("fired") == Some(&json!(false)) && field("shelf") == Some(&json!("A1"))
            };
            Ok(store.change_query(list, |query| query.filter(waiting))?)
        },
    },
    Act {
        heading: "Tallest first",
        story: "The same pieces, now by height, so that the tall ones find their place in the kiln.",
        code: "store.change_query(list, |query| query.sort(record::sort(\"-height_mm\")?))",
        edit: |store, list| {
            let tallest_first = sort("-height_mm")?;
            Ok(store.change_query(list, |query| query.sort(tallest_first))?)
        },
    },
    Act {
        heading: "Several are collected unfired",
        story: "Three of them go home as they are: the second, fourth and fifth on the screen.",
        code: "store.remove_many(&keys)",
        edit: |store, list| {
            let rows = store.list(list)?;
            let on_screen = [1, 3, 4].into_iter().filter_map(|row| rows.get(row));
            let keys: Vec<RecordKey> = on_screen.map(|piece| piece.key().clone()).collect();
            store.remove_many(&keys)?;
            Ok(())
        },
    },
    Act {
        heading: "That was a mistake",
        story: "They were on the wrong shelf. One step back, and each is where it was.",
        code: "store.undo()",
        edit: |store, _| {
            store.undo()?;
            Ok(())
        },
    },
    Act {
        heading: "Everything again, in the queue's order",
        story: "The filter and the sort go; every row comes back to its place.",
        code: "store.change_query(list, |query| query.unfiltered().unsorted())",
        edit: |store, list| Ok(store.change_query(list, |query| query.unfiltered().unsorted())?),
    },
];

fn late_arrival() -> Result<Record, CommandError> {
    let piece = json!({
        "id": "P-0700", "title": "Tall fluted vase", "maker": "Oona Mac Crae", "clay": "porcelain",
        "glaze": "celadon", "height_mm": 310, "fee": {"amount": "12.50", "currency": "EUR"},
        "due": "2026-03-05", "received": "2026-03-02T19:40:00Z", "shelf": "A1", "fired": false,
        "note": null,
    });
    let members = piece.as_object().cloned().unwrap_or_default();
    let key = FieldName::parse("id").map_err(CommandError::Key)?;
    Ok(Record::new(members, &key)?)
}

fn key_at(store: &Store<Record>, position: usize) -> Result<RecordKey, CommandError> {
    let piece = store.at(position).ok_or(EditError::OutOfRange {
        position,
        last: store.len().saturating_sub(1),
    })?;
    Ok(piece.key().clone())
}

fn set(
    store: &mut Store<Record>,
    key: &RecordKey,
    field: &str,
    value: Value,
) -> Result<(), CommandError> {
    let mut edited = Ok(());
    store.edit(key, |piece| edited = piece.set(field, value))?;
    Ok(edited?)
}
