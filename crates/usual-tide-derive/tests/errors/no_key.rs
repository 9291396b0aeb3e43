use usual_tide::Item;

#[derive(Clone, PartialEq, Item)]
struct Piece {
    id: u32,
}

fn main() {}
