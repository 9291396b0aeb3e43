//! The order that needs no data of any language.

use super::{CaseFirst, Choices};
use crate::text::fold::{Folding, searched};
use std::cmp::Ordering;

pub(super) struct Plain {
    choices: Choices,
}

/// Ends a level of a key; no text has anything smaller.
const LEVEL_END: u8 = 0;

impl Plain {
    pub(super) fn new(choices: Choices) -> Self {
        Self { choices }
    }

    pub(super) fn compare(&self, one: &str, two: &str) -> Ordering {
        let key = |text| {
            let mut key = Vec::new();
            self.write_key(text, &mut key);
            key
        };
        key(one).cmp(&key(two))
    }

    /// The text without case and accents, then without case, then the cases of its letters.
    pub(super) fn write_key(&self, text: &str, into: &mut Vec<u8>) {
        self.write_level(&searched(text), into);
        self.write_level(&Folding::Case.fold(text), into);
        let upper = match self.choices.case_first {
            Some(CaseFirst::Upper) => 1,
            _ => 3,
        };
        let cases = text
            .chars()
            .map(|letter| if letter.is_uppercase() { upper } else { 2 });
        into.extend(cases);
    }

    fn write_level(&self, text: &str, into: &mut Vec<u8>) {
        if self.choices.numeric {
            write_numeric(text.as_bytes(), into);
        } else {
            into.extend_from_slice(text.as_bytes());
        }
        into.push(LEVEL_END);
    }
}

/// A length as bytes in the order of lengths, however long: 255 as often as it fits, then the rest.
fn write_length(mut length: usize, into: &mut Vec<u8>) {
    while length >= usize::from(u8::MAX) {
        into.push(u8::MAX);
        length -= usize::from(u8::MAX);
    }
    into.extend(u8::try_from(length));
}

/// Each run of digits with its length before it, so that longer numbers come later.
fn write_numeric(text: &[u8], into: &mut Vec<u8>) {
    let runs = text.chunk_by(|one, two| one.is_ascii_digit() == two.is_ascii_digit());
    for run in runs {
        if run[0].is_ascii_digit() {
            let zeros = run.iter().take_while(|digit| **digit == b'0').count();
            let digits = &run[zeros..];
            into.push(b'0');
            write_length(digits.len(), into);
            into.extend_from_slice(digits);
        } else {
            into.extend_from_slice(run);
        }
    }
}
