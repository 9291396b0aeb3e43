//! Every place of a word in a text.

use memchr::memmem::Finder;

/// The places where a word is in a text, those that overlap too, ascending. O(text + word): found places are
/// followed up by the word's borders (Knuth, Morris and Pratt, 1977), the rest of the text is scanned for the word.
pub(super) struct Places<'a> {
    word: &'a Finder<'a>,
    text: &'a [u8],
    /// The bytes read so far.
    read: usize,
    /// How many of the last bytes read begin the word.
    matched: usize,
    /// For each beginning of the word the length of the longest shorter one that it ends with. Made when the first
    /// place has been found.
    borders: Vec<usize>,
}

impl<'a> Places<'a> {
    pub(super) fn new(word: &'a Finder<'a>, text: &'a [u8]) -> Self {
        Self {
            word,
            text,
            read: 0,
            matched: 0,
            borders: Vec::new(),
        }
    }
}

impl Iterator for Places<'_> {
    type Item = usize;

    fn next(&mut self) -> Option<usize> {
        let word = self.word.needle();
        if self.matched == word.len() {
            if self.borders.is_empty() {
                self.borders = borders(word);
            }
            self.matched = *self.borders.last()?;
        }
        while self.matched > 0 {
            let byte = *self.text.get(self.read)?;
            self.read += 1;
            while self.matched > 0 && word[self.matched] != byte {
                self.matched = self.borders[self.matched - 1];
            }
            self.matched += usize::from(word[self.matched] == byte);
            if self.matched == word.len() {
                return Some(self.read - word.len());
            }
        }
        let found = self.read + self.word.find(self.text.get(self.read..)?)?;
        self.read = found + word.len();
        self.matched = word.len();
        Some(found)
    }
}

fn borders(word: &[u8]) -> Vec<usize> {
    let mut borders = vec![0; word.len()];
    let mut length = 0;
    for at in 1..word.len() {
        while length > 0 && word[length] != word[at] {
            length = borders[length - 1];
        }
        length += usize::from(word[length] == word[at]);
        borders[at] = length;
    }
    borders
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Few letters, so that words overlap themselves.
        #[test]
        fn every_place_is_found(text in "[ab]{0,40}", word in "[ab]{1,6}") {
            let text = text.as_bytes();
            let word = word.as_bytes();
            let windows = text.windows(word.len()).enumerate();
            let expected: Vec<usize> = windows.filter(|(_, part)| *part == word).map(|(at, _)| at).collect();
            let finder = Finder::new(word);
            let found: Vec<usize> = Places::new(&finder, text).collect();
            prop_assert_eq!(found, expected);
        }
    }
}
