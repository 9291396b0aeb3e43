use usual_tide::{Fields, Item};

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

fn main() {}
