use usual_tide::{FieldValue, Fields, Item};

#[derive(Clone, PartialEq, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    #[item(hidden)]
    title: String,
}

#[derive(Clone, PartialEq, Item)]
struct Mug {
    #[item(key)]
    id: u32,
    #[item(skip, search)]
    title: String,
}

#[derive(Clone, PartialEq, Item)]
struct Jug {
    #[item(key)]
    id: u32,
    #[item(rename = "")]
    title: String,
}

#[derive(Clone, PartialEq, Item)]
struct Bowl {
    #[item(key)]
    id: u32,
    #[item(nested, search)]
    fee: Fee,
}

#[derive(Clone, PartialEq, Fields)]
struct Fee {
    #[item(key)]
    amount: u32,
}

#[derive(Clone, PartialEq, Item)]
struct Vase {
    #[item(key)]
    id: u32,
    #[item(rename = "id")]
    number: u32,
}

#[derive(Clone, PartialEq, Item)]
struct Plate {
    #[item(key)]
    id: u32,
    #[item(text, through = u32)]
    size: u64,
}

#[derive(Clone, PartialEq, Item)]
#[item(name = "cup")]
struct Cup {
    #[item(key)]
    id: u32,
}

#[derive(Clone, PartialEq, FieldValue)]
#[item(json = shown)]
struct Shelf(u32);

fn main() {}
