//! The items of the benches: a piece in the kiln queue, and a lean row that is little more than its key.

use crate::floor::Random;
use usual_tide::Item;

/// What the benches ask of an item.
pub(crate) trait BenchItem: Item<Key = u64> {
    /// How the item is called in the table.
    const NAME: &'static str;

    fn of(key: u64, random: &mut Random) -> Self;

    fn set_rank(&mut self, rank: u64);

    fn many(rows: usize, random: &mut Random) -> Vec<Self> {
        (0..rows as u64).map(|key| Self::of(key, random)).collect()
    }
}

/// A piece that waits to be fired. The title has 24 bytes; the rank is its place in the queue.
#[derive(Clone, PartialEq, Debug, Item)]
pub(crate) struct Piece {
    #[item(key)]
    pub(crate) id: u64,
    pub(crate) title: String,
    pub(crate) maker: String,
    pub(crate) clay: u8,
    pub(crate) glaze: Option<u8>,
    pub(crate) height_mm: u32,
    pub(crate) fee_cents: i64,
    pub(crate) due_day: i32,
    pub(crate) received_second: i64,
    pub(crate) shelf: [u8; 2],
    pub(crate) fired: bool,
    pub(crate) note: Option<String>,
    pub(crate) rank: u64,
}

/// A key, a title, and two more fields.
#[derive(Clone, PartialEq, Debug, Item)]
pub(crate) struct Lean {
    #[item(key)]
    pub(crate) id: u64,
    pub(crate) title: String,
    pub(crate) rank: u64,
    pub(crate) fired: bool,
}

const WORDS: [&str; 12] = [
    "ash", "bowl", "blue", "carved", "celadon", "jar", "moon", "raku", "shino", "slip", "tall",
    "vase",
];

/// Words first, so that many titles begin alike; 24 bytes in all.
fn title(random: &mut Random) -> String {
    let mut title = format!("{} {} ", WORDS[random.below(12)], WORDS[random.below(12)]);
    while title.len() < 24 {
        title.push(char::from(b'a' + random.below(26) as u8));
    }
    title
}

impl BenchItem for Piece {
    const NAME: &'static str = "pieces";

    fn of(id: u64, random: &mut Random) -> Self {
        Self {
            id,
            title: title(random),
            maker: format!("Maker {}", random.below(40)),
            clay: random.below(5) as u8,
            glaze: Some(random.below(8) as u8).filter(|glaze| *glaze > 0),
            height_mm: 20 + random.below(400) as u32,
            fee_cents: 100 + random.below(3000) as i64,
            due_day: 20_000 + random.below(60) as i32,
            received_second: 1_700_000_000 + id as i64 * 60,
            shelf: [b'A' + random.below(3) as u8, b'1' + random.below(3) as u8],
            fired: random.next().is_multiple_of(10),
            note: (random.below(4) == 0).then(|| "keep apart, runny glaze".to_owned()),
            rank: random.next(),
        }
    }

    fn set_rank(&mut self, rank: u64) {
        self.rank = rank;
    }
}

impl BenchItem for Lean {
    const NAME: &'static str = "lean rows";

    fn of(id: u64, random: &mut Random) -> Self {
        Self {
            id,
            title: title(random),
            rank: random.next(),
            fired: random.next().is_multiple_of(10),
        }
    }

    fn set_rank(&mut self, rank: u64) {
        self.rank = rank;
    }
}
