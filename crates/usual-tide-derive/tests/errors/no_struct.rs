use usual_tide::Item;

#[derive(Clone, PartialEq, Item)]
enum Piece {
    Bowl,
    Mug,
}

#[derive(Clone, PartialEq, Item)]
struct Pair(u32, u32);

fn main() {}
