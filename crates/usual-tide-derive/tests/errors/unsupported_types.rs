//! What a type must have to be used, and what the compiler says when it does not.

use usual_tide::changes::ViewSink;
use usual_tide::{ChangeSet, FieldValue, Fields, Group, Item, Query, Sort, Store};

#[derive(Clone, PartialEq)]
struct Drawing(Vec<u8>);

#[derive(Clone, PartialEq, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    drawing: Drawing,
}

#[derive(Clone, PartialEq, Item)]
struct Skipped {
    #[item(key)]
    id: u32,
    #[item(skip)]
    drawing: Drawing,
}

#[derive(Clone, PartialEq, Item)]
struct Nested {
    #[item(key)]
    id: u32,
    #[item(nested)]
    drawing: Drawing,
}

#[derive(Clone, PartialEq, Item)]
struct Converted {
    #[item(key)]
    id: u32,
    #[item(text)]
    label: Label,
    #[item(through = Size)]
    shape: Drawing,
}

/// It can be read and not be shown.
#[derive(Clone, PartialEq)]
struct Label;

impl std::str::FromStr for Label {
    type Err = std::fmt::Error;

    fn from_str(_: &str) -> Result<Self, Self::Err> {
        Ok(Self)
    }
}

#[derive(Clone, PartialEq, FieldValue)]
struct Size(u32);

#[derive(Clone, PartialEq)]
struct Unkeyed;

struct Screen;

fn main() {
    let _ = Query::<Skipped>::new().sort(Sort::by(|piece: &Skipped| &piece.drawing));
    let _ = Query::<Skipped>::new().sort(Skipped::DRAWING);
    let _ = Query::<Skipped>::new().filter("fired = FALSE");
    let _ = Group::<Skipped>::by(Skipped::DRAWING);
    let _ = Store::<Unkeyed>::new();
    let _ = ChangeSet::<Skipped>::unchanged(0).drive(&mut Screen);
    let _ = <Unkeyed as Fields>::fields();
}
