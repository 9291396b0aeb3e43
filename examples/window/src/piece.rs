//! The item, its rules, and how it can be sorted and grouped.

use jiff::civil::{Date, date};
use usual_tide::query::Period;
use usual_tide::{Group, Item, Rules, Sort};

/// A piece that waits for the kiln.
#[derive(Clone, PartialEq, Debug, Item)]
pub struct Piece {
    #[item(key)]
    pub id: u64,
    #[item(search)]
    pub title: String,
    pub shelf: String,
    pub height_mm: u32,
    pub due: Date,
    pub fired: bool,
}

/// What every piece must be, whoever types it.
pub fn rules() -> Rules<Piece> {
    Rules::new()
        .trim(Piece::TITLE)
        .required(Piece::TITLE)
        .range(Piece::HEIGHT_MM, 10..=900)
}

/// The orders that a person can choose; the first is the source's own, in which pieces are moved by hand.
pub const SORTS: [&str; 4] = ["by hand", "title", "tallest first", "due"];

/// The order with a number of [`SORTS`].
pub fn sort(choice: usize) -> Option<Sort<Piece>> {
    match choice {
        1 => Some(Piece::TITLE.ascending()),
        2 => Some(Piece::HEIGHT_MM.descending()),
        3 => Some(Piece::DUE.ascending()),
        _ => None,
    }
}

/// The ways to group.
pub const GROUPS: [&str; 3] = ["no groups", "shelf", "week"];

/// The grouping with a number of [`GROUPS`]. A piece that is dragged to another shelf gets that shelf.
pub fn group(choice: usize) -> Option<Group<Piece>> {
    match choice {
        1 => Some(Group::by(Piece::SHELF).regroup()),
        2 => Some(Group::by_period(Piece::DUE, Period::Week)),
        _ => None,
    }
}

/// A piece that is still to be named.
pub fn blank(id: u64) -> Piece {
    Piece {
        id,
        title: String::new(),
        shelf: "A1".to_owned(),
        height_mm: 100,
        due: date(2026, 3, 20),
        fired: false,
    }
}

/// Made-up pieces to begin with.
pub fn samples() -> Vec<Piece> {
    let kinds = ["Bowl", "Mug", "Vase", "Plate", "Jug", "Teapot", "Egg cup"];
    let looks = ["Ash-glazed", "Ribbed", "Twisted", "Slipware", "Raku"];
    let shelves = ["A1", "A2", "B1", "C2"];
    (1..=36_u64)
        .map(|id| {
            let turn = id as usize;
            let (look, kind) = (looks[turn * 3 % 5], kinds[turn * 5 % 7]);
            Piece {
                id,
                title: format!("{look} {}", kind.to_lowercase()),
                shelf: shelves[turn * 7 % 4].to_owned(),
                height_mm: 60 + (turn as u32 * 37) % 320,
                due: date(2026, 3, 2 + (turn * 11 % 26) as i8),
                fired: id % 6 == 0,
            }
        })
        .collect()
}
