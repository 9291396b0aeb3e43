//! Rules: what is refused, and what the form is told.

use crate::items::usual::Piece;
use usual_tide::edits::{InBatch, OnDuplicate};
use usual_tide::fields::Value;
use usual_tide::record::{FieldName, Record};
use usual_tide::rules::{BrokenRule, FailedField};
use usual_tide::text::Folding;
use usual_tide::{EditError, Fields, Place, Rules, Store};

fn piece(id: u32, title: &str) -> Piece {
    Piece {
        id,
        title: title.into(),
        height_mm: 90,
        width_mm: 90,
        ..Piece::default()
    }
}

fn lines(failed: &[FailedField<u32>]) -> Vec<String> {
    failed
        .iter()
        .map(|failed| format!("{}: {failed}", failed.field))
        .collect()
}

#[test]
fn every_field_that_fails_is_told_with_a_text_for_the_form() {
    let mut store = Store::load([piece(1, "Celadon bowl")]).unwrap();
    let rules = Rules::new()
        .required(Piece::TITLE)
        .length(Piece::TITLE, 3..=20)
        .required(Piece::SHELF)
        .message("say where it stands")
        .range(Piece::HEIGHT_MM, 10..600)
        .check(Piece::WIDTH_MM, |piece: &Piece| {
            (piece.width_mm <= 2 * piece.height_mm)
                .then_some(())
                .ok_or(format!("{} mm is too wide for its height", piece.width_mm))
        })
        .check_item(|piece: &Piece| match piece.id {
            13 => Err("no piece has this number"),
            _ => Ok(()),
        });
    store.set_rules(rules).unwrap();
    let bad = Piece {
        height_mm: 600,
        width_mm: 1300,
        ..piece(13, " ")
    };
    let refused = store.add(bad.clone(), Place::End).unwrap_err();
    let expected = [
        "title: a value is needed",
        "shelf: say where it stands",
        "height_mm: 600 is out of range: it must be 10 to less than 600",
        "width_mm: 1300 mm is too wide for its height",
        ": no piece has this number",
    ];
    assert_eq!(lines(refused.failed_fields()), expected);
    assert_eq!(
        lines(&store.failures(&bad)),
        expected,
        "a form can ask beforehand"
    );
    assert_eq!(
        refused.to_string(),
        "the item 13 is refused: title: a value is needed; shelf: say where it stands; height_mm: 600 is out of \
         range: it must be 10 to less than 600; width_mm: 1300 mm is too wide for its height; no piece has this \
         number"
    );
    assert_eq!(store.len(), 1);

    let long = Piece {
        shelf: Some("A1".into()),
        ..piece(2, "Ao\u{0301}".repeat(11).as_str())
    };
    let failed = store.failures(&long);
    let [
        FailedField {
            broken:
                BrokenRule::BadLength {
                    given: 22,
                    short: false,
                    ..
                },
            ..
        },
    ] = &failed[..]
    else {
        panic!("{failed:?}");
    };
    assert_eq!(
        failed[0].to_string(),
        "22 characters are too many: it must be 3 to 20"
    );
}

#[test]
fn only_new_breaches_are_refused_and_old_ones_can_be_found() {
    let mut store = Store::load([piece(1, "Mug"), piece(2, "mug"), piece(3, "Jug")]).unwrap();
    store
        .set_rules(Rules::new().unique(Piece::TITLE, Folding::Case))
        .unwrap();
    let broken: Vec<u32> = store.broken_rules().map(|(key, _)| *key).collect();
    assert_eq!(broken, [1, 2]);
    // An edit of a piece that breaks a rule must heal it.
    let refused = store.edit(&2, |piece| piece.height_mm = 80).unwrap_err();
    assert_eq!(
        refused.failed_fields()[0].broken,
        BrokenRule::Taken { by: 1 }
    );
    store
        .edit(&2, |piece| piece.title = "Blue mug".into())
        .unwrap();
    assert_eq!(store.broken_rules().count(), 0);
}

#[test]
fn items_added_together_are_held_against_each_other() {
    let mut store = Store::load([piece(1, "Mug")]).unwrap();
    store
        .set_rules(
            Rules::new()
                .trim(Piece::TITLE)
                .unique(Piece::TITLE, Folding::Exact),
        )
        .unwrap();
    let refused = store
        .add_many([piece(2, "Jug"), piece(3, " Jug ")], Place::Start)
        .unwrap_err();
    assert_eq!(
        refused.failed_fields()[0].broken,
        BrokenRule::Taken { by: 2 }
    );
    assert_eq!(store.len(), 1);
    let last = [piece(1, " Mug "), piece(2, "Bowl")];
    store
        .add_many_with(last, Place::Start, OnDuplicate::KeepLast)
        .unwrap();
    assert_eq!(store.get(&1).unwrap().title, "Mug");
    // What was freed by a removal, or by an undo, can be taken again.
    store.remove(&1).unwrap();
    store.add(piece(4, "Mug"), Place::End).unwrap();
    store.history_mut().undo().unwrap();
    store.add(piece(5, "Mug"), Place::End).unwrap();
    store.check().unwrap();
}

#[test]
fn rules_are_not_changed_inside_a_batch_and_do_not_bind_the_source() {
    let mut store = Store::load([piece(1, "Mug")]).unwrap();
    let set = store.batch(|store| store.set_rules(Rules::new().required(Piece::SHELF)));
    assert_eq!(set, Err(InBatch));
    store
        .set_rules(Rules::new().required(Piece::SHELF))
        .unwrap();
    store.reload([piece(1, "Mug"), piece(2, "Jug")]).unwrap();
    assert_eq!(store.broken_rules().count(), 2);
    store.history_mut().undo().unwrap();
    assert!(store.add(piece(3, "Bowl"), Place::End).is_err());
}

#[test]
fn records_have_rules_by_name() {
    let key = FieldName::parse("id").unwrap();
    let record =
        |json: serde_json::Value| Record::new(json.as_object().unwrap().clone(), &key).unwrap();
    let mut store = Store::load([record(
        serde_json::json!({"id": 1, "fee": {"amount": 4.50}}),
    )])
    .unwrap();
    let amount = || Record::field_named("fee.amount").unwrap();
    let rules = Rules::new()
        .required(amount())
        .range::<Value<'_>>(amount(), Value::from(0)..);
    store.set_rules(rules).unwrap();
    let missing = store
        .add(record(serde_json::json!({"id": 2})), Place::End)
        .unwrap_err();
    assert_eq!(missing.failed_fields()[0].field, "fee.amount");
    let negative = store.edit(&1.into(), |piece| {
        piece.set("/fee/amount", (-0.5).into()).unwrap()
    });
    let Err(EditError::Invalid { failed, .. }) = negative else {
        panic!("{negative:?}")
    };
    assert_eq!(
        failed[0].to_string(),
        "-0.5 is out of range: it must be at least 0"
    );
}
