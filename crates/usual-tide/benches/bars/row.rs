//! The item of the benches: a key, a title of 24 bytes, and two more fields.

use crate::floor::Random;
use usual_tide::Item;

#[derive(Clone, PartialEq, Debug, Item)]
pub struct Row {
    #[item(key)]
    pub key: u64,
    pub title: String,
    pub rank: u64,
    pub on: bool,
}

const WORDS: [&str; 12] = [
    "ash", "bowl", "blue", "carved", "celadon", "jar", "moon", "raku", "shino", "slip", "tall",
    "vase",
];

impl Row {
    pub fn of(key: u64, random: &mut Random) -> Self {
        // Words first, so that many titles begin alike.
        let mut title = format!("{} {} ", WORDS[random.below(12)], WORDS[random.below(12)]);
        while title.len() < 24 {
            title.push(char::from(b'a' + random.below(26) as u8));
        }
        Self {
            key,
            title,
            rank: random.next(),
            on: !random.next().is_multiple_of(10),
        }
    }

    pub fn many(rows: usize, random: &mut Random) -> Vec<Self> {
        (0..rows as u64).map(|key| Self::of(key, random)).collect()
    }
}
