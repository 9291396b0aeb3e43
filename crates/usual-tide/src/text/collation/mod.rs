//! The order of texts as the people of a language have it.

#[cfg(feature = "locale")]
mod locale;
mod plain;

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

/// An order of texts: that of a locale, or a plain one that needs no data of any language.
///
/// With the feature `locale` a locale's order is that of the Unicode Collation Algorithm (UTS #10) with the
/// tailoring of the Unicode CLDR, by ICU4X. Without it, and in [`plain`](Self::plain), texts are compared
/// without case, accents and width by code point; accents, and then case, break ties. That is right for
/// unaccented Latin text, and puts letters that a language has at places of their own among their base letters.
///
/// ```
/// use std::cmp::Ordering;
/// use usual_tide::text::Collation;
///
/// let plain = Collation::plain();
/// assert_eq!(plain.compare("émail", "Ember"), Ordering::Less);
/// assert_eq!(plain.compare("kiln", "Kiln"), Ordering::Less);
/// assert_eq!(plain.compare("Shelf 10", "Shelf 9"), Ordering::Less);
/// assert_eq!(plain.numeric().compare("Shelf 10", "Shelf 9"), Ordering::Greater);
/// ```
#[derive(Clone)]
pub struct Collation {
    rules: Arc<Rules>,
    /// Tells this order from others.
    name: Arc<str>,
    choices: Choices,
}

/// What can be chosen in any locale.
#[derive(Clone, Copy, PartialEq, Eq, Default, Debug)]
struct Choices {
    numeric: bool,
    case_first: Option<CaseFirst>,
}

/// Which of two texts that differ in case alone comes first.
#[derive(Clone, Copy, PartialEq, Eq, Hash, Debug)]
pub enum CaseFirst {
    /// The one with small letters.
    Lower,
    /// The one with capitals.
    Upper,
}

enum Rules {
    Plain(plain::Plain),
    #[cfg(feature = "locale")]
    Locale(Box<locale::Locale>),
}

/// There is no order for a locale.
#[derive(Clone, PartialEq, Eq, Debug, thiserror::Error)]
#[error("{locale:?} is no locale, as \"de-AT\" is one (BCP 47): {problem}")]
pub struct LocaleError {
    /// What was given.
    pub locale: String,
    /// What is wrong with it.
    pub problem: String,
}

impl Collation {
    /// The order without any language's rules.
    pub fn plain() -> Self {
        Self::of_plain("plain".into(), Choices::default())
    }

    /// The order of a locale by its tag (BCP 47): `"de"`, `"sv-SE"`. A tag can make choices of its own by Unicode
    /// extensions, as `"de-u-co-phonebk"` does. Locales without an order of their own have that of the root.
    ///
    /// Without the feature `locale` this is the [`plain`](Self::plain) order;
    /// [`is_by_locale`](Self::is_by_locale) tells.
    ///
    /// # Errors
    ///
    /// [`LocaleError`] when the text is no locale.
    pub fn for_locale(tag: &str) -> Result<Self, LocaleError> {
        Self::of_locale(tag, Choices::default())
    }

    #[cfg(feature = "locale")]
    fn of_locale(tag: &str, choices: Choices) -> Result<Self, LocaleError> {
        let locale = locale::Locale::new(tag, choices).map_err(|problem| LocaleError {
            locale: tag.to_owned(),
            problem,
        })?;
        Ok(Self {
            rules: Arc::new(Rules::Locale(Box::new(locale))),
            name: tag.into(),
            choices,
        })
    }

    #[cfg(not(feature = "locale"))]
    fn of_locale(tag: &str, choices: Choices) -> Result<Self, LocaleError> {
        let parts = tag.split('-');
        let mut well_formed = parts.map(|part| {
            (1..=8).contains(&part.len()) && part.bytes().all(|byte| byte.is_ascii_alphanumeric())
        });
        if !well_formed.all(|part| part) {
            return Err(LocaleError {
                locale: tag.to_owned(),
                problem: "its parts must have one to eight letters or digits".to_owned(),
            });
        }
        Ok(Self::of_plain(tag.into(), choices))
    }

    fn of_plain(name: Arc<str>, choices: Choices) -> Self {
        Self {
            rules: Arc::new(Rules::Plain(plain::Plain::new(choices))),
            name,
            choices,
        }
    }

    /// Numbers in the texts by their value: `Shelf 9` before `Shelf 10`.
    #[must_use]
    pub fn numeric(self) -> Self {
        let choices = Choices {
            numeric: true,
            ..self.choices
        };
        self.choosing(choices)
    }

    /// Small letters or capitals first, where texts differ in case alone.
    ///
    /// ```
    /// use usual_tide::text::{CaseFirst, Collation};
    ///
    /// let capitals_first = Collation::plain().case_first(CaseFirst::Upper);
    /// assert!(capitals_first.compare("Bowl", "bowl").is_lt());
    /// assert!(!capitals_first.is_by_locale());
    /// ```
    #[must_use]
    pub fn case_first(self, first: CaseFirst) -> Self {
        let choices = Choices {
            case_first: Some(first),
            ..self.choices
        };
        self.choosing(choices)
    }

    fn choosing(self, choices: Choices) -> Self {
        match &*self.rules {
            Rules::Plain(_) => Self::of_plain(self.name, choices),
            // The tag was one before.
            #[cfg(feature = "locale")]
            Rules::Locale(_) => Self::of_locale(&self.name.clone(), choices).unwrap_or(self),
        }
    }

    /// Whether this is the order of a locale, and not the plain one.
    pub fn is_by_locale(&self) -> bool {
        !matches!(&*self.rules, Rules::Plain(_))
    }

    /// The order of two texts.
    pub fn compare(&self, one: &str, two: &str) -> Ordering {
        match &*self.rules {
            Rules::Plain(plain) => plain.compare(one, two),
            #[cfg(feature = "locale")]
            Rules::Locale(locale) => locale.compare(one, two),
        }
    }

    /// Bytes that are in the order of the texts.
    pub fn key(&self, text: &str) -> Vec<u8> {
        let mut key = Vec::new();
        self.write_key(text, &mut key);
        key
    }

    pub(crate) fn write_key(&self, text: &str, into: &mut Vec<u8>) {
        match &*self.rules {
            Rules::Plain(plain) => plain.write_key(text, into),
            #[cfg(feature = "locale")]
            Rules::Locale(locale) => locale.write_key(text, into),
        }
    }

    /// The letter under which the locale lists a text that begins with a letter; `None` when it does not.
    pub(crate) fn initial(&self, text: &str) -> Option<String> {
        match &*self.rules {
            Rules::Plain(_) => super::initial(text),
            #[cfg(feature = "locale")]
            Rules::Locale(locale) => locale.initial(text),
        }
    }

    /// Collations of the same identity order alike.
    pub(crate) fn identity(&self) -> String {
        format!("{} {:?} {}", self.name, self.choices, self.is_by_locale())
    }
}

impl Default for Collation {
    fn default() -> Self {
        Self::plain()
    }
}

impl fmt::Debug for Collation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Collation")
            .field("locale", &self.name)
            .field("choices", &self.choices)
            .finish()
    }
}
