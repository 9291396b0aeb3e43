//! Text with differences taken out that do not count.

use caseless::Caseless;
use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// Which differences between two texts do not count.
///
/// ```
/// use usual_tide::Folding;
///
/// assert_eq!(Folding::CaseAndAccents.fold("CAFÉ"), "cafe");
/// assert_eq!(Folding::Case.fold("CAFÉ"), "café");
/// assert_eq!(Folding::Case.fold("Straße"), Folding::Case.fold("STRASSE"));
/// ```
#[derive(Clone, Copy, PartialEq, Eq, Hash, Default, Debug)]
pub enum Folding {
    /// None: texts are the same when they are written the same, however their accents are encoded.
    #[default]
    Exact,
    /// Capital or small.
    Case,
    /// Accents and other marks.
    Accents,
    /// Both.
    CaseAndAccents,
}

impl Folding {
    /// The text without these differences. Texts that fold to the same are the same for it.
    ///
    /// Case by the full default folding of the Unicode Standard (section 3.13, D144), accents by taking
    /// the marks out of the canonical decomposition; the result is in normalisation form C (UAX #15).
    pub fn fold(self, text: &str) -> String {
        let (case, accents) = match self {
            Self::Exact => (false, false),
            Self::Case => (true, false),
            Self::Accents => (false, true),
            Self::CaseAndAccents => (true, true),
        };
        if text.is_ascii() {
            return if case {
                text.to_ascii_lowercase()
            } else {
                text.to_owned()
            };
        }
        let marks = |letter: &char| !(accents && is_combining_mark(*letter));
        if case {
            // Folding can bring forth marks, as of the dotted capital I.
            return text
                .chars()
                .nfd()
                .default_case_fold()
                .nfd()
                .filter(marks)
                .nfc()
                .collect();
        }
        text.chars().nfd().filter(marks).nfc().collect()
    }
}
