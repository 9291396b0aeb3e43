//! The values of a record, in one text.

use std::cmp::Ordering;

/// What a value is.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Tag {
    Null,
    False,
    True,
    /// A number, as it was written.
    Number,
    Text,
    /// A long text, which records share: its place among those of the record.
    Shared,
    List,
    /// An object in a list: a list of names and values by turns.
    Object,
}

const TAG_BITS: u32 = 3;
const UNIT_BITS: u32 = 7;
/// Units of an entry while all values together are short, and otherwise.
const NARROW: usize = 2;
const WIDE: usize = 6;
/// The longest that the values of a narrow block are together.
const NARROW_MOST: usize = (1 << (NARROW as u32 * UNIT_BITS - TAG_BITS)) - 1;
/// Units of the number of a list's values.
const COUNT: usize = 5;

impl Tag {
    const ALL: [Self; 8] = [
        Self::Null,
        Self::False,
        Self::True,
        Self::Number,
        Self::Text,
        Self::Shared,
        Self::List,
        Self::Object,
    ];

    pub(super) fn flag(flag: bool) -> Self {
        if flag { Self::True } else { Self::False }
    }
}

/// Values in a text: first what each is and where it ends, in units of seven bits, so that all of it is text, then
/// one value after the other.
#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) struct Values<'a> {
    text: &'a str,
    len: usize,
}

impl<'a> Values<'a> {
    pub(super) fn new(text: &'a str, len: usize) -> Self {
        Self { text, len }
    }

    /// The values that a list's text holds.
    pub(super) fn of_list(text: &'a str) -> Self {
        let len = read_units(&text.as_bytes()[..COUNT.min(text.len())]) as usize;
        Self::new(text.get(COUNT..).unwrap_or_default(), len)
    }

    /// The text of a list of these values.
    pub(super) fn to_list(self) -> String {
        let mut text = String::with_capacity(COUNT + self.text.len());
        push_units(&mut text, COUNT, self.len as u64);
        text.push_str(self.text);
        text
    }

    pub(super) fn len(&self) -> usize {
        self.len
    }

    #[inline]
    fn width(&self) -> usize {
        match self.text.len().saturating_sub(NARROW * self.len) > NARROW_MOST {
            true => WIDE,
            false => NARROW,
        }
    }

    #[inline]
    fn entry(&self, width: usize, at: usize) -> u64 {
        match self.text.as_bytes().get(at * width..(at + 1) * width) {
            // Nearly all are.
            Some([low, high]) => u64::from(*low) | u64::from(*high) << UNIT_BITS,
            units => read_units(units.unwrap_or_default()),
        }
    }

    /// A value: what it is, and its text. O(1).
    #[inline]
    pub(super) fn get(&self, at: usize) -> Option<(Tag, &'a str)> {
        if at >= self.len {
            return None;
        }
        let width = self.width();
        let values = width * self.len;
        let start = match at.checked_sub(1) {
            Some(before) => self.entry(width, before) >> TAG_BITS,
            None => 0,
        };
        let entry = self.entry(width, at);
        let end = values + (entry >> TAG_BITS) as usize;
        let text = self.text.get(values + start as usize..end)?;
        Some((Tag::ALL[entry as usize % Tag::ALL.len()], text))
    }

    pub(super) fn iter(self) -> impl Iterator<Item = (Tag, &'a str)> {
        (0..self.len).map_while(move |at| self.get(at))
    }

    /// The texts of all values, one after the other.
    fn texts(&self, width: usize) -> &'a [u8] {
        let bytes = self.text.as_bytes();
        bytes.get(width * self.len..).unwrap_or_default()
    }

    /// The places of values that are not the same to the letter in another block of as many, and of shared texts, of which a
    /// block does not tell. O(length).
    pub(super) fn differing(self, other: Values<'_>) -> impl Iterator<Item = usize> {
        let (width, other_width) = (self.width(), other.width());
        let (mine, others) = (self.texts(width), other.texts(other_width));
        let (mut start, mut other_start) = (0, 0);
        (0..self.len.min(other.len)).filter(move |at| {
            let entries = (self.entry(width, *at), other.entry(other_width, *at));
            let ends = (
                (entries.0 >> TAG_BITS) as usize,
                (entries.1 >> TAG_BITS) as usize,
            );
            let tags = (
                entries.0 as usize % Tag::ALL.len(),
                entries.1 as usize % Tag::ALL.len(),
            );
            let same = tags.0 == tags.1
                && tags.0 != Tag::Shared as usize
                && mine.get(start..ends.0) == others.get(other_start..ends.1);
            (start, other_start) = ends;
            !same
        })
    }

    /// The same values with another at one place. O(length).
    pub(super) fn with(&self, at: usize, tag: Tag, text: &str) -> Box<str> {
        let old = self.get(at).map_or(0, |(_, text)| text.len());
        let width = self.width();
        let values = self.text.get(width * self.len..).unwrap_or_default();
        let start = match at.checked_sub(1) {
            Some(before) => (self.entry(width, before) >> TAG_BITS) as usize,
            None => 0,
        };
        let new_len = values.len() - old + text.len();
        let new_width = width_of(new_len);
        let mut block = String::with_capacity(new_width * self.len + new_len);
        for place in 0..self.len {
            let entry = self.entry(width, place);
            let end = entry >> TAG_BITS;
            push_units(
                &mut block,
                new_width,
                match place.cmp(&at) {
                    Ordering::Less => entry,
                    Ordering::Equal => entry_of(start + text.len(), tag),
                    Ordering::Greater => {
                        let end = end as usize - old + text.len();
                        entry_of(end, Tag::ALL[entry as usize % Tag::ALL.len()])
                    }
                },
            );
        }
        block.push_str(values.get(..start).unwrap_or_default());
        block.push_str(text);
        block.push_str(values.get(start + old..).unwrap_or_default());
        block.into_boxed_str()
    }
}

/// Writes values into a block.
#[derive(Debug, Default)]
pub(super) struct ValueWriter {
    entries: Vec<u64>,
    text: String,
}

impl ValueWriter {
    pub(super) fn clear(&mut self) {
        self.entries.clear();
        self.text.clear();
    }

    pub(super) fn push(&mut self, tag: Tag, text: &str) {
        self.text.push_str(text);
        self.end(tag);
    }

    /// A list, or an object in one.
    pub(super) fn push_list(&mut self, tag: Tag, values: &Self) {
        push_units(&mut self.text, COUNT, values.entries.len() as u64);
        values.append_to(&mut self.text);
        self.end(tag);
    }

    fn end(&mut self, tag: Tag) {
        self.entries.push(entry_of(self.text.len(), tag));
    }

    fn width(&self) -> usize {
        width_of(self.text.len())
    }

    fn append_to(&self, block: &mut String) {
        let width = self.width();
        block.reserve(width * self.entries.len() + self.text.len());
        for entry in &self.entries {
            push_units(block, width, *entry);
        }
        block.push_str(&self.text);
    }

    /// What was written as a list.
    pub(super) fn finish_list(&self) -> String {
        let mut text = String::new();
        push_units(&mut text, COUNT, self.entries.len() as u64);
        self.append_to(&mut text);
        text
    }

    pub(super) fn finish(&self) -> Box<str> {
        let mut block = String::new();
        block.reserve_exact(self.width() * self.entries.len() + self.text.len());
        self.append_to(&mut block);
        block.into_boxed_str()
    }
}

/// Units of an entry where all values together are so long.
fn width_of(values: usize) -> usize {
    match values > NARROW_MOST {
        true => WIDE,
        false => NARROW,
    }
}

fn entry_of(end: usize, tag: Tag) -> u64 {
    (end as u64) << TAG_BITS | tag as u64
}

fn push_units(text: &mut String, units: usize, number: u64) {
    for unit in 0..units as u32 {
        let bits = number >> (unit * UNIT_BITS) & ((1 << UNIT_BITS) - 1);
        text.push(char::from(bits as u8));
    }
}

fn read_units(units: &[u8]) -> u64 {
    units
        .iter()
        .rev()
        .fold(0, |number, unit| number << UNIT_BITS | u64::from(*unit))
}
