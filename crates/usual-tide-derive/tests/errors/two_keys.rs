use usual_tide::Item;

#[derive(Clone, PartialEq, Item)]
struct Piece {
    #[item(key)]
    id: u32,
    #[item(key)]
    number: u32,
}

fn main() {}
