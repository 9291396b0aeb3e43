//! What a person may be about to type: values that there are.

use super::Store;
use crate::change::Section;
use crate::item::{AnyField, Item, SectionKey};
use crate::list::{ListId, UnknownList};
use crate::parts::in_parts;
use crate::query::{Group, Query};
use crate::text::Words;
use hashbrown::{HashMap, HashSet};
use std::marker::PhantomData;

/// The different values of a field, to be offered while a person types.
///
/// They are kept up to date with the store, which counts them in a list of its own. Those of blank rows, of new drafts, do not count.
///
/// ```
/// use usual_tide::{Item, Store};
/// # #[derive(Clone, PartialEq, Item)]
/// # struct Piece { #[item(key)] id: u32, glaze: Option<String> }
/// # fn main() -> Result<(), Box<dyn std::error::Error>> {
/// # let piece = |(id, glaze): (u32, &str)| Piece { id, glaze: Some(glaze.into()) };
/// let glazes = [(1, "clear"), (2, "celadon"), (3, "iron red"), (4, "celadon"), (5, "copper red")];
/// let mut store = Store::load(glazes.map(piece))?;
/// let glazes = store.suggestions(Piece::GLAZE);
/// let offered = |store: &Store<Piece>, typed: &str, chosen: &[&str]| -> Result<Vec<String>, Box<dyn std::error::Error>> {
///     let found = glazes.find(store, typed, chosen, 3)?;
///     Ok(found.into_iter().map(|found| found.text).collect())
/// };
/// assert_eq!(offered(&store, "c", &[])?, ["celadon", "clear", "copper red"]);
/// assert_eq!(offered(&store, "C", &["celadon"])?, ["clear", "copper red"]);
/// assert_eq!(offered(&store, "red", &[])?, ["copper red", "iron red"]);
/// store.edit(&1, |piece| piece.glaze = Some("iron red".into()))?;
/// assert_eq!(offered(&store, "red", &[])?, ["iron red", "copper red"]);
/// # Ok(()) }
/// ```
pub struct Suggestions<T> {
    list: ListId,
    of: PhantomData<fn(T)>,
}

/// A value to be offered.
#[derive(Clone, PartialEq, Eq, Debug)]
#[non_exhaustive]
pub struct Suggestion {
    /// The value as its field shows it.
    pub text: String,
    /// How many items have it.
    pub count: usize,
}

impl<T: Item> Store<T> {
    /// Keeps count of the values of a field from now on. O(n) once, then as any bound list: O(log n) an edit.
    pub fn suggestions(&mut self, field: impl Into<AnyField<T>>) -> Suggestions<T> {
        self.suggestions_among(field, Query::new())
    }

    /// The same over the items that a query shows.
    ///
    /// ```
    /// use usual_tide::{Item, Query, Store};
    /// # #[derive(Clone, PartialEq, Item)]
    /// # struct Piece { #[item(key)] id: u32, glaze: String, fired: bool }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = |(id, glaze, fired): (u32, &str, bool)| Piece { id, glaze: glaze.into(), fired };
    /// let mut store = Store::load([(1, "ash", true), (2, "celadon", false), (3, "ash", true)].map(piece))?;
    /// let fired = Query::new().filter(Piece::FIRED.is(true));
    /// let glazes = store.suggestions_among(Piece::GLAZE, fired).find(&store, "a", &[], 9)?;
    /// assert_eq!((glazes.len(), glazes[0].count), (1, 2));
    /// # Ok(()) }
    /// ```
    pub fn suggestions_among(
        &mut self,
        field: impl Into<AnyField<T>>,
        query: Query<T>,
    ) -> Suggestions<T> {
        let list = self.bind_for_counts(query.unsorted().group(Group::by_shown(field)));
        let of = PhantomData;
        Suggestions { list, of }
    }
}

impl<T: Item> Suggestions<T> {
    /// The values in which every word that was typed starts a word, the most frequent first, then by their text;
    /// those that are chosen already are left out. All values where nothing is typed yet. O(different values), of which each
    /// is folded when it is asked the first time, and O(log n) for each new draft.
    ///
    /// Case, accents and width do not count.
    ///
    /// # Errors
    ///
    /// [`UnknownList`] when the store is another one, or the list was unbound.
    pub fn find(
        &self,
        store: &Store<T>,
        typed: &str,
        chosen: &[&str],
        most: usize,
    ) -> Result<Vec<Suggestion>, UnknownList> {
        let words = Words::read(typed, 1, true);
        let words = words.finders();
        let chosen: HashSet<&str> = chosen.iter().copied().collect();
        let blank = self.blank_rows(store)?;
        let count = |section: &Section| {
            let blank = blank.get(section.key()).copied().unwrap_or(0);
            section.count().saturating_sub(blank)
        };
        let is_offered = |section: &Section| {
            let text = section.heading();
            count(section) > 0
                && words.all_start_in(section.name.searched())
                && !text.trim().is_empty()
                && !chosen.contains(text)
        };
        let list = store.list(self.list)?;
        let layout = list.layout();
        let sections = layout.sections();
        let parts = in_parts(sections.len(), |part| -> Vec<&Section> {
            let sections = sections[part].iter().map(|placed| &*placed.section);
            sections.filter(|section| is_offered(section)).collect()
        });
        let mut found = parts.concat();
        let by_frequency = |one: &&Section, two: &&Section| {
            let frequent = count(two).cmp(&count(one));
            frequent.then_with(|| one.heading().cmp(two.heading()))
        };
        if (1..found.len()).contains(&most) {
            found.select_nth_unstable_by(most - 1, by_frequency);
        }
        found.truncate(most);
        found.sort_by(by_frequency);
        let suggestions = found.iter().map(|section| Suggestion {
            text: section.heading().to_owned(),
            count: count(section),
        });
        Ok(suggestions.collect())
    }

    /// How many blank rows of new drafts the sections hold: these are no items yet.
    fn blank_rows(&self, store: &Store<T>) -> Result<HashMap<SectionKey, usize>, UnknownList> {
        let list = store.list(self.list)?;
        let mut counts = HashMap::new();
        for slot in store.special.blanks.iter() {
            let row = store.base.items.get(slot);
            let position = row.and_then(|row| list.position(row.key()));
            let place = position.and_then(|position| list.section_row(position));
            if let Some(section) = place.and_then(|place| list.section_at(place.section)) {
                *counts.entry(section.key().clone()).or_insert(0) += 1;
            }
        }
        Ok(counts)
    }

    /// The list that counts the values; unbinding it ends that.
    pub fn list(&self) -> ListId {
        self.list
    }
}

impl<T> std::fmt::Debug for Suggestions<T> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Suggestions")
            .field("list", &self.list)
            .finish()
    }
}
