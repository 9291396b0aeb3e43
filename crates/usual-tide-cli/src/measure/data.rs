//! What is measured on.

use crate::error::CommandError;
use fastrand::Rng;
use serde_json::json;
use usual_tide::Item;
use usual_tide::fields::Kind;
use usual_tide::record::{FieldName, Record, Schema};

const KINDS: [&str; 8] = [
    "bowl", "mug", "vase", "teapot", "plate", "jug", "moon jar", "saucer",
];
const LOOKS: [&str; 8] = [
    "Tall",
    "Café",
    "Wood-ash",
    "Fluted",
    "Speckled",
    "Crème",
    "Raku",
    "Half-glazed",
];
const MAKERS: [&str; 6] = [
    "Ilse Vårgren",
    "Bram O'Tey",
    "Zsófi Kandár",
    "Oona Mac Crae",
    "Çağan Ildır",
    "Thandi Mokwe-Bell",
];

/// Made-up pieces of a kiln queue; always the same.
pub(super) fn pieces(count: usize) -> Result<Vec<Record>, CommandError> {
    let mut random = Rng::with_seed(7);
    let key = crate::input::key(&crate::args::ItemOptions::default())?;
    let pieces = (0..count).map(|number| {
        let mut pick = |words: &[&'static str]| words[random.usize(..words.len())];
        let title = format!("{} {}", pick(&LOOKS), pick(&KINDS));
        let maker = pick(&MAKERS);
        let piece = json!({
            "id": format!("P-{number:07}"),
            "title": format!("{title} {}", random.u32(..10_000)),
            "maker": maker,
            "height_mm": random.u32(20..420),
            "due": format!("2026-{:02}-{:02}", random.u32(1..13), random.u32(1..29)),
            "fired": random.u8(..5) == 0,
        });
        let members = piece.as_object().cloned().unwrap_or_default();
        Ok(Record::new(members, &key)?)
    });
    pieces.collect()
}

/// The field to sort by and to search in.
pub(super) fn text_field(name: Option<&str>, items: &[Record]) -> Result<FieldName, CommandError> {
    let schema = Schema::infer(items);
    let is_key = |name: &str| {
        let first = items.first();
        first.is_some_and(|item| {
            item.get(name)
                .is_some_and(|value| value == item.key().to_value())
        })
    };
    let is_text = |kind: Kind| kind == Kind::Text;
    let found = match name {
        Some(name) => schema
            .kind(name)
            .filter(|kind| is_text(*kind))
            .map(|_| name),
        None => {
            let mut fields = schema.fields();
            fields
                .find(|(name, kind)| is_text(*kind) && !is_key(name))
                .map(|field| field.0)
        }
    };
    let found = found.ok_or_else(|| CommandError::Measure {
        why: match name {
            Some(name) => match schema.nearest(name).filter(|_| schema.kind(name).is_none()) {
                Some(nearest) => format!("there is no field {name:?}; did you mean {nearest:?}?"),
                None => format!("no field {name:?} holds text"),
            },
            None => "no field beside the key holds text: name one with --field".to_owned(),
        },
    })?;
    FieldName::parse(found).map_err(|why| CommandError::Measure {
        why: why.to_string(),
    })
}
