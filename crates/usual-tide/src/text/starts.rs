//! Text in which words are looked for where words start.

use super::places::Places;
use super::words::{Folded, is_word_start};
use memchr::memmem::Finder;

/// A text, folded, with the places where words start in it.
#[derive(Debug)]
pub(crate) struct WordStarts {
    text: Box<str>,
    /// None for plain ASCII text, in which a word starts where letters and digits do.
    starts: Option<Box<[usize]>>,
}

impl WordStarts {
    /// O(text).
    pub(crate) fn of(text: &str) -> Self {
        if text.is_ascii() {
            return Self {
                text: text.to_ascii_lowercase().into(),
                starts: None,
            };
        }
        let folded = Folded::of(text);
        Self {
            starts: Some(folded.word_starts().collect()),
            text: folded.text.into(),
        }
    }

    /// Whether a word of the text starts with this one, which is folded.
    pub(super) fn has_at_start(&self, word: &Finder<'_>) -> bool {
        let text = self.text.as_bytes();
        Places::new(word, text).any(|place| match &self.starts {
            None => is_word_start(text, place),
            Some(starts) => starts.binary_search(&place).is_ok(),
        })
    }
}
