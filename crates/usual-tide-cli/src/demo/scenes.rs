//! What happens in the evening.

use super::{DemoStore, Scene};
use crate::args::{ItemOptions, SCENES};
use crate::error::CommandError;
use serde_json::{Value, json};
use usual_tide::record::{MemberValue, Record, RecordKey};
use usual_tide::{EditError, Item, ListId, Place, Sort, Store};

pub(super) const ALL: [Scene; SCENES] = [
    Scene {
        heading: "A piece comes in",
        story: "Oona Mac Crae puts a new piece at the head of the queue.",
        code: "store.add(piece, Place::Start)",
        edit: |DemoStore { store, .. }| Ok(store.add(late_arrival()?, Place::Start)?),
    },
    Scene {
        heading: "A piece is fired",
        story: "The third piece in the queue comes out of the kiln.",
        code: "store.edit(&key, |piece| piece.fired = true)",
        edit: |DemoStore { store, .. }| {
            let key = key_at(store, 2)?;
            set(store, &key, "fired", Value::Bool(true))
        },
    },
    Scene {
        heading: "A title is corrected",
        story: "The title of piece P-0417 has a mistake.",
        code: "store.edit(&\"P-0417\", |piece| piece.title.push_str(\", unglazed\"))",
        edit: |DemoStore { store, .. }| {
            let key = "P-0417".into();
            let title = store
                .get(&key)
                .and_then(|piece| piece.get("title")?.as_text());
            let title = format!("{}, unglazed", title.unwrap_or_default());
            set(store, &key, "title", title.into())
        },
    },
    Scene {
        heading: "One row down by one",
        story: "The fifth piece changes places with the one below it. When it is taken out, the rows below go up \
                by one, so the gap that a drag reports (6) and the row where the piece ends (5) differ. Of two \
                neighbours that change places, the one that goes up counts as moved.",
        code: "store.move_to(&key, Place::Gap(6))   // the same as Place::Row(5)",
        edit: |DemoStore { store, .. }| {
            let key = key_at(store, 4)?;
            store.move_to(&key, Place::Gap(6))?;
            Ok(())
        },
    },
    Scene {
        heading: "Several rows further down",
        story: "Pieces 8, 10 and 12 make room and go after the twentieth, in their order.",
        code: "store.move_many(&keys, Place::After(twentieth))",
        edit: |DemoStore { store, .. }| {
            let keys = [key_at(store, 7)?, key_at(store, 9)?, key_at(store, 11)?];
            let twentieth = key_at(store, 19)?;
            store.move_many(&keys, Place::After(twentieth))?;
            Ok(())
        },
    },
    Scene {
        heading: "Only what waits on shelf A1",
        story: "The potter at shelf A1 wants to see what is still to be fired there.",
        code: "store.list_mut(list)?.change_query(|query| query.filter(waiting_on_a1))",
        edit: |DemoStore { store, list, .. }| {
            let waiting = |piece: &Record| {
                let field = |name| piece.members().get(name);
                field("fired") == Some(MemberValue::Bool(false))
                    && field("shelf") == Some(MemberValue::Text("A1"))
            };
            store
                .list_mut(*list)?
                .change_query(|query| query.filter(waiting));
            Ok(())
        },
    },
    Scene {
        heading: "Tallest first",
        story: "The same pieces, now by height, so that the tall ones find their place in the kiln.",
        code: "store.list_mut(list)?.change_query(|query| query.sort(Sort::parse(\"-height_mm\")?))",
        edit: |DemoStore { store, list, .. }| {
            let tallest_first = Sort::parse("-height_mm").map_err(CommandError::Sort)?;
            store
                .list_mut(*list)?
                .change_query(|query| query.sort(tallest_first));
            Ok(())
        },
    },
    Scene {
        heading: "A row under edit stays where it is",
        story: "The height of the tallest piece is wrong: a form opens with a draft of it. While the form is open, \
                another program marks the piece as fired, so it no longer matches the filter. Its row is held.",
        code: "let mut draft = store.drafts_mut().begin(&key)?;   // and from the log: piece.fired = true",
        edit: |DemoStore {
                   store, list, draft, ..
               }| {
            let key = shown_at(store, *list, 0)?;
            *draft = Some(store.drafts_mut().begin(&key)?);
            store.from_source(|store| set(store, &key, "fired", Value::Bool(true)))
        },
    },
    Scene {
        heading: "The draft is committed",
        story: "Both changes are kept, because they are in different fields. Now the row leaves this list, in one \
                change set.",
        code: "draft.type_text(\"height_mm\", \"305\")?;   store.drafts_mut().commit(draft)",
        edit: |DemoStore { store, draft, .. }| {
            if let Some(mut draft) = draft.take() {
                draft.type_text("height_mm", "305")?;
                store.drafts_mut().commit(draft).map_err(Box::new)?;
            }
            Ok(())
        },
    },
    Scene {
        heading: "Several are to be collected unfired",
        story: "Three of them go home as they are: the second, fourth and fifth on the screen. The rows leave at \
                once, while a line at the foot of the screen asks whether that was meant.",
        code: "let asked = store.removals_mut().begin(&keys)",
        edit: |DemoStore {
                   store, list, asked, ..
               }| {
            let keys = [1, 3, 4].map(|row| shown_at(store, *list, row));
            let keys = keys.into_iter().collect::<Result<Vec<_>, _>>()?;
            *asked = Some(store.removals_mut().begin(&keys)?);
            Ok(())
        },
    },
    Scene {
        heading: "The person confirms",
        story: "Only now are they removed from the store. If the answer were no, each row would return to its place, \
                whatever happened meanwhile.",
        code: "store.removals_mut().confirm(asked)",
        edit: |DemoStore { store, asked, .. }| {
            if let Some(asked) = asked.take() {
                store.removals_mut().confirm(asked)?;
            }
            Ok(())
        },
    },
    Scene {
        heading: "Undo",
        story: "It was the wrong shelf. One undo, and each row is back in its place.",
        code: "store.history_mut().undo()",
        edit: |DemoStore { store, .. }| {
            store.history_mut().undo()?;
            Ok(())
        },
    },
    Scene {
        heading: "Everything again, in the queue's order",
        story: "The filter and the sort go; every row comes back to its place.",
        code: "store.list_mut(list)?.change_query(|query| query.unfiltered().unsorted())",
        edit: |DemoStore { store, list, .. }| {
            store
                .list_mut(*list)?
                .change_query(|query| query.unfiltered().unsorted());
            Ok(())
        },
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
    let key = crate::input::key(&ItemOptions::default())?;
    Ok(Record::new(members, &key)?)
}

fn key_at(store: &Store<Record>, position: usize) -> Result<RecordKey, CommandError> {
    let piece = store.at(position).ok_or(EditError::OutOfRange {
        position,
        last: store.len().saturating_sub(1),
    })?;
    Ok(piece.key().clone())
}

/// The key of the row that the screen shows at a position.
fn shown_at(
    store: &Store<Record>,
    list: ListId,
    position: usize,
) -> Result<RecordKey, CommandError> {
    let rows = store.list(list)?;
    let piece = rows.at(position).ok_or(EditError::OutOfRange {
        position,
        last: rows.len().saturating_sub(1),
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
