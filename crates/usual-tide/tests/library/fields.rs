//! Fields of structs by name: read, shown, typed, compared.

use jiff::Timestamp;
use jiff::civil::{Date, date};
use proptest::prelude::*;
use rust_decimal::Decimal;
use std::cmp::Ordering;
use std::sync::Arc;
use usual_tide::fields::{InputError, Kind, Value};
use usual_tide::text::Folding;
use usual_tide::{FieldValue, Fields, Item, Store};

/// An amount that is shown with its currency and edited as two values.
#[derive(Clone, PartialEq, Debug, Default, Fields)]
struct Fee {
    amount: Decimal,
    currency: String,
}

/// A type that shows itself in its own way.
#[derive(Clone, PartialEq, Debug)]
struct Shelf(char, u8);

impl FieldValue for Shelf {
    const KIND: Kind = Kind::Text;

    fn value(&self) -> Value<'_> {
        Value::from(format!("{}{}", self.0, self.1))
    }

    fn from_value(value: Value<'_>) -> Result<Self, InputError> {
        let text = value.as_text().unwrap_or_default();
        let parts = text
            .chars()
            .next()
            .zip(text.get(1..).and_then(|number| number.parse().ok()));
        let (row, number) =
            parts.ok_or(InputError::Other("a shelf is a letter and a number".into()))?;
        Ok(Self(row, number))
    }

    fn shown(&self) -> String {
        format!("shelf {}, board {}", self.0, self.1)
    }
}

#[derive(Clone, PartialEq, Debug, Item)]
struct Piece {
    #[item(key)]
    id: Arc<str>,
    #[item(rename = "name", search)]
    title: String,
    #[item(format = in_millimetres)]
    height_mm: u16,
    offset: i8,
    weight_kg: f32,
    due: Option<Date>,
    received: Timestamp,
    fired: bool,
    shelf: Shelf,
    tags: Vec<String>,
    size: [u8; 2],
    #[item(nested, format = in_words)]
    fee: Fee,
    #[item(skip)]
    drawing: std::ops::Range<u8>,
}

fn in_words(fee: &Fee) -> String {
    let sign = if fee.currency == "EUR" {
        "€"
    } else {
        &fee.currency
    };
    format!("{sign} {}", fee.amount)
}

fn in_millimetres(height: &u16) -> String {
    format!("{height} mm")
}

fn piece() -> Piece {
    Piece {
        id: "P-0412".into(),
        title: "Celadon bowl".into(),
        height_mm: 120,
        offset: -3,
        weight_kg: 0.1,
        due: Some(date(2026, 3, 5)),
        received: "2026-03-01T09:30:00+02:00".parse().unwrap(),
        fired: false,
        shelf: Shelf('A', 1),
        tags: vec!["blue".into(), "tall".into()],
        size: [3, 4],
        fee: Fee {
            amount: "12.50".parse().unwrap(),
            currency: "EUR".into(),
        },
        drawing: 0..7,
    }
}

#[test]
fn every_field_has_a_name_a_value_and_a_text() {
    let piece = piece();
    let told: Vec<String> = Piece::fields()
        .iter()
        .map(|field| {
            format!(
                "{} [{}] {} | {}",
                field.name(),
                field.kind(),
                field.shown(&piece),
                field.typed(&piece)
            )
        })
        .collect();
    let expected = [
        "id [text] P-0412 | P-0412",
        "name [text] Celadon bowl | Celadon bowl",
        "height_mm [a whole number] 120 mm | 120",
        "offset [a whole number] -3 | -3",
        "weight_kg [a number] 0.1 | 0.1",
        "due [a date such as 2026-03-05] 2026-03-05 | 2026-03-05",
        "received [a date and time such as 2026-03-05T14:30:00Z] 2026-03-01T07:30:00Z | 2026-03-01T07:30:00Z",
        "fired [true or false] false | false",
        "shelf [text] shelf A, board 1 | A1",
        "tags [a list] blue, tall | blue, tall",
        "size [a list] 3, 4 | 3, 4",
        "fee [text] € 12.50 | € 12.50",
        "fee.amount [a number] 12.50 | 12.50",
        "fee.currency [text] EUR | EUR",
    ];
    assert_eq!(told, expected);
    assert_eq!(Piece::FEE.name(), "fee");
    assert_eq!(Piece::DRAWING.get(&piece), Some(&(0..7)));
}

#[test]
fn what_a_form_begins_with_can_be_read_back() {
    for field in Piece::fields()
        .into_iter()
        .filter(|field| !field.is_read_only())
    {
        let mut copy = piece();
        field.read(&mut copy, &field.typed(&piece())).unwrap();
        let value = field.value(&piece()).into_owned();
        field.set(&mut copy, value).unwrap();
        assert_eq!(copy, piece(), "{}", field.name());
        let mut other = Piece {
            id: "P-1".into(),
            title: "".into(),
            ..piece()
        };
        let before = other.clone();
        field.copy(&piece(), &mut other);
        assert_eq!(field.value(&other), field.value(&piece()));
        assert!(
            before
                .changed_fields(&other)
                .iter()
                .all(|path| *path == field.path())
        );
    }
}

#[test]
fn what_cannot_be_read_is_told_and_changes_nothing() {
    let refused = |name: &str, text: &str| {
        let mut copy = piece();
        let why = Piece::field_named(name)
            .unwrap()
            .read(&mut copy, text)
            .unwrap_err();
        assert_eq!(copy, piece());
        why.to_string()
    };
    assert_eq!(
        refused("height_mm", "70000"),
        "70000 is out of range: it can be 0 to 65535"
    );
    assert_eq!(refused("height_mm", "1.5"), "\"1.5\" is not a whole number");
    assert_eq!(
        refused("height_mm", " "),
        "a value is needed: a whole number"
    );
    assert_eq!(
        refused("offset", "-129"),
        "-129 is out of range: it can be -128 to 127"
    );
    assert_eq!(refused("weight_kg", "inf"), "\"inf\" is not a number");
    assert_eq!(
        refused("due", "2026-02-30"),
        "\"2026-02-30\" is not a date such as 2026-03-05"
    );
    assert_eq!(
        refused("due", "2026-3-5"),
        "\"2026-3-5\" is not a date such as 2026-03-05"
    );
    assert_eq!(
        refused("received", "2026-03-01 09:30"),
        "\"2026-03-01 09:30\" is not a date and time such as 2026-03-05T14:30:00Z"
    );
    assert_eq!(refused("fired", "yes"), "\"yes\" is not true or false");
    assert_eq!(refused("shelf", "top"), "a shelf is a letter and a number");
    assert_eq!(refused("size", "1, 2, 3"), "\"1, 2, 3\" is not a list of 2");
    assert_eq!(refused("fee.amount", "12,50"), "\"12,50\" is not a number");
    let mut copy = piece();
    Piece::field_named("due")
        .unwrap()
        .read(&mut copy, " ")
        .unwrap();
    assert_eq!(copy.due, None);
    let fee = Piece::field_named("fee").unwrap();
    assert_eq!(fee.read(&mut copy, "€ 3"), Err(InputError::ReadOnly));
    assert_eq!(fee.set(&mut copy, "€ 3".into()), Err(InputError::ReadOnly));
    assert!(Piece::field_named("drawing").is_none());
    let searched = Piece::fields()
        .into_iter()
        .filter(|field| field.is_searched());
    assert_eq!(
        searched
            .map(|field| field.name().to_owned())
            .collect::<Vec<_>>(),
        ["name"]
    );
}

#[test]
fn differences_are_named_as_deep_as_the_fields_go() {
    let mut later = piece();
    later.title.push('!');
    later.fee.currency = "SEK".into();
    later.drawing = 1..2;
    let paths: Vec<String> = piece()
        .changed_fields(&later)
        .iter()
        .map(ToString::to_string)
        .collect();
    assert_eq!(paths, ["name", "fee.currency", "drawing"]);
    let found: Vec<bool> = piece()
        .changed_fields(&later)
        .iter()
        .map(|path| Piece::field_at(path).is_some())
        .collect();
    assert_eq!(found, [true, true, true]);
}

/// Numbers of every kind, with what they are as exact fractions of 2^-20.
fn number() -> impl Strategy<Value = (Value<'static>, i128)> {
    const UNIT: i128 = 1 << 20;
    prop_oneof![
        (-40..40_i128).prop_map(|whole| (Value::Integer(whole), whole * UNIT)),
        (-160..160_i32).prop_map(|quarters| (
            Value::Float(f64::from(quarters) / 4.0),
            i128::from(quarters) * UNIT / 4
        )),
        (-160..160_i64).prop_map(|quarters| {
            (
                Value::Decimal(Decimal::new(quarters * 25, 2)),
                i128::from(quarters) * UNIT / 4,
            )
        }),
    ]
}

proptest! {
    #[test]
    fn numbers_of_all_kinds_compare_by_their_exact_value(one in number(), two in number()) {
        prop_assert_eq!(one.0.compare(&two.0), Some(one.1.cmp(&two.1)));
    }
}

#[test]
fn large_numbers_are_not_rounded_when_they_are_compared() {
    let large = (1_i128 << 53) + 1;
    assert_eq!(
        Value::Integer(large).compare(&Value::Float(9_007_199_254_740_992.0)),
        Some(Ordering::Greater)
    );
    assert_eq!(
        Value::Float(1e30).compare(&Value::Integer(10_i128.pow(30))),
        Some(Ordering::Greater),
        "1e30 is a little more"
    );
    assert_eq!(
        Value::Integer(i128::MAX).compare(&Value::Decimal(Decimal::MAX)),
        Some(Ordering::Greater)
    );
    assert_eq!(
        Value::Float(0.1).compare(&Value::Decimal("0.1".parse().unwrap())),
        Some(Ordering::Greater),
        "as a float it is a little more"
    );
    assert_eq!(Value::Float(f64::NAN).compare(&Value::Integer(1)), None);
    assert_eq!(
        Value::Float(f64::MAX).compare(&Value::Integer(i128::MAX)),
        Some(Ordering::Greater)
    );
}

#[test]
fn folding_follows_unicode() {
    let both = |text: &str| Folding::CaseAndAccents.fold(text);
    // Turkish letters by the default folding, final sigma, sharp s, combining marks, a ligature of Greek.
    assert_eq!(both("İstanbul"), both("istanbul"));
    assert_eq!(both("ΟΔΟΣ"), both("οδός"));
    assert_eq!(both("GROẞ"), both("gross"));
    assert_eq!(both("A\u{0301}\u{0323}b"), "ab");
    assert_ne!(both("ı"), both("i"));
    assert_eq!(
        Folding::Exact.fold("e\u{0301}"),
        "é",
        "however it is encoded"
    );
    assert_ne!(Folding::Case.fold("É"), Folding::Case.fold("e"));
    assert_eq!(Folding::Accents.fold("É"), "E");
    assert_eq!(Folding::Case.fold("ABC"), "abc");
}

#[test]
fn fields_of_any_name_are_found_by_their_path_and_merged_by_field() {
    #[derive(Clone, PartialEq, Debug, Fields)]
    struct Speed {
        #[item(rename = "km/h")]
        kmh: u32,
    }
    #[derive(Clone, PartialEq, Debug, Item)]
    struct Run {
        #[item(key)]
        id: u32,
        #[item(rename = "a.b")]
        dotted: u32,
        #[item(rename = "c~d")]
        tilde: u32,
        #[item(nested)]
        speed: Speed,
    }
    let run = Run {
        id: 1,
        dotted: 0,
        tilde: 0,
        speed: Speed { kmh: 0 },
    };
    let mut store = Store::load([run]).unwrap();
    store.writes_mut().track();
    store
        .edit(&1, |run| {
            run.dotted = 1;
            run.tilde = 2;
            run.speed.kmh = 3;
        })
        .unwrap();
    let write = store.writes().pending().next().unwrap().clone();
    let (before, after) = (
        write.before.as_ref().unwrap(),
        write.after.as_ref().unwrap(),
    );
    let changed = before.changed_fields(after);
    let paths: Vec<&str> = changed.iter().map(|path| path.as_pointer()).collect();
    assert_eq!(paths, ["/a.b", "/c~0d", "/speed/km~1h"]);
    for path in &changed {
        assert_eq!(Run::field_at(path).unwrap().path(), *path);
    }
    // The source changes another field meanwhile, and each field of the edit stays on top.
    for (field, expected) in [("a.b", 1), ("c~d", 2), ("speed.km/h", 3)] {
        let mut draft = store.drafts_mut().begin(&1).unwrap();
        store
            .from_source(|store| store.edit(&1, |run| run.id = 1))
            .unwrap();
        assert_eq!(draft.typed(field).unwrap(), expected.to_string());
        draft.type_text(field, "9").unwrap();
        store
            .from_source(|store| {
                store.edit(&1, |run| match field {
                    "a.b" => run.tilde += 10,
                    _ => run.dotted += 10,
                })
            })
            .unwrap();
        store.drafts_mut().commit(draft).unwrap();
    }
}
