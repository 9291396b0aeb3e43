//! Searches: rows that hold every word, in any of some fields.

use super::columns::{ColumnName, ColumnOf};
use super::sort::Sort;
use crate::item::{AnyField, Fields, Value};
use crate::text::{END, Words, searched};
use std::fmt;
use std::ops::Range;
use std::sync::Arc;

/// Words that a row must hold, all of them, each in any of the fields that are looked into.
///
/// Case, accents and width do not count; Turkish dotless and dotted letters stay apart, and every sigma is
/// one. Without words every row is shown.
///
/// ```
/// use usual_tide::{Item, Query, Search};
///
/// #[derive(Clone, PartialEq, Item)]
/// struct Piece { #[item(key)] id: u32, #[item(search)] title: String, #[item(search)] maker: String }
///
/// let search = Search::<Piece>::new("cafe mac");
/// let piece = Piece { id: 1, title: "CAFÉ plate".into(), maker: "Oona Mac Crae".into() };
/// assert!(search.finds(&piece));
/// assert_eq!(search.ranges(&piece.title), [0..5]);
/// let query = Query::new().search(search.at_word_start().min_length(2));
/// # let _ = query;
/// ```
pub struct Search<T> {
    text: Arc<str>,
    words: Words,
    shortest: usize,
    at_start: bool,
    fields: Arc<[AnyField<T>]>,
}

impl<T: Fields> Search<T> {
    /// A search for the words of a text in the fields that are marked with `#[item(search)]`.
    pub fn new(text: &str) -> Self {
        let marked = T::fields().into_iter().filter(AnyField::is_searched);
        Self::in_fields(text, marked)
    }
}

impl<T> Search<T> {
    /// A search for the words of a text in these fields.
    ///
    /// ```
    /// # use usual_tide::{Fields, Item, Search};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, title: String, maker: String }
    /// let fields = ["title", "maker"].map(Piece::field_named).into_iter().flatten();
    /// let search = Search::in_fields("bowl anna", fields);
    /// assert!(search.finds(&Piece { id: 1, title: "Bowl".into(), maker: "Anna".into() }));
    /// ```
    pub fn in_fields(text: &str, fields: impl IntoIterator<Item = AnyField<T>>) -> Self {
        Self {
            text: text.into(),
            words: Words::read(text, 1, false),
            shortest: 1,
            at_start: false,
            fields: fields.into_iter().collect(),
        }
    }

    /// Words count only where a word of the row's text starts.
    #[must_use]
    pub fn at_word_start(self) -> Self {
        self.read_anew(|search| search.at_start = true)
    }

    /// Words of fewer characters are left out.
    #[must_use]
    pub fn min_length(self, characters: usize) -> Self {
        self.read_anew(|search| search.shortest = characters)
    }

    fn read_anew(mut self, change: impl FnOnce(&mut Self)) -> Self {
        change(&mut self);
        self.words = Words::read(&self.text, self.shortest, self.at_start);
        self
    }

    /// The text of the search, as it was given.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The fields that it looks into.
    pub fn fields(&self) -> &[AnyField<T>] {
        &self.fields
    }

    /// Whether an item holds all words. O(text).
    pub fn finds(&self, item: &T) -> bool {
        if self.words.is_empty() {
            return true;
        }
        let mut found = vec![false; self.words.len()];
        for field in self.fields.iter() {
            match field.value(item) {
                Value::Text(text) => self.words.note(&text, &mut found),
                Value::Missing => {}
                _ => self.words.note(&field.shown(item), &mut found),
            }
            if found.iter().all(|found| *found) {
                return true;
            }
        }
        false
    }

    /// Where the words are in a text that a row shows, to mark them: ranges of bytes on the boundaries
    /// of what a person sees as characters, ascending and apart.
    pub fn ranges(&self, text: &str) -> Vec<Range<usize>> {
        self.words.ranges(text)
    }

    /// The rows that hold the words best first: those where a word is all of a field, then where a field begins
    /// with it, then where a word of the text does, then the others; earlier fields before later ones.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Search, Store};
    /// # use usual_tide_pieces::with_searched_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let titles = ["Rainbow jar", "Blue bowl", "Bowl, blue", "Bowl"];
    /// let mut store = Store::load((0..4).map(|id| Piece { id, title: titles[id as usize].into() }))?;
    /// let search = Search::new("bow");
    /// let list = store.bind(Query::new().sort(search.relevance()).search(search));
    /// let found: Vec<u32> = store.list(list)?.items().map(|piece| piece.id).collect();
    /// assert_eq!(found, [2, 3, 1, 0]);
    /// # Ok(()) }
    /// ```
    pub fn relevance(&self) -> Sort<T>
    where
        T: 'static,
    {
        let search = self.clone();
        Sort::by_value(move |item| search.rate(item))
    }

    /// The smaller, the better an item holds the words. O(text).
    fn rate(&self, item: &T) -> u32 {
        let fields = self.fields.len() as u32;
        let mut best = vec![None; self.words.len()];
        for (field, place) in self.fields.iter().zip(0..) {
            let rated = |how_well: u32| how_well * fields + place;
            match field.value(item) {
                Value::Text(text) => self.words.rate(&text, rated, &mut best),
                Value::Missing => {}
                _ => self.words.rate(&field.shown(item), rated, &mut best),
            }
        }
        // What does not hold a word comes after whatever does.
        best.into_iter()
            .map(|best| best.unwrap_or(4 * fields))
            .sum()
    }

    /// The cached text that answers this search; `None` when it looks for nothing, or when the text cannot be
    /// cached.
    pub(crate) fn column(&self) -> Option<Arc<dyn ColumnOf<T>>>
    where
        T: 'static,
    {
        if self.words.is_empty() {
            return None;
        }
        self.text_column()
    }

    /// The text of the searched fields, whatever the words; `None` when it cannot be cached.
    pub(crate) fn text_column(&self) -> Option<Arc<dyn ColumnOf<T>>>
    where
        T: 'static,
    {
        if !self.fields.iter().all(AnyField::is_named) {
            return None;
        }
        let names = self.fields.iter().map(|field| field.name().to_owned());
        Some(Arc::new(SearchedText {
            fields: Arc::clone(&self.fields),
            name: ColumnName::Searched(names.collect()),
        }))
    }

    pub(crate) fn words(&self) -> &Words {
        &self.words
    }

    /// Whether every row that this finds is one that the other finds.
    pub(crate) fn narrows(&self, other: &Self) -> bool {
        self.same_fields(other) && self.words.narrow(&other.words)
    }

    /// Whether both look into the same fields.
    pub(crate) fn same_fields(&self, other: &Self) -> bool {
        self.fields.len() == other.fields.len()
            && self
                .fields
                .iter()
                .zip(other.fields.iter())
                .all(|(one, two)| one.name() == two.name())
    }

    pub(crate) fn is_unaffected_by(&self, before: &T, after: &T) -> bool {
        self.fields
            .iter()
            .all(|field| match field.reads_other_fields() {
                true => field.shown(before) == field.shown(after),
                false => field.is_same(before, after),
            })
    }
}

/// The folded text of the fields that a search looks into.
struct SearchedText<T> {
    fields: Arc<[AnyField<T>]>,
    name: ColumnName,
}

impl<T> ColumnOf<T> for SearchedText<T> {
    fn write(&self, item: &T, into: &mut Vec<u8>) -> bool {
        let mut plain = true;
        for field in self.fields.iter() {
            let mut write = |text: &str| {
                if !into.is_empty() {
                    into.push(END);
                }
                if text.is_ascii() {
                    let start = into.len();
                    into.extend_from_slice(text.as_bytes());
                    into[start..].make_ascii_lowercase();
                } else {
                    plain = false;
                    into.extend_from_slice(searched(text).as_bytes());
                }
            };
            match field.value(item) {
                Value::Text(text) => write(&text),
                Value::Missing => {}
                _ => write(&field.shown(item)),
            }
        }
        plain
    }

    fn name(&self) -> &ColumnName {
        &self.name
    }
}

/// For the same words in the same fields.
impl<T> PartialEq for Search<T> {
    fn eq(&self, other: &Self) -> bool {
        let fields = self.fields.iter().zip(other.fields.iter());
        self.text == other.text
            && self.shortest == other.shortest
            && self.at_start == other.at_start
            && self.fields.len() == other.fields.len()
            && fields.into_iter().all(|(one, two)| one.is_same_field(two))
    }
}

impl<T> Clone for Search<T> {
    fn clone(&self) -> Self {
        Self {
            text: Arc::clone(&self.text),
            words: self.words.clone(),
            fields: Arc::clone(&self.fields),
            ..*self
        }
    }
}

impl<T> fmt::Debug for Search<T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Search")
            .field("words", &self.words)
            .finish_non_exhaustive()
    }
}
