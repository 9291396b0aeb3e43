//! The store's drafts as an app begins and ends them.

use super::{CommitError, Committed, Draft};
use crate::item::{FailedField, Fields, Item};
use crate::store::{EditError, Place, Store};
use std::fmt;
use std::sync::Arc;

/// What a store knows of its drafts, as [`Store::drafts`] gives it: to be read.
pub struct Drafts<'a, T: Item> {
    store: &'a Store<T>,
}

/// The same, to begin, commit and discard drafts: [`Store::drafts_mut`].
pub struct DraftsMut<'a, T: Item> {
    store: &'a mut Store<T>,
}

impl<T: Item> Store<T> {
    /// What the store knows of its drafts. See [`DraftsMut::begin`] for an example.
    pub fn drafts(&self) -> Drafts<'_, T> {
        Drafts { store: self }
    }

    /// The same, to begin, commit and discard drafts. See [`DraftsMut::begin`] for an example.
    pub fn drafts_mut(&mut self) -> DraftsMut<'_, T> {
        DraftsMut { store: self }
    }
}

impl<'a, T: Item> Drafts<'a, T> {
    /// Whether a draft is open: neither committed nor discarded. O(d) in the open drafts.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1 }])?;
    /// let draft = store.drafts_mut().begin(&1)?;
    /// assert!(store.drafts().is_open(&draft));
    /// # Ok(()) }
    /// ```
    pub fn is_open(&self, draft: &Draft<T>) -> bool {
        self.store.opened(draft).is_some()
    }

    /// The item of an open draft as it is in the store now: changed by others perhaps, or with another key than the draft
    /// began with, which the source has given it. `None` when it is gone, and for a draft that is not open. O(log d) in the
    /// open drafts. See [`Writes::given_key`](crate::writes::Writes::given_key) for an example.
    pub fn current(&self, draft: &Draft<T>) -> Option<&'a Arc<T>> {
        let row = self.store.row_of_draft(self.store.opened(draft)?)?;
        self.store.base.items.get(row)
    }

    /// Whether an item is the blank row of a draft that is not committed yet: nothing to be saved. O(log d) in
    /// the open drafts. See [`DraftsMut::begin_new`] for an example.
    pub fn is_blank(&self, key: &T::Key) -> bool {
        let slot = self.store.slot(key);
        slot.is_some_and(|slot| self.store.special.blanks.contains(slot))
    }

    /// What is wrong with a draft as it is; nothing when it could be committed. Meant for a form that checks
    /// while the person types.
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_height::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, height_mm: 90 }])?;
    /// let mut draft = store.drafts_mut().begin(&1)?;
    /// draft.type_text("height_mm", "12o").unwrap_err();
    /// let failed = store.drafts().failures(&draft);
    /// assert_eq!(failed[0].field, "height_mm");
    /// assert_eq!(failed[0].to_string(), "\"12o\" is not a whole number");
    /// # Ok(()) }
    /// ```
    pub fn failures(&self, draft: &Draft<T>) -> Vec<FailedField<T::Key>> {
        let mut failed = draft.unread_fields();
        let known = |field: &FailedField<T::Key>| failed.iter().any(|f| f.field == field.field);
        // The source may have given its item another key.
        let open = self.store.opened(draft);
        let row = open.and_then(|number| self.store.row_of_draft(number));
        let key_now = self.store.base.key_now(draft.key());
        let row = row.or_else(|| self.store.slot(key_now));
        let by_rules = self.store.failures_in(draft.item(), row);
        let by_rules: Vec<_> = by_rules.into_iter().filter(|field| !known(field)).collect();
        failed.extend(by_rules);
        failed
    }
}

impl<T: Item> DraftsMut<'_, T> {
    /// Begins a draft of an item. Its row is held in every list that shows it, now or later, until the
    /// draft ends. O(1) a list.
    ///
    /// # Errors
    ///
    /// [`EditError::UnknownKey`].
    ///
    /// ```
    /// use usual_tide::{Item, Store};
    /// # use usual_tide_pieces::with_title_and_height::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::load([Piece { id: 1, title: "Bowl".into(), height_mm: 90 }])?;
    /// let mut draft = store.drafts_mut().begin(&1)?;
    /// draft.set(Piece::TITLE, "Celadon bowl".into())?;
    /// assert!(draft.type_text("height_mm", "12o").is_err());
    /// // 12o is no number: the draft comes back with the error.
    /// let refused = store.drafts_mut().commit(draft).unwrap_err();
    /// let mut draft = *refused.draft;
    /// draft.type_text("height_mm", "120")?;
    /// assert_eq!(store.get(&1).unwrap().title, "Bowl", "the store sees nothing before the commit");
    ///
    /// store.drafts_mut().commit(draft)?;
    /// assert_eq!(store.get(&1).unwrap().height_mm, 120);
    /// # Ok(()) }
    /// ```
    pub fn begin(&mut self, key: &T::Key) -> Result<Draft<T>, EditError<T::Key>> {
        self.store.begin_draft(key)
    }

    /// Begins a draft of a new item: a row for it shows at once, at a place in source order, in every list
    /// that it matches. Rules are not checked before the commit. Discarded, it leaves no trace. O(log n) a list.
    ///
    /// The blank row is in the store like an item, but it is no step that can be undone before it is
    /// committed, a [`reload`](Store::reload) leaves it alone, and [`is_blank`](Drafts::is_blank) tells it
    /// from the items. For a place among the rows of a list see
    /// [`ListMut::begin_new_draft`](crate::ListMut::begin_new_draft).
    ///
    /// # Errors
    ///
    /// [`EditError::DuplicateKey`], [`EditError::UnknownKey`] and [`EditError::OutOfRange`].
    ///
    /// ```
    /// use usual_tide::{Item, Place, Query, Store};
    /// # use usual_tide_pieces::with_title::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::<Piece>::new();
    /// let list = store.bind(Query::new());
    /// let mut draft = store.drafts_mut().begin_new(Piece { id: 1, title: String::new() }, Place::Start)?;
    /// assert_eq!(store.list(list)?.len(), 1);
    /// assert!(store.drafts().is_blank(&1));
    ///
    /// draft.set(Piece::TITLE, "Mug".into())?;
    /// store.drafts_mut().commit(draft)?;
    /// assert!(!store.drafts().is_blank(&1));
    /// # Ok(()) }
    /// ```
    pub fn begin_new(
        &mut self,
        item: T,
        place: Place<T::Key>,
    ) -> Result<Draft<T>, EditError<T::Key>> {
        self.store.begin_new_draft(item, place)
    }

    /// Ends a draft without a change: the row goes where it belongs, a blank one away. `false` when the draft
    /// was not open. O(log n) a list.
    ///
    /// # Errors
    ///
    /// [`EditError`] as of an edit; everything is as it was then.
    ///
    /// ```
    /// use usual_tide::{Item, Place, Store};
    /// # use usual_tide_pieces::with_id::Piece;
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// let mut store = Store::<Piece>::new();
    /// let draft = store.drafts_mut().begin_new(Piece { id: 1 }, Place::Start)?;
    /// store.drafts_mut().discard(draft)?;
    /// assert!(store.is_empty());
    /// # Ok(()) }
    /// ```
    pub fn discard(&mut self, draft: Draft<T>) -> Result<bool, EditError<T::Key>> {
        self.store.discard_draft(&draft)
    }

    /// Makes a draft's changes, as one step that can be undone, and ends it: its rows go where they belong
    /// then, in the same change set. O(log n) a list.
    ///
    /// When the item was changed since the draft began, in other fields than the draft's, both changes are kept.
    /// When they collide, the error has both sides, and the draft to be settled:
    ///
    /// # Errors
    ///
    /// [`CommitError`], which gives the draft back; it is still open.
    ///
    /// ```
    /// use usual_tide::drafts::{CommitProblem, Prefer};
    /// use usual_tide::{Item, Store};
    /// # #[derive(Clone, PartialEq, Debug, Item)]
    /// # struct Piece { #[item(key)] id: u32, title: String, height_mm: u32, fired: bool }
    /// # fn main() -> Result<(), Box<dyn std::error::Error>> {
    /// # let piece = Piece { id: 1, title: "Bowl".into(), height_mm: 90, fired: false };
    /// let mut store = Store::load([piece])?;
    /// let mut draft = store.drafts_mut().begin(&1)?;
    /// draft.set(Piece::TITLE, "Celadon bowl".into())?;
    /// draft.set(Piece::HEIGHT_MM, 95)?;
    ///
    /// // In the meantime the server has other news.
    /// store.from_source(|store| store.edit(&1, |piece| {
    ///     piece.title = "Blue bowl".into();
    ///     piece.fired = true;
    /// }))?;
    ///
    /// let refused = store.drafts_mut().commit(draft).unwrap_err();
    /// let CommitProblem::Conflict(conflict) = refused.problem else {
    ///     return Err("both changed the title".into());
    /// };
    /// assert_eq!(conflict.overlapping[0].to_string(), "title");
    /// let mut draft = *refused.draft;
    /// draft.settle(*conflict, Prefer::Mine);
    /// store.drafts_mut().commit(draft)?;
    ///
    /// let piece = store.get(&1).unwrap();
    /// assert_eq!((&*piece.title, piece.height_mm, piece.fired), ("Celadon bowl", 95, true));
    /// # Ok(()) }
    /// ```
    pub fn commit(&mut self, draft: Draft<T>) -> Result<Committed, CommitError<T>>
    where
        T: Fields,
    {
        let committed = self.store.commit_draft(&draft);
        committed.map_err(|problem| CommitError {
            draft: Box::new(draft),
            problem,
        })
    }
}

impl<T: Item> fmt::Debug for Drafts<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Drafts")
            .field("open", &self.store.special.draft_count())
            .field("blank", &self.store.special.blanks.len())
            .finish()
    }
}

impl<T: Item> fmt::Debug for DraftsMut<'_, T> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.store.drafts().fmt(f)
    }
}
