//! Patterns: `%` for any run of characters, `_` for one.

use crate::text::Folding;

/// A pattern that a whole text must match.
#[derive(Clone, PartialEq, Debug)]
pub(super) enum Pattern {
    Exactly(String),
    StartsWith(String),
    EndsWith(String),
    Contains(String),
    Parts(Vec<Part>),
}

#[derive(Clone, Copy, PartialEq, Eq, Debug)]
pub(super) enum Part {
    Letter(char),
    AnyOne,
    AnyRun,
}

impl Pattern {
    /// Reads a pattern; a backslash takes its meaning from `%`, `_` and itself. The letters between the
    /// wildcards are folded as the text will be.
    pub(super) fn read(text: &str, folds: &[Folding]) -> Self {
        let folded = |letters: &mut String| {
            let text = folds
                .iter()
                .fold(std::mem::take(letters), |text, fold| fold.fold(&text));
            text.chars().map(Part::Letter).collect::<Vec<_>>()
        };
        let (mut parts, mut letters) = (Vec::new(), String::new());
        let mut rest = text.chars().peekable();
        while let Some(letter) = rest.next() {
            let wildcard = match letter {
                '%' => Part::AnyRun,
                '_' => Part::AnyOne,
                '\\' => {
                    let escaped = rest.next_if(|next| matches!(next, '%' | '_' | '\\'));
                    letters.push(escaped.unwrap_or(letter));
                    continue;
                }
                _ => {
                    letters.push(letter);
                    continue;
                }
            };
            parts.append(&mut folded(&mut letters));
            // Several runs in a row are one.
            if wildcard != Part::AnyRun || parts.last() != Some(&Part::AnyRun) {
                parts.push(wildcard);
            }
        }
        parts.append(&mut folded(&mut letters));
        Self::simplest(parts)
    }

    fn simplest(parts: Vec<Part>) -> Self {
        let letters = |parts: &[Part]| -> Option<String> {
            let letter = |part: &Part| match part {
                Part::Letter(letter) => Some(*letter),
                _ => None,
            };
            parts.iter().map(letter).collect()
        };
        let simple = match &parts[..] {
            [Part::AnyRun, inner @ .., Part::AnyRun] => letters(inner).map(Self::Contains),
            [Part::AnyRun] => Some(Self::Contains(String::new())),
            [Part::AnyRun, end @ ..] => letters(end).map(Self::EndsWith),
            [start @ .., Part::AnyRun] => letters(start).map(Self::StartsWith),
            all => letters(all).map(Self::Exactly),
        };
        simple.unwrap_or(Self::Parts(parts))
    }

    pub(super) fn matches(&self, text: &str) -> bool {
        match self {
            Self::Exactly(letters) => text == letters,
            Self::StartsWith(start) => text.starts_with(start.as_str()),
            Self::EndsWith(end) => text.ends_with(end.as_str()),
            Self::Contains(inner) => text.contains(inner.as_str()),
            Self::Parts(parts) => matches_parts(parts, text),
        }
    }
}

/// Walks both; where they part, the last run takes one character more. O(text × pattern).
fn matches_parts(parts: &[Part], text: &str) -> bool {
    let letters: Vec<char> = text.chars().collect();
    let (mut at, mut part) = (0, 0);
    // Where the last run is, and how much of the text it has taken.
    let mut run: Option<(usize, usize)> = None;
    while at < letters.len() {
        match parts.get(part) {
            Some(Part::AnyRun) => {
                run = Some((part, at));
                part += 1;
                continue;
            }
            Some(Part::AnyOne) => {}
            Some(Part::Letter(letter)) if *letter == letters[at] => {}
            _ => match &mut run {
                Some((start, taken)) => {
                    *taken += 1;
                    (part, at) = (*start + 1, *taken);
                    continue;
                }
                None => return false,
            },
        }
        (part, at) = (part + 1, at + 1);
    }
    parts[part..].iter().all(|part| *part == Part::AnyRun)
}
