//! The order of a locale, by ICU4X.

use super::{CaseFirst, Choices};
use crate::text::initial;
use icu_collator::options::{CollatorOptions, Strength};
use icu_collator::preferences::{CollationCaseFirst, CollationNumericOrdering};
use icu_collator::{Collator, CollatorBorrowed, CollatorPreferences};
use icu_locale::exemplar_chars::ExemplarCharacters;
use icu_locale::extensions::unicode::key;
use icu_locale::{LanguageIdentifier, Locale as Tag, ParseError};
use std::borrow::Cow;
use std::cmp::Ordering;
use unicode_segmentation::UnicodeSegmentation;

pub(super) struct Locale {
    collator: CollatorBorrowed<'static>,
    /// The same without accents and case.
    letters: CollatorBorrowed<'static>,
    /// The letters of the locale's index, in its order.
    index: Vec<String>,
    /// Whether numbers are in the order of their values.
    numeric: bool,
}

/// Whether a tag asks for numbers in the order of their values (`-u-kn`).
fn has_numeric_tag(tag: &Tag) -> bool {
    let asked = tag.extensions.unicode.keywords.get(&key!("kn"));
    asked.is_some_and(|asked| asked.to_string() != "false")
}

/// Digits that the collation algorithm takes as one number at most (UTS #10 leaves the limit open; this is
/// ICU's).
const LONG_NUMBER: usize = 254;

/// Writes numbers of so many digits or more as several that compare alike: first one of the largest length that
/// tells how many digits follow, then the digits in pieces of one length.
fn long_numbers_in_pieces(text: &str) -> Cow<'_, str> {
    let is_digit = |byte: &u8| byte.is_ascii_digit();
    let runs = || {
        text.as_bytes()
            .chunk_by(|one, two| is_digit(one) == is_digit(two))
    };
    if !runs().any(|run| is_digit(&run[0]) && run.len() >= LONG_NUMBER) {
        return Cow::Borrowed(text);
    }
    let mut pieces = String::with_capacity(text.len() + 2 * LONG_NUMBER);
    let mut rest = text;
    for run in runs() {
        let (run, behind) = rest.split_at(run.len());
        rest = behind;
        let digits = match run.as_bytes().first().is_some_and(is_digit) {
            true => run.trim_start_matches('0'),
            false => run,
        };
        if digits.len() < LONG_NUMBER || !digits.starts_with(|first: char| first.is_ascii_digit()) {
            pieces.push_str(run);
            continue;
        }
        pieces.push('9');
        pieces.push_str(&format!(
            "{:0width$}",
            digits.len(),
            width = LONG_NUMBER - 1
        ));
        let mut digits = digits;
        while !digits.is_empty() {
            let (piece, others) = digits.split_at(digits.len().min(LONG_NUMBER - 1));
            // No piece begins with a zero, which would not count as a digit.
            pieces.push('1');
            pieces.push_str(piece);
            digits = others;
        }
    }
    Cow::Owned(pieces)
}

impl Locale {
    pub(super) fn new(tag: &str, choices: Choices) -> Result<Self, String> {
        let locale: Tag = tag
            .parse()
            .map_err(|why: ParseError| why.to_string().to_lowercase())?;
        let mut preferences = CollatorPreferences::from(&locale);
        if choices.numeric {
            preferences.numeric_ordering = Some(CollationNumericOrdering::True);
        }
        match choices.case_first {
            Some(CaseFirst::Lower) => preferences.case_first = Some(CollationCaseFirst::Lower),
            Some(CaseFirst::Upper) => preferences.case_first = Some(CollationCaseFirst::Upper),
            None => {}
        }
        let collator =
            |options| Collator::try_new(preferences, options).map_err(|why| why.to_string());
        let mut letters_only = CollatorOptions::default();
        letters_only.strength = Some(Strength::Primary);
        let letters = collator(letters_only)?;
        Ok(Self {
            collator: collator(CollatorOptions::default())?,
            index: index(&locale, &letters),
            letters,
            numeric: choices.numeric || has_numeric_tag(&locale),
        })
    }

    pub(super) fn compare(&self, one: &str, two: &str) -> Ordering {
        self.collator
            .compare(&self.in_pieces(one), &self.in_pieces(two))
    }

    pub(super) fn write_key(&self, text: &str, into: &mut Vec<u8>) {
        // A vector takes whatever is written.
        let Ok(()) = self.collator.write_sort_key_to(&self.in_pieces(text), into);
    }

    /// The text with numbers of very many digits written so that they are in the order of their values.
    fn in_pieces<'a>(&self, text: &'a str) -> Cow<'a, str> {
        if self.numeric && text.len() >= LONG_NUMBER {
            long_numbers_in_pieces(text)
        } else {
            Cow::Borrowed(text)
        }
    }

    /// The last letter of the index that the text does not come before. Letters of other scripts stand for
    /// themselves.
    pub(super) fn initial(&self, text: &str) -> Option<String> {
        let base = initial(text)?;
        let behind = |letter: &String| self.letters.compare(letter, text).is_le();
        let place = self.index.partition_point(behind);
        let first = text.graphemes(true).next().unwrap_or_default();
        let begins_with = |letter: &str| {
            let same = |other: &str| self.letters.compare(letter, other).is_eq();
            same(first) || same(&base)
        };
        match place.checked_sub(1).map(|at| &self.index[at]) {
            // after the last letter come the other scripts.
            Some(letter) if place < self.index.len() || begins_with(letter) => Some(letter.clone()),
            _ => Some(base),
        }
    }
}

/// The letters under which a locale lists texts (CLDR, exemplar characters of the index).
fn index(locale: &Tag, letters: &CollatorBorrowed<'static>) -> Vec<String> {
    let language = LanguageIdentifier::from((locale.id.language, None, None));
    let with_script = LanguageIdentifier::from((locale.id.language, locale.id.script, None));
    let tries = [locale.id.clone(), with_script, language];
    let found = tries
        .iter()
        .find_map(|tag| ExemplarCharacters::try_new_index(&tag.into()).ok());
    let Some(found) = found else {
        return Vec::new();
    };
    let single = found.code_points().iter_chars().map(String::from);
    let several = found.strings().iter().map(str::to_owned);
    let mut index: Vec<String> = single.chain(several).collect();
    index.sort_by(|one, two| letters.compare(one, two));
    index.dedup_by(|one, two| letters.compare(one, two).is_eq());
    index
}
