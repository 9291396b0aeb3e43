//! Words that a person searches for, found in text.

use super::column::ByteColumn;
use super::fold::searched;
use super::places::Places;
use super::starts::WordStarts;
use memchr::memmem::Finder;
use std::ops::Range;
use unicode_segmentation::UnicodeSegmentation;

/// The words of a search, folded.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(crate) struct Words {
    words: Vec<String>,
    at_start: bool,
}

/// The words of a search, to be found in folded text that is kept.
pub(crate) struct Finders<'a> {
    words: Vec<Finder<'a>>,
    at_start: bool,
}

impl Finders<'_> {
    /// Whether an item holds all words; `ask` asks the item itself, where the cached text does not answer.
    pub(crate) fn hold(
        &self,
        column: &ByteColumn,
        item: usize,
        ask: impl FnOnce() -> bool,
    ) -> bool {
        if self.at_start && !column.is_plain(item) {
            return ask();
        }
        let text = column.get(item).unwrap_or_default();
        self.words.iter().all(|word| self.has(word, text))
    }

    /// Finds the items of a part of a column that hold all words, each once.
    pub(crate) fn find(
        &self,
        column: &ByteColumn,
        part: Range<usize>,
        ask: impl Fn(usize) -> bool,
        mut found: impl FnMut(usize),
    ) {
        let Some((first, others)) = self.words.split_first() else {
            return;
        };
        column.find(part, first.needle(), |item, place| {
            if self.at_start {
                if !column.is_plain(item) {
                    if ask(item) {
                        found(item);
                    }
                    return true;
                }
                if !is_word_start(column.get(item).unwrap_or_default(), place) {
                    return false;
                }
            }
            let text = column.get(item).unwrap_or_default();
            if others.iter().all(|word| self.has(word, text)) {
                found(item);
            }
            true
        });
    }

    /// Whether all words are in a text where words start.
    #[cfg(feature = "suggestions")]
    pub(crate) fn all_start_in(&self, text: &WordStarts) -> bool {
        self.words.iter().all(|word| text.has_at_start(word))
    }

    /// Whether a text holds a word: ASCII text, where a word must be found at a start.
    fn has(&self, word: &Finder<'_>, text: &[u8]) -> bool {
        if !self.at_start {
            return word.find(text).is_some();
        }
        Places::new(word, text).any(|place| is_word_start(text, place))
    }
}

/// Whether a word of an ASCII text starts at a place.
pub(super) fn is_word_start(text: &[u8], place: usize) -> bool {
    let is_letter = |at: usize| text.get(at).is_some_and(u8::is_ascii_alphanumeric);
    is_letter(place) && !place.checked_sub(1).is_some_and(is_letter)
}

/// A text as it is searched, with the way back to the text as it is shown.
pub(super) struct Folded {
    pub(super) text: String,
    /// For each byte the grapheme that it came from.
    origins: Vec<usize>,
    /// Each grapheme's bytes in the shown text, and whether a word starts there.
    graphemes: Vec<(Range<usize>, bool)>,
}

/// Words that are looked for in all others.
const LOOKED_FOR: usize = 16;

impl Words {
    /// The words of a text; those shorter than this many characters are left out.
    pub(crate) fn read(text: &str, shortest: usize, at_start: bool) -> Self {
        let words = text.split_whitespace().map(searched);
        let long_enough = |word: &String| !word.is_empty() && word.chars().count() >= shortest;
        Self {
            words: words.filter(long_enough).collect(),
            at_start,
        }
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.words.is_empty()
    }

    /// Whether whatever holds these words holds the others too: each of those is in one of these.
    ///
    /// O(text). `false` also where that is not known: when many words are at another place than before.
    pub(crate) fn narrow(&self, others: &Self) -> bool {
        let within = |word: &String, other: &String| {
            if self.at_start {
                word.starts_with(other)
            } else {
                word.contains(other)
            }
        };
        if self.at_start != others.at_start {
            return false;
        }
        // As words are typed, each is one more, or another letter of one that was there.
        let same_place = |at: usize, other: &String| {
            let word = self.words.get(at);
            word.is_some_and(|word| within(word, other))
        };
        let others = others.words.iter().enumerate();
        let mut unlike: Vec<&String> = others
            .filter(|(at, other)| !same_place(*at, other))
            .map(|(_, other)| other)
            .collect();
        unlike.sort_unstable();
        unlike.dedup();
        unlike.len() <= LOOKED_FOR
            && unlike
                .iter()
                .all(|other| self.words.iter().any(|word| within(word, other)))
    }

    /// Takes note of the words that a text holds; `found` has a place for each word.
    pub(crate) fn note(&self, text: &str, found: &mut [bool]) {
        // Where no word must be found at a start, the way back is not needed.
        if !self.at_start {
            let text = searched(text);
            for (word, found) in self.words.iter().zip(found) {
                *found = *found || text.contains(word.as_str());
            }
            return;
        }
        let text = WordStarts::of(text);
        for (word, found) in self.words.iter().zip(found) {
            *found = *found || text.has_at_start(&Finder::new(word));
        }
    }

    /// How well each word is found in a text: 0 where it is all of the text, 1 where the text begins with it, 2
    /// where a word does, 3 anywhere; better finds replace what `best` has. O(text).
    pub(crate) fn rate(&self, text: &str, rated: impl Fn(u32) -> u32, best: &mut [Option<u32>]) {
        let folded = Folded::of(text);
        for (word, best) in self.words.iter().zip(best) {
            let finder = Finder::new(word);
            let places = self.places(&finder, &folded);
            let how_well = |(place, at_start): (usize, bool)| match (place, at_start) {
                (0, _) if folded.text.len() == word.len() => 0,
                (0, _) => 1,
                (_, true) => 2,
                (_, false) => 3,
            };
            let found = places.map(how_well).min().map(&rated);
            *best = match (found, *best) {
                (Some(found), Some(best)) => Some(found.min(best)),
                (found, best) => found.or(best),
            };
        }
    }

    pub(crate) fn len(&self) -> usize {
        self.words.len()
    }

    /// These words, to be found in folded text that is kept.
    pub(crate) fn finders(&self) -> Finders<'_> {
        let mut words: Vec<&String> = self.words.iter().collect();
        // The longest one rules out most.
        words.sort_by_key(|word| std::cmp::Reverse(word.len()));
        let finders = words.into_iter().map(|word| Finder::new(word.as_bytes()));
        Finders {
            words: finders.collect(),
            at_start: self.at_start,
        }
    }

    /// Where the words are in a text: ranges of bytes on the boundaries of graphemes, ascending, none
    /// touching another.
    pub(crate) fn ranges(&self, text: &str) -> Vec<Range<usize>> {
        let folded = Folded::of(text);
        let mut ranges: Vec<Range<usize>> = Vec::new();
        for word in &self.words {
            let finder = Finder::new(word);
            ranges.extend(self.places(&finder, &folded).map(|(start, _)| {
                let first = folded.origins[start];
                let last = folded.origins[start + word.len() - 1];
                folded.graphemes[first].0.start..folded.graphemes[last].0.end
            }));
        }
        ranges.sort_unstable_by_key(|range| (range.start, range.end));
        let mut joined: Vec<Range<usize>> = Vec::new();
        for range in ranges {
            match joined.last_mut() {
                Some(last) if last.end >= range.start => last.end = last.end.max(range.end),
                _ => joined.push(range),
            }
        }
        joined
    }

    /// Where a word is found in folded text, and whether a word of the text starts there.
    fn places<'a>(
        &'a self,
        word: &'a Finder<'a>,
        folded: &'a Folded,
    ) -> impl Iterator<Item = (usize, bool)> + 'a {
        let places = Places::new(word, folded.text.as_bytes());
        let places = places.map(|place| (place, folded.is_word_start(place)));
        places.filter(|(_, at_start)| *at_start || !self.at_start)
    }
}

impl Folded {
    pub(super) fn of(text: &str) -> Self {
        let word_starts: Vec<usize> = text.unicode_word_indices().map(|(at, _)| at).collect();
        let mut folded = Self {
            text: String::with_capacity(text.len()),
            origins: Vec::with_capacity(text.len()),
            graphemes: Vec::new(),
        };
        let mut behind_a_letter = false;
        for (at, grapheme) in text.grapheme_indices(true) {
            let is_letter = grapheme.chars().any(char::is_alphanumeric);
            // As the Unicode Standard has words, and after whatever is no letter, as in O'Neill.
            let starts = is_letter && (!behind_a_letter || word_starts.binary_search(&at).is_ok());
            behind_a_letter = is_letter;
            folded.text.push_str(&searched(grapheme));
            folded
                .origins
                .resize(folded.text.len(), folded.graphemes.len());
            folded.graphemes.push((at..at + grapheme.len(), starts));
        }
        folded
    }

    /// Whether a word of the text starts at a place in it.
    fn is_word_start(&self, place: usize) -> bool {
        let grapheme = self.origins[place];
        let begins = place == 0 || self.origins[place - 1] != grapheme;
        begins && self.graphemes[grapheme].1
    }

    /// The places where words start, ascending.
    pub(super) fn word_starts(&self) -> impl Iterator<Item = usize> {
        (0..self.text.len()).filter(|place| self.is_word_start(*place))
    }
}
