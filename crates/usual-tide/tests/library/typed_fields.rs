//! Fields of types of the app's own: choices, newtypes, and nested types, also where the part may be missing.

use usual_tide::drafts::CommitProblem;
use usual_tide::fields::{InputError, Kind};
use usual_tide::text::Folding;
use usual_tide::{
    Condition, FieldValue, Fields, Group, Item, ListId, Place, Query, Rules, Sort, Store,
};

#[derive(Clone, Copy, PartialEq, Debug, FieldValue)]
enum Firing {
    #[item(rename = "raw", shown = "not fired")]
    Raw,
    Bisque,
    #[item(shown = "glaze firing")]
    Glaze,
}

#[derive(Clone, PartialEq, Eq, Hash, Debug, FieldValue)]
struct PieceId(String);

#[derive(Clone, PartialEq, Debug, Fields)]
struct Fee {
    amount: u32,
    #[item(search)]
    currency: String,
    #[item(nested)]
    paid: Option<Paid>,
}

#[derive(Clone, PartialEq, Debug, Fields)]
struct Paid {
    #[item(descending)]
    day: u32,
}

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: PieceId,
    firing: Firing,
    #[item(nested)]
    fee: Option<Fee>,
}

fn id(number: u32) -> PieceId {
    PieceId(format!("P-{number}"))
}

fn piece(number: u32, firing: Firing, amount: Option<u32>, day: Option<u32>) -> Piece {
    let fee = amount.map(|amount| Fee {
        amount,
        currency: "EUR".into(),
        paid: day.map(|day| Paid { day }),
    });
    let id = id(number);
    Piece { id, firing, fee }
}

fn store() -> Store<Piece> {
    let pieces = [
        piece(1, Firing::Glaze, Some(300), Some(4)),
        piece(2, Firing::Raw, None, None),
        piece(3, Firing::Bisque, Some(120), None),
        piece(4, Firing::Raw, Some(450), Some(9)),
    ];
    Store::load(pieces).unwrap()
}

fn shown(store: &Store<Piece>, list: ListId) -> String {
    let items = store.list(list).unwrap().items();
    items.map(|piece| piece.id.0[2..].to_owned()).collect()
}

#[test]
fn fields_of_parts_filter_sort_and_group_as_others_do() {
    let mut store = store();
    let amount = || Piece::FEE.field(Fee::AMOUNT);
    let day = || Piece::FEE.field(Fee::PAID).field(Paid::DAY);
    assert_eq!(
        (day().name(), day().path().as_pointer()),
        ("fee.paid.day", "/fee/paid/day")
    );
    assert!(amount().is_optional() && !Piece::FIRING.is_optional());
    let cases = [
        (Query::new().filter(amount().at_least(200)), "14"),
        (Query::new().filter(!amount().at_least(200)), "3"),
        (Query::new().filter(amount().is_missing()), "2"),
        (Query::new().sort(amount().ascending()), "3142"),
        (Query::new().sort(amount().descending()), "4132"),
        (
            Query::new().sort(Sort::from(amount()).missing_first()),
            "2314",
        ),
        (Query::new().sort(day()), "4123"),
        (Query::new().group(Group::by(day())), "1423"),
        (
            Query::new().sort(Sort::parse("fee.amount").unwrap()),
            "3142",
        ),
        (
            Query::new().filter(Condition::parse("fee.paid.day > 4").unwrap()),
            "4",
        ),
    ];
    for (query, expected) in cases {
        let list = store.bind(query);
        assert_eq!(shown(&store, list), expected);
        // The same for what is known by name.
        store
            .edit(&id(3), |piece| piece.fee.as_mut().unwrap().amount += 1)
            .unwrap();
        store.check().unwrap();
        store.history_mut().undo().unwrap();
    }
}

#[test]
fn a_draft_of_a_part_is_typed_and_checked_and_a_missing_part_is_told() {
    let mut store = store();
    let amount = || Piece::FEE.field(Fee::AMOUNT);
    store
        .set_rules(
            Rules::new()
                .range(amount(), 1..=500)
                .unique(amount(), Folding::Exact),
        )
        .unwrap();
    let mut draft = store.drafts_mut().begin(&id(1)).unwrap();
    draft.set(amount(), 450).unwrap();
    let refused = store.drafts_mut().commit(draft).unwrap_err();
    let CommitProblem::Invalid { failed, .. } = &refused.problem else {
        panic!()
    };
    assert_eq!(failed[0].field, "fee.amount");
    let mut draft = *refused.draft;
    draft.type_text("fee.amount", "480").unwrap();
    let done = store.drafts_mut().commit(draft).unwrap();
    assert_eq!(done.written[0].to_string(), "fee.amount");

    let mut draft = store.drafts_mut().begin(&id(2)).unwrap();
    let missing = InputError::MissingPart { part: "fee".into() };
    assert_eq!(draft.set(amount(), 1), Err(missing.clone()));
    assert_eq!(draft.type_text("fee.amount", "1"), Err(missing));
    let day = draft
        .set(Piece::FEE.field(Fee::PAID).field(Paid::DAY), 1)
        .unwrap_err();
    assert_eq!(
        day.to_string(),
        "\"fee.paid\" is missing: set it as a whole first"
    );

    // A part that came on one side is taken along with the other side's edit.
    let fee = piece(2, Firing::Raw, Some(7), None).fee;
    let mut draft = store.drafts_mut().begin(&id(2)).unwrap();
    draft.edit(|piece| piece.fee.clone_from(&fee)).unwrap();
    store
        .from_source(|store| store.edit(&id(2), |piece| piece.firing = Firing::Glaze))
        .unwrap();
    store.drafts_mut().commit(draft).unwrap();
    assert_eq!(
        *store.get(&id(2)).unwrap().as_ref(),
        Piece {
            fee,
            ..piece(2, Firing::Glaze, None, None)
        }
    );
}

#[test]
fn choices_sort_by_their_order_and_are_named_in_text() {
    let mut store = store();
    let by_firing = store.bind(Query::new().sort(Piece::FIRING.descending()));
    assert_eq!(shown(&store, by_firing), "1324");
    let by_text = store.bind(Query::new().sort(Sort::parse("-firing").unwrap()));
    assert_eq!(shown(&store, by_text), "1324");
    let grouped = store.bind(Query::new().group(Group::parse("firing").unwrap()));
    let headings: Vec<String> = store
        .list(grouped)
        .unwrap()
        .sections()
        .map(|section| section.heading().to_owned())
        .collect();
    assert_eq!(headings, ["not fired", "Bisque", "glaze firing"]);
    for (text, expected) in [
        ("firing = 'raw'", "24"),
        ("firing > 'raw'", "13"),
        ("firing IN ('Bisque', 'Glaze')", "13"),
        ("firing LIKE 'B%'", "3"),
        ("firing = 'salt'", ""),
    ] {
        let list = store.bind(Query::new().filter(Condition::parse(text).unwrap()));
        assert_eq!(shown(&store, list), expected, "{text}");
    }
    let bisque = store.bind(Query::new().filter(Piece::FIRING.at_least(Firing::Bisque)));
    assert_eq!(shown(&store, bisque), "13");

    let field = Piece::field_named("firing").unwrap();
    let names: Vec<&str> = field.choices().iter().map(|choice| choice.name()).collect();
    assert_eq!(
        (field.kind(), names),
        (Kind::Choice, vec!["raw", "Bisque", "Glaze"])
    );
    let mut draft = store.drafts_mut().begin(&id(1)).unwrap();
    assert_eq!(draft.typed("firing").unwrap(), "glaze firing");
    let refused = draft.type_text("firing", "salt").unwrap_err();
    assert_eq!(
        refused.to_string(),
        "\"salt\" is not one of raw, Bisque, Glaze"
    );
    draft.type_text("firing", " not fired ").unwrap();
    store.drafts_mut().commit(draft).unwrap();
    assert_eq!(store.get(&id(1)).unwrap().firing, Firing::Raw);
}

#[test]
#[cfg(feature = "record")]
fn a_newtype_is_a_key_and_all_is_written_as_json() {
    use serde_json::json;
    let mut store = store();
    let list = store.bind(Query::new());
    let feed = store.feed(list).unwrap();
    store.move_to(&id(4), Place::Start).unwrap();
    store
        .edit(&id(4), |piece| piece.firing = Firing::Bisque)
        .unwrap();
    let changes = feed.read(&store).unwrap().unwrap();
    assert_eq!(
        changes.to_json()["updated"][0],
        json!({"from": 3, "to": 0, "key": "P-4", "fields": ["/firing"], "item": {
            "id": "P-4", "firing": "Bisque", "fee": {"amount": 450, "currency": "EUR", "paid": {"day": 9}},
        }})
    );
    assert_eq!(changes.to_json()["moved"][0]["key"], "P-4");
    // A missing part is null as a whole.
    assert_eq!(
        store.get(&id(2)).unwrap().to_json(),
        json!({"id": "P-2", "firing": "raw", "fee": null})
    );
}
