//! Drafts: what a form works on, and what comes of it.

use rust_decimal::Decimal;
use std::panic::{AssertUnwindSafe, catch_unwind};
use usual_tide::drafts::{CommitProblem, Prefer};
use usual_tide::fields::InputError;
use usual_tide::lists::ListEditError;
use usual_tide::record::{FieldName, Record};
use usual_tide::text::Folding;
use usual_tide::{Fields, Item, Place, Query, Rules, Store};

#[derive(Clone, PartialEq, Debug, Fields)]
struct Fee {
    amount: rust_decimal::Decimal,
    currency: String,
}

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    title: String,
    fired: bool,
    height_mm: Option<u32>,
    #[item(nested)]
    fee: Fee,
}

fn piece(id: u32, title: &str) -> Piece {
    let fee = Fee {
        amount: "4.50".parse().unwrap(),
        currency: "EUR".into(),
    };
    Piece {
        id,
        title: title.into(),
        fired: false,
        height_mm: Some(90),
        fee,
    }
}

fn store() -> Store<Piece> {
    Store::load(
        (1..=5).map(|id| piece(id, ["Bowl", "Mug", "Jug", "Plate", "Vase"][id as usize - 1])),
    )
    .unwrap()
}

fn ids(store: &Store<Piece>, list: usual_tide::ListId) -> Vec<u32> {
    store
        .list(list)
        .unwrap()
        .items()
        .map(|piece| piece.id)
        .collect()
}

#[test]
fn a_row_in_a_draft_does_not_jump_and_leaves_in_one_change_set_when_it_is_committed() {
    let mut store = store();
    let waiting = Query::new()
        .filter(Piece::FIRED.is(false))
        .sort(Piece::TITLE);
    let waiting = store.bind(waiting);
    let feed = store.feed(waiting).unwrap();
    assert_eq!(ids(&store, waiting), [1, 3, 2, 4, 5]);

    let mut draft = store.drafts_mut().begin(&3).unwrap();
    draft.set(Piece::TITLE, "Water jug".into()).unwrap();
    assert_eq!(
        feed.read(&store).unwrap(),
        None,
        "the list hears nothing of a draft"
    );
    // Meanwhile the server knows that it came out of the kiln, and renames it too: it stays where it is.
    store
        .from_source(|store| store.edit(&3, |piece| piece.fired = true))
        .unwrap();
    let set = feed.read(&store).unwrap().unwrap();
    assert_eq!((set.touched(), set.updated().len()), (1, 1));
    assert_eq!(ids(&store, waiting), [1, 3, 2, 4, 5]);
    // A list bound now, or changed to show the row, holds it too.
    let fired = store.bind(Query::new().filter(Piece::FIRED.is(true)));
    store
        .from_source(|store| store.edit(&3, |piece| piece.fired = false))
        .unwrap();
    assert_eq!(ids(&store, fired), [3]);
    store
        .from_source(|store| store.edit(&3, |piece| piece.fired = true))
        .unwrap();

    // A list in which the row arrives meanwhile holds it too.
    let tall = store.bind(Query::new().filter(Piece::HEIGHT_MM.is(Some(400))));
    for (height, rows) in [(400, &[3][..]), (90, &[3])] {
        let measured = |piece: &mut Piece| piece.height_mm = Some(height);
        store.from_source(|store| store.edit(&3, measured)).unwrap();
        assert_eq!(ids(&store, tall), rows);
    }

    let done = store.drafts_mut().commit(draft).unwrap();
    assert!(ids(&store, tall).is_empty());
    assert_eq!(done.written[0].to_string(), "title");
    assert_eq!(done.merged[0].to_string(), "fired");
    let set = feed.read(&store).unwrap().unwrap();
    assert_eq!((set.removed().len(), set.touched()), (1, 1));
    assert_eq!(ids(&store, waiting), [1, 2, 4, 5]);
    assert_eq!(store.get(&3).unwrap().title, "Water jug");
    let mut other = Store::load([piece(3, "Jug")]).unwrap();
    let foreign = other.drafts_mut().begin(&3).unwrap();
    let refused = store.drafts_mut().commit(foreign).unwrap_err();
    assert!(matches!(refused.problem, CommitProblem::NotOpen));
    assert!(
        other.drafts().is_open(&refused.draft),
        "it comes back with the error"
    );
}

#[test]
fn typed_text_is_checked_as_it_goes_and_kept_for_the_form() {
    let mut store = store();
    store
        .set_rules(
            Rules::new()
                .range(Piece::HEIGHT_MM, 10..=600)
                .unique(Piece::TITLE, Folding::Case),
        )
        .unwrap();
    let mut draft = store.drafts_mut().begin(&2).unwrap();
    assert_eq!(draft.typed("fee.amount").unwrap(), "4.50");
    draft.type_text("fee.amount", " 5.25 ").unwrap();
    let refused = draft.type_text("height_mm", "tall").unwrap_err();
    assert_eq!(refused.to_string(), "\"tall\" is not a whole number");
    assert_eq!(
        draft.typed("height_mm").unwrap(),
        "tall",
        "the form shows what was typed"
    );
    draft.type_text("title", "BOWL").unwrap();
    let failed = store.drafts().failures(&draft);
    let fields: Vec<&str> = failed.iter().map(|failed| failed.field.as_str()).collect();
    assert_eq!(fields, ["height_mm", "title"]);
    let refused = store.drafts_mut().commit(draft).unwrap_err();
    let CommitProblem::Invalid { failed: again, .. } = refused.problem else {
        panic!()
    };
    assert_eq!(again, failed);
    let mut draft = *refused.draft;

    draft.type_text("height_mm", "").unwrap();
    assert_eq!(draft.item().height_mm, None);
    draft.type_text("height_mm", "700").unwrap();
    draft.type_text("title", "Cup").unwrap();
    let mut draft = *store.drafts_mut().commit(draft).unwrap_err().draft;
    draft.set(Piece::HEIGHT_MM, Some(70)).unwrap();
    assert!(draft.is_changed());
    store.drafts_mut().commit(draft).unwrap();
    let cup = store.get(&2).unwrap();
    assert_eq!(
        (cup.height_mm, cup.fee.amount.to_string()),
        (Some(70), "5.25".to_owned())
    );
    assert_eq!(store.history().undo_len(), 1);

    let mut draft = store.drafts_mut().begin(&2).unwrap();
    let unknown = InputError::UnknownField {
        name: "weight".into(),
    };
    assert_eq!(draft.type_text("weight", "1"), Err(unknown));
    assert_eq!(draft.typed("weight"), None);
    assert!(
        draft.set_value("height_mm", "80".into()).is_err(),
        "text is no number"
    );
    draft.set_value("height_mm", 80_u32.into()).unwrap();
    // The key is refused at once, in whichever way it is set.
    assert_eq!(draft.edit(|piece| piece.id = 77), Err(InputError::Key));
    assert_eq!(draft.set(Piece::ID, 77), Err(InputError::Key));
    assert_eq!(draft.set_value("id", 77_u32.into()), Err(InputError::Key));
    assert_eq!(draft.type_text("id", "77"), Err(InputError::Key));
    assert_eq!(
        (draft.item().id, draft.typed("id").as_deref()),
        (2, Some("77"))
    );
    assert!(
        store.drafts_mut().commit(draft).is_err(),
        "what was typed stands there still"
    );
}

#[test]
fn both_sides_changes_are_kept_where_they_do_not_collide() {
    for prefer in [Prefer::Mine, Prefer::Theirs] {
        let mut store = store();
        let mut draft = store.drafts_mut().begin(&1).unwrap();
        draft.set(Piece::HEIGHT_MM, Some(95)).unwrap();
        draft.type_text("fee.amount", "6.00").unwrap();
        draft.set(Piece::TITLE, "Deep bowl".into()).unwrap();
        let news = |piece: &mut Piece| {
            piece.fee.currency = "SEK".into();
            piece.title = "Wide bowl".into();
        };
        store.from_source(|store| store.edit(&1, news)).unwrap();
        let refused = store.drafts_mut().commit(draft).unwrap_err();
        assert_eq!(
            refused.to_string(),
            "1 was changed since the draft began: title"
        );
        let CommitProblem::Conflict(conflict) = refused.problem else {
            panic!()
        };
        let mut draft = *refused.draft;
        assert_eq!(conflict.overlapping.len(), 1);
        assert_eq!(
            (
                &*conflict.base.title,
                &*conflict.mine.title,
                &*conflict.theirs.title
            ),
            ("Bowl", "Deep bowl", "Wide bowl")
        );
        assert_eq!(
            (&*conflict.merged.title, conflict.merged.height_mm),
            ("Wide bowl", Some(95))
        );
        assert_eq!(
            store.get(&1).unwrap().title,
            "Wide bowl",
            "nothing was changed"
        );
        draft.settle(*conflict, prefer);
        store.drafts_mut().commit(draft).unwrap();
        let saved = store.get(&1).unwrap();
        let title = if prefer == Prefer::Mine {
            "Deep bowl"
        } else {
            "Wide bowl"
        };
        assert_eq!((saved.title.as_str(), saved.height_mm), (title, Some(95)));
        assert_eq!(
            saved.fee,
            Fee {
                amount: "6.00".parse().unwrap(),
                currency: "SEK".into()
            }
        );
    }
    // Both came to the same: nothing collides.
    let mut store = store();
    let mut draft = store.drafts_mut().begin(&1).unwrap();
    draft.set(Piece::TITLE, "Deep bowl".into()).unwrap();
    store
        .edit(&1, |piece| piece.title = "Deep bowl".into())
        .unwrap();
    assert!(store.drafts_mut().commit(draft).unwrap().written.is_empty());
}

#[test]
fn records_merge_by_member_and_keep_what_is_absent_absent() {
    let key = FieldName::parse("id").unwrap();
    let json = serde_json::json!({"id": 1, "title": "Bowl", "fee": {"amount": 4.50, "currency": "EUR"}, "note": "x"});
    let record = Record::new(json.as_object().unwrap().clone(), &key).unwrap();
    let mut store = Store::load([record]).unwrap();
    let mut draft = store.drafts_mut().begin(&1.into()).unwrap();
    draft.type_text("fee.amount", "5.00").unwrap();
    draft.type_text("title", "Deep bowl").unwrap();
    assert!(draft.type_text("fee.amount", "five").is_err());
    let mut draft = *store.drafts_mut().commit(draft).unwrap_err().draft;
    draft.type_text("fee.amount", "6.00").unwrap();
    let news =
        serde_json::json!({"id": 1, "title": "Bowl", "fee": {"amount": 4.50, "currency": "SEK"}});
    store
        .reload([Record::new(news.as_object().unwrap().clone(), &key).unwrap()])
        .unwrap();
    let done = store.drafts_mut().commit(draft).unwrap();
    assert_eq!(done.merged.len(), 2);
    let saved = serde_json::to_string(&**store.at(0).unwrap()).unwrap();
    assert_eq!(
        saved,
        r#"{"id":1,"title":"Deep bowl","fee":{"amount":6.00,"currency":"SEK"}}"#
    );
}

#[test]
fn a_discarded_blank_row_leaves_no_trace() {
    let mut store = store();
    let list = store.bind(Query::new().filter(|piece: &Piece| !piece.title.is_empty()));
    let all = store.bind(Query::new());
    let feed = store.feed(all).unwrap();
    store.remove(&5).unwrap();
    let steps = (store.history().undo_len(), store.history().redo_len());
    feed.read(&store).unwrap();

    let draft = store
        .list_mut(list)
        .unwrap()
        .begin_new_draft(piece(9, ""), Place::After(2))
        .unwrap();
    assert!(draft.is_new() && store.drafts().is_blank(&9));
    assert_eq!(
        ids(&store, list),
        [1, 2, 9, 3, 4],
        "it is shown though it does not match"
    );
    assert_eq!(ids(&store, all), [1, 2, 9, 3, 4]);
    // What happens meanwhile is told apart from it: a removal right behind it is undone to its place.
    store.remove(&3).unwrap();
    store.drafts_mut().discard(draft).unwrap();
    assert!(!store.contains(&9));
    assert_eq!(store.history().undo_name(), None);
    assert_eq!(store.history().undo_len(), steps.0 + 1);
    store.history_mut().undo().unwrap();
    assert_eq!(ids(&store, list), [1, 2, 3, 4]);
    assert_eq!(
        feed.read(&store).unwrap(),
        None,
        "nothing is left to be told"
    );
    store.check().unwrap();
}

#[test]
fn a_new_row_is_one_step_from_its_commit_on() {
    let mut store = store();
    store
        .set_rules(Rules::new().trim(Piece::TITLE).required(Piece::TITLE))
        .unwrap();
    let list = store.bind(Query::new().sort(Piece::TITLE));
    let draft = store
        .list_mut(list)
        .unwrap()
        .begin_new_draft(piece(9, ""), Place::Start)
        .unwrap();
    assert_eq!(ids(&store, list), [9, 1, 3, 2, 4, 5]);
    let sorted = store
        .list_mut(list)
        .unwrap()
        .begin_new_draft(piece(8, ""), Place::Row(0));
    assert_eq!(sorted.err(), Some(ListEditError::Sorted));
    assert!(
        store
            .drafts_mut()
            .begin_new(piece(9, ""), Place::Start)
            .unwrap_err()
            .is_duplicate()
    );
    let refused = store.drafts_mut().commit(draft).unwrap_err();
    assert!(matches!(refused.problem, CommitProblem::Invalid { .. }));
    let mut draft = *refused.draft;
    draft.type_text("title", " Lid ").unwrap();
    assert_eq!(store.history().undo_len(), 0);
    let feed = store.feed(list).unwrap();
    store
        .batch_named("Add a lid", |store| store.drafts_mut().commit(draft))
        .unwrap();
    let set = feed.read(&store).unwrap().unwrap();
    assert_eq!(
        (set.moved()[0].from, set.moved()[0].to, set.touched()),
        (0, 2, 1)
    );
    assert_eq!(
        (store.history().undo_len(), store.history().undo_name()),
        (1, Some("Add a lid"))
    );
    assert!(!store.drafts().is_blank(&9));
    store.history_mut().undo().unwrap();
    assert!(!store.contains(&9));
    store.history_mut().redo().unwrap();
    assert_eq!(store.get(&9).unwrap().title, "Lid");
    assert_eq!(store.position(&9), Some(0));
}

#[test]
fn a_dropped_draft_ends_with_the_next_edit_before_that_looks_at_any_position() {
    let mut store = store();
    let list = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    let held = store.drafts_mut().begin(&4).unwrap();
    store
        .from_source(|store| store.edit(&4, |piece| piece.fired = true))
        .unwrap();
    let blank = store
        .drafts_mut()
        .begin_new(piece(9, ""), Place::Start)
        .unwrap();
    assert_eq!(ids(&store, list), [9, 1, 2, 3, 4, 5]);
    drop((held, blank));
    store.add(piece(6, "Lid"), Place::Row(1)).unwrap();
    let order: Vec<u32> = store.items().map(|piece| piece.id).collect();
    assert_eq!(order, [1, 6, 2, 3, 4, 5]);
    assert_eq!(ids(&store, list), [1, 6, 2, 3, 5]);
    store.check().unwrap();
}

#[test]
fn what_the_source_takes_away_is_told() {
    let mut store = store();
    let mut draft = store.drafts_mut().begin(&2).unwrap();
    draft.set(Piece::TITLE, "Cup".into()).unwrap();
    store.from_source(|store| store.remove(&2)).unwrap();
    let refused = store.drafts_mut().commit(draft).unwrap_err();
    assert!(matches!(refused.problem, CommitProblem::Removed(2)));
    let draft = *refused.draft;
    // Another item under the same key is not the one that the draft is of.
    store
        .from_source(|store| store.add(piece(2, "Tile"), Place::End))
        .unwrap();
    let refused = store.drafts_mut().commit(draft).unwrap_err();
    assert!(matches!(refused.problem, CommitProblem::Removed(2)));
    let draft = *refused.draft;
    assert!(store.drafts().is_open(&draft));
    store.drafts_mut().discard(draft).unwrap();

    // A reload leaves a blank row where it is, unless it brings an item with its key.
    let mut draft = store
        .drafts_mut()
        .begin_new(piece(9, ""), Place::After(3))
        .unwrap();
    draft.set(Piece::TITLE, "Mine".into()).unwrap();
    store.reload([piece(3, "Jug"), piece(1, "Bowl")]).unwrap();
    let order =
        |store: &Store<Piece>| -> Vec<u32> { store.items().map(|piece| piece.id).collect() };
    assert_eq!(order(&store), [3, 9, 1]);
    assert!(store.drafts().is_blank(&9));
    store
        .reload_from(&[piece(1, "Bowl"), piece(9, "Theirs")])
        .unwrap();
    assert_eq!(order(&store), [1, 9]);
    assert!(!store.drafts().is_blank(&9));
    let refused = store.drafts_mut().commit(draft).unwrap_err();
    let CommitProblem::Conflict(conflict) = refused.problem else {
        panic!()
    };
    let mut draft = *refused.draft;
    draft.settle(*conflict, Prefer::Mine);
    store.drafts_mut().commit(draft).unwrap();
    assert_eq!(store.get(&9).unwrap().title, "Mine");
    store.check().unwrap();

    // The same when the source has it exactly as it is; what was removed before still comes back to its place.
    let mut store = self::store();
    store.remove(&3).unwrap();
    let draft = store
        .drafts_mut()
        .begin_new(piece(9, "Lid"), Place::Start)
        .unwrap();
    store
        .reload([9, 1, 2, 4, 5].map(|id| match id {
            9 => piece(9, "Lid"),
            id => Piece::clone(store.get(&id).unwrap()),
        }))
        .unwrap();
    assert!(!store.drafts().is_blank(&9));
    store.drafts_mut().discard(draft).unwrap();
    store.history_mut().undo().unwrap();
    assert_eq!(order(&store), [9, 1, 2, 3, 4, 5]);
    store.check().unwrap();
}

#[test]
fn a_commit_that_is_rolled_back_ends_the_draft_and_changes_nothing() {
    let mut store = store();
    let list = store.bind(Query::new().filter(Piece::FIRED.is(false)));
    let mut draft = store.drafts_mut().begin(&1).unwrap();
    draft.set(Piece::TITLE, "Deep bowl".into()).unwrap();
    let fire = |piece: &mut Piece| piece.fired = true;
    store.from_source(|store| store.edit(&1, fire)).unwrap();
    let failed = store.batch(|store| {
        let done = store.drafts_mut().commit(draft);
        done.map_err(|why| why.to_string())?;
        store.remove(&99).map_err(|why| why.to_string())
    });
    assert!(failed.is_err());
    assert_eq!(store.get(&1).unwrap().title, "Bowl");
    assert_eq!(
        store.list(list).unwrap().position(&1),
        Some(0),
        "held as before"
    );
    store.edit(&2, fire).unwrap();
    assert_eq!(
        store.list(list).unwrap().position(&1),
        None,
        "the draft was given away"
    );

    // A filter that panics: the same.
    let mut draft = store.drafts_mut().begin(&3).unwrap();
    draft.set(Piece::TITLE, "Deep bowl".into()).unwrap();
    let trap = store.bind(Query::new().filter(|piece: &Piece| {
        assert!(piece.title != "Deep bowl", "the trap");
        true
    }));
    assert!(catch_unwind(AssertUnwindSafe(|| store.drafts_mut().commit(draft))).is_err());
    store.unbind(trap).unwrap();
    assert_eq!(store.get(&3).unwrap().title, "Jug");
    store.check().unwrap();
}

/// Every kind of field, typed letter by letter: what is shown is what was typed, and the value is that of the
/// last text that can be read.
#[test]
fn text_stays_as_it_is_typed() {
    #[derive(Clone, PartialEq, Debug, Item)]
    struct Sample {
        #[item(key)]
        id: u32,
        text: String,
        count: i64,
        exact: Decimal,
        float: f64,
        flag: bool,
        day: jiff::civil::Date,
        moment: jiff::Timestamp,
        letter: char,
        words: Vec<String>,
        perhaps: Option<Decimal>,
    }
    let sample = Sample {
        id: 1,
        text: String::new(),
        count: 0,
        exact: Decimal::ZERO,
        float: 0.0,
        flag: false,
        day: jiff::civil::date(2026, 1, 1),
        moment: jiff::Timestamp::UNIX_EPOCH,
        letter: 'a',
        words: Vec::new(),
        perhaps: None,
    };
    let mut store = Store::load([sample]).unwrap();
    let typed = [
        ("text", "  two  blanks ", "  two  blanks "),
        ("count", " -0120 ", "-120"),
        ("exact", "12.50", "12.50"),
        ("float", "12.50", "12.5"),
        ("flag", "TRUE", "true"),
        ("day", "2026-03-05", "2026-03-05"),
        (
            "moment",
            "2026-03-05T14:30:00+01:00",
            "2026-03-05T13:30:00Z",
        ),
        ("letter", "z", "z"),
        ("words", "clear, iron red ,", "clear, iron red, "),
        ("perhaps", "7.0", "7.0"),
    ];
    let mut draft = store.drafts_mut().begin(&1).unwrap();
    for (field, text, _) in typed {
        for end in (0..=text.len()).filter(|end| text.is_char_boundary(*end)) {
            let so_far = &text[..end];
            let read = draft.type_text(field, so_far);
            assert_eq!(draft.typed(field).as_deref(), Some(so_far), "{field}");
            let failed = store.drafts().failures(&draft);
            assert_eq!(
                failed.iter().any(|failed| failed.field == field),
                read.is_err()
            );
        }
    }
    let done = store.drafts_mut().commit(draft).unwrap();
    assert_eq!(done.written.len(), typed.len());
    let saved = store.at(0).unwrap();
    for (field, _, value) in typed {
        let field = Sample::field_named(field).unwrap();
        assert_eq!(field.value(saved).to_string(), value, "{}", field.name());
    }
}
