//! Text with differences taken out that do not count.

use caseless::Caseless;
use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::{canonical_combining_class, is_combining_mark};
use unicode_segmentation::UnicodeSegmentation;

/// Which differences between two texts do not count.
///
/// ```
/// use usual_tide::text::Folding;
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

/// Text as a search sees it: without case, accents and width.
///
/// Compatibility decomposition and full case folding take case and width away (Unicode Standard, section
/// 3.13; UAX #15). Of the marks those go that stand over, under or through a letter; those that make
/// another letter or join two (combining classes 7 to 9: nukta, voicing of kana, virama) stay, in composed
/// form, so that a letter is not found in another that is made from it.
pub(crate) fn searched(text: &str) -> String {
    if text.is_ascii() {
        return text.to_ascii_lowercase();
    }
    let stays = |letter: &char| matches!(canonical_combining_class(*letter), 0 | 7..=9);
    let folded = text.chars().nfkd().default_case_fold().nfkd();
    folded.filter(stays).nfc().collect()
}

/// The first letter of a text, a capital without its marks; `None` when it begins with no letter.
pub(crate) fn initial(text: &str) -> Option<String> {
    let first = text.graphemes(true).next()?;
    let base = first.nfkd().find(|letter| !is_combining_mark(*letter))?;
    base.is_alphabetic().then(|| base.to_uppercase().collect())
}
